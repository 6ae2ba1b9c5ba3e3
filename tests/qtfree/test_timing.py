"""Gate crossings, cycles and sound onsets: known truth, coverage of what is stated, bad input."""

import json
import math

import clips
import numpy as np
import pytest
import sounds
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st
from made import source
from scipy.signal import lfilter

from saltus.commands.main import saltus
from saltus.commands.tabular.timing_table import cycles_of, gates_json, gates_of
from saltus.core import sources
from saltus.core.clock import gates
from saltus.core.clock.clock import Clock
from saltus.core.clock.cycles import cycles
from saltus.core.clock.gates import Crossed, crossings
from saltus.core.clock.local_fit import noise_of
from saltus.core.clock.onsets import onsets
from saltus.core.quantities import exact, family
from saltus.core.units import METRE
from saltus.exchange.motion_table import motion_header
from saltus.exchange.tables import TableError, parse_table, write_table
from saltus.footage.facts import FilmError
from saltus.footage.sound import is_sound_alone
from saltus.footage.sound_apart import sound_of

READING = source("reading", "reading", "Reading")
G = 9.81


def read(y, u):
    """Readings with a stated uncertainty, or none."""
    return family(y, u, METRE, READING) if u else exact(y, METRE)


def covered(q, truth):
    """Whether a stated interval holds the truth."""
    return abs(float(q) - truth) <= q.U95


# -- gates -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("acceleration", [0.0, 0.5, -2.0, 9.81])
def test_a_crossing_of_a_smooth_run_is_exact(acceleration):
    """Noise-free readings of a steady or accelerated run give instant and speed to 1e-9."""
    t = 0.013 + np.arange(40) / 30
    v0 = 3.0
    x = v0 * t + acceleration * t**2 / 2
    line = float(x[17] * 0.6 + x[18] * 0.4)
    (found,), warnings = crossings(t, exact(x, METRE), line)
    when = float(np.roots([acceleration / 2, v0, -line])[-1]) if acceleration else line / v0
    assert float(found.time) == pytest.approx(when, abs=1e-9)
    assert float(found.velocity) == pytest.approx(v0 + acceleration * when, abs=1e-6)
    assert not warnings


def drawn_run(rng):
    """An accelerated run: times, positions, a line it meets in its middle, when and how fast."""
    t = rng.uniform(0, 1 / 30) + np.arange(30) / 30
    a, v0 = rng.uniform(0.5, 9), rng.uniform(0.2, 1)
    x = v0 * t + a * t**2 / 2
    line = rng.uniform(x[8], x[20])
    when = (-v0 + math.sqrt(v0**2 + 2 * a * line)) / a
    return t, x, line, when, v0 + a * when


def drawn_swing(rng):
    """A swing: a line on its flank, and the first meeting well within the record."""
    t = rng.uniform(0, 1 / 30) + np.arange(60) / 30
    period, size, start = rng.uniform(0.9, 2), rng.uniform(0.05, 0.2), rng.uniform(0, 2 * math.pi)
    line = rng.uniform(-0.5, 0.5) * size
    # sin(2π t/T + start) = line/size on the way up
    phase = math.asin(line / size)
    when = ((phase - start) % (2 * math.pi)) / (2 * math.pi) * period
    while when < t[10]:
        when += period
    speed = size * 2 * math.pi / period * math.cos(phase)
    return t, size * np.sin(2 * math.pi * t / period + start), line, when, speed


@pytest.mark.parametrize("u", [0.001, 0.0])
@pytest.mark.parametrize("drawn", [drawn_run, drawn_swing])
def test_stated_crossings_cover_the_truth(drawn, u):
    """Under acceleration and on a swing's flank, stated or from scatter: 95 of 100 intervals hold the truth."""
    rng = np.random.default_rng(11)
    hits, speeds, count = 0, 0, 0
    for _run in range(700):
        t, x, line, when, speed = drawn(rng)
        found, _warnings = crossings(t, read(x + rng.normal(0, 0.001, len(t)), u), line)
        near = [c for c in found if abs(float(c.time) - when) < 0.05]
        if not near:
            continue
        count += 1
        hits += covered(near[0].time, when)
        speeds += covered(near[0].velocity, speed)
    assert count > 650
    assert 0.93 <= hits / count <= 0.97
    assert 0.925 <= speeds / count <= 0.975


@pytest.mark.parametrize("drawn", [drawn_run, drawn_swing])
def test_followed_crossings_cover_the_truth_where_errors_last(drawn):
    """A third of the variance lasts over ten readings, as a codec leaves it: what is stated knows of it."""
    rng = np.random.default_rng(12)
    hits, plain, count = 0, 0, 0
    for _run in range(400):
        t, x, line, when, _speed = drawn(rng)
        fall = math.exp(-0.1)
        slow = lfilter([math.sqrt(1 - fall**2)], [1, -fall], rng.normal(size=len(t) + 60))[60:]
        x = x + 0.001 * (math.sqrt(0.65) * rng.normal(size=len(t)) + math.sqrt(0.35) * slow)
        for followed in (True, False):
            found, _warnings = crossings(t, read(x, 0.001), line, of=Crossed(followed=followed))
            near = [c for c in found if abs(float(c.time) - when) < 0.05]
            count += followed and bool(near)
            hits += followed and bool(near) and covered(near[0].time, when)
            plain += not followed and bool(near) and covered(near[0].time, when)
    assert count > 370
    assert 0.92 <= hits / count <= 0.99
    assert plain < hits


def test_scale_and_clock_are_common_to_all_gates():
    """A wrong scale moves all crossings together: intervals between them know less of it than each alone."""
    t = np.arange(40) / 30
    x = 1.5 * t
    clock = Clock(u_rate=0.002)
    place = read(x, 0.0005).with_source(sources.scale_length("take"), 0.01 * x)
    (first,), _told = crossings(t, place, 0.5, clock, Crossed(line="a"))
    (second,), _told = crossings(t, place, 1.0, clock, Crossed(line="b"))
    assert float(first.time.u_from("scale")) == pytest.approx(0.01 * 0.5 / 1.5, rel=1e-6)
    apart = second.time - first.time
    assert float(apart.u_from("scale")) == pytest.approx(0.01 * 0.5 / 1.5, rel=1e-6)
    parts = first.time.parts()
    assert parts[sources.clock("take")] == pytest.approx(0.002 / 3, rel=1e-6)
    # the speed v = dx/dt goes with the scale and against the clock
    assert float(first.velocity.u) > 1.5 * 0.01


def test_near_a_turning_point_no_instant_is_stated():
    """A ball at its top grazes the line: a warning instead of a number; a little lower both ways are told."""
    t = np.arange(60) / 60
    y = 1.0 - 0.5 * G * (t - 0.5) ** 2
    rng = np.random.default_rng(0)
    seen = read(y + rng.normal(0, 0.002, len(t)), 0.002)
    found, warnings = crossings(t, seen, 0.9998)
    assert all(abs(float(c.velocity)) > 2 * float(c.velocity.u) for c in found)
    told = [warnings, *(crossings(t, seen, float(line))[1] for line in np.linspace(0.995, 1.003, 12))]
    assert any("turning point" in w for one in told for w in one)
    found, warnings = crossings(t, seen, 0.6)
    assert [float(c.velocity) > 0 for c in found] == [True, False]
    assert not warnings


def test_noise_is_found_where_none_is_stated():
    """The scatter about the motion, with enough degrees of freedom to be worth something."""
    rng = np.random.default_rng(4)
    t = np.arange(400) / 60
    spread, dof = noise_of(t, 0.1 * np.sin(4 * t) + rng.normal(0, 0.002, len(t)))
    assert spread == pytest.approx(0.002, rel=0.1)
    assert dof > 200
    assert noise_of(t, np.zeros(len(t))) == (0.0, math.inf)


@settings(max_examples=40, deadline=None)
@given(
    count=st.integers(0, 30),
    line=st.floats(-2, 2),
    values=st.lists(st.sampled_from([0.0, 0.1, -0.1, 1e-9]), min_size=30, max_size=30),
)
def test_no_record_breaks_the_gate(count, line, values):
    """Whatever is read: crossings in order, finite, or a sentence that says why there are none."""
    t = np.arange(count) / 30
    found, warnings = crossings(t, exact(np.array(values[:count]), METRE), line)
    times = [float(c.time) for c in found]
    assert times == sorted(times)
    assert all(math.isfinite(v) for v in times)
    assert found or warnings


# -- cycles ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("u", [0.001, 0.0])
def test_periods_cover_the_truth(u):
    """From the line and from the ends, over drawn periods, phases and rates; no drift where there is none."""
    rng = np.random.default_rng(8)
    line, ends, drift, count = 0, 0, 0, 0
    for _run in range(350):
        period, size, rate = rng.uniform(0.8, 2.2), rng.uniform(0.05, 0.2), rng.choice([25, 30, 60])
        t = rng.uniform(0, 1 / rate) + np.arange(int((rng.integers(4, 9) + 0.7) * period * rate)) / rate
        y = size * np.sin(2 * math.pi * t / period + rng.uniform(0, 6)) + rng.normal(0, 0.001, len(t))
        made = cycles(t, read(y, u))
        if made.drift is None:
            continue
        count += 1
        line += covered(made.period, period)
        ends += covered(made.period_from_ends, period)
        drift += covered(made.drift, 0.0)
    assert count > 300
    for hits in (line, ends, drift):
        assert 0.925 <= hits / count <= 0.98


def test_a_growing_period_is_pointed_out():
    """Each cycle 5 ms longer than the one before: the drift is told with its uncertainty."""
    t = np.arange(900) / 60
    first, more = 1.2, 0.005
    phase = (-first + np.sqrt(first**2 + 2 * more * t)) / more
    rng = np.random.default_rng(3)
    made = cycles(t, read(0.1 * np.sin(2 * math.pi * phase) + rng.normal(0, 0.0005, len(t)), 0.0005), 0.0)
    assert covered(made.drift, more)
    assert float(made.drift) > 5 * float(made.drift.u)
    assert made.count == len(made.passings) - 1


@pytest.mark.parametrize("swings", [True, False])
def test_a_long_record_lets_the_readings_enter_the_level_as_one(monkeypatch, swings):
    """Each passing names only readings near it and the level, and is as unsure as with every reading named."""
    t = np.arange(1500) / 30
    noise = np.random.default_rng(4).normal(0, 0.002, len(t))
    y = 0.1 * np.sin(2 * math.pi * t / 1.7) if swings else 0.05 * t
    position = read(y + noise, 0.002)
    made = []
    for most in (10**6, 1000):
        monkeypatch.setattr(gates, "LONG", most)
        made.append(cycles(t, position))
    every, lumped = made
    assert len(every.passings) == len(lumped.passings) > 0
    for a, b in zip(every.passings, lumped.passings, strict=True):
        assert len(a.signed_elements()) > len(t) / 2
        assert len(b.signed_elements()) < 100
        assert float(b.u) == pytest.approx(float(a.u), rel=0.02)
    if swings:
        assert float(lumped.period.u) == pytest.approx(float(every.period.u), rel=1e-9)


def test_counting_starts_at_zero_and_goes_one_way():
    """Six passings upwards are five cycles; the level is the mean of the record unless another is given."""
    t = np.arange(160) / 30
    y = 0.3 + 0.1 * np.sin(2 * math.pi * t + 3.0)
    made = cycles(t, exact(y, METRE))
    assert made.count == 5 - 1 + (len(made.passings) - 5)
    assert float(made.period) == pytest.approx(1.0, abs=1e-5)
    none = cycles(t, exact(y, METRE), 0.9)
    assert none.period is None
    assert "never crossed" in " ".join(none.warnings)
    short = cycles(t[:25], exact(y[:25], METRE))
    assert short.count == 0
    assert "needs two" in " ".join(short.warnings)


def test_a_missed_passing_is_told():
    """A stretch without readings hides one passing: the odd interval is named."""
    t = np.arange(400) / 30
    y = 0.1 * np.sin(2 * math.pi * t / 1.3)
    gone = (t > 5.9) & (t < 7.2)
    made = cycles(t[~gone], exact(y[~gone], METRE), 0.0)
    assert any("odd time" in w for w in made.warnings)


# -- tables and commands -----------------------------------------------------------------------------


def motion_file(path, t, y, u=0.001, body="bob", u_scale=0.0):
    """A motion table with one body moving along y."""
    blank = [None] * 8
    rows = [
        [body, i, float(t[i]), 0.0, float(y[i]), u or None, u or None, *blank, u_scale, 0.0]
        for i in range(len(t))
    ]
    write_table(path, motion_header(), rows)
    return path


def answer(*arguments):
    """What a command prints as JSON."""
    done = CliRunner().invoke(saltus, [*map(str, arguments), "--json"])
    assert done.exit_code == 0, done.output + str(done.exception)
    return json.loads(done.output)


def test_the_commands_have_their_shapes(tmp_path):
    """``cycles`` and ``gate`` answer with exactly the keys promised, quantities whole, speeds without sign."""
    t = np.arange(200) / 30
    rng = np.random.default_rng(2)
    path = motion_file(tmp_path / "m.csv", t, 0.1 * np.sin(2 * math.pi * t / 1.5) + rng.normal(0, 0.001, 200))
    found = answer("cycles", path, "--of", "y")
    assert list(found) == ["passings", "cycles", "period", "period_from_ends", "drift", "warnings"]
    assert found["cycles"] == len(found["passings"]) - 1
    assert found["period"]["value"] == pytest.approx(1.5, abs=0.01)
    assert found["drift"]["unit"] == "s"
    gates = answer("gate", path, "--of", "y", "--line", "0.05,-0.05")
    assert list(gates) == ["crossings", "warnings"]
    assert {tuple(c) for c in gates["crossings"]} == {("line", "time", "speed")}
    assert {c["line"] for c in gates["crossings"]} == {0.05, -0.05}
    assert all(c["speed"]["value"] > 0 for c in gates["crossings"])
    assert all(c["time"]["U95"] > 0 for c in gates["crossings"])
    level = answer("cycles", path, "--of", "y", "--level", "0,05")
    assert level["passings"][0]["value"] != found["passings"][0]["value"]
    plain = CliRunner().invoke(saltus, ["cycles", str(path), "--of", "y"])
    assert "period, from all passings: 1." in plain.output
    plain = CliRunner().invoke(saltus, ["gate", str(path), "--of", "y", "--line", "5"])
    assert "never crossed" in plain.output


def test_too_little_is_told_and_not_a_crash(tmp_path):
    """Two readings, a gate never met, lost rows: exit code 0, nothing stated, one sentence."""
    t = np.arange(2) / 30
    few = motion_file(tmp_path / "few.csv", t, t)
    assert answer("cycles", few, "--of", "y")["period"] is None
    found = answer("gate", few, "--of", "y", "--line", "0.01")
    assert found["crossings"] == []
    assert "too few readings" in found["warnings"][0]
    t = np.arange(30) / 30
    run = motion_file(tmp_path / "run.csv", t, t)
    text = run.read_text(encoding="utf-8").splitlines()
    text[12] = text[12].split(",")[0] + ",11," + text[12].split(",")[2] + "," * 14
    run.write_text("\n".join(text) + "\n", encoding="utf-8")
    assert len(answer("gate", run, "--of", "y", "--line", "0.5")["crossings"]) == 1
    # the coordinate that is not asked for need not be there
    alone = tmp_path / "alone.csv"
    rows = [f"{a:.5f},{math.sin(8 * a):.5f}" for a in np.arange(80) / 30]
    alone.write_text("\n".join(["t [s],y [m]", *rows]) + "\n", encoding="utf-8")
    assert answer("cycles", alone, "--of", "y")["period"]["value"] == pytest.approx(math.pi / 4, rel=1e-3)
    refused = CliRunner().invoke(saltus, ["cycles", str(alone), "--of", "x", "--json"])
    assert "no column “x”" in str(refused.exception)


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--line", "here"], "here"),
        (["--line", ","], "Say where"),
        (["--line", "inf"], "inf"),
    ],
)
def test_a_gate_that_is_no_place_is_refused(tmp_path, arguments, says):
    """What was written is in the sentence."""
    t = np.arange(20) / 30
    path = motion_file(tmp_path / "m.csv", t, t)
    done = CliRunner().invoke(saltus, ["gate", str(path), "--of", "y", *arguments])
    assert says in str(done.exception)


def test_two_bodies_and_doubled_times():
    """One body must be chosen; two readings at one time are refused."""
    table = parse_table("body,t [s],x [m],y [m]\na,0,0,0\nb,0,0,0\n", "m.csv")
    with pytest.raises(TableError, match="--body"):
        cycles_of(table, "y")
    table = parse_table("body,t [s],x [m],y [m]\n" + "a,0.1,0,0\n" * 8, "m.csv")
    with pytest.raises(TableError, match="at one time"):
        gates_of(table, "x", (0.0,))
    assert gates_json([], ["x"]) == {"crossings": [], "warnings": ["x"]}


# -- sound -------------------------------------------------------------------------------------------


def test_onsets_are_found_where_they_are():
    """Every knock, no other, in noise and hum; 95 of 100 stated intervals hold the truth, all within 0.1 ms."""
    rng = np.random.default_rng(6)
    hits, count = 0, 0
    for run in range(60):
        times = 0.3 + np.cumsum(rng.uniform(0.12, 0.5, 6))
        noise = rng.uniform(0.0005, 0.004)
        found = onsets(sounds.knocks(times, times[-1] + 0.5, seed=run, noise=noise, hum=0.02), sounds.RATE)
        assert len(found) == 6
        for onset, truth in zip(found, times, strict=True):
            assert float(onset.time) == pytest.approx(truth, abs=1e-4)
            hits += covered(onset.time, truth)
            count += 1
    assert 0.92 <= hits / count <= 0.99


def test_strength_is_a_part_of_the_loudest():
    """Half as loud is half as strong; silence and noise alone hold no onset."""
    found = onsets(sounds.knocks([0.5, 1.0, 1.5], loud=[0.8, 0.4, 0.2]), sounds.RATE)
    assert [o.strength for o in found] == pytest.approx([1.0, 0.5, 0.25], rel=0.25)
    rng = np.random.default_rng(0)
    assert onsets(rng.normal(0, 0.1, 96_000).astype(np.float32), 48_000) == []
    assert onsets(np.zeros(48_000, np.float32), 48_000) == []
    assert onsets(np.zeros(10, np.float32), 48_000) == []


PICTURES = [clips.numbered_picture(i) for i in range(45)]


@pytest.mark.parametrize("late", [0, 4800, 12_000])
def test_sound_stands_on_the_clock_of_the_frames(tmp_path, late):
    """Sound that begins after the first frame is placed where it was heard."""
    times = np.array([0.25, 0.6, 1.1])
    path = tmp_path / "k.mov"
    sounds.write_film(path, PICTURES, sounds.knocks(times, 1.4, seed=1), late=late)
    found = answer("clip", "sound", path)
    assert found["sample_rate"] == 48_000
    assert found["start_s"] == pytest.approx(late / 48_000, abs=1e-3)
    values = [o["time"]["value"] for o in found["onsets"]]
    assert values == pytest.approx(list(times + late / 48_000), abs=1e-3)
    assert all(0 < o["strength"] <= 1 for o in found["onsets"])
    assert found["warnings"] == []


def test_compressed_sound_is_known_as_well_as_coding_lets_it_be(tmp_path):
    """AAC smears a knock: onsets are within what is stated, and it is said."""
    times = np.array([0.3, 0.7, 1.1])
    path = tmp_path / "k.mp4"
    sounds.write_film(path, PICTURES, sounds.knocks(times, 1.4, seed=2, noise=0.0005), codec="aac")
    found = answer("clip", "sound", path)
    assert [o["time"]["value"] for o in found["onsets"]] == pytest.approx(list(times), abs=2.5e-3)
    gaps = np.diff([o["time"]["value"] for o in found["onsets"]])
    assert gaps == pytest.approx(np.diff(times), abs=2.5e-3)
    assert any("millisecond" in w for w in found["warnings"])


def test_a_recording_without_pictures(tmp_path):
    """Its own beginning is time zero; a film without sound, and what is no film, say so."""
    path = tmp_path / "k.wav"
    sounds.write_wav(path, sounds.knocks([0.2, 0.9], 1.2, seed=3))
    assert is_sound_alone(path)
    found = answer("clip", "sound", path)
    assert found["start_s"] == 0.0
    assert [o["time"]["value"] for o in found["onsets"]] == pytest.approx([0.2, 0.9], abs=1e-4)
    mute = tmp_path / "mute.mp4"
    clips.encode(mute, PICTURES[:5])
    with pytest.raises(FilmError, match="no sound"):
        sound_of(mute, 0.0)
    (tmp_path / "no.wav").write_bytes(b"RIFF" + bytes(60))
    with pytest.raises(FilmError, match=r"no\.wav"):
        sound_of(tmp_path / "no.wav", None)


@pytest.mark.parametrize("cut", [1000, 30_000, 100_000])
def test_a_torn_recording_gives_what_can_be_heard(tmp_path, cut):
    """Cut off anywhere: the knocks before it are found, or one sentence says that nothing can be read."""
    path = tmp_path / "torn.wav"
    sounds.write_wav(path, sounds.knocks([0.2, 0.9], 1.2, seed=3))
    path.write_bytes(path.read_bytes()[:cut])
    try:
        track = sound_of(path, None)
    except FilmError as refused:
        assert "torn.wav" in str(refused)  # noqa: PT017  either way is right
        return
    times = [float(o.time) for o in onsets(track.samples, track.rate)]
    heard = [t for t in (0.2, 0.9) if t < (cut - 44) / 96_000 - 0.02]
    assert times == pytest.approx(heard, abs=1e-3)
