"""Tables with a column for each trial, taken as repeats of the one column that is measured."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.investigations.sentences import say
from saltus.investigations.table.headers import plain_name, renamed
from saltus.investigations.table.limits import with_limits
from saltus.investigations.table.observers import side_by_side
from saltus.investigations.table.shared_cells import cell_of, rows_of, written_once

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from saltus.investigations.recipe.recipe import Recipe

    Columns = Mapping[str, tuple[str, Sequence[str]]]

NO_VALUE = frozenset({"-", "\u2013", "\u2014", "\u2212", "x", "n/a", "na", "none"})
"""What people write into the cell of a run that gave no value."""
MEANS = ("mean", "average", "mean_time", "average_time")
"""Columns of means that somebody worked out."""
_TRIAL = re.compile(
    r"(?:(?P<of>.+?)_)??(?:(?:trial|run|try|attempt|reading|t|no\.?)_?(?P<n>\d{1,2})"
    r"|(?P<th>\d{1,2})(?:st|nd|rd|th)(?:_(?:trial|run|try|attempt|reading))?)"
)
_NUMBERED = re.compile(r"(?P<of>.+)_(?P<n>\d{1,2})")
FEWEST = 2


class WideError(ValueError):
    """A table whose columns of trials cannot be told apart, in a sentence."""


@dataclass(frozen=True)
class Unfolded:
    """A table with a row for each trial.

    Attributes
    ----------
    columns : dict
        Title to unit and cells.
    rows : tuple of int
        From which row of the table as it was each one comes, from 0.
    """

    columns: dict[str, tuple[str, tuple[str, ...]]]
    rows: tuple[int, ...]


def is_no_value(text: str) -> bool:
    """Whether a cell says that there is no value."""
    return text.strip().lower() in NO_VALUE


def unfolded(name: str, columns: Columns, recipe: Recipe) -> Unfolded:
    """Give a table a row for each trial, where it has a column for each; a level left blank is the one above.

    Not where an empty level has a meaning, as that of an unknown.

    Parameters
    ----------
    name : str
        Of the table, for messages.
    columns : mapping of str to (str, sequence of str)
        Title to unit as written and cells.
    recipe : Recipe

    Raises
    ------
    WideError
        If the recipe measures more than one column and the headers do not say which, or their units differ.
    """
    columns = side_by_side(with_limits(renamed(columns, recipe), recipe), recipe)
    columns = written_once(columns, recipe)
    trials = _trial_columns(columns, recipe)
    if not trials:
        return as_it_is(columns)
    rows = rows_of(columns)
    wanted = {of or _measured(name, columns, trials, recipe): titles for of, titles in trials.items()}
    wanted = {of: titles for of, titles in wanted.items() if of}
    if not wanted:
        return as_it_is(columns)
    gone = {title for titles in wanted.values() for title in titles}
    kept = [t for t in columns if t not in gone]
    made: dict[str, list[str]] = {t: [] for t in (*kept, *wanted)}
    source: list[int] = []
    for i in range(rows):
        runs = _runs_of_row(columns, wanted, i)
        for n, run in enumerate(runs):
            source.append(i)
            for title in kept:
                cell = cell_of(columns, title, i)
                made[title].append("" if n and plain_name(title) in MEANS else cell)
            for of, cell in run.items():
                made[of].append(cell)
    units = {of: _one_unit(name, columns, titles) for of, titles in wanted.items()}
    return Unfolded(
        {t: (units.get(t, columns[t][0] if t in columns else ""), tuple(cells)) for t, cells in made.items()},
        tuple(source),
    )


def as_it_is(columns: Columns) -> Unfolded:
    """A table with one trial a row."""
    return Unfolded({t: (u, tuple(c)) for t, (u, c) in columns.items()}, tuple(range(rows_of(columns))))


def _trial_columns(columns: Columns, recipe: Recipe) -> dict[str, list[str]]:
    """Titles of the columns of trials in their order, by the column they name; empty where none is named."""
    found: dict[str, dict[int, str]] = {}
    for title in columns:
        plain = plain_name(title)
        if plain in recipe.columns:
            continue
        match = _TRIAL.fullmatch(plain)
        of = (match["of"] or "") if match else ""
        if match is None or (of and of not in recipe.columns):
            match = _NUMBERED.fullmatch(plain)
            of = match["of"] if match else ""
            if match is None or of not in recipe.columns:
                continue
            number = int(match["n"])
        else:
            number = int(match["n"] or match["th"])
        found.setdefault(of, {})[number] = title
    return {
        of: [numbered[n] for n in sorted(numbered)]
        for of, numbered in found.items()
        if sorted(numbered) == list(range(1, len(numbered) + 1)) and len(numbered) >= FEWEST
    }


def _measured(name: str, columns: Columns, trials: dict[str, list[str]], recipe: Recipe) -> str:
    """The one measured column that is not there; empty where all are."""
    there = {plain_name(t) for t in columns} | set(trials)
    missing = [
        n
        for n, c in recipe.columns.items()
        if c.kind == "number" and not c.optional and c.default is None and n not in there | set(recipe.level)
    ]
    if len(missing) > 1:
        first = trials[""][0]
        raise WideError(
            say("wide.which", table=name, all=", ".join(missing), example=f"{missing[0]} {first}")
        )
    return missing[0] if missing else ""


def _runs_of_row(columns: Columns, wanted: dict[str, list[str]], row: int) -> list[dict[str, str]]:
    """Cells of each trial of a row; one without any where all of it is empty."""
    count = max(len(titles) for titles in wanted.values())
    runs = []
    for n in range(count):
        run = {
            of: cell_of(columns, titles[n], row) if n < len(titles) else "" for of, titles in wanted.items()
        }
        run = {of: "" if is_no_value(cell) else cell for of, cell in run.items()}
        if any(run.values()):
            runs.append(run)
    return runs or [dict.fromkeys(wanted, "")]


def _one_unit(name: str, columns: Columns, titles: list[str]) -> str:
    units = {columns[t][0].strip() for t in titles} - {""}
    if len(units) > 1:
        raise WideError(say("wide.units", table=name, units=", ".join(sorted(units)), name=titles[0]))
    return next(iter(units), "")
