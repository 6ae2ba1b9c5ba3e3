"""All places of a body and what it covers, found at once: one after the other they hardly come to rest."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

LEVEL_PRIOR = 1e-3
"""Gains and offsets of all pictures together are held by so little of what is known of each."""


@dataclass(frozen=True)
class InItsFrame:
    """A body in T pictures, each moved so that the body stands still, P pixels each, grey levels.

    Attributes
    ----------
    pictures, ground : (T, P) ndarray
        What is seen, and what lies behind.
    own, through : (P,) ndarray
        The body's own light, and how far the ground shows through, 0 to 1.
    own_slopes, through_slopes : (2, P) ndarray
        Of these along x and along y, per px.
    ridge : (P,) ndarray
        How strongly ``through`` is held to what is known of it beforehand, squared grey levels.
    """

    pictures: Array
    ground: Array
    own: Array
    through: Array
    own_slopes: Array
    through_slopes: Array
    ridge: Array


def moves(body: InItsFrame) -> Array:
    """Tell how far each place is off, with what the body covers left free to follow.

    Parameters
    ----------
    body : InItsFrame

    Returns
    -------
    (T, 4) ndarray
        To be added to place (right, down; px), gain and offset of each picture. Their mean move is zero.

    Notes
    -----
    Gauss and Newton's step of all unknowns of all pictures; those of the pixels are taken out beforehand
    (Schur's complement, as in bundle adjustment: Triggs et al. 2000, doi:10.1007/3-540-44480-7_21). Places
    that lean with the ground's brightness look nearly like a body the ground shines through: taking turns
    between places and body needs hundreds of rounds there.
    """
    count, pixels = body.pictures.shape
    off = body.ground - body.ground.mean(axis=0)
    model = body.own + body.through * body.ground
    left = body.pictures - model
    held = (body.through <= 0.0) | (body.through >= 1.0)
    free = np.where(held, 0.0, 1.0 / (np.sum(off**2, axis=0) + body.ridge))
    by = np.empty((count, 4, pixels), dtype=np.float32)
    for i in (0, 1):
        np.multiply(body.through_slopes[i], body.ground, out=by[:, i])
        by[:, i] += body.own_slopes[i]
    np.negative(model, out=by[:, 2])
    by[:, 3] = -1.0
    # what all have in common, and what the pixels' own unknowns take: one product of all with all
    shared = np.empty((4 * count, 2 * pixels), dtype=np.float32)
    np.multiply(by.reshape(4 * count, pixels), np.float32(1 / math.sqrt(count)), out=shared[:, :pixels])
    leaning = (np.sqrt(free) * off).astype(np.float32)
    np.multiply(by, leaning[:, None, :], out=shared[:, pixels:].reshape(count, 4, pixels))
    normal = -(shared @ shared.T).astype(float)
    alone = np.matmul(by, by.transpose(0, 2, 1)).astype(float)
    for t in range(count):
        block = slice(4 * t, 4 * t + 4)
        normal[block, block] += alone[t] + LEVEL_PRIOR * np.diag(np.diag(alone[t])) * [0, 0, 1, 1]
    slope = np.matmul(by, left.astype(np.float32)[:, :, None])[:, :, 0].astype(float).ravel()
    return _with_mean_move_held(normal, slope, count)


def _with_mean_move_held(normal: Array, slope: Array, count: int) -> Array:
    """Solve for the moves: all together the body only moves in its own frame: their mean is held at zero."""
    together = np.zeros((4 * count, 2))
    together[0::4, 0] = together[1::4, 1] = 1.0
    system = np.block([[normal, together], [together.T, np.zeros((2, 2))]])
    wanted = np.concatenate([-slope, np.zeros(2)])
    try:
        found = np.linalg.solve(system, wanted)
    except np.linalg.LinAlgError:
        found = np.linalg.lstsq(system, wanted, rcond=None)[0]
    return np.asarray(found[: 4 * count].reshape(count, 4))
