"""The same trials in other words: units of people, heads of others, out as CSV and in again; one result each time."""

import json
import math

import numpy as np
import pytest

from saltus.core.shown_unit import shown_in
from saltus.core.units import parse_unit
from saltus.exchange.tables import csv_text, parse_table
from saltus.exchange.trials_table import proposal, taken_in, trial_a_row, trials_table
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.engine.run import run
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.mistakes import TYPED_IN
from saltus.investigations.table.trials import read_trials
from saltus.investigations.view.evidence import evidence, support
from saltus.investigations.view.table_view import cell_words, table_columns
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import VERSION
from saltus.notebook.storage import as_text, parse
from saltus.notebook.trials import Claim
from saltus.simulate.tables import simulated_table
from saltus.simulate.trials import simulated_notebook


def alike(found, wanted, rel=1e-6):
    """Whether two sets of results have the same values and uncertainties."""
    for name, q in wanted.items():
        other = found.get(name)
        assert (other is None) == (q is None), name
        if q is not None:
            assert float(other) == pytest.approx(float(q), rel=rel, abs=1e-12), name
            if math.isfinite(float(q.u)):
                assert float(other.u) == pytest.approx(float(q.u), rel=1e-4, abs=1e-12), name


def table_of(name):
    """A simulated table of an investigation as columns (unit, cells), its recipe and its givens."""
    recipe = recipe_named(name)
    made = simulated_table(recipe, 3)
    return recipe, {n: (u, list(cells)) for n, (u, cells) in made.columns.items()}, made.givens


def ran(recipe, columns, givens):
    """Results of a table."""
    return run(recipe, read_trials("t.csv", columns, recipe), givens, Options(verdicts=False)).results


@pytest.mark.parametrize("name", [n for n in ids() if n != "cord-jump"])
def test_heads_in_the_words_of_people_change_nothing(name):
    """Titles instead of names, capitals, blanks, symbols and other columns beside them: the same results."""
    recipe, columns, givens = table_of(name)
    wanted = ran(recipe, columns, givens)

    def titled(column, words):
        inner = column.removeprefix("u(").removesuffix(")") if column.startswith("u(") else column
        if inner not in recipe.columns:
            return column
        return f"u({words(inner)})" if column.startswith("u(") else words(inner)

    ways = {
        "titles": lambda n: recipe.title_of(n).upper(),
        "blanks": lambda n: f"  {n.replace('_', ' ').title()} ",
        "also": lambda n: (recipe.also(n) or (n,))[-1],
    }
    for words in ways.values():
        other = {titled(n, words): c for n, c in columns.items()}
        other["Who timed"] = ("", ["A"] * len(next(iter(columns.values()))[1]))
        alike(ran(recipe, other, givens), wanted)


@pytest.mark.parametrize("name", [n for n in ids() if n != "cord-jump"])
def test_units_of_people_change_nothing(name):
    """Grams, centimetres and degrees in the heads, the numbers with them: the results stay in SI as they were."""
    recipe, columns, givens = table_of(name)
    wanted = ran(recipe, columns, givens)
    other = {}
    for column, (unit, cells) in columns.items():
        inner = column.removeprefix("u(").removesuffix(")")
        usual = recipe.unit_of(inner) if inner in recipe.columns else ""
        if not usual or recipe.columns[inner].kind != "number":
            other[column] = unit, cells
            continue
        factor = parse_unit(usual)[0] / parse_unit(unit)[0]
        other[column] = usual, [f"{float(c) / factor:.15g}" if c else "" for c in cells]
    alike(ran(recipe, other, givens), wanted)


@pytest.mark.parametrize("name", [n for n in ids() if n != "cord-jump"])
def test_out_as_csv_and_in_again(name):
    """Trials written as a table are taken in by an empty table of the same investigation without a question."""
    notebook = simulated_notebook(recipe_named(name), 2)
    first = evaluate(notebook)
    header, rows = trials_table(first)
    blank = notebook.trials.but(trials=(), units={}, instruments={})
    empty = evaluate(notebook.but(trials=blank))
    table = trial_a_row(parse_table(csv_text(header, rows), "t.csv"), empty)
    taken = proposal(table, empty)
    typed = {
        n
        for n, c in first.recipe.columns.items()
        if c.kind != "text" and any(t.cells.get(n) for t in first.rows)
    }
    assert typed <= taken.columns.keys()
    again = evaluate(taken_in(notebook.but(trials=blank), table, taken))
    assert len(again.rows) == len(first.rows)
    for column in typed:
        assert again.columns[column].value == pytest.approx(
            first.columns[column].value, rel=1e-9, nan_ok=True
        )
    for result, q in first.outcome.results.items():
        if q is not None:
            assert float(again.outcome.results[result]) == pytest.approx(float(q), rel=1e-6, abs=1e-12), (
                result
            )


@pytest.mark.parametrize("name", ids())
def test_every_unit_of_people_goes_with_its_quantity(name):
    """No name of the catalogue has a unit its values cannot be shown in."""
    evaluation = evaluate(simulated_notebook(recipe_named(name)))
    recipe, results = evaluation.recipe, evaluation.outcome.results
    of = {n: q for n, q in {**evaluation.columns, **evaluation.givens, **results}.items() if q is not None}
    for known, q in of.items():
        unit = recipe.unit_of(known)
        assert not unit or shown_in(unit, q.unit).text != "", (known, unit)
        if unit:
            assert parse_unit(unit)[1].goes_with(q.unit), (known, unit)


LINES = {
    "hooke-static": ("mass", 1000.0),
    "spring-oscillator": ("mass", 1000.0),
    "pendulum": ("length", 100.0),
}


@pytest.mark.parametrize("name", LINES)
def test_numbers_of_si_units_under_other_heads_are_named(name):
    """Kilograms typed under g, metres under cm: told with the right mistake; right numbers are told nothing."""
    column, factor = LINES[name]
    notebook = simulated_notebook(recipe_named(name), 5)
    assert [t.slip for t in slips_of(evaluate(notebook)) if t.slip not in ("odd-value", "off-the-line")] == []
    cells = {
        (t.id, column): f"{float(t.cells[column]) / factor:.6g}"
        for t in notebook.trials.trials
        if column in t.cells
    }
    told = slips_of(evaluate(edits.set_cells(notebook, cells)))
    wanted = {"g": "grams-as-kilograms", "cm": "centimetres-as-metres"}[notebook.trials.units[column]]
    assert wanted in [t.slip for t in told]
    assert notebook.trials.units[column] in TYPED_IN


def test_claims_of_older_files_keep_what_they_rest_on():
    """Before version 9 a comparison was kept by its words of that time: every one of them is found again."""
    for name in ("pendulum", "spin-drop", "level-launch", "whirl-unknown-mass"):
        notebook = simulated_notebook(recipe_named(name))
        for one in evidence(notebook):
            claim = Claim(id="claim-1", text="so it is", rests_on=one.before or one.key)
            assert support(notebook, claim) is not None, one
    notebook = simulated_notebook(recipe_named("pendulum"))
    data = json.loads(as_text(notebook))
    data["version"] = 8
    del data["trials"]["si"]
    data["findings"]["claims"] = [
        {"id": "claim-1", "text": "g is right", "rests_on": "compare/g/the given g"}
    ]
    opened = parse(json.dumps(data), "old.saltus")
    assert opened.version == VERSION
    assert not opened.trials.si
    (claim,) = opened.findings.claims
    assert "two values" in support(opened, claim).words


def test_digits_that_are_justified_hold_the_truth():
    """A shown value lies within what the last digits typed leave open, and has no digit more than that."""
    rng = np.random.default_rng(4)
    notebook = simulated_notebook(recipe_named("pendulum"))
    ids_of = [t.id for t in notebook.trials.trials]
    places = rng.integers(0, 4, len(ids_of))
    true = rng.uniform(8, 30, len(ids_of))
    cells = {(i, "time"): f"{v:.{p}f}" for i, v, p in zip(ids_of, true, places, strict=True)}
    table = notebook.trials.but(instruments={})
    evaluation = evaluate(edits.set_cells(notebook.but(trials=table), cells))
    period = next(c for c in table_columns(evaluation) if c.name == "period")
    for row, (value, place) in enumerate(zip(true, places, strict=True)):
        shown = cell_words(evaluation, row, period)
        step = 10.0 ** -int(place) / 10
        assert abs(float(shown) - value / 10) <= step
        decimals = len(shown.partition(".")[2])
        assert decimals <= place + 1
