"""Set-up drawings: what a file says of its apparatus, read into shapes; nothing drawn yet."""

from __future__ import annotations

import math
from dataclasses import dataclass

from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.sentences import say

BOX = (100.0, 90.0)
"""Width and height of the sheet that places are given on, from its upper left corner."""
MOST_SHAPES = 60
POLYLINE = None
KINDS: dict[str, tuple[int | None, str]] = {
    "line": (POLYLINE, ""), "dashed": (POLYLINE, ""), "dots": (POLYLINE, ""), "fixed": (4, ""),
    "box": (4, ""), "circle": (3, ""), "arc": (5, ""), "spring": (4, ""), "wave": (6, ""), "arrow": (4, ""),
    "water": (4, ""), "body": (3, "AB"), "block": (4, "AB"), "dim": (4, "letter"), "letter": (2, "letter"),
}  # fmt: skip
"""How many numbers follow the name of a shape (None: pairs, two or more), and what follows these."""


@dataclass(frozen=True)
class Shape:
    """One shape of a drawing: its kind, its numbers, and the body or letter at its end."""

    kind: str
    numbers: tuple[float, ...]
    word: str = ""


def shapes(lines: tuple[str, ...], name: str) -> tuple[Shape, ...]:
    """Read a drawing.

    Parameters
    ----------
    lines : tuple of str
        One shape each, such as ``body 40 30 6 A``.
    name : str
        Of the file, for messages.

    Raises
    ------
    RecipeError
        If a line is no shape: which, and what is expected.
    """
    if len(lines) > MOST_SHAPES:
        raise RecipeError(say("drawing.too-many-shapes", name=name, n=MOST_SHAPES))
    return tuple(_shape(line, name) for line in lines)


def _shape(line: str, name: str) -> Shape:
    kind, *rest = line.split() or [""]
    wrong = RecipeError(say("drawing.no-shape", name=name, line=line[:40], all=", ".join(KINDS)))
    if kind not in KINDS:
        raise wrong
    count, tail = KINDS[kind]
    word = rest.pop() if tail and rest else ""
    try:
        numbers = tuple(map(float, rest))
    except ValueError as error:
        raise wrong from error
    fits = len(numbers) == count if count is not None else len(numbers) >= 2 and len(numbers) % 2 == 0
    if not fits or not all(math.isfinite(n) and abs(n) <= 400 for n in numbers):
        raise wrong
    if (tail == "AB" and word not in ("A", "B")) or len(word) > 8:
        raise wrong
    return Shape(kind, numbers, word)
