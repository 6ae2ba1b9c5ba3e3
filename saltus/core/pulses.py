"""Pulses of a gate to motion: striped fences and wheels, missed pulses found."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantity import UncertaintyError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

DOUBLE = 1.55
"""A gap of more than so many times its neighbours holds a pulse that was missed."""
FEWEST = 3


class PulseError(ValueError):
    """Pulses that make no motion, and why."""


@dataclass(frozen=True)
class PulseMotion:
    """Where something was at each pulse.

    Attributes
    ----------
    number : (N,) ndarray of int
        Stripes since the first pulse; a missed one leaves out its number.
    t, position : (N,) ndarray
        s; m or rad, times the number.
    u_position : (N,) ndarray
        From the times alone; the spacing is common: see ``u_spacing``.
    u_spacing : float
        Relative standard uncertainty of the spacing, common to all positions and speeds.
    missed : tuple of int
        Numbers of the pulses that were missed.
    """

    number: NDArray[np.int_]
    t: Array
    position: Array
    u_position: Array
    u_spacing: float
    missed: tuple[int, ...]
    warnings: tuple[str, ...] = ()


def spacing_of_fence(length: Quantity, stripes: int) -> Quantity:
    """Spacing of a fence from the distance of its first and last edge: intervals are stripes − 1.

    Parameters
    ----------
    length : Quantity
        m
    stripes : int
        At least two.

    Raises
    ------
    PulseError
        If there are fewer.
    """
    if stripes < 2:
        raise PulseError(say("pulses.fence-least-two-stripes"))
    return length / float(stripes - 1)


def spacing_of_wheel(stripes: int) -> float:
    """Angle between the stripes of a wheel: as many intervals as stripes on a whole turn.

    Parameters
    ----------
    stripes : int
        At least one.

    Returns
    -------
    float
        rad

    Raises
    ------
    PulseError
        If there is none.
    """
    if stripes < 1:
        raise PulseError(say("pulses.wheel-least-stripe"))
    return 2 * math.pi / stripes


def missed_before(t: Array) -> NDArray[np.int_]:
    """How many pulses were missed before each pulse, (N,); judged by the gaps on both sides.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing, s.
    """
    gaps = np.diff(t)
    out = np.zeros(len(t), dtype=int)
    for i, gap in enumerate(gaps):
        beside = [gaps[k] for k in (i - 1, i + 1) if 0 <= k < len(gaps)]
        # at the ends of a steady acceleration the one neighbour there is may be a bit shorter
        usual = float(np.mean(beside)) if len(beside) == 2 else float(beside[0]) * 1.15 if beside else gap
        if len(beside) == 2 and max(beside) > DOUBLE * min(beside):
            usual = min(beside)
        if gap > DOUBLE * usual:
            out[i + 1] = max(round(gap / usual) - 1, 1)
    return out


def pulse_motion(t: Array, spacing: Quantity, u_time: float = 0.0) -> PulseMotion:
    """Turn the times of like edges into positions.

    Parameters
    ----------
    t : (N,) ndarray
        s.
    spacing : Quantity
        Between neighbouring edges, m or rad.
    u_time : float
        Standard uncertainty of a time, s.

    Raises
    ------
    PulseError
        With fewer than three pulses, or times that do not increase.
    UncertaintyError
        If the uncertainty is negative or not finite.
    """
    if len(t) < FEWEST:
        raise PulseError(say("pulses.least-three-pulses-needed"))
    if not np.all(np.isfinite(t)) or np.any(np.diff(t) <= 0):
        raise PulseError(say("pulses.times-pulses-increase-put"))
    if not (math.isfinite(u_time) and u_time >= 0):
        raise UncertaintyError(say("quantity.negative-uncertainty"))
    extra = missed_before(t)
    number = np.arange(len(t)) + np.cumsum(extra)
    size = float(spacing)
    speed = np.abs(np.gradient(number * size, t))
    missed = tuple(int(n) - k for n, m in zip(number, extra, strict=True) for k in range(int(m), 0, -1))
    words: tuple[str, ...] = ()
    if missed:
        text = say("pulses.pulses-missed-left-out", n=len(missed))
        words = (text,)
    relative = float(spacing.u) / abs(size) if size else math.nan
    u_position = np.asarray(speed * u_time, dtype=np.float64)
    return PulseMotion(number, t, np.asarray(number * size), u_position, relative, missed, words)
