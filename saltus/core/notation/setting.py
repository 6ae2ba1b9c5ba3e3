"""From the tree of a formula to the pieces it is set with: no more brackets than it needs."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.formulas import Call, Name, Number
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
from saltus.core.statement import MINUS, written_number

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.formulas import Node
    from saltus.core.notation.boxes import Box

SUM, PRODUCT, RAISED, SINGLE = range(4)
"""How tightly a piece holds together."""


def set_formula(tree: Node, symbol: Callable[[str], Box]) -> Box:
    """Set a formula.

    Parameters
    ----------
    tree : Node
    symbol : callable
        Gives what stands for a name: its symbol, or the value put in.
    """
    return _Setter(symbol).whole(tree)


class _Setter:
    def __init__(self, symbol: Callable[[str], Box]) -> None:
        self._symbol = symbol

    def whole(self, node: Node) -> Box:
        return self._set(node)[0]

    def _set(self, node: Node) -> tuple[Box, int]:  # noqa: PLR0911  a case for each kind of node
        if isinstance(node, Number):
            return _number(node), SINGLE
        if isinstance(node, Name):
            return self._symbol(node.name), SINGLE
        if node.name in _SUMS:
            return self._sum(node), SUM if len(node.parts) > 1 else PRODUCT
        if node.name == "*":
            return self._product(node), PRODUCT
        if node.name == "/":
            return self._fraction(node), PRODUCT
        if node.name == "^":
            return self._power(node), RAISED
        return self._call(node), SINGLE

    def _held(self, node: Node, least: int) -> Box:
        box, holds = self._set(node)
        return box if holds >= least else Group(box)

    def _sum(self, node: Call) -> Box:
        sign = MINUS if node.name == "-" else "+"
        if len(node.parts) == 1:
            return Row((Word(sign), self._held(node.parts[0], PRODUCT)))
        left, right = node.parts
        return Row((self._held(left, SUM), Word(f" {sign} "), self._held(right, PRODUCT)))

    def _product(self, node: Call) -> Box:
        parts: list[Box] = []
        for factor in _factors(node):
            box, last = self._held(factor, PRODUCT), parts[-1] if parts else None
            if last is not None:
                dot = isinstance(box, Value) or isinstance(last, Value) or _starts_with_digit(box)
                if dot or not _counts(last, box):
                    parts.append(Word(" · " if dot else THIN))
            parts.append(box)
        return Row(tuple(parts))

    def _fraction(self, node: Call) -> Box:
        above, below = node.parts
        if isinstance(above, Call) and above.name == "-" and len(above.parts) == 1:
            return Row((Word(MINUS), self._fraction(Call("/", (above.parts[0], below)))))
        if isinstance(below, Number) and below.value == 1:
            unit = below.unit.text
            return self._held(above, PRODUCT) if not unit else Fraction(self.whole(above), Word(unit))
        return Fraction(self.whole(above), self.whole(below))

    def _power(self, node: Call) -> Box:
        base, power = node.parts
        raised = self._held(base, SINGLE)
        if isinstance(raised, Value | Fraction) or (isinstance(raised, Row) and len(raised.parts) > 1):
            raised = Group(raised)
        return Power(raised, self.whole(power))

    def _call(self, node: Call) -> Box:  # noqa: PLR0911  a case for each function
        inner = [self.whole(part) for part in node.parts]
        if node.name == "sqrt":
            return Root(inner[0])
        if node.name == "abs":
            return Group(inner[0], "||")
        if node.name == "combine":
            return Mean(inner[0])
        if node.name == "step":
            return Row((Word("Δ"), inner[0]))
        if node.name == "limits":
            return Fraction(Row((inner[0], Word(" + "), inner[1])), Word("2"))
        if node.name == "exp":
            return Power(Word("e"), inner[0])
        name = f"arc{node.name[1:]}" if node.name in _ARCS else _FUNCTIONS.get(node.name, node.name)
        if len(inner) == 1 and isinstance(inner[0], Word | Below):
            return Applied(name, inner[0])
        listed: list[Box] = []
        for box in inner:
            listed += [Word(", "), box] if listed else [box]
        return Applied(name, Group(Row(tuple(listed)) if len(listed) > 1 else listed[0]))


_SUMS = ("+", "-")
_FUNCTIONS = {"log10": "lg", "count": "number of", "max": "largest", "min": "smallest"}
_ARCS = ("asin", "acos", "atan")


def _factors(node: Node) -> list[Node]:
    if isinstance(node, Call) and node.name == "*":
        return [*_factors(node.parts[0]), *_factors(node.parts[1])]
    return [node]


def _counts(number: Box, box: Box) -> bool:
    """Whether a factor stands close behind a number, as in 2θ; words and numbers keep a space."""
    close = not isinstance(box, Word) or box.italic or len(box.text) == 1
    return isinstance(number, Word) and number.text.isdigit() and close


def _starts_with_digit(box: Box) -> bool:
    while isinstance(box, Row | Power):
        box = box.parts[0] if isinstance(box, Row) else box.base
    return isinstance(box, Word) and box.text[:1].isdigit()


def _number(node: Number) -> Box:
    if node.value == math.pi and node.unit.plain:
        return Word("π")
    text, unit = written_number(node.value), node.unit.text
    return Value(text, unit) if unit else Word(text)
