"""The reaction test: where a swinging mark is, and how late a press comes at the line it crosses."""

from __future__ import annotations

import math

FAR_S = 0.4
"""A press so far from every crossing belongs to none."""


def swing(since_s: float, period_s: float) -> float:
    """Give where the mark of the reaction test is: −cos(2πt/T).

    Parameters
    ----------
    since_s, period_s : float
        Time t since it began at its left end, and period T, s.

    Returns
    -------
    float
        −1 to 1, dimensionless; it crosses the line at 0.
    """
    return -math.cos(2 * math.pi * since_s / period_s)


def crossing(since_s: float, period_s: float) -> tuple[int, float] | None:
    """Give the crossing that a press belongs to, and how late it came.

    Parameters
    ----------
    since_s : float
        When it was pressed, after the mark began, s.
    period_s : float
        Of the swing, s; it crosses the line every half of it, first after a quarter.

    Returns
    -------
    (int, float) or None
        Number of the crossing, from 0, and press minus crossing, s; None where none is near.
    """
    number = max(round((since_s - period_s / 4) / (period_s / 2)), 0)
    late = since_s - period_s / 4 - number * period_s / 2
    return (number, late) if abs(late) <= FAR_S else None
