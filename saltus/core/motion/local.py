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
BLOCK = 4096
FEW = 4
"""Where less than the fourth part has to be worked out again, only that is."""


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


def window_about(count: int, window: int, at: int) -> range:
    """Index the neighbours of one reading, see :func:`windows`."""
    width = min(window, count)
    first = min(max(at - width // 2, 0), count - width)
    return range(first, first + width)


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
    index = windows(count, max(window, DEGREE + 1)).T
    width = len(index)
    all_round = slice(width // 2, count - width + width // 2 + 1)
    parts = [_near_ends(t, position, u, index, slice(0, all_round.start))]
    t_near, x_near, u_near = (np.lib.stride_tricks.sliding_window_view(v, width).T for v in (t, position, u))
    here = t[all_round]
    # a block at a time, which stays where the processor has it at hand
    for n in range(0, len(here), BLOCK):
        block = slice(n, n + BLOCK)
        parts.append(_differentiated(t_near[:, block], x_near[:, block], u_near[:, block], here[block]))
    parts.append(_near_ends(t, position, u, index, slice(all_round.stop, count)))
    centre = np.maximum(np.arange(count) - index[0], index[-1] - np.arange(count))
    v, u_v, a, u_a = np.concatenate(parts, axis=1)
    return LocalMotion(v, u_v, a, u_a, one_sided=centre > width // 2)


def local_motion_after(
    before: tuple[Array, Array, Array, LocalMotion],
    t: Array,
    position: Array,
    u: Array,
    window: int = DEFAULT_WINDOW,
) -> LocalMotion:
    """Give the same as :func:`local_motion` of positions of which few were changed.

    Parameters
    ----------
    before : (t, position, u, motion)
        What :func:`local_motion` gave of the positions before, with the same window.
    t, position, u, window
        As they are now.
    """
    t_0, position_0, u_0, motion = before
    count, width = len(t), min(max(window, DEGREE + 1), len(t))
    if count != len(t_0) or count <= DEGREE:
        return local_motion(t, position, u, window)
    alike = (t == t_0) & (position == position_0) & (u == u_0)
    changed = np.flatnonzero(~alike)
    if len(changed) * (2 * width + 1) > count // FEW:
        return local_motion(t, position, u, window)
    # at the ends windows reach farther to one side
    around = np.unique(np.clip(changed[:, None] + np.arange(-width, width + 1), 0, count - 1))
    first = np.clip(around - width // 2, 0, count - width)
    index = first + np.arange(width)[:, None]
    found = _differentiated(t[index], position[index], u[index], t[around])
    v, u_v, a, u_a = parts = np.stack([motion.v, motion.u_v, motion.a, motion.u_a])
    parts[:, around] = found
    return LocalMotion(v, u_v, a, u_a, motion.one_sided)


def _near_ends(t: Array, position: Array, u: Array, index: NDArray[np.int_], there: slice) -> Array:
    """Those whose windows do not move on with them, see :func:`_differentiated`."""
    some = index[:, there]
    return _differentiated(t[some], position[some], u[some], t[there])


def _differentiated(t: Array, position: Array, u: Array, here: Array) -> Array:
    """Velocity, its u, acceleration, its u (4, M) at times (M,), from windows of readings (w, M)."""
    tau = t - here
    span = np.maximum(tau[-1] - tau[0], np.finfo(float).tiny)
    slope, bend = _slope_and_bend(tau / span)
    w_v, w_a = slope / span, bend / span**2
    return np.stack([
        np.sum(w_v * position, axis=0),
        np.sqrt(np.sum((w_v * u) ** 2, axis=0)),
        np.sum(w_a * position, axis=0),
        np.sqrt(np.sum((w_a * u) ** 2, axis=0)),
    ])  # fmt: skip


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
