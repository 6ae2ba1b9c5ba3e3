"""Lines as schools draw them: steepest and shallowest through the error bars, and a drawn line's triangle."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

MOST_POINTS = 120
"""With more points only the outermost bars are looked at: the search grows with the cube of them."""


@dataclass(frozen=True)
class Extremes:
    """Slopes of the steepest and the shallowest line, and whether these pass through all error bars."""

    steepest: float
    shallowest: float
    through_all: bool


def extremes(x: Quantity, y: Quantity) -> Extremes | None:
    """Find the steepest and the shallowest line through the 95 % error bars of points.

    Parameters
    ----------
    x, y : Quantity
        (N,) each; a bar is the box of both 95 % half-widths.

    Returns
    -------
    Extremes or None
        None without bars or with fewer than two points. Where no line passes all bars, the lines through the
        corners of the outermost boxes.
    """
    half_x, half_y = NORMAL_95 * x.u, NORMAL_95 * y.u
    if len(x) < 2 or not np.any(half_x + half_y > 0) or np.ptp(x.value) == 0:
        return None
    left, right = int(np.argmin(x.value)), int(np.argmax(x.value))
    falling = y.value[right] < y.value[left]
    corners = _corners(x.value, y.value, half_x, half_y)
    found = _through_all(corners, x.value, y.value, half_x, half_y) if len(x) <= MOST_POINTS else []
    if not found:
        run = x.value[right] - x.value[left]
        rise = y.value[right] - y.value[left]
        wide, high = half_x[left] + half_x[right], half_y[left] + half_y[right]
        found = [
            (rise + a * high) / (run + b * wide) for a in (-1, 1) for b in (-1, 1) if (run + b * wide) > 0
        ]
        return _ordered(found, falling=falling, through_all=False)
    return _ordered(found, falling=falling, through_all=True)


def _ordered(slopes: list[float], *, falling: bool, through_all: bool) -> Extremes:
    ends = (min(slopes), max(slopes))
    steep, shallow = ends if falling else ends[::-1]
    return Extremes(steep, shallow, through_all)


def _corners(x: Array, y: Array, half_x: Array, half_y: Array) -> list[tuple[int, float, float]]:
    return [
        (i, float(x[i] + a * half_x[i]), float(y[i] + b * half_y[i]))
        for i in range(len(x))
        for a in (-1, 1)
        for b in (-1, 1)
    ]


def _through_all(
    corners: list[tuple[int, float, float]], x: Array, y: Array, half_x: Array, half_y: Array
) -> list[float]:
    """Slopes of lines through corners of two boxes that meet every box: among them are the extremes."""
    found = []
    tolerance = 1e-9 * (float(np.ptp(y)) + float(half_y.max()))
    for i, x1, y1 in corners:
        for k, x2, y2 in corners:
            if k <= i or x2 == x1:
                continue
            slope = (y2 - y1) / (x2 - x1)
            off = np.abs(y - (y1 + slope * (x - x1)))
            if np.all(off <= half_y + abs(slope) * half_x + tolerance):
                found.append(slope)
    return found


def triangle(first: tuple[float, float], second: tuple[float, float]) -> tuple[float, float]:
    """Give slope and intercept of a line drawn by hand from the two corners of its triangle.

    Parameters
    ----------
    first, second : (float, float)
        x and y, in the units of the axes.

    Returns
    -------
    slope, intercept : float
        In the unit of y over that of x, and of y.

    Raises
    ------
    ValueError
        If the corners lie above each other.
    """
    (x1, y1), (x2, y2) = first, second
    if math.isclose(x1, x2, rel_tol=1e-12):
        raise ValueError("the corners of the triangle lie above each other")
    slope = (y2 - y1) / (x2 - x1)
    return slope, y1 - slope * x1
