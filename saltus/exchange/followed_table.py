"""The table of followed readings, in the shape of the headless command."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.exchange.motion_table import COMMON, READINGS_HEADER, TURNED

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.core.following.followed import Followed
    from saltus.exchange.tables import Cell

DECIMALS = 5


def followed_table(bodies: Sequence[Followed]) -> tuple[tuple[str, ...], list[list[Cell]]]:
    """Header and rows: body by body, frames in order; a lost frame has no place.

    Parameters
    ----------
    bodies : sequence of Followed
        Each is a run of its own: what its places have in common, others do not share.
    """
    turned = any(any(math.isfinite(a) for a in body.angle) for body in bodies)
    header = (*READINGS_HEADER, *COMMON, *(TURNED if turned else ()))
    rows: list[list[Cell]] = []
    for run, body in enumerate(bodies, 1):
        shared = body.u_common
        for i, frame in enumerate(body.frames):
            place = [_cell(c[i]) for c in (body.x, body.y, body.u_x, body.u_y)]
            common: list[Cell] = [_cell(shared[0, i]), _cell(shared[1, i]), run]
            turn = [_cell(body.angle[i]), _cell(body.u_angle[i])] if turned else []
            rows.append([body.name, int(frame), float(body.t[i]), *place, body.states[i], *common, *turn])
    return header, rows


def _cell(value: float) -> Cell:
    return round(float(value), DECIMALS) if math.isfinite(value) else None
