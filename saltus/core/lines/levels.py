"""Repeats at one level become one point, before a line is laid through the levels."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.quantities import family
from saltus.core.with_uncertainty import unsure

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import ArrayLike, NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Kind

    Array = NDArray[np.float64]

REJECTED_BELOW = 0.01
FEWEST_DEGREES = 3
"""With fewer degrees of freedom the scatter of repeats says too little: the line's own scatter says more."""
SAME = 1e-9
"""Level values that differ by less than this, relative to the largest, are one level."""


def group_levels(values: Array) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Find which rows belong to one level.

    Parameters
    ----------
    values : (N,) or (N, K) ndarray
        Level values; rows alike in all K are one level.

    Returns
    -------
    group : (N,) ndarray of int
        Number of the level, in the order in which levels first appear.
    first : (L,) ndarray of int
        The first row of each level.
    """
    table = values.reshape(len(values), -1)
    size = np.max(np.abs(table), axis=0, initial=0.0)
    step = np.where(size > 0, size * SAME, 1.0)
    keys = np.round(table / step)
    _unique, first, group = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    return rank[group.reshape(-1)], first[order]


@dataclass(frozen=True)
class Averaged:
    """A column averaged level by level.

    Attributes
    ----------
    mean : Quantity
        (L,) with the uncertainty of each mean, as a line needs it: none where scatter says too little.
    reported : Quantity
        (L,) with the uncertainty of each mean as it is reported: from whatever scatter there is, else NaN.
    count, sd : (L,) ndarray
        Rows and sample standard deviation at each level; sd is NaN for single rows.
    pooled : float or None
        Pooled standard deviation of one row, from all levels; None without repeats.
    dof : int
        Of it, Σ(m − 1).
    basis : {"stated", "scatter", "none"}
        Where the uncertainty of the means comes from.
    """

    mean: Quantity
    reported: Quantity
    count: Array
    sd: Array
    pooled: float | None
    dof: int
    basis: str


def average(
    x: Quantity, group: NDArray[np.int_], column: Hashable, kind: Kind = "reading", label: str = "",
    keys: ArrayLike | None = None,
) -> Averaged:  # fmt: skip
    """Average a column level by level.

    Parameters
    ----------
    x : Quantity
        (N,) rows.
    group : (N,) ndarray of int
        From :func:`group_levels`.
    column : hashable
        What is averaged: names the source that stands for the scatter of repeats.
    kind, label
        Of that source.
    keys : (L,) array_like, optional
        Of the levels in it.

    Notes
    -----
    With stated uncertainties the means have √Σu²/m, unless χ² over all levels rejects them (p < 0.01).
    Otherwise every level gets the pooled scatter s_p/√m with Σ(m − 1) degrees of freedom, never its own.
    """
    levels = int(group.max()) + 1 if len(group) else 0
    count = np.bincount(group, minlength=levels).astype(float)
    plain = x.grouped(group, levels)
    off = x.value - plain.value[group]
    dof = int(len(group) - levels)
    sums = np.bincount(group, off**2, levels)
    sd = np.full(levels, math.nan)
    many = count > 1
    sd[many] = np.sqrt(sums[many] / (count[many] - 1))
    pooled = math.sqrt(float(np.sum(off**2)) / dof) if dof else None
    own, common = x.split()
    variance = own.u**2
    stated = bool(np.all(variance > 0))
    if stated and (not dof or not _rejected(x.value, variance, group, levels, dof)):
        return Averaged(plain, plain, count, sd, pooled, dof, "stated")
    source = sources.level_scatter(column, kind, max(dof, 1), label)
    scatter = family(np.zeros(levels), (pooled or 0.0) / np.sqrt(count), x.unit, source, keys)
    told = common.grouped(group, levels)
    told = told + scatter if dof else unsure(told, source)
    alike = pooled is not None and pooled <= 1e-12 * float(np.max(np.abs(x.value), initial=0.0))
    if pooled is None or dof < FEWEST_DEGREES or alike:
        return Averaged(
            plain, plain if stated else told, count, sd, pooled, dof, "stated" if stated else "none"
        )
    return Averaged(told, told, count, sd, pooled, dof, "scatter")


def by_half_range(
    found: Averaged, x: Quantity, group: NDArray[np.int_], column: Hashable, label: str = "",
    keys: ArrayLike | None = None,
) -> Averaged:  # fmt: skip
    """Give the same means with half the range of their repeats as the uncertainty, as some schools do.

    Levels of a single row, and repeats that are all alike, keep what they have.

    Parameters
    ----------
    found : Averaged
        Of L levels.
    x : Quantity
        (N,) of any unit.
    group : (N,) ndarray of int
        Level of each, 0 to L − 1.
    column, label
        Name the source.
    keys : (L,) array_like, optional
        Keys of the levels; 0 to L − 1 by default.
    """
    levels = len(found.count)
    high, low = np.full(levels, -np.inf), np.full(levels, np.inf)
    np.maximum.at(high, group, x.value)
    np.minimum.at(low, group, x.value)
    half = (high - low) / 2
    if not np.any(half > 0):
        return found
    source = sources.half_range(column, kind_of_scatter(found), label)
    common = x.split()[1].grouped(group, levels)
    told = common + family(np.zeros(levels), np.where(half > 0, half, found.mean.u), x.unit, source, keys)
    return Averaged(told, told, found.count, found.sd, found.pooled, found.dof, "scatter")


def kind_of_scatter(found: Averaged) -> Kind:
    """The group of the limit bar that the scatter of a column belongs to."""
    return next((s.kind for s in found.reported.sources if s.cause == sources.LEVEL_SCATTER), "reading")


def _rejected(values: Array, variance: Array, group: NDArray[np.int_], levels: int, dof: int) -> bool:
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    weight = 1 / variance
    mean = np.bincount(group, weight * values, levels) / np.bincount(group, weight, levels)
    chi2 = float(np.sum((values - mean[group]) ** 2 * weight))
    return float(chdtrc(dof, chi2)) < REJECTED_BELOW
