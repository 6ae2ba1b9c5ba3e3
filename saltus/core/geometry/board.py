"""A printed board of squares, and a ball, found in a picture by themselves."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.outline import OutlineFollower
from saltus.core.following.patch import Box

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

SIZES = ((9, 6), (8, 6), (8, 5), (7, 5), (7, 7), (6, 4), (9, 7), (10, 7), (11, 8), (5, 4), (4, 3))
"""Columns and rows of inner corners that printed boards usually have; tried in both directions."""
EDGE_PX = 0.25
"""Where within its blur the edge of a ball lies: standard uncertainty of its radius by that, px."""


@dataclass(frozen=True)
class Board:
    """The inner corners of a board of squares.

    Attributes
    ----------
    seen : (P, 2) ndarray
        px, row by row.
    columns, rows : int
        How many there are.
    """

    seen: Array
    columns: int
    rows: int

    @property
    def lines(self) -> list[Array]:
        """Its rows and its columns, (M, 2) px each: lines that are straight on the board."""
        grid = self.seen.reshape(self.rows, self.columns, 2)
        return [*grid, *grid.transpose(1, 0, 2)]


def find_board(grey: Picture) -> Board | None:
    """Find a board of black and white squares, whole and flat, of a usual size.

    Parameters
    ----------
    grey : (H, W) ndarray of uint8

    Returns
    -------
    Board or None
        None where there is none; corners are found by OpenCV to a few hundredths of a px.
    """
    import cv2  # noqa: PLC0415  start-up time

    for size in sorted({*SIZES, *((b, a) for a, b in SIZES)}, key=lambda s: -s[0] * s[1]):
        found, corners = cv2.findChessboardCornersSB(grey, size, flags=cv2.CALIB_CB_NORMALIZE_IMAGE)
        if found:
            return Board(np.asarray(corners, dtype=float).reshape(-1, 2), *size)
    return None


@dataclass(frozen=True)
class Ball:
    """A round body by its outline: centre, radius and its standard uncertainty, px."""

    x: float
    y: float
    radius: float
    u_radius: float


def find_ball(grey: Picture, left: float, top: float, width: float, height: float) -> Ball | None:
    """Fit a circle to the outline of a round body in a box.

    Parameters
    ----------
    grey : (H, W) ndarray of uint8
    left, top, width, height : float
        The box round it, px.

    Returns
    -------
    Ball or None
        None where no round outline is in the box.
    """
    follower = OutlineFollower.start(grey, Box(left, top, width, height), 0.0)
    if follower is None:
        return None
    found = follower.seen_about(grey, left + width / 2, top + height / 2)
    if found is None:
        return None
    u = math.hypot(EDGE_PX, math.sqrt(float(np.trace(found.spread)) / 2))
    return Ball(found.x, found.y, found.radius, u)
