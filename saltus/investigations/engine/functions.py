"""Functions of whole columns that the formulas of an investigation may use."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.lines.levels import average
from saltus.core.quantities import measured
from saltus.core.quantity import Quantity
from saltus.core.repeats import mean_of
from saltus.core.series import resting_ends
from saltus.core.with_uncertainty import unsure, with_family
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import kind_of

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import NDArray

    from saltus.core.formulas import Call
    from saltus.core.sources import Kind


MOVING = 0.3
"""A step of less than this part of the usual one may be a turning point, where repeats mean nothing."""


Grouping = Callable[[int], "NDArray[np.int_] | None"]


def column_functions(
    prefix: str, keys: Callable[[int], NDArray[Any]], group: Grouping
) -> dict[str, Callable[..., Quantity]]:
    """Give the functions, each of its call and its arguments.

    Parameters
    ----------
    prefix : str
        Of what the columns are: with the call itself it names the sources that functions bring in.
    keys : callable
        Number of rows to the keys of the rows.
    group : callable
        Number of rows to the level of each, −1 for those of none; None where they have no levels.
    """
    return {
        "combine": partial(_combine, prefix, group),
        "step": lambda _call, q: _step(q),
        "limits": partial(_limits, prefix, keys),
        "max": lambda _call, q: _extreme(q, np.argmax),
        "min": lambda _call, q: _extreme(q, np.argmin),
        "count": lambda _call, q: Quantity(float(q.value.size)),
        "resting": lambda _call, t, q: _resting(t, q),
        "repeated": lambda _call, q: _repeated(q),
    }


def _combine(prefix: str, group: Grouping, call: Call, q: Quantity) -> Quantity:
    """One value from rows of one thing, level by level first; rows without a value do not count."""
    if not q.value.ndim:
        return q
    good = np.flatnonzero(np.isfinite(q.value) & np.isfinite(q.u))
    if not len(good):
        return Quantity(math.nan, q.unit)
    of, kind = (prefix, call), kind_of(q.unit)
    if len(good) == 1:
        one = q[int(good[0])]
        # one trial of which nothing is stated, whatever is of the givens: nobody knows how far off it may be
        stated = any(u > 0 and source.cause != sources.GIVEN for source, u in one.parts().items())
        return one if stated else unsure(one, sources.repeat_scatter(of, kind, 1.0))
    part = q if len(good) == q.value.size else q[good]
    levels = group(q.value.size)
    if levels is None:
        return mean_of(part, of, kind, say("functions.scatter-trials"))
    return _over_levels(part, levels[good], of, kind)


def _over_levels(q: Quantity, level: NDArray[np.int_], of: Hashable, kind: Kind) -> Quantity:
    """The mean of the means of levels: repeats tell how sure each is, and the levels whether that holds."""
    words = say("functions.scatter-trials")
    first, group = np.unique(level, return_index=True, return_inverse=True)[1:]
    if len(first) == len(q) or len(first) == 1:
        return mean_of(q, of, kind, words)
    found = average(q, group, of, kind, words, first)
    return mean_of(found.reported, of, kind, words, dof=math.inf if found.basis == "stated" else found.dof)


def _step(q: Quantity) -> Quantity:
    """From each value to the next; the last has none. Neighbours share the value between them."""
    n = q.value.size
    if n < 2:
        return Quantity(np.full(q.value.shape, math.nan), q.unit)
    known = q.moved_to(np.nan_to_num(q.value))
    ahead = known[np.minimum(np.arange(n) + 1, n - 1)] - known
    return ahead.moved_to(np.append(np.diff(q.value), math.nan))


def _limits(
    prefix: str, keys: Callable[[int], NDArray[Any]], call: Call, low: Quantity, high: Quantity
) -> Quantity:
    """The middle of two limits, uniform between them."""
    middle = (low + high) * 0.5
    u = np.abs(high.value - low.value) / 2 / math.sqrt(3)
    source = sources.limits((prefix, call), kind_of(low.unit))
    if middle.value.ndim:
        return with_family(middle, source, np.nan_to_num(u), keys(middle.value.size))
    return middle + measured(0.0, float(u), middle.unit, source, 0)


def _repeated(q: Quantity) -> Quantity:
    """How many values are exactly the one before although the steps on both sides go on in the same sense."""
    steps = np.diff(q.value[np.isfinite(q.value)]) if q.value.ndim else np.zeros(0)
    if len(steps) < 4:
        return Quantity(0.0)
    usual = float(np.median(np.abs(steps)))
    before, here, after = steps[:-2], steps[1:-1], steps[2:]
    going = (before * after > 0) & (np.minimum(np.abs(before), np.abs(after)) > MOVING * usual)
    return Quantity(float(np.sum((np.abs(here) <= 1e-6 * usual) & going)))


def _resting(t: Quantity, q: Quantity) -> Quantity:
    """How many readings at an end do not move."""
    good = np.isfinite(t.value) & np.isfinite(q.value) if q.value.ndim and t.value.ndim else np.zeros(1, bool)
    if not np.any(good):
        return Quantity(0.0)
    order = np.argsort(t.value[good], kind="stable")
    return Quantity(float(resting_ends(t.value[good][order], q.value[good][order])))


def _extreme(q: Quantity, which: Callable[[np.ndarray], np.intp]) -> Quantity:
    if not q.value.ndim:
        return q
    good = np.isfinite(q.value)
    if not np.any(good):
        return Quantity(math.nan, q.unit)
    filled = np.where(good, q.value, -np.inf if which is np.argmax else np.inf)
    return q[int(which(filled))]
