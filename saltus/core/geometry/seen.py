"""Places in the picture as they were read, or laid."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

LAID = "laid"
"""Name of what was laid in the picture, which is no body: it has no uncertainty of its own."""


@dataclass(frozen=True)
class Patch:
    """What places found by one run of following have in common.

    Attributes
    ----------
    run : str
        Names its sources.
    u_x, u_y : (N,) ndarray
        Standard uncertainty of each place by it, px; 0 where the run did not find it.
    """

    run: str
    u_x: Array
    u_y: Array


@dataclass(frozen=True)
class Seen:
    """Places of one body in the picture.

    Attributes
    ----------
    x, y : (N,) ndarray
        Picture coordinates, px.
    u_x, u_y : (N,) ndarray
        Their independent standard uncertainties, px.
    frames : (N,) ndarray of int
        In which frame each was seen; no frame twice.
    body : str
        Names the sources of the readings.
    patches : tuple of Patch
        What some of them have in common.
    keys : (N,) ndarray of int or None
        Tell the readings apart where several lie in one frame; the frames by default.
    steady : bool
        Whether they are places of the steady picture, wherever the camera looked.
    dof : float
        Degrees of freedom of their uncertainties, dimensionless; infinite where these are known.
    """

    x: Array
    y: Array
    u_x: Array
    u_y: Array
    frames: NDArray[np.int64]
    body: str = LAID
    patches: tuple[Patch, ...] = ()
    keys: NDArray[np.int64] | None = None
    steady: bool = False
    dof: float = math.inf


def laid(x: float, y: float, frame: int = 0) -> Seen:
    """Take one place that was laid in the steady picture, exactly where it is.

    Parameters
    ----------
    x, y : float
        px; x right, y down.
    frame : int
    """
    nothing = np.zeros(1)
    frames = np.array([frame], dtype=np.int64)
    return Seen(np.array([x]), np.array([y]), nothing, nothing, frames, steady=True)
