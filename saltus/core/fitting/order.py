"""Errors that follow each other: how much less a run of readings says than as many independent ones."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

MOST = 0.9
FEWEST = 12


def enlarged_by_order(residuals: Array, u: Array, parameters: int) -> float:
    """Give the factor by which u grows where each error resembles the one before.

    Parameters
    ----------
    residuals : (N,) ndarray
        In order of time, any unit.
    u : (N,) ndarray
        Standard uncertainty of each, in the same unit.
    parameters : int
        How many were fitted.

    Returns
    -------
    float
        Dimensionless, 1 or more; 1 where there are too few residuals to tell.

    Notes
    -----
    √((1 + ρ)/(1 − ρ)): what the variance of a mean grows by when errors follow each other as ρ^k (Priestley
    1981, Spectral analysis and time series, 5.3). ρ is the correlation of neighbours; a fit of p parameters
    lowers it by about p/N, which is given back.
    """
    n = len(residuals)
    if n < FEWEST + parameters:
        return 1.0
    r = residuals / u
    total = float(r @ r)
    if not total > 0:
        return 1.0
    rho = float(r[:-1] @ r[1:]) / total + parameters / n
    rho = min(max(rho, 0.0), MOST)
    return math.sqrt((1 + rho) / (1 - rho))
