"""How the camera of a take moved, and what was laid in one frame as it lies in the steady picture."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.background_moves import BackgroundMoves
from saltus.core.geometry.components import by_component
from saltus.core.geometry.fixed_points import FixedPoint, motion_by_points
from saltus.core.geometry.geometry_error import GeometryError
from saltus.notebook.memory import remembered_while
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.core.geometry.camera_motion import CameraMotion
    from saltus.core.geometry.lens import Lens
    from saltus.notebook.geometry import AxesPlace
    from saltus.notebook.measuring import BackgroundRecord, Steadying
    from saltus.notebook.model import Body, Take
    from saltus.notebook.part import Place

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class CameraFound:
    """How a camera moved.

    Attributes
    ----------
    motion : CameraMotion or None
        None where nothing shows it: then it is taken to have stood still.
    lens : Lens or None
    shared : bool
        Whether what is laid is that of another take of the same camera.
    misfit_px : float or None
        By how much fixed points are off what a camera can do, px.
    spread : float
        By what their stated uncertainties were multiplied, dimensionless.
    lost : int
        Frames in which only some fixed points were read.
    problem : str
        Why the motion cannot be told, in a sentence.
    """

    motion: CameraMotion | None = None
    lens: Lens | None = None
    shared: bool = False
    misfit_px: float | None = None
    spread: float = 1.0
    lost: int = 0
    problem: str = ""

    def moved(self, places: Sequence[Place], frame: int | None, to_frame: int | None) -> tuple[Place, ...]:
        """Where places seen in one frame are seen in another; None stands for the steady picture."""
        if self.motion is None or frame == to_frame or not places:
            return tuple(places)
        at = by_component(places)
        at = at if self.lens is None else self.lens.straight(at)
        at = at if frame is None else self.motion.steady_places(at, frame)
        at = at if to_frame is None else self.motion.seen_places(at, to_frame)
        at = at if self.lens is None else self.lens.bent(at)
        return tuple((float(x), float(y)) for x, y in at.T)

    def steady(self, places: Sequence[Place], frame: int) -> tuple[Place, ...]:
        """Where places that were laid in a frame lie in the steady picture."""
        return tuple(places) if self.shared else self.moved(places, frame, None)

    def seen(self, places: Sequence[Place], laid_in: int, frame: int) -> tuple[Place, ...]:
        """Where places that were laid in one frame are seen in another."""
        return self.moved(places, None if self.shared else laid_in, frame)

    def laid(self, place: Place, frame: int, laid_in: int) -> Place:
        """Where a place seen in a frame has to be laid in another, to be seen there."""
        return self.moved([place], frame, None if self.shared else laid_in)[0]

    @property
    def steady_frame(self) -> int:
        """The frame whose picture is the steady one."""
        return self.motion.steady if self.motion is not None else 0

    def origin_to_lay(self, steady: Place, axes: AxesPlace | None) -> tuple[Place, int]:
        """Where an origin of the steady picture has to be laid, and in which frame: that of the axes."""
        frame = axes.frame if axes is not None else self.steady_frame
        return self.moved([steady], None, None if self.shared else frame)[0], frame

    def all_seen(self, x: Array, y: Array, frames: NDArray[np.int64], frame: int) -> tuple[Array, Array]:
        """Where places, (N,) px, each seen in a frame of its own, would be seen in one frame."""
        if self.motion is None or not len(x):
            return x, y
        at = np.stack([x, y])
        at = at if self.lens is None else self.lens.straight(at)
        at = self.motion.seen_places(self.motion.steadied(at, frames).places, frame)
        at = at if self.lens is None else self.lens.bent(at)
        return at[0], at[1]

    def steady_pair(self, ends: tuple[Place, Place], frame: int) -> tuple[Place, Place]:
        """The same for two places."""
        first, second = self.steady(ends, frame)
        return first, second

    def u_px(self, place: Place, frame: int) -> float:
        """Standard uncertainty that a place laid in a frame has by the motion of the camera, px."""
        if self.motion is None or self.shared or not self.motion.known(np.array([frame])).all():
            return 0.0
        at = by_component([place])
        at = at if self.lens is None else self.lens.straight(at)
        return math.hypot(*self.motion.u_places(at, frame)) / math.sqrt(2)


def camera_found(take: Take, lens: Lens | None) -> CameraFound:
    """How the camera of a take moved, by its fixed points or its background; without, it stood still."""
    shared = take.camera is not None
    if take.steadying is None:
        return CameraFound(None, lens, shared)
    # an edit of anything else leaves the motion of the camera as it was
    k1 = lens.k1 if lens is not None else None
    return _shown_by(take.steadying, (take.id, take.facts, shared, k1, *take.fixed_points), take, lens)


@remembered_while
def _shown_by(
    steadying: Steadying, _rests_on: tuple[object, ...], take: Take, lens: Lens | None
) -> CameraFound:
    shared, size = take.camera is not None, (take.facts.width, take.facts.height)
    if steadying.by == "background":
        record = steadying.background
        motion = _recorded(record).motion(take.id, size) if record is not None else None
        return CameraFound(motion, lens, shared)
    points = [_point(body, lens) for body in take.fixed_points if len(body.readings.used.frame)]
    if not points:
        return CameraFound(None, lens, shared)
    if steadying.zooms and len(points) < 2:
        return CameraFound(None, lens, shared, problem=say("camera.zoom-needs-two"))
    try:
        found = motion_by_points(take.id, points, size, zooms=steadying.zooms)
    except GeometryError as error:
        return CameraFound(None, lens, shared, problem=str(error))
    return CameraFound(found.motion, lens, shared, found.misfit_px, found.spread, found.lost)


def _recorded(record: BackgroundRecord) -> BackgroundMoves:
    rows = np.array([row[1:] for row in record.rows], dtype=float).T
    frames = np.array([row[0] for row in record.rows], dtype=np.int64)
    return BackgroundMoves(
        frames, rows[:4], rows[4:], record.turning, record.u_turning, record.told, record.steady
    )


def _point(body: Body, lens: Lens | None) -> FixedPoint:
    columns = body.readings.used
    u = np.stack([np.where(np.isnan(u), body.u_px, u) for u in (columns.u_x, columns.u_y)])
    seen = np.stack([columns.x, columns.y])
    seen = seen if lens is None else lens.straight(seen)
    return FixedPoint(body.id, body.name, columns.frame, seen, u)


def moved_px(take: Take, found: CameraFound) -> Array | None:
    """How far places of the picture moved since the steady frame, (F,) px; None where nothing shows it."""
    if found.motion is None:
        return None
    return found.motion.moved_px(take.facts.width, take.facts.height)
