"""Formulas people type: parsed to a closed tree, computed over quantities and arrays, units checked."""

from __future__ import annotations

import math
import operator
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantity import Quantity, apply
from saltus.core.sentences import say
from saltus.core.units import ONE, RADIAN, UnitError, parse_unit

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping

    from numpy.typing import NDArray

    from saltus.core.units import Unit

    Array = NDArray[np.float64]

LONGEST, DEEPEST, MOST_PARTS = 500, 200, 300
MOST_COST = 50_000_000
"""Parts of a formula times rows: beyond this it would keep a person waiting."""
_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d{1,3})?)|(?P<unit>\[[^\]\[]{0,40}\])"
    r"|(?P<name>[^\W\d²³][^\W²³]*)|(?P<raised>[²³])|(?P<mark>\*\*|[-+\u2212*×·/÷^(),√]))"
)
_ALIKE = {"\u2212": "-", "×": "*", "·": "*", "÷": "/", "**": "^"}
CONSTANTS = {"pi": math.pi, "π": math.pi}


class FormulaError(ValueError):
    """A formula that cannot be read or computed: which, what is wrong, what to write."""


@dataclass(frozen=True)
class Number:
    """A number, with a unit where one stands in brackets behind it; value in SI."""

    value: float
    unit: Unit


@dataclass(frozen=True)
class Name:
    """The name of a column, a given or a result."""

    name: str


@dataclass(frozen=True)
class Call:
    """A function or an operator and what it is applied to."""

    name: str
    parts: tuple[Node, ...]


Node = Number | Name | Call


@dataclass(frozen=True)
class Formula:
    """A formula that was read.

    Attributes
    ----------
    text : str
        As written.
    tree : Node
    names : frozenset of str
        What it needs.
    size : int
        How many parts it has.
    """

    text: str
    tree: Node
    names: frozenset[str]
    size: int


def _plain_argument(q: Quantity, name: str) -> Quantity:
    if not q.unit.plain:
        raise FormulaError(say("formulas.wants-plain-number-not", name=name, unit=q.unit.ascii))
    return q


def _of_number(
    name: str, function: Callable[[Array], Array], derivative: Callable[[Array], Array], unit: Unit = ONE
) -> Callable[[Quantity], Quantity]:
    def act(q: Quantity) -> Quantity:
        return apply(function, derivative, _plain_argument(q, name), unit)

    return act


def _absolute(q: Quantity) -> Quantity:
    return apply(np.abs, np.sign, q, q.unit)


FUNCTIONS: dict[str, Callable[[Quantity], Quantity]] = {
    "sqrt": lambda q: q**0.5,
    "abs": _absolute,
    "ln": _of_number("ln", np.log, lambda v: 1 / v),
    "log10": _of_number("log10", np.log10, lambda v: 1 / (v * math.log(10))),
    "exp": _of_number("exp", np.exp, np.exp),
    "sin": _of_number("sin", np.sin, np.cos),
    "cos": _of_number("cos", np.cos, lambda v: -np.sin(v)),
    "tan": _of_number("tan", np.tan, lambda v: 1 / np.cos(v) ** 2),
    "asin": _of_number("asin", np.arcsin, lambda v: 1 / np.sqrt(1 - v**2), RADIAN),
    "acos": _of_number("acos", np.arccos, lambda v: -1 / np.sqrt(1 - v**2), RADIAN),
    "atan": _of_number("atan", np.arctan, lambda v: 1 / (1 + v**2), RADIAN),
}
"""Functions of one quantity that every formula may use."""


def parse(text: str, functions: Iterable[str] = ()) -> Formula:
    """Read a formula.

    Parameters
    ----------
    text : str
        Names, numbers (with a unit in brackets behind them where they have one), + − × ÷ ^ ( ), functions.
    functions : iterable of str
        Further functions of any number of arguments that may be used.

    Raises
    ------
    FormulaError
        Saying what is wrong where.
    """
    if len(text) > LONGEST:
        raise FormulaError(say("formulas.formula-too-long", text=text[:40]))
    reader = _Reader(text, frozenset(functions))
    tree = reader.whole()
    return Formula(text, tree, frozenset(reader.names), reader.parts)


class _Reader:
    """Recursive descent over the tokens of one formula."""

    def __init__(self, text: str, functions: frozenset[str]) -> None:
        self._text = text
        self._functions = functions
        self._tokens: list[tuple[str, str]] = []
        self.names: set[str] = set()
        self.parts = 0
        at = 0
        while text[at:].strip():
            found = _TOKEN.match(text, at)
            if found is None:
                raise self._wrong(text[at:].strip()[:12])
            kind = str(found.lastgroup)
            self._tokens.append((kind, _ALIKE.get(found[kind], found[kind])))
            at = found.end()
        self._at = 0

    def _wrong(self, what: str) -> FormulaError:
        return FormulaError(say("formulas.wrong-at", text=self._text[:80], what=what))

    def whole(self) -> Node:
        tree = self._sum(0)
        if self._at < len(self._tokens):
            raise self._wrong(self._tokens[self._at][1])
        return tree

    def _peek(self) -> str:
        return self._tokens[self._at][1] if self._at < len(self._tokens) else ""

    def _take(self, mark: str) -> bool:
        if self._at < len(self._tokens) and self._tokens[self._at] == ("mark", mark):
            self._at += 1
            return True
        return False

    def _made(self, node: Node, depth: int) -> Node:
        self.parts += 1
        self._bound(depth)
        return node

    def _bound(self, depth: int) -> None:
        if depth > DEEPEST or self.parts > MOST_PARTS:
            raise FormulaError(say("formulas.formula-too-long", text=self._text[:40]))

    def _sum(self, depth: int) -> Node:
        left = self._product(depth + 1)
        while self._peek() in ("+", "-") and self._tokens[self._at][0] == "mark":
            sign = self._peek()
            self._at += 1
            left = self._made(Call(sign, (left, self._product(depth + 1))), depth)
        return left

    def _product(self, depth: int) -> Node:
        left = self._signed(depth + 1)
        while self._peek() in ("*", "/"):
            sign = self._peek()
            self._at += 1
            left = self._made(Call(sign, (left, self._signed(depth + 1))), depth)
        return left

    def _signed(self, depth: int) -> Node:
        self._bound(depth)
        if self._take("-"):
            return self._made(Call("-", (self._signed(depth + 1),)), depth)
        if self._take("+"):
            return self._signed(depth + 1)
        return self._power(depth + 1)

    def _power(self, depth: int) -> Node:
        base = self._atom(depth + 1)
        while self._at < len(self._tokens) and self._tokens[self._at][0] == "raised":
            power = {"²": 2.0, "³": 3.0}[self._peek()]
            self._at += 1
            base = self._made(Call("^", (base, Number(power, ONE))), depth)
        if self._take("^"):
            return self._made(Call("^", (base, self._signed(depth + 1))), depth)
        return base

    def _atom(self, depth: int) -> Node:
        if self._at >= len(self._tokens):
            raise self._wrong(say("formulas.the-end"))
        self._bound(depth)
        kind, word = self._tokens[self._at]
        self._at += 1
        if kind == "number":
            return self._made(self._number(word), depth)
        if word == "√":
            return self._made(Call("sqrt", (self._atom(depth + 1),)), depth)
        if word == "(":
            inner = self._sum(depth + 1)
            if not self._take(")"):
                raise self._wrong(self._peek() or say("formulas.the-end"))
            return inner
        if kind != "name":
            raise self._wrong(word)
        if self._take("("):
            return self._called(word, depth)
        if word in CONSTANTS:
            return self._made(Number(CONSTANTS[word], ONE), depth)
        self.names.add(word)
        return self._made(Name(word), depth)

    def _number(self, word: str) -> Number:
        value = float(word)
        if self._at < len(self._tokens) and self._tokens[self._at][0] == "unit":
            written = self._tokens[self._at][1][1:-1]
            self._at += 1
            try:
                factor, unit = parse_unit(written)
            except UnitError as error:
                raise FormulaError(f"“{self._text[:80]}”: {error}") from error
            return Number(value * factor, unit)
        if not math.isfinite(value):
            raise self._wrong(word)
        return Number(value, ONE)

    def _called(self, name: str, depth: int) -> Node:
        if name not in FUNCTIONS and name not in self._functions:
            raise FormulaError(
                say("formulas.not-function-use", name=name, all=", ".join([*FUNCTIONS, *self._functions]))
            )
        parts = [self._sum(depth + 1)]
        while self._take(","):
            parts.append(self._sum(depth + 1))
        if not self._take(")"):
            raise self._wrong(self._peek() or say("formulas.the-end"))
        if name in FUNCTIONS and len(parts) != 1:
            raise FormulaError(say("formulas.takes-one-value", name=name))
        return self._made(Call(name, tuple(parts)), depth)


def compute(
    formula: Formula,
    names: Mapping[str, Quantity],
    functions: Mapping[str, Callable[..., Quantity]] | None = None,
) -> Quantity:
    """Compute a formula; shared sources stay shared.

    Parameters
    ----------
    formula : Formula
    names : mapping of str to Quantity
        Single values or arrays of one length.
    functions : mapping of str to callable, optional
        Further functions of the call itself (which names what they bring in) and of quantities.

    Returns
    -------
    Quantity
        Values that do not exist (the root of a negative number, a division by zero) are NaN.

    Raises
    ------
    FormulaError
        If a name is missing, units do not go together, or it would take too long.
    """
    missing = sorted(formula.names - names.keys())
    if missing:
        raise FormulaError(say("formulas.name-missing", text=formula.text[:80], name=missing[0]))
    rows = max((names[n].value.size for n in formula.names), default=1)
    if rows * formula.size > MOST_COST:
        raise FormulaError(say("formulas.too-much-work-many", text=formula.text[:80]))
    with np.errstate(all="ignore"):
        try:
            return _value(formula.tree, names, functions or {})
        except UnitError as error:
            raise FormulaError(f"“{formula.text[:80]}”: {error}") from error


def _value(
    node: Node, names: Mapping[str, Quantity], functions: Mapping[str, Callable[..., Quantity]]
) -> Quantity:
    if isinstance(node, Number):
        return Quantity(node.value, node.unit)
    if isinstance(node, Name):
        return names[node.name]
    parts = [_value(part, names, functions) for part in node.parts]
    if node.name in FUNCTIONS:
        return _existing(FUNCTIONS[node.name](parts[0]))
    if node.name in functions:
        return functions[node.name](node, *parts)
    return -parts[0] if len(parts) == 1 else _existing(_OPERATORS[node.name](*parts))


def _existing(q: Quantity) -> Quantity:
    """NaN for what is endless: a value divided by zero does not exist, nor does the arctangent of that."""
    endless = np.isinf(q.value)
    return q.moved_to(np.where(endless, np.nan, q.value)) if endless.any() else q


def _raised(base: Quantity, power: Quantity) -> Quantity:
    if not power.unit.plain:
        raise FormulaError(say("formulas.power-plain-number-not", unit=power.unit.ascii))
    if power.value.ndim == 0 and not power.sources:
        exponent = float(power)
        if abs(exponent) > 64:
            raise FormulaError(say("formulas.power-above-64-not"))
        return base**exponent
    _plain_argument(base, "^")
    logarithm = apply(np.log, lambda v: 1 / v, base, ONE)
    return FUNCTIONS["exp"](logarithm * power)


_OPERATORS: dict[str, Callable[[Quantity, Quantity], Quantity]] = {
    "^": _raised,
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
}
