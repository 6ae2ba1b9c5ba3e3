"""From what is laid over the picture of a take to the way into its world, and what is wrong with it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.coverage import NORMAL_95
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.measured_length import length_by
from saltus.core.geometry.plane import Plane
from saltus.core.geometry.reference import ReferenceLength, known_length, nearer_factor
from saltus.core.geometry.references import Together, distance_from, together
from saltus.core.geometry.straight_lines import BendFit, fit_bend
from saltus.core.geometry.track import Track
from saltus.core.quantities import measured
from saltus.core.units import METRE, UnitError, parse_unit
from saltus.notebook.derived.camera import CameraFound, camera_found
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.geometry import AxesPlace, Reference, Typed
    from saltus.notebook.model import Take
    from saltus.notebook.part import Place


@dataclass(frozen=True)
class LaidGeometry:
    """What could be made of all that is laid over a picture.

    Attributes
    ----------
    mapping : Mapping
        Into the plane of the motion.
    base : Mapping
        Into the plane of the scale; the same where the motion lies in it.
    together : Together or None
        What reference lengths say; None without any, and where a plane or a track gives the scale.
    bend : BendFit or None
        What straight edges say of the lens.
    by_distance : Quantity or None
        1/D of the camera, 1/m, where it is known.
    camera : CameraFound
        How the camera moved.
    problems : dict
        What cannot be used (``camera``, ``scale``, ``plane``, ``track``, ``lens``, ``offset``) and why, in a
        sentence.
    """

    mapping: Mapping
    base: Mapping
    together: Together | None
    bend: BendFit | None
    by_distance: Quantity | None
    camera: CameraFound
    problems: dict[str, str]


def typed_si(typed: Typed | None) -> tuple[float, float] | None:
    """Value and standard uncertainty of a typed quantity in SI; None where there is none to read."""
    if typed is None:
        return None
    try:
        factor, _unit = parse_unit(typed.unit)
        factor_u, _unit = parse_unit(typed.U95_unit)
    except UnitError:
        return None
    return typed.value * factor, typed.U95 * factor_u / NORMAL_95


def known_reference(laid: Reference | None, camera: CameraFound | None = None) -> ReferenceLength | None:
    """A reference length in SI units, in the steady picture; None until it is laid and typed."""
    length = typed_si(laid.length) if laid is not None else None
    if laid is None or length is None:
        return None
    ends, placements = (laid.start, laid.end), laid.placements
    if camera is not None:
        ends = camera.steady_pair(ends, laid.frame)
        placements = tuple(camera.steady_pair(pair, laid.frame) for pair in placements)
    return ReferenceLength(
        *ends, *length, laid.u_end_px, laid.id or "", laid.instrument, placements,
        *(typed_si(laid.nearer) or (0.0, 0.0)), laid.with_motion, laid.u_end_dof or math.inf,
    )  # fmt: skip


def known_references(take: Take, *, checks: bool = False) -> list[ReferenceLength]:
    """The reference lengths of a take, or the lengths it is only checked by, that are laid and typed."""
    return _references(take, geometry_of(take).camera, checks=checks)


def _references(take: Take, camera: CameraFound, *, checks: bool = False) -> list[ReferenceLength]:
    laid = ([] if checks else [take.reference]) + [o for o in take.geometry.others if o.check == checks]
    return [known for one in laid if (known := known_reference(one, camera)) is not None]


def middle_and_radius(take: Take) -> tuple[tuple[float, float], float]:
    """The middle of the picture and half its diagonal, px: centre and R of its lens."""
    width, height = take.facts.width, take.facts.height
    return ((width - 1) / 2, (height - 1) / 2), math.hypot(width, height) / 2


@remembered
def bend_of(take: Take) -> BendFit:
    """What the straight edges of a take say of its lens.

    Raises
    ------
    GeometryError
        If they say nothing, or there are none.
    """
    edges = take.geometry.edges
    lines = [np.array(edge) for edge in edges.edges] if edges is not None else []
    centre, radius = middle_and_radius(take)
    return fit_bend(lines, centre, radius, edges.u_px if edges else 1.0, take.camera or take.id)


def plane_of(take: Take, lens: Lens | None, camera: CameraFound) -> Plane | None:
    """The plane of a take; None until its points are placed and its size is typed.

    Raises
    ------
    GeometryError
        If its points show no plane.
    """
    points = take.geometry.plane
    if points is None:
        return None
    width, height = typed_si(points.width), typed_si(points.height)
    if width is None or height is None:
        return None
    if (points.columns, points.rows) == (2, 2):
        unit = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)]
    else:
        across, up = points.columns - 1, points.rows - 1
        unit = [(n % points.columns / across, n // points.columns / up) for n in range(len(points.seen))]
    world = np.array(unit) * [width[0], height[0]]
    u_size = (width[1] / width[0], height[1] / height[0])
    seen = np.array(camera.steady(points.seen, points.frame))
    return Plane(seen, world, points.u_px, u_size, lens, take.camera or take.id)


def track_of(take: Take, lens: Lens | None, camera: CameraFound) -> Track | None:
    """The track of a take; None until it has three marks with distances.

    Raises
    ------
    GeometryError
        If its marks show no line.
    """
    laid = take.geometry.track
    marks = [m for m in laid.marks if m.distance is not None] if laid is not None else []
    if laid is None or len(marks) < 3:
        return None
    seen = np.array(camera.steady([m.place for m in marks], laid.frame))
    distance = np.array([m.distance for m in marks], dtype=float)
    return Track(seen, distance, laid.u_px, laid.U95_distance / NORMAL_95, lens, take.camera or take.id)


@remembered
def geometry_of(take: Take) -> LaidGeometry:
    """All that is laid over the picture of a take, worked out."""
    problems: dict[str, str] = {}
    set_up = take.camera or take.id
    lens, bend = _lens(take, problems)
    camera = camera_found(take, lens)
    if camera.problem:
        problems["camera"] = camera.problem
    ground: Plane | Track | None = None
    for part, make in (("plane", plane_of), ("track", track_of)):
        try:
            ground = make(take, lens, camera) or ground
        except GeometryError as error:
            problems[part] = str(error)
    base = Mapping(take.id, Axes(None), None, take.camera or "", lens, ground, camera_motion=camera.motion)
    references, found = _references(take, camera), None
    distance = typed_si(take.geometry.distance)
    by_distance = None
    if distance is not None:
        by_distance = 1.0 / measured(*distance, METRE, sources.camera_distance(set_up))
    if ground is None and references and not problems.keys() & {"plane", "track"}:
        try:
            found = together(references, set_up, lens, by_distance)
            base, by_distance = replace(base, scale=found.scale), found.by_distance
        except GeometryError as error:
            problems["scale"] = str(error)
    base = replace(base, axes=_axes(take, base, camera))
    line = take.axes.line if take.axes is not None else None
    if line is not None and math.dist(*line) < 1.0:
        problems["axes"] = say("geometry.direction-together")
    if ground is not None and by_distance is None:
        by_distance = _distance_over(base, references, set_up, problems)
    mapping = _in_motion(take, base, found, by_distance, problems)
    return LaidGeometry(mapping, base, found, bend, by_distance, camera, problems)


def mapping_of(take: Take) -> Mapping:
    """The way from the picture of a take to its world; in pixels until there is a scale."""
    return geometry_of(take).mapping


def scale_problem(take: Take) -> str | None:
    """What is still missing for a scale, in a sentence; None when there is one."""
    found = geometry_of(take)
    if found.mapping.scaled:
        return None
    if found.problems:
        return next(iter(found.problems.values()))
    missing = {
        say("motion.pixels-type-size-of-plane"): take.geometry.plane is not None,
        say("motion.pixels-type-distances"): take.geometry.track is not None,
        say("motion.pixels-set-reference-length"): take.reference is None,
        say("motion.pixels-type-reference-length"): take.reference is not None
        and take.reference.length is None,
        say("motion.pixels-drag-ends-reference"): True,
    }
    return next(words for words, so in missing.items() if so)


def references_differ(take: Take | None) -> bool:
    """Whether reference lengths disagree unexplained, so that their spread enlarges the scale."""
    found = geometry_of(take).together if take is not None else None
    return found is not None and found.agree is False


def beyond_picture(take: Take) -> bool:
    """Whether an end of a length lies outside the picture, by more than a pixel."""
    laid = [*([take.reference] if take.reference is not None else []), *take.geometry.others]
    places = [place for one in laid for place in (one.start, one.end)]
    width, height = take.facts.width, take.facts.height
    return any(not (-1 <= x <= width and -1 <= y <= height) for x, y in places)


def _lens(take: Take, problems: dict[str, str]) -> tuple[Lens | None, BendFit | None]:
    known = take.geometry.lens
    if take.geometry.edges is not None:
        try:
            bend = bend_of(take)
        except GeometryError as error:
            problems["lens"] = str(error)
        else:
            return bend.lens, bend
    if known is None:
        return None, None
    centre, radius = middle_and_radius(take)
    return Lens(known.k1, centre, radius, known.u_k1, camera=f"lens of {known.camera}"), None


def _distance_over(
    base: Mapping, references: list[ReferenceLength], set_up: str, problems: dict[str, str]
) -> Quantity | None:
    """1/D from lengths in other planes, held against the plane that is seen at an angle."""
    try:
        shrunk = [known_length(r, set_up) / length_by(base, r) for r in references]
        return distance_from(references, set_up, shrunk)
    except GeometryError as error:
        problems["scale"] = str(error)
        return None


def _in_motion(
    take: Take, base: Mapping, found: Together | None, by_distance: Quantity | None, problems: dict[str, str]
) -> Mapping:
    """The way into the plane of the motion, where that is not the plane of the scale."""
    if found is not None and found.with_motion is not None:
        return replace(base, scale=found.with_motion)
    offset = typed_si(take.geometry.nearer)
    if offset is None or not (offset[0] or offset[1]) or not base.scaled:
        return base
    if by_distance is None:
        problems["offset"] = say("motion.type-distance-of-camera")
        return base
    try:
        d = measured(*offset, METRE, sources.plane_offset(take.camera or take.id))
        factor = nearer_factor(d, by_distance)
    except GeometryError as error:
        problems["offset"] = str(error)
        return base
    return base.in_plane_nearer(factor)


def _axes(take: Take, base: Mapping, camera: CameraFound) -> Axes:
    """The axes; until they are placed, the lower left corner of the picture, or a plane's own."""
    placed = take.axes
    own = None if base.ground is not None else (0.0, take.facts.height - 1.0)
    if placed is None:
        return Axes(own)
    angle, u_angle = math.radians(placed.angle_deg), math.radians(placed.u_angle_deg)
    if placed.line is not None:
        line = camera.steady_pair(placed.line, placed.frame)
        angle, u_angle = _direction(placed, line, base)
    origin, u_origin = placed.origin if placed.origin is not None else own, placed.u_origin_px
    if placed.origin is not None:
        (origin,) = camera.steady([placed.origin], placed.frame)
        u_origin = math.hypot(u_origin, camera.u_px(placed.origin, placed.frame))
    return Axes(origin, angle, u_origin, u_angle, placed.y_down)


def _direction(placed: AxesPlace, line: tuple[Place, Place], base: Mapping) -> tuple[float, float]:
    """Angle of x by two places, anticlockwise as seen, and its standard uncertainty, rad."""
    ends = by_component(line)
    if not base.reaches(ends).all():
        return 0.0, 0.0
    square = replace(base, axes=Axes(None), scale=None)
    straight = square.straightened(ends)
    laid = square.ground.places(straight) if square.ground is not None else straight * [[1.0], [-1.0]]
    along = laid[:, 1] - laid[:, 0]
    if placed.by == "plumb" and ends[1, 1] > ends[1, 0]:
        along = -along
    size = float(np.hypot(*along))
    if not size:
        return 0.0, 0.0
    by = square.derivatives(ends)
    across = np.array([-along[1], along[0]]) / size
    moved = [float(np.hypot(*(across @ by[:, :, n]))) for n in (0, 1)]
    u = placed.u_line_px * math.hypot(*moved) / size
    mirrored = square.ground is not None and not square.ground.upright
    angle = math.atan2(along[1], along[0]) * (-1 if mirrored else 1)
    return math.remainder(angle - (math.pi / 2 if placed.by == "plumb" else 0.0), 2 * math.pi), u
