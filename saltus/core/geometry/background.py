"""Spots of the background of a film, looked for in its frames."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.geometry.background_moves import FEWEST_SPOTS, INSIDE_PX
from saltus.core.geometry.components import projected
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Grey = NDArray[np.uint8]
    Spots = NDArray[np.float32]

MOST_SPOTS = 100
APART_PX, WINDOW, LEVELS = 18, 21, 4
QUALITY = 0.01


@dataclass(frozen=True)
class Box:
    """A part of the picture that does not belong to the background, px."""

    left: float
    top: float
    width: float
    height: float


class Background:
    """Spots of the background of a frame, looked for in others.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
        Of the steady frame.
    without : sequence of Box
        Where bodies are.

    Raises
    ------
    GeometryError
        If too little in it can be held on to.
    """

    def __init__(self, picture: Grey, without: Sequence[Box] = ()) -> None:
        """See the class."""
        allowed = np.full(picture.shape, 255, dtype=np.uint8)
        for box in without:
            left, top = max(int(box.left), 0), max(int(box.top), 0)
            allowed[top : int(box.top + box.height) + 1, left : int(box.left + box.width) + 1] = 0
        found = cv2.goodFeaturesToTrack(picture, MOST_SPOTS, QUALITY, APART_PX, mask=allowed)
        if found is None or len(found) < FEWEST_SPOTS:
            raise GeometryError(say("camera.bare-background"))
        self._picture = picture
        self.spots = np.asarray(found.reshape(-1, 2), dtype=np.float32)
        self._near = self.spots.copy()

    def found(self, picture: Grey) -> Array:
        """Where the spots lie in another frame, (P, 2) px; not a number where they are not found.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        """
        out = np.full(self.spots.shape, np.nan)
        places, good = self._looked_for(picture, self._near)
        if np.count_nonzero(good) < FEWEST_SPOTS:
            return out
        # a camera that turns makes every other picture of a far scene, or a flat one, by a homography
        matrix, with_most = cv2.findHomography(self.spots[good], places[good], cv2.RANSAC, INSIDE_PX * 2)
        if matrix is None or not np.isfinite(matrix).all():
            return out
        # the next frame is looked for where this one has it
        self._near = _through(matrix, self.spots)
        # once more on the picture brought back: a window that is turned or grown is found beside its place
        size = picture.shape[::-1]
        back = cv2.warpPerspective(picture, matrix, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
        again, sure = self._looked_for(np.asarray(back, dtype=np.uint8), self.spots)
        chosen = np.flatnonzero(good)[with_most.reshape(-1) == 1]
        chosen = chosen[sure[chosen]]
        out[chosen] = _through(matrix, again)[chosen]
        return out

    def _looked_for(self, picture: Grey, near: Spots) -> tuple[Spots, NDArray[np.bool_]]:
        """Where spots are found about places, (P, 2) px, and whether they are, and well inside."""
        there, seen, _error = cv2.calcOpticalFlowPyrLK(
            self._picture, picture, self.spots[:, None], near[:, None].copy(),
            winSize=(WINDOW, WINDOW), maxLevel=LEVELS, flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
            criteria=(cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 0.003),
        )  # fmt: skip
        places = np.asarray(there.reshape(-1, 2), dtype=np.float32)
        margin, (high, wide) = WINDOW / 2, picture.shape
        inside = np.all((places > margin) & (places < [wide - margin, high - margin]), axis=1)
        return places, (seen.reshape(-1) == 1) & inside


def _through(matrix: Array, places: Spots) -> Spots:
    moved, _depth = projected(np.asarray(matrix, dtype=float), places.T.astype(float))
    return np.asarray(moved.T, dtype=np.float32)
