"""How far places may have drifted with patches that were made anew: a notebook knows it without following."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Array = NDArray[np.float64]


def drifted(frames: NDArray[np.int64], start: int, renewals: Sequence[tuple[int, Sequence[float]]]) -> Array:
    """How far places may have drifted with their patch, in frames of a run.

    Parameters
    ----------
    frames : (N,) ndarray of int
    start : int
        Frame in which the box was drawn.
    renewals : sequence of (int, (x, y))
        First frame of each new patch, in the order of the run, and how far that may lie off the one before,
        standard uncertainty, px.

    Returns
    -------
    (2, N) ndarray
        Standard uncertainty along x and y that all have in common, px.

    Notes
    -----
    A body that turns goes on turning: what the patches are off by adds up, and it does not come at once.
    """
    if not renewals:
        return np.zeros((2, len(frames)))
    gone = np.abs(np.asarray(frames) - start)
    made = [0, *(abs(frame - start) for frame, _u in renewals)]
    off = np.cumsum([[0.0, 0.0], *(u for _frame, u in renewals)], axis=0)
    return np.stack([np.interp(gone, made, off[:, k]) for k in (0, 1)])
