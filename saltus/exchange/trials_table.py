"""The table of trials to files and from them: columns with units and uncertainties, what became of each."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _
from saltus.exchange.tables import Column, Table, TableError
from saltus.investigations.table.headers import matched, plain_name
from saltus.investigations.table.wide import WideError, unfolded
from saltus.investigations.view.table_view import factor_of, table_columns
from saltus.notebook.edits import trials as edits

if TYPE_CHECKING:
    from saltus.exchange.tables import Cell
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.table_view import TableColumn
    from saltus.notebook.model import Notebook

STATUS, NOTE = "status", "note"


def trials_table(evaluation: Evaluation) -> tuple[list[str], list[list[Cell]]]:
    """Give header and rows: numbers in the units shown, with their standard uncertainty where known."""
    header: list[str] = []
    made: list[list[Cell]] = []
    for column in table_columns(evaluation):
        unit = f" [{column.unit}]" if column.unit else ""
        q = evaluation.columns.get(column.name)
        if column.role == "text" or q is None or np.all(np.isnan(q.value)):
            header.append(f"{column.name}{unit}")
            made.append([t.cells.get(column.name, "") for t in evaluation.rows])
            continue
        factor = factor_of(column, q.unit)
        header.append(f"{column.name}{unit}")
        made.append([_number(v / factor) for v in q.value])
        if np.any(q.u > 0):
            header.append(f"u({column.name}){unit}")
            made.append([_number(v / factor) for v in q.u])
    header += [STATUS, NOTE]
    made += [[t.status for t in evaluation.rows], [t.reason for t in evaluation.rows]]
    return header, [list(row) for row in zip(*made, strict=True)]


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


@dataclass(frozen=True)
class Taken:
    """What of a file goes into which column of the table.

    Attributes
    ----------
    columns : dict of str to str
        Column of the table to title in the file.
    """

    columns: dict[str, str]


def proposal(table: Table, evaluation: Evaluation) -> Taken:
    """Propose which column of a file goes where: by the same name, else by a name within the other."""
    titles = {plain_name(t): t for t in table.columns if not plain_name(t).startswith("u(")}
    columns = taking_columns(evaluation)
    known = {c.name for c in columns}
    clear = matched({t: c.unit for t, c in table.columns.items()}, evaluation.recipe)
    chosen = {name: title for name, title in clear.items() if name in known}
    for column in columns:
        if column.name in chosen:
            continue
        for name in (column.name, plain_name(column.title)):
            if name in titles and titles[name] not in chosen.values():
                chosen[column.name] = titles[name]
                break
    for column in columns:
        if column.name in chosen:
            continue
        close = [
            t
            for n, t in titles.items()
            if (column.name in n or n in column.name) and t not in chosen.values() and len(n) > 2
        ]
        if len(close) == 1:
            chosen[column.name] = close[0]
    return Taken(chosen)


def taking_columns(evaluation: Evaluation) -> list[TableColumn]:
    """Columns a file can fill: all that are typed, also those out of sight."""
    shown = [c for c in table_columns(evaluation) if c.role != "derived"]
    names = {c.name for c in shown}
    from saltus.investigations.view.table_view import TableColumn  # noqa: PLC0415  a type at run time here only

    hidden = [
        TableColumn(n, evaluation.recipe.title_of(n), c.unit_text, "text" if c.kind == "text" else "typed")
        for n, c in evaluation.recipe.columns.items()
        if n not in names and evaluation.table.investigation != "free"
    ]
    return [*shown, *hidden]


def trial_a_row(table: Table, evaluation: Evaluation) -> Table:
    """The table with a row for each trial, where it has a column for each.

    Raises
    ------
    TableError
        If its headers do not say which column the trials are of.
    """
    try:
        made = unfolded(
            table.name, {t: (c.unit, c.cells) for t, c in table.columns.items()}, evaluation.recipe
        )
    except WideError as error:
        raise TableError(str(error)) from error
    # under their own titles again, where they had one
    own = matched({t: c.unit for t, c in table.columns.items()}, evaluation.recipe)
    columns = {own.get(title, title): Column(unit, cells) for title, (unit, cells) in made.columns.items()}
    return Table(table.name, columns, len(made.rows))


def taken_in(notebook: Notebook, table: Table, taken: Taken) -> Notebook:
    """Add the rows of a file to the table of trials, in the units the file states.

    Cells keep what was written; where the column is typed in another unit, the unit goes with the number.
    """
    states = {plain_name(t): c for t, c in table.columns.items()}
    trials = edits.table_of(notebook)
    fresh = not any(t.cells for t in trials.trials)
    rows: list[dict[str, str]] = [{} for _row in range(table.rows)]
    units = dict(trials.units)
    for name, title in taken.columns.items():
        column = table.columns[title]
        spread = states.get(f"u({plain_name(title)})")
        here = units.get(name, "")
        if fresh and column.unit:
            units[name] = here = column.unit
        tail = f" {column.unit}" if column.unit and column.unit != here else ""
        for i, cell in enumerate(column.cells):
            text = cell.strip().strip("'")
            if text and spread is not None and i < len(spread.cells) and spread.cells[i].strip():
                own = f" {spread.unit}" if spread.unit and spread.unit != column.unit else tail
                text = f"{text}{tail} ± {spread.cells[i].strip()}{own}"
            elif text and tail and any(c.isdigit() for c in text):
                text = f"{text}{tail}"
            rows[i][name] = text[:200]
    notebook = edits.change_table(notebook, units=units)
    notebook, made = edits.add_trials(notebook, rows)
    return _with_status(notebook, table, made)


def _with_status(notebook: Notebook, table: Table, made: tuple[str, ...]) -> Notebook:
    states = {plain_name(t): c.cells for t, c in table.columns.items()}
    status, note = states.get(STATUS), states.get(NOTE)
    if status is None and note is None:
        return notebook
    words = {"failed": "failed", "set-aside": "set-aside", "set aside": "set-aside"}
    for i, trial_id in enumerate(made):
        became = words.get(status[i].strip().lower(), "kept") if status is not None else "kept"
        reason = note[i].strip()[:1000] if note is not None else ""
        if became != "kept" or reason:
            notebook = edits.change_trial(notebook, trial_id, status=became, reason=reason)
    return notebook


def blank_table(
    evaluation: Evaluation, levels: int = 6, repeats: int = 3
) -> tuple[list[str], list[list[str]]]:
    """Give head and empty rows for work away from the screen: what was typed of levels stands in them."""
    columns = [c for c in table_columns(evaluation) if c.role != "derived"]
    head = [_("trial"), *(c.heading for c in columns), _("what was seen")]
    varied = [c.name for c in columns if c.role == "level"]
    names = [g.name for g in evaluation.groups if any(g.name)] or [()] * levels
    rows = []
    for name in names:
        for n in range(repeats if varied else 2 * repeats):
            known = dict(zip(varied, name, strict=False)) if n == 0 else {}
            rows.append([f"{n + 1}", *(known.get(c.name, "") for c in columns), ""])
    return head, rows
