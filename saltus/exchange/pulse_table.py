"""Pulses of a gate in the shape of a motion table."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.local import DEFAULT_WINDOW, local_motion
from saltus.exchange.motion_table import motion_header

if TYPE_CHECKING:
    from saltus.core.pulses import PulseMotion
    from saltus.exchange.tables import Cell


def pulse_rows(found: PulseMotion, body: str = "gate", window: int = DEFAULT_WINDOW) -> list[list[Cell]]:
    """Rows of a motion table along x; the number of the stripe stands for the frame, y stays empty.

    Parameters
    ----------
    found : PulseMotion
    body : str
    window : int
        Pulses the local parabola is fitted to.
    """
    stated = bool(np.all(found.u_position > 0))
    u = found.u_position if stated else np.full(len(found.t), np.nan)
    motion = local_motion(found.t, found.position, u, window)
    rows: list[list[Cell]] = []
    for i, number in enumerate(found.number):
        cells: list[Cell] = [
            float(found.position[i]), None, float(u[i]), None,
            float(motion.v[i]), None, float(motion.u_v[i]), None,
            float(motion.a[i]), None, float(motion.u_a[i]), None,
        ]  # fmt: skip
        rows.append([body, int(number), float(found.t[i]), *cells, found.u_spacing, 0.0])
    return rows


def pulse_header(unit: str = "m") -> tuple[str, ...]:
    """Header of the table; positions in m, or in rad for a wheel."""
    return motion_header(unit)
