"""Pulses of a gate in the shape of a motion table."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.local import DEFAULT_WINDOW, local_motion

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.local import LocalMotion
    from saltus.core.pulses import PulseMotion
    from saltus.exchange.tables import Cell


def pulse_rows(
    found: PulseMotion, body: str = "gate", window: int = DEFAULT_WINDOW, *, angular: bool = False
) -> list[list[Cell]]:
    """Rows of a motion table; the number of the stripe stands for the frame.

    Parameters
    ----------
    found : PulseMotion
    body : str
    window : int
        Pulses the local parabola is fitted to.
    angular : bool
        Positions are angles: they are written as places on a circle of one metre, whose angle about the
        origin is the angle meant. Otherwise they lie along x, and y stays empty.
    """
    stated = bool(np.all(found.u_position > 0))
    u = found.u_position if stated else np.full(len(found.t), np.nan)
    motion = local_motion(found.t, found.position, u, window)
    rows: list[list[Cell]] = []
    if angular:
        return [_on_circle(body, int(n), found, u, motion, i) for i, n in enumerate(found.number)]
    for i, number in enumerate(found.number):
        cells: list[Cell] = [
            float(found.position[i]), None, float(u[i]), None,
            float(motion.v[i]), None, float(motion.u_v[i]), None,
            float(motion.a[i]), None, float(motion.u_a[i]), None,
        ]  # fmt: skip
        rows.append([body, int(number), float(found.t[i]), *cells, found.u_spacing, 0.0])
    return rows


def _on_circle(
    body: str, number: int, found: PulseMotion, u: NDArray[np.float64], motion: LocalMotion, i: int
) -> list[Cell]:
    angle, w, a = float(found.position[i]), float(motion.v[i]), float(motion.a[i])
    c, s, u_angle = math.cos(angle), math.sin(angle), float(u[i])
    u_w, u_a = float(motion.u_v[i]), float(motion.u_a[i])
    cells: list[Cell] = [
        c, s, u_angle, u_angle, -s * w, c * w, abs(s) * u_w, abs(c) * u_w,
        -c * w**2 - s * a, -s * w**2 + c * a, abs(s) * u_a, abs(c) * u_a,
    ]  # fmt: skip
    return [body, number, float(found.t[i]), *cells, found.u_spacing, 0.0]
