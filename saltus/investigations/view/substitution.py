"""One worked substitution: the formulas of an investigation with the numbers of one trial put in."""

from __future__ import annotations

import math
import re
from typing import TYPE_CHECKING

from saltus.core.statement import value_and_uncertainty
from saltus.investigations.sentences import say
from saltus.investigations.view.plots import axis_words
from saltus.investigations.view.table_view import column_is_known, table_columns
from saltus.investigations.view.verdicts import meaning

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation

_NAME = re.compile(r"[A-Za-z_]\w*(?!\w*\()")


def substitution(evaluation: Evaluation) -> list[str]:
    """Give the lines of one worked example from the student's own numbers.

    Parameters
    ----------
    worked : Worked

    Returns
    -------
    list of str
        One line for each derived column of the first complete trial, then the first result; empty where no
        trial is complete.
    """
    row = _example_row(evaluation)
    if row is None:
        return []
    numbers = evaluation.givens | {n: q[row] for n, q in evaluation.columns.items()}
    lines: list[str] = [say("substitution.trial-table", n=row + 1)]
    for column in table_columns(evaluation):
        value = numbers.get(column.name)
        if (
            column.role == "derived"
            and column_is_known(evaluation, column)
            and value is not None
            and math.isfinite(float(value))
        ):
            lines.append(_line(column.title, column.formula, numbers, value))
    found = evaluation.headline
    words = meaning(evaluation, found[0]) if found is not None else ""
    if found is not None and words:
        lines.append(f"{words}{_filled(evaluation, words)} = {_number(found[1])}")
    return lines


def _filled(evaluation: Evaluation, words: str) -> str:
    """The formula of a result with slope and givens put in; empty where there is nothing to put in."""
    fits = list(evaluation.outcome.fits.values()) if evaluation.outcome is not None else []
    parts = {
        n: q for n in ("slope", "intercept") if (q := getattr(fits[0], n, None) if fits else None) is not None
    }
    known = {n.replace("_", " "): q for n, q in evaluation.givens.items()} | parts
    right = words.split(" = ", 1)[1]
    filled = right
    for name, q in sorted(known.items(), key=lambda item: -len(item[0])):
        filled = re.sub(rf"\b{name}\b", f"({_number(q)})", filled)
    return f" = {filled}" if filled != right else ""


def _example_row(evaluation: Evaluation) -> int | None:
    derived = [c.name for c in table_columns(evaluation) if c.role == "derived"]
    for i in range(len(evaluation.rows)):
        there = [
            math.isfinite(float(evaluation.columns[n].value[i])) for n in derived if n in evaluation.columns
        ]
        if evaluation.trials.kept[i] and there and all(there):
            return i
    return None


def _line(title: str, formula: str, numbers: dict[str, Quantity], value: Quantity) -> str:
    def put(found: re.Match[str]) -> str:
        q = numbers.get(found[0])
        return f"({_number(q)})" if q is not None and not q.value.ndim else found[0].replace("_", " ")

    shown = axis_words(formula)
    filled = axis_words(_NAME.sub(put, re.sub(r"\[[^\]]*\]", "", formula)))
    return f"{title} = {shown} = {filled} = {_number(value)}"


def _number(q: Quantity) -> str:
    U = q.U95 if math.isfinite(q.U95) else None
    text = value_and_uncertainty(float(q), U)[0]
    return f"{text} {q.unit.text}".strip()
