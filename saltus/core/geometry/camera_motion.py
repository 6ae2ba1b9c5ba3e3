"""A camera that moves while it films: what every frame of it becomes in the steady picture.

The steady picture is the one of a chosen frame. From it a camera that turns about the line of sight, zooms,
pans and tilts makes every other: with x, y about the middle of the picture, straightened,

    q = e^λ R(ρ) x,   pan: x' = (x + s)/(1 − c x s), y' = y √(1 + c s²)/(1 − c x s),   tilt: the same with y

s the shift of the middle in px, c = k e^(−2λ) and k = 1/f², f the distance of the pinhole in px. k = 0 is a
camera that is shifted along the plane of the motion: one model holds both, and k is as unsure as that.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from saltus.core import sources
from saltus.core.geometry.components import applied
from saltus.core.shares import Elements, Single

if TYPE_CHECKING:
    from typing import Any

    from numpy.typing import NDArray

    from saltus.core.shares import Share
    from saltus.core.sources import Source

    Array = NDArray[np.float64]

STEP = 1e-30
"""Of derivatives along the imaginary axis, which lose no digits (Squire and Trapp 1998)."""
MOVES = 4
"""Shift to the right and down, px; turn, rad; logarithm of the zoom."""
EDGES = 3


class Steadied(NamedTuple):
    """Places in the steady picture, (2, N) px, and what they change with.

    By the places as seen, (2, 2, N); by the moves of the camera, (2, 4, N); by k, (2, N) px³.
    """

    places: Array
    by: Array
    by_moves: Array
    by_turning: Array


def _back(x: Any, y: Any, moves: Any, k: Any) -> tuple[Any, Any]:
    """From a frame to the steady picture, about its middle; all may be complex."""
    right, down, turn, zoom = moves
    k = k * np.exp(-2 * zoom)
    over = 1 + k * y * down
    x, y = x * np.sqrt(1 + k * down**2) / over, (y - down) / over
    over = 1 + k * x * right
    x, y = (x - right) / over, y * np.sqrt(1 + k * right**2) / over
    c, s, by = np.cos(turn), np.sin(turn), np.exp(-zoom)
    return by * (c * x + s * y), by * (c * y - s * x)


def _away(x: Any, y: Any, moves: Any, k: Any) -> tuple[Any, Any]:
    """From the steady picture to a frame, about its middle."""
    right, down, turn, zoom = moves
    c, s, by = np.cos(turn), np.sin(turn), np.exp(zoom)
    k = k * np.exp(-2 * zoom)
    x, y = by * (c * x - s * y), by * (s * x + c * y)
    over = 1 - k * x * right
    x, y = (x + right) / over, y * np.sqrt(1 + k * right**2) / over
    over = 1 - k * y * down
    return x * np.sqrt(1 + k * down**2) / over, (y + down) / over


def steadied(
    seen: Array, moves: Array, turning: float, centre: tuple[float, float], *, by_moves_alone: bool = False
) -> Steadied:
    """Take places from the frames they were seen in to the steady picture.

    Parameters
    ----------
    seen : (2, N) ndarray
        Straightened, px.
    moves : (4, N) ndarray
        Of the camera in the frame of each: shift to the right and down, px; turn, rad; logarithm of the zoom.
    turning : float
        k, 1/px².
    centre : (x, y)
        Middle of the picture, px.
    by_moves_alone : bool
        Whether what places change with is wanted for the moves only; the rest is 0 then.
    """
    middle = np.array(centre)[:, None]
    x, y = seen - middle
    given = [x, y, *moves, np.full(x.shape, turning)]
    moved = []
    for n in range(len(given)):
        if by_moves_alone and not 2 <= n < 2 + MOVES:
            moved.append(np.zeros_like(seen))
            continue
        stepped = [g + STEP * 1j if m == n else g for m, g in enumerate(given)]
        out = _back(stepped[0], stepped[1], stepped[2:6], stepped[6])
        moved.append(np.stack(out).imag / STEP)
    places = np.stack(_back(x, y, moves, turning)) + middle
    return Steadied(places, np.stack(moved[:2], axis=1), np.stack(moved[2:6], axis=1), moved[6])


@dataclass(frozen=True)
class CameraMotion:
    """How a camera moved from frame to frame.

    Attributes
    ----------
    take : str
        Names its sources.
    steady : int
        The frame whose picture all others are brought to.
    frames : (F,) ndarray of int
        In which its motion is known, in order.
    moves : (4, F) ndarray
        Shift of the middle to the right and down, px; turn, rad, clockwise as seen; logarithm of the zoom.
    centre : (x, y)
        Middle of the picture, px.
    turning, u_turning : float
        k = 1/f² and its standard uncertainty, 1/px²; 0 for a camera that is shifted.
    each : tuple of (Source, (4, F) ndarray)
        What is uncertain of the moves in each frame for itself: families keyed by frame, sensitivity × u.
    common : tuple of (Source, (4, F) ndarray)
        What is uncertain of them in all frames alike.
    by_turning : (4, F) ndarray or None
        By how much they change with k, px² each.
    told : bool
        Whether what shows the motion also tells k; else it may be anything that is usual.
    """

    take: str
    steady: int
    frames: NDArray[np.int64]
    moves: Array
    centre: tuple[float, float]
    turning: float = 0.0
    u_turning: float = 0.0
    each: tuple[tuple[Source, Array], ...] = ()
    common: tuple[tuple[Source, Array], ...] = ()
    by_turning: Array | None = None
    told: bool = False

    def known(self, frames: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Whether its motion is known in frames, (N,).

        Parameters
        ----------
        frames : (N,) ndarray of int
        """
        return np.isin(frames, self.frames)

    def _row(self, frames: NDArray[np.int64]) -> NDArray[np.int64]:
        """Row of each frame; of the nearest known one, where it is not known."""
        after = np.clip(np.searchsorted(self.frames, frames), 0, len(self.frames) - 1)
        before = np.maximum(after - 1, 0)
        nearer = np.abs(self.frames[before] - frames) < np.abs(self.frames[after] - frames)
        return np.asarray(np.where(nearer, before, after))

    def steadied(self, seen: Array, frames: NDArray[np.int64]) -> Steadied:
        """Take straightened places, (2, N) px, from their frames to the steady picture.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        frames : (N,) ndarray of int
        """
        return steadied(seen, self.moves[:, self._row(frames)], self.turning, self.centre)

    def steady_places(self, seen: Array, frame: int) -> Array:
        """Take straightened places of one frame to the steady picture, (2, N) px.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        frame : int
        """
        return self._through(_back, seen, frame)

    def seen_places(self, steady: Array, frame: int) -> Array:
        """Where places of the steady picture are seen in a frame, straightened, (2, N) px.

        Parameters
        ----------
        steady : (2, N) ndarray
            px.
        frame : int
        """
        return self._through(_away, steady, frame)

    def _through(self, way: Any, places: Array, frame: int) -> Array:
        middle = np.array(self.centre)[:, None]
        moves = self.moves[:, self._row(np.array([frame]))]
        x, y = places - middle
        return np.asarray(np.stack(way(x, y, moves, self.turning)) + middle)

    def shared(self, at: Steadied, frames: NDArray[np.int64]) -> list[tuple[Source, tuple[Share, Share]]]:
        """What is uncertain of steady places by the camera: shares along x and y, px.

        Parameters
        ----------
        at : Steadied
            Of :meth:`steadied`.
        frames : (N,) ndarray of int
            The same.
        """
        row, lines = self._row(frames), np.arange(len(frames))
        found: list[tuple[Source, tuple[Share, Share]]] = []

        def moved(by_frame: Array) -> Array:
            return np.asarray(np.einsum("imn,mn->in", at.by_moves, by_frame[:, row]))

        for source, by_frame in self.each:
            c = moved(by_frame)
            there = c.any(axis=0)
            x, y = (Elements(lines[there], frames[there], c[i][there]) for i in (0, 1))
            found.append((source, (x, y)))
        for source, by_frame in self.common:
            c = moved(by_frame)
            found.append((source, (Single(c[0]), Single(c[1]))))
        if self.u_turning:
            total = at.by_turning if self.by_turning is None else at.by_turning + moved(self.by_turning)
            c = total * self.u_turning
            found.append((sources.camera_turning(self.take, told=self.told), (Single(c[0]), Single(c[1]))))
        return found

    def u_places(self, seen: Array, frame: int) -> tuple[float, float]:
        """Standard uncertainty that places of one frame have in the steady picture by the camera, px.

        Parameters
        ----------
        seen : (2, 1) ndarray
            px.
        frame : int
        """
        frames = np.array([frame])
        squares = np.zeros(2)
        for _source, shares in self.shared(self.steadied(seen, frames), frames):
            squares += [float(share.variance((1,))[0]) for share in shares]
        return float(np.sqrt(squares[0])), float(np.sqrt(squares[1]))

    def moved_px(self, width: int, height: int) -> Array:
        """How far places of the picture have moved on average since the steady frame, (F,) px.

        Parameters
        ----------
        width, height : int
            Of the picture, px; places on a grid over its middle half count.
        """
        ways = [np.linspace(0.25, 0.75, EDGES) * (side - 1) for side in (width, height)]
        x, y = (np.stack(np.meshgrid(*ways)) - np.array(self.centre)[:, None, None]).reshape(2, -1, 1)
        right, down = _away(x, y, self.moves[:, None, :], self.turning)
        return np.asarray(np.sqrt(np.mean((right - x) ** 2 + (down - y) ** 2, axis=0)))


def carried(at: Steadied, outer: Array) -> Steadied:
    """Follow what steady places change with into the world.

    Parameters
    ----------
    at : Steadied
    outer : (2, 2, N) ndarray
        By how much world places move with steady ones, m/px.
    """
    by_moves = np.stack([applied(outer, at.by_moves[:, m]) for m in range(MOVES)], axis=1)
    return Steadied(at.places, at.by, by_moves, applied(outer, at.by_turning))
