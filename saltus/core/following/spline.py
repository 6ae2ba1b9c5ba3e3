"""Cubic splines through the pixels of a patch, shifted by parts of a pixel, with their slopes.

A picture cut out and shifted by a cubic spline stays where it was shifted to: the parabola through a
correlation peak and cubic convolution both lean towards whole pixels (Unser 1999, doi:10.1109/79.799930).
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Image = NDArray[np.float32]

RIM = 4
"""Pixels kept round what is evaluated: a shift of less than one and the spline's own reach stay inside."""


def coefficients(values: Image) -> Image:
    """Give the coefficients of the cubic B-spline that goes through all pixels.

    Parameters
    ----------
    values : (H, W) ndarray of float32
        Grey levels.

    Returns
    -------
    (H, W) ndarray of float32
        Grey levels; mirrored at the edges.
    """
    down, along = (_through_all(n) for n in values.shape)
    return np.ascontiguousarray(down @ np.asarray(values, dtype=np.float32) @ along.T)


@lru_cache(maxsize=64)
def _through_all(count: int) -> Image:
    """What makes coefficients of a line of pixels, (N, N): for the small patches here quicker than recursion.

    Each pixel is (c₋₁ + 4c₀ + c₁)/6 of its neighbours' coefficients, mirrored at both ends.
    """
    pixels = np.zeros((count, count))
    for offset, share in ((-1, 1), (0, 4), (1, 1)):
        at = np.abs(np.arange(count) + offset)
        at = np.where(at >= count, 2 * (count - 1) - at, at) if count > 1 else np.zeros(count, dtype=int)
        np.add.at(pixels, (np.arange(count), at), share / 6)
    return np.linalg.inv(pixels).astype(np.float32)


def shifted(spline: Image, fx: float, fy: float) -> tuple[Image, Image, Image]:
    """Evaluate a spline at whole pixels after it was moved by part of a pixel.

    Parameters
    ----------
    spline : (H, W) ndarray of float32
        Coefficients, with a rim of :data:`RIM` px.
    fx, fy : float
        How far it was moved right and down, px, each between −1 and 1.

    Returns
    -------
    values, slopes along x, slopes along y : (H − 2·RIM, W − 2·RIM) ndarray of float32
        Grey levels, and grey levels per px in the coordinates of the spline.
    """
    (kx, dx, ax), (ky, dy, ay) = _taps(-fx), _taps(-fy)
    return (
        _filtered(spline, ky, kx, (ax, ay)),
        _filtered(spline, ky, dx, (ax, ay)),
        _filtered(spline, dy, kx, (ax, ay)),
    )


def values_shifted(spline: Image, fx: float, fy: float) -> Image:
    """Give the values of :func:`shifted` alone.

    Parameters
    ----------
    spline, fx, fy
        See :func:`shifted`.

    Returns
    -------
    (H − 2·RIM, W − 2·RIM) ndarray of float32
        Grey levels.
    """
    (kx, _dx, ax), (ky, _dy, ay) = _taps(-fx), _taps(-fy)
    return _filtered(spline, ky, kx, (ax, ay))


def _filtered(spline: Image, down: Image, along: Image, anchor: tuple[int, int]) -> Image:
    # so small a kernel is quicker as a whole than taken apart
    out = cv2.filter2D(spline, cv2.CV_32F, down[:, None] * along, anchor=anchor)
    return np.ascontiguousarray(out[RIM:-RIM, RIM:-RIM])


def _taps(g: float) -> tuple[Image, Image, int]:
    """Weights of four neighbours at a place g from a pixel, those of slopes, and which the pixel is."""
    base = math.floor(g)
    t = g - base
    rest, square = 1 - t, t * t
    value = (
        rest**3 / 6,
        (3 * t - 6) * square / 6 + 2 / 3,
        (-3 * t + 3) * square / 6 + t / 2 + 1 / 6,
        t**3 / 6,
    )
    slope = (-rest * rest / 2, 1.5 * square - 2 * t, -1.5 * square + t + 0.5, square / 2)
    return np.array(value, dtype=np.float32), np.array(slope, dtype=np.float32), 1 - base
