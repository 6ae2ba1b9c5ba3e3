"""One worked example: the formulas of an investigation with the numbers of one trial put in."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.formulas import Name, parse
from saltus.core.notation.boxes import Row, Value, Word
from saltus.core.notation.line import as_text
from saltus.core.notation.setting import set_formula
from saltus.core.shown_unit import si
from saltus.investigations.recipe.recipe import FUNCTIONS
from saltus.investigations.sentences import say
from saltus.investigations.view.naming import formula_box, shown_unit, symbol_of, title_of
from saltus.investigations.view.table_view import column_is_known, table_columns
from saltus.investigations.view.verdicts import chosen_formula

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.notation.boxes import Box
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation


LETTERS_A_LINE = 84
"""An equation of more letters goes on two lines."""


@dataclass(frozen=True)
class Worked:
    """A line of a worked example: what it is about, and the equation."""

    words: str
    equation: Box


def substitution(evaluation: Evaluation) -> list[Worked]:
    """Give one worked example from the student's own numbers.

    One line for each derived column of the first complete trial, then the first result; empty where no trial
    is complete. Values stand in SI units inside a formula, so that its numbers can be checked as they stand.
    """
    row = _example_row(evaluation)
    numbers: dict[str, Quantity] = dict(evaluation.givens)
    lines: list[Worked] = []
    if row is not None:
        numbers |= {n: q[row] for n, q in evaluation.columns.items()}
        for column in table_columns(evaluation):
            value = numbers.get(column.name)
            known = column.role == "derived" and column_is_known(evaluation, column)
            if known and value is not None and math.isfinite(float(value)):
                words = say("substitution.in-trial", name=title_of(evaluation, column.name), n=row + 1)
                lines += _equations(evaluation, words, column.name, column.formula, numbers, value)
    found = evaluation.headline
    chosen = chosen_formula(evaluation, found[0]) if found is not None else None
    if found is not None and chosen is not None and "combine(" not in chosen.text:
        results = evaluation.outcome.results if evaluation.outcome is not None else {}
        known_results = {n: q for n, q in results.items() if q is not None}
        numbers = {**numbers, **known_results, **_line(evaluation)}
        lines += _equations(
            evaluation, title_of(evaluation, found[0]), found[0], chosen.text, numbers, found[1]
        )
    return lines


def _line(evaluation: Evaluation) -> dict[str, Quantity]:
    """Slope and intercept of every line, by the names formulas use."""
    out: dict[str, Quantity] = {}
    for name, fit in (evaluation.outcome.fits if evaluation.outcome is not None else {}).items():
        for part in ("slope", "intercept"):
            q = getattr(fit, part, None)
            if q is not None:
                out |= {f"{name}_{part}": q}
                out.setdefault(part, q)
        out |= {f"{name}_{n}": q for n, q in getattr(fit, "parameters", {}).items()}
    return out


def _example_row(evaluation: Evaluation) -> int | None:
    derived = [c.name for c in table_columns(evaluation) if c.role == "derived"]
    for i in range(len(evaluation.rows)):
        there = [
            math.isfinite(float(evaluation.columns[n].value[i])) for n in derived if n in evaluation.columns
        ]
        if evaluation.trials.kept[i] and there and all(there):
            return i
    return None


def _equations(
    evaluation: Evaluation, words: str, name: str, formula: str, numbers: Mapping[str, Quantity],
    value: Quantity,
) -> list[Worked]:  # fmt: skip
    """Symbol, formula, the same with numbers, and the value in its unit; a long one on two lines."""

    def put(other: str) -> Box:
        q = numbers.get(other)
        return _value(q) if q is not None and not q.value.ndim else symbol_of(evaluation, other)

    shown = shown_unit(evaluation, name, value.unit)
    symbol, plain = symbol_of(evaluation, name), formula_box(evaluation, formula)
    tree = parse(formula, FUNCTIONS).tree
    filled = set_formula(tree, put)
    result = Value(shown.words(float(value), value.U95)[0], shown.text)
    if isinstance(tree, Name):
        return [Worked(words, _chain(symbol, plain, result))]
    if len(as_text(plain)) + len(as_text(filled)) > LETTERS_A_LINE:
        return [Worked(words, _chain(symbol, plain)), Worked("", _chain(symbol, filled, result))]
    return [Worked(words, _chain(symbol, plain, filled, result))]


def _chain(*parts: Box) -> Box:
    """Pieces with an equals sign between them."""
    out: list[Box] = [parts[0]]
    for part in parts[1:]:
        out += [Word(" = "), part]
    return Row(tuple(out))


def _value(q: Quantity) -> Value:
    return Value(si(q.unit).words(float(q), q.U95)[0], si(q.unit).text)
