"""Looking for a patch by normalised correlation: the best place and the next best."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.patch import SMOOTHING_PX, smoothed
from saltus.core.following.spline import RIM

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

LARGE_PX = 28
"""A patch of twice this is looked for in pictures of half the size; smaller, its pixels would matter."""
APART = 0.4
"""Another place is one at least so many sizes away."""


@dataclass(frozen=True)
class Spot:
    """A place a patch may be at: of its first pixel, px of the frame, and how alike it looks, −1 to 1."""

    x: float
    y: float
    likeness: float


def search(
    picture: NDArray[np.uint8], patch: Image, middle: tuple[float, float], reach: tuple[float, float]
) -> tuple[Spot | None, Spot | None]:
    """Look for a patch about a place.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
        The whole frame; only what is looked at is smoothed.
    patch : (h, w) ndarray of float32
    middle : (x, y)
        Where its first pixel is expected, px.
    reach : (x, y)
        How far to look to each side, px.

    Returns
    -------
    best, second : Spot or None
        Second is at least :data:`APART` sizes away; None where there is no room.

    Notes
    -----
    Correlation coefficient (OpenCV's), of which the maximum is only to a pixel or two: :mod:`alignment`
    refines it.
    """
    h, w = patch.shape
    halvings = max(0, math.floor(math.log2(min(h, w) / LARGE_PX)))
    step = 1 << halvings
    left, right = _range(middle[0], reach[0], w, picture.shape[1])
    top, bottom = _range(middle[1], reach[1], h, picture.shape[0])
    if right < left or bottom < top:
        return None, None
    part = padded(picture, left, top, right - left + w, bottom - top + h)
    region = _coarse(part, step) if step > 1 else smoothed(part)
    patch = _halved(patch, step) if step > 1 else patch
    if region.shape[0] < patch.shape[0] or region.shape[1] < patch.shape[1]:
        return None, None
    likeness = cv2.matchTemplate(region, patch, cv2.TM_CCOEFF_NORMED)
    if not math.isfinite(float(likeness.sum())):
        likeness = np.nan_to_num(likeness, nan=-1.0, posinf=-1.0, neginf=-1.0)
    _low, high, _at_low, (bx, by) = cv2.minMaxLoc(likeness)
    px, py = bx + _between(likeness[by, :], bx), by + _between(likeness[:, bx], by)
    best = Spot(left + px * step, top + py * step, float(high))
    away = max(2, round(APART * max(h, w) / step))
    rest = likeness.copy()
    rest[max(by - away, 0) : by + away + 1, max(bx - away, 0) : bx + away + 1] = -1.0
    # what slopes up to the best place from outside the hole is no place of its own
    _low, next_high, _at, (sx, sy) = cv2.minMaxLoc(_peaks(likeness, rest))
    second = Spot(left + sx * step, top + sy * step, float(next_high)) if next_high > -1 else None
    return best, second


def likeness_of_body(picture: NDArray[np.uint8], patch: Patch) -> NDArray[np.float32]:
    """How alike each place of a picture looks to the body in a patch, whatever lies round it, −1 to 1.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    patch : Patch
        (h, w); its pixels count as far as they belong to the body.

    Returns
    -------
    (H − h + 1, W − w + 1) ndarray of float32
        By the place of the patch's first pixel.
    """
    body = np.where(patch.trust > 0.5, patch.known, np.float32(0.0)).astype(np.float32)
    likeness = cv2.matchTemplate(smoothed(picture), patch.inner, cv2.TM_CCOEFF_NORMED, mask=body)
    # where a picture is blank the coefficient is nothing over nothing
    likeness = np.nan_to_num(likeness, nan=-1.0, posinf=-1.0, neginf=-1.0)
    return np.where(np.abs(likeness) <= 1.001, likeness, np.float32(-1.0)).astype(np.float32)


def peaks_of(likeness: NDArray[np.float32], apart: float, least: float, most: int) -> list[Spot]:
    """Places that look more alike than all around them, the most alike first.

    Parameters
    ----------
    likeness : (H, W) ndarray of float32
    apart : float
        How far places are from each other at least, px.
    least : float
        How alike a place must be, −1 to 1.
    most : int
        How many are given at most.
    """
    away = max(2, round(apart))
    around = cv2.dilate(likeness, np.ones((2 * away + 1, 2 * away + 1), np.uint8))
    ys, xs = np.nonzero((likeness >= around) & (likeness > least))
    order = np.argsort(-likeness[ys, xs], kind="stable")[:most]
    return [
        Spot(x + _between(likeness[y, :], x), y + _between(likeness[:, x], y), float(likeness[y, x]))
        for y, x in zip(ys[order].tolist(), xs[order].tolist(), strict=True)
    ]


def _between(line: NDArray[np.float32], at: int) -> float:
    """Where the top of a parabola through a peak and its neighbours lies, −0.5 to 0.5: good to begin from."""
    if not 0 < at < len(line) - 1:
        return 0.0
    before, top, after = (float(v) for v in line[at - 1 : at + 2])
    bend = before - 2 * top + after
    return 0.5 * (before - after) / bend if bend < 0 else 0.0


def _peaks(likeness: NDArray[np.float32], rest: NDArray[np.float32]) -> NDArray[np.float32]:
    around = cv2.dilate(likeness, np.ones((3, 3), np.uint8))
    return np.where((likeness >= around) & (rest > -1), rest, np.float32(-1.0)).astype(np.float32)


def _range(middle: float, reach: float, size: int, length: int) -> tuple[int, int]:
    """First and last place of a patch along one side, at most half of it outside."""
    first = max(math.floor(middle - reach), -math.floor(0.5 * size))
    return first, min(math.ceil(middle + reach), length - math.floor(0.5 * size))


def padded(picture: NDArray[np.uint8], left: int, top: int, width: int, height: int) -> NDArray[np.uint8]:
    """Cut a part out of a picture; beyond its edges the pixels at the edge go on.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    left, top, width, height : int
        px; may lie outside.
    """
    rows, columns = picture.shape
    if left >= 0 and top >= 0 and left + width <= columns and top + height <= rows:
        return picture[top : top + height, left : left + width]
    # where nothing of it is inside, the nearest row or column is
    first_y, first_x = (min(max(n, 0), most - 1) for n, most in ((top, rows), (left, columns)))
    last_y = min(max(top + height, first_y + 1), rows)
    last_x = min(max(left + width, first_x + 1), columns)
    above, beside = min(max(-top, 0), height - 1), min(max(-left, 0), width - 1)
    below, right = height - above - (last_y - first_y), width - beside - (last_x - first_x)
    part = picture[first_y:last_y, first_x:last_x]
    return np.asarray(cv2.copyMakeBorder(part, above, below, beside, right, cv2.BORDER_REPLICATE), np.uint8)


def region_about(
    picture: NDArray[np.uint8], shape: tuple[int, int], place: tuple[float, float]
) -> tuple[Image, tuple[int, int]]:
    """Cut out what a patch laid at a place is read from again, smoothed, with twice the rim round it.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    shape : (h, w)
        Of the patch without its rim, px.
    place : (x, y)
        Of its first pixel, px.

    Returns
    -------
    region : ndarray of float32
    corner : (x, y)
        Where the region begins in the picture, px.
    """
    left, top = (math.floor(c + 0.5) - 2 * RIM for c in place)
    # two pixels more, so that smoothing does not see an edge that is none
    part = padded(picture, left - 2, top - 2, shape[1] + 4 * RIM + 4, shape[0] + 4 * RIM + 4)
    return np.ascontiguousarray(smoothed(part)[2:-2, 2:-2]), (left, top)


def _coarse(part: NDArray[np.uint8], step: int) -> Image:
    """Smooth and halve: a place is only looked for in it, whole grey levels do."""
    return _halved(cv2.GaussianBlur(part, (5, 5), SMOOTHING_PX, borderType=cv2.BORDER_REPLICATE), step)


def _halved(image: Image | NDArray[np.uint8], step: int) -> Image:
    h, w = image.shape[0] // step, image.shape[1] // step
    part = np.ascontiguousarray(image[: h * step, : w * step])
    return np.asarray(cv2.resize(part, (w, h), interpolation=cv2.INTER_AREA), dtype=np.float32)
