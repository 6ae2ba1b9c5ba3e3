"""What people write: quantities, units, headers, formulas; instruments, repeats; and how results are checked and rounded."""

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from made import source

from saltus.core.compare import compare
from saltus.core.coverage import NORMAL_95
from saltus.core.entry import entry
from saltus.core.formula_order import in_order
from saltus.core.formulas import FUNCTIONS, FormulaError, compute, parse
from saltus.core.instruments import Instrument, weighed_together
from saltus.core.montecarlo import check
from saltus.core.quantities import exact, family, measured
from saltus.core.quantity import Quantity, UncertaintyError
from saltus.core.repeats import grubbs_limit, mean_of, summary
from saltus.core.statement import as_json, to_figures, to_places
from saltus.core.units import ACCELERATION, METRE, ONE, RADIAN, SECOND, UnitError, parse_unit, unit
from saltus.core.with_uncertainty import unsure
from saltus.core.written import WrittenError
from saltus.exchange.tables import parse_table


@pytest.mark.parametrize(
    ("text", "value", "u"),
    [
        ("12.3(2) cm", 0.123, 0.002), ("0.164 ± 0.001 kg", 0.164, 0.001), ("52.81 g", 0.05281, None),
        ("3*30+12 cm", 1.02, None), ("3*30+12 ± 0.1 cm", 1.02, 0.002), ("2.40 m ± 1 %", 2.4, 0.024),
        ("2.40±1% m", 2.4, 0.024), ("2.40±1%m", 2.4, 0.024), ("0,15 +/- 0,01 m", 0.15, 0.01),
        ("9.79 ± 0.06 m/s^2 (95 %)", 9.79, 0.06 / NORMAL_95), ("1.20 m ± 5 mm", 1.2, 0.005), ("−1.5e-3 m", -0.0015, None),
        ("12.30(15) g", 0.0123, 0.00015), ("9,81(1) m/s²", 9.81, 0.01), ("2*0.5 m", 1.0, None), ("6.00(3)e-3 kg*m^2", 0.006, 0.00003), ("1.50(2)·10^-3 kg/m", 0.0015, 0.00002), ("30", 30.0, None),
    ],
)  # fmt: skip
def test_quantities_as_people_write_them(text, value, u):
    """Digits in brackets, ±, per cent, placements, decimal comma, 95 %: SI value and standard uncertainty."""
    read = entry(text)
    assert read.value == pytest.approx(value, rel=1e-12)
    assert read.u == (None if u is None else pytest.approx(u, rel=1e-12))


@pytest.mark.parametrize(
    ("text", "wanted", "words"),
    [
        ("12 cm", unit(kg=1), "kg is expected"), ("abc", None, "cannot be read"), ("1 zork", None, "not a unit"),
        ("1e400 m", METRE, "too large"), ("5 m ± 1 s", METRE, "m is expected"), ("", METRE, "cannot be read"),
        ("1 m ± -2 m", METRE, "cannot be read"), ("12" * 200, METRE, "cannot be read"),
    ],
)  # fmt: skip
def test_what_cannot_be_meant_is_named(text, wanted, words):
    """One sentence with the place, what stands there, and what is expected."""
    with pytest.raises(WrittenError, match=words) as told:
        entry(text, wanted, where="line 3, “mass”")
    assert str(told.value).startswith("line 3")


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=60))
def test_any_text_is_read_or_refused(text):
    """Never anything but a quantity or a sentence."""
    for read in (entry, parse_unit, lambda t: compute(parse(t), {})):
        try:
            read(text)
        except (WrittenError, UnitError, FormulaError):
            continue


@settings(max_examples=100, deadline=None)
@given(
    st.integers(-9999, 9999),
    st.integers(0, 4),
    st.integers(1, 99),
    st.sampled_from(["m", "cm", "mm", "kg", "ms", "deg"]),
)
def test_digits_in_brackets_count_in_the_last_place(number, places, last, name):
    """Whatever the number and its unit, (n) is n steps of its last digit."""
    written = f"{number / 10**places:.{places}f}"
    read = entry(f"{written}({last}) {name}")
    factor = parse_unit(name)[0]
    assert read.value == pytest.approx(float(written) * factor, rel=1e-12)
    assert read.u == pytest.approx(last * 10.0**-places * factor, rel=1e-9)


def test_units_as_people_write_them():
    """Powers, products, prefixes, words; turns a minute are a frequency or an angular speed as is wanted."""
    newton = unit(kg=1, m=1, s=-2)
    for name, factor, wanted in (
        ("m s⁻²", 1, ACCELERATION), ("kg·m²", 1, unit(kg=1, m=2)), ("g/m", 1e-3, unit(kg=1, m=-1)), ("mN", 1e-3, newton),
        ("1/s", 1, unit(s=-1)), ("min", 60, SECOND), ("m/(s*s)", 1, ACCELERATION), ("%", 0.01, ONE), ("seconds", 1, SECOND),
    ):  # fmt: skip
        assert parse_unit(name) == (pytest.approx(factor), wanted)
    assert entry("120 rpm", unit(s=-1)).value == pytest.approx(2)
    assert entry("120 rpm", unit(rad=1, s=-1)).value == pytest.approx(4 * math.pi)
    assert (newton.ascii, unit(kg=1, s=-2).ascii, unit(kg=1, m=2, s=-2).ascii) == ("N", "N/m", "N*m")


@pytest.mark.parametrize("head", ["mass [g]", "mass / g", "mass (g)", " mass  [ g ] "])
def test_headers_as_people_write_them(head):
    """Three ways to write a unit; the uncertainty's column keeps its brackets; ; and decimal comma understood."""
    table = parse_table(f"{head};u(mass) [g]\n12,5;0,1\n", "t.csv")
    assert table.columns["mass"].unit == "g"
    assert table.numbers("mass", unit(kg=1)) == pytest.approx([0.0125])
    assert table.numbers("u(mass)", unit(kg=1)) == pytest.approx([0.0001])


def test_instruments():
    """Rule, zero and accuracy become sources of their own; many weighed together divide their uncertainty."""
    scale = Instrument("scale", "divided", 0.001, zero=0.002, u_zero=0.0005, percent=1.0)
    read = scale.read([0.1, 0.3], METRE)
    assert read.value == pytest.approx([0.098, 0.298])
    accuracy, zero = 0.01 / math.sqrt(3), 0.0005
    assert read.u == pytest.approx([math.hypot(1e-3 / math.sqrt(12), zero, accuracy * v) for v in (0.1, 0.3)])
    assert float((read[1] - read[0]).u) == pytest.approx(
        math.hypot(math.sqrt(2) * 1e-3 / math.sqrt(12), accuracy * 0.2)
    )
    assert float(Instrument("rod", resolution=0.001).read(1.02, METRE, placements=4).u) == pytest.approx(
        2e-3 / math.sqrt(12)
    )
    one = weighed_together(measured(0.1, 0.0002, unit(kg=1), source("batch")), 20)
    assert (float(one), float(one.u)) == pytest.approx((0.005, 0.00001))
    for bad in (Instrument("x", resolution=-1), Instrument("x", percent=math.inf)):
        with pytest.raises(UncertaintyError):
            bad.read(1.0, METRE)
    with pytest.raises(UncertaintyError):
        weighed_together(one, 0)


def test_repeats_are_judged():
    """Spread, odd values, and whether the scatter is more or less than what is explained."""
    found = summary(np.array([2.31, 2.38, 2.29, 2.35, 3.1]), 0.04)
    assert found.odd == (4,)
    assert found.consistency == "more"
    assert found.half_range == pytest.approx(0.405)
    assert summary(np.array([1.0, 1.1, 0.9, 1.05]), 0.08).consistency == "consistent"
    assert summary(np.full(8, 2.0) + 1e-4 * np.arange(8), 0.5).consistency == "less"
    assert summary(np.array([1.0, 1.1, 5.0])).odd == ()
    assert summary(np.full(6, 2.0)).odd == ()
    assert (summary(np.array([3.0])).sd, summary(np.array([])).mean) == (None, None)
    # published critical values, two-sided 5 %
    assert [grubbs_limit(n, 0.05) for n in (4, 6, 10)] == pytest.approx([1.481, 1.887, 2.290], abs=1e-3)


def test_scatter_and_what_is_stated_are_never_both_counted():
    """Stated parts stand unless χ² rejects them; what is shared is added once, undivided."""
    values = np.array([1.0, 1.02, 0.97, 1.01])
    shared = source("scale")
    q = family(values, 0.03, METRE, source("r")).with_source(shared, values * 0.01)
    mean = mean_of(q, "s")
    assert mean.parts()[shared] == pytest.approx(0.01)
    assert float(mean.u) == pytest.approx(math.hypot(0.015, 0.01), rel=1e-9)
    wide = mean_of(family(values, 0.002, METRE, source("r")), "s")
    assert float(wide.u) == pytest.approx(np.std(values, ddof=1) / 2)
    assert wide.coverage.dof == 3


def test_formulas_compute_with_units_and_shared_sources():
    """G from a pendulum; a difference with itself is exactly nothing; columns of a table at once."""
    length = measured(0.9, 0.001, METRE, source("L"))
    period = family(np.array([1.90, 1.91]), 0.01, SECOND, source("T"))
    g = compute(parse("4*π²·L/T^2"), {"L": length, "T": period})
    assert g.unit == ACCELERATION
    assert g.value == pytest.approx(4 * np.pi**2 * 0.9 / period.value**2)
    assert float(compute(parse("a - a"), {"a": length}).u) == 0
    assert float(compute(parse("√(a/1[m]) − 2^-1 + 25[cm]/1[m]"), {"a": exact(4.0, METRE)})) == pytest.approx(
        1.75
    )
    assert float(compute(parse("-2^2 + 3²"), {})) == 5
    assert np.isnan(float(compute(parse("sqrt(0 - 1)"), {})))


@settings(max_examples=150, deadline=None)
@given(st.recursive(
    st.sampled_from(["a", "b", "2", "0.5"]),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]}{t[1]}{t[2]})"),
        st.tuples(st.sampled_from(["sin", "exp", "atan", "abs"]), inner).map(lambda t: f"{t[0]}({t[1]})"),
    ),
    max_leaves=8,
))  # fmt: skip
@example("atan((a/(a-a)))")
@example("(1/(2/(b-b)))")
def test_formulas_mean_what_mathematics_means(text):
    """Any formula gives what plain arithmetic gives, and the uncertainty of a numerical derivative."""
    plain = {"sin": math.sin, "exp": math.exp, "atan": math.atan, "abs": abs}

    def by_hand(a, b):
        try:
            return eval(text, {"__builtins__": {}}, {**plain, "a": a, "b": b})  # noqa: S307
        except (ZeroDivisionError, OverflowError):
            return math.nan

    names = {"a": measured(0.7, 1e-6, ONE, source("a")), "b": measured(1.3, 2e-6, ONE, source("b"))}
    q = compute(parse(text), names)
    assert float(q) == pytest.approx(by_hand(0.7, 1.3), rel=1e-9, nan_ok=True) or not math.isfinite(float(q))
    if math.isfinite(float(q)) and abs(float(q)) < 1e6:
        by_a = (by_hand(0.7 + 1e-6, 1.3) - by_hand(0.7 - 1e-6, 1.3)) / 2
        by_b = (by_hand(0.7, 1.3 + 2e-6) - by_hand(0.7, 1.3 - 2e-6)) / 2
        assert float(q.u) == pytest.approx(math.hypot(by_a, by_b), rel=1e-2, abs=1e-11)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("a +", "wrong at"), ("sin(1[m])", "plain number"), ("foo(1)", "not a function"), ("a b", "wrong at"),
        ("2^(1[m])", "plain number"), ("9^9^9^9", "above 64"), ("(" * 240 + "1" + ")" * 240, "too long"),
        ("1[m] + 1[s]", "cannot be added"), ("2[zork]", "not a unit"), ("missing", "not there"), ("abs(1, 2)", "one value"),
        ("__import__('os')", "wrong at"), ("1" * 600, "too long"),
    ],
)  # fmt: skip
def test_formulas_that_cannot_be_meant(text, words):
    """One sentence each; nothing runs away."""
    with pytest.raises(FormulaError, match=words):
        compute(parse(text), {"a": exact(1.0)})


def test_columns_in_a_circle_are_named():
    """Derived columns come after what they need; a circle is told by its names."""
    order = in_order({"c": parse("b*2"), "b": parse("a+1"), "a": parse("typed")})
    assert order == ["a", "b", "c"]
    with pytest.raises(FormulaError, match="a → b → a"):
        in_order({"a": parse("b"), "b": parse("a")})
    assert set(FUNCTIONS) >= {"sqrt", "sin", "ln"}


def test_linear_propagation_is_checked_by_drawing():
    """Where a formula is straight enough nothing differs; near a pole or a fold it is told, with the true interval."""
    x = measured(1.0, 0.01, ONE, source("x"))
    straight = check(lambda n: n["x"] * 2, {"x": x})
    assert not straight.differs
    assert straight.high == pytest.approx(2 + 2 * 1.96 * 0.01, rel=2e-3)
    folded = check(lambda n: n["x"] * n["x"], {"x": measured(0.1, 0.5, ONE, source("x"))})
    assert folded.differs
    assert folded.low >= 0
    shared = check(lambda n: n["x"] - n["y"], {"x": x, "y": x})
    assert (shared.low, shared.high) == pytest.approx((0, 0), abs=1e-12)
    lost = check(lambda n: n["x"] ** 0.5, {"x": measured(-1.0, 0.1, ONE, source("x"))})
    assert lost.lost > 0.9


def test_values_are_held_against_each_other():
    """By 95 %, by overlap, in per cent, side by side; shared sources cancel; without an uncertainty nobody knows."""
    g, other = (
        measured(9.79, 0.03, ACCELERATION, source("a")),
        measured(9.81, 0.01, ACCELERATION, source("b")),
    )
    found = compare(g, other)
    assert (found.agree, found.overlap) == (True, True)
    assert found.percent == pytest.approx(-0.2039, abs=1e-4)
    assert compare(g, g + 0.001 * Quantity(1.0, ACCELERATION)).agree is False
    assert compare(exact(1.0), exact(1.0)).agree is None
    assert compare(unsure(exact(1.0), source("?")), exact(1.0)).agree is None
    assert as_json(unsure(exact(1.5), source("?")))["U95"] is None
    assert compare(exact(1.0), exact(0.0)).percent is None


def test_rounding_of_the_schools():
    """To significant figures, and to the places with which the data were read."""
    assert [to_figures(v, 3) for v in (9.8066, 0.0012345, 123456.0, -0.5)] == [
        "9.81",
        "0.00123",
        "123000",
        "−0.500",
    ]
    assert (to_figures(0.0, 3), to_figures(math.nan, 3)) == ("0", "–")
    assert (to_places(2.345, 2), to_places(-2.0, 1), to_places(0.04, 1)) == ("2.35", "−2.0", "0.0")
    assert float(compute(parse("a"), {"a": exact(math.pi / 6, RADIAN)})) == pytest.approx(0.5236, abs=1e-4)
