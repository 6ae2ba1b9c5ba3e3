"""A repeat that stands out of its level: held against the scatter of the other levels, not its own."""

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
ROOM = 1.5
"""By what the limit of normal scatter is widened: scatter that grows 1 : 3 over the levels, t₅ tails."""
NEARLY = 0.999
"""Levels whose limit is nearly reached are looked at exactly: sums differ in their last digits."""
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
    scatter : float
        Standard deviation of one value as the others tell it, in their unit.
    mean, without : float
        Of the level, with it and without.
    """

    rows: tuple[int, ...]
    level: int
    off: float
    limit: float
    scatter: float
    mean: float
    without: float


@dataclass(frozen=True)
class _Scatter:
    """Counts, sums of squares and variances of all levels."""

    count: NDArray[np.int_]
    squares: Array

    def suspects(
        self, off: Array, group: NDArray[np.int_], chance: float, *, stated: bool
    ) -> NDArray[np.int_]:
        """Levels of several trials of which one lies off by more than its limit could be at the least.

        The scatter of the others is at least that of all of them together, and so is the limit.
        """
        from scipy.special import ndtri, stdtrit  # noqa: PLC0415  start-up time

        dof = np.maximum(self.count - 1, 0)
        rest = dof.sum() - dof
        pooled = np.sqrt(np.maximum(self.squares.sum() - self.squares, 0.0) / np.maximum(rest, 1))
        times = -ROOM * stdtrit(np.maximum(rest, 1), chance / 2)
        least = pooled * times
        if stated:
            least = np.minimum(-float(ndtri(chance / 2)), np.maximum(pooled, 1.0) * times)
        least = np.where(rest > 0, NEARLY * least * np.sqrt(1 - 1 / np.maximum(self.count, 1)), 0.0)
        most = np.zeros(len(self.count))
        np.maximum.at(most, group, off)
        return np.flatnonzero((dof > 0) & (most > least))

    def of_others(self, level: int) -> tuple[float, int]:
        """Variance and degrees of freedom of the levels but one; of the widest where they are unlike."""
        keep = (self.count > 1) & (np.arange(len(self.count)) != level)
        dof, squares = self.count[keep] - 1, self.squares[keep]
        if not len(dof):
            return math.nan, 0
        if len(dof) > 1 and unlike(squares / dof, dof):
            return float(np.max(squares / dof)), int(dof.sum())
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
    Bartlett 1937, doi:10.1098/rspa.1937.0109, 5 %. A level without any scatter has no logarithm: the levels
    are then alike where the largest variance is not beyond the F limit of the others.
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
    values: Array, group: NDArray[np.int_], *, resolution: float = 0.0,
    stated: Array | float | None = None, false_alarms: float = FALSE_ALARMS,
) -> tuple[OddTrial, ...]:  # fmt: skip
    """Find trials that stand out of their level.

    Parameters
    ----------
    values : (N,) ndarray
        Finite, of any unit.
    group : (N,) ndarray of int
        Level of each.
    resolution : float
        Step of the last digit, in their unit: no scatter is smaller than it allows.
    stated : (N,) ndarray or float, optional
        Standard uncertainty of each value that is stated: it is enough where the scatter does not exceed it.
    false_alarms : float
        Part of honest tables in which a trial may be named.

    Returns
    -------
    tuple of OddTrial
        At most one for each level, the farthest beyond its limit first. Held against the pooled scatter of
        the other levels, or of the rest of its own where that is larger; a single level of four by Grubbs.
    """
    if not len(group):
        return ()
    levels = int(group.max()) + 1
    count = np.bincount(group, minlength=levels)
    means = np.bincount(group, values, levels) / np.maximum(count, 1)
    # in what is stated of each value, so that levels of different size are alike
    size = np.broadcast_to(1.0 if stated is None else np.asarray(stated, dtype=float), values.shape)
    off = (values - means[group]) / size
    scatter = _Scatter(count, np.bincount(group, off**2, levels).astype(float))
    chance = false_alarms / max(int(count[count >= FEWEST_IN_LEVEL].sum()), 1)
    least = max(resolution / math.sqrt(12), 1e-9 * float(np.max(np.abs(values))))
    found = []
    for level in scatter.suspects(np.abs(off), group, chance, stated=stated is not None):
        rows = np.flatnonzero(group == level)
        worst = int(rows[np.argmax(np.abs(off[rows]))])
        rest, others = rows[rows != worst], scatter.of_others(int(level))
        one, times = _spread(off[rows], off[rest], others, chance, stated=stated is not None)
        one = max(one * float(size[worst]), least)
        limit, far = times * one * math.sqrt(1 - 1 / len(rows)), float(values[worst] - means[level])
        if abs(far) > limit:
            which = (worst,) if len(rows) > FEWEST_IN_LEVEL else tuple(int(i) for i in rows)
            mean, without = float(means[level]), float(values[rest].mean())
            found.append(OddTrial(which, int(level), far, limit, one, mean, without))
    return tuple(sorted(found, key=lambda odd: -abs(odd.off) / odd.limit))


def _spread(
    level: Array, rest: Array, others: tuple[float, int], false_alarms: float, *, stated: bool
) -> tuple[float, float]:
    """Standard deviation of one value, in what is stated of it, and how many of them chance explains."""
    from scipy.special import ndtri, stdtrit  # noqa: PLC0415  start-up time

    n, (variance, dof) = len(level), others
    if stated and (dof == 0 or variance <= _most(dof)):
        return 1.0, -float(ndtri(false_alarms / 2))
    if dof == 0:
        if n < FEWEST_FOR_ODD:
            return math.nan, math.inf
        # of itself alone: Grubbs, whose limit is in standard deviations of the whole sample
        return float(np.std(level, ddof=1)), grubbs_limit(n, false_alarms * n) / math.sqrt(1 - 1 / n)
    own = float(np.std(rest, ddof=1)) if len(rest) > 1 else 0.0
    return max(math.sqrt(variance), own), ROOM * -float(stdtrit(dof, false_alarms / 2))


def _most(dof: int) -> float:
    """Largest variance of others that what is stated explains (1 %), in its square."""
    from scipy.special import chdtri  # noqa: PLC0415  start-up time

    return float(chdtri(dof, 0.01)) / dof
