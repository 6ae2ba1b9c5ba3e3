"""A set formula along one line: as plain text, and as runs of letters to be painted."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

from saltus.core.notation.boxes import (
    THIN,
    Applied,
    Below,
    Fraction,
    Group,
    Mean,
    Power,
    Root,
    Row,
    Value,
    Word,
)
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.core.notation.boxes import Box

_RAISED = str.maketrans("-−0123456789+n", "⁻⁻⁰¹²³⁴⁵⁶⁷⁸⁹⁺ⁿ")
_LOW = str.maketrans("0123456789aehijklmnoprstuvx", "₀₁₂₃₄₅₆₇₈₉ₐₑₕᵢⱼₖₗₘₙₒₚᵣₛₜᵤᵥₓ")


@dataclass(frozen=True)
class Run:
    """Letters in one style: ``shift`` is 1 for what stands high, −1 for what stands low."""

    text: str
    italic: bool = False
    shift: int = 0


def runs(box: Box) -> tuple[Run, ...]:
    """Write a set formula along one line, as runs of letters."""
    out: list[Run] = []
    for run in _runs(box, 0):
        last = out[-1] if out else None
        if last is not None and (last.italic, last.shift) == (run.italic, run.shift):
            out[-1] = Run(last.text + run.text, run.italic, run.shift)
        else:
            out.append(run)
    return tuple(out)


def _runs(box: Box, shift: int) -> Iterator[Run]:  # noqa: C901, PLR0912  a case for each kind of piece
    match box:
        case Word(text, italic):
            yield Run(text, italic, shift)
        case Value(text, unit):
            yield Run(f"{text} {unit}".strip(), False, shift)
        case Row(parts):
            for part in parts:
                yield from _runs(part, shift)
        case Below(base, mark):
            yield from _runs(base, shift)
            yield from _runs(mark, -1)
        case Power(base, power):
            if _stands_high(power):
                yield from _runs(base, shift)
                yield from _runs(power, 1)
            else:
                yield from _raised(base, power, shift)
        case Fraction(above, below):
            yield from _side(above, shift, also_products=False)
            yield Run("/", False, shift)
            yield from _side(below, shift, also_products=True)
        case Root(inner):
            yield Run("√", False, shift)
            yield from _side(inner, shift, also_products=True)
        case Mean(inner):
            yield Run(say("notation.mean-of"), False, shift)
            yield from _side(inner, shift, also_products=False)
        case Applied(name, inner):
            yield Run(name + ("" if isinstance(inner, Group) else THIN), False, shift)
            yield from _runs(inner, shift)
        case Group(inner, marks):
            yield Run(marks[0], False, shift)
            yield from _runs(inner, shift)
            yield Run(marks[1], False, shift)


def _stands_high(power: Box) -> bool:
    """Whether a power can be written with high letters, as those of a number can."""
    return isinstance(power, Word) and all(c in "-−0123456789n" for c in power.text)


def _raised(base: Box, power: Box, shift: int) -> Iterator[Run]:
    """A power that is no plain number: e to it as the exponential function."""
    if base == Word("e"):
        yield Run("exp", False, shift)
        yield from _runs(Group(power), shift)
        return
    yield from _runs(base, shift)
    yield Run("^", False, shift)
    yield from _side(power, shift, also_products=True)


def _side(box: Box, shift: int, *, also_products: bool) -> Iterator[Run]:
    """One side of a slash: in brackets where it would fall apart."""
    if _falls_apart(box, also_products=also_products):
        box = Group(box)
    yield from _runs(box, shift)


def _falls_apart(box: Box, *, also_products: bool) -> bool:
    if isinstance(box, Word):
        return also_products and any(sign in box.text for sign in "/·")
    if isinstance(box, Fraction | Root):
        return also_products
    if not isinstance(box, Row) or len(box.parts) == 1:
        return isinstance(box, Value) and bool(box.unit) and also_products
    joined = [p.text for p in box.parts if isinstance(p, Word)]
    summed = any(text.strip() in ("+", "−") for text in joined)
    return summed or also_products


def as_text(box: Box) -> str:
    """Write a set formula as plain text: ``4π²/slope``, ``v₀``."""
    out = ""
    for run in runs(box):
        if run.shift > 0:
            raised = run.text.translate(_RAISED)
            out += raised if all(c in "⁻⁰¹²³⁴⁵⁶⁷⁸⁹⁺ⁿ" for c in raised) else f"^{run.text}"
        elif run.shift < 0:
            out += run.text.translate(_LOW)
        else:
            out += run.text
    return out


def as_html(box: Box) -> str:
    """Write a set formula along one line as rich text: italic symbols, high and low letters."""
    out = ""
    for run in runs(box):
        text = escape(run.text)
        text = f"<i>{text}</i>" if run.italic else text
        out += {0: text, 1: f"<sup>{text}</sup>", -1: f"<sub>{text}</sub>"}[run.shift]
    return out
