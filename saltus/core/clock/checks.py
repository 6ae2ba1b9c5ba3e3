"""Checking the clock of a recording: against a filmed stopwatch, or against a body in free fall."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.clock.brackets import InstantError
from saltus.core.quantities import exact, measured
from saltus.core.sentences import say
from saltus.core.units import ONE, SECOND

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

PER_SECOND = ONE / SECOND


@dataclass(frozen=True)
class WatchReading:
    """What a filmed watch shows in a frame.

    Attributes
    ----------
    frame : float
        Its number, or the number of frames from the first, gaps counted.
    reading_s : float
    step_s : float
        Its last digit, s.
    """

    frame: float
    reading_s: float
    step_s: float


SLOWEST, FASTEST = 1e-3, 1e6
"""Rates of cameras, Hz: from a picture in a quarter of an hour to the fastest there are."""
ROUGHEST = 0.25


def rate_by_watch(first: WatchReading, last: WatchReading, take: str = "take") -> Quantity:
    """Give the rate at which frames were taken from a watch filmed while it runs.

    Parameters
    ----------
    first, last : WatchReading
        What the watch shows, s, in which frames.
    take : str
        Names the source.

    Returns
    -------
    Quantity
        Frames a second, Hz.

    Raises
    ------
    InstantError
        If the watch does not go on between the two frames, or tells no sensible rate.

    Notes
    -----
    (frames between)/(time between). A watch shows a time until its last digit moves: uniform over one digit
    at each end; that it cuts off cancels.
    """
    if last.frame <= first.frame or last.reading_s <= first.reading_s:
        raise InstantError(say("clock.watch-runs-back"))
    digit = sources.filmed_watch(take)
    ends = [
        measured(shown.reading_s, shown.step_s / math.sqrt(12), SECOND, digit, shown.frame)
        for shown in (first, last)
    ]
    return _sensible(exact(last.frame - first.frame) / (ends[1] - ends[0]))


def rate_by_fall(assumed_hz: float, seen: Quantity, given: Quantity) -> Quantity:
    """Give the rate at which frames were taken from a filmed body in free fall, Hz.

    Parameters
    ----------
    assumed_hz : float
        The rate with which the acceleration was worked out.
    seen, given : Quantity
        The acceleration found at that rate, without the clock's uncertainty, and that of free fall, m/s².

    Raises
    ------
    InstantError
        If one of them is 0, or the rate makes no sense.

    Notes
    -----
    a goes with the square of the rate: true rate = assumed rate·√(g/|a|).
    """
    if float(seen) == 0 or float(given) == 0:
        raise InstantError(say("clock.no-acceleration"))
    a = -seen if float(seen) < 0 else seen
    g = -given if float(given) < 0 else given
    return _sensible(((g / a) ** 0.5 * assumed_hz).with_unit(PER_SECOND))


def _sensible(rate: Quantity) -> Quantity:
    if not SLOWEST <= float(rate) <= FASTEST:
        raise InstantError(say("clock.absurd-rate"))
    if float(rate.u) > ROUGHEST * float(rate):
        raise InstantError(say("clock.too-rough"))
    return rate


def smear_u(speed: Array, exposure_s: float) -> Array:
    """Standard uncertainty that motion during the exposure adds to a reading along the motion: v·t/√12.

    Parameters
    ----------
    speed : (N,) ndarray
        In any unit of length per second.
    exposure_s : float
        How long a frame was exposed, s.

    Returns
    -------
    (N,) ndarray
        In that unit of length, uniform over the way.
    """
    return abs(speed) * exposure_s / math.sqrt(12)
