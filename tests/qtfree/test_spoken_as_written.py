"""All investigations as a person reads them: no machine name, no e-notation, only units that were chosen."""

import re
from functools import cache

import pytest

from saltus.core.notation.line import as_text
from saltus.exchange.graph import graph_of
from saltus.exchange.pictured import picture_of
from saltus.exchange.report import Answer, Equation, Figure, Heading, Pair, Paragraph, Table, report_of
from saltus.exchange.span import span_of
from saltus.exchange.trials_sheet import describe_trials, one_line
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.view import advice, comparisons, evidence, next_step, plots, table_view, verdicts
from saltus.investigations.view.naming import equation
from saltus.notebook.edits import trials as edits
from saltus.simulate.trials import simulated_notebook

MACHINE = re.compile(r"[A-Za-z]_[A-Za-z0-9]|\bcombine\(|\bsqrt\(|\*|\d\^|\bTrue\b|\bNone\b")
E_NOTATION = re.compile(r"\d[eE][-+]?\d")
WRONG_UNIT = re.compile(r"kg·m²/rad|\brad\b[^,;]*°|\d 1$|/ 1$|\bdeg\b|m/s\^2")
ABSURD = re.compile(r"\bnan\b|\binf\b|\b1 levels\b| \.(\s|$)|\(\)|[-+]\d+e")
UNITS_OF_PEOPLE = {"g", "cm", "mm", "°", "%", "g/m", "g/s"}


@cache
def filled(name, si=False):
    """A notebook of simulated trials of an investigation, a worked example asked for."""
    notebook = simulated_notebook(recipe_named(name))
    if si:
        notebook = edits.change_table(notebook, si=True)
    return notebook.but(findings=notebook.findings.but(substitution=True))


def of_block(block):  # noqa: PLR0911  a case for each kind of block
    """All words of a block of the sheet."""
    match block:
        case Heading(text) | Paragraph(text, _):
            return [text]
        case Answer(box, words):
            return [as_text(box), words]
        case Equation(words, box):
            return [words, as_text(box)]
        case Table(grid, caption):
            heads = [h if isinstance(h, str) else as_text(h) for h in grid.head]
            return [
                caption,
                grid.note,
                *heads,
                *map(as_text, grid.names),
                *(c for row in grid.rows for c in row),
            ]
        case Figure(_name, caption):
            return [caption]
        case Pair(left, right):
            return [words for one in (*left, *right) for words in of_block(one)]
    return []


def table_words(evaluation):
    """What the table shows: heads with formulas, cells, means, names and advice of levels."""
    for column in table_view.table_columns(evaluation):
        yield column.heading
        if column.formula:
            yield as_text(equation(evaluation, column.name, column.formula))
        yield from (
            table_view.cell_words(evaluation, row, column) for row in range(min(len(evaluation.rows), 4))
        )
        for group in evaluation.groups[:3]:
            yield from table_view.mean_words(evaluation, group, column)
    for group in evaluation.groups:
        yield from (table_view.group_title(evaluation, group), group.advice)


def result_words(notebook, evaluation):
    """What is said of results: lines, comparisons, what limits them, what comes next, warnings."""
    fit = plots.plotted(evaluation).fit
    for name, value in (*verdicts.result_rows(evaluation), *verdicts.schools(evaluation),
                        *verdicts.line_rows(evaluation, fit)):  # fmt: skip
        yield from (name, value)
    yield from (words for _mark, words in verdicts.line_sentences(evaluation, fit))
    for one in comparisons.verdicts(evaluation):
        yield from (one.of, one.other, one.sentence, one.further, one.unit.text)
    limits = advice.trial_limits(evaluation)
    if limits is not None:
        yield from (limits.title, limits.sentence, *(item[0] for item in limits.items))
    for one in evidence.evidence(notebook):
        yield from (one.name, one.words)
    yield next_step.next_on_trials(evaluation)
    yield next_step.next_on_graph(evaluation, drawn=True)
    yield one_line(evaluation)
    told = evaluation.outcome.warnings if evaluation.outcome is not None else ()
    yield from (notice.text for notice in (*slips_of(evaluation), *told))


def graphs(evaluation):
    """Graphs that are shown: of the line, else the picture."""
    graph = graph_of(evaluation, plots.plotted(evaluation))
    pictured = picture_of(evaluation) if graph is None else None
    return (graph, "") if graph is not None else pictured


def graph_words(evaluation):
    """Names of axes, choices of axes, the sentence under a picture."""
    yield from (words for _text, words in plots.choices(evaluation))
    graph, words = graphs(evaluation)
    yield words
    for chart in (graph.chart, graph.residuals):
        for label in (chart.x, chart.y) if chart is not None else ():
            yield from (label.symbol, label.unit, "".join(run.text for run in label.styled))


@pytest.mark.parametrize("si", [False, True])
@pytest.mark.parametrize("name", ids())
def test_no_machine_name_no_e_no_wrong_unit(name, si):
    """Nothing a program would write reaches a label, a graph, a sentence or the sheet of any investigation."""
    notebook = filled(name, si)
    evaluation = evaluate(notebook)
    sheet = describe_trials(notebook, evaluation)
    said = [*table_words(evaluation), *result_words(notebook, evaluation), *graph_words(evaluation)]
    said += [words for block in report_of(sheet, {"graph", "range"}).blocks for words in of_block(block)]
    assert len(said) > 60
    for words in said:
        for wrong in (MACHINE, E_NOTATION, WRONG_UNIT, ABSURD):
            found = wrong.search(words or "")
            # the exponential of a line is written so where letters cannot stand high
            assert found is None, (words, found)
    typed = evaluation.recipe.columns.keys()
    for title, value in verdicts.result_rows(evaluation) if si else ():
        unit = value.removesuffix(" (95\u00a0%)").split(" ")[-1]
        assert unit not in UNITS_OF_PEOPLE or title in typed, (title, value)


@pytest.mark.parametrize("name", ids())
def test_no_pane_is_empty(name):
    """Every investigation shows a graph or a picture, its question answered first, and a next step of its own."""
    notebook = filled(name)
    evaluation = evaluate(notebook)
    graph, _words = graphs(evaluation)
    shown = [*graph.chart.points, *graph.chart.curves, *graph.chart.bars]
    assert shown
    assert graph.chart.x.symbol
    assert graph.chart.y.symbol
    asked = evaluation.recipe.headline
    assert evaluation.headline is not None
    assert not asked or evaluation.headline[0] == asked
    line = bool(evaluation.recipe.fits) and bool(evaluation.recipe.level)
    assert line or "line to trust" not in next_step.next_on_trials(evaluation)
    assert evaluation.recipe.texts["roles"]
    assert evaluation.recipe.texts["same"]
    assert evaluation.recipe.texts["cautions"]
    filmed = "film" in evaluation.recipe.methods
    assert not filmed or any("before filming" in words for words in evaluation.recipe.texts["cautions"])


def test_the_inertia_leads_and_lies_between_its_ends():
    """The wheel: its inertia and not its acceleration, in kg·m², between axis and rim."""
    evaluation = evaluate(filled("falling-mass-inertia"))
    name, q = evaluation.headline
    assert (name, q.unit.text) == ("inertia", "kg·m²")
    span = span_of(evaluation)
    assert span.low == 0
    assert span.high == pytest.approx(0.8 * 0.1**2, rel=0.01)
    assert span.low < span.value < span.high
    assert span.words == ("all its mass at the axis", "all its mass at the rim")


def test_units_follow_the_choice():
    """Lengths in cm for people, in m for SI; typed columns stay as typed."""
    people, si = (evaluate(filled("hooke-static", choice)) for choice in (False, True))
    assert dict(verdicts.result_rows(people))["reading without a load"].endswith("cm (95\u00a0%)")
    assert dict(verdicts.result_rows(si))["reading without a load"].endswith(" m (95\u00a0%)")
    assert [c.unit for c in table_view.table_columns(si)][:2] == ["g", "cm"]
    assert graphs(people)[0].chart.x.unit == "cm"
    assert graphs(people)[0].units[0] == 0.01


def with_cells(name, column, texts, **more):
    """An investigation with a column typed anew."""
    notebook = filled(name)
    cells = {(t.id, column): text for t, text in zip(notebook.trials.trials, texts, strict=False)}
    table = notebook.trials.but(instruments={}, **more)
    return edits.set_cells(notebook.but(trials=table), cells)


def test_digits_follow_from_what_was_typed():
    """Without an uncertainty a derived value shows what its inputs justify; a spread one digit more."""
    notebook = with_cells("pendulum", "time", ["11.3", "11.34", "12"])
    evaluation = evaluate(notebook)
    period = next(c for c in table_view.table_columns(evaluation) if c.name == "period")
    assert [table_view.cell_words(evaluation, row, period) for row in range(3)] == ["1.13", "1.134", "1.2"]


@pytest.mark.parametrize(("percent", "words"), [
    (140.0, "2.4 times as large"), (-60.0, "2.5 times smaller"), (24.3, "24 % larger"), (-2.44, "2.4 % smaller"),
    (0.034, "0.03 % larger"), (-150.0, "of the opposite sign"),
])  # fmt: skip
def test_differences_have_sensible_digits(percent, words):
    """No +1e+02 %: large ones are told as so many times."""
    assert comparisons.difference_words(percent) == words
