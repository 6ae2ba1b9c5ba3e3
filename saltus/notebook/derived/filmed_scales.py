"""What rules and dials in the picture show."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.coverage import NORMAL_95
from saltus.core.geometry.components import by_component
from saltus.core.geometry.filmed_scale import DividedScale, ScaleReadings, read_scale
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.reference import nearer_factor
from saltus.core.geometry.seen import Seen, laid
from saltus.core.quantities import measured
from saltus.core.units import METRE, UnitError, parse_unit
from saltus.notebook.derived.geometry import geometry_of, middle_and_radius, typed_si
from saltus.notebook.derived.motion import patches_of
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.divisions import Dial, Rule
    from saltus.core.quantity import Quantity
    from saltus.notebook.measuring import FilmedScale
    from saltus.notebook.model import Take

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class ScaleReading:
    """One reading of a filmed scale.

    Attributes
    ----------
    part : str
        Names it in links: the id of the place clicked, or ``frame 12`` of a followed pointer.
    frame : int
    place : (x, y)
        Where the pointer was seen, px.
    value : Quantity
    beyond : bool
        Whether the pointer stands outside the known divisions.
    """

    part: str
    frame: int
    place: tuple[float, float]
    value: Quantity
    beyond: bool


@dataclass(frozen=True)
class ScaleFound:
    """What came of a filmed scale.

    Attributes
    ----------
    readings : tuple of ScaleReading
        In order of frames.
    problem : str
        Why there are none, in a sentence.
    law : Rule or Dial or None
    """

    readings: tuple[ScaleReading, ...] = ()
    problem: str = ""
    law: Rule | Dial | None = None

    def reading(self, part: str) -> ScaleReading | None:
        """Find a reading by its part."""
        return next((r for r in self.readings if r.part == part), None)


def name_of(scale: FilmedScale) -> str:
    """What it is called."""
    return scale.name or say("filmed-scale.name")


@remembered
def scale_found(take: Take, scale: FilmedScale) -> ScaleFound:
    """Read a filmed scale wherever its pointer was clicked or followed."""
    try:
        divided = _divided(take, scale)
        clicked, followed = _clicked(take, scale, divided), _followed(take, scale, divided)
        if clicked is None and followed is None:
            # the divisions alone say whether they make a scale
            if not divided.places.shape[1]:
                return ScaleFound()
            law: Rule | Dial | None = read_scale(divided, laid(*divided.places[:, 0].tolist())).law
            return ScaleFound(law=law)
    except GeometryError as error:
        return ScaleFound(problem=str(error))
    readings: list[ScaleReading] = []
    law = None
    if clicked is not None:
        law = clicked.law
        for n, pointer in enumerate(scale.pointers):
            readings.append(
                ScaleReading(
                    pointer.id, pointer.frame, pointer.place, clicked.value[n], bool(clicked.beyond[n])
                )
            )
    body = take.body(scale.body)
    if followed is not None and body is not None:
        law, columns = followed.law, body.readings.used
        for n, frame in enumerate(columns.frame.tolist()):
            place = (float(columns.x[n]), float(columns.y[n]))
            readings.append(
                ScaleReading(f"frame {frame}", frame, place, followed.value[n], bool(followed.beyond[n]))
            )
    return ScaleFound(tuple(sorted(readings, key=lambda r: r.frame)), law=law)


def _divided(take: Take, scale: FilmedScale) -> DividedScale:
    """The scale as the core has it.

    Raises
    ------
    GeometryError
        If its unit, or how far its pointer stands off, cannot be used.
    """
    try:
        factor, unit = parse_unit(scale.unit)
    except UnitError:
        raise GeometryError(say("filmed-scale.no-unit", unit=scale.unit)) from None
    found = geometry_of(take)
    camera, lens = found.camera, found.mapping.lens

    def straight(places: list[tuple[float, float]], frame: int) -> Array:
        at = by_component(camera.steady(places, frame))
        return at if lens is None else lens.straight(at)

    middle = None
    if scale.middle is not None and scale.kind == "round":
        at = straight([scale.middle], scale.frame)
        middle = (float(at[0, 0]), float(at[1, 0]))
    known = [(d.place, d.value) for d in scale.divisions if d.value is not None]
    places = straight([place for place, _value in known], scale.frame)
    values = np.array([value * factor for _place, value in known], dtype=float)
    accuracy = scale.accuracy_U95 * factor / NORMAL_95
    sight = middle_and_radius(take)[0]
    return DividedScale(
        take.id, scale.id, scale.kind, places, values, unit, scale.u_px, middle, accuracy,
        _nearer(take, scale), sight,
    )  # fmt: skip


def _nearer(take: Take, scale: FilmedScale) -> Quantity | None:
    gap = typed_si(scale.gap) if scale.parallax == "stands-off" else None
    if gap is None or not (gap[0] or gap[1]):
        return None
    distance = typed_si(take.geometry.distance)
    if distance is None:
        raise GeometryError(say("filmed-scale.type-distance"))
    set_up = take.camera or take.id
    by_distance = 1.0 / measured(*distance, METRE, sources.camera_distance(set_up))
    try:
        return nearer_factor(measured(*gap, METRE, sources.plane_offset(set_up, scale.id)), by_distance)
    except GeometryError:
        raise GeometryError(say("filmed-scale.gap-beyond")) from None


def _clicked(take: Take, scale: FilmedScale, divided: DividedScale) -> ScaleReadings | None:
    if not scale.pointers:
        return None
    places = np.array([p.place for p in scale.pointers], dtype=float).T
    frames = np.array([p.frame for p in scale.pointers])
    u = np.full(len(frames), scale.u_px)
    dof = scale.u_dof or math.inf
    # the number in an id is given once and stays with what was clicked
    keys = np.array([int(p.id.rpartition("-")[2]) for p in scale.pointers])
    seen = _steady(take, places, frames)
    return read_scale(divided, Seen(seen[0], seen[1], u, u, frames, scale.id, keys=keys, dof=dof))


def _followed(take: Take, scale: FilmedScale, divided: DividedScale) -> ScaleReadings | None:
    body = take.body(scale.body)
    if body is None or not len(body.readings.used.frame):
        return None
    columns = body.readings.used
    u_x, u_y = (np.where(np.isnan(u), body.u_px, u) for u in (columns.u_x, columns.u_y))
    seen = _steady(take, np.stack([columns.x, columns.y]), columns.frame)
    patches = patches_of(body, columns.run, columns.frame)
    return read_scale(divided, Seen(seen[0], seen[1], u_x, u_y, columns.frame, body.id, patches))


def _steady(take: Take, places: Array, frames: NDArray[np.int64]) -> Array:
    """Places of a pointer, straightened, in the steady picture, (2, N) px."""
    found = geometry_of(take)
    lens, motion = found.mapping.lens, found.camera.motion
    at = places if lens is None else lens.straight(places)
    return at if motion is None else motion.steadied(at, frames).places
