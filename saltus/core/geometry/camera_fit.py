"""The moves of a camera by least squares, in all frames at once, and what they tell of its pinhole."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.camera_motion import MOVES, steadied
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

ROUNDS, TURNS = 30, 3
LONGEST_STEP = np.array([[150.0], [150.0], [0.2], [0.1]])
"""Of each move in one round: px, px, rad, logarithm of the zoom."""
SMALLEST_STEP = 1e-9
MOST_TO_TELL = 200
"""More frames than so many hardly tell k better."""
MOST_ZOOM, MOST_SHIFT_PX = 3.0, 1e5
"""Logarithm of a zoom, and a shift, that no camera has while it films."""
WIDEST = 0.55
"""Distance of the pinhole of the widest usual lens, over the diagonal of the picture."""


def usual_turning(width: int, height: int) -> tuple[float, float]:
    """Give k = 1/f² and its standard uncertainty as long as nothing is known of a camera, 1/px².

    Anything between a shift along the plane of the motion and a turn about a wide lens: uniform.

    Parameters
    ----------
    width, height : int
        Of the picture, px.
    """
    most = 1.0 / (WIDEST * math.hypot(width, height)) ** 2
    return most / 2, most / math.sqrt(12)


class CameraFit:
    """Moves of a camera by least squares, in all frames at once, frame by frame for themselves."""

    def __init__(self, seen: Array, u: Array, first: int, size: tuple[int, int], zooms: bool) -> None:
        """Take points as seen, (P, 2, F) px, each with its u; infinite where one was not seen.

        ``first`` is the place of the steady frame, in which all are.
        """
        self.seen, self.u, self.first = seen, u, first
        self._size, self._zooms = size, zooms
        self.centre = ((size[0] - 1) / 2, (size[1] - 1) / 2)
        count = seen.shape[0]
        self.free = [0, 1] if count == 1 else [0, 1, 2, 3] if zooms else [0, 1, 2]
        both = u**2 + u[:, :, first : first + 1] ** 2
        self.weight = (1.0 / both).reshape(2 * count, -1)

    def residual(
        self, moves: Array, turning: float, *, alone: bool = False
    ) -> tuple[Array, Array, Array, Array]:
        """Residuals (2P, F), by the moves (2P, 4, F), by k (2P, F), by what is seen (P, 2, 2, F).

        ``alone``: only what they change with the moves is wanted.
        """
        r, by_moves, by_k, by_seen = [], [], [], []
        for seen in self.seen:
            at = steadied(seen, moves, turning, self.centre, by_moves_alone=alone)
            r.append(at.places - seen[:, self.first : self.first + 1])
            by_moves.append(at.by_moves)
            by_k.append(at.by_turning)
            by_seen.append(at.by)
        return np.concatenate(r), np.concatenate(by_moves), np.concatenate(by_k), np.stack(by_seen)

    def _gain(self, by_moves: Array) -> Array:
        """What turns residuals into moves, (4, 2P, F)."""
        design = by_moves[:, self.free]
        weighed = design * self.weight[:, None, :]
        normal = np.einsum("cmf,cnf->fmn", weighed, design)
        try:
            gain = np.linalg.solve(normal, weighed.transpose(2, 1, 0))
        except np.linalg.LinAlgError:
            raise GeometryError(say("camera.cannot-tell")) from None
        out = np.zeros((MOVES, *self.weight.shape))
        out[self.free] = gain.transpose(1, 2, 0)
        return out

    def _start(self) -> Array:
        """Moves of a camera that is only shifted, turned about the line of sight and zooms, (4, F)."""
        seen = self.seen[:, 0] - self.centre[0] + 1j * (self.seen[:, 1] - self.centre[1])
        steady, out = seen[:, self.first : self.first + 1], np.zeros((MOVES, seen.shape[1]))
        there = (self.weight[0::2] > 0) / np.count_nonzero(self.weight[0::2] > 0, axis=0)
        by = np.ones(seen.shape[1], dtype=complex)
        if len(self.free) > 2:
            away, still = (z - (there * z).sum(axis=0) for z in (seen, steady))
            by = (there * away * still.conj()).sum(axis=0) / np.sum(there * np.abs(still) ** 2, axis=0)
            by = by if len(self.free) == MOVES else by / np.abs(by)
        shift = (there * (seen - by * steady)).sum(axis=0)
        out[:] = shift.real, shift.imag, np.angle(by), np.log(np.abs(by))
        return out

    def _moves(self, turning: float, moves: Array) -> Array:
        for _round in range(ROUNDS):
            r, by_moves, _k, _seen = self.residual(moves, turning, alone=True)
            step = np.einsum("mcf,cf->mf", self._gain(by_moves), r)
            # short steps: a far pan through a wide lens is reached from the start in several
            moves = moves - np.clip(step, -LONGEST_STEP, LONGEST_STEP)
            most = np.abs(moves).max(axis=1)
            if not (np.isfinite(most).all() and most[:2].max() < MOST_SHIFT_PX and most[-1] < MOST_ZOOM):
                raise GeometryError(say("camera.cannot-tell"))
            if float(np.abs(step).max()) < SMALLEST_STEP:
                break
        return moves

    def solved(self, turning: float, u_turning: float) -> tuple[Array, float, float]:
        """Moves (4, F), k and its standard uncertainty: what points say of it joined with what is usual."""
        if 2 * self.seen.shape[0] > len(self.free):
            turning, u_turning = self._some().told(turning, u_turning)
        return self._moves(turning, self._start()), turning, u_turning

    def _some(self) -> CameraFit:
        """The same in some of the frames, evenly taken, where there are many: enough to tell k."""
        rows = np.unique(np.linspace(0, self.seen.shape[2] - 1, MOST_TO_TELL).astype(int))
        rows = np.union1d(rows, [self.first])
        first = int(np.searchsorted(rows, self.first))
        return CameraFit(self.seen[:, :, rows], self.u[:, :, rows], first, self._size, self._zooms)

    def told(self, turning: float, u_turning: float) -> tuple[float, float]:
        """Give k of the pinhole and its standard uncertainty, by the points and by what is usual.

        Parameters
        ----------
        turning, u_turning : float
            What is usual, 1/px².
        """
        usual, u_usual = turning, u_turning
        moves = self._moves(turning, self._start())
        for _turn in range(TURNS):
            r, by_moves, by_k, by_seen = self.residual(moves, turning)
            gain = self._gain(by_moves)
            across = by_k - np.einsum("cmf,mf->cf", by_moves, np.einsum("mcf,cf->mf", gain, by_k))
            info = float(np.sum(across**2 * self.weight))
            if not info > 0:
                break
            pull = across * self.weight / info
            u_told = self._u_told(pull, by_seen)
            told = turning - float(np.sum(pull * r))
            share = 1.0 / (1.0 + (u_told / u_usual) ** 2)
            turning = max(usual + share * (told - usual), 0.0)
            u_turning = u_usual * math.sqrt(1.0 - share)
            moves = self._moves(turning, moves)
        return turning, u_turning

    def _u_told(self, pull: Array, by_seen: Array) -> float:
        """Uncertainty of k by the points: each frame's own, and that of the steady frame in all alike."""
        square, count = 0.0, self.seen.shape[0]
        shaped = pull.reshape(count, 2, -1)
        for i in range(count):
            u = np.where(np.isfinite(self.u[i]), self.u[i], 0.0)
            own = np.einsum("cf,caf->af", shaped[i], by_seen[i]) * u
            own[:, self.first] = 0.0
            alike = (shaped[i].sum(axis=1) - shaped[i][:, self.first]) * self.u[i][:, self.first]
            square += float(np.sum(own**2) + np.sum(alike**2))
        return math.sqrt(square)

    def gain(self, moves: Array, turning: float) -> tuple[Array, Array, Array]:
        """Moves by places, (4, 2P, F), places by what is seen, (P, 2, 2, F), and moves by k, (4, F)."""
        _r, by_moves, by_k, by_seen = self.residual(moves, turning)
        gain = self._gain(by_moves)
        return gain, by_seen, -np.einsum("mcf,cf->mf", gain, by_k)
