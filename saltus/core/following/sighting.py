"""What a follower says of one picture: found, weak or lost, where, how sure, and why it doubts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

State = Literal["found", "weak", "lost"]
Doubt = Literal["likeness", "jump", "second", "hidden", "edge", "brightness", "smeared", "after-loss"]
"""Why a place is doubted: it looks less alike than usual, lies off the way, another place is as good, it is
partly hidden, at the edge of the picture, much brighter or darker, smeared
by a motion whose exposure is not known yet; or it was lost before."""


@dataclass(frozen=True)
class Sighting:
    """A body in one picture.

    Attributes
    ----------
    state : {"found", "weak", "lost"}
        ``weak``: a place is proposed and doubted; ``lost``: nothing is there, and no place is given.
    x, y : float
        Place of the point that is read, px; NaN where it is lost.
    covariance : (2, 2) ndarray
        Of the place, px²; what the frame itself brings.
    likeness : float
        −1 to 1; NaN where nothing was compared.
    doubts : tuple of str
        Why it is not found, the weightiest first.
    angle, u_angle : float
        Turned clockwise as seen since the first picture, rad; NaN where turning is not read.
    second : tuple of (x, y, likeness) or None
        The next best place.
    """

    state: State
    x: float
    y: float
    covariance: NDArray[np.float64]
    likeness: float
    doubts: tuple[Doubt, ...] = ()
    angle: float = float("nan")
    u_angle: float = float("nan")
    second: tuple[float, float, float] | None = None
