"""What the table says in words: plots, lines, comparisons, schools, claims, worked examples, the student."""

import math

import numpy as np
import pytest
import tables
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core.lines.curves import Curve
from saltus.core.lines.straight import Line
from saltus.core.loads import load_for
from saltus.core.notation.line import as_text
from saltus.core.quantities import exact
from saltus.core.units import parse_unit
from saltus.exchange.graph import Lines, graph_of
from saltus.investigations.engine.evaluation import evaluate, is_left, result_verdict
from saltus.investigations.judgement.student import checked
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.drawing import shapes
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.view.comparisons import verdicts
from saltus.investigations.view.evidence import evidence, support
from saltus.investigations.view.gallery import GROUPS, catalogue, matches, plain_words
from saltus.investigations.view.plots import axis_words, base_column, choices, plotted, read_off, straightest
from saltus.investigations.view.substitution import substitution
from saltus.investigations.view.table_view import column_is_known, table_columns
from saltus.investigations.view.verdicts import (
    drawn_words,
    line_rows,
    line_sentences,
    meaning,
    result_rows,
    schools,
)
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import FREE, Claim, DrawnLine, Instrument, Plot
from saltus.simulate.trials import simulated_notebook

# -- the gallery -------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ids())
def test_every_investigation_can_be_chosen_by_what_it_is(name):
    """A drawing of known shapes, what one finds out, how it is measured, how long it takes, cautions."""
    recipe = recipe_named(name)
    assert len(shapes(recipe.drawing, name)) >= 3
    assert recipe.finds
    assert recipe.methods
    assert 10 <= recipe.minutes <= 60
    assert recipe.group in GROUPS
    assert recipe.texts["cautions"]
    assert recipe.texts["checks"]
    assert any(shape.kind in ("dim", "letter", "arrow") for shape in shapes(recipe.drawing, name))


def test_the_catalogue_is_found_by_words_equipment_and_way_to_measure():
    """All 28 and one's own; search takes words without accents and in any order."""
    assert len(catalogue()) == 29
    assert catalogue()[-1].id == FREE
    assert [r.group for r in catalogue()[:-1]] == sorted(
        (r.group for r in catalogue()[:-1]), key=GROUPS.index
    )
    spring = [r.id for r in catalogue() if matches(r, "spring")]
    assert {"hooke-static", "spring-oscillator", "whirling-spring"} <= set(spring)
    assert [r.id for r in catalogue() if matches(r, "STIFFNESS balance scale")] == ["hooke-static"]
    assert "free-fall" not in [r.id for r in catalogue() if matches(r, "", "stopwatch")]
    assert not [r for r in catalogue() if matches(r, "no such thing")]
    assert plain_words("Ångström É") == "angstrom e"


@pytest.mark.parametrize(
    "line",
    ["", "blob 1 2", "body 1 2 A", "body 1 2 3 C", "line 1", "line 1 2 3", "dim 1 2 3 x", "box 1 2 3 1e9"],
)
def test_a_drawing_that_is_none_is_told(line):
    """One sentence that names the file and the line."""
    with pytest.raises(RecipeError, match=r"mine\.toml, drawing"):
        shapes((line,), "mine.toml")
    with pytest.raises(RecipeError, match="at most"):
        shapes(("line 0 0 1 1",) * 61, "mine.toml")


@settings(max_examples=60, deadline=None)
@given(
    pieces=st.lists(st.sampled_from([5.0, 10.0, 20.0, 50.0, 100.0]), min_size=0, max_size=8),
    carrier=st.sampled_from([0.0, 10.0, 48.5, 50.0]),
    wanted=st.integers(10, 300),
)
def test_the_load_planner_comes_as_near_as_can_be(pieces, carrier, wanted):
    """No choice of the pieces comes nearer to the total; brute force over all of them says so."""
    found = load_for(float(wanted), carrier, pieces)
    if carrier > wanted:
        assert found is None
        return
    sums = {0.0}
    for piece in pieces:
        sums |= {s + piece for s in sums}
    best = min(abs(carrier + s - wanted) for s in sums)
    assert abs(found.total - wanted) == pytest.approx(best, abs=1e-6)
    assert sum(found.pieces) + carrier == pytest.approx(found.total)
    left = list(pieces)
    for piece in found.pieces:
        left.remove(piece)


G = "free-fall acceleration"


# -- plots -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ids())
def test_every_example_can_be_drawn_or_says_why_not(name):
    """Points with bars on the line, residuals on the same x; without a line a sentence that helps."""
    evaluation = evaluate(simulated_notebook(recipe_named(name), seed=2))
    plot = plotted(evaluation)
    graph = graph_of(evaluation, plot, Lines(band=True, extremes=True, other=True))
    if not evaluation.recipe.fits:
        assert graph is None
        assert "Choose a plot" in plot.trouble
        return
    fit = plot.fit
    assert isinstance(fit, Line | Curve)
    assert graph.residuals.x_range == graph.chart.x_range
    across, up = graph.units
    low, high = (across * end for end in graph.chart.x_range)
    assert np.all((fit.x.value >= low) & (fit.x.value <= high))
    assert pytest.approx(graph.factor * 1.959964 * fit.y.u, rel=1e-4) == up * graph.chart.points[0].U
    assert graph.factor in (1, 2, 5, 10, 20, 50, 100)
    assert ("drawn" in graph.chart.plate) == (graph.factor > 1)
    model = graph.chart.curves[0]
    inside = up * np.interp(fit.x.value, across * model.x, model.y)
    assert fit.y.value - inside == pytest.approx(fit.residuals, abs=0.02 * float(np.ptp(fit.y.value)))


def test_any_column_against_any_column():
    """A chosen plot has its own line; the results of the investigation do not change by it."""
    notebook = tables.pendulum(lengths=(0.3, 0.5, 0.7, 0.9, 1.1), spread=0.01)
    before = {n: float(q) for n, q in tables.results(notebook).items()}
    chosen = edits.change_table(notebook, plot=Plot(x="sqrt(length)", y="period", model="proportional"))
    evaluation = evaluate(chosen)
    fit = plotted(evaluation).fit
    assert fit.through_origin
    assert float(fit.slope) == pytest.approx(2 * math.pi / math.sqrt(9.81), rel=1e-3)
    assert {n: float(q) for n, q in evaluation.outcome.results.items()} == pytest.approx(before)
    curve = edits.change_table(notebook, plot=Plot(x="period", y="length", model="quadratic"))
    assert isinstance(plotted(evaluate(curve)).fit, Curve)
    offered = dict(choices(evaluation))
    assert offered["period^2"] == "T²"
    assert offered["sqrt(length)"] == "√L"
    assert offered["1/time"] == "1/t"
    nonsense = evaluate(edits.change_table(notebook, plot=Plot(x="gone", y="period")))
    assert plotted(nonsense).trouble
    assert nonsense.outcome.results["g"] is not None


def test_the_straightest_transform_is_offered_first():
    """For a pendulum T² against L, and T against √L, lie above all others."""
    evaluation = evaluate(tables.pendulum(lengths=(0.2, 0.4, 0.6, 0.8, 1.0)))
    found = straightest(evaluation, "length", "period")
    assert {found[0].words, found[1].words} == {"T² against L", "T against √L"}
    assert found[1].rms < 1e-3 < found[2].rms
    assert [f.rms for f in found] == sorted(f.rms for f in found)
    assert straightest(evaluation, "length", "nothing") == []
    assert base_column("period^2") == "period"
    assert base_column("period*length") == ""
    assert axis_words(evaluation, "ln(mass/1[kg])") == "ln(m/kg)"


def test_trials_that_do_not_count_stay_on_the_graph():
    """Set aside: open, with the reason beside it; its place is that of its own numbers."""
    notebook = tables.pendulum(spread=0.02)
    place = tables.ids(notebook)[4]
    notebook = edits.set_cells(notebook, {(place, "time"): "16"})
    notebook = edits.change_trial(notebook, place, status="set-aside", reason="touched the clamp")
    evaluation = evaluate(notebook)
    plot = plotted(evaluation)
    (aside,) = plot.aside
    assert (aside.x, aside.y) == (pytest.approx(0.5), pytest.approx(1.6**2))
    points = graph_of(evaluation, plot).chart.points[-1]
    assert points.hollow.all()
    assert points.notes == ("set aside: touched the clamp",)


def test_series_have_lines_of_their_own():
    """Split by a column of words, each series gives its own slope."""
    rows = [
        {"x": f"{i}", "y": f"{slope * i}", "who": name}
        for name, slope in (("wren", 2.0), ("heron", 3.0))
        for i in range(1, 5)
    ]
    notebook = tables.free([("x", "s", ""), ("y", "m", "")], rows)
    own = (*notebook.trials.own, notebook.trials.own[0].but(name="who", title="who", kind="text", unit=""))
    notebook = edits.change_table(notebook, own=own, plot=Plot(x="x", y="y", by="who"))
    plot = plotted(evaluate(notebook))
    assert [s.name for s in plot.series] == ["wren", "heron"]
    assert [float(s.fit.slope) for s in plot.series] == pytest.approx([2.0, 3.0])
    graph = graph_of(evaluate(notebook), plot)
    assert [p.look for p in graph.chart.points] == [0, 1]
    assert graph.chart.ribbon is None


def test_a_value_is_read_off_across_and_down():
    """From T² of an unknown length back to that length, with the uncertainty of line and reading."""
    notebook = tables.pendulum(lengths=(0.3, 0.5, 0.7, 0.9, 1.1), spread=0.02)
    fit = plotted(evaluate(notebook)).fit
    y = exact(4 * math.pi**2 / 9.81 * 0.62, fit.y.unit)
    x = read_off(fit, y)
    assert float(x) == pytest.approx(0.62, abs=x.U95)
    graph = graph_of(evaluate(notebook), plotted(evaluate(notebook)), read=(float(x), float(y)))
    assert graph.chart.curves[-1].style == "dotted"
    tray = evaluate(simulated_notebook(recipe_named("vibrating-tray")))
    plot = plotted(tray)
    assert [name for name, _q in plot.unknown] == ["mass_x"]
    assert any(c.style == "dotted" for c in graph_of(tray, plot).chart.curves)


def test_a_line_drawn_by_hand_stands_beside_the_fitted_one():
    """Slope from the triangle; how far it is from the fit; on other axes it is not shown."""
    notebook = tables.pendulum(lengths=(0.3, 0.5, 0.7, 0.9))
    drawn = DrawnLine(x="length", y="period^2", corners=((0.2, 0.8), (1.0, 4.0)))
    evaluation = evaluate(edits.change_table(notebook, drawn=drawn))
    plot = plotted(evaluation)
    words = drawn_words(evaluation, plot.fit)
    assert "rise 3.2 s²" in words
    assert "slope 4 s²/m" in words
    labels = [c.label for c in graph_of(evaluation, plot, drawn=drawn).chart.curves]
    assert "drawn by hand" in labels
    upright = drawn.but(corners=((0.2, 0.8), (0.2, 4.0)))
    assert "above each other" in drawn_words(evaluate(edits.change_table(notebook, drawn=upright)), plot.fit)
    other = edits.change_table(notebook, drawn=drawn, plot=Plot(x="length", y="period"))
    assert drawn_words(evaluate(other), plotted(evaluate(other)).fit) == ""


# -- in words ----------------------------------------------------------------------------------------


def stated_pendulum():
    """A pendulum whose uncertainties are stated."""
    notebook = tables.pendulum(lengths=(0.3, 0.5, 0.7, 0.9, 1.1), spread=0.03)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.04 s"))
    return edits.set_instrument(notebook, "length", Instrument(rule="stated", amount="1 mm"))


def test_the_line_says_what_it_means():
    """Through zero, it matters, where the uncertainty comes from, and the formula of the result."""
    evaluation = evaluate(stated_pendulum())
    fit = plotted(evaluation).fit
    assert [name for name, _text in line_rows(evaluation, fit)] == ["Slope", "Intercept"]
    marks = dict(line_sentences(evaluation, fit))
    words = " ".join(w for _m, w in line_sentences(evaluation, fit))
    assert "Passes through zero" in words
    assert "It matters" in words
    assert marks
    assert as_text(meaning(evaluation, "g")) == "g = 4π²/slope"


def test_no_effect_is_a_finding():
    """Times that do not change with the mass: no effect seen, and how large it could still be."""
    rows = [{"x": f"{m}", "y": t} for m in (1, 2, 3, 4) for t in ("1.41", "1.43", "1.42", "1.40")]
    evaluation = evaluate(tables.free([("x", "kg", ""), ("y", "s", "")], rows))
    words = " ".join(w for _m, w in line_sentences(evaluation, plotted(evaluation).fit))
    assert "is not ruled out" in words


def test_comparisons_are_told_three_ways():
    """By u, in per cent, by overlap; those with no effect stand last."""
    found = verdicts(evaluate(stated_pendulum()))
    first, last = found[0], found[-1]
    assert (first.of, first.other) == ("free-fall acceleration", "the given g")
    assert first.agree
    assert first.sentence.startswith("The two values agree: they lie ")
    assert "%" in first.further
    assert "overlap" in first.further
    assert last.other == "no effect"
    far = edits.set_given(stated_pendulum(), "g", "1.62(1) m/s^2")
    assert "values differ" in verdicts(evaluate(far))[0].sentence


def test_all_schools_stand_next_to_each_other():
    """Each school states the same value with its own ±; the switch of the notebook moves none of them."""
    notebook = stated_pendulum()
    rows = dict(schools(evaluate(notebook)))
    assert len(rows) == 6
    values = {text.split(" ")[0] for name, text in rows.items() if "figures" not in name}
    assert len({round(float(v), 1) for v in values}) == 1
    assert rows["Standard u as ±"] != rows["Standard, 95 %"]
    switched = evaluate(edits.change_table(notebook, convention="school"))
    assert dict(schools(switched)) == rows
    assert dict(result_rows(switched))[G] != dict(result_rows(evaluate(notebook)))[G]


def test_claims_must_rest_on_something_that_is_there():
    """A claim points to a result, a comparison or the line; what is gone is no evidence."""
    notebook = stated_pendulum()
    keys = {e.key for e in evidence(notebook)}
    assert {"result/g", "compare/g/g", "line/length/period^2"} <= keys
    held = Claim(id="claim-1", text="g", rests_on="result/g")
    assert support(notebook, held).words.startswith("free-fall acceleration = 9.8")
    # files of before version 9 went by the words of that time
    older = held.but(rests_on="compare/g/the given g")
    assert support(notebook, older).words == support(notebook, held.but(rests_on="compare/g/g")).words
    assert support(notebook, held.but(rests_on="result/mass")) is None
    assert support(notebook, held.but(rests_on="")) is None
    assert support(tables.table("pendulum", []), held) is None


def test_one_example_is_worked_with_own_numbers():
    """The formulas with the numbers of one trial, each line true by itself."""
    lines = substitution(evaluate(stated_pendulum()))
    period = next(as_text(line.equation) for line in lines if line.words.startswith("period"))
    assert period.startswith("T = t/n = 10.9")
    number = float(period.split(" = ")[-1].split()[0])
    assert number == pytest.approx(2 * math.pi * math.sqrt(0.3 / 9.81), rel=0.01)
    assert as_text(lines[-1].equation).startswith("g = 4π²/slope = 4π²/(4.0")
    assert substitution(evaluate(tables.table("pendulum", []))) == []


# -- what is left to the student ---------------------------------------------------------------------

PERIOD = exact(1.4185, parse_unit("s")[1])


@pytest.mark.parametrize(
    ("text", "verdict", "says"),
    [
        ("", "", ""),
        ("1.42", "agrees", "Follows"),
        ("1.4185 s", "agrees", "Follows"),
        ("1420 ms", "agrees", "Follows"),
        ("1,42", "agrees", "Follows"),
        ("14.185", "differs", "10 times too large"),
        ("0.709", "differs", "2 times too small"),
        ("-1.42", "differs", "sign"),
        ("1.55", "differs", "work it out again"),
        ("1.42 kg", "differs", "kg"),
        ("abc", "differs", "cannot be read"),
    ],
)
def test_a_typed_value_is_held_against_the_own_data(text, verdict, says):
    """Rounding is forgiven; a slip is named by its kind, the value itself is never told."""
    found, words = checked(text, PERIOD)
    assert found == verdict
    assert says in words
    assert "1.418" not in words.replace(text, "")


def test_what_is_left_to_the_student_is_told_nowhere():
    """Neither in the pill, the results, the means, the claims nor the example, until it is worked out."""
    notebook = edits.leave_to_student(stated_pendulum(), ["period"], ["g"])
    evaluation = evaluate(notebook)
    period = next(c for c in table_columns(evaluation) if c.name == "period")
    assert evaluation.headline is None
    assert dict(result_rows(evaluation))[G] == "left to you"
    assert not column_is_known(evaluation, period)
    assert "result/g" not in {e.key for e in evidence(notebook)}
    assert verdicts(evaluation)[0].key[0] != "g"
    assert not any(line.words.startswith("period") for line in substitution(evaluation))
    typed = {(t.id, "period"): f"{float(t.cells['time']) / 10:.3f}" for t in notebook.trials.trials}
    evaluation = evaluate(edits.set_cells(notebook, typed))
    assert column_is_known(evaluation, period)
    assert is_left(evaluation, "g")
    right = edits.type_result(notebook, "g", "9.8 m/s^2")
    evaluation = evaluate(right)
    assert result_verdict(evaluation, "g")[0] == "agrees"
    assert evaluation.headline[0] == "g"
    assert result_verdict(evaluate(edits.type_result(notebook, "g", "0.98")), "g")[0] == "differs"
    assert edits.leave_to_student(right, [], []).trials.left.results == {}
