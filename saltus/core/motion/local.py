"""Velocity and acceleration near each reading, from a parabola through its neighbours."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

DEGREE = 2
DEFAULT_WINDOW = 5


@dataclass(frozen=True)
class LocalMotion:
    """Velocity and acceleration at N readings, with the part of u that comes from reading.

    Attributes
    ----------
    v, u_v, a, u_a : (N,) ndarray
        In unit/s and unit/s² of the positions; NaN where fewer than three readings are at hand.
    one_sided : (N,) ndarray of bool
        True where the window reaches only to one side: near the ends.
    """

    v: Array
    u_v: Array
    a: Array
    u_a: Array
    one_sided: NDArray[np.bool_]


def windows(count: int, window: int) -> NDArray[np.int_]:
    """Index the neighbours of each reading: as many before as behind, at the ends those that are there.

    Parameters
    ----------
    count, window : int
        Readings, and how many belong to a window.

    Returns
    -------
    (count, w) ndarray of int
        With w = min(window, count).
    """
    width = min(window, count)
    first = np.clip(np.arange(count) - width // 2, 0, count - width)
    return np.asarray(first[:, None] + np.arange(width))


def local_motion(t: Array, position: Array, u: Array, window: int = DEFAULT_WINDOW) -> LocalMotion:
    """Differentiate positions at the real frame times.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : (N,) ndarray
        In m, rad or px.
    u : (N,) ndarray
        Independent standard uncertainty of each position.
    window : int
        How many neighbouring readings (itself included) the parabola is fitted to; at least 3.

    Returns
    -------
    LocalMotion

    Notes
    -----
    Unweighted local least squares of degree two (Savitzky and Golay 1964, here for uneven times). The
    outcome is linear in the positions, so its covariance is exact: u² = Σ w² u². Values at neighbouring
    readings share readings and are correlated. The window is centred where it can be.
    """
    count = len(t)
    if count < DEGREE + 1:
        empty = np.full(count, np.nan)
        return LocalMotion(empty, empty, empty, empty, np.ones(count, dtype=bool))
    index = windows(count, max(window, DEGREE + 1)).T  # sums over few long rows are quick
    tau = t[index] - t
    span = np.maximum(tau[-1] - tau[0], np.finfo(float).tiny)
    slope, bend = _slope_and_bend(tau / span)
    w_v, w_a = slope / span, bend / span**2
    near, u_near = position[index], u[index]
    centre = np.maximum(np.arange(count) - index[0], index[-1] - np.arange(count))
    return LocalMotion(
        v=np.sum(w_v * near, axis=0),
        u_v=np.sqrt(np.sum((w_v * u_near) ** 2, axis=0)),
        a=np.sum(w_a * near, axis=0),
        u_a=np.sqrt(np.sum((w_a * u_near) ** 2, axis=0)),
        one_sided=centre > len(index) // 2,
    )


def _slope_and_bend(t: Array) -> tuple[Array, Array]:
    """Weights (w, N) for slope and second derivative at 0 of the parabola through values at times (w, N).

    From polynomials of degree one and two that are orthogonal over the times of each window (Forsythe 1957,
    doi:10.1137/0105007): as sure as a decomposition of each window, and all windows at once.
    """
    middle = t.mean(axis=0)
    first = t - middle
    square = np.sum(first**2, axis=0)
    second = first**2
    second -= second.mean(axis=0)
    lean = np.sum(second * first, axis=0) / square
    second -= lean * first
    curved = second / np.sum(second**2, axis=0)
    # the slope at 0 of (t − middle)² − lean·(t − middle)
    tilt = -2 * middle - lean
    return first / square + tilt * curved, 2 * curved
