"""Cells of the table as columns of quantities: units, instruments, links to what was measured, zeros."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.hand import WATCH_STEP_S
from saltus.core.entry import entry
from saltus.core.instruments import Instrument
from saltus.core.quantity import Quantity, Source, exact, family, stacked
from saltus.core.units import SECOND, UnitError, parse_unit
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.investigations.links import Sources, linked
from saltus.investigations.trials import Trials, Typed, as_quantity, cell_problem, kind_of, read_trials
from saltus.notebook.timed import hand_named

if TYPE_CHECKING:
    from saltus.investigations.recipe import Column, Recipe
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
        cells = [t.cells.get(name, "") for t in every]
        for i, text in enumerate(cells):
            problem = cell_problem(text, column, unit, recipe.title_of(name)) if text else ""
            if problem:
                cell_problems[every[i].id, name] = problem
                cells[i] = ""
        if column.optional and column.default is None and not any(cells):
            continue
        if column.default is not None:
            cells = [c or column.default for c in cells]
        columns[name] = (unit, cells)
    read = read_trials(_("the table"), columns, recipe)
    made = dict(read.columns)
    for name, column in recipe.columns.items():
        if column.kind == "text" or name not in made:
            continue
        chosen = table.instruments.get(name)
        if chosen is not None and chosen.rule == "hand":
            made[name] = _timed_by(sources, chosen.amount, name, made[name], column_problems)
        else:
            made[name] = _measured_with(table, name, made[name], column, column_problems)
        made[name] = _linked(table, sources, name, made[name], cell_problems)
        made[name] = _from_zero(every, name, made[name])
        if name in (*recipe.level, *recipe.series) and (q := made[name].q) is not None:
            made[name] = replace(made[name], values=q.value, u=q.u if np.any(q.u > 0) else None, q=None)
    places = np.array([i for i, t in enumerate(every) if t.status != "zero"], dtype=np.int64)
    whole = Trials(read.name, made, tuple(range(1, len(every) + 1)), np.ones(len(every), dtype=bool))
    trials = whole.only(places)
    rows = tuple(every[i] for i in places)
    return Cells(rows, replace(trials, lines=tuple(range(1, len(rows) + 1))), cell_problems, column_problems)


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
        words = _("{unit} does not go with {wanted}.")
        problems[name] = words.format(unit=written, wanted=column.unit_text or column.unit.ascii)
        return column.unit_text
    return written


def _measured_with(
    table: TrialTable, name: str, column: Typed, wanted: Column, problems: dict[str, str]
) -> Typed:
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
        problems[name] = _("The step of an instrument is zero or a positive number.")
        return column
    if instrument.percent:
        source = Source(
            f"instrument/{name}", kind_of(column.unit),
            _("Accuracy of {name}").format(name=name.replace("_", " ")), "uniform",
        )  # fmt: skip
        q = as_quantity(name, column, level=False)
        size = np.nan_to_num(column.values) * instrument.percent / 100 / math.sqrt(3)
        return replace(column, q=q.with_source(source, size))
    own = column.u if column.u is not None else np.zeros(len(column.texts))
    return replace(column, u=np.where(own > 0, own, instrument.u_reading))


def _timed_by(sources: Sources, hand_id: str, name: str, column: Typed, problems: dict[str, str]) -> Typed:
    """Give times of a stopwatch what the hand that pressed it scatters, and the watch's last digit."""
    if not column.unit.goes_with(SECOND):
        problems[name] = _("A stopwatch gives times: choose another instrument for this column.")
        return column
    hand = hand_named(sources.hands, hand_id)
    u = math.hypot(math.sqrt(2) * hand.u_normal, WATCH_STEP_S / math.sqrt(6))
    own = column.u if column.u is not None else np.zeros(len(column.texts))
    source = Source(f"column/{name}", "reaction", _("Reaction of the hand"))
    each = np.where(own > 0, own, u)
    return replace(column, u=each, q=family(column.values, each, column.unit, source))


def _linked(
    table: TrialTable, sources: Sources, name: str, column: Typed,
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
            words = _("The link gives {got}, not {wanted}: the last value stays.")
            problems[trial.id, name] = words.format(got=q.unit.text or "1", wanted=column.unit.text or "1")
        else:
            found[i] = q
    if not found:
        return column
    typed = as_quantity(name, column, level=False)
    mine = np.array([i in found for i in range(len(table.trials))])
    plain = typed.weighed(np.diag((~mine).astype(float))) if len(mine) <= 2000 else typed  # fmt: skip
    rest = Quantity(np.where(mine, 0.0, np.nan_to_num(column.values)), column.unit)
    plain = plain.moved_to(rest.value)
    nothing = exact(0.0, column.unit)
    q = plain + stacked([found.get(i, nothing) for i in range(len(mine))])
    values = np.where(mine, q.value, column.values)
    return replace(column, values=values, q=q.moved_to(values))


def _from_zero(every: tuple[Trial, ...], name: str, column: Typed) -> Typed:
    """Count readings from the last reading of zero before them."""
    zeros = [i for i, t in enumerate(every) if t.status == "zero" and np.isfinite(column.values[i])]
    if not zeros:
        return column
    place = np.zeros((len(every), len(every)))
    since = None
    for i, trial in enumerate(every):
        if i in zeros:
            since = i
        elif since is not None and trial.status != "zero":
            place[i, since] = 1.0
    q = as_quantity(name, column, level=False)
    known = q.moved_to(np.nan_to_num(q.value))
    moved = known - known.weighed(place)
    return replace(column, values=np.where(np.isnan(column.values), np.nan, moved.value), q=moved.moved_to(
        np.where(np.isnan(column.values), np.nan, moved.value)))  # fmt: skip
