"""Angle, radius and distance along a path, from x and y, with all that x and y are unsure of."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.local import windows
from saltus.core.quantity import Quantity
from saltus.core.sentences import say
from saltus.core.shares import Single
from saltus.core.units import RADIAN

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

DIRECTION_WINDOW = 7
"""Readings about each that tell the direction of a path there."""
SMALL_TURN = 1e-6
NEAR = 2.0


class PivotError(ValueError):
    """An angle about a point at which the body itself lies."""


def angle_of(x: Quantity, y: Quantity) -> Quantity:
    """Angle about the origin, anticlockwise from the x axis and unwrapped.

    Parameters
    ----------
    x, y : Quantity
        (N,) in order of time; a common scale cancels.

    Returns
    -------
    Quantity
        (N,) rad

    Raises
    ------
    PivotError
        If a reading lies within twice its uncertainty of the origin: it then has no angle.
    """
    square = x.value**2 + y.value**2
    if np.any(square <= (NEAR * np.maximum(x.u_own, y.u_own)) ** 2):
        raise PivotError(say("angle.body-at-the-pivot"))
    by_x, by_y = -y.value / square, x.value / square
    return (x * by_x + y * by_y).moved_to(np.unwrap(np.arctan2(y.value, x.value))).with_unit(RADIAN)


def radius_of(x: Quantity, y: Quantity) -> Quantity:
    """Distance from the origin.

    Parameters
    ----------
    x, y : Quantity
        (N,)

    Returns
    -------
    Quantity
        (N,) in their unit.
    """
    r = np.hypot(x.value, y.value)
    safe = np.where(r > 0, r, 1.0)
    return (x * (x.value / safe) + y * (y.value / safe)).moved_to(r)


def path_of(t: Array, x: Quantity, y: Quantity) -> Quantity:
    """Distance along the path from the first reading on.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    x, y : Quantity
        (N,)

    Returns
    -------
    Quantity
        (N,) in their unit.

    Notes
    -----
    Each step counts along the direction of the path there, told by a parabola through the readings about it,
    and as the arc that belongs to its chord: adding up the steps as they are would count all scatter across
    the path as way.
    """
    if len(t) < 2:
        return x.moved_to(np.zeros(len(t)))
    along, across = _direction(t, x.value, y.value)
    middle = np.arctan2(across[1:] + across[:-1], along[1:] + along[:-1])
    turn = np.abs(np.arctan2(np.sin(d := np.diff(np.arctan2(across, along))), np.cos(d)))
    arc = np.where(turn > SMALL_TURN, turn / 2 / np.maximum(np.sin(turn / 2), SMALL_TURN / 2), 1.0)
    cos, sin = np.cos(middle) * arc, np.sin(middle) * arc

    def summed(of_x: Array, of_y: Array) -> Array:
        steps = np.diff(of_x) * cos + np.diff(of_y) * sin
        return np.concatenate([[0.0], np.cumsum(steps)])

    own = x.apart()[0] * along + y.apart()[0] * across
    common: dict[object, list[Array]] = {}
    nothing = np.zeros(x.value.shape)
    for i, q in enumerate((x, y)):
        for source, share in q.without_own().shares.items():
            if isinstance(share, Single):
                common.setdefault(source, [nothing, nothing])[i] = share.c
    shares = {source: Single(summed(*parts)) for source, parts in common.items()}
    return own.moved_to(summed(x.value, y.value)) + Quantity(nothing, x.unit, shares)  # type: ignore[arg-type]


def _direction(t: Array, x: Array, y: Array) -> tuple[Array, Array]:
    """Unit vectors (N,), (N,) along the path at each reading; along x where there is no way to tell."""
    count = len(t)
    if count < 2:
        return np.ones(count), np.zeros(count)
    index = windows(count, DIRECTION_WINDOW)
    tau = t[index] - t[:, None]
    degree = min(2, index.shape[1] - 1)
    size = np.abs(tau).max(axis=1, keepdims=True)
    design = np.vander((tau / size).reshape(-1), degree + 1, increasing=True).reshape(*tau.shape, -1)
    solve = np.linalg.pinv(design)[:, 1, :]
    vx, vy = np.sum(solve * x[index], axis=1), np.sum(solve * y[index], axis=1)
    speed = np.hypot(vx, vy)
    sure = speed > 0
    safe = np.where(sure, speed, 1.0)
    return np.where(sure, vx / safe, 1.0), np.where(sure, vy / safe, 0.0)
