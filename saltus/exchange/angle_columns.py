"""Columns of the motion table for the angle about a point, its velocity and acceleration."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.coordinates import angle_of
from saltus.core.motion.local import local_motion
from saltus.core.quantities import exact, family
from saltus.core.sources import reading
from saltus.core.units import METRE

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.exchange.tables import Cell

ANGLES = (
    "angle [rad]", "u(angle) [rad]", "omega [rad/s]", "u(omega) [rad/s]", "alpha [rad/s^2]",
    "u(alpha) [rad/s^2]",
)  # fmt: skip
T, X, Y, U_X, U_Y = 2, 3, 4, 5, 6
"""Places in a row of the motion table."""


def angle_header(common: Sequence[str]) -> tuple[str, ...]:
    """Columns of the angle, and what it has in common where x and y have."""
    names = dict.fromkeys(name.rpartition("(")[0] for name in common)
    return (*ANGLES, *(f"{name}(angle) [rad]" for name in names))


def add_angles(
    rows: list[list[Cell]], header: Sequence[str], pivot: tuple[float, float], window: int
) -> None:
    """Add to rows of the motion table the angle about a point.

    Parameters
    ----------
    rows : list of list
        Each body's in order of time; lost ones stay empty.
    header : sequence of str
        Of the rows as they are.
    pivot : (float, float)
        m.
    window : int
        Readings the local parabola is fitted to.

    Raises
    ------
    PivotError
        If a body lies on the point.
    """
    pairs = [i for i, name in enumerate(header) if name.startswith("c:") and name.endswith("(x) [m]")]
    for row in rows:
        row.extend([None] * (len(ANGLES) + len(pairs)))
    for body in dict.fromkeys(row[0] for row in rows):
        seen = [row for row in rows if row[0] == body and row[X] is not None]
        if not seen:
            continue
        seen.sort(key=lambda row: float(row[T] or 0))
        for columns in _angles(seen, pivot, window, pairs):
            for row, value in zip(seen, columns[1], strict=True):
                row[len(header) + columns[0]] = float(value) if math.isfinite(value) else None


def _angles(
    rows: list[list[Cell]], pivot: tuple[float, float], window: int, pairs: list[int]
) -> list[tuple[int, np.ndarray[tuple[int], np.dtype[np.float64]]]]:
    """The columns of one body, by their place behind the others; NaN where nothing is stated."""
    t, x, y, u_x, u_y = (np.array([r[i] for r in rows], dtype=float) for i in (T, X, Y, U_X, U_Y))
    stated = bool(np.all(np.isfinite(u_x) & np.isfinite(u_y)))
    along, across = (
        family(v - at, u, METRE, reading("table", "body", axis)) if stated else exact(v - at, METRE)
        for v, u, axis, at in ((x, u_x, "x", pivot[0]), (y, u_y, "y", pivot[1]))
    )
    angle = angle_of(along, across)
    u = angle.u_own if stated else np.full(len(t), math.nan)
    near = local_motion(t, angle.value, u, window)
    made = [angle.value, u, near.v, near.u_v, near.a, near.u_a]
    r2 = along.value**2 + across.value**2
    for i in pairs:
        c_x, c_y = (np.array([r[j] or 0.0 for r in rows], dtype=float) for j in (i, i + 1))
        made.append((along.value * c_y - across.value * c_x) / r2)
    return list(enumerate(made))
