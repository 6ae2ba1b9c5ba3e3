"""How many readings a local fit may take: as many as curvature allows, so that noise counts least."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

WIDTHS = (7, 9, 11, 13, 17, 21, 27, 35, 45, 57, 73, 93, 119, 151)
PLACES = 240
"""Readings at which widths are tried."""
AT_ONCE = 4096
SINGULAR = 1e13
ALLOWED = 0.15
"""Mean square of what a higher degree would change, in its own variance, from where a window is too wide."""
NARROWER = 0.65
"""The bias that begins to show is still too large beside u; it falls with the fifth power of the width."""


@dataclass(frozen=True)
class Near:
    """Polynomials about each reading: value, velocity and acceleration there.

    Attributes
    ----------
    values, u : (N, 3) ndarray
        In unit, unit/s and unit/s² of the readings, and the standard uncertainty that reading leaves.
    """

    values: Array
    u: Array


def near_each(
    t: Array, x: Array, u: Array, width: int, degree: int, at: NDArray[np.int_] | None = None
) -> Near:
    """Lay a polynomial through the readings about each, by weighted least squares.

    Parameters
    ----------
    t, x, u : (N,) ndarray
        Increasing times, s, values, and their standard uncertainties, above zero.
    width, degree : int
        Readings taken, and the degree.
    at : (M,) ndarray of int, optional
        About which of the readings; all by default.
    """
    which = np.arange(len(t)) if at is None else at
    if len(which) > AT_ONCE:
        parts = [
            near_each(t, x, u, width, degree, which[i : i + AT_ONCE]) for i in range(0, len(which), AT_ONCE)
        ]
        return Near(np.concatenate([p.values for p in parts]), np.concatenate([p.u for p in parts]))
    width = min(width, len(t))
    index = np.clip(which - width // 2, 0, len(t) - width)[:, None] + np.arange(width)
    tau = t[index] - t[which][:, None]
    size = np.abs(tau).max(axis=1, keepdims=True)
    design = np.vander((tau / size).reshape(-1), degree + 1, increasing=True).reshape(*tau.shape, -1)
    weighed = (design / u[index][:, :, None] ** 2).transpose(0, 2, 1)
    # times go from −1 to 1 here, so that squaring the design loses no more than half of the digits
    solve = _inverse(weighed @ design) @ weighed
    scale = np.array([1.0, 1.0, 2.0]) / size ** np.arange(3)
    weights = solve[:, :3, :] * scale[:, :, None]
    values = np.einsum("nkw,nw->nk", weights, x[index])
    return Near(values, np.sqrt(np.einsum("nkw,nw->nk", weights**2, u[index] ** 2)))


def _inverse(square: Array) -> Array:
    """Inverses of symmetric matrices (N, P, P); where one is nearly singular, of what of them is not."""
    with contextlib.suppress(np.linalg.LinAlgError):
        inverse = np.linalg.inv(square)
        if np.all(np.abs(square).max(axis=(1, 2)) * np.abs(inverse).max(axis=(1, 2)) < SINGULAR):
            return np.asarray(inverse)
    return np.asarray(np.linalg.pinv(square, rcond=1 / SINGULAR, hermitian=True))


def advised_width(t: Array, x: Array, u: Array, degree: int = 4, derivative: int = 1) -> int:
    """Give the widest window at which curvature does not yet bias a local fit.

    Parameters
    ----------
    t, x, u : (N,) ndarray
        Increasing times, s, values, and their standard uncertainties, above zero.
    degree : int
        Of the fit.
    derivative : int
        Of which derivative the value counts: 1 velocity, 2 acceleration.

    Returns
    -------
    int
        Readings, degree + 3 at least; N at most.

    Notes
    -----
    The fit is held against one two degrees higher through the same readings. By noise alone the difference of
    the two has the difference of their variances (least squares of nested models); what it has beyond that is
    bias. One width is chosen for the whole record: a choice at each place would spoil its intervals.
    """
    count = len(t)
    least = min(degree + 3, count)
    at = np.unique(np.linspace(0, count - 1, min(count, PLACES)).astype(int))
    best = least
    for width in WIDTHS:
        if width < degree + 4 or width > count:
            continue
        inner = at[(at >= width // 2) & (at < count - width // 2)]
        if inner.size < 3:
            break
        plain, finer = (near_each(t, x, u, width, d, inner) for d in (degree, degree + 2))
        excess = finer.u[:, derivative] ** 2 - plain.u[:, derivative] ** 2
        off = (finer.values - plain.values)[:, derivative] ** 2
        ratio = float(np.mean(off / np.maximum(excess, 1e-300)))
        # neighbouring windows share their readings: so many differences are independent
        apart = max(inner.size / width * (np.ptp(inner) + 1) / inner.size, 1.0)
        if ratio > 1 + ALLOWED + 2 * np.sqrt(2 / apart):
            break
        best = width
    return max(round(NARROWER * best) | 1, least)
