"""What is written once for several rows: a level, and what is the same for all trials at it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.units import ONE
from saltus.investigations.table.headers import plain_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from saltus.investigations.recipe.recipe import Recipe

    Columns = Mapping[str, tuple[str, Sequence[str]]]


def written_once(columns: Columns, recipe: Recipe) -> dict[str, tuple[str, Sequence[str]]]:
    """Repeat what is written once: levels, then what is constant within a level.

    Never in a measured column, whose empty cell is a run that gave nothing, and not where the investigation
    gives an empty level a meaning, as that of an unknown.
    """
    out = _levels_repeated(columns, recipe)
    levels = [n for n in recipe.level if n in out]
    for name in _constants(recipe):
        if name in out and levels:
            cells = _repeated(out, name, levels)
            out[name] = (out[name][0], cells) if cells is not None else out[name]
    return out


def _constants(recipe: Recipe) -> list[str]:
    """Columns that are no reading of a trial: counts, and what goes into no average."""
    averaged = set(recipe.average)
    for name in recipe.average:
        formula = recipe.rows.get(name)
        averaged |= set(formula.names) if formula is not None else set()
    typed = {n: c for n, c in recipe.columns.items() if c.kind == "number" and n not in recipe.level}
    return [n for n, c in typed.items() if c.unit == ONE or (averaged and n not in averaged)]


def _repeated(columns: Columns, name: str, levels: Sequence[str]) -> list[str] | None:
    """The cells of a column, blanks filled from above within a level; None where a level begins blank."""
    others = [t for t in columns if t != name and t not in levels and not plain_name(t).startswith("u(")]
    cells: list[str] = []
    before: tuple[str, ...] | None = None
    for i in range(rows_of(columns)):
        level = tuple(cell_of(columns, n, i) for n in levels)
        own = cell_of(columns, name, i)
        typed = any(cell_of(columns, t, i) for t in others)
        if not own and typed:
            if level != before:
                return None
            own = cells[-1]
        cells.append(own)
        before = level if typed or own else before
    return cells


def rows_of(columns: Columns) -> int:
    """How many rows the longest column has."""
    return max((len(cells) for _unit, cells in columns.values()), default=0)


def cell_of(columns: Columns, title: str, row: int) -> str:
    """A cell without blanks round it; empty below the end of its column."""
    cells = columns[title][1]
    return cells[row].strip() if row < len(cells) else ""


def _levels_repeated(columns: Columns, recipe: Recipe) -> dict[str, tuple[str, Sequence[str]]]:
    """Levels that are written once repeated below, in rows in which anything else is typed."""
    if recipe.unknown:
        return dict(columns)
    levels = {n for n in recipe.level if n in recipe.columns and not recipe.columns[n].optional}
    out = dict(columns)
    for title in columns:
        if plain_name(title) not in levels:
            continue
        others = [t for t in columns if t != title and not plain_name(t).startswith("u(")]
        cells, last = [], ""
        for i in range(rows_of(columns)):
            own = cell_of(columns, title, i)
            last = own or last
            typed = any(cell_of(columns, t, i) for t in others)
            cells.append(own if own or not typed else last)
        out[title] = (columns[title][0], cells)
    return out
