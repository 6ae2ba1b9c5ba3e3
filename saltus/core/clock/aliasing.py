"""Rotations and vibrations seen by a camera or under a strobe: which true rates look the same."""

from __future__ import annotations

import math
from itertools import pairwise

from saltus.core.sentences import say

DEFAULT_REACH = 5.0
"""True rates are listed up to so many times the frame rate."""
FEWEST_FRAMES = 4.0
"""With fewer frames a cycle a motion may be seen, but not safely told from another."""
COMMON_RATES = (24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 90.0, 100.0, 120.0, 144.0, 200.0, 240.0)
MOST = 10_000


class RateError(ValueError):
    """Rates that make no sense."""


def candidates(apparent: float, rate: float, up_to: float | None = None) -> list[float]:
    """List the true rates that look like an apparent one.

    Parameters
    ----------
    apparent : float
        What is seen, Hz; 0 for a picture that stands still. The direction is not told.
    rate : float
        Frames or flashes per second, Hz.
    up_to : float, optional
        The highest true rate thought of, Hz; five times the rate by default.

    Returns
    -------
    list of float
        |k·rate ± apparent| in order, without repeats.

    Raises
    ------
    RateError
        If a rate is negative, not finite, or the apparent one is above half the frame rate.
    """
    reach = DEFAULT_REACH * rate if up_to is None else up_to
    if not all(map(math.isfinite, (apparent, rate, reach))) or rate <= 0 or apparent < 0 or reach <= 0:
        raise RateError(say("aliasing.rates-numbers-above-zero"))
    if apparent > rate / 2 * (1 + 1e-9):
        raise RateError(say("aliasing.faster-than-half-the-rate", rate=rate, half=rate / 2))
    if reach / rate > MOST:
        raise RateError(say("aliasing.too-far-up-list", n=MOST))
    found = {
        round(abs(k * rate + sign * apparent), 12) for k in range(int(reach / rate) + 2) for sign in (1, -1)
    }
    return sorted(f for f in found if f <= reach * (1 + 1e-12))


def strobe_candidates(flashes: float, images: int = 1, up_to: float | None = None) -> list[float]:
    """List the true rates that stand still under a strobe.

    Parameters
    ----------
    flashes : float
        Flashes per second, Hz.
    images : int
        How many pictures of one mark stand around the turn; 1 where it looks as it is.
    up_to : float, optional
        Hz; five times the flash rate by default.

    Returns
    -------
    list of float
        k·flashes/images for all k without a common factor with images: else there would be fewer pictures.

    Raises
    ------
    RateError
        If a rate is not above zero, or it is too many to list.
    """
    reach = DEFAULT_REACH * flashes if up_to is None else up_to
    if not (math.isfinite(flashes) and math.isfinite(reach)) or min(flashes, reach) <= 0 or images < 1:
        raise RateError(say("aliasing.rates-numbers-above-zero"))
    most = reach * images / flashes
    if most > MOST:
        raise RateError(say("aliasing.too-far-up-list", n=MOST))
    # a hair: 5 × the rate itself still counts
    return [k * flashes / images for k in range(1, int(most * (1 + 1e-9)) + 1) if math.gcd(k, images) == 1]


def appears(true: float, rate: float) -> float:
    """What a true rate looks like at a frame rate: |f − r·round(f/r)|.

    Parameters
    ----------
    true, rate : float
        True rate f and frame rate r, Hz, r above zero.

    Returns
    -------
    float
        Hz, 0 to half the frame rate.
    """
    return abs(true - rate * round(true / rate))


def settling_rate(true: list[float], rate: float) -> float:
    """Give a second frame rate at which the true rates look as different as can be.

    Parameters
    ----------
    true : list of float
        From :func:`candidates`, Hz.
    rate : float
        The first frame rate, Hz: it is not proposed again.
    """
    tried = [r for r in COMMON_RATES if abs(r / rate - round(r / rate)) > 1e-6 or r < rate]
    tried += [rate * f for f in (0.9, 1.1, 1.3, 0.7)]
    return max(tried, key=lambda r: (round(_separation(true, r), 9), -abs(r - rate)))


def _separation(true: list[float], rate: float) -> float:
    """Smallest difference between what any two true rates look like, Hz."""
    seen = sorted(appears(f, rate) for f in true)
    return min((b - a for a, b in pairwise(seen)), default=0.0)


def too_few_frames(true: float, rate: float) -> bool:
    """Whether fewer than four frames fall on one cycle.

    Parameters
    ----------
    true, rate : float
        Rate of the cycles and frame rate, Hz.
    """
    return true > 0 and rate / true < FEWEST_FRAMES
