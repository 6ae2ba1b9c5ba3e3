"""Do two values agree? By their 95 % uncertainty, by overlap of ± ranges, and in per cent, side by side."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity

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
    """

    difference: Quantity
    percent: float | None
    agree: bool | None
    overlap: bool | None
    apart: float | None


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
    return Comparison(
        difference,
        100 * float(difference) / float(other) if float(other) else None,
        verdict(difference, min(sizes) if scale is None else abs(scale), known=known),
        size <= max(result.U95 + other.U95, rounding) if math.isfinite(u) else None,
        size / u if u > 0 and math.isfinite(u) else None,
    )
