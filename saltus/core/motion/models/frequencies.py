"""Where the fit of an oscillation may begin: the frequencies at which a record is likely to swing."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

SLOWEST, SLOW, STEP = 0.2, 8.0, 0.125
"""Cycles in the record between which each frequency is tried, and how far apart."""
FALLS = (0.0, 1.0, 3.0)
"""Damping tried: so many times the amplitude falls to 1/e within the record."""
PEAKS, KEPT, THIN = 4, 4, 400
AT_ONCE = 400_000
FINE = 4
"""Places a spectrum has for each spacing of the readings, so that uneven times find theirs."""


def likely_frequencies(tau: Array, x: Array) -> list[tuple[float, float, float, float, float]]:
    """Find waves that come near to a record, the best first.

    Parameters
    ----------
    tau : (N,) ndarray
        Increasing times, s.
    x : (N,) ndarray
        Positions in any unit.

    Returns
    -------
    list of (rest, a, b, omega, fall)
        For rest + e^(−fall·τ)·(a·cos ωτ + b·sin ωτ), ω and fall in 1/s.

    Notes
    -----
    For each pair of frequency and damping the other three follow linearly (Golub and Pereyra 1973,
    doi:10.1137/0710036). Slow ones are all tried; fast ones are taken from the highest lines of the spectrum
    of the readings where they are, so that missing and uneven frames do no harm.
    """
    span = float(tau[-1] - tau[0])
    if not span > 0:
        return []
    tau = tau - tau[0]
    line = 2 * np.pi / span
    most = (len(tau) - 1) / 2
    slow = np.arange(SLOWEST, min(SLOW, most) + STEP / 2, STEP)
    tried = [(n * line, fall / span) for n in slow for fall in FALLS]
    fast = [(f, fall / span) for f in _spectral(tau, x) for fall in FALLS]
    few = np.unique(np.linspace(0, len(tau) - 1, min(len(tau), THIN)).astype(int))
    found = [*_fitted(tau[few], x[few], tried), *_fitted(tau, x, fast)]
    found.sort(key=lambda f: f[0])
    kept: list[tuple[float, float, float, float, float]] = []
    for _left, rest, a, b, omega, fall in found:
        # neighbours of one that is kept would come to the same
        if all(abs(omega - other[3]) > 0.4 * line or fall != other[4] for other in kept):
            kept.append((rest, a, b, omega, fall))
        if len(kept) == KEPT:
            break
    return kept


def _spectral(tau: Array, x: Array) -> list[float]:
    """Angular frequencies of the highest lines of the spectrum and halfway to their neighbours, 1/s."""
    spacing = float(np.median(np.diff(tau)))
    place = np.round(tau / spacing * FINE).astype(int)
    size = 1 << int(np.ceil(np.log2(2 * (place[-1] + 1))))
    found: list[float] = []
    for window in (np.ones(len(tau)), np.hanning(len(tau) + 2)[1:-1]):
        off = window * (x - np.average(x, weights=window))
        power = np.abs(np.fft.rfft(np.bincount(place, off, size))) ** 2
        # from half the rate of the readings on the spectrum only repeats itself
        power = power[: size // (2 * FINE) + 1]
        inner = power[1:-1]
        peaks = 1 + np.flatnonzero((inner >= power[:-2]) & (inner >= power[2:]))
        best = peaks[np.argsort(power[peaks])[::-1][:PEAKS]]
        step = 2 * np.pi * FINE / (size * spacing)
        found += [float((p + part) * step) for p in best for part in (-0.5, 0.0, 0.5)]
    return found


def _fitted(
    tau: Array, x: Array, tried: list[tuple[float, float]]
) -> list[tuple[float, float, float, float, float, float]]:
    """Sum of squares left per reading, rest, a and b for each frequency and damping."""
    out: list[tuple[float, float, float, float, float, float]] = []
    at_once = max(AT_ONCE // len(tau), 1)
    for some in (np.array(tried[i : i + at_once]) for i in range(0, len(tried), at_once)):
        omega, fall = some.T[:, :, None]
        shrink, angle = np.exp(-fall * tau), omega * tau
        design = np.stack([np.ones(angle.shape), shrink * np.cos(angle), shrink * np.sin(angle)], axis=1)
        # where a fit begins need not be told to the last digit: squaring the design serves
        square = design @ design.transpose(0, 2, 1)
        if not np.isfinite(square).all():
            continue
        c = np.linalg.pinv(square, hermitian=True) @ (design @ x)[:, :, None]
        left = x - (c.transpose(0, 2, 1) @ design)[:, 0]
        out += map(tuple, np.column_stack([np.mean(left**2, axis=1), c[:, :, 0], some]).tolist())
    return out
