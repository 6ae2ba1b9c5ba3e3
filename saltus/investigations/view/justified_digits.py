"""How far the digits typed carry a value that is worked out of them and has no uncertainty stated."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.statement import to_places, unit_tail, written_number
from saltus.core.written import WrittenError, digits, last_place, number
from saltus.investigations.engine.run import rows_of
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.table.trials import Typed

MOST_PLACES = 8
SURE_FIGURES = 2


@remembered
def _steps(evaluation: Evaluation) -> dict[str, NDArray[np.float64]]:
    """What one step of the last digits typed does to each derived column, (N,) SI each."""
    columns = {n: replace(c, u=_last_steps(c), q=None) for n, c in evaluation.trials.columns.items()}
    trials = replace(evaluation.trials, columns=columns)
    found, _problems = rows_of(evaluation.recipe, trials, evaluation.givens)
    return {n: np.broadcast_to(q.u, (trials.rows,)) for n, q in found.items() if n not in columns}


def _last_steps(column: Typed) -> NDArray[np.float64]:
    """A step of the last digit of each cell, SI; nothing for numbers that were counted."""
    parts = np.array([_step_part(text, counted=column.unit.plain) for text in column.texts])
    return np.asarray(np.nan_to_num(parts * np.abs(column.values)), dtype=np.float64)


@lru_cache(maxsize=50_000)
def _step_part(text: str, *, counted: bool) -> float:
    """A step of the last digit as a part of the number; the same cells come again at every edit."""
    written = digits(text)
    if not written or (counted and written.isdigit()):
        return 0.0
    try:
        typed = number(written)
        return abs(last_place(text) / typed) if typed else 0.0
    except WrittenError:
        return 0.0


def spread_words(evaluation: Evaluation, name: str, value: float, factor: float) -> str:
    """Write a spread of a column, SI, with one more digit than its data have.

    Parameters
    ----------
    evaluation : Evaluation
    name : str
        Of the column.
    value : float
    factor : float
        What one of the shown unit is in SI.
    """
    column = evaluation.trials.columns.get(name)
    steps = _last_steps(column) if column is not None else _steps(evaluation).get(name)
    told = steps[steps > 0] if steps is not None else np.zeros(0)
    shown = value / factor
    q = evaluation.columns.get(name)
    if column is None and q is not None and np.any(q.u > 0):
        # what is worked out of stated values has their digits, not those of the cells
        return written_number(shown, SURE_FIGURES)
    if not len(told) or not 1e-4 <= abs(shown) < 1e6:
        return written_number(shown, SURE_FIGURES)
    places = 1 - math.floor(math.log10(float(np.median(told)) / factor) + 1e-9)
    return to_places(shown, min(max(places, 0), MOST_PLACES))


def justified(evaluation: Evaluation, name: str, row: int, q: Quantity, factor: float, unit: str = "") -> str:
    """Write a value of a derived column with the digits its inputs justify.

    Parameters
    ----------
    evaluation : Evaluation
    name : str
        Of the column.
    row : int
    q : Quantity
        The value, SI.
    factor : float
        What one of the shown unit is in SI.
    unit : str
        Behind the number, where it is wanted.
    """
    value = float(q) / factor
    steps = _steps(evaluation).get(name)
    step = float(steps[row]) / factor if steps is not None and row < len(steps) else 0.0
    if not (math.isfinite(step) and step > 0 and math.isfinite(value)) or not 1e-4 <= abs(value) < 1e6:
        return written_number(value) + unit_tail(unit)
    # a step of 3 in a digit leaves that digit, but says nothing of the next
    places = -math.floor(math.log10(step) + 1e-9)
    least = SURE_FIGURES - 1 - math.floor(math.log10(abs(value))) if value else 0
    return to_places(value, min(max(places, least, 0), MOST_PLACES)) + unit_tail(unit)
