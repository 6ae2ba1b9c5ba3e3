"""Do two values agree? By their 95 % uncertainty, by overlap of ± ranges, and in per cent, side by side."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from saltus.core.budget import budget
from saltus.core.coverage import NORMAL_95, student_95

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.core.quantity import Quantity

TOLD_BELOW = 0.05
ROUNDING = 1e-12
"""Values that differ by less than this part are the same."""


@dataclass(frozen=True)
class Comparison:
    """Two values held against each other.

    Attributes
    ----------
    difference : Quantity
        Result − other; shared sources cancel.
    percent : float or None
        100·(result − other)/other; None where the other is zero.
    agree : bool or None
        Whether they agree; None where that cannot be told yet, see :func:`verdict`.
    overlap : bool or None
        Whether the ± 95 % ranges overlap, as some schools judge.
    apart : float or None
        |difference| in standard uncertainties; None without any.
    magnitude : float
        What its U95 is held against, in its unit: the smaller of the values, or the scale that was given.
    known : bool
        Whether every side that was measured has an uncertainty.
    """

    difference: Quantity
    percent: float | None
    agree: bool | None
    overlap: bool | None
    apart: float | None
    magnitude: float = 0.0
    known: bool = True


SURE_ENOUGH = 0.5
"""Agreement is said where a difference of so much of the values compared would have been seen."""


def verdict(difference: Quantity, magnitude: float, *, known: bool = True) -> bool | None:
    r"""Say whether a difference is one: differ, agree, or cannot be told yet.

    Parameters
    ----------
    difference : Quantity
        A single value, what both sides share cancelled.
    magnitude : float
        Of the smaller of the values compared, or of what is to be seen, in the unit of the difference.
    known : bool
        Whether every side that was measured has an uncertainty.

    Returns
    -------
    bool or None
        False where \|difference\| > U95; True where it is not and U95 is at most half of the magnitude; None
        otherwise, and wherever an uncertainty is not known.
    """
    size, U95 = abs(float(difference)), difference.U95
    if not known or not math.isfinite(U95) or not math.isfinite(size):
        return None
    # values that are the same but for rounding
    U95 = max(U95, ROUNDING * magnitude)
    if size > U95:
        return False
    return True if magnitude * SURE_ENOUGH >= U95 else None


def compare(
    result: Quantity, other: Quantity, *, scale: float | None = None, measured: bool = False
) -> Comparison:
    """Hold a single value against another.

    Parameters
    ----------
    result, other : Quantity
        Of one unit.
    scale : float, optional
        What the difference is measured by, where the size of the values says nothing: the range of the
        readings for an intercept, for a comparison with none the effect that would matter; in SI.
    measured : bool
        Whether the other was measured too: without an uncertainty nothing can be told of it then. Givens
        typed without one, constants of a theory and none are exact.

    Raises
    ------
    UnitError
        If the units do not go together.
    """
    difference = result - other
    size, u = abs(float(difference)), float(difference.u)
    sizes = [abs(float(result)), abs(float(other))]
    rounding = ROUNDING * max(sizes)
    known = float(result.u) > 0 and (float(other.u) > 0 or not measured)
    magnitude = min(sizes) if scale is None else abs(scale)
    return Comparison(
        difference,
        100 * float(difference) / float(other) if float(other) else None,
        verdict(difference, magnitude, known=known),
        size <= max(result.U95 + other.U95, rounding) if math.isfinite(u) else None,
        size / u if u > 0 and math.isfinite(u) else None,
        magnitude,
        known and math.isfinite(u),
    )


def chance(difference: Quantity) -> float:
    r"""Give the probability that chance alone sets two values so far apart.

    Parameters
    ----------
    difference : Quantity
        A single value.

    Returns
    -------
    float
        Two-sided; 0.05 where \|difference\| is its U95. NaN without an uncertainty.
    """
    from scipy.special import ndtr, stdtr  # noqa: PLC0415  start-up time

    U95, dof = difference.U95, difference.coverage.dof
    if not math.isfinite(U95):
        return math.nan
    size = abs(float(difference))
    if U95 <= 0:
        return 0.0 if size > 0 else 1.0
    if dof is None or math.isinf(dof):
        return 2 * float(ndtr(-size / U95 * NORMAL_95))
    return 2 * float(stdtr(dof, -size / U95 * student_95(dof)))


def times_beyond_chance(q: Quantity, chance: float = 0.0005) -> float:
    """Give how many of its standard uncertainties a value lies off by chance alone, at most.

    Parameters
    ----------
    q : Quantity
        A single value.
    chance : float
        Two-sided probability of being farther off.
    """
    from scipy.special import ndtri, stdtrit  # noqa: PLC0415  start-up time

    known = math.isfinite(float(q.u)) and float(q.u) > 0
    dof = q.coverage.dof if known else math.inf
    if dof is None or math.isinf(dof):
        return -float(ndtri(chance / 2))
    return -float(stdtrit(max(dof, 1.0), chance / 2))


def judged_together(comparisons: Sequence[Comparison]) -> list[Comparison]:
    """Judge comparisons that ask one question several times, row by row or level by level.

    Parameters
    ----------
    comparisons : sequence of Comparison

    Returns
    -------
    list of Comparison
        In the same order, with the verdicts that hold for all of them together.

    Notes
    -----
    Holm 1979, jstor.org/stable/4615733: among m, the smallest p is held against 0.05/m, the next against
    0.05/(m − 1). One that is not told apart then agrees where its U95 is small enough, see :func:`verdict`.
    """
    tails = [chance(c.difference) if c.agree is not None or c.known else math.nan for c in comparisons]
    judged = [i for i, tail in enumerate(tails) if math.isfinite(tail)]
    out = list(comparisons)
    apart = True
    for place, i in enumerate(sorted(judged, key=lambda k: tails[k])):
        one = comparisons[i]
        apart = apart and tails[i] < TOLD_BELOW / (len(judged) - place)
        same = abs(float(one.difference)) <= ROUNDING * one.magnitude
        if apart and not same:
            out[i] = replace(one, agree=False)
        elif one.agree is False:
            seen = SURE_ENOUGH * one.magnitude >= one.difference.U95
            out[i] = replace(one, agree=True if seen else None)
    return out


@dataclass(frozen=True)
class Settled:
    """What would settle a comparison that cannot be told yet.

    Attributes
    ----------
    needs : {"uncertainty", "trials", "better"}
        An uncertainty of a side that has none; more trials; or knowing something better.
    factor : float
        By how many times U95 of the difference must shrink.
    trials : float
        With ``trials``: how many times as many are needed.
    label : str
        With ``better``: of what.
    u : float
        With ``better``: the standard uncertainty it has now, in the unit of the difference.
    """

    needs: str
    factor: float = 1.0
    trials: float = 1.0
    label: str = ""
    u: float = 0.0


def what_settles(found: Comparison) -> Settled | None:
    """Say what would settle a comparison; None where it is settled, or nothing is known that would.

    Parameters
    ----------
    found : Comparison
    """
    if found.agree is not None:
        return None
    if not found.known:
        return Settled("uncertainty")
    U95 = found.difference.U95
    target = SURE_ENOUGH * found.magnitude
    lines = budget(found.difference)
    if not lines or not math.isfinite(U95):
        return Settled("uncertainty")
    factor = U95 / target if target > 0 else math.inf
    first = lines[0]
    if any(source.less_with_trials for source in first.sources):
        return Settled("trials", factor, max(factor**2, 1.0))
    return Settled("better", factor, label=first.label, u=first.u)
