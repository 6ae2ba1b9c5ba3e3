"""Where the result of an investigation lies between what it could be."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.formulas import FormulaError, compute
from saltus.exchange.sheet_data import Span
from saltus.investigations.view.naming import shown_unit

if TYPE_CHECKING:
    from saltus.core.formulas import Formula
    from saltus.investigations.engine.evaluation import Evaluation


def span_of(evaluation: Evaluation) -> Span | None:
    """Give the range the first result must lie in, where its ends have a meaning and are known."""
    found = evaluation.headline
    ends = evaluation.recipe.ends.get(found[0]) if found is not None else None
    plausible = evaluation.recipe.plausible.get(found[0]) if found is not None else None
    if found is None or ends is None or plausible is None:
        return None
    name, q = found
    shown = shown_unit(evaluation, name, q.unit)
    low, high = (_value(evaluation, formula) for formula in plausible)
    if not (math.isfinite(low) and math.isfinite(high) and low < high):
        return None
    half = q.U95 if math.isfinite(q.U95) else 0.0
    of = shown.factor
    return Span(float(q) / of, half / of, low / of, high / of, ends, shown.text)


def _value(evaluation: Evaluation, formula: Formula) -> float:
    """A bound of a range, SI; NaN where what it rests on is not known."""
    try:
        q = compute(formula, evaluation.givens)
    except FormulaError:
        return math.nan
    return float(q) if not q.value.ndim else math.nan
