"""Instants at which a motion turns or is fastest: where a derivative of a local polynomial is zero."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.clock import Clock, with_rate
from saltus.core.clock.local_fit import Local, polynomial
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

DEGREE = 4
SURE = 4.0
"""Standard uncertainties by which a value must differ from zero to have a sign."""


@dataclass(frozen=True)
class Stationary:
    """Time, s, position, velocity and acceleration there, and whether the speed is greatest, not least."""

    time: Quantity
    position: Quantity
    velocity: Quantity
    acceleration: Quantity
    greatest: bool


def changes(values: Array, u: Array) -> list[int]:
    """Find where values go surely from one sign to the other.

    Parameters
    ----------
    values, u : (N,) ndarray
        In order of time, with their standard uncertainties, in one unit.

    Returns
    -------
    list of int
        The readings nearest to zero between the two.
    """
    sign = np.where(np.abs(values) > SURE * u, np.sign(values), 0)
    sure = np.flatnonzero(sign)
    out = []
    for a, b in pairwise(sure):
        if sign[a] != sign[b]:
            out.append(int(a + np.argmin(np.abs(values[a : b + 1]))))
    return out


def stationary(
    t: Array, position: Quantity, u: Array, window: tuple[int, int], which: int, clock: Clock
) -> Stationary | None:
    """Find where the velocity, or the acceleration, is zero.

    Parameters
    ----------
    t, u : (N,) ndarray
        Increasing times, s, and what each position is weighed by.
    position : Quantity
        (N,)
    window : (int, int)
        The reading about which, and how many are taken.
    which : int
        1: the velocity, 2: the acceleration.
    clock : Clock

    Returns
    -------
    Stationary or None
        None where it is not zero within the window, or not at an instant that can be told.

    Notes
    -----
    The instant is the root of a derivative of a local polynomial, linear in the readings, so that it shares
    with others what it shares; the values are those at the instant, moved with it.
    """
    taken, local = _laid(t, position, u, window)
    tau, degree = t[taken] - local.origin, len(local.c) - 1
    curve = np.polynomial.Polynomial(local.c)
    roots = curve.deriv(which).roots() if degree >= which + 1 else np.array([])
    real = roots[np.abs(roots.imag) < 1e-9 * max(float(np.ptp(tau)), 1e-12)].real
    real = real[(real >= tau[0]) & (real <= tau[-1])]
    if not real.size:
        return None
    at = float(real[np.argmin(np.abs(real))])
    rows = [_row(degree, k, at) for k in range(4)]
    derivatives = np.array([float(row @ local.c) for row in rows])
    steepness = rows[which + 1] @ local.gain
    if not abs(derivatives[which + 1]) > SURE * math.sqrt(float(np.sum((steepness * local.sigma) ** 2))):
        return None
    late = -(rows[which] @ local.gain) / derivatives[which + 1]
    u_late = math.sqrt(float(np.sum((late * local.sigma) ** 2)))
    if u_late > 0.5 * float(np.ptp(tau)):
        return None
    time, *values = _as_quantities(position[taken], local, rows, derivatives, (at, late), clock)
    return Stationary(time, values[0], values[1], values[2], bool(derivatives[1] * derivatives[3] < 0))


def values_at(
    t: Array, position: Quantity, u: Array, window: tuple[int, int], clock: Clock
) -> tuple[Quantity, ...]:
    """Give time, s, position, velocity and acceleration at a reading by a local polynomial.

    Parameters
    ----------
    t, u : (N,) ndarray
        Increasing times, s, and what each position is weighed by.
    position : Quantity
        (N,)
    window : (int, int)
        The reading, and how many are taken.
    clock : Clock
    """
    taken, local = _laid(t, position, u, window)
    rows = [_row(len(local.c) - 1, k, 0.0) for k in range(4)]
    derivatives = np.array([float(row @ local.c) for row in rows])
    return _as_quantities(position[taken], local, rows, derivatives, (0.0, np.zeros(len(local.sigma))), clock)


def _laid(t: Array, position: Quantity, u: Array, window: tuple[int, int]) -> tuple[slice, Local]:
    """So many readings about one, those that there are, and a polynomial through them."""
    i, width = window
    low = int(np.clip(i - width // 2, 0, max(len(t) - width, 0)))
    taken = slice(low, min(low + width, len(t)))
    degree = min(DEGREE, taken.stop - taken.start - 2)
    return taken, polynomial(t[taken] - t[i], position.value[taken], u[taken], degree, float(t[i]))


def _row(degree: int, order: int, at: float) -> Array:
    """What leads from the coefficients of a polynomial to a derivative of it at a time, (P,)."""
    out = np.zeros(degree + 1)
    for k in range(order, degree + 1):
        out[k] = math.perm(k, order) * at ** (k - order)
    return out


def _as_quantities(
    readings: Quantity, local: Local, rows: list[Array], derivatives: Array, root: tuple[float, Array],
    clock: Clock,
) -> tuple[Quantity, ...]:  # fmt: skip
    at, late = root
    weights = np.array([late, *(rows[k] @ local.gain + derivatives[k + 1] * late for k in range(3))])
    moved = readings.weighed(weights)
    time = with_rate(moved[0].moved_to(local.origin + at).with_unit(SECOND), clock)
    unit = readings.unit
    rest = [
        with_rate(moved[k + 1].moved_to(derivatives[k]).with_unit(unit / SECOND**k), clock, -float(k))
        for k in range(3)
    ]
    return (time, *rest)
