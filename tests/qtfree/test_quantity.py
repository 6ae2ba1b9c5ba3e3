"""Quantities keep what they share; intervals hold what they state; text is read and written honestly."""

import contextlib
import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from made import source

from saltus.core.budget import budget, expanded_if, shares_by_kind
from saltus.core.coverage import Part, cover_95
from saltus.core.quantities import exact, family, measured, stacked
from saltus.core.quantity import UncertaintyError, apply
from saltus.core.statement import as_json, rounded_uncertainty, stated, stated_percent, value_and_uncertainty
from saltus.core.units import ACCELERATION, METRE, ONE, PIXEL, SECOND, VELOCITY, UnitError, parse_unit, unit
from saltus.core.with_uncertainty import in_one, only, unsure, widened, with_correlated, with_family
from saltus.core.written import WrittenError, number, quantity_of

finite = st.floats(-1e6, 1e6, allow_nan=False).filter(lambda v: abs(v) > 1e-6)
positive = st.floats(1e-6, 1e3)
LENGTH, TIME = source("length", "scale", "Length"), source("time", "timing", "Time")


@given(finite, positive)
def test_what_is_shared_cancels(value, u):
    """X − x and x ÷ x carry no uncertainty; 2x carries twice that of x."""
    x = measured(value, u, METRE, LENGTH)
    assert float((x - x).u) == 0
    assert float((x / x).u) == pytest.approx(0, abs=1e-12)
    assert float((x + x).u) == pytest.approx(2 * u)
    assert (x / x).unit == ONE


@given(finite, finite, positive, positive)
def test_independent_parts_add_in_quadrature(a, b, u_a, u_b):
    """Sums and products of independent values follow the law of propagation."""
    x, y = measured(a, u_a, METRE, LENGTH), measured(b, u_b, METRE, TIME)
    assert float((x + y).u) == pytest.approx(math.hypot(u_a, u_b))
    assert float((x - 2 * y).u) == pytest.approx(math.hypot(u_a, 2 * u_b))
    assert float((x * y).u) == pytest.approx(math.hypot(b * u_a, a * u_b), rel=1e-9)
    assert float((x / y).u) == pytest.approx(math.hypot(u_a / b, a * u_b / b**2), rel=1e-9)
    assert (x * y).unit == METRE**2


@given(st.lists(finite, min_size=2, max_size=8), positive, positive)
def test_families_are_independent_and_common_sources_are_not(values, u_own, u_common):
    """The mean of N readings loses √N of the reading part and nothing of the common part."""
    n = len(values)
    x = family(values, u_own, METRE, source("reading", "reading")).with_source(LENGTH, u_common)
    mean = x.weighed(np.full(n, 1 / n))
    assert float(mean.u_from("reading")) == pytest.approx(u_own / math.sqrt(n))
    assert float(mean.u_from("scale")) == pytest.approx(u_common)
    covariance = x.covariance()
    assert covariance[0, 1] == pytest.approx(u_common**2)
    assert covariance[0, 0] == pytest.approx(u_own**2 + u_common**2)
    # one element taken out and put against the mean still shares its reading
    assert float((x[0] - mean).u_from("scale")) == pytest.approx(0, abs=1e-9 * u_common)
    difference = float((x[0] - mean).u_from("reading"))
    assert difference == pytest.approx(u_own * math.sqrt(1 - 1 / n), rel=1e-9)


def test_arrays_functions_and_stacks():
    """Functions are linearised at the value; stacking keeps what is shared; own parts can be replaced."""
    x = family([1.0, 2.0, 4.0], [0.1, 0.1, 0.2], SECOND, TIME)
    squared = apply(np.square, lambda v: 2 * v, x, SECOND**2)
    assert squared.u == pytest.approx([0.2, 0.4, 1.6])
    assert (x**2).u == pytest.approx(squared.u)
    assert float((squared[1] - x[1] * x[1]).u) == pytest.approx(0, abs=1e-12)
    common = measured(3.0, 0.5, METRE, LENGTH)
    pair = stacked([common, 2 * common, exact(7.0, METRE)])
    assert pair.covariance() == pytest.approx(np.outer([1, 2, 0], [1, 2, 0]) * 0.25)
    replaced = with_family(x.without_own(), source("scatter", "reading", "", "t", 5), 0.3, [4, 5, 6])
    assert replaced.u_own == pytest.approx([0.3] * 3)
    assert (1 - x / exact(1.0, SECOND)).value == pytest.approx([0, -1, -3])
    with pytest.raises(UnitError, match="cannot be added"):
        1 - x
    assert (2 / x).u == pytest.approx(2 * x.u / x.value**2)
    assert len(x) == 3
    assert "s" in repr(x)


def test_wrong_uncertainties_and_units_are_refused():
    """A negative or infinite uncertainty and a sum of unlike units are errors of their own."""
    for u in (-1.0, math.nan, math.inf):
        with pytest.raises(UncertaintyError):
            measured(1.0, u, METRE, LENGTH)
    with pytest.raises(UnitError, match="m"):
        exact(1.0, METRE) + exact(1.0, SECOND)
    with pytest.raises(KeyError):
        unit(furlong=1)
    assert (exact(1.0, ONE) + exact(1.0, unit(rad=1))).value == 2


@pytest.mark.parametrize(
    ("parts", "U95"),
    [
        ([Part(1.0)], 1.959964),
        ([Part(1 / math.sqrt(12), "uniform")], 0.475),
        ([Part(1 / math.sqrt(12), "uniform")] * 2, 1 - math.sqrt(0.05)),
        ([Part(1.0, "t", 4)], 2.776445),
        ([Part(3.0), Part(4.0)], 5 * 1.959964),
        ([], 0.0),
    ],
)
def test_known_intervals(parts, U95):
    """Normal, uniform, two uniforms, Student: the closed forms."""
    assert pytest.approx(U95, rel=2e-4) == cover_95(parts).U95


@pytest.mark.parametrize(
    ("parts", "low", "high"),
    [
        (((1.0, "normal", 0), (0.6, "uniform", 0)), 0.94, 0.96),
        (((1.0, "uniform", 0), (0.7, "uniform", 0), (0.1, "normal", 0)), 0.94, 0.96),
        (((1.0, "t", 12), (0.4, "normal", 0)), 0.94, 0.96),
        (((1.0, "t", 4), (0.5, "uniform", 0)), 0.94, 0.99),
        (((0.6, "t", 2), (1.0, "normal", 0)), 0.94, 0.99),
    ],
)
def test_intervals_hold_95_percent(parts, low, high):
    """Over many experiments, scatters estimated anew in each, 95 % of the stated intervals hold the truth."""
    rng, hits, runs = np.random.default_rng(5), 0, 3000 if high < 0.97 else 1000
    for _run in range(runs):
        error, known = 0.0, []
        for u, shape, dof in parts:
            if shape == "t":
                error += rng.normal(0, u)
                known.append(Part(u * math.sqrt(rng.chisquare(dof) / dof), "t", dof))
            else:
                error += rng.normal(0, u) if shape == "normal" else u * math.sqrt(3) * rng.uniform(-1, 1)
                known.append(Part(u, shape))
        hits += abs(error) <= cover_95(known).U95
    assert low <= hits / runs <= high


@given(st.floats(1e-9, 1e9))
def test_rounding_loses_little(U):
    """To the nearest; two figures when the first is 1 or 2 or one would change it by more than 5 %, else one."""
    shown = rounded_uncertainty(U)
    assert abs(float(shown) - U) <= 0.05001 * U
    assert abs(float(shown) - U) <= 0.501 * 10.0 ** shown.as_tuple().exponent
    figures = len(shown.as_tuple().digits)
    assert figures <= 2
    one = float(f"{U:.0e}")
    wanted = 2 if f"{U:.8e}"[0] in "12" or str(one).strip("0.")[0] == "1" or abs(one - U) > 0.05 * U else 1
    assert figures == wanted


@pytest.mark.parametrize(
    ("value", "U", "text"),
    [
        (9.7864, 0.0589, "9.79 ± 0.06 m/s²"),
        (-1.23456, 0.0123, "−1.235 ± 0.012 m/s²"),
        (-0.0004, 0.2, "0.00 ± 0.20 m/s²"),
        (153_712.0, 1134.0, "153700 ± 1100 m/s²"),
        (12.0, 0.0, "12 m/s²"),
        (1.5, None, "1.5 m/s²"),
    ],
)
def test_statements(value, U, text):
    """The value is rounded to the place of its uncertainty; the minus is a minus."""
    assert stated(value, U, ACCELERATION) == text


def test_statements_at_the_edges():
    """Huge and tiny results take a power of ten; NaN is never shown; per cent has no absurd digits."""
    assert stated(1.234567e8, 2000.0, METRE) == "(1.234567 ± 0.000020)×10⁸ m"
    assert stated(3.2e-7, 4e-8) == "(3.2 ± 0.4)×10⁻⁷"
    assert value_and_uncertainty(math.nan, 1.0) == ("–", None)
    assert stated_percent(0.00443) == "± 0.44 %"
    assert stated_percent(0.0) == "± 0 %"


def test_json_has_no_nan():
    """A quantity in JSON has all its keys; one that cannot be computed is null."""
    shown = as_json(measured(9.79, 0.03, ACCELERATION, LENGTH))
    assert shown == {
        "value": 9.79, "u": 0.03, "U95": pytest.approx(0.0588, abs=1e-4), "k": pytest.approx(1.96, abs=1e-4),
        "dof": None, "unit": "m/s^2", "text": "9.79 ± 0.06 m/s²",
    }  # fmt: skip
    assert as_json(measured(1.0, 0.1, METRE, source("s", "reading", "", "t", 7)))["dof"] == pytest.approx(7)
    assert as_json(None) is None
    assert as_json(exact(math.nan)) is None


def test_budget_says_what_halving_helps():
    """Shares sum to one, largest first; halving a contribution gives the interval that then holds."""
    x = measured(1.0, 3.0, METRE, source("a", "reading", "Reading")) + measured(
        1.0, 4.0, METRE, source("b", "scale", "Scale")
    )
    lines = budget(x)
    assert [(line.label, round(line.share, 2)) for line in lines] == [("Scale", 0.64), ("Reading", 0.36)]
    assert sum(shares_by_kind(x).values()) == pytest.approx(1)
    assert expanded_if(x, lines[0], 0.5) == pytest.approx(1.96 * math.hypot(3, 2), rel=1e-4)
    assert budget(exact(1.0)) == []


@pytest.mark.parametrize(
    ("text", "si", "unit_text"),
    [("1.000 m", 1.0, "m"), ("30,5 cm", 0.305, "cm"), ("± 1 mm", 0.001, "mm"), ("12", 12.0, "m"),
     ("\u22122 km", -2000.0, "km"), ("1e-3m", 0.001, "m"), ("3 inch", 0.0762, "inch")],
)  # fmt: skip
def test_lengths_as_people_type_them(text, si, unit_text):
    """Units, a decimal comma, a plus-minus and a real minus are understood."""
    read = quantity_of(text, METRE, default_unit="m", example="1 m")
    assert (read.si, read.unit_text) == (pytest.approx(si), unit_text)


@pytest.mark.parametrize(
    "text", ["", "abc", "1 s", "1 kg", "1 furlongs per", "1 m__x", "1e99 m", "nan m", "1.2.3"]
)
def test_what_cannot_be_read_is_said(text):
    """Wrong dimensions and nonsense give a sentence with what was typed and an example or reason."""
    with pytest.raises(WrittenError) as caught:
        quantity_of(text, METRE, default_unit="m", example="1.000 m")
    assert len(str(caught.value)) < 200
    assert "\n" not in str(caught.value)


@given(st.text(max_size=60))
def test_no_text_breaks_the_reader(text):
    """Any text is read or refused with a sentence, never more."""
    for read in (number, lambda t: quantity_of(t, METRE, default_unit="m", example="1 m"), parse_unit):
        with contextlib.suppress(WrittenError, UnitError):
            read(text)


def test_units_multiply_and_print():
    """Units print for people and for files."""
    assert (METRE / SECOND).text == "m/s"
    assert ACCELERATION.ascii == "m/s^2"
    assert (unit(kg=1) * ACCELERATION).text == "N"
    assert (unit(kg=1) * VELOCITY).text == "kg·m/s"
    assert (ONE / (SECOND * unit(kg=1))).ascii == "1/(kg*s)"
    assert unit(m=0.5, s=-0.5) == VELOCITY**0.5
    assert PIXEL.text == "px"
    assert ONE.text == ""


@given(finite, positive)
def test_parse_unit_agrees_with_itself(value, u):
    """Going through centimetres and back changes nothing."""
    assume(u < abs(value))
    factor, read = parse_unit("cm")
    x = measured(value * factor, u * factor, read, LENGTH)
    assert float(x / factor) == pytest.approx(value)
    assert float((x / factor).u) == pytest.approx(u)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.integers(2, 6))
def test_apart_and_together_again(seed, n):
    """What each value has for itself and what many share: together they are all there is, whatever was done before."""
    rng = np.random.default_rng(seed)
    q = family(rng.normal(5, 1, n), rng.uniform(0.1, 1, n), METRE, source("own"))
    q = q.with_source(source("all"), rng.uniform(0.2, 1, n))
    neighbours = q.weighed(np.eye(n) - np.eye(n, k=1))
    for given_q, most in ((q, 1), (neighbours, 2)):
        own, common = given_q.split(most)
        assert own.u**2 + common.u**2 == pytest.approx(given_q.u**2)
        assert own.covariance() + common.covariance() == pytest.approx(given_q.covariance())
    if n > 2:
        assert q.split()[0].u == pytest.approx(only(q, source("own")).u)
        # of what all share the last neighbour's difference holds one alone
        assert {s.cause for s in neighbours.split(2)[1].sources} == {"all"}
    assert q.covariance_with(q) == pytest.approx(q.u**2)
    assert q.covariance_with(q.moved_to(q.value * 0)) == pytest.approx(q.u**2)
    assert np.all(q.covariance_with(family(q.value, 1.0, METRE, source("other"))) == 0)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.lists(st.integers(0, 3), min_size=4, max_size=12))
def test_means_of_groups_are_means(seed, labels):
    """Group means carry u/√m of what is independent and all of what is shared; a single group is the plain mean."""
    known = {label: i for i, label in enumerate(dict.fromkeys(labels))}
    group = np.array([known[label] for label in labels])
    rng = np.random.default_rng(seed)
    q = family(rng.normal(0, 1, len(group)), 0.3, METRE, source("own")).with_source(source("all"), 0.2)
    made = q.grouped(group, len(known))
    for i in range(len(known)):
        rows = np.flatnonzero(group == i)
        assert made.value[i] == pytest.approx(q.value[rows].mean())
        assert float(made[i].u) == pytest.approx(math.hypot(0.3 / math.sqrt(len(rows)), 0.2))
    assert made.covariance() == pytest.approx(np.diag(made.u**2 - 0.04) + 0.04)


def test_sources_can_be_replaced_widened_and_not_known():
    """One source for all, a factor on all, a covariance from outside, and an uncertainty nobody knows."""
    q = measured(3.0, 0.3, METRE, source("a")) + measured(1.0, 0.4, METRE, source("b"))
    one = in_one(q, 0.7, source("c"))
    assert (float(one), float(one.u), [s.cause for s in one.sources]) == (4, 0.7, ["c"])
    assert float(widened(q, 2.0).u) == pytest.approx(1.0)
    assert (-q).signed_elements() == {(source("a"), None): -0.3, (source("b"), None): -0.4}
    wanted = np.array([[2.0, -0.6], [-0.6, 1.0]])
    pair = with_correlated(exact(np.array([1.0, 2.0]), METRE), wanted, source("fit", dof=5, shape="t"))
    assert pair.covariance() == pytest.approx(wanted)
    assert float((pair[0] + pair[1]).u) == pytest.approx(math.sqrt(2 + 1 - 1.2))
    assert (pair[0] + pair[1]).coverage.dof == pytest.approx(5)
    open_ended = (unsure(q, source("?")) * 2.0) + 1.0 * q
    assert math.isnan(float(open_ended.u))
    assert math.isnan(open_ended.U95)
    assert float(open_ended) == 12
