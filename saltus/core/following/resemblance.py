"""How far places scatter when the error of one resembles that of the next, as a codec leaves them.

Differences of neighbouring places do not see what neighbours have in common. A smooth curve through many
places does, and tells by how much the errors resemble each other.
"""

from __future__ import annotations

import math
from functools import cache
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

WINDOW, DEGREE, EVERY = 25, 6, 3
"""Curves of this degree go through so many places, a new one every so many places."""
FEWEST = 16
KINKED = 4.0
"""A window that scatters so many times as much as most holds a bounce."""
MOTION_ABOVE = 0.75
"""What resembles its neighbours more than that is the motion itself."""
MOST = 2.5
RESEMBLANCES = np.linspace(0.0, 0.9, 19)


def spread_beyond(places: Array, u: Array) -> float:
    """Tell how many times farther places scatter about smooth curves than is stated.

    Parameters
    ----------
    places : (N,) ndarray
        One coordinate in order of time, px.
    u : (N,) ndarray
        Standard uncertainty stated for each, px, positive.

    Returns
    -------
    float
        Dimensionless, 1 to :data:`MOST`; 1 where places are too few or too quick to tell.

    Notes
    -----
    Residuals of local fits have a mean square and a product of neighbours that for errors of correlation ρ^k
    are σ²·tr(MRM) and σ²·Σ(MRM)ᵢ,ᵢ₊₁ with M the projection off the curves; their ratio gives ρ, and then the
    former σ² (moments of residuals: Seber and Lee 2003, Linear regression analysis, 3.3).
    """
    width = min(WINDOW, len(places))
    if width < FEWEST:
        return 1.0
    off, squares, products = _expected(width)
    cuts = np.lib.stride_tricks.sliding_window_view
    stated = cuts(u, width)[::EVERY].mean(axis=1)
    left = cuts(places, width)[::EVERY] @ off / stated[:, None]
    square = np.sum(left**2, axis=1)
    smooth = square <= KINKED * np.median(square)
    total = float(square[smooth].sum())
    if not total > 0:
        return 1.0
    ratio = float(np.sum(left[smooth, 1:] * left[smooth, :-1])) / total
    rho = float(np.interp(ratio, products / squares, RESEMBLANCES))
    if rho > MOTION_ABOVE:
        return 1.0
    variance = total / smooth.sum() / float(np.interp(rho, RESEMBLANCES, squares))
    return min(max(math.sqrt(variance), 1.0), MOST)


@cache
def _expected(width: int) -> tuple[Array, Array, Array]:
    """Projection (W, W) off the curves; squares and products it leaves of errors of each resemblance."""
    curves = np.linalg.qr(np.polynomial.legendre.legvander(np.linspace(-1, 1, width), DEGREE))[0]
    off = np.eye(width) - curves @ curves.T
    apart = np.abs(np.subtract.outer(np.arange(width), np.arange(width)))
    left = [off @ rho**apart @ off for rho in RESEMBLANCES]
    return off, np.array([np.trace(m) for m in left]), np.array([np.trace(m, offset=1) for m in left])
