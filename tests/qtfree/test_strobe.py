"""Strobe pictures: laid over each other, read as takes, their exposures found; and films written anew."""

import csv
import errno
import json
import math
from dataclasses import replace
from fractions import Fraction

import cv2
import made
import numpy as np
import pytest
from clips import encode, numbered_picture, plain_decode
from filmed import covered

from saltus.core.following.exposures import exposures_of
from saltus.core.following.patch import Box
from saltus.core.following.run import FollowingError, Start
from saltus.core.motion.models import CONSTANT_ACCELERATION
from saltus.core.motion.segment import Fitted, fit_segment
from saltus.core.progress import finished
from saltus.core.strobe import NOISE, Strobe, ground_of
from saltus.files.writing import OutputError
from saltus.footage import writing_films
from saltus.footage.facts import STILL, FilmError
from saltus.footage.opening import facts_of, reader_of
from saltus.footage.stills import still_facts
from saltus.footage.writing_films import film_writer, write_moving_picture
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook
from saltus.notebook.storage import load, save
from saltus.session.following import FollowingRun, Wanted

RADIUS = 9


def wall(seed=2, size=(360, 640)):
    """A dim wall with some soft shade."""
    rng = np.random.default_rng(seed)
    rough = rng.integers(40, 90, (size[0] // 40, size[1] // 40), dtype=np.uint8)
    return cv2.resize(rough, size[::-1], interpolation=cv2.INTER_CUBIC)


def with_balls(places, *, noise=1.5, seed=1):
    """The wall with marked balls at places of fractions of a pixel, each exposed once."""
    picture, shift = wall(), 4
    for x, y in places:
        at = (round(x * 2**shift), round(y * 2**shift))
        cv2.circle(picture, at, RADIUS << shift, 225, -1, cv2.LINE_AA, shift)
        cv2.circle(picture, at, 3 << shift, 60, -1, cv2.LINE_AA, shift)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.8)
    grain = np.random.default_rng(seed).normal(0, noise, picture.shape)
    return np.clip(picture + grain, 0, 255).astype(np.uint8)


def box_about(x, y, reach=RADIUS + 2):
    """A box round a ball."""
    return Box(x - reach, y - reach, 2 * reach, 2 * reach)


def falling(count=7, start=(200.25, 30.5), spacing=7.0):
    """Places of a body that falls along x as well: (count, 2)."""
    n = np.arange(count)
    return np.column_stack([start[0] + 34.0 * n, start[1] + 3.0 * n + 0.5 * spacing * n**2])


# -- laid over each other --------------------------------------------------------------------------------


def test_frames_laid_over_each_other_show_the_body_everywhere():
    """Bright and dark bodies alike; the ground stays as it is, and noise of single pixels does not gather."""
    rng = np.random.default_rng(4)
    ground = cv2.cvtColor(wall(), cv2.COLOR_GRAY2RGB)
    frames = []
    for n in range(12):
        frame = np.clip(ground + rng.normal(0, 1.5, ground.shape), 0, 255).astype(np.uint8)
        cv2.rectangle(frame, (30 + 48 * n, 60), (50 + 48 * n, 90), (240, 230, 90), -1)
        cv2.rectangle(frame, (30 + 48 * n, 200), (50 + 48 * n, 230), (2, 2, 2), -1)
        frames.append(frame)
    still = ground_of(frames)
    assert np.abs(still.astype(int) - ground).mean() < 1.5
    strobe = Strobe(still)
    for frame in frames[::2]:
        strobe.add(frame)
    made_of = strobe.picture.astype(int)
    for n in range(12):
        inside = np.s_[64:86, 34 + 48 * n : 46 + 48 * n], np.s_[204:226, 34 + 48 * n : 46 + 48 * n]
        expected = frames[n].astype(int) if n % 2 == 0 else ground.astype(int)
        for part in inside:
            assert np.abs(made_of[part] - expected[part]).mean() < 4
    # a body that rests in most frames is no ground where it is known to stand there
    resting = [frames[0]] * 8 + [frames[5], frames[7]]
    hidden = [np.zeros(ground.shape[:2], dtype=bool) for _frame in resting]
    for mask in hidden[:8]:
        mask[55:95, 25:55] = True
    behind = ground_of(resting, hidden).astype(int)
    assert np.abs(behind[60:90, 30:50] - ground[60:90, 30:50]).mean() < 3
    assert np.abs(ground_of(resting).astype(int)[64:86, 34:46] - frames[0][64:86, 34:46]).mean() < 1
    elsewhere = np.abs(made_of[260:] - ground[260:]).mean()
    assert elsewhere < NOISE / 4


# -- a strobe picture as a take --------------------------------------------------------------------------


def test_a_still_is_a_take_whose_frames_are_its_exposures(tmp_path):
    """Times by the rate, one picture for all frames, and a word on half and double rates."""
    path = tmp_path / "strobe.png"
    cv2.imwrite(str(path), with_balls(falling()))
    facts = finished(facts_of.steps(path, 12.5, quick=True))
    assert (facts.codec, facts.width, facts.height, facts.frames) == (STILL, 640, 360, 24)
    assert facts.times[3] == pytest.approx(3 / 12.5)
    assert "6.25 or 25 the picture would look the same" in facts.warnings[0]
    assert facts.with_exposures(7).frames == 7
    assert facts.with_exposures(0) is facts
    reader = reader_of(path, facts)
    assert np.array_equal(reader.picture(0), reader.picture(23))
    assert reader.at_hand(5)
    grey, colour = reader.brightness_first(2)
    assert grey.shape == (360, 640)
    assert colour().shape == (360, 640, 3)
    reader.close()
    with pytest.raises(FilmError):
        reader.picture(24)
    for rate, count, told in ((None, 9, "how many flashes"), (0.0, 9, "rate"), (12.0, 1, "2 to 1000")):
        with pytest.raises(FilmError, match=told):
            still_facts(path, rate, count)
    with pytest.raises(FilmError, match="how many flashes"):
        finished(facts_of.steps(path, None, quick=True))
    path.write_bytes(b"no picture")
    with pytest.raises(FilmError):
        finished(facts_of.steps(path, 12.5, quick=True))


def found_in(picture, start, count=12):
    """The exposures of a body in a picture, at one a second."""
    return exposures_of(picture, start, range(count), [float(n) for n in range(count)])


def test_exposures_are_found_in_order_along_the_way():
    """From the first that stands alone, to a quarter of a pixel, within what is stated, none beyond the last."""
    errors, stated = [], []
    for seed in range(8):
        places = falling(start=(150.0 + 0.13 * seed, 30.0 + 0.37 * seed))
        found = found_in(with_balls(places, seed=seed), Start("Ball", box_about(*places[0])))
        body = found.followed
        assert body.frames.tolist() == list(range(7))
        assert set(body.states) == {"found"}
        assert found.left == 0
        errors += [body.x - places[:, 0], body.y - places[:, 1]]
        stated += [np.hypot(u, body.u_patch[0]) for u in (body.u_x, body.u_y)]
    off, u = np.abs(np.concatenate(errors)), np.concatenate(stated)
    assert off.max() < 0.3
    assert np.mean(off <= 1.96 * u) > 0.9


def test_a_hidden_exposure_keeps_its_number_and_one_that_is_touched_is_doubted():
    """The fourth hidden: numbers go on after it. Two over each other: proposed, not taken. Touched: refused."""
    places = falling()
    hidden = np.delete(places, 3, axis=0)
    body = found_in(with_balls(hidden), Start("Ball", box_about(*places[0]))).followed
    assert body.frames.tolist() == [0, 1, 2, 4, 5, 6]
    touched = np.vstack([places, places[6] + (12.0, 6.0)])
    body = found_in(with_balls(touched), Start("Ball", box_about(*places[0]))).followed
    assert body.states[6] == "weak" or len(body.states) < 7
    assert set(body.states[:6]) == {"found"}
    with pytest.raises(FollowingError, match="touches the box"):
        found_in(
            with_balls(np.vstack([places, places[0] + (12.0, 5.0)])), Start("Ball", box_about(*places[0]))
        )
    blank = np.full((360, 640), 90, dtype=np.uint8)
    with pytest.raises(FollowingError):
        found_in(blank, Start("Ball", Box(100, 100, 20, 20)))


def test_the_way_goes_on_from_what_was_read_before():
    """A box round the third: with the first two read by hand the way goes on, not back; others are counted."""
    places = falling()
    picture = with_balls(np.vstack([places, [(560.0, 40.0)]]))
    passed = tuple(map(tuple, places[:2].tolist()))
    found = found_in(picture, Start("Ball", box_about(*places[2]), passed=passed))
    assert found.followed.y == pytest.approx(places[2:, 1], abs=0.5)
    assert found.left == 1
    short = found_in(picture, Start("Ball", box_about(*places[2]), passed=passed), count=3)
    assert short.followed.frames.tolist() == [0, 1, 2]


def test_g_from_a_strobe_picture(tmp_path):
    """From the picture to g through the notebook: read by F like a film, every step as for any take."""
    rate, m_per_px = 20.0, 0.002
    spacing = 9.81 / rate**2 / m_per_px
    places = falling(count=6, start=(60.0, 20.0), spacing=spacing)
    places[:, 1] = 20.0 + 0.5 * spacing * np.arange(6) ** 2 + 6.0 * np.arange(6)
    path = tmp_path / "drop.png"
    cv2.imwrite(str(path), with_balls(places))
    facts = still_facts(path, rate, 6)
    notebook, take_id = take_edits.add_take(Notebook(), reference(path), facts)
    notebook = made.scaled(notebook, take_id, length_m=500 * m_per_px)
    notebook, body = reading_edits.add_body(notebook, take_id, "Ball")
    take = notebook.take(take_id)
    run = FollowingRun(take, [Wanted(body, box_about(*places[0]), tuple(places[0]))], range(6))
    notebook = run.begun(notebook)
    notebook = run.ended(notebook, finished(run.steps(tmp_path)))
    save(notebook, tmp_path / "drop.saltus")
    take = load(tmp_path / "drop.saltus").take(take_id)
    motion = body_motion(take, take.bodies[0])
    assert len(motion.t) == 6
    fit = fit_segment(CONSTANT_ACCELERATION, motion.t, motion.y, clock_of(take), Fitted(body, "y", "fall"))
    fall = fit.parameters["acceleration"]
    assert covered(fall, -9.81)
    assert fall.U95 < 0.3
    # at half the rate the same picture gives a quarter
    slow = take.but(facts=take.facts.but(time_base=f"1/{int(rate / 2)}"))
    motion = body_motion(slow, slow.bodies[0])
    fit = fit_segment(CONSTANT_ACCELERATION, motion.t, motion.y, clock_of(slow), Fitted(body, "y", "fall"))
    assert float(fit.parameters["acceleration"]) == pytest.approx(float(fall) / 4, rel=1e-6)


def test_follow_reads_a_strobe_picture_on_the_command_line(tmp_path, told, saltus):
    """``follow`` with a rate; what is left over is a warning; without a rate one sentence."""
    places = falling()
    path, out = tmp_path / "strobe.png", tmp_path / "r.csv"
    cv2.imwrite(str(path), with_balls(np.vstack([places, [(560.0, 40.0)]])))
    box = box_about(*places[0])
    words = ("follow", path, f"--box={box.x},{box.y},{box.width},{box.height}", "-o", out)
    (answer,) = told(*words, "--rate", 25, "--json")
    assert answer["bodies"]["body 1"]["found"] == 7
    assert "1 place more looks like" in answer["warnings"][0]
    with out.open() as file:
        rows = list(csv.DictReader(file))
    assert [float(r["t [s]"]) for r in rows] == pytest.approx([n / 25 for n in range(7)])
    assert [float(r["y [px]"]) for r in rows] == pytest.approx(places[:, 1].tolist(), abs=0.5)
    code, _out, err = saltus(*words)
    assert code == 2
    assert "how many flashes" in err


# -- films written anew ----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("base", "ticks"),
    [
        (Fraction(1, 30), tuple(range(20))),
        (Fraction(1001, 30000), tuple(range(20))),
        (Fraction(1, 90000), tuple(int(90000 * (n / 24 + 0.004 * math.sin(n))) + 400 for n in range(20))),
        (Fraction(1, 1000), tuple(33 * n + (200 if n > 9 else 0) for n in range(20))),
    ],
)
def test_a_film_written_anew_keeps_the_times_of_its_frames(tmp_path, base, ticks):
    """Even, broken, varying and with a gap: the same times to the tick, the same number of frames, any size."""
    source = tmp_path / "in.mkv" if base == Fraction(1, 1000) else tmp_path / "in.mp4"
    encode(source, [numbered_picture(n, 98, 62) for n in range(20)], ticks=list(ticks), base=base)
    facts = facts_of(source)
    out = tmp_path / "out.mp4"
    reader = reader_of(source, facts)
    with film_writer(out, facts) as writer:
        for n in range(facts.frames):
            writer.add(reader.picture(n), n)
    reader.close()
    again = facts_of(out)
    assert again.codec == "vp9"
    assert again.times == pytest.approx(facts.times, abs=1e-9)
    assert (again.width, again.height) == (facts.width, facts.height)
    assert again.duration_s == pytest.approx(facts.duration_s, abs=0.05)
    shown = [p for p, _pts, _base in plain_decode(out)]
    assert np.abs(shown[11].astype(int) - numbered_picture(11, 98, 62)).mean() < 12


def test_a_film_for_which_there_is_no_room_leaves_nothing(tmp_path, monkeypatch):
    """One sentence, no part of it left; a folder that is not there likewise."""
    source = tmp_path / "in.mp4"
    encode(source, [numbered_picture(n) for n in range(4)])
    facts = facts_of(source)
    out = tmp_path / "out.mp4"

    def full(*_given, **_fields):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(writing_films.FilmWriter, "add", full)
    with pytest.raises(OutputError, match="no room for out"), film_writer(out, facts) as writer:
        writer.add(numbered_picture(0), 0)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["in.mp4"]
    with (
        pytest.raises(OutputError, match="could not be written"),
        film_writer(tmp_path / "no" / "o.mp4", facts),
    ):
        pass


@pytest.mark.parametrize("ending", [".webp", ".gif"])
def test_an_animated_picture_shows_each_frame_as_long_as_it_should(tmp_path, ending):
    """Frames, times and a size that can be read again; other endings are refused."""
    path = tmp_path / f"run{ending}"
    pictures = [numbered_picture(n) for n in (0, 60, 120, 200)]
    write_moving_picture(path, pictures, [0.04, 0.1, 0.044, 0.296])
    done, animation = cv2.imreadanimation(str(path))
    assert done
    assert len(animation.frames) == 4
    assert animation.durations == pytest.approx([40, 100, 44, 296], abs=5)
    assert sum(animation.durations) == 480
    shown = cv2.cvtColor(animation.frames[2][:, :, :3], cv2.COLOR_BGR2RGB).astype(int)
    assert np.abs(shown - pictures[2]).mean() < 20
    with pytest.raises(OutputError, match=r"\.webp or \.gif"):
        write_moving_picture(tmp_path / "run.png", pictures, [0.1] * 4)


def test_a_take_of_a_still_is_checked_like_any_other(tmp_path, told, saltus):
    """``check`` finds its picture; without it, it says so."""
    path = tmp_path / "strobe.png"
    cv2.imwrite(str(path), with_balls(falling()))
    notebook, _take = take_edits.add_take(Notebook(), reference(path), replace(still_facts(path, 25.0)))
    save(notebook, tmp_path / "s.saltus")
    assert told("check", tmp_path / "s.saltus", "--json") == [{"ok": True, "problems": []}]
    path.unlink()
    code, out, _err = saltus("check", tmp_path / "s.saltus", "--json")
    assert code == 2
    assert "strobe.png" in json.loads(out)["problems"][0]
