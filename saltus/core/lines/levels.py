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
NOISY_BELOW, UNLIKE_BELOW = 0.1, 0.02
"""Chance under which a level keeps an interval of its own, and under which the levels do not weigh a line."""
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
    alone : (L,) ndarray of bool
        Levels that scatter more than the others and keep an interval of their own.
    unlike : bool
        Whether the levels scatter so differently that a line through them must not weigh them by it.
    """

    mean: Quantity
    reported: Quantity
    count: Array
    sd: Array
    pooled: float | None
    dof: int
    basis: str
    alone: NDArray[np.bool_]
    unlike: bool = False

    @property
    def borrowed(self) -> NDArray[np.bool_]:
        """(L,) levels of a single row whose uncertainty is that of the repeats of the others."""
        return np.asarray(self.count == 1) & (
            self.basis == "scatter" or (self.basis == "none" and self.pooled is not None)
        )


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
    column, kind, label
        Name the source that stands for the scatter of repeats.
    keys : (L,) array_like, optional
        Of the levels in it.

    Notes
    -----
    Stated uncertainties give √Σu²/m, unless χ² over all levels rejects them (p < 0.01). Otherwise every level
    gets the pooled scatter s_p/√m, Σ(m − 1) degrees of freedom, or its own (:func:`noisy_levels`).
    """
    levels = int(group.max()) + 1 if len(group) else 0
    count = np.bincount(group, minlength=levels).astype(float)
    plain = x.grouped(group, levels)
    off = x.value - plain.value[group]
    dof = int(len(group) - levels)
    sums = np.bincount(group, off**2, levels).astype(float)
    sd = np.full(levels, math.nan)
    sd[count > 1] = np.sqrt(sums[count > 1] / (count[count > 1] - 1))
    pooled = math.sqrt(float(np.sum(off**2)) / dof) if dof else None
    own, common = x.split()
    variance = own.u**2
    stated = bool(np.all(variance > 0))
    nobody = np.zeros(levels, dtype=bool)
    if stated and (not dof or not _rejected(x.value, variance, group, levels, dof)):
        return Averaged(plain, plain, count, sd, pooled, dof, "stated", nobody)
    alone, unlike = noisy_levels(sums, count)
    told, of = common.grouped(group, levels), (column, kind, label)
    scatter = _scatter(x, sums, count, nobody, of, keys) if dof else None
    whole = (
        told + scatter if scatter is not None else unsure(told, sources.level_scatter(column, kind, 1, label))
    )
    apart = told + _scatter(x, sums, count, alone, of, keys) if np.any(alone) else whole
    alike = pooled is not None and pooled <= 1e-12 * float(np.max(np.abs(x.value), initial=0.0))
    if pooled is None or dof < FEWEST_DEGREES or alike:
        basis = "stated" if stated else "none"
        return Averaged(plain, plain if stated else apart, count, sd, pooled, dof, basis, alone)
    return Averaged(plain if unlike else whole, apart, count, sd, pooled, dof, "scatter", alone, unlike)


def noisy_levels(squares: Array, count: Array | NDArray[np.int_]) -> tuple[NDArray[np.bool_], bool]:
    """Find levels that scatter more than the others.

    Parameters
    ----------
    squares : (L,) ndarray
        Sum of squares of the rows about the mean of their level, in the square of any unit.
    count : (L,) ndarray
        Rows at each level.

    Returns
    -------
    alone : (L,) ndarray of bool
        One-sided F against the others together, p < 0.1.
    unlike : bool
        Whether one of them exceeds the others so far that it does so in 2 % of honest tables only.
    """
    from scipy.special import fdtrc  # noqa: PLC0415  start-up time

    dof = count - 1
    rest, others = float(dof.sum()) - dof, float(squares.sum()) - squares
    there = (dof > 0) & (rest >= FEWEST_DEGREES) & (others > 0)
    tail = np.ones(len(count))
    ratio = squares[there] / dof[there] / (others[there] / rest[there])
    tail[there] = fdtrc(dof[there], rest[there], ratio)
    return tail < NOISY_BELOW, bool(np.any(tail * max(int(there.sum()), 1) < UNLIKE_BELOW))


def _scatter(
    x: Quantity, squares: Array, count: Array, alone: NDArray[np.bool_], of: tuple[Hashable, Kind, str],
    keys: ArrayLike | None,
) -> Quantity:  # fmt: skip
    """Scatter of the means (L,): pooled over the levels that are alike, of its own for the others."""
    column, kind, label = of
    together = ~alone
    dof = float((count - 1)[together].sum())
    pooled = math.sqrt(float(squares[together].sum()) / dof) if dof else 0.0
    source = sources.level_scatter(column, kind, max(dof, 1), label)
    found = family(
        np.zeros(len(count)), np.where(together, pooled / np.sqrt(count), 0.0), x.unit, source, keys
    )
    for size in np.unique(count[alone]):
        own = sources.own_scatter(column, kind, size - 1, label)
        u = np.where(alone & (count == size), np.sqrt(squares / (size - 1) / size), 0.0)
        found = found + family(np.zeros(len(count)), u, x.unit, own, keys)
    return found


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
    return Averaged(told, told, found.count, found.sd, found.pooled, found.dof, "scatter", found.alone)


def kind_of_scatter(found: Averaged) -> Kind:
    """The group of the limit bar that the scatter of a column belongs to."""
    return next((s.kind for s in found.reported.sources if s.cause == sources.LEVEL_SCATTER), "reading")


def _rejected(values: Array, variance: Array, group: NDArray[np.int_], levels: int, dof: int) -> bool:
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    weight = 1 / variance
    mean = np.bincount(group, weight * values, levels) / np.bincount(group, weight, levels)
    chi2 = float(np.sum((values - mean[group]) ** 2 * weight))
    return float(chdtrc(dof, chi2)) < REJECTED_BELOW
