"""A strobe picture: frames laid over each other, so that a body is seen at all its places at once."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Picture = NDArray[np.uint8]
    Mask = NDArray[np.bool_]

MOST_FOR_GROUND = 15
"""The ground is the middle value of at most so many frames."""
NOISE = 12.0
"""What differs less from the ground, in grey levels summed over the colours, is noise of the camera."""


def ground_of(frames: Sequence[Picture], covered: Sequence[Mask] = ()) -> Picture:
    """What stays: the median of frames spread over a film.

    Parameters
    ----------
    frames : sequence of (H, W, 3) ndarray of uint8
        At least one, at most :data:`MOST_FOR_GROUND` are needed.
    covered : sequence of (H, W) ndarray of bool, optional
        Where a body is known to stand before it in each frame: that does not count, where another frame shows
        what is behind.
    """
    seen = np.stack(list(frames))
    ground = np.asarray(np.median(seen, axis=0), dtype=np.uint8)
    if not len(covered):
        return ground
    hidden = np.stack(list(covered))
    some = hidden.any(axis=0) & ~hidden.all(axis=0)
    behind = np.where(hidden[:, some, None], np.nan, seen[:, some].astype(np.float32))
    ground[some] = np.nanmedian(behind, axis=0).astype(np.uint8)
    return ground


class Strobe:
    """Frames laid over a ground: of each pixel what differs from it most.

    Parameters
    ----------
    ground : (H, W, 3) ndarray of uint8

    Attributes
    ----------
    picture : (H, W, 3) ndarray of uint8
    """

    def __init__(self, ground: Picture) -> None:
        self._ground = ground
        self._farthest = np.full(ground.shape[:2], NOISE, dtype=np.float32)
        self.picture = ground.copy()

    def add(self, frame: Picture) -> None:
        """Lay one more frame over the others."""
        apart = cv2.absdiff(frame, self._ground).sum(axis=2, dtype=np.float32)
        # a moving body is more than a pixel: single ones are noise
        apart = cv2.blur(apart, (3, 3))
        nearer = apart > self._farthest
        self.picture[nearer] = frame[nearer]
        self._farthest[nearer] = apart[nearer]
