"""Repeats of one measurement: mean, spread, odd values, and whether the spread is what was to be expected."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core import sources
from saltus.core.quantities import measured

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Kind

    Array = NDArray[np.float64]

REJECTED_BELOW = 0.01
ODD_BELOW = 0.01
FEWEST_FOR_ODD = 4
Consistency = Literal["consistent", "more", "less"]


@dataclass(frozen=True)
class Repeats:
    """What repeats say.

    Attributes
    ----------
    values : (n,) ndarray
    mean, sd, standard_error, half_range : float or None
        In the unit of the values; sd has n − 1. None where n is too small.
    odd : tuple of int
        Places of values that stand out (Grubbs, or the stated uncertainty; 1 %), most extreme first.
    consistency : {"consistent", "more", "less"} or None
        Whether the scatter is what the stated uncertainty explains; None where it cannot be told.
    """

    values: Array
    mean: float | None
    sd: float | None
    standard_error: float | None
    half_range: float | None
    odd: tuple[int, ...]
    consistency: Consistency | None


def summary(values: Array, explained: float | None = None) -> Repeats:
    """Sum up repeats.

    Parameters
    ----------
    values : (n,) ndarray
        Finite.
    explained : float, optional
        Standard uncertainty that timing or reading explain, in the unit of the values.
    """
    n = len(values)
    mean = float(np.mean(values)) if n else None
    sd = float(np.std(values, ddof=1)) if n > 1 else None
    half_range = float(np.ptp(values)) / 2 if n > 1 else None
    verdict = consistency(values, explained) if explained and n > 1 else None
    error = sd / math.sqrt(n) if sd is not None else None
    odd = odd_by_stated(values, explained) if explained and n > 1 else odd_values(values)
    return Repeats(values, mean, sd, error, half_range, odd, verdict)


def consistency(values: Array, explained: float) -> Consistency:
    """Compare the scatter of repeats with a stated standard uncertainty by χ² (each side 1 %, n − 1 dof).

    Parameters
    ----------
    values : (n,) ndarray
        At least two, of any unit.
    explained : float
        Standard uncertainty of one that is stated, in the same unit, above zero.

    Returns
    -------
    {"consistent", "more", "less"}
    """
    from scipy.special import chdtr, chdtrc  # noqa: PLC0415  start-up time

    dof = len(values) - 1
    chi2 = float(np.sum((values - np.mean(values)) ** 2)) / explained**2
    if float(chdtrc(dof, chi2)) < REJECTED_BELOW:
        return "more"
    return "less" if float(chdtr(dof, chi2)) < REJECTED_BELOW else "consistent"


def grubbs_limit(n: int, below: float = ODD_BELOW) -> float:
    """Largest deviation from the mean that chance explains.

    Parameters
    ----------
    n : int
        Size of the sample, at least three.
    below : float
        In all but so many samples.

    Returns
    -------
    float
        In standard deviations of the sample.

    Notes
    -----
    Grubbs 1950, doi:10.1214/aoms/1177729885: (n − 1)/√n · √(t²/(n − 2 + t²)), t at below/(2n) with n − 2 dof.
    """
    from scipy.special import stdtrit  # noqa: PLC0415  start-up time

    t = float(stdtrit(n - 2, 1 - below / (2 * n)))
    return (n - 1) / math.sqrt(n) * math.sqrt(t**2 / (n - 2 + t**2))


def odd_values(values: Array) -> tuple[int, ...]:
    """Find values that stand out: Grubbs, two-sided, 1 %, again without the one found.

    Parameters
    ----------
    values : (n,) ndarray
        Of any unit; from n = 4 on.

    Returns
    -------
    tuple of int
        Their places, the farthest first; fewer than a third of all.
    """
    left = list(range(len(values)))
    found: list[int] = []
    while len(left) >= FEWEST_FOR_ODD and len(found) < len(values) // 3:
        rest = values[left]
        sd = float(np.std(rest, ddof=1))
        # what differs by rounding alone is not odd
        if sd <= 1e-12 * float(np.max(np.abs(rest))):
            break
        off = np.abs(rest - np.mean(rest)) / sd
        worst = int(np.argmax(off))
        if off[worst] <= grubbs_limit(len(left)):
            break
        found.append(left.pop(worst))
    return tuple(found)


def odd_by_stated(values: Array, explained: float) -> tuple[int, ...]:
    """Find values that lie farther from the mean than their standard uncertainty explains (1 % of samples).

    Parameters
    ----------
    values : (n,) ndarray
        At least two, of any unit; of two it cannot be told which.
    explained : float
        Standard uncertainty of one, in the same unit, above zero.

    Returns
    -------
    tuple of int
        Their places, the farthest first; fewer than half of all.
    """
    from scipy.special import ndtri  # noqa: PLC0415  start-up time

    left = list(range(len(values)))
    found: list[int] = []
    while len(left) > 2 and len(found) < (len(values) - 1) // 2:
        off = np.abs(values[left] - np.mean(values[left]))
        n, worst = len(left), int(np.argmax(off))
        if off[worst] <= -float(ndtri(ODD_BELOW / (2 * n))) * explained * math.sqrt(1 - 1 / n):
            break
        # of three that all lie apart none is the odd one
        if n == 3 and consistency(np.delete(values[left], worst), explained) == "more":
            break
        found.append(left.pop(worst))
    return tuple(found)


def mean_of(
    x: Quantity, of: Hashable, kind: Kind = "reading", label: str = "", *, dof: float = math.inf
) -> Quantity:
    """Give the mean of repeats with its uncertainty.

    Parameters
    ----------
    x : Quantity
        (n,) repeats; what they share is carried once, undivided.
    of : hashable
        What is averaged: names the source that stands for scatter.
    kind, label
        Of that source.
    dof : float
        Degrees of freedom of the values' own uncertainties, where these come from repeats.

    Notes
    -----
    With independent stated u the mean has √Σu²/n; only where χ² rejects that (p < 0.01), or nothing is
    stated, s/√n with t(n − 1) stands for it. Scatter and stated u are never both counted.
    """
    n = len(x)
    weights = np.full(n, 1 / n)
    mean = x.weighed(weights)
    if n < 2:
        return mean
    own_part, common = x.split()
    own = own_part.u**2
    sd = float(np.std(x.value, ddof=1))
    if np.all(own > 0):
        from scipy.special import chdtrc, fdtrc  # noqa: PLC0415  start-up time

        weighted = np.sum(x.value / own) / np.sum(1 / own)
        chi2 = float(np.sum((x.value - weighted) ** 2 / own))
        chance = chdtrc(n - 1, chi2) if math.isinf(dof) else fdtrc(n - 1, dof, chi2 / (n - 1))
        if float(chance) >= REJECTED_BELOW:
            return mean
    if sd == 0:
        return mean
    source = sources.repeat_scatter(of, kind, n - 1, label)
    return common.weighed(weights) + measured(0.0, sd / math.sqrt(n), x.unit, source)
