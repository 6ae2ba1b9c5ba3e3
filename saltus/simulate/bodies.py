"""Bodies painted area-exact: every pixel is the mean over its area and over the exposure."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Canvas = NDArray[np.float32]

SUBPIXELS = 4


@dataclass(frozen=True)
class Disc:
    """A round body.

    Attributes
    ----------
    name : str
    radius_px : float
    colour : (r, g, b)
        0 to 255.
    dot_px : float
        Radius of the white dot at its centre, px; 0 for none.
    ball : bool
        Shaded as a ball with a highlight, otherwise as a flat puck of felt.
    """

    name: str
    radius_px: float
    colour: tuple[float, float, float]
    dot_px: float = 0.0
    ball: bool = False


def _surface(disc: Disc, dx: Canvas, dy: Canvas) -> Canvas:
    """Colour of the body at offsets from its centre, px."""
    r = disc.radius_px
    away = np.hypot(dx, dy) / r
    base = np.array(disc.colour, np.float32)
    if disc.ball:
        lit = np.clip(1.18 - 0.75 * np.hypot(dx / r + 0.35, dy / r + 0.4), 0.18, 1.1)
        glint = np.clip(1 - np.hypot(dx / r + 0.34, dy / r + 0.38) * 4.5, 0, 1)
        colour = base * lit[..., None] + 190 * glint[..., None]
    else:
        nap = 6 * np.sin(dx * 2.1 + 1.7 * np.sin(dy * 1.3)) * np.sin(dy * 1.9)
        rim = np.where(away > 0.88, 0.72, 1.0)
        colour = (base + nap[..., None]) * rim[..., None]
    if disc.dot_px:
        inside = _within(np.hypot(dx, dy), disc.dot_px)[..., None]
        colour = colour + inside * (np.float32(238) - colour)
    return np.asarray(colour, dtype=np.float32)


def paint_disc(picture: Canvas, disc: Disc, places: NDArray[np.float64]) -> None:
    """Paint a disc into a picture, blurred over the places it takes during the exposure.

    Parameters
    ----------
    picture : Canvas
        (H, W, 3), changed in place.
    disc : Disc
    places : (K, 2) ndarray
        Centres at K even moments of the exposure, picture coordinates, px.
    """
    reach = disc.radius_px * 1.5 + 3
    left, top = np.floor(places.min(axis=0) - reach).astype(int)
    right, bottom = np.ceil(places.max(axis=0) + reach).astype(int) + 1
    left, top = max(left, 0), max(top, 0)
    right, bottom = min(right, picture.shape[1]), min(bottom, picture.shape[0])
    if left >= right or top >= bottom:
        return
    offsets = (np.arange(SUBPIXELS, dtype=np.float32) + 0.5) / SUBPIXELS - 0.5
    xs = (np.arange(left, right, dtype=np.float32)[:, None] + offsets).ravel()
    ys = (np.arange(top, bottom, dtype=np.float32)[:, None] + offsets).ravel()
    cover = np.zeros((bottom - top, right - left), np.float32)
    colour = np.zeros((bottom - top, right - left, 3), np.float32)
    shade = np.zeros_like(cover)
    for x, y in places:
        dx: Canvas = np.tile((xs - x).astype(np.float32)[None, :], (ys.size, 1))
        dy: Canvas = np.tile((ys - y).astype(np.float32)[:, None], (1, xs.size))
        inside = _within(np.hypot(dx, dy), disc.radius_px)
        cover = cover + _pixel_means(inside)
        colour = colour + _pixel_means(_surface(disc, dx, dy) * inside[..., None])
        coarse_x, coarse_y = np.meshgrid(
            np.arange(left, right, dtype=np.float32) - x - 0.22 * disc.radius_px,
            np.arange(top, bottom, dtype=np.float32) - y - 0.3 * disc.radius_px,
        )
        away = np.hypot(coarse_x, coarse_y) / disc.radius_px
        shade += 0.45 * np.clip(1.45 - away, 0, 1)
    count = len(places)
    patch = picture[top:bottom, left:right]
    patch *= (1 - shade / count)[..., None]
    patch *= (1 - cover / count)[..., None]
    patch += colour / count


def _within(away: Canvas, radius_px: float) -> Canvas:
    """How much of each subpixel lies within a radius, its edge taken as straight there."""
    soft: Canvas = np.clip((radius_px - away) * SUBPIXELS + 0.5, 0, 1).astype(np.float32)
    return soft


def _pixel_means(fine: Canvas) -> Canvas:
    size = (fine.shape[1] // SUBPIXELS, fine.shape[0] // SUBPIXELS)
    mean: Canvas = np.asarray(cv2.resize(fine, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    return mean


def paint_thread(picture: Canvas, pivot: tuple[float, float], end: NDArray[np.float64]) -> None:
    """Paint a thin thread from the pivot to a body's centre, picture coordinates, px."""
    steps = int(math.dist(pivot, tuple(end))) + 1
    along = np.linspace(0, 1, steps)[:, None]
    x, y = (np.asarray(pivot) + along * (end - np.asarray(pivot))).T
    column, row = np.floor(x).astype(int), np.floor(y).astype(int)
    for i, weight in ((column, 1 - (x - column)), (column + 1, x - column)):
        seen = (i >= 0) & (i < picture.shape[1]) & (row >= 0) & (row < picture.shape[0])
        at = (row[seen], i[seen])
        picture[at] += (150 - picture[at]) * (0.8 * weight[seen, None]).astype(np.float32)
