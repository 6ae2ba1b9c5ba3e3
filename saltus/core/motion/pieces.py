"""Where a motion changes: the record as pieces of constant acceleration, found without the person."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.local_fit import noise_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FEWEST = 5
"""Readings a piece has at least."""
LEFT_OUT = 8.0
"""What it costs, in χ², to count a reading between two pieces to neither: an impact takes its frames."""
MOST_PLACES = 700
"""So many readings may begin a piece; of longer records every second, third, ... may."""


@dataclass(frozen=True)
class Piece:
    """Readings ``first`` to ``last``, both included, that one parabola explains."""

    first: int
    last: int

    @property
    def part(self) -> slice:
        """Which readings."""
        return slice(self.first, self.last + 1)


def usable_noise(t: Array, x: Array, u: Array) -> Array:
    """Standard uncertainty of each reading, and where nothing is stated, their scatter.

    Parameters
    ----------
    t, x, u : (N,) ndarray
        Times, s, values and their standard uncertainties, 0 where none is stated.

    Returns
    -------
    (N,) ndarray
        In the unit of the values, above zero.
    """
    if np.all(u > 0):
        return u
    scatter, _dof = noise_of(t, x)
    return np.full(len(t), scatter or 1e-9 * (float(np.ptp(x)) or 1.0))


def pieces_of(t: Array, x: Array, u: Array) -> list[Piece]:
    """Part a record into pieces of constant acceleration.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    x, u : (N,) ndarray
        Values and their standard uncertainties, above zero, in one unit.

    Returns
    -------
    list of Piece
        In order; readings between them belong to none.

    Notes
    -----
    The least sum of χ² and of a price for each piece, by dynamic programming over all places where one may
    begin (Jackson and others 2005, doi:10.1109/LSP.2001.838216); the price is that of Schwarz's criterion for
    three parameters and a place.
    """
    count = len(t)
    if count < FEWEST:
        return []
    every = max(1, math.ceil(count / MOST_PLACES))
    ends = np.unique(np.append(np.arange(0, count, every), count))
    price = 4 * math.log(count) + 2
    left = _Left(t, x, u)
    best = np.empty(len(ends))
    best[0] = 0.0
    came: list[tuple[int, bool]] = [(0, False)]
    for j in range(1, len(ends)):
        out = best[j - 1] + LEFT_OUT * (ends[j] - ends[j - 1])
        choice, cost = (j - 1, False), out
        long = np.flatnonzero(ends[j] - ends[:j] >= FEWEST)
        if long.size:
            sums = best[long] + left.chi2(ends[long], int(ends[j])) + price
            k = int(np.argmin(sums))
            if sums[k] < cost:
                choice, cost = (int(long[k]), True), float(sums[k])
        best[j] = cost
        came.append(choice)
    found, j = [], len(ends) - 1
    while j > 0:
        i, whole = came[j]
        if whole:
            found.append(Piece(int(ends[i]), int(ends[j]) - 1))
        j = i
    return found[::-1]


class _Left:
    """χ² that a parabola leaves of any stretch, from sums that run."""

    def __init__(self, t: Array, x: Array, u: Array) -> None:
        span = max(float(t[-1] - t[0]), 1e-300) / 2
        tau, w = (t - t[0]) / span - 1, 1 / u**2
        # a parabola through all takes off what would be lost in sums of large numbers
        rest = x - np.polyval(np.polyfit(tau, x, 2), tau)
        powers = [w * tau**k for k in range(5)] + [w * rest * tau**k for k in range(3)] + [w * rest**2]
        self._sums = np.vstack([np.zeros(9), np.cumsum(np.array(powers).T, axis=0)])

    def chi2(self, first: NDArray[np.int_], stop: int) -> Array:
        """For stretches from each first reading up to, without, one; by polynomials orthogonal over each."""
        s0, s1, s2, s3, s4, x0, x1, x2, xx = (self._sums[stop] - self._sums[first]).T
        middle = s1 / s0
        second = s2 - middle * s1
        third = s3 - middle * (3 * s2 - middle * (3 * s1 - middle * s0))
        fourth = s4 - middle * (4 * s3 - middle * (6 * s2 - middle * (4 * s1 - middle * s0)))
        slope, bend = x1 - middle * x0, x2 - middle * (2 * x1 - middle * x0)
        lean = third / second
        curved = bend - lean * slope - second / s0 * x0
        size = fourth - lean * third - second**2 / s0
        explained = x0**2 / s0 + slope**2 / second + curved**2 / size
        return np.asarray(np.maximum(xx - explained, 0.0))
