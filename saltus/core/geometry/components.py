"""Places and derivatives by their components: (2, N) and (2, 2, N), each component in one piece."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]


def by_component(places: ArrayLike) -> Array:
    """Turn (N, 2) places into (2, N) components.

    Parameters
    ----------
    places : (N, 2) array_like
    """
    return np.ascontiguousarray(np.asarray(places, dtype=float).reshape(-1, 2).T)


def projected(matrix: Array, places: Array) -> tuple[Array, Array]:
    """Apply a homography, (3, 3), to places.

    Parameters
    ----------
    matrix : (3, 3) ndarray
    places : (2, N) ndarray

    Returns
    -------
    places : (2, N) ndarray
    depth : (N,) ndarray
        What they were divided by, dimensionless.
    """
    over = matrix[:, :2] @ places
    over += matrix[:, 2:]
    over[:2] /= over[2]
    return over[:2], over[2]


def projected_derivative(matrix: Array, there: Array, depth: Array) -> Array:
    """By how much places move that a homography gave, (2, 2, N): (∂X/∂x, …) with X = ``there``.

    Parameters
    ----------
    matrix : (3, 3) ndarray
    there : (2, N) ndarray
        What :func:`projected` gave.
    depth : (N,) ndarray
        Dimensionless.
    """
    out = np.empty((2, 2, len(depth)))
    for i in (0, 1):
        for j in (0, 1):
            np.multiply(there[i], -matrix[2, j], out=out[i, j])
            out[i, j] += matrix[i, j]
            out[i, j] /= depth
    return out


def chained(outer: Array, inner: Array) -> Array:
    """Product of matrices place by place, (2, 2, N) or (2, 2, 1) each.

    Parameters
    ----------
    outer, inner : (2, 2, N) ndarray
    """
    rows = [[outer[i, 0] * inner[0, j] + outer[i, 1] * inner[1, j] for j in (0, 1)] for i in (0, 1)]
    return np.array(rows)


def applied(matrix: Array, moves: Array) -> Array:
    """Matrices (2, 2, N) applied to moves (2, N).

    Parameters
    ----------
    matrix : (2, 2, N) ndarray
    moves : (2, N) ndarray
    """
    return np.array([matrix[i, 0] * moves[0] + matrix[i, 1] * moves[1] for i in (0, 1)])
