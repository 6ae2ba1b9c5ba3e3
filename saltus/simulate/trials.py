"""Tables of trials of the workshop scenario, filled as a student would have typed them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.units import parse_unit
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.logs import Channel
from saltus.notebook.model import Notebook
from saltus.notebook.trials import Instrument, Trial, TrialTable
from saltus.simulate.tables import simulated_table

if TYPE_CHECKING:
    from saltus.investigations.recipe.recipe import Recipe

FEW_DIGITS = 4


def simulated_trials(recipe: Recipe, seed: int = 1) -> TrialTable:
    """Fill the table of an investigation with simulated trials; it says that it is simulated.

    Parameters
    ----------
    recipe : Recipe
    seed : int
        Of the noise.
    """
    made = simulated_table(recipe, seed)
    names = [n for n in made.columns if not n.startswith("u(")]
    instruments: dict[str, Instrument] = {}
    cells: dict[str, list[str]] = {}
    units = {n: recipe.columns[n].unit.ascii for n in names if recipe.columns[n].unit.ascii != "1"}
    for name in names:
        unit, texts = made.columns[name]
        spread = made.columns.get(f"u({name})", ("", [""]))[1][0]
        u = float(spread) if spread else 0.0
        usual = recipe.unit_of(name)
        if usual and recipe.columns[name].kind == "number":
            factor = parse_unit(usual)[0] / parse_unit(unit)[0]
            texts, u = [_times(text, 1 / factor) for text in texts], u / factor
            units[name] = unit = usual
        if u:
            amount = f"{u:.6g} {unit}" if unit not in ("", "1") else f"{u:.6g}"
            instruments[name] = Instrument(rule="stated", amount=amount)
        step = u or _scatter(recipe, name)
        cells[name] = [_as_read(text, step) for text in texts]
    count = len(cells[names[0]])
    return TrialTable(
        investigation=recipe.id,
        simulated=True,
        units=units,
        instruments=instruments,
        givens={n: _given_as_read(text, recipe.unit_of(n)) for n, text in made.givens.items()},
        trials=tuple(
            Trial(id=f"trial-{i + 1}", cells={n: cells[n][i] for n in names if cells[n][i]})
            for i in range(count)
        ),
    )


def _scatter(recipe: Recipe, name: str) -> float:
    return float(recipe.example.get("scatter", {}).get(name, 0.0)) / 10


def _as_read(text: str, step: float) -> str:
    """Round a number to the place its uncertainty leaves it."""
    try:
        value = float(text)
    except ValueError:
        return text
    if not step:
        return f"{value:.{FEW_DIGITS}g}"
    places = max(0, -math.floor(math.log10(step)))
    return f"{value:.{places}f}"


def _times(text: str, factor: float) -> str:
    """A number times a factor, to the digits a double holds; any other text as it is."""
    try:
        return f"{float(text) * factor:.15g}"
    except ValueError:
        return text


def _given_as_read(text: str, usual: str) -> str:
    """Round a given to the place its uncertainty leaves it, in the unit people use."""
    value, plus_minus, rest = text.partition(" ± ")
    if not plus_minus:
        return text
    number, _space, unit = rest.partition(" ")
    factor = parse_unit(usual)[0] / parse_unit(unit)[0] if usual else 1.0
    u = float(number) / factor
    return f"{_as_read(_times(value, 1 / factor), u)} ± {u:.6g} {usual or unit}"


def simulated_notebook(recipe: Recipe, seed: int = 1) -> Notebook:
    """A notebook of the workshop with simulated trials of an investigation."""
    about = str(recipe.example.get("about", ""))
    remarks = f"{about[:1].upper()}{about[1:]}. Simulated: not a measurement." if about else ""
    notebook = Notebook(who="Clock workshop", remarks=remarks)
    table = simulated_trials(recipe, seed)
    return _with_record(edits.start(notebook, table, recipe.title), recipe, table)


def _with_record(notebook: Notebook, recipe: Recipe, table: TrialTable) -> Notebook:
    """The record a table was made from beside it, where the investigation is one of a record."""
    if not recipe.record:
        return notebook
    time, value = recipe.record["time"], recipe.record["value"]
    rows = [
        (float(t.cells[time]), float(t.cells[value])) for t in table.trials if {time, value} <= t.cells.keys()
    ]
    times, values = (tuple(column) for column in zip(*rows, strict=True))
    channel = Channel(
        name=value, unit=table.units.get(value, recipe.columns[value].unit.ascii), values=values
    )
    return log_edits.add_log(notebook, recipe.title, times, (channel,), simulated=True)[0]
