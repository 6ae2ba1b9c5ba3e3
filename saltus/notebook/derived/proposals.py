"""Segments that the motion itself proposes: where it rests, runs evenly, swings."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.models import MODELS
from saltus.core.motion.pieces import pieces_of, usable_noise
from saltus.core.motion.segment import Fitted, fit_segment
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.motion import coordinate_kind, motion_in
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.motion.models import Model
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Body, Take

FEWEST = 5
STEADY = ("rest", "constant-velocity", "constant-acceleration")
TURNING = ("rest", "uniform-rotation", "angular-acceleration")
WHOLE = ("oscillation", "damped-oscillation")
MANY = 4
"""So many pieces in a record that one swing may explain better."""


@remembered
def proposed(take: Take, body: Body, of: str) -> list[tuple[int, int, str]]:
    """First frame, last frame and model of each stretch in which the motion does not change.

    Parameters
    ----------
    take, body
    of : str
        The coordinate.
    """
    motion = motion_in(take, body, of)
    if len(motion.t) < FEWEST:
        return []
    try:
        position = motion.of(of)
    except PivotError:
        return []
    u = usable_noise(motion.t, position.value, position.u_own)
    pieces = pieces_of(motion.t, position.value, u)
    steady = TURNING if coordinate_kind(of) == "angle" else STEADY
    if len(pieces) >= MANY:
        whole = np.arange(len(motion.t))
        for name in WHOLE:
            if _fits(MODELS[name], motion.t, position, take, body, whole):
                return [(int(motion.frames[0]), int(motion.frames[-1]), name)]
    out = []
    for piece in pieces:
        chosen = np.arange(piece.first, piece.last + 1)
        model = next(
            (n for n in steady if _fits(MODELS[n], motion.t, position, take, body, chosen)), steady[-1]
        )
        out.append((int(motion.frames[piece.first]), int(motion.frames[piece.last]), model))
    return out


def _fits(
    model: Model, t: np.ndarray[tuple[int], np.dtype[np.float64]], position: Quantity, take: Take, body: Body,
    chosen: np.ndarray[tuple[int], np.dtype[np.int64]],
) -> bool:  # fmt: skip
    fit = fit_segment(model, t[chosen], position[chosen], clock_of(take), Fitted(body.id, "x", "proposed"))
    return bool(fit) and fit.fits  # type: ignore[union-attr]
