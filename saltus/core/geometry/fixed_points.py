"""How a camera moved, by points of the scene that stand still."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.fitting.judgement import judge_stated
from saltus.core.geometry.camera_fit import CameraFit, usual_turning
from saltus.core.geometry.camera_motion import CameraMotion
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.sources import Source

    Array = NDArray[np.float64]
    Shared = tuple[tuple[Source, Array], ...]

TOGETHER_PX = 20.0
"""Points nearer to each other tell no turn."""
APART_PX, APART_U = 4.0, 5.0
"""Fixed points that leave each other by more than both do not stand still."""


@dataclass(frozen=True)
class FixedPoint:
    """A point of the scene that stands still, where it was read.

    Attributes
    ----------
    body, name : str
        Names its readings, and itself for people.
    frames : (N,) ndarray of int
        In order.
    seen : (2, N) ndarray
        Straightened, px.
    u : (2, N) ndarray
        Standard uncertainty along the picture's x and y, px.
    """

    body: str
    name: str
    frames: NDArray[np.int64]
    seen: Array
    u: Array


@dataclass(frozen=True)
class ByPoints:
    """What fixed points say.

    Attributes
    ----------
    motion : CameraMotion
    misfit_px : float or None
        By how much they are off what a camera can do, root mean square; None where nothing is left over.
    spread : float
        By what their stated uncertainties had to be multiplied to explain that, dimensionless.
    lost : int
        In how many frames some were read and others not: the motion of the camera is not known there.
    """

    motion: CameraMotion
    misfit_px: float | None
    spread: float
    lost: int


def motion_by_points(
    take: str,
    points: list[FixedPoint],
    size: tuple[int, int],
    *,
    zooms: bool = False,
    steady: int | None = None,
) -> ByPoints:
    """Work out how a camera moved from one or more points that stand still.

    Parameters
    ----------
    take : str
        Names its sources.
    points : list of FixedPoint
        One shows shifts, two and more also turns and, where the camera zooms, that.
    size : (int, int)
        Width and height of the picture, px.
    zooms : bool
        Whether the camera may zoom; needs two points.
    steady : int, optional
        The frame all others are brought to; the first in which all are read by default.

    Raises
    ------
    GeometryError
        If they are not read in two frames together, lie on each other, or move against each other.
    """
    frames, lost = _together(points)
    if steady is None or steady not in frames:
        steady = int(frames[0])
    seen, u = (
        np.stack([getattr(p, what)[:, np.isin(p.frames, frames)] for p in points]) for what in ("seen", "u")
    )
    if len(points) > 1 and np.any(_span(seen) < TOGETHER_PX):
        raise GeometryError(say("camera.points-together", px=TOGETHER_PX))
    first = int(np.searchsorted(frames, steady))
    fit = CameraFit(seen, u, first, size, zooms)
    turning, u_turning = usual_turning(*size)
    moves, turning, u_turning = fit.solved(turning, u_turning)
    misfit, spread = _judged(fit, moves, turning, points, frames)
    each, common, by_turning = _uncertain(take, points, fit, moves, turning, spread)
    motion = CameraMotion(
        take, steady, frames, moves, fit.centre, turning, u_turning, each, common, by_turning,
        told=u_turning < 0.99 * usual_turning(*size)[1],
    )  # fmt: skip
    return ByPoints(motion, misfit, spread, lost)


def _uncertain(
    take: str, points: list[FixedPoint], fit: CameraFit, moves: Array, turning: float, spread: float
) -> tuple[Shared, Shared, Array]:
    """What moves have uncertain by readings of each frame and of the steady one; how they go with k."""
    u, first = fit.u, fit.first
    gain, by_seen, by_turning = fit.gain(moves, turning)
    each, common = [], []
    for i, point in enumerate(points):
        for axis, name in enumerate(sources.AXES):
            by = np.einsum("mcf,cf->mf", gain[:, 2 * i : 2 * i + 2], by_seen[i][:, axis])
            own = -by * u[i, axis] * spread
            at_first = gain[:, 2 * i + axis] * u[i, axis, first] * spread
            own[:, first] = at_first[:, first] = 0.0
            each.append((sources.reading(take, point.body, name), own))
            common.append((sources.fixed_point(take, point.body, name), at_first))
    return tuple(each), tuple(common), by_turning


def _together(points: list[FixedPoint]) -> tuple[NDArray[np.int64], int]:
    """Frames in which all are read, and in how many only some are."""
    for point in points:
        if len(point.frames) < 2:
            raise GeometryError(say("camera.too-few-frames", name=point.name))
    frames = points[0].frames
    every = frames
    for point in points[1:]:
        frames, every = np.intersect1d(frames, point.frames), np.union1d(every, point.frames)
    if len(frames) < 2:
        raise GeometryError(say("camera.never-together"))
    return frames, len(every) - len(frames)


def _judged(
    fit: CameraFit, moves: Array, turning: float, points: list[FixedPoint], frames: NDArray[np.int64]
) -> tuple[float | None, float]:
    """Root mean square of what is left over, px, and by how much that is more than stated.

    Raises
    ------
    GeometryError
        If points move against each other.
    """
    left = 2 * fit.seen.shape[0] - len(fit.free)
    if not left:
        return None, 1.0
    r = fit.residual(moves, turning)[0]
    size = np.hypot(r[0::2], r[1::2])
    stated = np.sqrt(1.0 / fit.weight[0::2] + 1.0 / fit.weight[1::2])
    if np.any((size > APART_PX) & (size > APART_U * stated)):
        worst = np.unravel_index(int(np.argmax(size)), size.shape)
        words = say(
            "camera.points-move" if len(points) > 2 else "camera.two-points-move",
            name=points[int(worst[0])].name, px=2 * float(size[worst]), frame=int(frames[worst[1]]),
        )  # fmt: skip
        raise GeometryError(words)
    others = np.arange(len(frames)) != fit.first
    dof = left * int(np.count_nonzero(others))
    chi2 = float(np.sum((r**2 * fit.weight)[:, others]))
    misfit = math.sqrt(float(np.mean(np.sum(r[:, others] ** 2, axis=0))) / left)
    return misfit, judge_stated(chi2, dof).spread or 1.0


def _span(seen: Array) -> Array:
    """How far points are apart in each frame: the largest distance from their middle, twice, (F,) px."""
    away = seen - seen.mean(axis=0)
    return np.asarray(2 * np.hypot(away[:, 0], away[:, 1]).max(axis=0))
