"""The path of a body thrown without drag."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray


def flight_height(
    x: ArrayLike, speed: float, angle: float, g: float, launch_height: float = 0.0
) -> NDArray[np.float64]:
    """Height over where a body was thrown, at a distance along the ground.

    Parameters
    ----------
    x : (N,) array_like
        Distance from the launch, m.
    speed : float
        At the launch, m/s, above zero.
    angle : float
        Of the launch above the horizontal, rad, less than a right angle.
    g : float
        m/s².
    launch_height : float
        m.

    Returns
    -------
    (N,) ndarray
        m.

    Notes
    -----
    y = y₀ + x·tan θ − g·x²/(2·v²·cos² θ), the parabola of uniform gravity without air.
    """
    across = np.asarray(x, dtype=np.float64)
    fallen = g * across**2 / (2 * (speed * np.cos(angle)) ** 2)
    return np.asarray(launch_height + across * np.tan(angle) - fallen, dtype=np.float64)
