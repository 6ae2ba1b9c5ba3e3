"""Errors that follow each other: how much less a run of readings says than as many independent ones."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

MOST = 0.7
LEAST = 0.35
"""So large a part of the variance of a followed place is taken to last: what a codec does slowly, residuals
do not show. From simulated films."""
LASTS = 10.0
"""Readings over which the part that lasts falls to 1/e."""


def enlarged_by_order(residuals: Array, u: Array, gain: Array, of: Array | None = None) -> float:
    """Give the factor by which u grows where a part of each error lasts over the readings that follow.

    Parameters
    ----------
    residuals : (N,) ndarray
        In order of time, any unit.
    u : (N,) ndarray
        Standard uncertainty of each, in the same unit.
    gain : (P, N) ndarray
        From readings to parameters.
    of : (K, P) ndarray, optional
        From parameters to what is asked about; the parameters themselves by default.

    Returns
    -------
    float
        Dimensionless, 1 or more: the largest over what is asked about.

    Notes
    -----
    Errors are taken as white ones and such that last, as e^(−k/10) after k readings (Priestley 1981, Spectral
    analysis and time series, 3.5). The part that lasts follows from the product of neighbouring residuals,
    with what the fit takes from both kinds given back. The factor is √(g·S·gᵀ / g·gᵀ), S the correlation.
    """
    weights = gain * u
    lasting = min(max(_part_that_lasts(residuals / u, weights), LEAST), MOST)
    weights = weights if of is None else of @ weights
    white = np.sum(weights**2, axis=1)
    slow = np.sum(weights * _lasting(weights), axis=1)
    ratios = (1 - lasting) + lasting * slow / np.where(white > 0, white, 1.0)
    return math.sqrt(max(1.0, float(np.max(ratios[white > 0], initial=1.0))))


def _part_that_lasts(r: Array, weights: Array) -> float:
    """Part of the variance that lasts, from what neighbouring residuals (N,) have in common."""
    total = float(r @ r)
    if not total > 0:
        return 0.0
    ratio = float(r[:-1] @ r[1:]) / total
    fitted = np.linalg.qr(weights.T)[0].T
    spread = _lasting(fitted)
    inner = fitted @ spread.T
    # squares and neighbours' products that the fit leaves of white errors and of such that last
    white = len(r) - len(fitted), -float(np.sum(fitted[:, :-1] * fitted[:, 1:]))
    crossed = (
        fitted[:, :-1] * spread[:, 1:]
        + spread[:, :-1] * fitted[:, 1:]
        - (inner @ fitted)[:, :-1] * fitted[:, 1:]
    )
    slow = len(r) - float(np.trace(inner)), len(r) - 1 - float(np.sum(crossed))
    below = slow[1] - white[1] - ratio * (slow[0] - white[0])
    return (ratio * white[0] - white[1]) / below if below > 0 else MOST


def _lasting(weights: Array) -> Array:
    """Weights (P, N) summed over all readings, each as much as an error there lasts to here."""
    count = weights.shape[1]
    apart = np.minimum(np.arange(2 * count), np.arange(2 * count, 0, -1))
    # neighbours share all of what lasts: the fall begins one reading later
    shared = np.exp(-np.maximum(apart - 1, 0) / LASTS)
    spectrum = np.fft.rfft(weights, 2 * count, axis=1) * np.fft.rfft(shared).real
    return np.asarray(np.fft.irfft(spectrum, 2 * count, axis=1)[:, :count])
