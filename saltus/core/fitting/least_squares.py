"""Least squares for any function of a few parameters."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Value = Callable[[Array, Array], Array]

STEPS = 500
RESOLVED = 1e-15
"""Part of the values themselves below which a step is rounding."""
CLOSE = 1e-14


def least_squares(
    value: Value, derivative: Value, x: Array, y: Array, sigma: Array, start: Array
) -> Array | None:
    """Find the parameters with which a function comes nearest to points.

    Parameters
    ----------
    value, derivative : callable
        (x (N,), parameters (P,)) to values (N,), unit of y, and to derivatives by the parameters (N, P).
    x, y : (N,) ndarray
        Points, in SI.
    sigma : (N,) ndarray
        Standard uncertainty of each y, or anything in proportion to it.
    start : (P,) ndarray
        Parameters to begin with.

    Returns
    -------
    (P,) ndarray or None
        None where it does not come to rest.

    Notes
    -----
    Levenberg 1944, doi:10.1090/qam/10666. A function that is linear in its parameters takes a step or two.
    """
    c, damping = np.asarray(start, dtype=np.float64), 1e-3
    residual = (y - value(x, c)) / sigma
    if not math.isfinite(sum_now := float(residual @ residual)):
        return None
    whole = float(np.linalg.norm(y / sigma))
    for _step in range(STEPS):
        step = _damped_step(derivative(x, c) / sigma[:, None], residual, damping)
        if step is None:
            return None
        tried = c + step
        residual_new = (y - value(x, tried)) / sigma
        sum_new = float(residual_new @ residual_new)
        if math.isfinite(sum_new) and sum_new <= sum_now:
            small = bool(np.all(np.abs(step) <= CLOSE * (np.abs(c) + 1e-300)))
            # a parameter near zero never rests relative to itself: then what the curve gives must
            small |= float(np.linalg.norm(residual_new - residual)) <= RESOLVED * whole
            c, residual, sum_now = np.asarray(tried), residual_new, sum_new
            damping = max(damping / 10, 1e-16)
            if small:
                return c
        else:
            damping *= 10
            if damping > 1e12:
                return c
    return None


def _damped_step(j: Array, residual: Array, damping: float) -> Array | None:
    """Step (P,) of the parameters from derivatives (N, P), each scaled by its size; None without one."""
    n, p = j.shape
    size = sizes(j)
    if not (size.min() > 0 and size.max() < math.inf):
        return None
    padded = np.concatenate([j / size, math.sqrt(damping * n) * np.eye(p)])
    found = np.linalg.lstsq(padded, np.concatenate([residual, np.zeros(p)]), rcond=None)[0]
    return np.asarray(found / size)


def sizes(columns: Array) -> Array:
    """Root mean square of each column.

    Parameters
    ----------
    columns : (N, P) ndarray
        Of any unit.
    """
    return np.asarray(np.sqrt(np.einsum("np,np->p", columns, columns) / len(columns)))


def gain_of(derivative: Array, sigma: Array | None = None) -> Array:
    """Give the matrix that leads from small changes of the points to those of the parameters.

    Parameters
    ----------
    derivative : (N, P) ndarray
        Of the function by its parameters, at the points.
    sigma : (N,) ndarray, optional
        Standard uncertainty of each point, or anything in proportion to it; all alike by default.

    Returns
    -------
    (P, N) ndarray
        Columns are scaled in between, so that it is well conditioned.
    """
    weighed = derivative if sigma is None else derivative / sigma[:, None]
    size = sizes(weighed)
    gain = np.linalg.pinv(weighed / size) / size[:, None]
    return np.asarray(gain if sigma is None else gain / sigma)
