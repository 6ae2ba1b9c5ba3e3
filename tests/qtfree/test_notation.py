"""Formulas as they are set: what stands on a line means the same as what was typed, with no bracket too few."""

import math
import re
from xml.etree import ElementTree as ET

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from saltus.core.formulas import FUNCTIONS as CALLS
from saltus.core.formulas import compute, parse
from saltus.core.notation.boxes import Word, read_symbol
from saltus.core.notation.line import as_html, as_text
from saltus.core.notation.mathml import NAMESPACE, as_mathml
from saltus.core.notation.setting import set_formula
from saltus.core.quantities import exact
from saltus.core.shown_unit import pretty_unit, quotient, shown_in, si
from saltus.core.statement import stated, stated_in, written_number
from saltus.core.units import ONE, UnitError, parse_unit, unit
from saltus.core.wording import Sentences
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.recipe import FUNCTIONS

SYMBOLS = {"time": "t", "angle": "θ", "omega_1": "ω_1", "length": "L", "mean_time": "t^2", "ratio": "L_2/L_1"}


def setting(text):
    """A formula with the symbols of a physicist."""
    return set_formula(parse(text, FUNCTIONS).tree, lambda name: read_symbol(SYMBOLS.get(name, name)))


@pytest.mark.parametrize(("typed", "line"), [
    ("2*angle/time^2", "2θ/t²"),
    ("4*pi^2/slope", "4π²/slope"),
    ("m*r*(g - r*a)/a", "m\u2009r\u2009(g − r\u2009a)/a"),
    ("combine(angle)", "mean of θ"),
    ("combine(w/(w - v))", "mean of w/(w − v)"),
    ("ln(v/1[m/s])", "ln(v/(m/s))"),
    ("sqrt(2*length/g)", "√(2L/g)"),
    ("-a/b", "−a/b"),
    ("1/(2*length)", "1/(2L)"),
    ("abs(a - b)", "|a − b|"),
    ("a/(b/c)", "a/(b/c)"),
    ("(a + b)^2", "(a + b)²"),
    ("exp(slope)", "exp(slope)"),
    ("sin(2*angle)/cos(angle)", "sin(2θ)/cos\u2009θ"),
    ("omega_1*mean_time", "ω₁\u2009t²"),
    ("step(time)", "Δt"),
    ("ratio - 1", "L₂/L₁ − 1"),
])  # fmt: skip
def test_what_stands_on_a_line(typed, line):
    """Factors side by side, powers high, no bracket that is not needed."""
    assert as_text(setting(typed)) == line


@st.composite
def formulas(draw, depth=3):
    """A formula of four names with all operators; powers are small numbers."""
    if depth == 0 or draw(st.booleans()):
        return draw(st.sampled_from(["a", "b", "c", "d", "2", "3.5"]))
    kind = draw(st.sampled_from(["+", "-", "*", "/", "^", "neg", "sqrt"]))
    left = draw(formulas(depth - 1))
    if kind == "neg":
        return f"(-({left}))"
    if kind == "sqrt":
        return f"sqrt({left})"
    if kind == "^":
        return f"({left})^{draw(st.sampled_from(['2', '3']))}"
    return f"({left}){kind}({draw(formulas(depth - 1))})"


def from_line(text):
    """The value of a formula written on a line, read back as a person would."""
    text = text.replace("−", "-").replace("·", "*").replace("√", "sqrt ")
    text = re.sub(r"([²³])", lambda m: f"^{'²³'.index(m[1]) + 2}", text)
    text = re.sub(r"sqrt ([a-d]|\d[\d.]*)", r"sqrt(\1)", text).replace("sqrt (", "sqrt(")
    text = re.sub(r"\u2009", "*", text)
    # a number close before a name or a bracket multiplies it
    return re.sub(r"(?<![a-z^])(\d[\d.]*)(?=[a-d(]|sqrt)", r"\1*", text)


@given(formulas())
def test_the_line_means_what_was_typed(typed):
    """Read back with the usual rules it gives the same number: brackets stand where they must."""
    values = {"a": 1.7, "b": -2.3, "c": 0.6, "d": 3.1}
    names = {n: exact(np.float64(v), ONE) for n, v in values.items()}
    tree = parse(typed)
    with np.errstate(all="ignore"):
        wanted = float(compute(tree, names))
        line = as_text(set_formula(tree.tree, lambda n: Word(n, italic=True)))
        got = float(compute(parse(from_line(line)), names))
    assert math.isnan(wanted) == math.isnan(got), line
    if math.isfinite(wanted):
        assert got == pytest.approx(wanted, rel=1e-9, abs=1e-12), line


@given(formulas())
def test_mathml_is_well_formed_and_holds_every_letter(typed):
    """Pages and word processors get one math element with the same names and numbers."""
    box = setting(typed)
    root = ET.fromstring(as_mathml(box, display=True))
    assert root.tag == f"{{{NAMESPACE}}}math"
    inside = "".join(root.itertext())
    assert sorted(re.findall(r"[a-d]", inside)) == sorted(re.findall(r"[a-d]", typed.replace("sqrt", "")))


def test_functions_of_formulas_are_all_set():
    """No function that formulas may use comes out as program text."""
    for name in (*CALLS, *FUNCTIONS):
        parts = "x, y" if name == "limits" else "x"
        line = as_text(setting(f"{name}({parts})"))
        assert "_" not in line
        assert not re.search(r"\b(sqrt|abs|combine|step|limits|asin|acos|atan|log10)\b", line), line


def test_rich_text_escapes_and_marks():
    """Symbols lean, words stand; what a title holds is text."""
    box = set_formula(parse("x/y^2").tree, lambda n: read_symbol("v_0") if n == "x" else Word("<b>"))
    assert as_html(box) == "<i>v</i><sub>0</sub>/&lt;b&gt;<sup>2</sup>"


@pytest.mark.parametrize(("value", "figures", "text"), [
    (5e-5, 4, "5×10⁻⁵"), (-1.2345e-7, 3, "−1.23×10⁻⁷"), (123456.7, 4, "123500"), (2.5e7, 4, "2.5×10⁷"), (0.0, 4, "0"),
    (0.00012, 2, "0.00012"), (20000, 2, "20000"), (math.nan, 4, "–"), (999999.9, 4, "1000000"), (1234567.8, 4, "1.235×10⁶"),
])  # fmt: skip
def test_numbers_have_no_e(value, figures, text):
    """Tiny and huge numbers stand with a power of ten."""
    assert written_number(value, figures) == text
    assert "e" not in stated(value, abs(value) / 20, unit(kg=1))


def test_units_as_people_use_them():
    """Shown values and back; a slope has the unit of its axes where that reads well, else SI."""
    cm, g = shown_in("cm", unit(m=1)), shown_in("g", unit(kg=1))
    assert cm.stated(0.1234, 0.002) == "12.34 ± 0.20 cm"
    assert shown_in("deg", unit(rad=1)).stated(math.pi / 6, 0.01) == "30.0 ± 0.6°"
    assert shown_in("furlongs per", unit(m=1)) == si(unit(m=1))
    assert shown_in("s", unit(m=1)) == si(unit(m=1))
    newton = si(unit(kg=1, m=1, s=-2))
    assert quotient(newton, cm, unit(kg=1, s=-2)).text == "N/cm"
    assert quotient(newton, si(unit(rad=1, s=-2)), unit(kg=1, m=1, rad=-1)).text == "kg·m"
    assert quotient(g, si(ONE), unit(kg=1)).factor == 0.001
    assert pretty_unit("m/s^2") == "m/s²"
    assert stated_in(12.3, 0.4, "°") == "12.3 ± 0.4°"
    assert unit(kg=1, m=2, rad=-1).text == "kg·m²"
    assert unit(s=1, rad=-1).ascii == "s/rad"


@pytest.mark.parametrize(("written", "factor"), [
    ("rps", 1.0), ("rev/s", 1.0), ("cycles/s", 1.0), ("RPM", 1 / 60), ("x10^-3 kg", 1e-3), ("×10⁻³ kg", 1e-3), ("10^-3 s", 1e-3),
    ("mm.", 1e-3), ("turns/min", 1 / 60),
])  # fmt: skip
def test_more_spellings_of_units(written, factor):
    """Turns in a time are frequencies, powers of ten stand before a unit, a full stop behind it is none of it."""
    assert parse_unit(written)[0] == pytest.approx(factor)


@pytest.mark.parametrize("written", ["ms2", "ms^2", "mS", "cms2"])
def test_two_meanings_are_told(written):
    """Nobody is read as meaning one of two: the sentence has both."""
    with pytest.raises(UnitError, match=r"can mean .+ or "):
        parse_unit(written)


def test_sentences_have_no_e_either():
    """A number in a sentence of any package stands with a power of ten where it is tiny or huge."""
    say = Sentences({"small": "{x:.3g} s and {n:d} and {words}"})
    assert say("small", x=1.5e-7, n=3, words="1e-5 m") == "1.5×10⁻⁷ s and 3 and 1e-5 m"
    assert say("small", x=2.5, n=3, words="").startswith("2.5 s")
    assert say("small", x=1.5e-7, n=3, words="").values["x"] == 1.5e-7


def test_symbols_of_the_catalogue_can_be_written_as_plain_text():
    """No symbol needs a mark that plain letters have not: no underscore, no raised mark left over."""
    for name in ids():
        recipe = recipe_named(name)
        for known, naming in recipe.names.items():
            line = as_text(recipe.symbol_of(known))
            assert not set(line) & set("_^"), (name, known, line)
            if naming.symbol:
                assert len(line) <= 7
                assert as_html(recipe.symbol_of(known)).count("<i>") >= 1
            # in one investigation two typed things never share a symbol
        typed = [
            recipe.names[n].symbol for n in recipe.columns if n in recipe.names and recipe.names[n].symbol
        ]
        assert len(typed) == len(set(typed)), (name, typed)
