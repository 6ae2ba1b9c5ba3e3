"""Whether two pictures show the same fixed scene from the same place: whether the camera was moved."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.patch import smoothed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.core.following.patch import Box

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]

CELLS, LARGEST_CELL, SMALLEST_CELL = 14, 48, 16
"""A picture is looked at in cells, so many along its shorter side, between these sizes, px."""
MOST_CELLS = 60
REACH_PX = 16
MARKED = 4.0
"""Grey levels a cell must change by along its weaker direction to be told from its shifts."""
ALIKE = 0.6
FEWEST, LEAST_SHARE = 5, 0.4
"""With fewer marked cells nothing can be told; when fewer of them are seen again it is another scene."""
CLOSE_PX = 1.0
"""Cells that lie where the others say, to so much, agree with them."""
COARSE = 160
"""Longer side of the small pictures by which a large shift is found, px."""


@dataclass(frozen=True)
class SceneShift:
    """How the fixed scene of one picture lies against that of another.

    Attributes
    ----------
    same : bool or None
        Whether they show the same scene; None where nothing in it is marked enough to tell.
    moved_px : float
        The farthest any corner or the middle of the picture moved, px.
    seen, cells : int
        Marked cells that were seen again where the others say, and all that were looked for.
    """

    same: bool | None
    moved_px: float
    seen: int
    cells: int


def scene_shift(picture: Picture, other: Picture, moving: Sequence[Box] = ()) -> SceneShift:
    """Compare the fixed scenes of two pictures of one size.

    Parameters
    ----------
    picture, other : (H, W) ndarray of uint8
        Brightness.
    moving : sequence of Box
        Where bodies are or go: these parts are left out.

    Notes
    -----
    Marked cells (by the smaller eigenvalue of the structure tensor: Shi and Tomasi 1994,
    doi:10.1109/CVPR.1994.323794) are found again by correlation; a shift with turn and enlargement is laid
    through them, most of which must agree (RANSAC).
    """
    cells = _marked_cells(picture, moving)
    if len(cells) < FEWEST:
        return SceneShift(None, 0.0, 0, len(cells))
    best = SceneShift(False, 0.0, 0, len(cells))
    for guess in ((0.0, 0.0), _coarse_shift(picture, other)):
        places = np.array([_seen_again(picture, other, cell, guess) for cell in cells])
        found = _agreed(cells, places, picture.shape)
        if found.seen > best.seen:
            best = found
        if best.same:
            break
    return best


def _marked_cells(picture: Picture, moving: Sequence[Box]) -> list[tuple[int, int, int]]:
    """Left, top and size of the cells that are marked most, px."""
    height, width = picture.shape
    size = int(np.clip(min(height, width) // CELLS, SMALLEST_CELL, LARGEST_CELL))
    grey = smoothed(picture)
    marked = np.sqrt(np.maximum(cv2.cornerMinEigenVal(grey, 5, ksize=3), 0))
    found = []
    for top in range(REACH_PX // 2, height - size - REACH_PX // 2, size):
        for left in range(REACH_PX // 2, width - size - REACH_PX // 2, size):
            if any(_touches(left, top, size, box) for box in moving):
                continue
            strength = float(np.percentile(marked[top : top + size, left : left + size], 90))
            contrast = float(np.std(grey[top : top + size, left : left + size]))
            if contrast >= MARKED / 2 and strength > 0:
                found.append((strength, left, top))
    found.sort(reverse=True)
    return [(left, top, size) for _strength, left, top in found[:MOST_CELLS]]


def _touches(left: int, top: int, size: int, box: Box) -> bool:
    return (
        left < box.x + box.width and left + size > box.x and top < box.y + box.height and top + size > box.y
    )


def _seen_again(
    picture: Picture, other: Picture, cell: tuple[int, int, int], guess: tuple[float, float]
) -> tuple[float, float]:
    """Where a cell lies in the other picture, px; NaN where it is not seen."""
    left, top, size = cell
    height, width = other.shape
    x, y = round(left + guess[0]), round(top + guess[1])
    x0, y0 = max(x - REACH_PX, 0), max(y - REACH_PX, 0)
    x1, y1 = min(x + size + REACH_PX, width), min(y + size + REACH_PX, height)
    if x1 - x0 < size + 2 or y1 - y0 < size + 2:
        return np.nan, np.nan
    likeness = cv2.matchTemplate(
        smoothed(other[y0:y1, x0:x1]), smoothed(picture[top : top + size, left : left + size]),
        cv2.TM_CCOEFF_NORMED,
    )  # fmt: skip
    _low, high, _at, (bx, by) = cv2.minMaxLoc(np.nan_to_num(likeness, nan=-1.0, posinf=-1.0, neginf=-1.0))
    inside = 0 < bx < likeness.shape[1] - 1 and 0 < by < likeness.shape[0] - 1
    if high < ALIKE or not inside:
        return np.nan, np.nan
    return x0 + bx + _top(likeness[by, bx - 1 : bx + 2]), y0 + by + _top(likeness[by - 1 : by + 2, bx])


def _top(three: NDArray[np.float32]) -> float:
    before, middle, after = map(float, three)
    bend = before - 2 * middle + after
    return 0.5 * (before - after) / bend if bend < 0 else 0.0


def _agreed(cells: list[tuple[int, int, int]], places: Array, shape: tuple[int, ...]) -> SceneShift:
    there = np.isfinite(places[:, 0])
    half = np.array([size / 2 for _left, _top, size in cells])[:, None]
    middle = np.array([[left, top] for left, top, _size in cells], dtype=float) + half
    places = places + half
    if np.count_nonzero(there) < FEWEST:
        return SceneShift(False, 0.0, 0, len(cells))
    laid, agree = cv2.estimateAffinePartial2D(
        middle[there].reshape(-1, 1, 2), places[there].reshape(-1, 1, 2), ransacReprojThreshold=CLOSE_PX
    )
    if laid is None or not np.all(np.isfinite(laid)):
        return SceneShift(False, 0.0, 0, len(cells))
    seen = int(np.count_nonzero(agree))
    height, width = shape[:2]
    points = np.array(
        [[0, 0], [width, 0], [0, height], [width, height], [width / 2, height / 2]], dtype=float
    )
    moved = float(np.max(np.hypot(*(points @ laid[:, :2].T + laid[:, 2] - points).T)))
    return SceneShift(seen >= max(FEWEST, LEAST_SHARE * len(cells)), moved, seen, len(cells))


def _coarse_shift(picture: Picture, other: Picture) -> tuple[float, float]:
    """A large shift of the whole picture, px, by the phases of small pictures."""
    factor = max(picture.shape) / COARSE
    size = (round(picture.shape[1] / factor), round(picture.shape[0] / factor))
    small = [cv2.resize(p, size, interpolation=cv2.INTER_AREA).astype(np.float32) for p in (picture, other)]
    window = cv2.createHanningWindow(size, cv2.CV_32F)
    (x, y), _response = cv2.phaseCorrelate(small[0], small[1], window)
    return x * factor, y * factor
