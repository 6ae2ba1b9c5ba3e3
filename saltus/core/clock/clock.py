"""What is uncertain about the times of a take: its frame stamps, and the rate of its clock."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.with_uncertainty import with_family

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Clock:
    """What is uncertain about the times.

    Attributes
    ----------
    tick_s : float
        The container's tick: each frame stamp is uniform within it, s; 0 when not known.
    u_rate : float
        Relative standard uncertainty of the rate of the clock, common to all times.
    take : str
        Whose clock it is.
    camera : str
        Take with which the rate is shared, where one camera took several; empty: with none.
    """

    tick_s: float = 0.0
    u_rate: float = 0.0
    take: str = "take"
    camera: str = ""

    @property
    def rate_source(self) -> Source:
        """The rate, which all takes of one camera have in common."""
        return sources.clock(self.camera or self.take)


def with_stamps(position: Quantity, speed: Array, clock: Clock, frames: NDArray[np.int64]) -> Quantity:
    """Add what the stamps of the frames leave uncertain: a body is further on where its frame came later.

    Parameters
    ----------
    position : Quantity
        (N,)
    speed : (N,) ndarray
        Signed, unit of position per second: two bodies read in one frame share its stamp.
    clock : Clock
    frames : (N,) ndarray of int
    """
    if clock.tick_s <= 0:
        return position
    return with_family(position, sources.stamps(clock.take), speed * clock.tick_s / math.sqrt(12), frames)


def with_rate(q: Quantity, clock: Clock, power: float = 1.0) -> Quantity:
    """Add what the rate of the clock leaves uncertain, common to all values.

    Parameters
    ----------
    q : Quantity
        Of any shape and unit.
    clock : Clock
    power : float
        Of time in q, dimensionless: 1 for a time, −1 for a speed, −2 for an acceleration.
    """
    if not clock.u_rate or not power:
        return q
    return q.with_source(clock.rate_source, power * q.value * clock.u_rate)
