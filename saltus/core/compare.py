"""Do two values agree? By their 95 % uncertainty, by overlap of ± ranges, and in per cent, side by side."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity


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
        |difference| ≤ U95 of the difference; None where that is not known.
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


def compare(result: Quantity, other: Quantity) -> Comparison:
    """Hold a single value against another.

    Parameters
    ----------
    result, other : Quantity
        Of one unit.

    Raises
    ------
    UnitError
        If the units do not go together.
    """
    difference = result - other
    size, u = abs(float(difference)), float(difference.u)
    # values that are the same but for rounding agree even without uncertainty
    rounding = 1e-12 * max(abs(float(result)), abs(float(other)))
    return Comparison(
        difference,
        100 * float(difference) / float(other) if float(other) else None,
        size <= max(difference.U95, rounding) if math.isfinite(u) else None,
        size <= max(result.U95 + other.U95, rounding) if math.isfinite(u) else None,
        size / u if u > 0 and math.isfinite(u) else None,
    )
