"""What stands out: odd trials, points off the line, bends; verdicts judged together, and what would settle them."""

import math

import numpy as np
import pytest

from saltus.core import sources
from saltus.core.compare import chance, compare, judged_together, what_settles
from saltus.core.lines.inverse import inverse_prediction, is_outside, with_scatter_of_line
from saltus.core.lines.levels import average, noisy_levels
from saltus.core.lines.off_the_line import against_others, bend, off_the_line
from saltus.core.lines.straight import fit_line
from saltus.core.odd_trials import odd_trials, unlike
from saltus.core.quantities import exact, family, measured
from saltus.core.repeats import odd_values, summary
from saltus.core.units import METRE, SECOND

X = np.array([0.1, 0.2, 0.3, 0.4, 0.5, 0.6])


def points(y, u=None, x=X):
    """A line through points, with stated uncertainty or without any."""
    q = exact(y, METRE) if u is None else family(y, u, METRE, sources.column("y", "reading"))
    return fit_line(exact(x, SECOND), q)


def one_value(value, u, name, dof=math.inf):
    """A single length with its own source."""
    source = (
        sources.repeat_scatter(name, "reading", dof) if math.isfinite(dof) else sources.given(name, "scale")
    )
    return measured(value, u, METRE, source)


def test_one_of_three_repeats_is_named_by_the_scatter_of_the_other_levels():
    """Its own level would hide it; two of a level cannot tell which; a lone level of three says nothing."""
    level = np.repeat(np.arange(4), 3)
    values = np.array([1.10, 1.11, 1.09, 1.42, 1.41, 1.42, 1.67, 1.51, 1.68, 1.90, 1.91, 1.90])
    (found,) = odd_trials(values, level)
    assert (found.rows, found.level) == ((7,), 2)
    assert found.without == pytest.approx(1.675)
    assert found.mean == pytest.approx(1.62)
    pairs = np.array([1.10, 1.11, 1.42, 1.41, 1.67, 1.31, 1.90, 1.91, 2.1, 2.11])
    (found,) = odd_trials(pairs, np.repeat(np.arange(5), 2))
    assert found.rows == (4, 5)
    assert odd_trials(np.array([1.0, 1.01, 1.5]), np.zeros(3, dtype=int)) == ()
    assert odd_trials(np.array([]), np.zeros(0, dtype=int)) == ()
    (found,) = odd_trials(np.array([1.0, 1.01, 1.02, 1.0, 1.01, 1.9]), np.zeros(6, dtype=int))
    assert found.rows == (5,)
    # stated uncertainty is enough while the scatter does not exceed it; the last digit bounds all scatter
    (found,) = odd_trials(np.array([1.0, 1.01, 1.3]), np.zeros(3, dtype=int), stated=0.02)
    assert found.rows == (2,)
    coarse = np.array([1.0, 1.0, 1.0, 2.0, 2.0, 2.0, 3.0, 3.0, 3.1])
    assert odd_trials(coarse, np.repeat(np.arange(3), 3), resolution=0.1) == ()
    assert odd_trials(coarse, np.repeat(np.arange(3), 3))


@pytest.mark.parametrize("shape", ["normal", "growing", "long tails"])
def test_honest_tables_have_no_odd_trial(shape):
    """1,000 tables of six levels: at most 0.3 %, three standard errors allowed; scatter 1 : 3, and t with 5 dof."""
    rng = np.random.default_rng(11)
    level, accused = np.repeat(np.arange(6), 3), 0
    for _table in range(1000):
        noise = rng.standard_t(5, 18) if shape == "long tails" else rng.normal(size=18)
        size = np.linspace(1, 3, 6)[level] if shape == "growing" else 1.0
        accused += bool(odd_trials(10 + 0.1 * noise * size, level))
    assert accused <= 1000 * 0.003 + 3 * math.sqrt(3)


def test_whether_levels_may_be_pooled():
    """Alike, unlike, without any scatter."""
    dof = np.array([4, 4, 4])
    assert not unlike(np.array([1.0, 1.5, 0.8]), dof)
    assert unlike(np.array([1.0, 1.5, 90.0]), dof)
    assert not unlike(np.zeros(3), dof)
    assert not unlike(np.array([0.0, 0.0, 1.0]), dof)
    assert unlike(np.array([0.0, 0.01, 5.0]), dof)


def test_odd_values_of_a_list():
    """Against what is explained, corrected for their number; of three that all lie apart none is named."""
    assert summary(np.array([2.31, 2.38, 2.70]), 0.03).odd == (2,)
    assert summary(np.array([2.0, 2.4, 2.8]), 0.03).odd == ()
    assert summary(np.array([2.0, 2.8]), 0.03).odd == ()
    assert odd_values(np.array([2.31, 2.30, 2.32, 2.31, 2.9])) == (4,)
    rng = np.random.default_rng(3)
    accused = sum(bool(summary(rng.normal(2, 0.03, 5), 0.03).odd) for _list in range(1000))
    assert accused <= 10 + 3 * math.sqrt(10)


@pytest.mark.parametrize("stated", [True, False])
def test_a_point_off_the_line_is_named_and_honest_ones_are_not(stated):
    """1,000 honest lines: at most 0.3 % each; shifts beyond 1.5 times the limit: 95 % and the right one."""
    rng = np.random.default_rng(5)
    accused = bent = found = shifted = 0
    for n in range(1000):
        y = 2 * X + rng.normal(0, 0.01, 6)
        line = points(y, 0.01 if stated else None)
        accused += off_the_line(line) is not None
        bent += bend(line) is not None
        place = n % 6
        y[place] += 0.12 if stated else 0.9
        off = points(y, 0.01 if stated else None)
        one = against_others(off, place)
        if one.in_u > 1.5 * one.limit:
            shifted += 1
            named = off_the_line(off)
            found += named is not None and named.point == place
    assert max(accused, bent) <= 3 + 3 * math.sqrt(3)
    assert shifted > 500
    assert found >= 0.95 * shifted


def test_few_points_say_nothing_and_scatter_of_the_others_is_heeded():
    """Three stated points, four others; a line that scatters more than stated needs more."""
    assert off_the_line(points(np.array([1.0, 2.0, 4.0]), 0.01, X[:3])) is None
    assert off_the_line(points(np.array([1.0, 2.0, 3.0, 9.0]), None, X[:4])) is None
    wild = 2 * X + np.array([0.1, -0.12, 0.11, -0.1, 0.12, -0.11])
    assert off_the_line(points(wild, 0.01)) is None
    assert bend(points(wild[:4], 0.01, X[:4])) is None
    proportional = fit_line(exact(X, SECOND), family(np.array([0.2, 0.4, 0.9, 0.8, 1.0, 1.2]), 0.01, METRE,
                            sources.column("y", "reading")), through_origin=True)  # fmt: skip
    assert off_the_line(proportional).point == 2


def test_an_end_that_bends_away():
    """The shortest end is named with where the rest ends; a curve as a whole has no such end."""
    x = np.linspace(0, 0.45, 10)
    beyond = 2 * x + 3 * np.maximum(x - 0.28, 0) ** 1.2
    found = bend(points(beyond, 0.002, x))
    assert found.points == (6, 7, 8, 9)
    assert found.straight == pytest.approx((0, 0.25))
    found = bend(points(2 * x + 3 * np.maximum(0.12 - x, 0) ** 1.2, 0.002, x))
    assert found.points == (0, 1, 2)
    assert bend(points(2 * x**2, 0.0005, x)).points == ()
    assert bend(points(2 * x, 0.002, x)) is None


def test_a_noisy_level_keeps_its_own_interval():
    """Three times the scatter: its interval holds in at least 88 %; where all are alike 95 %."""
    rng, level = np.random.default_rng(8), np.repeat(np.arange(6), 4)
    hits = {"alike": 0, "noisy": 0}
    for _table in range(800):
        for name in hits:
            size = np.where((level == 3) & (name == "noisy"), 3.0, 1.0)
            found = average(exact(rng.normal(0, 1, 24) * size, METRE), level, "t")
            hits[name] += abs(float(found.reported[3])) <= found.reported[3].U95
    assert 0.935 * 800 <= hits["alike"] <= 0.97 * 800
    assert hits["noisy"] >= 0.88 * 800
    alone, apart = noisy_levels(np.array([2.0, 2.0, 2.0, 300.0]), np.array([3, 3, 3, 3]))
    assert (alone.tolist(), apart) == ([False, False, False, True], True)
    found = average(
        exact(np.array([1, 1.1, 0.9, 2, 2.1, 1.9, 3.0]), METRE), np.array([0, 0, 0, 1, 1, 1, 2]), "t"
    )
    assert found.borrowed.tolist() == [False, False, True]
    assert float(found.reported[2].u) == pytest.approx(found.pooled)


def test_an_unknown_carries_the_scatter_of_its_own_reading():
    """What has no uncertainty scatters as the points do; 95 % of unknowns read off lie within; outside is told."""
    rng, hits = np.random.default_rng(4), 0
    for _line in range(500):
        line = points(2 * X + rng.normal(0, 0.02, 6))
        reading = exact(0.7 + rng.normal(0, 0.02), METRE)
        source = sources.reading_scatter("x", "reading", line.dof)
        found = inverse_prediction(line, with_scatter_of_line(line, reading, source))
        hits += abs(float(found) - 0.35) <= found.U95
    assert 0.92 * 500 <= hits <= 0.98 * 500
    assert not is_outside(line, found)
    assert is_outside(line, exact(0.9, SECOND))
    known = one_value(0.7, 0.01, "r")
    assert with_scatter_of_line(line, known, source) is known
    two = points(np.array([0.2, 0.4]), None, X[:2])
    assert math.isnan(float(with_scatter_of_line(two, exact(0.3, METRE), source).u))


def test_comparisons_of_one_question_are_judged_together():
    """One of twenty beyond its U95 by chance differs alone, not among them; a real one still does (Holm)."""
    theory = exact(1.0, METRE)
    lone = compare(one_value(1.042, 0.02, "a"), theory)
    assert lone.agree is False
    assert chance(lone.difference) == pytest.approx(0.0357, abs=1e-4)
    many = [lone, *(compare(one_value(1.0 + 0.001 * i, 0.02, str(i)), theory) for i in range(19))]
    assert {c.agree for c in judged_together(many)} == {True}
    many.append(compare(one_value(1.2, 0.02, "far"), theory))
    assert [i for i, c in enumerate(judged_together(many)) if c.agree is False] == [20]
    unknown = compare(exact(1.3, METRE), theory)
    assert [c.agree for c in judged_together([unknown, lone])] == [None, False]
    rng, accused = np.random.default_rng(9), 0
    for _table in range(600):
        rows = [compare(one_value(rng.normal(1, 0.02), 0.02, i, 4), theory) for i in range(8)]
        accused += any(c.agree is False for c in judged_together(rows))
    assert accused <= 600 * 0.09  # a normal draw under t(4) intervals is rarer still


def test_what_would_settle_it():
    """No uncertainty at all; more trials; something known better; nothing where it is settled."""
    theory = exact(1.0, METRE)
    assert what_settles(compare(exact(1.1, METRE), theory)).needs == "uncertainty"
    trials = what_settles(compare(one_value(1.1, 0.5, "t", 3), theory))
    assert trials.needs == "trials"
    assert trials.trials == pytest.approx(trials.factor**2)
    better = what_settles(compare(one_value(1.1, 0.5, "rule"), theory))
    assert (better.needs, better.label) == ("better", "rule")
    assert better.u / better.factor * 1.96 == pytest.approx(0.5, rel=1e-3)
    assert what_settles(compare(one_value(1.0, 0.01, "good"), theory)) is None
    assert what_settles(compare(one_value(0.0, 0.1, "none"), exact(0.0, METRE))).factor == math.inf
