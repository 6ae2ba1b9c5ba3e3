"""The quantities of a motion that can be graphed: places, velocities, accelerations, angles and energies."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.coordinates import angle_of, path_of, radius_of
from saltus.core.motion.local import DEFAULT_WINDOW, LocalMotion, local_motion
from saltus.core.units import METRE, SECOND, Unit

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

PLACES = ("x", "y", "path", "radius", "angle")
RATES = {
    "vx": ("x", 1), "vy": ("y", 1), "ax": ("x", 2), "ay": ("y", 2), "omega": ("angle", 1),
    "alpha": ("angle", 2),
}  # fmt: skip
"""Quantities that are how fast a coordinate changes (1) or how fast that changes (2)."""
ENERGIES = ("kinetic", "potential", "energy")
KINDS = ("t", *PLACES, *RATES, "speed", "acceleration", *ENERGIES)
GRAVITY = 9.81
"""Taken exactly, in m/s², for the potential energy."""


class NotGraphedError(ValueError):
    """A quantity that this motion does not give: ``code`` says why.

    Attributes
    ----------
    code : {"scale"}
    """

    def __init__(self, code: str) -> None:
        super().__init__(code)
        self.code = code


@dataclass(frozen=True)
class Graphed:
    """A quantity of a motion at each reading.

    Attributes
    ----------
    values, u : (N,) ndarray
        In ``unit``; u is the standard uncertainty that comes from the readings alone.
    unit : Unit
    """

    values: Array
    u: Array
    unit: Unit


@dataclass(frozen=True)
class Course:
    """Positions of a body by which all else is worked out.

    Attributes
    ----------
    t : (N,) ndarray
        Increasing times, s.
    x, y : Quantity
        (N,) in m, or px.
    tilt : float
        How far the axes are turned anticlockwise from the horizontal of the picture, rad.
    window : int
        Readings a local parabola is laid through.
    """

    t: Array
    x: Quantity
    y: Quantity
    tilt: float = 0.0
    window: int = DEFAULT_WINDOW

    def of(self, coordinate: str) -> Quantity:
        """A coordinate: one of :data:`PLACES`.

        Raises
        ------
        PivotError
            If an angle is asked for and the body lies at the origin.
        """
        if coordinate in ("x", "y"):
            return self.x if coordinate == "x" else self.y
        if coordinate == "path":
            return path_of(self.t, self.x, self.y)
        return (angle_of if coordinate == "angle" else radius_of)(self.x, self.y)

    def local(self, coordinate: str) -> LocalMotion:
        """How a coordinate changes near each reading."""
        position = self.of(coordinate)
        return local_motion(self.t, position.value, position.u_own, self.window)


def graphed(course: Course, kind: str) -> Graphed:
    """A quantity of a motion at each reading.

    Parameters
    ----------
    course : Course
    kind : str
        One of :data:`KINDS`.

    Raises
    ------
    PivotError
        If an angle is asked for and the body lies at the origin.
    NotGraphedError
        If energies are asked for and there is no scale.

    Notes
    -----
    Energies are per mass, in J/kg: ½·v² from local parabolas, and g·h with h above the origin along the
    vertical of the picture. Errors of place and velocity at one reading are taken as independent, which they
    are in the middle of a local parabola.
    """
    if kind == "t":
        return Graphed(course.t, np.zeros(len(course.t)), SECOND)
    if kind in PLACES:
        place = course.of(kind)
        return Graphed(place.value, np.asarray(place.u_own), place.unit)
    if kind in RATES:
        coordinate, order = RATES[kind]
        local, unit = course.local(coordinate), course.of(coordinate).unit
        values, u = (local.v, local.u_v) if order == 1 else (local.a, local.u_a)
        return Graphed(values, u, unit / SECOND**order)
    if kind in ("speed", "acceleration"):
        order = 1 if kind == "speed" else 2
        return Graphed(*_size(course, order), course.x.unit / SECOND**order)
    return _energy(course, kind)


def _size(course: Course, order: int) -> tuple[Array, Array]:
    """Size of the velocity (1) or the acceleration (2), and its standard uncertainty."""
    parts = [graphed(course, RATE_OF[c, order]) for c in ("x", "y")]
    size = np.hypot(parts[0].values, parts[1].values)
    with np.errstate(all="ignore"):
        u = np.hypot(parts[0].values * parts[0].u, parts[1].values * parts[1].u) / size
    return size, np.where(size > 0, u, np.hypot(parts[0].u, parts[1].u))


RATE_OF = {pair: name for name, pair in RATES.items()}


def _energy(course: Course, kind: str) -> Graphed:
    if course.x.unit != METRE:
        raise NotGraphedError("scale")
    speed, u_speed = _size(course, 1)
    kinetic, u_kinetic = 0.5 * speed**2, speed * u_speed
    up, across = math.cos(course.tilt), math.sin(course.tilt)
    potential = GRAVITY * (course.y.value * up + course.x.value * across)
    u_potential = GRAVITY * np.hypot(course.y.u_own * up, course.x.u_own * across)
    values, u = {
        "kinetic": (kinetic, u_kinetic),
        "potential": (potential, u_potential),
        "energy": (kinetic + potential, np.hypot(u_kinetic, u_potential)),
    }[kind]
    return Graphed(values, u, (METRE / SECOND) ** 2)


def model_course(
    x: Callable[[Array, int], Array] | None, y: Callable[[Array, int], Array] | None, t: Array, tilt: float
) -> dict[str, Array]:
    """What models of x and y say of a motion: values by :data:`KINDS`, where they say anything.

    Parameters
    ----------
    x, y : callable or None
        Place (0), velocity (1) or acceleration (2) at times, s; None where that has no model.
    t : (N,) ndarray
        s
    tilt : float
        See :class:`Course`.
    """
    found = {"t": t}
    for name, model in (("x", x), ("y", y)):
        if model is not None:
            found |= {name: model(t, 0), RATE_OF[name, 1]: model(t, 1), RATE_OF[name, 2]: model(t, 2)}
    if x is not None and y is not None:
        found["speed"] = np.hypot(found["vx"], found["vy"])
        found["acceleration"] = np.hypot(found["ax"], found["ay"])
        found["radius"] = np.hypot(found["x"], found["y"])
        found["kinetic"] = 0.5 * found["speed"] ** 2
        height = found["y"] * math.cos(tilt) + found["x"] * math.sin(tilt)
        found["potential"] = GRAVITY * height
        found["energy"] = found["kinetic"] + found["potential"]
    return found
