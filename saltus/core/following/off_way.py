"""Single places that lie off the way the body went before and after: something else was taken for it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

OFF_PX, OFF_TIMES = 3.0, 6.0
"""Off by so much, and by so many times what the places next to it leave of a parabola, and others are off."""
ABOUT = 8
"""Others: so many before and as many after. Where a body swings quickly a parabola is not true to any."""
LONGEST = 6
"""The two places before and the two after lie within so many usual spacings."""


def off_their_way(t: Array, places: Array) -> NDArray[np.bool_]:
    """Tell which places fit neither to those before nor to those after, while these fit to each other.

    At a bounce or a blow the place lies on the way before it or on the one after; where a launch bends the
    way on both sides, the neighbours do not fit to each other either: there nothing is told.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    places : (N, 2) ndarray
        px

    Returns
    -------
    (N,) ndarray of bool
    """
    off = np.zeros(len(t), dtype=bool)
    if len(t) < 5 or not np.all(np.diff(t) > 0):
        return off
    near = np.arange(2, len(t) - 2)[:, None] + np.array([-2, -1, 1, 2])
    here = near[:, 0] + 2
    span = t[near[:, 3]] - t[near[:, 0]]
    tau = (t[near] - t[here][:, None]) / span[:, None]
    basis = np.stack([np.ones_like(tau), tau, tau**2], axis=2)
    parabola = np.linalg.pinv(basis) @ places[near]
    left = places[near] - basis @ parabola
    spread = np.sqrt(np.sum(left**2, axis=(1, 2)))
    # a bounce lies on the way before it, or on that after it
    ways = (parabola[:, 0], *(_straight_on(tau[:, side], places[near[:, side]]) for side in ([0, 1], [3, 2])))
    away = np.min([np.hypot(*(places[here] - way).T) for way in ways], axis=0)
    close = span < LONGEST * np.median(np.diff(t))
    padded = np.pad(away, ABOUT, mode="reflect" if len(away) > ABOUT else "edge")
    usual = np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * ABOUT + 1), axis=1)
    off[here] = close & (away > np.maximum(OFF_PX, OFF_TIMES * np.maximum(spread, usual)))
    return off


def _straight_on(tau: Array, places: Array) -> Array:
    """Where two places (N, 2, 2) at times (N, 2) lead to at time 0, (N, 2)."""
    share = tau[:, 1] / (tau[:, 0] - tau[:, 1])
    return np.asarray(places[:, 1] - share[:, None] * (places[:, 0] - places[:, 1]))
