"""A value with ± in place of two limits, and two limits in place of a value with ±."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.entry import entry
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.table.headers import plain_name

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from saltus.investigations.recipe.recipe import Recipe

    Columns = Mapping[str, tuple[str, Sequence[str]]]

LOWER = ("low", "min", "minimum", "lowest", "lower", "from", "smallest")
UPPER = ("high", "max", "maximum", "highest", "upper", "to", "largest")


def with_limits(columns: Columns, recipe: Recipe) -> dict[str, tuple[str, Sequence[str]]]:
    """Give columns the form that is asked for: limits as a value with u, or a value with u as limits.

    Between limits nothing is told apart: half their range over √3 is the standard uncertainty (GUM 4.3.7).
    """
    out = dict(columns)
    for name in recipe.columns:
        if name.endswith("_low") and (pair := f"{name.removesuffix('_low')}_high") in recipe.columns:
            if name not in out and pair not in out:
                _as_two_limits(out, name.removesuffix("_low"), name, pair, recipe)
        elif name not in out and not recipe.columns[name].optional and recipe.columns[name].kind == "number":
            _as_value(out, name, recipe)
    return out


def _as_two_limits(
    out: dict[str, tuple[str, Sequence[str]]], stem: str, low: str, high: str, recipe: Recipe
) -> None:
    words = {stem, plain_name(recipe.title_of(stem)), *(plain_name(w) for w in recipe.also(stem))}
    title = next((t for t in out if plain_name(t) in words), None)
    if title is None:
        return
    unit, cells = out[title]
    spread = next((out[t] for t in out if plain_name(t) == f"u({plain_name(title)})"), None)
    sides: tuple[list[str], list[str]] = [], []
    for i, cell in enumerate(cells):
        stated = spread[1][i] if spread is not None and i < len(spread[1]) else ""
        for side, text in zip(sides, _sides(cell, stated, unit), strict=True):
            side.append(text)
    del out[title]
    out[low], out[high] = (unit, sides[0]), (unit, sides[1])


def _sides(cell: str, stated: str, unit: str) -> tuple[str, str]:
    """Both limits of a cell with ±; the cell itself, twice, where nothing is stated."""
    text = f"{cell} ± {stated}" if stated.strip() and "±" not in cell else cell
    try:
        read = entry(text, None, default_unit="")
    except (WrittenError, UnitError):
        return cell, cell
    half = math.sqrt(3) * (read.u or 0.0)
    if read.unit.ascii != "1" and not unit:
        tail = f" {read.unit.ascii}"
        return f"{read.value - half:.12g}{tail}", f"{read.value + half:.12g}{tail}"
    return f"{read.value - half:.12g}", f"{read.value + half:.12g}"


def _as_value(out: dict[str, tuple[str, Sequence[str]]], name: str, recipe: Recipe) -> None:
    found = [_limit_of(out, name, words, recipe) for words in (LOWER, UPPER)]
    if None in found:
        return
    (low_unit, low), (_unit, high) = (out[str(title)] for title in found)
    values, u = [], []
    for a, b in zip(low, high, strict=False):
        try:
            first, second = (entry(cell, None).value for cell in (a, b))
        except (WrittenError, UnitError):
            values.append(a if a == b else f"{a}{b}")
            u.append("")
            continue
        values.append(f"{(first + second) / 2:.12g}")
        u.append(f"{abs(second - first) / 2 / math.sqrt(3):.6g}")
    for title in found:
        del out[str(title)]
    out[name], out[f"u({name})"] = (low_unit, values), (low_unit, u)


def _limit_of(
    out: Mapping[str, tuple[str, Sequence[str]]], name: str, sides: tuple[str, ...], recipe: Recipe
) -> str | None:
    """The title of one limit of a column; None where there is none."""
    stems = {name, plain_name(recipe.title_of(name)), *(plain_name(w) for w in recipe.also(name))}
    wanted = {f"{s}_{side}" for s in stems for side in sides} | {
        f"{side}_{s}" for s in stems for side in sides
    }
    return next((t for t in out if plain_name(t) in wanted), None)
