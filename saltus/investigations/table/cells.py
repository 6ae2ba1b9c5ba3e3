"""Cells of the table as columns of quantities: units, instruments, links to what was measured, zeros."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources as causes
from saltus.core.clock.hand import WATCH_STEP_S
from saltus.core.entry import entry
from saltus.core.instruments import Instrument
from saltus.core.quantities import exact, family, stacked
from saltus.core.units import SECOND, UnitError, parse_unit
from saltus.core.written import WrittenError, number
from saltus.investigations.sentences import say
from saltus.investigations.table.links import Sources, linked
from saltus.investigations.table.trials import Trials, Typed, as_quantity, kind_of, read_trials
from saltus.investigations.table.written_cells import cell_problem
from saltus.notebook.derived.times import hand_named

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.investigations.recipe.recipe import Column, Recipe
    from saltus.notebook.trials import Trial, TrialTable


STEP_OF = {"stated": math.sqrt(12), "digital": 1.0, "vernier": 1.0, "divided": 0.5}
"""Step of a reading for each rule: between divisions half a division can be told; stated is u itself."""


@dataclass(frozen=True)
class Cells:
    """The cells of a table, read.

    Attributes
    ----------
    rows : tuple of Trial
        Without readings of zero.
    trials : Trials
        Their numbers.
    cell_problems : dict of (trial id, column) to str
    column_problems : dict of str to str
    """

    rows: tuple[Trial, ...]
    trials: Trials
    cell_problems: dict[tuple[str, str], str]
    column_problems: dict[str, str]


def typed_columns(table: TrialTable, sources: Sources, recipe: Recipe) -> Cells:
    """Read the cells of a table; what cannot be read is left out and told of, all else counts.

    Parameters
    ----------
    table : TrialTable
    sources : Sources
        What cells may be linked to.
    recipe : Recipe
    """
    every = table.trials
    cell_problems: dict[tuple[str, str], str] = {}
    column_problems: dict[str, str] = {}
    columns: dict[str, tuple[str, list[str]]] = {}
    for name, column in recipe.columns.items():
        unit = _unit_of(table, name, column, column_problems)
        cells, title = [t.cells.get(name, "") for t in every], recipe.title_of(name)
        for i, text in enumerate(cells):
            problem = cell_problem(text, column, unit, title) if text else ""
            if problem:
                cell_problems[every[i].id, name] = problem
                cells[i] = ""
        if column.optional and column.default is None and not any(cells):
            continue
        if column.default is not None:
            cells = [c or column.default for c in cells]
        columns[name] = (unit, cells)
    read = read_trials(say("cell.the-table"), columns, recipe, of_people=False)
    keys = np.array([t.id for t in every])
    made = dict(read.columns)
    for name, column in recipe.columns.items():
        if column.kind == "text" or name not in made:
            continue
        chosen = table.instruments.get(name)
        if chosen is not None and chosen.rule == "hand":
            made[name] = _timed_by(sources, chosen.amount, name, made[name], keys, column_problems)
        else:
            made[name] = _measured_with(table, name, made[name], column, keys, column_problems)
        made[name] = _linked(table, sources, name, made[name], keys, cell_problems)
        made[name] = _from_zero(every, name, made[name], keys)
    places = np.array([i for i, t in enumerate(every) if t.status != "zero"], dtype=np.int64)
    whole = Trials(read.name, made, tuple(range(1, len(every) + 1)), np.ones(len(every), dtype=bool), keys)
    trials = whole.only(places)
    rows = tuple(every[i] for i in places)
    return Cells(
        rows,
        replace(trials, lines=tuple(range(1, len(rows) + 1)), first_line=1),
        cell_problems,
        column_problems,
    )


def _unit_of(table: TrialTable, name: str, column: Column, problems: dict[str, str]) -> str:
    """The unit cells are typed in; where it does not go with the column, that of the investigation."""
    written = table.units.get(name, "")
    if not written:
        return column.unit_text
    try:
        _factor, unit = parse_unit(written)
    except UnitError as error:
        problems[name] = str(error)
        return column.unit_text
    if column.kind == "number" and not unit.goes_with(column.unit):
        problems[name] = say("unit.does-not-go", unit=written, wanted=column.unit_text or column.unit.ascii)
        return column.unit_text
    return written


def _measured_with(
    table: TrialTable, name: str, column: Typed, wanted: Column, keys: NDArray[Any],
    problems: dict[str, str],
) -> Typed:  # fmt: skip
    """Give cells that state no uncertainty that of the instrument they were read with."""
    chosen = table.instruments.get(name)
    if chosen is None:
        return column
    try:
        if chosen.rule == "percent":
            percent = number(chosen.amount.replace("%", "").strip())
            instrument = Instrument(name, "percent", percent=percent)
        else:
            unit = table.units.get(name) or wanted.unit_text
            step = entry(chosen.amount, wanted.unit, default_unit=unit).value
            instrument = Instrument(name, "digital", resolution=step * STEP_OF[chosen.rule])
    except (WrittenError, UnitError) as error:
        problems[name] = str(error)
        return column
    if not (instrument.percent >= 0 and instrument.resolution >= 0 and instrument.percent <= 100):
        problems[name] = say("cell.negative-step")
        return column
    if instrument.percent:
        source = causes.instrument_accuracy(name, kind_of(column.unit))
        q = as_quantity(name, column, keys, level=False)
        size = np.nan_to_num(column.values) * instrument.percent / 100 / math.sqrt(3)
        return replace(column, q=q.with_source(source, size))
    own = column.u if column.u is not None else np.zeros(len(column.texts))
    return replace(column, u=np.where(own > 0, own, instrument.u_reading))


def _timed_by(
    sources: Sources, hand_id: str, name: str, column: Typed, keys: NDArray[Any], problems: dict[str, str]
) -> Typed:
    """Give times of a stopwatch what the hand that pressed it scatters, and the watch's last digit."""
    if not column.unit.goes_with(SECOND):
        problems[name] = say("cell.stopwatch-gives-times")
        return column
    hand = hand_named(sources.hands, hand_id)
    u = math.hypot(math.sqrt(2) * hand.u_normal, WATCH_STEP_S / math.sqrt(6))
    own = column.u if column.u is not None else np.zeros(len(column.texts))
    each = np.where(own > 0, own, u)
    q = family(column.values, each, column.unit, causes.timed_column(name), keys)
    return replace(column, u=each, q=q)


def _linked(
    table: TrialTable, sources: Sources, name: str, column: Typed, keys: NDArray[Any],
    problems: dict[tuple[str, str], str],
) -> Typed:  # fmt: skip
    """Put in what the sources of linked cells give now, with their own uncertainty."""
    found: dict[int, Quantity] = {}
    for i, trial in enumerate(table.trials):
        link = trial.links.get(name)
        if link is None:
            continue
        q = linked(sources, link, trial.cells.get(name, ""))
        if isinstance(q, str):
            problems[trial.id, name] = q
        elif not q.unit.goes_with(column.unit):
            problems[trial.id, name] = say(
                "cell.link-gives-not-last", got=q.unit.text or "1", wanted=column.unit.text or "1"
            )
        else:
            found[i] = q
    if not found:
        return column
    typed = as_quantity(name, column, keys, level=False)
    mine = np.array([i in found for i in range(len(table.trials))])
    known = typed.moved_to(np.nan_to_num(typed.value))
    nothing = exact(0.0, column.unit)
    q = known * (~mine).astype(float) + stacked([found.get(i, nothing) for i in range(len(mine))])
    values = np.where(mine, q.value, column.values)
    return replace(column, values=values, q=q.moved_to(values))


def _from_zero(every: tuple[Trial, ...], name: str, column: Typed, keys: NDArray[Any]) -> Typed:
    """Count readings from the last reading of zero before them."""
    zeros = [i for i, t in enumerate(every) if t.status == "zero" and np.isfinite(column.values[i])]
    if not zeros:
        return column
    since = np.zeros(len(every), dtype=np.int64)
    for i in range(1, len(every)):
        since[i] = i if i in zeros else since[i - 1]
    from_zero = np.array([i > zeros[0] and t.status != "zero" for i, t in enumerate(every)])
    q = as_quantity(name, column, keys, level=False)
    known = q.moved_to(np.nan_to_num(q.value))
    moved = known - known[since] * from_zero.astype(float)
    return replace(column, values=np.where(np.isnan(column.values), np.nan, moved.value), q=moved.moved_to(
        np.where(np.isnan(column.values), np.nan, moved.value)))  # fmt: skip
