"""A polynomial through a few readings, of the degree they bear."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

HALF_WINDOW = 8
"""Readings taken on each side of what is looked at."""
LOWEST, USUAL, HIGHEST = 2, 5, 7
"""Degrees: a choice by significance would spoil the stated intervals, so the usual one is taken where there
are readings enough; it follows a swing and costs little on a steady run."""
REJECTED_BELOW = 0.01


@dataclass(frozen=True)
class Local:
    """A polynomial about a time: coefficients by rising power, how each follows from the readings taken.

    ``gain`` (P, n) leads from the readings ``taken`` to the coefficients; ``residuals`` (n,) are left of
    them; ``factor`` is by how much they scatter more than stated; ``dof`` limits how well u is known.
    """

    origin: float
    c: Array
    gain: Array
    sigma: Array
    residuals: Array
    dof: float
    factor: float = 1.0

    @property
    def covariance(self) -> Array:
        """Of the coefficients, (P, P)."""
        scaled = self.gain * self.sigma * self.factor
        return np.asarray(scaled @ scaled.T)


def noise_of(t: Array, x: Array) -> tuple[float, float]:
    """Standard deviation of readings about the motion, where none is stated, and its degrees of freedom.

    Parameters
    ----------
    t, x : (N,) ndarray

    Notes
    -----
    Pooled over stretches of the length of a window, each with a polynomial of its own.
    """
    total, dof = 0.0, 0
    for part in np.array_split(np.arange(len(t)), max(len(t) // (2 * HALF_WINDOW), 1)):
        tau, degree = t[part] - t[part].mean(), usual_degree(len(part))
        rest = polynomial(tau, x[part], np.ones(len(part)), degree, 0.0).residuals
        total += float(rest @ rest)
        dof += len(part) - degree - 1
    return (math.sqrt(total / dof), float(dof)) if dof and total > 0 else (0.0, math.inf)


def usual_degree(count: int) -> int:
    """Degree of a polynomial through so many readings: five, less where there are fewer than eleven."""
    return max(LOWEST, min(USUAL, (count - 1) // 2))


def local_fit(t: Array, x: Array, u: Array, origin: float, dof: float, degree: int = 0) -> Local:
    """Fit a polynomial that the readings allow; where none is, their scatter stands for what is stated.

    Parameters
    ----------
    t, x, u : (n,) ndarray
        Times, s, positions and their standard uncertainties.
    origin : float
        Time about which the polynomial is taken, s.
    dof : float
        Of u; infinite where it is stated.
    degree : int, optional
        To begin with.
    """
    tau = t - origin
    sigma = np.where(u > 0, u, 1.0) if np.any(u > 0) else np.full(len(t), 1e-12 * (float(np.ptp(x)) or 1.0))
    most = min(HIGHEST, len(t) - 2)
    degree = degree or usual_degree(len(t))
    local = polynomial(tau, x, sigma, degree, origin)
    if math.isfinite(dof) or not np.any(u > 0):
        return replace(local, dof=dof)
    while degree < most and likely_by_chance(local) < REJECTED_BELOW:
        degree += 1
        local = polynomial(tau, x, sigma, degree, origin)
    if likely_by_chance(local) >= REJECTED_BELOW:
        return local
    rest = local.residuals / sigma
    free = len(tau) - degree - 1
    return replace(local, dof=float(free), factor=math.sqrt(max(float(rest @ rest) / free, 1.0)))


def polynomial(tau: Array, x: Array, sigma: Array, degree: int, origin: float) -> Local:
    """Lay a polynomial through readings by weighted least squares.

    Parameters
    ----------
    tau, x, sigma : (n,) ndarray
        Times since ``origin``, s; positions and their standard uncertainties, in one unit.
    degree : int
        Below n.
    origin : float
        s
    """
    span = float(np.max(np.abs(tau))) or 1.0
    design = np.vander(tau / span, degree + 1, increasing=True) / sigma[:, None]
    units = span ** -np.arange(degree + 1.0)
    gain = np.linalg.pinv(design) / sigma * units[:, None]
    c = gain @ x
    return Local(origin, c, gain, sigma, x - np.vander(tau, degree + 1, increasing=True) @ c, math.inf)


def likely_by_chance(local: Local) -> float:
    """How likely residuals as large as these are, by χ²; 1 where nothing is left to judge by.

    Parameters
    ----------
    local : Local
    """
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    dof = len(local.residuals) - len(local.c)
    rest = local.residuals / local.sigma
    return float(chdtrc(dof, float(rest @ rest))) if dof > 0 else 1.0
