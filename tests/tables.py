"""Tables of trials made on the spot for the tests."""

from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.trials import FREE, CustomColumn, Instrument, TrialTable
from saltus.simulate.tables import simulated_table


def table(investigation, rows, **changes):
    """A notebook with the table of an investigation and some rows of cells."""
    notebook = edits.start(Notebook(), TrialTable(investigation=investigation, **changes))
    notebook, _ids = edits.add_trials(notebook, rows)
    return notebook


def without_noise(name, other=None):
    """The simulated example of an investigation without noise, as a notebook, and its true results."""
    recipe = recipe_named(name)
    made = simulated_table(recipe, None, other=other)
    columns = {n: c for n, c in made.columns.items() if not n.startswith("u(")}
    count = len(next(iter(columns.values()))[1])
    instruments = {}
    for column in columns:
        spread = made.columns.get(f"u({column})")
        unit = recipe.columns[column].unit.ascii
        if spread is not None:
            amount = spread[1][0] if unit == "1" else f"{spread[1][0]} {unit}"
            instruments[column] = Instrument(rule="stated", amount=amount)
    rows = [{n: cells[i] for n, (_unit, cells) in columns.items()} for i in range(count)]
    units = {n: unit for n, (unit, _cells) in columns.items() if unit not in ("", "1")}
    return (
        table(name, rows, givens=made.givens, units=units, instruments=instruments),
        made.expected,
    )


def pendulum(lengths=(0.3, 0.5, 0.7, 0.9), repeats=3, spread=0.0, **changes):
    """A pendulum typed by hand: ten swings at some lengths, for g = 9.81 m/s²."""
    rows = []
    for length in lengths:
        for n in range(repeats):
            time = 10 * 2 * 3.141592653589793 * (length / 9.81) ** 0.5 + spread * (n - (repeats - 1) / 2)
            rows.append({"length": f"{length:.3f}", "cycles": "10", "time": f"{time:.5f}"})
    return table("pendulum", rows, **changes)


def free(columns, rows, varied="x", **changes):
    """An investigation of one's own: (name, unit, formula) for each column."""
    own = tuple(CustomColumn(name=n, title=n, unit=u, formula=f) for n, u, f in columns)
    return table(FREE, rows, own=own, varied=varied, **changes)


def results(notebook):
    """Results of the table of a notebook by name."""
    evaluation = evaluate(notebook)
    assert evaluation.outcome is not None, evaluation.trouble
    return evaluation.outcome.results


def ids(notebook):
    """Ids of the trials of a notebook, in order."""
    return [t.id for t in notebook.trials.trials]
