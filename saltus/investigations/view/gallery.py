"""The catalogue as it is chosen from: groups in their order, search by words, equipment and quantities."""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from typing import TYPE_CHECKING

from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.custom_columns import free_data
from saltus.investigations.recipe.file import recipe_from
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from saltus.investigations.recipe.recipe import Recipe

GROUPS = (
    "Forces and mass", "Straight-line motion", "Projectiles", "Circular and rotational motion",
    "Oscillations and waves",
)  # fmt: skip
OWN_DRAWING = (
    "line 14 12 14 78 88 78", "dots 26 66 40 56 54 44", "body 72 26 5 A", "dashed 16 74 84 18",
    "letter 6 10 y", "letter 86 72 x",
)  # fmt: skip


@lru_cache(maxsize=1)
def catalogue() -> tuple[Recipe, ...]:
    """All investigations by group, the quickest first; an own one last."""
    found = [recipe_named(i) for i in ids()]

    def place(recipe: Recipe) -> tuple[int, int, str]:
        known = GROUPS.index(recipe.group) if recipe.group in GROUPS else len(GROUPS)
        return known, recipe.minutes, recipe.title

    return (*sorted(found, key=place), own_investigation())


def own_investigation() -> Recipe:
    """An investigation with columns and a formula of one's own, as a choice beside the others."""
    data = free_data() | {
        "group": say("gallery.own"),
        "finds": say("gallery.own-columns-own-formula"),
        "methods": ["film", "stopwatch", "sensor", "table"],
        "varied": say("gallery.what-choose"),
        "measured": say("gallery.what-choose"),
        "same": say("gallery.all-else"),
        "instruments": [say("gallery.what-you-have")],
        "checks": [say("gallery.quantity-varied-all-others")],
        "cautions": [say("gallery.follow-rules-school-responsible")],
        "drawing": list(OWN_DRAWING),
        "columns": {"number": {"optional": True}},
    }
    return recipe_from(data, data["id"])


def plain_words(text: str) -> str:
    """Small letters without accents, for searching."""
    spread = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in spread if not unicodedata.combining(c))


def matches(recipe: Recipe, text: str, method: str = "") -> bool:
    """Whether every word of a search is in an investigation, and it can be measured this way.

    Parameters
    ----------
    recipe : Recipe
    text : str
        Words, quantities, equipment; empty for all.
    method : str
        One of ``METHODS``; empty for any.
    """
    if method and method not in recipe.methods:
        return False
    parts = [recipe.id, recipe.title, recipe.question, recipe.finds, recipe.group]
    parts += [text for key in ("varied", "measured", "instruments") for text in recipe.texts[key]]
    parts += [*recipe.columns, *recipe.givens, *recipe.results]
    hay = plain_words(" ".join(parts).replace("_", " "))
    return all(word in hay for word in plain_words(text).split())
