"""Cubic splines through the pixels of a patch, shifted by parts of a pixel, with their slopes.

A picture cut out and shifted by a cubic spline stays where it was shifted to: the parabola through a
correlation peak and cubic convolution both lean towards whole pixels (Unser 1999, doi:10.1109/79.799930).
"""

from __future__ import annotations

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
    from scipy.ndimage import spline_filter  # noqa: PLC0415  start-up time

    return np.ascontiguousarray(spline_filter(values, order=3, output=np.float32, mode="mirror"))


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
    anchor = (ax, ay)
    inner = (slice(RIM, -RIM), slice(RIM, -RIM))
    values = cv2.sepFilter2D(spline, cv2.CV_32F, kx, ky, anchor=anchor)
    along = cv2.sepFilter2D(spline, cv2.CV_32F, dx, ky, anchor=anchor)
    down = cv2.sepFilter2D(spline, cv2.CV_32F, kx, dy, anchor=anchor)
    return values[inner], along[inner], down[inner]


def _taps(g: float) -> tuple[Image, Image, int]:
    """Weights of four neighbours at a place g from a pixel, those of slopes, and which the pixel is."""
    base = int(np.floor(g))
    t = g - base
    value = np.array([(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3]) / 6
    slope = np.array([-((1 - t) ** 2), 3 * t**2 - 4 * t, -3 * t**2 + 2 * t + 1, t**2]) / 2
    return value.astype(np.float32), slope.astype(np.float32), 1 - base
