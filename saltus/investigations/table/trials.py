"""The table of trials: cells as typed become columns of numbers with their uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.entry import entry, in_wanted
from saltus.core.lines.levels import group_levels
from saltus.core.quantities import exact, family, measured
from saltus.core.units import ONE, Unit, UnitError, parse_unit
from saltus.investigations.sentences import say
from saltus.investigations.table.headers import plain_name
from saltus.investigations.table.wide import MEANS, WideError, as_it_is, unfolded
from saltus.investigations.table.written_cells import TrialsError, numbers_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Kind
    from saltus.investigations.recipe.recipe import Column, Recipe

    Array = NDArray[np.float64]

KEPT, LEFT_OUT = ("", "kept"), ("failed", "set-aside", "set aside")


@dataclass(frozen=True)
class Typed:
    """A column as typed.

    Attributes
    ----------
    texts : tuple of str
        (N,) cells.
    values : (N,) ndarray
        SI; NaN for empty cells, and for words.
    u : (N,) ndarray or None
        Standard uncertainties, SI; None where none are stated.
    unit : Unit
    q : Quantity or None
        (N,) the same with sources of their own, where these are more than this column.
    """

    texts: tuple[str, ...]
    values: Array
    u: Array | None
    unit: Unit
    q: Quantity | None = None

    @property
    def stated(self) -> bool:
        """Whether anything is stated of how sure its values are."""
        return self.u is not None or self.q is not None


@dataclass(frozen=True)
class Trials:
    """A table of trials.

    Attributes
    ----------
    name : str
        For messages.
    columns : dict of str to Typed
    lines : tuple of int
        Line of each row in its file.
    kept : (N,) ndarray of bool
    keys : (N,) ndarray of int or str
        What tells the sources of one row from those of others: lines of a file, ids of trials.
    typed_means : tuple of str
        (N,) cells of a column of means that somebody worked out, which is checked and not used; else empty.
    first_line : int
        Line of the first row of the whole table.
    """

    name: str
    columns: dict[str, Typed]
    lines: tuple[int, ...]
    kept: NDArray[np.bool_]
    keys: NDArray[Any]
    typed_means: tuple[str, ...] = ()
    first_line: int = 2

    def number(self, row: int) -> int:
        """Number of a row in the whole table, from 1."""
        return self.lines[row] - self.first_line + 1

    @property
    def rows(self) -> int:
        """How many there are."""
        return len(self.lines)

    def only(self, rows: NDArray[np.int_]) -> Trials:
        """The same table with some rows."""
        columns = {
            name: Typed(
                tuple(c.texts[i] for i in rows),
                c.values[rows],
                None if c.u is None else c.u[rows],
                c.unit,
                None if c.q is None else c.q[rows],
            )
            for name, c in self.columns.items()
        }
        lines = tuple(self.lines[i] for i in rows)
        means = tuple(self.typed_means[i] for i in rows) if self.typed_means else ()
        return Trials(self.name, columns, lines, self.kept[rows], self.keys[rows], means, self.first_line)

    def with_values(self, name: str, values: Array) -> Trials:
        """The same table with other values in a column; stated uncertainties go with them in proportion."""
        old = self.columns[name]
        with np.errstate(all="ignore"):
            ratio = np.where(old.values != 0, values / old.values, 1.0)
        u = None if old.u is None else old.u * np.abs(np.nan_to_num(ratio, nan=1.0, posinf=1.0, neginf=1.0))
        return replace(self, columns={**self.columns, name: Typed(old.texts, values, u, old.unit)})


def read_trials(
    name: str, columns: Mapping[str, tuple[str, Sequence[str]]], recipe: Recipe, *, of_people: bool = True
) -> Trials:
    """Take a table of trials for an investigation.

    Parameters
    ----------
    name : str
        For messages.
    columns : mapping of str to (str, sequence of str)
        Title to unit as written and cells.
    recipe : Recipe
    of_people : bool
        It may have a column for each trial, and levels that are written once; see :func:`unfolded`.

    Raises
    ------
    TrialsError
        If a column is missing, or a cell cannot be read: which, and what is expected.
    """
    try:
        table = unfolded(name, columns, recipe) if of_people else as_it_is(columns)
    except WideError as error:
        raise TrialsError(str(error)) from error
    given = {plain_name(title): (title, *found) for title, found in table.columns.items()}
    rows = len(table.rows)
    made: dict[str, Typed] = {}
    for wanted, column in recipe.columns.items():
        found = given.get(wanted)
        if found is None:
            if column.default is not None:
                filled = entry(column.default, column.unit, default_unit=column.unit_text)
                u = None if filled.u is None else np.full(rows, filled.u)
                made[wanted] = Typed((column.default,) * rows, np.full(rows, filled.value), u, column.unit)
            elif not column.optional:
                raise TrialsError(_missing(name, wanted, column, list(columns)))
            continue
        made[wanted] = _typed(name, column, found, given.get(f"u({wanted})"))
    status = [c.strip().lower() for c in given["status"][2]] if "status" in given else [""] * rows
    kept = np.array([s not in LEFT_OUT for s in status], dtype=bool)
    for i, word in enumerate(status):
        if word not in (*KEPT, *LEFT_OUT):
            raise TrialsError(say("trials.line-status-kept-failed", table=name, line=i + 2, word=word[:40]))
    means = next((given[n][2] for n in MEANS if n in given and n not in recipe.columns), ())
    lines = tuple(row + 2 for row in table.rows)
    return Trials(name, made, lines, kept, np.arange(2, rows + 2), tuple(c.strip() for c in means))


def _missing(name: str, wanted: str, column: Column, there: list[str]) -> str:
    unit = f" [{column.unit_text}]" if column.unit_text else ""
    return say(
        "trials.no-column",
        table=name,
        name=wanted,
        unit=unit,
        all=", ".join(there[:20]) or say("trials.none"),
    )


def _typed(
    name: str, column: Column, found: tuple[str, str, Sequence[str]],
    spread: tuple[str, str, Sequence[str]] | None,
) -> Typed:  # fmt: skip
    title, unit_text, cells = found
    texts = tuple(cell.strip() for cell in cells)
    if column.kind == "text":
        return Typed(texts, np.full(len(texts), math.nan), None, ONE)
    words_allowed = column.kind == "level"
    unit = _unit(name, title, unit_text, column.unit, column, free=words_allowed)
    values, own = numbers_of(name, title, texts, unit, words=words_allowed)
    u = own
    if spread is not None:
        stated_unit = (
            unit
            if not spread[1]
            else _unit(name, spread[0], spread[1], column.unit, column, free=words_allowed)
        )
        stated, _own = numbers_of(
            name, spread[0], tuple(c.strip() for c in spread[2]), stated_unit, words=False
        )
        if np.any(stated < 0):
            line = int(np.flatnonzero(stated < 0)[0]) + 2
            raise TrialsError(
                say("trials.line-uncertainty-zero-positive", table=name, line=line, name=spread[0])
            )
        filled = np.where(np.isfinite(stated), stated, 0.0 if own is None else own)
        u = filled if np.any(filled > 0) else None
    return Typed(texts, values, u, unit[1] if words_allowed else column.unit)


def _unit(
    name: str, title: str, written: str, wanted: Unit, column: Column, *, free: bool
) -> tuple[float, Unit]:
    try:
        factor, unit = parse_unit(written or column.unit_text)
    except UnitError as error:
        raise TrialsError(f"{name}, “{title}”: {error}") from error
    if free:
        return factor, unit
    if not unit.goes_with(wanted):
        raise TrialsError(
            say("trials.wrong-unit", table=name, name=title, unit=written or "1", wanted=wanted.ascii)
        )
    return in_wanted(written or column.unit_text, factor, wanted), wanted


def kind_of(unit: Unit) -> Kind:
    """Give the group of the limit bar that a typed quantity of this unit belongs to."""
    bases = unit.exponents
    if bases[6]:
        return "reaction"
    if bases[0]:
        return "instruments"
    if bases[1] and not bases[2]:
        return "scale"
    return "timing" if bases[2] and not bases[1] else "reading"


def as_quantity(name: str, column: Typed, keys: NDArray[Any], *, level: bool) -> Quantity:
    """Turn a column into quantities (N,).

    Parameters
    ----------
    name : str
        Names its sources.
    column : Typed
    keys : (N,) ndarray
        Of its rows, see :class:`Trials`.
    level : bool
        Whether rows of one value are one reading, whose uncertainty they share.
    """
    if column.q is not None:
        if not level or not len(column.values):
            return column.q
        group, first = group_levels(np.where(np.isfinite(column.values), column.values, 0.0))
        return column.q[first][group].moved_to(column.values)
    if column.u is None:
        return exact(column.values, column.unit)
    source = sources.column(name, kind_of(column.unit))
    filled = np.where(np.isfinite(column.values), column.values, 0.0)
    if level and len(filled):
        group, first = group_levels(filled)
        if len(first) < len(filled):
            one = family(filled[first], column.u[first], column.unit, source, keys[first])
            return one[group].moved_to(column.values)
    return family(column.values, column.u, column.unit, source, keys)


def given_quantity(name: str, text: str, unit: Unit, unit_text: str, words: str = "") -> Quantity:
    """Turn a given as written into a quantity.

    Raises
    ------
    WrittenError
        Naming the given and what is expected.
    """
    read = entry(text, unit, default_unit=unit_text, where=name)
    return measured(read.value, read.u or 0.0, unit, sources.given(name, kind_of(unit), words))
