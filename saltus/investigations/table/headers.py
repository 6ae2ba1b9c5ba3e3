"""Which column of a table is which of an investigation, however its head is written."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from saltus.core.units import UnitError, parse_unit

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from saltus.investigations.recipe.recipe import Column, Recipe

    Columns = Mapping[str, tuple[str, Sequence[str]]]

NEVER = frozenset({"status", "note", "notes", "remark", "remarks", "mean", "average", "trial", "run", "row"})
"""Headers that are never a quantity of the investigation, unless it has a column of that name."""
_SMALL_WORDS = frozenset(
    {"of", "the", "a", "an", "in", "to", "at", "for", "no", "number", "measured", "total"}
)


def plain_name(title: str) -> str:
    """Give the name of a column as recipes write it: ``Hanging mass`` is ``hanging_mass``."""
    return re.sub(r"[\s\-]+", "_", title.strip().lower())


def bare_words(plain: str) -> frozenset[str]:
    """The words of a head that say something: ``No. of swings`` is about swings."""
    return frozenset(w for w in re.split(r"[_\W]+", plain) if w and w not in _SMALL_WORDS)


def renamed(columns: Columns, recipe: Recipe) -> dict[str, tuple[str, Sequence[str]]]:
    """The same columns under the names of the investigation, where it is clear which is which.

    A head is known by the name, the title, a synonym or the symbol of a column, whatever case and spacing; a
    column that must be there also by one head that has all its words. A unit that does not go with the
    column rules a head out.
    """
    chosen = matched({title: unit for title, (unit, _cells) in columns.items()}, recipe)
    back = {title: name for name, title in chosen.items()}
    out: dict[str, tuple[str, Sequence[str]]] = {}
    for title, column in columns.items():
        spread = re.fullmatch(r"u\((.+)\)", title.strip())
        of = back.get(_titled(spread[1], columns)) if spread is not None else None
        name = back.get(title, f"u({of})" if of is not None else title)
        out[title if name in out else name] = column
    return out


def _titled(inner: str, columns: Columns) -> str:
    return next((t for t in columns if plain_name(t) == plain_name(inner)), inner)


def matched(titles: Mapping[str, str], recipe: Recipe) -> dict[str, str]:
    """Column of the investigation to the title it stands under.

    Parameters
    ----------
    titles : mapping of str to str
        Title to unit as written.
    recipe : Recipe
    """
    free = {t: plain_name(t) for t in titles if not plain_name(t).startswith("u(")}
    chosen: dict[str, str] = {}

    def take(name: str, found: Iterable[str]) -> None:
        there = [t for t in found if t in free and _unit_goes(titles[t], recipe.columns[name])]
        if len(there) == 1:
            chosen[name] = there[0]
            del free[there[0]]

    for known in (_by_name, _by_words_for_it, _by_symbol):
        for name in recipe.columns:
            if name not in chosen:
                take(name, known(name, free, recipe))
    needed = [
        n for n, c in recipe.columns.items() if not c.optional and c.default is None and n not in chosen
    ]
    claims = {n: list(_by_part(n, free)) for n in needed}
    for name, found in claims.items():
        alone = [t for t in found if sum(t in others for others in claims.values()) == 1]
        take(name, alone)
    return chosen


def _by_name(name: str, free: Mapping[str, str], _recipe: Recipe) -> list[str]:
    return [t for t, plain in free.items() if plain == name][:1]


def _by_words_for_it(name: str, free: Mapping[str, str], recipe: Recipe) -> list[str]:
    words = {plain_name(recipe.title_of(name)), *(plain_name(w) for w in recipe.also(name))}
    bare = {b for b in map(bare_words, words) if b}
    return [t for t, plain in free.items() if plain in words or bare_words(plain) in bare]


def _by_symbol(name: str, free: Mapping[str, str], recipe: Recipe) -> list[str]:
    known = recipe.names.get(name)
    symbol = known.symbol if known is not None else ""
    return [t for t in free if symbol and t.strip() in (symbol, symbol.replace("_", ""))]


def _by_part(name: str, free: Mapping[str, str]) -> list[str]:
    wanted = set(name.split("_"))
    return [t for t, plain in free.items() if plain not in NEVER and wanted <= bare_words(plain)]


def _unit_goes(written: str, column: Column) -> bool:
    if not written or column.kind != "number":
        return True
    try:
        return parse_unit(written)[1].goes_with(column.unit)
    except UnitError:
        return True
