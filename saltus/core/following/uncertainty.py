"""How sure a followed place is: from the residuals under the patch, and from how smoothly the places follow.

A codec takes the noise away and leaves errors of place. White residuals then understate u many times. So what
the residuals say is taken with their own correlation over neighbouring pixels, and a run as a whole is held
against how far its places scatter about any smooth motion.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.residual_loops import forms_by_lag, products_by_lag, quarter_sums

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.alignment import Alignment

    Array = NDArray[np.float64]

LAG = 6
"""Residuals up to so many pixels apart are correlated."""
LOCAL_PX = 7
"""The variance of the residuals is taken over a square of so many pixels."""
FLOOR_PX = 0.004
"""Nothing is placed better than this: what the lens, the sensor and the shading of the body do."""
FIRST, NOW_AND_THEN = 12, 6
ORDERS = (3, 4, 5, 6)
REACH = 16
"""Differences of these orders of the places, over so many frames to each side, tell how far they scatter."""
STILL_PX, PREDICTED_FROM = 0.1, 4
"""A place nearer than that to those so many pictures before and after is at rest: a codec repeats it there,
and predicts pictures from others no farther off."""
LEAST_FACTOR = 0.8
ALIKE = 1.35
WINSOR = 3.0
MEDIAN_OF_SQUARES, LEFT_OF_SQUARES = 0.4549, 0.9950
"""Of squared standard normal deviates: their median, and their mean when they are cut at nine."""
FEWEST = 4
OF_FOUR = 4 / 3


class Residuals:
    """How the residuals of neighbouring pixels go together, over the pictures seen so far."""

    def __init__(self) -> None:
        self._sum = np.zeros((2 * LAG + 1, 2 * LAG + 1))
        self._count = 0.0
        self._seen = 0
        self._correlation: Array | None = None

    def add(self, found: Alignment) -> None:
        """Take in the residuals of a place that was found; later ones now and then, as they cost time."""
        self._seen += 1
        h, w = found.residuals.shape
        if h <= 2 * LAG or w <= 2 * LAG or (self._seen > FIRST and self._seen % NOW_AND_THEN):
            return
        used = (found.weights > 0.5).astype(np.float32)
        r = found.residuals * used
        pairs = np.maximum(products_by_lag(used, LAG), 1.0)
        part = products_by_lag(np.ascontiguousarray(r), LAG) / pairs
        if part[LAG, LAG] > 0:
            share = 1.0 if self._seen <= FIRST else 0.1 * self._count
            self._sum += share * part / part[LAG, LAG]
            self._count += share
            self._correlation = None

    def correlation(self) -> Array:
        """Correlation of residuals by lag, (13, 13), 1 in the middle; a taper keeps it a possible one."""
        if self._correlation is None:
            taper = 1 - np.abs(np.arange(-LAG, LAG + 1)) / (LAG + 1)
            self._correlation = self._sum / max(self._count, 1e-9) * np.outer(taper, taper)
            self._correlation[LAG, LAG] = 1.0
        return self._correlation


def covariance(found: Alignment, correlation: Array, floor_px: float = FLOOR_PX) -> Array:
    """Covariance of a place from the residuals under the patch.

    Parameters
    ----------
    found : Alignment
    correlation : (13, 13) ndarray
        Of the residuals, by lag.
    floor_px : float
        Standard uncertainty that stays in each direction, px.

    Returns
    -------
    (2, 2) ndarray
        px²

    Notes
    -----
    G·C·Gᵀ with G the place's derivatives by the grey levels, and C from the local standard deviations of the
    residuals and their correlation.
    """
    kernel = (LOCAL_PX, LOCAL_PX)
    used = found.weights
    squares = cv2.boxFilter(used * found.residuals**2, cv2.CV_32F, kernel, normalize=False)
    counts = cv2.boxFilter(used, cv2.CV_32F, kernel, normalize=False)
    sd = np.sqrt(np.maximum(squares, 0.0) / np.maximum(counts, 1e-3))
    gx, gy = found.gain_x * sd, found.gain_y * sd
    xx, yy, xy = forms_by_lag(gx, gy, correlation.astype(np.float32))
    least = 1e-12
    xx, yy = max(xx, least), max(yy, least)
    limit = 0.99 * math.sqrt(xx * yy)
    xy = min(max(xy, -limit), limit)
    return np.array([[xx + floor_px**2, xy], [xy, yy + floor_px**2]])


class Quarters:
    """How far the quarters of a patch disagree on the place beyond what their residuals explain.

    What the patch gets wrong as a whole (shade, smear, a ground it does not know) goes on from picture to
    picture: neither white residuals nor the scatter of the places show it, but the quarters pull apart.
    """

    def __init__(self) -> None:
        self._pulls = np.zeros(2)
        self._explained = np.zeros(2)
        self._count = 0

    def add(self, found: Alignment, covariance: Array) -> None:
        """Take in a place that was found, and its covariance from the residuals, (2, 2) px²."""
        for k, gain in enumerate((found.gain_x, found.gain_y)):
            self._pulls[k] += OF_FOUR * np.sum(quarter_sums(gain, found.residuals) ** 2)
        self._explained += np.diag(covariance)
        self._count += 1

    def variance(self) -> Array:
        """Give it along x and y, (2,) px²; 0 where the residuals explain all.

        Notes
        -----
        Four clusters of scores, see Liang and Zeger 1986, doi:10.1093/biomet/73.1.13; their sum is 0 at the
        place found, which takes one of four degrees of freedom.
        """
        return np.asarray(np.maximum(self._pulls - self._explained, 0.0) / max(self._count, 1))


def in_motion(places: Array) -> NDArray[np.bool_]:
    """Where a body moves, or is about to, or has just done so.

    Parameters
    ----------
    places : (N, 2) ndarray
        px, one after the other.

    Returns
    -------
    (N,) ndarray of bool
    """
    moving = np.zeros(len(places), dtype=bool)
    for lag in range(1, min(PREDICTED_FROM, len(places) - 1) + 1):
        apart = np.hypot(*(places[lag:] - places[:-lag]).T) > STILL_PX
        moving[lag:] |= apart
        moving[:-lag] |= apart
    return moving


def scatter_factors(t: Array, places: Array, u: Array, moving: NDArray[np.bool_] | None = None) -> Array:
    """How many times farther places scatter about a smooth motion than is stated, frame by frame.

    Parameters
    ----------
    t : (N,) ndarray
        Times, s, increasing.
    places : (N,) ndarray
        One coordinate, px.
    u : (N,) ndarray
        Standard uncertainty stated for each, px.
    moving : (N,) ndarray of bool, optional
        Where the body moves, see :func:`in_motion`.

    Returns
    -------
    (N,) ndarray
        Dimensionless, at least :data:`LEAST_FACTOR`; 1 where there are too few places to tell.

    Notes
    -----
    Differences of order m take any motion away that is a polynomial of degree m − 1 there. Their mean square
    over that of their stated uncertainties is the square of the factor; single large ones (a bounce) are cut
    short. Of the orders the least one and those alike are averaged; by frame times and by frame numbers,
    whichever is less: one of them may be the wrong clock of the motion. A codec repeats a body at rest and
    lets it lag or run ahead once it moves: how far places scatter at rest says nothing of those in motion.
    """
    factors = np.maximum(_factors_by_clock(t, places, u), LEAST_FACTOR)
    if moving is None or moving.all() or not moving.any():
        return factors
    window = np.ones((2 * REACH + 1, 1), np.uint8)
    near_rest = moving & (cv2.erode(moving.astype(np.uint8), window)[:, 0] == 0)
    in_px = _factors_by_clock(t, places, np.ones(len(t)), moving)
    return np.where(near_rest, np.fmax(factors, in_px / u), factors)


def _factors_by_clock(t: Array, x: Array, u: Array, chosen: NDArray[np.bool_] | None = None) -> Array:
    """Factors by times or numbers, whichever is less; NaN where those chosen are too few, 1 where all are."""
    numbers = np.arange(len(t), dtype=float)
    of_all = np.ones(len(t), dtype=bool) if chosen is None else chosen
    least = np.minimum(_factors(t, x, u, of_all), _factors(numbers, x, u, of_all))
    return np.where(np.isfinite(least), least, 1.0) if chosen is None else least


def _factors(t: Array, x: Array, u: Array, chosen: NDArray[np.bool_]) -> Array:
    n = len(t)
    squares = np.full((len(ORDERS), n), np.nan)
    windows = np.lib.stride_tricks.sliding_window_view
    for row, order in enumerate(ORDERS):
        if n < order + 4:
            continue
        v = _differences(t, order)
        d = np.sum(v * windows(x, order + 1), axis=1)
        stated = np.sum(v**2 * windows(u, order + 1) ** 2, axis=1)
        ratio = np.where(windows(chosen, order + 1).all(axis=1), d**2 / stated, np.nan)
        # each difference stands at the middle of its places, and none beyond the ends
        before = order // 2
        padded = np.full(n + 2 * REACH, np.nan)
        padded[REACH + before : REACH + before + n - order] = ratio
        squares[row] = _winsorised(windows(padded, 2 * REACH + 1))
    there = np.isfinite(squares)
    least = np.min(np.where(there, squares, np.inf), axis=0)
    alike = there & (squares <= ALIKE**2 * least)
    mean = np.sum(np.where(alike, squares, 0.0), axis=0) / np.maximum(alike.sum(axis=0), 1)
    return np.sqrt(np.where(alike.any(axis=0), mean, np.nan))


def _winsorised(ratio: Array) -> Array:
    """Mean (N,) of squared deviates (N, K) in which the largest are cut short; NaN where there are few."""
    there = np.isfinite(ratio)
    count = there.sum(axis=1)
    ordered = np.sort(np.where(there, ratio, np.inf), axis=1)
    rows, last = np.arange(len(ratio)), ratio.shape[1] - 1
    below, above = np.maximum(count - 1, 0) // 2, np.minimum(count // 2, last)
    limit = WINSOR**2 * 0.5 * (ordered[rows, below] + ordered[rows, above]) / MEDIAN_OF_SQUARES
    cut = np.where(there, np.minimum(np.nan_to_num(ratio), limit[:, None]), 0.0)
    mean = np.sum(cut, axis=1) / np.maximum(count, 1)
    return np.where(count >= FEWEST, mean / LEFT_OF_SQUARES, np.nan)


def _differences(t: Array, order: int) -> Array:
    """Weights (N − m, m + 1) of unit length that take away every polynomial of degree m − 1 in t."""
    windows = np.lib.stride_tricks.sliding_window_view(t, order + 1)
    spacing = windows - windows[:, :1]
    scaled = spacing / np.maximum(spacing[:, -1:], 1e-300)
    out = np.ones_like(scaled)
    for k in range(order + 1):
        for j in range(order + 1):
            if j != k:
                out[:, k] /= scaled[:, k] - scaled[:, j]
    return np.asarray(out / np.sqrt(np.sum(out**2, axis=1, keepdims=True)))
