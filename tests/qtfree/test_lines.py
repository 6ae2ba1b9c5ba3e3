"""Lines and curves: certified data, the published errors-in-both solution, and stated intervals that hold."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made import source

from saltus.core.lines.curves import CURVES, fit_curve
from saltus.core.lines.inverse import band, inverse_prediction
from saltus.core.lines.levels import average, group_levels
from saltus.core.lines.school import extremes, triangle
from saltus.core.lines.straight import NoLine, fit_line
from saltus.core.lines.transforms import candidates
from saltus.core.quantities import exact, family, measured
from saltus.core.units import METRE, ONE, SECOND

NORRIS = """0.1 0.2 338.8 337.4 118.1 118.2 888.0 884.6 9.2 10.1 228.1 226.5 668.5 666.3 998.5 996.3 449.1 448.6 778.9 777.0
559.2 558.2 0.3 0.4 0.1 0.6 778.1 775.5 668.8 666.9 339.3 338.0 448.9 447.5 10.8 11.6 557.7 556.0 228.3 228.1 998.0 995.8
888.8 887.6 119.6 120.2 0.3 0.3 0.6 0.3 557.6 556.8 339.3 339.1 888.0 887.2 998.5 999.0 778.9 779.0 10.2 11.1 117.6 118.3
228.9 229.2 668.4 669.1 449.2 448.9 0.2 0.5"""
PONTIUS = """.11019 .21956 .32949 .43899 .54803 .65694 .76562 .87487 .98292 1.09146 1.20001 1.30822 1.41599 1.52399 1.63194
1.73947 1.84646 1.95392 2.06128 2.16844 .11052 .22018 .32939 .43886 .54798 .65739 .76596 .87474 .98300 1.09150 1.20004
1.30818 1.41613 1.52408 1.63159 1.73965 1.84696 1.95445 2.06177 2.16829"""
DIGITS_9, DIGITS_6 = 1e-9, 1e-6


def values_of(text):
    """Numbers of a text."""
    return np.array([float(word) for word in text.split()])


def points(x, y, u_x=0.0, u_y=0.0):
    """Two arrays of quantities in m and s, each with independent uncertainties where there are any."""
    x, y = np.asarray(x, float), np.asarray(y, float)
    qx = family(x, u_x, SECOND, source("x")) if np.any(u_x) else exact(x, SECOND)
    qy = family(y, u_y, METRE, source("y")) if np.any(u_y) else exact(y, METRE)
    return qx, qy


def test_certified_straight_lines():
    """Reference data with certified estimates and standard deviations, to nine digits."""
    data = values_of(NORRIS).reshape(-1, 2)
    line = fit_line(*points(data[:, 1], data[:, 0]))
    assert line.values == pytest.approx([-0.262323073774029, 1.00211681802045], rel=DIGITS_9)
    assert line.u_scatter["intercept"] == pytest.approx(0.232818234301152, rel=DIGITS_9)
    assert line.u_scatter["slope"] == pytest.approx(0.429796848199937e-3, rel=DIGITS_9)
    assert line.residual_sd == pytest.approx(0.884796396144373, rel=DIGITS_9)
    for x, y, slope, u, sd in (
        (np.arange(60, 71), np.arange(130, 141), 2.07438016528926, 0.165289256198347e-1, 3.56753034006338),
        ([4, 5, 6], [3, 4, 4], 0.727272727272727, 0.420827318078432e-1, 0.369274472937998),
    ):
        line = fit_line(*points(x, y), through_origin=True)
        assert line.values[1] == pytest.approx(slope, rel=DIGITS_9)
        assert (line.u_scatter["slope"], line.residual_sd) == pytest.approx((u, sd), rel=DIGITS_9)
        assert float(line.slope.u) == pytest.approx(u, rel=DIGITS_9)


def test_certified_curves():
    """A quadratic over six decades to nine digits, a power law to six."""
    y, x = values_of(PONTIUS), np.tile(np.arange(1, 21) * 150000.0, 2)
    curve = fit_curve(CURVES["quadratic"], exact(x), exact(y))
    certified = {
        "c0": (0.673565789473684e-3, 0.107938612033077e-3),
        "c1": (0.732059160401003e-6, 0.157817399981659e-9),
        "c2": (-0.316081871345029e-14, 0.486652849992036e-16),
    }
    for name, (value, u) in certified.items():
        assert float(curve.parameters[name]) == pytest.approx(value, rel=DIGITS_9)
        assert float(curve.parameters[name].u) == pytest.approx(u, rel=DIGITS_9)
    assert curve.residual_sd == pytest.approx(0.205177424076185e-3, rel=DIGITS_9)
    x, y = [1.309, 1.471, 1.490, 1.565, 1.611, 1.680], [2.138, 3.421, 3.597, 4.340, 4.882, 5.660]
    curve = fit_curve(CURVES["power"], exact(x), exact(y))
    assert curve.values == pytest.approx([7.6886226176e-01, 3.8604055871], rel=DIGITS_6)
    assert curve.u_scatter["coefficient"] == pytest.approx(1.8281973860e-02, rel=DIGITS_6)
    assert curve.u_scatter["exponent"] == pytest.approx(5.1726610913e-02, rel=DIGITS_6)


def test_the_published_solution_for_errors_in_both():
    """York's weights on Pearson's points: slope, intercept, their standard errors and the misfit as published."""
    x = [0.0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4]
    y = [5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5]
    weight_x = np.array([1000, 1000, 500, 800, 200, 80, 60, 20, 1.8, 1.0])
    weight_y = np.array([1, 1.8, 4, 8, 20, 20, 70, 70, 100, 500])
    line = fit_line(*points(x, y, 1 / np.sqrt(weight_x), 1 / np.sqrt(weight_y)))
    assert line.values == pytest.approx([5.47991022, -0.480533407], rel=1e-8)
    assert line.u_stated["slope"] == pytest.approx(0.057985, rel=1e-5)
    assert line.u_stated["intercept"] == pytest.approx(0.294971, rel=1e-5)
    assert line.chi2 / line.dof == pytest.approx(1.4833, rel=1e-4)
    assert line.covariance[0, 0] == pytest.approx(line.u_stated["slope"] ** 2, rel=1e-9)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.floats(-3, 3), st.floats(0.1, 50), st.floats(-5, 5))
def test_a_line_goes_with_its_units(seed, shift, stretch, tilt):
    """Moving, stretching and shearing the points does the same to slope and intercept, and to their u."""
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(0, 10, 7)) + np.arange(7)
    y = 2 + 0.7 * x + rng.normal(0, 0.3, 7)
    one = fit_line(*points(x, y, 0, 0.3))
    other = fit_line(*points(x, stretch * (y + tilt * x) + shift, 0, 0.3 * stretch))
    assert other.values[1] == pytest.approx(stretch * (one.values[1] + tilt), rel=1e-7, abs=1e-7)
    assert other.values[0] == pytest.approx(stretch * one.values[0] + shift, rel=1e-6, abs=1e-6)
    assert float(other.slope.U95) == pytest.approx(stretch * one.slope.U95, rel=1e-6)


def held(make, truth, runs=1200):
    """Share of runs whose 95 % interval holds the truth, and the median half-width."""
    hits, widths = 0, []
    for seed in range(runs):
        q = make(np.random.default_rng(seed))
        hits += abs(float(q) - truth) <= q.U95
        widths.append(q.U95)
    return hits / runs, float(np.median(widths))


LEVELS = np.array([1.0, 2.0, 3.0, 4.5, 6.0])


@pytest.mark.parametrize(
    ("u_x", "u_y", "states", "repeats"),
    [(0.0, 0.2, True, 1), (0.15, 0.2, True, 1), (0.0, 0.2, False, 3), (0.0, 0.2, False, 1)],
)
def test_the_slope_is_where_it_is_stated_to_be(u_x, u_y, states, repeats):
    """Coverage 95 ± 2 %: stated in y, in both, from pooled repeats, from the scatter about the line alone."""

    def make(rng):
        x = LEVELS + rng.normal(0, u_x, 5)
        rows = np.repeat(LEVELS, repeats)
        y = 0.5 + 1.3 * rows + rng.normal(0, u_y, len(rows))
        if repeats > 1:
            group, _first = group_levels(rows)
            qx, qy = points(x, np.zeros(5))[0], average(exact(y, METRE), group, "s").mean
        else:
            qx, qy = points(x, y, u_x if states else 0, u_y if states else 0)
        return fit_line(qx, qy).slope

    share, width = held(make, 1.3)
    assert 0.93 <= share <= 0.97
    ideal = (
        1.96
        * math.hypot(u_y / math.sqrt(repeats), 1.3 * u_x)
        / math.sqrt(np.sum((LEVELS - LEVELS.mean()) ** 2))
    )
    assert width <= (1.9 if repeats == 1 and not states else 1.3) * ideal


def test_what_is_shared_does_not_average_away():
    """A common scale widens the slope by its whole share; the independent part goes with the points."""
    x, y = points(LEVELS, 2 * LEVELS, 0, 0.1)
    common = measured(1.0, 0.02, ONE, source("scale"))
    line = fit_line(x, y * common)
    assert line.slope.parts()[source("scale")] == pytest.approx(0.04, rel=1e-9)
    alone = fit_line(x, y)
    assert float(line.slope.u) == pytest.approx(math.hypot(float(alone.slope.u), 0.04), rel=1e-6)
    assert float((line.slope - line.slope).u) == 0


def test_scatter_beyond_what_is_stated_is_told():
    """χ² rejects: u grows by the Birge ratio with t(ν), a warning says so, both values are at hand."""
    rng = np.random.default_rng(3)
    line = fit_line(*points(np.arange(8.0), 3 * np.arange(8.0) + rng.normal(0, 0.5, 8), 0, 0.1))
    assert line.basis == "enlarged"
    assert "scatter" in line.warnings[0]
    assert float(line.slope.u) == pytest.approx(line.u_stated["slope"] * line.birge, rel=1e-9)
    assert line.slope.coverage.dof == 6
    assert line.u_scatter["slope"] == pytest.approx(float(line.slope.u), rel=1e-9)


def test_a_very_uncertain_x_is_profiled():
    """With u(x) above a tenth of its range the interval comes from Δχ², is wider, and a warning says so."""
    x, y = points([0, 1, 2, 3], [0.1, 0.9, 2.1, 2.9], 0.6, 0.1)
    line = fit_line(x, y)
    assert any("profile" in w for w in line.warnings)
    assert 1.2 * 1.96 * line.u_stated["slope"] < line.slope.U95


@pytest.mark.parametrize(
    ("x", "y", "words"),
    [([1.0], [2.0], "at least 2"), ([2, 2, 2], [1, 2, 3], "one value of x"), ([], [], "at least 2")],
)
def test_points_that_make_no_line_say_so(x, y, words):
    """One point, all x alike, nothing at all: a sentence instead of a number."""
    line = fit_line(*points(x, y)) if len(x) else NoLine("A line needs at least 2 points.")
    assert not line
    assert words in line.reason


def test_zero_beside_stated_uncertainty_rests_on_scatter():
    """A point that states 0 beside others that do not would have all the weight: the line says what it does."""
    line = fit_line(*points([1, 2, 3, 4], [1.0, 2.1, 2.9, 4.0], 0, np.array([0.1, 0.0, 0.1, 0.1])))
    assert line.basis == "scatter"
    assert "no uncertainty" in line.warnings[0]
    assert np.isfinite(float(line.slope.u))
    two = fit_line(*points([1, 2], [1, 2]))
    assert two.slope is None
    assert two.values == pytest.approx([0, 1])


def test_unknowns_from_a_line():
    """Inverse prediction holds its truth; without an effect there is nothing to read from the line."""

    def make(rng):
        y = 0.2 + 0.8 * LEVELS + rng.normal(0, 0.05, 5)
        line = fit_line(*points(LEVELS, y, 0, 0.05))
        return inverse_prediction(
            line, measured(0.2 + 0.8 * 3.7 + rng.normal(0, 0.05), 0.05, METRE, source("new"))
        )

    share, _width = held(make, 3.7)
    assert 0.93 <= share <= 0.97
    flat = fit_line(*points(LEVELS, [1.0, 1.1, 0.9, 1.05, 1.0], 0, 0.1))
    assert flat.no_effect
    assert inverse_prediction(flat, measured(1.0, 0.1, METRE, source("new"))) is None
    line = fit_line(*points(LEVELS, 2 * LEVELS, 0, 0.1))
    middle, u = band(line, np.array([LEVELS.mean(), 20.0]))
    assert middle == pytest.approx([2 * LEVELS.mean(), 40.0])
    assert u[0] == pytest.approx(0.1 / math.sqrt(5))
    assert u[1] > 3 * u[0]


def test_lines_as_schools_draw_them():
    """Steepest and shallowest pass every bar and no steeper one does; a triangle gives slope and intercept."""
    x, y = points([0, 1, 2, 3], [0.0, 1.02, 1.95, 3.0], 0, 0.05 / 1.96)
    found = extremes(x, y)
    assert found.through_all
    assert found.shallowest < 1 < found.steepest
    for slope in (found.steepest, found.shallowest):
        lows, highs = y.value - 0.05001 - slope * x.value, y.value + 0.05001 - slope * x.value
        assert lows.max() <= highs.min() + 1e-4
        beyond = slope + 1e-3 * (slope - 1)
        lows, highs = y.value - 0.05 - beyond * x.value, y.value + 0.05 - beyond * x.value
        assert lows.max() > highs.min()
    assert extremes(*points([0, 1], [0, 1])) is None
    far = extremes(*points([0, 1, 2], [0, 5, 0.2], 0, 0.1))
    assert not far.through_all
    assert triangle((1, 2), (3, 6)) == (2, 0)
    with pytest.raises(ValueError, match="above each other"):
        triangle((1, 2), (1, 6))


def test_the_straightest_transform_comes_first():
    """A root law is straight as y² against x, a free power as logarithms; all are offered, none is chosen silently."""
    x = np.linspace(0.2, 3, 9)
    found = candidates(*points(x, 1.7 * np.sqrt(x) * (1 + 0.002 * np.sin(7 * x)), 0, 0.01))
    assert len(found) == 6
    assert found[0].transform.name in ("y vs √x", "y² vs x", "ln y vs ln x")
    assert found[-1].rms > 5 * found[0].rms
    assert {c.transform.name for c in candidates(*points([-1, 0, 1, 2], [1, 0, 1, 4]))} == {
        "y vs x",
        "y vs x²",
    }


def test_levels_keep_the_order_and_share_their_scatter():
    """Every level has the pooled scatter, never its own; stated uncertainties stand unless the scatter rejects them."""
    rows = np.array([2.0, 1.0, 2.0, 3.0, 1.0, 3.0])
    group, first = group_levels(rows)
    assert list(rows[first]) == [2, 1, 3]
    values = exact(np.array([1.0, 5.0, 1.2, 9.0, 5.4, 9.6]), METRE)
    found = average(values, group, "s")
    assert found.basis == "scatter"
    assert list(found.mean.value) == pytest.approx([1.1, 5.2, 9.3])
    pooled = math.sqrt((0.02 + 0.08 + 0.18) / 3)
    assert found.pooled == pytest.approx(pooled)
    assert found.mean.u == pytest.approx(np.full(3, pooled / math.sqrt(2)))
    assert found.mean[0].coverage.dof == 3
    stated = average(family(values.value, 0.3, METRE, source("r")), group, "s")
    assert stated.basis == "stated"
    assert stated.mean.u == pytest.approx(np.full(3, 0.3 / math.sqrt(2)))
    assert average(family(values.value, 0.02, METRE, source("r")), group, "s").basis == "scatter"
    single = average(exact([1.0, 2.0]), np.array([0, 1]), "s")
    assert np.all(np.isnan(single.reported.u))
    assert np.all(single.mean.u == 0)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 100_000), st.booleans())
def test_the_line_is_the_one_of_least_misfit(seed, through):
    """Whatever the uncertainties of both coordinates: no line near it has a smaller χ², and the gradient is nought."""
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(1, 9, 6)) + 0.3 * np.arange(6)
    u_x, u_y = rng.uniform(0.01, 0.15, 6), rng.uniform(0.02, 0.5, 6)
    y = (0 if through else 1.5) + 0.8 * x + rng.normal(0, u_y)
    line = fit_line(*points(x, y, u_x, u_y), through_origin=through)

    def chi2(a, b):
        return float(np.sum((y - a - b * x) ** 2 / (u_y**2 + b**2 * u_x**2)))

    a, b = line.values
    least = chi2(a, b)
    assert line.chi2 == pytest.approx(least, rel=1e-9)
    for da, db in ((0, 1e-4), (0, -1e-4), (1e-4, 0), (-1e-4, 0), (1e-4, -2e-5)):
        assert (through and da) or chi2(a + da, b + db) >= least - 1e-12
    steep = (chi2(a, b + 1e-6) - chi2(a, b - 1e-6)) / 2e-6
    assert abs(steep) < 1e-3 * (1 + least) / max(float(np.min(u_y)), 0.01)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 100_000))
def test_what_errors_share_within_a_point_is_allowed_for(seed):
    """Y that carries the error of its own x (as a torque carries an acceleration): the slope's u is that of its scatter."""
    rng = np.random.default_rng(seed)
    x = np.array([1.0, 2.0, 3.0, 4.0, 5.0])
    qx = family(x, 0.05, SECOND, source("x"))
    qy = (qx * -0.3).with_unit(METRE) + family(1.1 * x, 0.02, METRE, source("y"))
    line = fit_line(qx, qy)
    own_x, own_y = rng.normal(0, 1, (2, 4000, 5))
    seen_x, seen_y = x + 0.05 * own_x, 0.8 * x - 0.3 * 0.05 * own_x + 0.02 * own_y
    centred = seen_x - seen_x.mean(axis=1, keepdims=True)
    slopes = np.sum(centred * seen_y, axis=1) / np.sum(centred**2, axis=1)
    assert float(line.slope.u) == pytest.approx(np.std(slopes), rel=0.1)
    assert line.covariance[0, 0] == pytest.approx(float(line.slope.u) ** 2, rel=1e-9)


@pytest.mark.parametrize(
    ("name", "truth", "x"),
    [("power", (0.7, 1.6), np.linspace(0.5, 3, 8)), ("exponential", (2.0, -0.6), np.linspace(0, 4, 8)),
     ("quadratic", (0.4, -1.0, 0.3), np.linspace(-1, 3, 9))],
)  # fmt: skip
def test_curves_are_where_they_are_stated_to_be(name, truth, x):
    """Every parameter within its 95 % interval in 95 ± 2.5 % of cases; noise-free to twelve digits; units by name."""
    shape = CURVES[name]
    clean = shape.value(x, np.array(truth))
    exactly = fit_curve(shape, exact(x, SECOND), exact(clean, METRE))
    assert exactly.values == pytest.approx(truth, rel=1e-9)
    hits = np.zeros(len(truth))
    for seed in range(800):
        y = clean + np.random.default_rng(seed).normal(0, 0.02, len(x))
        found = fit_curve(shape, exact(x, SECOND), family(y, 0.02, METRE, source("y")))
        hits += [abs(float(q) - t) <= q.U95 for q, t in zip(found.parameters.values(), truth, strict=True)]
    assert np.all((hits / 800 > 0.925) & (hits / 800 < 0.98)), hits
    last = found.parameters[shape.parameters[-1]]
    expected = {"power": ONE, "exponential": ONE / SECOND, "quadratic": METRE / SECOND**2}
    assert last.unit == expected[name]


@pytest.mark.parametrize(
    ("name", "x", "y", "words"),
    [
        ("power", [0, 1, 2], [1, 2, 3], "above zero"), ("power", [1, 2, 3], [0, 0, 0], "not zero"),
        ("exponential", [1, 2, 3], [0, 0, 1], "not zero"), ("quadratic", [1, 1, 2], [1, 2, 3], "3 different"),
    ],
)  # fmt: skip
def test_curves_that_cannot_be_laid_say_so(name, x, y, words):
    """Logarithms of nothing, too few places: a sentence."""
    found = fit_curve(CURVES[name], exact(np.array(x, float)), exact(np.array(y, float)))
    assert not found
    assert words in found.reason


def test_repeats_that_miss_the_line_are_told():
    """Pooled repeats that explain the levels give their degrees of freedom; a bend they do not explain is told."""
    rng = np.random.default_rng(6)
    rows = np.repeat(LEVELS, 4)
    group, _first = group_levels(rows)
    straight = average(exact(2 * rows + rng.normal(0, 0.05, 20), METRE), group, "s").mean
    line = fit_line(exact(LEVELS, SECOND), straight)
    assert line.basis == "repeats"
    assert line.slope.coverage.dof == pytest.approx(15)
    bent = average(exact(0.5 * rows**2 + rng.normal(0, 0.05, 20), METRE), group, "s").mean
    line = fit_line(exact(LEVELS, SECOND), bent)
    assert line.basis == "enlarged"
    assert "straight line" in line.warnings[0]
    assert line.slope.coverage.dof == 3


def test_numbers_that_cannot_be_squared_give_no_line():
    """A slope of 1e244 is a sentence, not an overflow."""
    x = exact(np.array([0.0, 1e-244, 2e-244]), METRE)
    line = fit_line(x, exact(np.array([1.0, 2.5, 2.0]), METRE))
    assert not line
    assert "too far apart" in line.reason
