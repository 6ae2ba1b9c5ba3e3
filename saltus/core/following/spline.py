"""Cubic splines through the pixels of a patch, shifted by parts of a pixel, with their slopes.

A picture cut out and shifted by a cubic spline stays where it was shifted to: the parabola through a
correlation peak and cubic convolution both lean towards whole pixels (Unser 1999, doi:10.1109/79.799930).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.pixel_loops import RIM, spline_at, spline_coefficients

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Image = NDArray[np.float32]

__all__ = ["RIM", "coefficients", "shifted", "values_shifted"]


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
    return np.asarray(spline_coefficients(np.ascontiguousarray(values, dtype=np.float32)))


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
    values, along, down = (np.empty(_without_rim(spline), dtype=np.float32) for _part in range(3))
    spline_at(spline, fx, fy, values, along, down)
    return values, along, down


def _without_rim(spline: Image) -> tuple[int, int]:
    return spline.shape[0] - 2 * RIM, spline.shape[1] - 2 * RIM


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
    return shifted(spline, fx, fy)[0]
