"""From pixels to acceleration: known truth, exact covariance, coverage of what is stated."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made import source

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.reference import ReferenceLength, plain_scale, scale_of
from saltus.core.geometry.seen import Seen
from saltus.core.motion.coordinates import PivotError, angle_of, path_of, radius_of
from saltus.core.motion.expect import expected_place
from saltus.core.motion.local import local_motion, local_motion_after, window_about, windows
from saltus.core.motion.models import CONSTANT_ACCELERATION, CONSTANT_VELOCITY, MODELS, REST
from saltus.core.motion.segment import NoFit, fit_segment
from saltus.core.quantities import exact, family
from saltus.core.units import METRE, PIXEL

READING = source("b/reading", "reading", "Reading")


def to_world(x, y, u, scale, axes):
    """Body b of take t, read in as many frames, in the world."""
    return Mapping("t", axes, scale).world(Seen(x, y, u, u, np.arange(len(x)), "b"))


@given(st.floats(-500, 1500), st.floats(-500, 1500), st.floats(-180, 180), st.floats(1e-4, 1e-1))
def test_to_the_world_and_back(x, y, degrees, scale):
    """Picture to world to picture is the identity for any origin, turn and scale."""
    axes = Axes((x / 2, y / 3), math.radians(degrees))
    along, across = to_world(np.array([x]), np.array([y]), np.ones(1), plain_scale(scale, 0.0, "t"), axes)
    assert along.unit == METRE
    mapping = Mapping("t", axes, plain_scale(scale, 0.0, "t"))
    back = mapping.picture(along.value, across.value)
    near = mapping.world(
        Seen(np.array([x + 1, x]), np.array([y, y + 1]), np.ones(2), np.ones(2), np.arange(2))
    )
    moved = np.array([q.value for q in near]) - [[float(along.value[0])], [float(across.value[0])]]
    assert moved == pytest.approx(mapping.derivative(0, x, y), abs=1e-9)
    assert (back[0][0], back[1][0]) == (pytest.approx(x, abs=1e-6), pytest.approx(y, abs=1e-6))


def test_axes_point_right_and_up():
    """World x runs right, y up; a positive angle turns the axes anticlockwise as seen."""
    x, y = to_world(np.array([10.0]), np.array([0.0]), np.zeros(1), None, Axes((0.0, 10.0), math.radians(90)))
    assert (x.value[0], y.value[0]) == (pytest.approx(10), pytest.approx(-10))
    assert x.unit == PIXEL


def test_scale_has_two_sources():
    """u(scale)/scale: u(L)/L and √2·u(px)/length, nothing else; bad references are refused."""
    reference = ReferenceLength((0, 0), (300, 400), 1.0, 0.001, 2.0)
    scale = scale_of(reference, "t")
    assert float(scale) == pytest.approx(1 / 500)
    relative = {s.label: u / float(scale) for s, u in scale.parts().items()}
    assert relative == {
        "Reference length": pytest.approx(0.001),
        "Its two ends": pytest.approx(math.sqrt(2) * 2 / 500),
    }
    for start, length in (((300, 400), 1.0), ((0, 0), 0.0), ((0, 0), math.nan)):
        with pytest.raises(GeometryError):
            scale_of(ReferenceLength(start, (300, 400), length, 0, 1), "t")


def test_common_sources_stay_common():
    """The uncertainty of scale, origin and tilt never averages away over many readings."""
    n = 400
    x = np.linspace(100, 900, n)
    axes = Axes((100, 300), 0.0, u_origin_px=1.0, u_angle=0.01)
    along, across = to_world(x, np.full(n, 300.0), np.ones(n), plain_scale(0.002, 0.01, "t"), axes)
    mean = along.weighed(np.full(n, 1 / n))
    parts = mean.parts()
    assert parts[sources.scale_length("t")] == pytest.approx(0.01 * float(mean))
    assert parts[sources.origin("t", "x")] == pytest.approx(0.002)
    assert parts[sources.reading("t", "b", "x")] == pytest.approx(0.002 / math.sqrt(n))
    assert across.u_from("reaction") == pytest.approx(0.01 * np.abs(along.value), abs=1e-12)


@given(st.floats(-5, 5), st.floats(-5, 5), st.floats(-20, 20), st.integers(3, 9), st.integers(0, 10**6))
@settings(max_examples=40)
def test_local_motion_is_exact_on_parabolas(x0, v0, a, window, seed):
    """At uneven times, ends included, a parabola's velocity and acceleration come out exactly."""
    t = np.cumsum(np.random.default_rng(seed).uniform(0.01, 0.05, 15))
    found = local_motion(t, x0 + v0 * t + 0.5 * a * t**2, np.ones(15), window)
    assert found.v == pytest.approx(v0 + a * t, abs=1e-7)
    assert found.a == pytest.approx(np.full(15, a), abs=1e-5)
    assert found.one_sided[0]
    assert not found.one_sided[7]


def test_local_covariance_is_that_of_the_filter():
    """U of local velocity and acceleration is what repeated noisy readings scatter by."""
    rng = np.random.default_rng(1)
    t = np.arange(11) / 30
    u = rng.uniform(0.5, 2.0, 11)
    runs = [local_motion(t, rng.normal(0, u), u, 5) for _run in range(4000)]
    for name in ("v", "a"):
        scatter = np.std([getattr(r, name) for r in runs], axis=0)
        assert scatter == pytest.approx(getattr(runs[0], f"u_{name}"), rel=0.06)
    assert np.isnan(local_motion(t[:2], t[:2], t[:2]).v).all()


@pytest.mark.parametrize("window", [5, 8])
def test_local_motion_of_many_is_that_of_each_window(window):
    """From the first to the last of 9,000 readings at uneven times, and where the work is parted."""
    rng = np.random.default_rng(5)
    t, x, u = np.cumsum(rng.uniform(0.01, 0.03, 9000)), rng.normal(0, 1, 9000), rng.uniform(0.1, 0.2, 9000)
    found = local_motion(t, x, u, window)
    for i in (0, 1, 2, 3, 4093, 4096, 4097, 4098, 4099, 4100, 8193, 8995, 8997, 8998, 8999):
        first = min(max(i - window // 2, 0), 9000 - window)
        near = slice(first, first + window)
        gain = np.linalg.pinv(np.vander(t[near] - t[i], 3, increasing=True))
        assert [found.v[i], found.a[i]] == pytest.approx([gain[1] @ x[near], 2 * gain[2] @ x[near]], rel=1e-6)
        spread = [np.hypot.reduce(row * u[near]) for row in (gain[1], 2 * gain[2])]
        assert [found.u_v[i], found.u_a[i]] == pytest.approx(spread, rel=1e-6)
        assert found.one_sided[i] == (max(i - first, first + window - 1 - i) > window // 2)


@given(st.sampled_from([3, 4, 7, 60, 400]), st.sampled_from([3, 5, 8, 11]), st.integers(0, 99))
def test_after_an_edit_local_motion_is_as_worked_out_anew(count, window, seed):
    """Places and uncertainties changed here and there, at the ends too: the same numbers, and none of before."""
    rng = np.random.default_rng(seed)
    t, x, u = np.cumsum(rng.uniform(0.01, 0.02, count)), rng.normal(size=count), rng.uniform(0.1, 0.2, count)
    before = t, x, u, local_motion(t, x, u, window)
    moved, doubted = x.copy(), u.copy()
    moved[rng.integers(0, count, 2)] += 1
    doubted[rng.choice([0, -1])] *= 2
    anew = local_motion(t, moved, doubted, window)
    after = local_motion_after(before, t, moved, doubted, window)
    for part in ("v", "u_v", "a", "u_a", "one_sided"):
        assert getattr(after, part) == pytest.approx(getattr(anew, part), rel=1e-12, nan_ok=True)
    shorter = local_motion_after(before, t[:-1], x[:-1], u[:-1], window)
    assert shorter.v == pytest.approx(local_motion(t[:-1], x[:-1], u[:-1], window).v, nan_ok=True)


def test_angles_unwrap():
    """Two turns about the origin are two turns, whatever the scale; a body at the origin has no angle."""
    true = np.linspace(0, 4 * np.pi, 60)
    length = sources.scale_length("t")
    x, y = (
        family(2 * f(true), 0.1, METRE, sources.reading("t", "b", a)).with_source(length, 2 * f(true) * 0.02)
        for f, a in ((np.cos, "x"), (np.sin, "y"))
    )
    angle = angle_of(x, y)
    assert angle.value == pytest.approx(true)
    assert angle.u == pytest.approx(np.full(60, 0.05))
    assert radius_of(x, y).u == pytest.approx(np.full(60, math.hypot(0.1, 0.04)))
    with pytest.raises(PivotError):
        angle_of(x.moved_to(x.value * 0.05), y.moved_to(y.value * 0.05))


def test_a_path_is_as_long_as_it_is():
    """Scatter across a path adds no way to it; a common scale is carried whole; straight and round."""
    rng, t = np.random.default_rng(5), np.arange(120) / 60
    for turn in (0.0, 1.6):
        angle = turn * t
        x = np.sin(angle) / turn if turn else t
        y = (1 - np.cos(angle)) / turn if turn else 0 * t
        x, y = (
            family(v + rng.normal(0, 0.002, 120), 0.002, METRE, sources.reading("t", "b", a)).with_source(
                sources.scale_length("t"), 0.01 * v
            )
            for v, a in ((x, "x"), (y, "y"))
        )
        path = path_of(t, x, y)
        assert path.value == pytest.approx(t, abs=0.008)
        assert np.sum(np.hypot(np.diff(x.value), np.diff(y.value))) > 2.0
        assert path[119].u_from("scale") == pytest.approx(0.02, rel=0.02)


@given(st.floats(-10, 10), st.floats(-10, 10), st.floats(-30, 30), st.integers(3, 40))
def test_noise_free_segments_give_the_truth(x0, v0, a, n):
    """Every model returns its own parameters exactly, taken at the first frame used."""
    t = 5.0 + np.arange(n) / 60
    tau = t - 5.0
    for model, truth in ((REST, [x0]), (CONSTANT_VELOCITY, [x0, v0]), (CONSTANT_ACCELERATION, [x0, v0, a])):
        position = model.value(tau, np.array(truth))
        fit = fit_segment(model, t, family(position, 0.001, METRE, READING))
        assert fit.values == pytest.approx(truth, abs=1e-6)
        assert fit.start_s == 5.0
        assert fit.velocity(t) == pytest.approx(
            np.gradient(position, t) if model is REST else fit.velocity(t), abs=1e-6
        )
        assert fit.position(t) == pytest.approx(position, abs=1e-8)


def test_basis_of_the_uncertainty():
    """Stated u is kept when χ² allows it, enlarged with t(ν) when not, and never invented without it."""
    rng = np.random.default_rng(2)
    t = np.arange(20) / 30
    noise = rng.normal(0, 1, 20)
    good = fit_segment(CONSTANT_VELOCITY, t, family(noise, 1.0, METRE, READING))
    assert (good.basis, good.warnings) == ("stated", ())
    bad = fit_segment(CONSTANT_VELOCITY, t, family(3 * noise, 1.0, METRE, READING))
    assert bad.basis == "enlarged"
    assert bad.parameters["velocity"].coverage.dof == pytest.approx(18)
    assert float(bad.parameters["velocity"].u) == pytest.approx(
        bad.birge * float(good.parameters["velocity"].u), rel=1e-6
    )
    assert "more than stated" in bad.warnings[0]
    bare = fit_segment(CONSTANT_VELOCITY, t, exact(noise, METRE))
    assert (bare.basis, bare.birge) == ("scatter", None)
    assert bare.parameters["velocity"].coverage.k == pytest.approx(2.1009, abs=1e-3)
    two = fit_segment(CONSTANT_VELOCITY, t[:2], exact(noise[:2], METRE))
    assert two.parameters["velocity"] is None
    assert two.warnings
    few = fit_segment(CONSTANT_ACCELERATION, t[:2], exact(noise[:2], METRE))
    assert isinstance(few, NoFit)
    assert not few
    assert "at least 3" in few.reason


def test_two_segments_share_only_what_they_share():
    """Disjoint stretches of one body are independent but for the scale; the same stretch cancels."""
    t = np.arange(30) / 30
    x = family(1 + 0.5 * t, 0.01, METRE, READING).with_source(
        source("s", "scale", "Scale"), 0.02 * (1 + 0.5 * t)
    )
    first = fit_segment(CONSTANT_VELOCITY, t[:15], x[:15]).parameters["velocity"]
    second = fit_segment(CONSTANT_VELOCITY, t[15:], x[15:]).parameters["velocity"]
    assert float((first - first).u) == 0
    difference = first - second
    assert float(difference.u_from("scale")) == pytest.approx(0, abs=1e-12)
    expected = math.hypot(float(first.u_from("reading")), float(second.u_from("reading")))
    assert float(difference.u_from("reading")) == pytest.approx(expected)


def test_a_coarse_tick_and_the_rate_count():
    """Frame stamps act through the speed, the rate of the clock by its power of time."""
    t = np.arange(40) / 25
    x = family(2.0 * t + t**2, 1e-4, METRE, READING)
    fit = fit_segment(CONSTANT_ACCELERATION, t, x, Clock(0.001, 0.003, "t"))
    a = fit.parameters["acceleration"]
    parts = a.parts()
    assert parts[sources.clock("t")] == pytest.approx(2 * float(a) * 0.003)
    assert fit.u_residuals == pytest.approx(np.hypot(1e-4, (2 + 2 * t) * 0.001 / math.sqrt(12)), rel=1e-3)
    assert parts[sources.stamps("t")] > parts[READING]


@pytest.mark.parametrize("model", [CONSTANT_VELOCITY, CONSTANT_ACCELERATION])
def test_coverage_with_drawn_scale_clock_and_readings(model):
    """Over 8,000 runs with everything drawn anew, the 95 % interval holds the truth in 95 ± 1 %."""
    rng = np.random.default_rng(8)
    hits, runs = 0, 8000
    for _run in range(runs):
        n, rate = int(rng.integers(12, 45)), float(rng.choice([25, 30, 60, 120]))
        truth = np.array([rng.uniform(-1, 1), rng.uniform(-2, 2), rng.uniform(-4, 4)])[
            : len(model.parameters)
        ]
        # the true moments are in step with the frames or not; stamps are rounded to a 1 ms tick
        true_t = np.arange(n) / rate + rng.uniform(0, 0.01)
        stamps = np.rint(true_t * (1 + rng.normal(0, 0.002)) * 1000) / 1000
        world = model.value(true_t - true_t[0], truth)
        m_per_px, u_px = 0.002, rng.uniform(0.5, 2.0)
        pixels = world / m_per_px + rng.normal(0, u_px, n)
        length = rng.uniform(0.3, 1.5)
        ends = length / m_per_px + rng.normal(0, math.sqrt(2) * 1.5)
        reference = ReferenceLength((0, 0), (ends, 0), length + rng.normal(0, 0.002), 0.002, 1.5)
        x, _y = to_world(pixels, np.zeros(n), np.full(n, u_px), scale_of(reference, "t"), Axes())
        fit = fit_segment(model, stamps, x, Clock(0.001, 0.002, "t"))
        result = list(fit.parameters.values())[-1]
        hits += abs(float(result) - truth[-1]) <= result.U95
    assert 0.94 <= hits / runs <= 0.96


def test_coverage_from_scatter_alone():
    """Without stated uncertainties the interval rests on the residuals with t(ν), few readings included."""
    rng = np.random.default_rng(3)
    hits, runs = 0, 4000
    for _run in range(runs):
        n = int(rng.integers(5, 14))
        t = np.arange(n) / 30
        fit = fit_segment(CONSTANT_VELOCITY, t, exact(0.7 * t + rng.normal(0, 0.01, n), METRE))
        q = fit.parameters["velocity"]
        hits += abs(float(q) - 0.7) <= q.U95
    assert 0.94 <= hits / runs <= 0.96


def test_the_expected_place_follows_the_motion():
    """Extrapolation is exact on a parabola, falls back to what there is, and is None without readings."""
    frames = np.array([0, 3, 6, 9, 12])
    x, y = 10 + 2.0 * frames, 5 + 0.3 * frames**2
    assert expected_place(frames, x, y, 15) == pytest.approx((40, 5 + 0.3 * 225))
    assert expected_place(frames[:1], x[:1], y[:1], 15) == pytest.approx((10, 5))
    assert expected_place(frames[:0], x[:0], y[:0], 1) is None


def test_models_have_units_of_their_own():
    """Parameters of a model carry the unit of position over the right power of time."""
    told = {
        "constant-acceleration": ["m", "m/s", "m/s²"],
        "quadratic-damped-oscillation": ["m", "m", "s", "rad", "1/m"],
        "circle": ["m", "m", "m", "rad", "rad/s", "m/s"],
    }
    for name, units in told.items():
        assert [kind.unit(METRE).text for kind in MODELS[name].kinds] == units


@given(st.integers(1, 40), st.integers(3, 15), st.data())
def test_the_window_about_one_reading_is_that_of_all(count, window, data):
    """What is shaded about the cursor is what its velocity is taken from."""
    at = data.draw(st.integers(0, count - 1))
    assert list(window_about(count, window, at)) == windows(count, window)[at].tolist()
