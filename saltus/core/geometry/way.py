"""The direction in which a body moves, from its places in the picture."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.axes import Axes

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping

    Array = NDArray[np.float64]

FAR_ENOUGH = 10.0
"""A way shorter than so many u of a place tells no direction."""


def direction_of_way(mapping: Mapping, seen: Array, u_px: float) -> tuple[float, float] | None:
    """Give the angle of a straight way, anticlockwise as seen, in the direction of the motion.

    Parameters
    ----------
    mapping : Mapping
        Its axes do not count.
    seen : (2, N) ndarray
        Places in order of time, px; at least two.
    u_px : float
        Standard uncertainty of each, px.

    Returns
    -------
    angle, u_angle : float or None
        rad; None where the way is too short. u is that of the line, or of how far places are off it,
        whichever is larger.

    Notes
    -----
    Orthogonal regression: the first principal axis; u = s/√Σl², with l along the line from its middle.
    """
    square = replace(mapping, axes=Axes(None), scale=None, nearer=None)
    there = square.reaches(seen)
    seen = seen[:, there]
    if seen.shape[1] < 2:
        return None
    straight = square.straightened(seen)
    laid = square.ground.places(straight) if square.ground is not None else straight * [[1.0], [-1.0]]
    per_px = 1.0 if square.ground is None else square.per_px
    away = laid - laid.mean(axis=1)[:, None]
    _u, _s, axes = np.linalg.svd(away.T, full_matrices=False)
    along, across = axes[0] @ away, axes[1] @ away
    size = float(np.sqrt(np.sum(along**2)))
    if float(np.ptp(along)) < FAR_ENOUGH * u_px * per_px:
        return None
    spread = float(np.sqrt(np.sum(across**2) / max(along.size - 2, 1)))
    way = axes[0] * np.sign(along[-1] - along[0] or 1.0)
    mirrored = square.ground is not None and not square.ground.upright
    return math.atan2(way[1], way[0]) * (-1 if mirrored else 1), max(u_px * per_px, spread) / size
