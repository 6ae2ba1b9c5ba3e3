"""What differs between two graphs of the same thing, before and after an edit."""

from __future__ import annotations

import math
from dataclasses import fields, is_dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.exchange.chart import Chart, Points

NOTHING = math.inf, -math.inf


def changed_span(before: Chart, now: Chart) -> tuple[float, float] | None:
    """Between which values of x some points lie elsewhere, or have other bars.

    Parameters
    ----------
    before, now : Chart

    Returns
    -------
    (float, float) or None
        The first above the second where nothing differs; None where more than that does: limits of the
        axes, curves, the number of points.
    """
    if len(before.points) != len(now.points) or before.ranges != now.ranges:
        return None
    if not _alike(replace(before, points=()), replace(now, points=())):
        return None
    low, high = NOTHING
    for one, other in zip(before.points, now.points, strict=True):
        differs = _moved(one, other)
        if differs is None:
            return None
        if differs.any():
            x = other.x[differs]
            low, high = min(low, float(x.min())), max(high, float(x.max()))
    return low, high


def _moved(one: Points, other: Points) -> NDArray[np.bool_] | None:
    """Which points lie higher or lower, or have other bars; None where more than that differs."""
    plain = np.zeros(0)
    if (one.U is None) != (other.U is None) or len(one.y) != len(other.y):
        return None
    if not _alike(replace(one, y=plain, U=None), replace(other, y=plain, U=None)):
        return None
    moved = _differ(one.y, other.y)
    if one.U is not None and other.U is not None:
        moved |= _differ(one.U, other.U)
    return moved


def _differ(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.bool_]:
    return np.asarray((one != other) & ~(np.isnan(one) & np.isnan(other)))


def _alike(one: Any, other: Any) -> bool:
    if one is other:
        return True
    if isinstance(one, np.ndarray) and isinstance(other, np.ndarray):
        return bool(np.array_equal(one, other, equal_nan=one.dtype.kind == "f"))
    if isinstance(one, tuple) and isinstance(other, tuple):
        return len(one) == len(other) and all(map(_alike, one, other))
    if is_dataclass(one) and type(one) is type(other):
        return all(_alike(getattr(one, f.name), getattr(other, f.name)) for f in fields(one))
    return bool(one == other)
