"""A repeat that stands out of its level: held against the scatter of the other levels, not against its own."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.repeats import FEWEST_FOR_ODD, grubbs_limit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FALSE_ALARMS = 0.003
"""Part of honest tables in which a trial may be named."""
ROOM = 1.35
"""By what the limit of normal scatter is widened: scatter that grows 1 : 3 over the levels, t₅ tails."""
UNLIKE_BELOW = 0.05
FEWEST_IN_LEVEL = 2


@dataclass(frozen=True)
class OddTrial:
    """A trial that stands out, or two of which one must.

    Attributes
    ----------
    rows : tuple of int
        Its place among the values; two where it cannot be told which of them it is.
    level : int
    off : float
        Deviation from the mean of its level, in the unit of the values.
    limit : float
        What chance explains of it.
    mean, without : float
        Of the level, with it and without.
    """

    rows: tuple[int, ...]
    level: int
    off: float
    limit: float
    mean: float
    without: float


@dataclass(frozen=True)
class _Scatter:
    """Counts, sums of squares and variances of all levels."""

    count: NDArray[np.int_]
    squares: Array

    def of_others(self, level: int) -> tuple[float, int]:
        """Variance and degrees of freedom of the levels but one; of the widest where they are unlike."""
        keep = (self.count > 1) & (np.arange(len(self.count)) != level)
        dof, squares = self.count[keep] - 1, self.squares[keep]
        if not len(dof):
            return math.nan, 0
        if len(dof) > 1 and unlike(squares / dof, dof):
            widest = int(np.argmax(squares / dof))
            return float(squares[widest] / dof[widest]), int(dof[widest])
        return float(squares.sum() / dof.sum()), int(dof.sum())


def unlike(variances: Array, dof: NDArray[np.int_]) -> bool:
    """Say whether levels scatter so differently that they must not be pooled.

    Parameters
    ----------
    variances : (L,) ndarray
        Of at least two levels, in the square of any unit.
    dof : (L,) ndarray of int

    Notes
    -----
    Bartlett 1937, doi:10.1098/rspa.1937.0109, 5 %. A level without any scatter has no logarithm: the levels are then
    alike where the largest variance is not beyond the F limit of the pooled one.
    """
    from scipy.special import chdtrc, fdtrc  # noqa: PLC0415  start-up time

    whole = float(dof.sum())
    pooled = float(variances @ dof) / whole
    if pooled <= 0:
        return False
    if np.any(variances <= 0):
        widest = int(np.argmax(variances))
        rest = (pooled * whole - variances[widest] * dof[widest]) / max(whole - dof[widest], 1)
        if rest <= 0:
            return False
        return float(fdtrc(dof[widest], whole - dof[widest], variances[widest] / rest)) < UNLIKE_BELOW / len(
            dof
        )
    statistic = whole * math.log(pooled) - float(dof @ np.log(variances))
    correction = 1 + (float(np.sum(1 / dof)) - 1 / whole) / (3 * (len(dof) - 1))
    return float(chdtrc(len(dof) - 1, statistic / correction)) < UNLIKE_BELOW


def odd_trials(
    values: Array, group: NDArray[np.int_], *, resolution: float = 0.0, stated: float | None = None
) -> tuple[OddTrial, ...]:
    """Find trials that stand out of their level.

    Parameters
    ----------
    values : (N,) ndarray
        Finite, of any unit.
    group : (N,) ndarray of int
        Level of each.
    resolution : float
        Step of the last digit, in their unit: no scatter is smaller than it allows.
    stated : float, optional
        Standard uncertainty of one value that is stated: it is enough where the scatter does not exceed it.

    Returns
    -------
    tuple of OddTrial
        At most one for each level, the farthest beyond its limit first; honest tables have one in 0.3 %.

    Notes
    -----
    A trial is held against the pooled scatter of the other levels (its own would hide it) and of the rest of its
    own. A single level of four or more by Grubbs.
    """
    levels = int(group.max()) + 1 if len(group) else 0
    if not levels:
        return ()
    count = np.bincount(group, minlength=levels)
    means = np.bincount(group, values, levels) / np.maximum(count, 1)
    off = values - means[group]
    scatter = _Scatter(count, np.bincount(group, off**2, levels).astype(float))
    tested = max(int(count[count >= FEWEST_IN_LEVEL].sum()), 1)
    found = []
    for level in np.flatnonzero(count >= FEWEST_IN_LEVEL):
        rows = np.flatnonzero(group == level)
        worst = int(rows[np.argmax(np.abs(off[rows]))])
        limit = _limit(values, rows, worst, scatter.of_others(int(level)), tested, resolution, stated)
        if abs(off[worst]) > limit:
            rest = rows[rows != worst]
            both = (worst,) if len(rows) > FEWEST_IN_LEVEL else tuple(int(i) for i in rows)
            found.append(
                OddTrial(
                    both,
                    int(level),
                    float(off[worst]),
                    limit,
                    float(means[level]),
                    float(values[rest].mean()),
                )
            )
    return tuple(sorted(found, key=lambda odd: -abs(odd.off) / odd.limit))


def _limit(
    values: Array, rows: NDArray[np.int_], worst: int, others: tuple[float, int], tested: int, resolution: float,
    stated: float | None,
) -> float:  # fmt: skip
    """Deviation from the mean of its level that chance explains, in the unit of the values."""
    from scipy.special import ndtri, stdtrit  # noqa: PLC0415  start-up time

    n = len(rows)
    tail = FALSE_ALARMS / (2 * tested)
    share = math.sqrt(1 - 1 / n)
    variance, dof = others
    least = max(resolution / math.sqrt(12), 1e-9 * float(np.max(np.abs(values))))
    if stated is not None and (dof == 0 or variance <= _most(stated, dof)):
        return max(-float(ndtri(tail)) * stated, least) * share
    rest = values[rows[rows != worst]]
    own = float(np.std(rest, ddof=1)) if len(rest) > 1 else 0.0
    if dof == 0:
        if n < FEWEST_FOR_ODD:
            return math.inf
        sd = float(np.std(values[rows], ddof=1))
        return max(grubbs_limit(n, FALSE_ALARMS) * sd, least)
    return ROOM * -float(stdtrit(dof, tail)) * max(math.sqrt(variance), own, least) * share


def _most(stated: float, dof: int) -> float:
    """Largest variance of others that a stated standard uncertainty explains (1 %)."""
    from scipy.special import chdtri  # noqa: PLC0415  start-up time

    return stated**2 * float(chdtri(dof, 0.01)) / dof
