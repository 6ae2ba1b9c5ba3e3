"""What lies behind the bodies: the mean of the picture wherever none of them was."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from saltus.core.following.patch import smoothed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Image = NDArray[np.float32]
    Picture = NDArray[np.uint8]

ENOUGH, FEWEST = 24, 3
"""A pixel is a mean of so many pictures at the most, and is known from so many on."""
WHOLE_FIRST, THEN_EVERY = 6, 4
"""The whole picture is taken in at first, then now and then; near the bodies always."""
NEAR_OF_SIZE = 1.5
RIM_PX = 3.0
"""Round its box a body may still be seen: its shadow, its smear."""


class Ground:
    """Gathers it, picture by picture, with a camera that stands still.

    Parameters
    ----------
    shape : (H, W)
        Of the pictures.
    """

    def __init__(self, shape: tuple[int, ...]) -> None:
        self._sum = np.zeros(shape[:2], dtype=np.float32)
        self._count = np.zeros(shape[:2], dtype=np.uint8)
        self._pictures = 0

    def add(self, picture: Picture, bodies: Sequence[tuple[float, float, float, float]]) -> None:
        """Take in a picture wherever no body is.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        bodies : sequence of (left, top, width, height)
            Where they are, px.
        """
        self._pictures += 1
        high, wide = self._count.shape[0], self._count.shape[1]
        hidden = []
        for left, top, width, height in bodies:
            rim = RIM_PX + 0.1 * max(width, height)
            hidden.append(
                (_span(top - rim, height + 2 * rim, high), _span(left - rim, width + 2 * rim, wide))
            )
        if self._pictures <= WHOLE_FIRST or (
            self._pictures % THEN_EVERY == 0 and self._pictures <= ENOUGH * THEN_EVERY
        ):
            self._take(picture, hidden, (slice(0, high), slice(0, wide)))
            return
        for left, top, width, height in bodies:
            reach = NEAR_OF_SIZE * max(width, height)
            rows = _span(top - reach, height + 2 * reach, high)
            self._take(picture, hidden, (rows, _span(left - reach, width + 2 * reach, wide)))

    def _take(
        self, picture: Picture, hidden: Sequence[tuple[slice, slice]], part: tuple[slice, slice]
    ) -> None:
        count, (rows, columns) = self._count[part], part
        wanted = (count < ENOUGH).view(np.uint8)
        for down, across in hidden:
            wanted[
                max(down.start - rows.start, 0) : max(down.stop - rows.start, 0),
                max(across.start - columns.start, 0) : max(across.stop - columns.start, 0),
            ] = 0
        # OpenCV writes into a part of an array as it lies
        cv2.accumulate(picture[part], self._sum[part], wanted)
        count += wanted

    def behind(self, left: int, top: int, width: int, height: int) -> tuple[Image, NDArray[np.bool_]]:
        """What lies in a part of the picture, smoothed as pictures are, and where that is known.

        Parameters
        ----------
        left, top, width, height : int
            px; beyond the edges nothing is known.

        Returns
        -------
        grey : (height, width) ndarray of float32
        known : (height, width) ndarray of bool
        """
        rows, columns = self._sum.shape
        first, last = (left - 2, top - 2), (left + width + 2, top + height + 2)
        if min(first) >= 0 and last[0] <= columns and last[1] <= rows:
            at: tuple[Any, ...] = slice(first[1], last[1]), slice(first[0], last[0])
            count = self._count[at]
            known = count >= FEWEST
        else:
            ys, xs = np.arange(first[1], last[1]), np.arange(first[0], last[0])
            at = np.ix_(np.clip(ys, 0, rows - 1), np.clip(xs, 0, columns - 1))
            count = self._count[at]
            known = count >= FEWEST
            known &= ((ys >= 0) & (ys < rows))[:, None] & ((xs >= 0) & (xs < columns))[None, :]
        mean = self._sum[at] / np.maximum(count, np.uint8(1)).astype(np.float32)
        if known.all():
            return np.ascontiguousarray(smoothed(mean)[2:-2, 2:-2]), known[2:-2, 2:-2]
        grey = smoothed(np.where(count > 0, mean, np.float32(mean[known].mean() if known.any() else 0.0)))
        # a pixel that is not known reaches its neighbours by the smoothing
        sure = cv2.erode(known.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        return np.ascontiguousarray(grey[2:-2, 2:-2]), np.asarray(sure[2:-2, 2:-2], dtype=np.bool_)


def _span(start: float, length: float, most: int) -> slice:
    return slice(min(max(math.floor(start), 0), most), min(max(math.ceil(start + length), 0), most))
