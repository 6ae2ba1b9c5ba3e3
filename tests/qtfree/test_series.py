"""Recorded series, gate pulses, bracketed instants and aliasing: truth from simulated sensors."""

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made import source

from saltus.core import series
from saltus.core.clock.aliasing import RateError, appears, candidates, settling_rate, too_few_frames
from saltus.core.clock.brackets import InstantError, bracketed, interval, period
from saltus.core.coverage import NORMAL_95
from saltus.core.pulses import PulseError, missed_before, pulse_motion, spacing_of_fence, spacing_of_wheel
from saltus.core.quantities import measured
from saltus.core.quantity import UncertaintyError
from saltus.core.sources import instants
from saltus.core.units import ACCELERATION, METRE
from saltus.exchange.series_table import read_series, series_mean, series_slope
from saltus.exchange.tables import TableError, parse_table
from saltus.simulate.scene import SceneError
from saltus.simulate.sensors import SENSORS


def correlated(rng, n, memory):
    """Noise of unit variance in which each value remembers the one before."""
    out = np.empty(n)
    out[0] = rng.normal()
    kicks = rng.normal(0, math.sqrt(1 - memory**2), n)
    for i in range(1, n):
        out[i] = memory * out[i - 1] + kicks[i]
    return out


@pytest.mark.parametrize("memory", [0.0, 0.6, 0.85])
def test_the_mean_of_a_record_allows_for_its_memory(memory):
    """Coverage of mean and slope with white and with remembering noise; plain s/√n would hold far less often."""
    hits = {"mean": 0, "slope": 0, "plain": 0}
    t = np.arange(400) / 100
    for seed in range(400):
        values = 2.0 + correlated(np.random.default_rng(seed), 400, memory)
        found = series.mean(values, ACCELERATION)
        hits["mean"] += abs(float(found.value) - 2.0) <= found.value.U95
        hits["plain"] += abs(np.mean(values) - 2.0) <= NORMAL_95 * np.std(values) / 20
        sloped = series.slope(t, values + 0.5 * t, ACCELERATION)
        hits["slope"] += abs(float(sloped.value) - 0.5) <= sloped.value.U95
    assert hits["mean"] >= 0.92 * 400
    assert hits["slope"] >= 0.91 * 400
    if memory > 0.5:
        assert hits["plain"] < 0.75 * 400


def test_records_that_say_little_say_so():
    """All alike: the resolution stands in; one value, none, one time: no number, or a sentence."""
    flat = series.mean(np.full(50, 1.25), METRE, resolution=0.01)
    assert float(flat.value.u) == pytest.approx(0.01 / math.sqrt(12))
    assert series.mean(np.array([1.0]), METRE).value is None
    assert series.slope(np.array([0.0, 1.0]), np.array([1.0, 2.0]), METRE).value is None
    for act in (lambda: series.mean(np.zeros(0), METRE), lambda: series.slope(np.ones(3), np.ones(3), METRE),
                lambda: series.zeroed(np.ones(4), slice(2, 2))):  # fmt: skip
        with pytest.raises(series.SeriesError):
            act()
    assert series.steady_stretch(np.array([0, 5, 5, 0, 5, 5, 5, 0.0]), 5, 1) == slice(4, 7)
    assert series.steady_stretch(np.zeros(4), 5, 1) is None
    t = np.linspace(0, 4, 401)
    assert series.peaks(t, np.sin(2 * np.pi * t), 0.5) == pytest.approx([0.25, 1.25, 2.25, 3.25], abs=1e-3)


def test_a_log_is_read_zeroed_and_turned():
    """Column mapping, zero from a quiet stretch, sign, a stretch of it; gaps and empty stretches are told."""
    made = SENSORS["pull-hook"].record({"offset": 0.4})
    t, force = made.columns["time"][1], made.columns["force"][1]
    text = "Zeit;force / N\n" + "\n".join(
        f"{a:.2f};{-b:.4f}".replace(".", ",") for a, b in zip(t, force, strict=True)
    )
    table = parse_table(text, "log.csv")
    record = read_series(table, "force", "Zeit", zero=(0.0, 1.5), reverse=True)
    found, warnings = series_mean(record, 3.0, 5.0)
    assert abs(float(found.value) - made.truth["force"]) < 4 * float(found.value.u) + 0.005
    assert warnings == []
    assert series_mean(record, 90, 99)[0].value is None
    assert "longer" in series_slope(record, 2.0, 2.0)[1][0]
    holed = read_series(parse_table("t,a\n0,1\n1,2\n2,1\n9,2\n", "h.csv"), "a")
    assert "missing" in series_mean(holed, None, None)[1][0]
    with pytest.raises(TableError, match="no column"):
        read_series(table, "speed", "Zeit")


def test_a_rest_phase_in_a_mean_is_told():
    """A pull whose record begins at rest; noise with or without memory, and a slow drift, are of one kind."""
    made = SENSORS["pull-run"].record({"stop": 5.0})
    t, force = made.columns["time"][1], made.columns["force"][1]
    assert t[series.rest_at_an_end(force)] == pytest.approx(1.5, abs=0.02)
    text = "time,force\n" + "\n".join(f"{a},{b}" for a, b in zip(t, force, strict=True))
    record = read_series(parse_table(text, "r.csv"), "force")
    assert "at rest" in series_mean(record, None, None)[1][0]
    assert series_mean(record, 2.0, 4.0)[1] == []
    for seed in range(300):
        for memory in (0.0, 0.8):
            assert series.rest_at_an_end(correlated(np.random.default_rng(seed), 200, memory)) is None
    assert series.rest_at_an_end(np.zeros(50)) is None
    slope_t = np.linspace(0, 3, 150)
    noise = np.random.default_rng(1).normal(0, 0.01, 150)
    late = np.maximum(slope_t - 1, 0)
    assert series.rest_in_slope(slope_t, late + noise) == pytest.approx(1, abs=0.1)
    assert series.rest_in_slope(slope_t, np.minimum(slope_t, 2) + noise) == pytest.approx(2, abs=0.1)
    # neither a steady slope, nor one that begins at rest and grows, nor noise alone
    for honest in (slope_t, slope_t**2, 0 * slope_t, np.exp(-slope_t)):
        assert series.rest_in_slope(slope_t, honest + noise) is None
    assert series.rest_in_slope(slope_t[:10], late[:10]) is None
    assert series.rest_at_an_end(np.r_[np.zeros(25), np.ones(25)]) == 25


@pytest.mark.parametrize("missed", [0, 1, 7, 17])
def test_pulses_of_a_gate_become_motion(missed):
    """Positions by counting, a missed pulse found wherever it lies, spacing and times as separate uncertainties."""
    made = SENSORS["gate-pulses"].record({"missed": missed, "jitter": 0.0})
    spacing = measured(0.01, 0.00002, METRE, source("fence"))
    found = pulse_motion(made.columns["time"][1], spacing, 1e-4)
    assert found.missed == ((missed,) if missed else ())
    t = found.t - found.t[0]
    assert found.position == pytest.approx(0.3 * t + 0.4 * t**2, abs=1e-9)
    assert found.u_spacing == pytest.approx(0.002)
    assert found.u_position[5] == pytest.approx(1e-4 * (0.3 + 0.8 * t[5]), rel=0.05)
    assert bool(found.warnings) == bool(missed)


def test_pulses_that_make_no_motion():
    """Too few, out of order, a negative uncertainty; intervals are stripes − 1 on a fence, stripes on a wheel."""
    spacing = measured(0.01, 0.0, METRE, source("fence"))
    for t, u, error in (
        ([0, 1], 0, PulseError),
        ([0, 2, 1], 0, PulseError),
        ([0, 1, 2], -1, UncertaintyError),
    ):
        with pytest.raises(error):
            pulse_motion(np.array(t, float), spacing, u)
    assert float(spacing_of_fence(measured(0.19, 0.001, METRE, source("l")), 20)) == pytest.approx(0.01)
    assert spacing_of_wheel(12) == pytest.approx(math.pi / 6)
    for act in (lambda: spacing_of_fence(spacing, 1), lambda: spacing_of_wheel(0)):
        with pytest.raises(PulseError):
            act()
    assert list(missed_before(np.array([0, 1, 2, 5, 6, 7.0]))) == [0, 0, 0, 2, 0, 0]


def test_sensors_record_what_they_are_told():
    """Every sensor with and without disturbance; wrong settings say so."""
    for name, sensor in SENSORS.items():
        made = sensor.record({})
        assert all(np.all(np.isfinite(v)) for _unit, v in made.columns.values()), name
        again = sensor.record({})
        assert np.array_equal(made.columns[made.signal][1], again.columns[again.signal][1])
        assert json.dumps(made.truth)
        for wrong in ({"zork": 1}, {"noise": math.nan}, {"duration": 1e9, "rate": 1e9}):
            with pytest.raises(SceneError):
                sensor.record(wrong)


def test_bracketed_instants_hold_their_interval():
    """0.776 Δ holds 95 % of intervals between frames, drawn uniformly over whole frames; cycles divide it."""
    rng = np.random.default_rng(5)
    step, hits, runs = 1 / 30, 0, 4000
    for _run in range(runs):
        start = rng.uniform(0, 1)
        stop = start + rng.uniform(2, 3)
        frames = [(math.floor(v / step) * step, math.floor(v / step) * step + step) for v in (start, stop)]
        q = interval(*frames)
        hits += abs(float(q) - (stop - start)) <= q.U95
    assert 0.94 <= hits / runs <= 0.96
    q = interval((0.0, step), (1.0, 1.0 + step))
    assert pytest.approx((1 - math.sqrt(0.05)) * step, rel=1e-3) == q.U95
    assert float(q.u) == pytest.approx(step / math.sqrt(6))
    assert float(period(q, 10).u) == pytest.approx(float(q.u) / 10)
    assert bracketed(1.0, 1.0, instants("t"), "i").U95 == 0
    for act in (lambda: bracketed(2, 1, instants("t"), "i"), lambda: interval((1, 2), (0, 1)), lambda: period(q, 0),
                lambda: bracketed(0, math.nan, instants("t"), "i")):  # fmt: skip
        with pytest.raises(InstantError):
            act()


@settings(max_examples=150, deadline=None)
@given(st.floats(0, 1), st.floats(1, 1000))
def test_what_looks_alike_is_listed(part, rate):
    """Every candidate looks like the apparent rate, none below the reach is missing, a second rate tells them apart."""
    apparent = part * rate / 2
    found = candidates(apparent, rate)
    assert all(appears(f, rate) == pytest.approx(apparent, abs=1e-6 * rate) for f in found)
    assert found == sorted(set(found))
    expected = {round(abs(k * rate + s * apparent), 6) for k in range(7) for s in (1, -1)}
    assert len(found) >= len({e for e in expected if e <= 5 * rate * (1 - 1e-9)}) - 1
    second = settling_rate(found, rate)
    assert abs(second / rate - 1) > 1e-6
    seen = [appears(f, second) for f in found[:4]]
    assert max(abs(a - apparent) for a in seen) > 0 or apparent == 0


def test_rates_that_make_no_sense():
    """Above half the frame rate nothing can appear; negative and endless rates are refused; few frames are told."""
    assert candidates(2, 30)[:4] == [2, 28, 32, 58]
    assert candidates(0, 25, 60) == [0, 25, 50]
    for wrong in ((20, 30, None), (-1, 30, None), (1, 0, None), (1, math.inf, None), (1, 30, 1e9)):
        with pytest.raises(RateError):
            candidates(*wrong)
    assert too_few_frames(10, 30)
    assert not too_few_frames(5, 30)
