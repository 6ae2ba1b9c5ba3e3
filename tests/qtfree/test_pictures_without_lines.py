"""What stands where there is no line: each point, bar and path has the value it must have; and what comes next."""

import math

import numpy as np
import pytest

from saltus.core.motion.flight_path import flight_height
from saltus.exchange.pictured import picture_of
from saltus.exchange.report import (
    Answer,
    EquationRow,
    Figure,
    Heading,
    Pair,
    Paragraph,
    Table,
    in_rows,
    report_of,
)
from saltus.exchange.trials_sheet import describe_trials
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.file import read_recipe
from saltus.investigations.recipe.recipe import PICTURES, RecipeError
from saltus.investigations.view.next_step import next_on_graph, next_on_trials, next_question
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.trials import Plot, TrialTable
from saltus.simulate.trials import simulated_notebook


def evaluated(name, **givens):
    """An investigation with simulated trials, some givens typed anew."""
    notebook = simulated_notebook(recipe_named(name))
    for given, text in givens.items():
        notebook = edits.set_given(notebook, given, text)
    return evaluate(notebook)


def test_before_and_after_are_the_sums_of_each_run():
    """Carts: m₁v₁ + m₂v₂ and both kinetic energies, as bars from zero in the units of the axes."""
    evaluation = evaluated("inelastic-collision")
    graph, words = picture_of(evaluation)
    assert graph.alike
    assert "before and after" in words
    m1, m2 = (float(evaluation.givens[n]) for n in ("mass_1", "mass_2"))
    v1, after = (evaluation.columns[n].value for n in ("v1_before", "v_after"))
    first, second = graph.chart.bars
    assert first.y == pytest.approx(m1 * v1)
    assert second.y == pytest.approx((m1 + m2) * after)
    energies = [bars.y for bars in graph.residuals.bars]
    assert energies[0] == pytest.approx(m1 * v1**2 / 2)
    assert energies[1] == pytest.approx((m1 + m2) * after**2 / 2)
    assert (graph.chart.y.unit, graph.residuals.y.unit) == ("kg·m/s", "J")
    assert [bars.label for bars in graph.chart.bars] == ["before", "after"]
    low, high = graph.chart.ranges[1]
    assert low <= 0
    assert high > 1.1 * first.y.max()


@pytest.mark.parametrize(("givens", "added"), [
    ({"shape": "disc", "mass": "0.8 kg", "radius": "9 cm"}, 0.8 * 0.09**2 / 2),
    ({"shape": "ring", "mass": "0.5 kg", "inner_radius": "5 cm", "outer_radius": "9 cm"}, 0.5 * (0.05**2 + 0.09**2) / 2),
    ({"shape": "plate", "mass": "0.4 kg", "side_a": "10 cm", "side_b": "20 cm"}, 0.4 * (0.1**2 + 0.2**2) / 12),
    ({"shape": "none", "inertia_added_known": "0.004 kg*m^2"}, 0.004),
])  # fmt: skip
def test_what_is_dropped_says_which_momentum_follows(givens, added):
    """The shape that is given, or the known inertia, stands in the momentum after."""
    evaluation = evaluated("spin-drop", **givens)
    graph, _words = picture_of(evaluation)
    before = float(evaluation.givens["inertia_before"])
    omega = evaluation.columns["omega_after"].value
    assert graph.chart.bars[1].y == pytest.approx((before + added) * omega, rel=1e-9)


def test_without_what_was_added_the_results_are_shown():
    """Nothing is known of what was dropped: no momentum after is made up, the added inertias stand there."""
    notebook = simulated_notebook(recipe_named("spin-drop"))
    table = notebook.trials
    table = table.but(givens={n: t for n, t in table.givens.items() if n == "inertia_before"})
    graph, _words = picture_of(evaluate(notebook.but(trials=table)))
    assert graph.chart.bars == ()
    assert len(graph.chart.points[0].x) == len(table.trials)
    assert graph.chart.levels[0][2] == "mean, 95 %"


def test_results_stand_about_their_mean():
    """Each point is the row's own value with its bar; the level is the result with its 95 %, in one unit."""
    evaluation = evaluated("whirl-unknown-mass")
    graph, _words = picture_of(evaluation)
    (points,) = graph.chart.points
    value, half, _mean = graph.chart.levels[0]
    name, q = evaluation.headline
    assert (name, graph.chart.y.unit) == ("mass", "g")
    assert points.y == pytest.approx(1000 * evaluation.columns["m"].value)
    assert (value, half) == pytest.approx((1000 * float(q), 1000 * q.U95))
    assert np.all(points.U >= 0)
    assert [words for _x, words in graph.chart.x_names] == [str(i + 1) for i in range(len(points.x))]


def test_trials_that_do_not_count_are_not_in_the_picture():
    """A failed run has no bar and no point; the others keep the number of their row."""
    notebook = simulated_notebook(recipe_named("weigh-in-liquid"))
    notebook = edits.change_trial(notebook, notebook.trials.trials[1].id, status="failed", reason="slipped")
    graph, _words = picture_of(evaluate(notebook))
    assert [words for _x, words in graph.chart.x_names] == ["1", "3", "4", "5", "6"]


@pytest.mark.parametrize("name", ["horizontal-launch", "level-launch", "launch-unknown-angle"])
def test_flights_go_through_what_was_measured(name):
    """The predicted path starts where it was launched and lands where it was measured, within 3 %."""
    evaluation = evaluated(name)
    graph, words = picture_of(evaluation)
    assert "without air" in words
    points = graph.chart.points[0]
    for curve in graph.chart.curves:
        assert curve.x[0] == 0
        landing = curve.x[-1]
        assert np.min(np.abs(points.x - landing)) < 1e-9
        assert abs(curve.y[-1]) < 0.03 * curve.x[-1] + 0.03 * curve.y.max()
        start = points.y[np.argmin(np.abs(points.x) + np.abs(points.y - curve.y[0]))]
        assert curve.y[0] == pytest.approx(start)
    assert len(graph.chart.curves) == max(len(evaluation.groups), 1) if evaluation.recipe.level else True


def test_the_path_is_that_of_free_flight():
    """Apex v² sin²θ/2g half way, landing at v² sin 2θ/g; level throws fall ½gt²."""
    v, angle, g = 5.0, math.radians(40), 9.81
    reach = v**2 * math.sin(2 * angle) / g
    assert flight_height([0, reach / 2, reach], v, angle, g) == pytest.approx(
        [0, (v * math.sin(angle)) ** 2 / (2 * g), 0], abs=1e-12
    )
    assert flight_height(v * 0.3, v, 0.0, g, 1.0) == pytest.approx(1.0 - g * 0.3**2 / 2)


def test_the_record_carries_its_points():
    """The trace is what was recorded; the points lie on it, in order, with their names."""
    evaluation = evaluated("cord-jump")
    graph, _words = picture_of(evaluation)
    (trace,), (points,) = graph.chart.curves, graph.chart.points
    assert len(trace.x) == 1600
    assert np.all(np.diff(trace.x) >= 0)
    assert np.all(np.diff(points.x) >= 0)
    assert points.y == pytest.approx(np.interp(points.x, trace.x, trace.y))
    assert len(points.notes) == len(points.x) > 3


@pytest.mark.parametrize("name", [n for n in ids() if recipe_named(n).picture])
def test_a_chosen_plot_comes_before_the_picture(name):
    """Who chooses axes sees what was chosen; an empty table shows nothing and says what to do."""
    recipe = recipe_named(name)
    assert recipe.picture in PICTURES
    notebook = simulated_notebook(recipe)
    columns = [n for n, c in recipe.columns.items() if c.kind == "number" and not c.optional]
    chosen = edits.change_table(notebook, plot=Plot(x=columns[0], y=columns[-1]))
    assert picture_of(evaluate(chosen)) is None
    empty = evaluate(edits.start(Notebook(), TrialTable(investigation=name), ""))
    assert picture_of(empty) is None
    assert next_on_trials(empty)
    assert next_on_graph(empty, drawn=False)


def test_words_as_levels_show_their_means():
    """Settings that are words have no trend: each has its mean with its bar, under its name."""
    notebook = simulated_notebook(recipe_named("guided-run"))
    names = {"1": "steel", "2": "glass", "3": "felt", "4": "cork"}
    cells = {(t.id, "level"): names[t.cells["level"]] for t in notebook.trials.trials}
    evaluation = evaluate(edits.set_cells(notebook, cells))
    graph, words = picture_of(evaluation)
    assert [name for _x, name in graph.chart.x_names] == list(names.values())
    means = [float(evaluation.outcome.results[f"mean_{n}"]) for n in names.values()]
    assert graph.chart.points[0].y == pytest.approx(means)
    assert "95 % bar" in words


# -- what comes next ---------------------------------------------------------------------------------


def with_levels(name, count):
    """An investigation with so many of its levels."""
    notebook = simulated_notebook(recipe_named(name))
    level = recipe_named(name).level[0]
    wanted = list(dict.fromkeys(t.cells[level] for t in notebook.trials.trials))[:count]
    kept = tuple(t for t in notebook.trials.trials if t.cells[level] in wanted)
    return evaluate(notebook.but(trials=notebook.trials.but(trials=kept)))


@pytest.mark.parametrize(("count", "words"), [
    (1, "Take another level, with another length"), (2, "3 more levels make five"), (4, "One more level makes five"),
    (6, "See the graph"),
])  # fmt: skip
def test_levels_are_asked_for_where_a_line_needs_them(count, words):
    """Up to five, by their number; then the graph."""
    assert words in next_on_trials(with_levels("pendulum", count))


@pytest.mark.parametrize(
    "name", ["falling-mass-inertia", "weigh-in-liquid", "inelastic-collision", "cord-jump"]
)
def test_no_levels_are_asked_for_where_there_is_no_line(name):
    """One run: take it again; many: see how they lie, then say what is claimed."""
    notebook = simulated_notebook(recipe_named(name))
    whole = evaluate(notebook)
    assert "level" not in next_on_trials(whole)
    assert "See on Graph" in next_on_trials(whole)
    assert "Findings" in next_on_graph(whole, drawn=True)
    assert next_question(whole).startswith("What next? ")
    if recipe_named(name).record:
        return
    one = evaluate(notebook.but(trials=notebook.trials.but(trials=notebook.trials.trials[:1])))
    assert "Take it again" in next_on_trials(one)


def test_a_bad_cell_comes_first():
    """Whatever else there is to do, a cell that cannot be read is said before it."""
    notebook = simulated_notebook(recipe_named("pendulum"))
    broken = edits.set_cells(notebook, {(notebook.trials.trials[0].id, "time"): "soon"})
    assert "1 cell needs a look" in next_on_trials(evaluate(broken))


# -- the order of a sheet ----------------------------------------------------------------------------


def test_a_report_is_in_the_order_it_is_read():
    """Result, method, figure, table, what follows; figures and tables are numbered as they come."""
    notebook = simulated_notebook(recipe_named("pendulum"))
    report = report_of(describe_trials(notebook, evaluate(notebook)), {"graph"})
    kinds = [type(b) for b in in_rows(report.blocks)]
    assert kinds[:2] == [Heading, Answer]
    assert kinds.index(EquationRow) < kinds.index(Figure) < kinds.index(Table) < kinds.index(Pair)
    captions = [b.caption for b in report.blocks if isinstance(b, Figure | Table) and b.caption]
    assert [c.split(".")[0] for c in captions] == ["Figure 1", "Table 1"]
    assert report.blocks[-1] == Paragraph(notebook.remarks)


# -- what a teacher may write --------------------------------------------------------------------------

SMALL = """
id = "drip"
title = "A dripping tap"
group = "My own"
question = "How fast does it drip?"
{top}
[columns]
drops = {{}}
time = {{ unit = "s" }}
[rows]
beat = "time/drops"
[results]
rate = "combine(beat)"
{more}
"""


@pytest.mark.parametrize(("top", "more", "says"), [
    ('headline = "speed"', "", "“speed” is no result"),
    ('picture = "painting"', "", "pictures are: results, before-after"),
    ('drawn = "line"', "", "“line” is no fit"),
    ("", '[names]\ntime = { symbol = "the time" }', "a symbol is expected here"),
    ("", '[names]\ntime = { unit = "gallop" }', "gallop"),
    ("", '[names]\ntime = { sign = "t" }', "“sign” is not known here"),
    ("", '[ends]\nrate = ["slow"]', "two texts are expected here"),
    ("", '[pictured]\nmomentum_1 = "mass*speed"', "mass"),
])  # fmt: skip
def test_faults_in_what_a_recipe_says_of_itself(top, more, says):
    """One sentence with its place for every new part of the file."""
    with pytest.raises(RecipeError) as told:
        read_recipe(SMALL.format(top=top, more=more), "drip.toml")
    assert says in str(told.value)
    assert str(told.value).startswith("drip.toml, ")


def test_a_recipe_without_names_still_reads_well():
    """Names with blanks, no symbol, SI units: nothing is required of an old file."""
    recipe = read_recipe(SMALL.format(top="", more=""), "drip.toml")
    assert recipe.title_of("rate") == "rate"
    assert recipe.unit_of("time") == ""
    assert recipe.order == ("rate",)
    named = read_recipe(
        SMALL.format(
            top="", more='[names]\nbeat = { symbol = "T", name = "time between drops", unit = "ms" }'
        ),
        "d.toml",
    )
    assert named.title_of("beat") == "time between drops"
    assert named.shown("beat", named.columns["time"].unit).stated(0.5) == "500 ms"
