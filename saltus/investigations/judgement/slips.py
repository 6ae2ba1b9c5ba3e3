"""Recognising a mistake from its effect: the data make no sense as they stand, and do once it is undone."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.engine.conclusions import SURE
from saltus.investigations.engine.outcome import Notice, Outcome
from saltus.investigations.engine.run import run
from saltus.investigations.recipe.recipe import RecipeError

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.bench import Options
    from saltus.investigations.table.trials import Trials

LIKELY = 2.0
"""Standard uncertainties within which data make sense."""


def recognise(
    outcome: Outcome, trials: Trials, givens: Mapping[str, str], options: Options | None = None
) -> list[Notice]:
    """Find the slip that explains data which make no sense.

    Parameters
    ----------
    outcome : Outcome
        Of the data as they stand.
    trials, givens, options
        What it was run on.

    Returns
    -------
    list of Told
        At most one; empty where the data make sense, or where nothing undone makes them do so.
    """
    recipe = outcome.recipe
    if not recipe.slips or makes_sense(outcome, SURE) is not False:
        return []
    best: tuple[float, Notice] | None = None
    for slip in recipe.slips:
        there = trials.columns.keys() | givens.keys()
        if not slip.undo.keys() <= there:
            continue
        try:
            undone = run(recipe, trials, givens, options, slip.undo)
        except (RecipeError, WrittenError, UnitError):
            continue
        if not makes_sense(undone, LIKELY):
            continue
        miss = sum(_miss(*checked, 0.0) for checked in undone.sense)
        if best is None or miss < best[0]:
            best = (miss, Notice(slip.text, slip.slip))
    return [best[1]] if best else []


def makes_sense(outcome: Outcome, sure: float) -> bool | None:
    """Whether all that can be checked makes sense; None where nothing can be checked.

    Parameters
    ----------
    outcome : Outcome
    sure : float
        How many standard uncertainties beyond its tolerance something may lie.
    """
    told = [_miss(*checked, sure) <= 1 for checked in outcome.sense]
    return all(told) if told else None


def _miss(q: Quantity | None, like: Quantity, within: float, sure: float) -> float:
    """How far a value lies off what it should be like, as a part of what is tolerated."""
    if q is None or q.value.ndim or not q.unit.goes_with(like.unit):
        return math.inf
    value, wanted = float(q), float(like)
    if not value * wanted > 0:
        return math.inf
    off = max(value / wanted, wanted / value) - 1
    # a few standard uncertainties are forgiven, but no more than a tenfold mistake would need
    u = min(float((q - like).u) / abs(value), 0.5)
    return off / (within + sure * (u if math.isfinite(u) else 0.5))
