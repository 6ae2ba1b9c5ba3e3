"""What is laid over the picture of a take: reference lengths, axes, a plane, a track, a lens, distances."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from saltus.core.written import digits
from saltus.notebook.part import Id, Name, NotNegative, Part, Place, Positive

Signed = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
K1 = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
UnitText = Annotated[str, Field(max_length=40)]
TypedText = Annotated[str, Field(max_length=200)]


class Typed(Part):
    """A quantity as it was typed: number, unit, 95 % uncertainty; the words keep their digits."""

    value: Positive
    unit: UnitText
    U95: NotNegative
    U95_unit: UnitText
    text: TypedText = ""
    U95_text: TypedText = ""

    @property
    def words(self) -> str:
        """Value and uncertainty with the digits as they were typed, such as ``1.000 ± 0.001 m``."""
        value = digits(self.text) or f"{self.value:g}"
        spread = digits(self.U95_text) or f"{self.U95:g}"
        if not self.U95:
            return f"{value} {self.unit}"
        if self.U95_unit == self.unit:
            return f"{value} ± {spread} {self.unit}"
        return f"{value} {self.unit} ± {spread} {self.U95_unit}"


class TypedOffset(Typed):
    """A typed length that has a sign: positive is nearer to the camera."""

    value: Signed


class Reference(Part):
    """A known length: its ends in the picture and what was typed for it.

    ``nearer``: how much nearer to the camera it lies than the plane of the scale; ``with_motion``: it lies in
    the plane of the motion. ``check``: it is held against the scale and no part of it.
    """

    start: Place
    end: Place
    length: Typed | None = None
    u_end_px: Positive = 1.0
    u_end_dof: Annotated[float, Field(ge=1, le=1e9, allow_inf_nan=False)] | None = None
    frame: Annotated[int, Field(ge=0)] = 0
    id: Id | None = None
    name: Annotated[str, Field(max_length=200)] = ""
    instrument: Annotated[str, Field(max_length=200)] = ""
    placements: Annotated[tuple[tuple[Place, Place], ...], Field(max_length=50)] = ()
    nearer: TypedOffset | None = None
    with_motion: bool = False
    check: bool = False


class AxesPlace(Part):
    """Origin and direction of the axes; the angle anticlockwise as seen on the picture.

    ``line``: two places that give the direction; ``by`` says whether along them lies x, or the upright.
    ``origin`` is None where a plane seen at an angle has its own.
    """

    origin: Place | None = None
    angle_deg: Degrees = 0.0
    u_origin_px: NotNegative = 1.0
    u_angle_deg: NotNegative = 0.0
    by: Literal["typed", "points", "plumb", "path"] = "typed"
    line: tuple[Place, Place] | None = None
    u_line_px: Positive = 1.0
    y_down: bool = False
    frame: Annotated[int, Field(ge=0)] = 0

    @model_validator(mode="after")
    def _has_line(self) -> AxesPlace:
        if (self.line is None) == (self.by in ("points", "plumb")):
            raise ValueError("axes by two places have them, others have none")
        return self


class PlanePoints(Part):
    """What shows a plane seen at an angle: four corners of a rectangle in order round it, or a board.

    ``columns`` and ``rows`` count the points; ``width`` and ``height`` are those of the whole, measured to
    the outer points, the origin being the first point.
    """

    seen: Annotated[tuple[Place, ...], Field(min_length=4, max_length=2000)]
    columns: Annotated[int, Field(ge=2, le=100)] = 2
    rows: Annotated[int, Field(ge=2, le=100)] = 2
    width: Typed | None = None
    height: Typed | None = None
    u_px: Positive = 1.0
    frame: Annotated[int, Field(ge=0)] = 0

    @model_validator(mode="after")
    def _counted(self) -> PlanePoints:
        if len(self.seen) != self.columns * self.rows:
            raise ValueError("a plane has as many points as its columns and rows")
        return self


class TrackMark(Part):
    """A mark on a line seen at an angle, and its distance along it in metres."""

    place: Place
    distance: Signed | None = None


class TrackMarks(Part):
    """Marks along a line seen at an angle."""

    marks: Annotated[tuple[TrackMark, ...], Field(min_length=1, max_length=200)]
    u_px: Positive = 1.0
    U95_distance: NotNegative = 0.0
    frame: Annotated[int, Field(ge=0)] = 0


class StraightEdges(Part):
    """Marks along edges known to be straight, which show how the lens bends the picture."""

    edges: Annotated[
        tuple[Annotated[tuple[Place, ...], Field(min_length=1, max_length=500)], ...], Field(max_length=100)
    ]
    u_px: Positive = 1.0
    frame: Annotated[int, Field(ge=0)] = 0


class KnownLens(Part):
    """The bend of a camera's lens, kept from an earlier calibration: r_seen = r·(1 + k1·(r/R)²).

    R is half the diagonal of the picture, whatever its size, about its middle.
    """

    camera: Name
    k1: K1
    u_k1: NotNegative = 0.0
    when: Annotated[str, Field(max_length=40)] = ""


class UsualFaults(Part):
    """How large faults that nobody checked usually are: assumptions, which may be edited."""

    tilt_deg: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 5.0
    k1: Annotated[float, Field(ge=0, le=0.5, allow_inf_nan=False)] = 0.02
    offset_m: Annotated[float, Field(ge=0, le=1e3, allow_inf_nan=False)] = 0.05
    distance_m: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)] = 2.0
    reference_percent: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 0.1
    clock_percent: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 0.3
    direction_deg: Annotated[float, Field(ge=0, le=45, allow_inf_nan=False)] = 1.5
    camera_px: Annotated[float, Field(ge=0, le=1e3, allow_inf_nan=False)] = 2.0


class Geometry(Part):
    """What is laid over the picture beside the first reference length and the axes."""

    others: Annotated[tuple[Reference, ...], Field(max_length=50)] = ()
    plane: PlanePoints | None = None
    track: TrackMarks | None = None
    edges: StraightEdges | None = None
    lens: KnownLens | None = None
    nearer: TypedOffset | None = None
    distance: Typed | None = None
    usual: UsualFaults = UsualFaults()

    @model_validator(mode="after")
    def _one_way(self) -> Geometry:
        if self.plane is not None and self.track is not None:
            raise ValueError("a picture is seen through a plane or along a track, not both")
        ids = [r.id for r in self.others]
        if None in ids or len(set(ids)) != len(ids):
            raise ValueError("further lengths have ids of their own")
        return self

    def other(self, reference_id: str | None) -> Reference | None:
        """Find a further length by id."""
        return next((r for r in self.others if r.id == reference_id), None)
