"""How a camera moved, from where spots of its background were found."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.camera_fit import CameraFit, usual_turning
from saltus.core.geometry.camera_motion import CameraMotion
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FEWEST_SPOTS = 12
INSIDE_PX = 1.5
"""A spot farther from the motion of most others does not belong to the background."""
LEAST_PX = 0.02
"""Standard uncertainty of spots, and of a shift by all of them, px: what interpolation leaves in all."""
WHAT = ("x", "y", "turn", "zoom")


@dataclass(frozen=True)
class BackgroundMoves:
    """What the background says of a camera.

    Attributes
    ----------
    frames : (F,) ndarray of int
        In which it was recognised, in order.
    moves : (4, F) ndarray
        As of a camera motion.
    u : (4, F) ndarray
        Their standard uncertainties.
    turning, u_turning : float
        1/px²
    told : bool
        Whether the background told it.
    steady : int
    """

    frames: NDArray[np.int64]
    moves: Array
    u: Array
    turning: float
    u_turning: float
    told: bool
    steady: int

    def motion(self, take: str, size: tuple[int, int]) -> CameraMotion:
        """The motion of the camera; half of each variance is the steady frame's and common to all.

        Parameters
        ----------
        take : str
            Names its sources.
        size : (int, int)
            Width and height of the picture, px.
        """
        each, common = [], []
        first = self.frames == self.steady
        for n, what in enumerate(WHAT):
            by_frame = np.zeros_like(self.u)
            by_frame[n] = np.where(first, 0.0, self.u[n] / math.sqrt(2))
            each.append((sources.camera_move(take, what), by_frame))
            common.append((sources.camera_start(take, what), by_frame))
        centre = ((size[0] - 1) / 2, (size[1] - 1) / 2)
        return CameraMotion(
            take, self.steady, self.frames, self.moves, centre, self.turning, self.u_turning,
            tuple(each), tuple(common), None, self.told,
        )  # fmt: skip


def moves_of_background(
    frames: NDArray[np.int64], spots: Array, size: tuple[int, int], steady: int
) -> BackgroundMoves:
    """Work out how a camera moved from where spots of the background were found.

    Parameters
    ----------
    frames : (F,) ndarray of int
        In order, the steady one among them.
    spots : (P, 2, F) ndarray
        Straightened, px; not a number where not found.
    size : (int, int)
        Width and height of the picture, px.
    steady : int

    Raises
    ------
    GeometryError
        If the background is recognised in no other frame.
    """
    usual, u_usual = usual_turning(*size)
    spread = INSIDE_PX / 3
    for _round in range(3):
        frames, spots, first = _recognised(frames, spots, steady)
        seen = np.isfinite(spots[:, 0])
        u = np.broadcast_to(np.where(seen, spread, np.inf)[:, None], spots.shape)
        fit = CameraFit(np.where(seen[:, None], spots, spots[:, :, first : first + 1]), u, first, size, True)
        moves, turning, u_turning = fit.solved(usual, u_usual)
        r = fit.residual(moves, turning)[0]
        off = np.hypot(r[0::2], r[1::2])
        others = seen.copy()
        others[:, first] = False
        # half of the square of a residual belongs to each of the two pictures and coordinates
        spread = max(float(np.sqrt(np.mean(off[others] ** 2) / 4)), LEAST_PX)
        outside = others & (off > max(INSIDE_PX, 5 * spread))
        if not outside.any():
            break
        spots = np.where(outside[:, None], np.nan, spots)
    gain = fit.gain(moves, turning)[0]
    squares = np.sum(gain**2 * np.repeat(seen, 2, axis=0)[None], axis=1)
    u_moves = np.sqrt(2 * squares) * spread
    u_moves[:2] = np.hypot(u_moves[:2], LEAST_PX)
    return BackgroundMoves(frames, moves, u_moves, turning, u_turning, u_turning < 0.99 * u_usual, steady)


def _recognised(frames: NDArray[np.int64], spots: Array, steady: int) -> tuple[NDArray[np.int64], Array, int]:
    """Frames in which enough of the background was found, its spots there, and the place of the steady one.

    Raises
    ------
    GeometryError
        If it is recognised in no other frame than that.
    """
    # what is not in the steady picture has nothing to be held against
    spots = spots[np.isfinite(spots[:, 0, np.searchsorted(frames, steady)])]
    kept = np.count_nonzero(np.isfinite(spots[:, 0]), axis=0) >= FEWEST_SPOTS
    if np.count_nonzero(kept) < 2 or not kept[np.searchsorted(frames, steady)]:
        raise GeometryError(say("camera.background-lost"))
    frames = frames[kept]
    return frames, spots[:, :, kept], int(np.searchsorted(frames, steady))
