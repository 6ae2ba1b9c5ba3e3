"""A circle through three or more points, with all that the points are unsure of."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.fitting.judgement import judge_stated
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say
from saltus.core.with_uncertainty import with_correlated

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

ROUNDS = 30
FEWEST = 3
SURE = 3.0
"""The arch of the points must be higher than so many u of a point."""


@dataclass(frozen=True)
class Circle:
    """A circle laid through points.

    Attributes
    ----------
    x, y, radius : Quantity
        Of its middle, and its radius, m.
    off : float or None
        By how much the points are off it, root mean square with their degrees of freedom, m; None for three.
    spread : float
        By what the stated uncertainties were multiplied, dimensionless.
    """

    x: Quantity
    y: Quantity
    radius: Quantity
    off: float | None
    spread: float


def circle_through(x: Quantity, y: Quantity, take: str, name: str) -> Circle:
    """Lay the circle of least squares of the distances through points.

    Parameters
    ----------
    x, y : Quantity
        (N,) m, three points or more.
    take, name : str
        Name the source of their scatter.

    Raises
    ------
    GeometryError
        If there are fewer than three, or they lie on a line as far as can be told.
    """
    count = len(x)
    if count < FEWEST:
        raise GeometryError(say("circle.three-points"))
    places = np.stack([x.value, y.value])
    u = np.hypot(x.u_own, y.u_own) / math.sqrt(2)
    middle, radius = middle_of(places, float(np.median(u)))
    away = places - middle[:, None]
    distance = np.hypot(*away)
    unit = away / distance
    gain = np.linalg.pinv(np.vstack([unit, np.ones(count)]).T)
    dof = count - FEWEST
    off = math.sqrt(float(np.sum((distance - radius) ** 2)) / dof) if dof else None
    judged = judge_stated(float(np.sum(((distance - radius) / u) ** 2)), dof) if u.all() else None
    scatters = off is not None and (judged is None or judged.spread is not None)
    if scatters:
        # what each point has for itself gives way to how they scatter about the circle
        x, y = x.without_own(), y.without_own()
    found = (x.weighed(gain * unit[0]) + y.weighed(gain * unit[1])).moved_to([*middle, radius])
    if scatters and off is not None:
        found = with_correlated(found, gain @ gain.T * off**2, sources.circle_scatter(take, name, dof))
    spread = judged.spread if judged is not None and judged.spread is not None else 1.0
    return Circle(found[0], found[1], found[2], off, spread)


def middle_of(places: Array, u: float = 0.0) -> tuple[Array, float]:
    """Middle (2,) and radius of the circle of least squares through points.

    Parameters
    ----------
    places : (2, N) ndarray
        Three points or more, px or m.
    u : float
        Standard uncertainty of a point: what is arched by less than that is a line.

    Raises
    ------
    GeometryError
        If they lie on a line.

    Notes
    -----
    Gauss–Newton on the distances, from the algebraic circle of Kåsa (1976, doi:10.1109/TIM.1976.6312298).
    """
    start = places.mean(axis=1)
    near = places - start[:, None]
    size = float(np.hypot(*near).max())
    axes = np.linalg.svd(near.T, full_matrices=False)[2] if size > 0 else np.eye(2)
    along, across = axes @ near
    if not size > 0 or _arch(along, across) <= SURE * u + 1e-9 * size:
        raise GeometryError(say("circle.on-a-line"))
    scaled = near / size
    design = np.vstack([2 * scaled, np.ones(scaled.shape[1])]).T
    a, b, c = np.linalg.lstsq(design, np.sum(scaled**2, axis=0), rcond=None)[0]
    fit = np.array([a, b, math.sqrt(max(c + a * a + b * b, 1e-12))])
    for _round in range(ROUNDS):
        away = scaled - fit[:2, None]
        distance = np.maximum(np.hypot(*away), 1e-12)
        step = np.linalg.pinv(np.vstack([away / distance, np.ones(len(distance))]).T) @ (distance - fit[2])
        fit = fit + step
        if float(np.abs(step).max()) < 1e-12:
            break
    if not np.isfinite(fit).all() or fit[2] <= 0:
        raise GeometryError(say("circle.on-a-line"))
    return fit[:2] * size + start, float(fit[2]) * size


def _arch(along: Array, across: Array) -> float:
    """How high the parabola through points stands over its chord; what is not arched is a line."""
    half = float(np.ptp(along)) / 2
    if half <= 0:
        return 0.0
    if float(np.ptp(across)) > half:
        return half
    bend = np.linalg.lstsq(np.vander(along / half, FEWEST), across, rcond=None)[0][0]
    return abs(float(bend))
