"""Means that somebody worked out by hand, held against the trials: cut off, or wrong."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.written import WrittenError, last_place, number
from saltus.investigations.engine.outcome import Notice
from saltus.investigations.judgement.student import cut_off
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.investigations.engine.outcome import Outcome

    Means = list[tuple[str, float, float, float]]

LIKE = 0.2
"""A column of means is that of the column whose means it is like, within this part."""
ENOUGH = 0.5


def typed_means_checked(outcome: Outcome) -> list[Notice]:
    """Check a column of means against the trials of each level.

    Parameters
    ----------
    outcome : Outcome

    Returns
    -------
    list of Notice
        One for each mean that was cut off instead of rounded, or does not follow.
    """
    if not outcome.trials.typed_means or outcome.group is None:
        return []
    names = [
        n for n, c in outcome.recipe.columns.items() if c.kind == "number" and n not in outcome.recipe.level
    ]
    of = [list(_means_of(outcome, n)) for n in names if n in outcome.trials.columns]
    likely = [
        m for m in of if m and np.mean([abs(true - v) <= LIKE * abs(true) for _l, v, _s, true in m]) > ENOUGH
    ]
    return list(_faults(likely[0])) if likely else []


def _faults(means: Means) -> Iterator[Notice]:
    for level, value, step, true in means:
        decimals = max(-math.floor(math.log10(step) + 1e-9), 0)
        text = f"{value:.{decimals}f}"
        if cut_off(value, step, true):
            rounded = f"{round(true / step) * step:.{decimals}f}"
            yield Notice(
                say("check.cut-off", name=level, text=text, rounded=rounded), "truncated-mean", level
            )
        elif abs(true - value) > 1.01 * step:
            yield Notice(
                say("check.mean-wrong", text=text, level=level, mean=f"{true:.{decimals + 1}f}"), None, level
            )


def _means_of(outcome: Outcome, name: str) -> Iterator[tuple[str, float, float, float]]:
    """Level, mean as typed, step of its last digit, and mean of the cells as typed, in their unit."""
    texts, group = outcome.trials.columns[name].texts, outcome.group
    assert group is not None
    for i, level in enumerate(outcome.levels):
        rows = np.flatnonzero(group == i)
        typed = [t for r in rows if (t := outcome.trials.typed_means[int(r)])]
        try:
            values = [number(texts[int(r)]) for r in rows]
            value = number(typed[0]) if typed else math.nan
        except WrittenError:
            continue
        if len(values) > 1 and math.isfinite(value) and last_place(typed[0]) > 0:
            yield level.name, value, last_place(typed[0]), float(np.mean(values))
