"""Several observers of one run: readings of one trial, kept side by side in its cell."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from saltus.investigations.table.headers import plain_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from saltus.investigations.recipe.recipe import Recipe

    Columns = Mapping[str, tuple[str, Sequence[str]]]

BETWEEN = " & "
"""Between the readings of a cell."""
_OBSERVER = re.compile(
    r"(?:(?P<of>.+?)_)??(?:by_)?(?:observer|timer|timekeeper|person|student|reader|watch|stopwatch|obs)_?"
    r"(?P<n>[1-9]|[a-h])"
)


def side_by_side(columns: Columns, recipe: Recipe) -> dict[str, tuple[str, Sequence[str]]]:
    """Put the columns of several observers of one quantity into one, their readings side by side.

    Two observers who time one run are two readings of one trial: their difference tells the hands, their mean
    the run. Only of the column they name, or the one measured column that is missing.
    """
    found: dict[str, list[str]] = {}
    for title in columns:
        match = _OBSERVER.fullmatch(plain_name(title))
        if match is not None and plain_name(title) not in recipe.columns:
            found.setdefault(match["of"] or "", []).append(title)
    out = dict(columns)
    for of, titles in found.items():
        name = of if of in recipe.columns else _missing(columns, recipe) if not of else ""
        if not name or len(titles) < 2 or name in out:
            continue
        unit = next((columns[t][0] for t in titles if columns[t][0]), "")
        rows = max(len(columns[t][1]) for t in titles)
        cells = [
            BETWEEN.join(c for t in titles if i < len(columns[t][1]) and (c := columns[t][1][i].strip()))
            for i in range(rows)
        ]
        out = {k: v for k, v in out.items() if k not in titles}
        out[name] = unit, cells
    return out


def _missing(columns: Columns, recipe: Recipe) -> str:
    there = {plain_name(t) for t in columns} | set(recipe.level)
    missing = [
        n
        for n, c in recipe.columns.items()
        if c.kind == "number" and not c.optional and c.default is None and n not in there
    ]
    return missing[0] if len(missing) == 1 else ""
