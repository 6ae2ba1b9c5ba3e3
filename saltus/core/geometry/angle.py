"""The angle between two arms, from where their ends lie in the world."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say
from saltus.core.units import RADIAN

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity


def angle_above(x: Quantity, y: Quantity) -> Quantity:
    """Angle of a way from the first place to the second, anticlockwise from the x axis, −π to π.

    Parameters
    ----------
    x, y : Quantity
        (2,) m.

    Raises
    ------
    GeometryError
        If both are one place.
    """
    along, up = x[1] - x[0], y[1] - y[0]
    square = float(along) ** 2 + float(up) ** 2
    if not square > 0:
        raise GeometryError(say("angle.no-arm"))
    turned = up * (float(along) / square) - along * (float(up) / square)
    return turned.moved_to(math.atan2(float(up), float(along))).with_unit(RADIAN)


def angle_between(x: Quantity, y: Quantity) -> Quantity:
    """Angle at the middle of three places between the ways to the others, 0 to π.

    Parameters
    ----------
    x, y : Quantity
        (3,) m: an end, the vertex, the other end.

    Raises
    ------
    GeometryError
        If an arm has no length.
    """
    to_first, to_second = np.array([1, 0]), np.array([1, 2])
    first = angle_above(x[to_first], y[to_first])
    second = angle_above(x[to_second], y[to_second])
    between = second - first
    turned = math.remainder(float(between), 2 * math.pi)
    return between.moved_to(turned) if turned >= 0 else -between.moved_to(turned)
