"""Functions of whole columns that the formulas of an investigation may use."""

from __future__ import annotations

import math
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantity import MOST_FULL, Quantity, Source, family, measured
from saltus.core.repeats import mean_of
from saltus.core.wording import _
from saltus.investigations.trials import kind_of

if TYPE_CHECKING:
    from collections.abc import Callable


MOVING = 0.3
"""A step of less than this part of the usual one may be a turning point, where repeats mean nothing."""


def column_functions(prefix: str) -> dict[str, Callable[..., Quantity]]:
    """Give the functions; ``prefix`` names the sources they bring in."""
    return {
        "combine": partial(_combine, prefix),
        "step": _step,
        "limits": partial(_limits, prefix),
        "max": lambda q: _extreme(q, np.argmax),
        "min": lambda q: _extreme(q, np.argmin),
        "count": lambda q: Quantity(float(q.value.size)),
        "repeated": _repeated,
    }


def _combine(prefix: str, q: Quantity) -> Quantity:
    """The mean of all rows, as repeats of one thing; rows without a value do not count."""
    if not q.value.ndim:
        return q
    good = np.flatnonzero(np.isfinite(q.value) & np.isfinite(q.u))
    if not len(good):
        return Quantity(math.nan, q.unit)
    if len(good) == 1 and not q.u_own[good[0]] > 0:
        # one trial of which nothing is stated: nobody knows how far off it may be
        return q[int(good[0])].unsure(Source(f"{prefix}/scatter", kind_of(q.unit), "", "t", 1.0))
    part = q if len(good) == q.value.size else q[good]
    return mean_of(part, f"{prefix}/scatter", kind_of(q.unit), _("Scatter of the trials"))


def _step(q: Quantity) -> Quantity:
    """From each value to the next; the last has none. Neighbours share the value between them."""
    n = q.value.size
    if n < 2:
        return Quantity(np.full(q.value.shape, math.nan), q.unit)
    if n > MOST_FULL:
        u = np.hypot(q.u, np.append(q.u[1:], 0.0))
        gaps = np.append(np.diff(q.value), math.nan)
        return family(gaps, np.nan_to_num(u), q.unit, Source("steps", kind_of(q.unit)))
    ahead = np.zeros((n, n))
    at = np.arange(n - 1)
    ahead[at, at], ahead[at, at + 1] = -1.0, 1.0
    made = q.weighed(ahead)
    return made.moved_to(np.append(made.value[:-1], math.nan))


def _limits(prefix: str, low: Quantity, high: Quantity) -> Quantity:
    """The middle of two limits, uniform between them."""
    middle = (low + high) * 0.5
    u = np.abs(high.value - low.value) / 2 / math.sqrt(3)
    source = Source(f"{prefix}/limits", kind_of(low.unit), _("Between limits"), "uniform")
    if middle.value.ndim:
        return middle + family(np.zeros(middle.value.shape), np.nan_to_num(u), middle.unit, source)
    return middle + measured(0.0, float(u), middle.unit, source)


def _repeated(q: Quantity) -> Quantity:
    """How many values are exactly the one before although the steps on both sides go on in the same sense."""
    steps = np.diff(q.value[np.isfinite(q.value)]) if q.value.ndim else np.zeros(0)
    if len(steps) < 4:
        return Quantity(0.0)
    usual = float(np.median(np.abs(steps)))
    before, here, after = steps[:-2], steps[1:-1], steps[2:]
    going = (before * after > 0) & (np.minimum(np.abs(before), np.abs(after)) > MOVING * usual)
    return Quantity(float(np.sum((np.abs(here) <= 1e-6 * usual) & going)))


def _extreme(q: Quantity, which: Callable[[np.ndarray], np.intp]) -> Quantity:
    if not q.value.ndim:
        return q
    good = np.isfinite(q.value)
    if not np.any(good):
        return Quantity(math.nan, q.unit)
    filled = np.where(good, q.value, -np.inf if which is np.argmax else np.inf)
    return q[int(which(filled))]
