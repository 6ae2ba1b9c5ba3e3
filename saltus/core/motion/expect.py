"""Where a body is expected next, to save the person the search; never taken for a reading."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

NEAREST = 5


def expected_place(
    frames: NDArray[np.int64], x: NDArray[np.float64], y: NDArray[np.float64], frame: int
) -> tuple[float, float] | None:
    """Extrapolate the readings nearest to a frame by a parabola, a line, or the one reading there is.

    Parameters
    ----------
    frames : (N,) ndarray of int
    x, y : (N,) ndarray
        Readings, px.
    frame : int

    Returns
    -------
    (x, y) in px, or None without readings.
    """
    if not len(frames):
        return None
    near = np.argsort(np.abs(frames - frame), kind="stable")[:NEAREST]
    degree = min(2 if len(near) >= 4 else 1, len(near) - 1)
    tau = (frames[near] - frame).astype(float)
    scale = max(float(np.abs(tau).max()), 1.0)
    design = (tau / scale)[:, None] ** np.arange(degree + 1)
    solved = np.linalg.lstsq(design, np.column_stack([x[near], y[near]]), rcond=None)[0]
    return float(solved[0, 0]), float(solved[0, 1])
