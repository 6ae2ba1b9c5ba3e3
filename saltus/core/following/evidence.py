"""What shows a person how sure a place is: what lies about it, and how alike the patch looks near it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.patch import smoothed

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

AROUND = 1.3
"""What is shown of a body is so many times as large as its box."""
REACH_PX, REACH_OF_SIZE = 10, 0.6
APART_OF_SIZE = 0.4


def cut_about(picture: Picture, x: float, y: float, side: float) -> Picture:
    """Cut a square out of a picture about a place between its pixels.

    Parameters
    ----------
    picture : (H, W) or (H, W, 3) ndarray of uint8
    x, y : float
        Its middle, px; beyond the edge the pixels there go on.
    side : float
        px

    Returns
    -------
    (n, n) or (n, n, 3) ndarray of uint8
        n is ``side`` rounded up, odd: what is followed well stands still in cut after cut.
    """
    n = max(3, math.ceil(side)) | 1
    near = np.ascontiguousarray(picture)
    return np.asarray(cv2.getRectSubPix(near, (n, n), (float(x), float(y))), dtype=np.uint8)


@dataclass(frozen=True)
class Surface:
    """How alike what is looked for looks at and near a place.

    Attributes
    ----------
    reach : int
        How far to each side, px.
    likeness : (2 reach + 1, 2 reach + 1) ndarray
        −1 to 1, rows downwards.
    second : tuple of (x, y, likeness) or None
        The next best place that is not on the slope of the best: shift in px.
    """

    reach: int
    likeness: Array
    second: tuple[float, float, float] | None


def likeness_about(picture: Picture, looked_for: Picture, x: float, y: float) -> Surface:
    """Compare what is looked for with what lies at and near a place.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    looked_for : (n, n) ndarray of uint8
        n odd; see :func:`cut_about`.
    x, y : float
        px

    Notes
    -----
    Correlation coefficient at whole shifts, both smoothed as in following.
    """
    n = looked_for.shape[0]
    reach = max(REACH_PX, math.ceil(REACH_OF_SIZE * n))
    side = n + 2 * reach
    part = cut_about(picture, x, y, side)
    rows = cv2.matchTemplate(smoothed(part), smoothed(looked_for), cv2.TM_CCOEFF_NORMED)
    likeness = np.nan_to_num(np.asarray(rows, dtype=float), nan=-1.0, posinf=-1.0, neginf=-1.0)
    reach = likeness.shape[0] // 2
    away = max(2, round(APART_OF_SIZE * n))
    ys, xs = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    far = np.maximum(abs(xs), abs(ys)) > away
    around = cv2.dilate(likeness, np.ones((3, 3), np.uint8))
    peaks = np.where(far & (likeness >= around), likeness, -1.0)
    k = int(np.argmax(peaks))
    second = (float(xs.flat[k]), float(ys.flat[k]), float(peaks.flat[k])) if peaks.flat[k] > 0 else None
    return Surface(reach, likeness, second)
