"""What is measured in the picture beside bodies: lengths, angles, circles, filmed scales, a moving camera."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from saltus.notebook.geometry import Typed, UnitText  # noqa: TC001  the document library reads them
from saltus.notebook.part import Id, Name, NotNegative, Part, Place, Positive

FrameNumber = Annotated[int, Field(ge=0, lt=2**31)]
Move = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Number = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]
Dof = Annotated[float, Field(ge=1, le=1e9, allow_inf_nan=False)]
FEWEST_PLACES = {"length": 2, "height": 2, "slope": 2, "angle": 3, "circle": 3}


class BackgroundRecord(Part):
    """How the camera moved by the background, frame by frame: see :mod:`saltus.core.geometry.background`.

    ``rows``: frame; shift to the right and down, px; turn, rad; logarithm of the zoom; and the standard
    uncertainty of each. ``turning``: 1/f² of the pinhole, 1/px²; ``told``: whether the background told it.
    """

    steady: FrameNumber
    turning: NotNegative = 0.0
    u_turning: NotNegative = 0.0
    told: bool = False
    rows: Annotated[
        tuple[
            tuple[FrameNumber, Move, Move, Move, Move, NotNegative, NotNegative, NotNegative, NotNegative],
            ...,
        ],
        Field(min_length=2, max_length=2_000_000),
    ]

    @model_validator(mode="after")
    def _in_order(self) -> BackgroundRecord:
        frames = [row[0] for row in self.rows]
        if any(b <= a for a, b in pairwise(frames)) or self.steady not in frames:
            raise ValueError("the frames of a background are in order, the steady one among them")
        return self


class Steadying(Part):
    """How the motion of the camera is taken out: by the fixed points of the take, or by its background."""

    by: Literal["points", "background"] = "points"
    zooms: bool = False
    background: BackgroundRecord | None = None


class Measure(Part):
    """A length, height, slope, angle or circle laid over the picture, to be used as a given.

    ``length`` and ``height`` (along y) have two ends; ``slope`` is the angle of two places above x; ``angle``
    has an end, the vertex and the other end; ``circle`` has three or more places on its rim.
    """

    id: Id
    name: Annotated[str, Field(max_length=200)] = ""
    kind: Literal["length", "height", "slope", "angle", "circle"]
    places: Annotated[tuple[Place, ...], Field(min_length=2, max_length=100)]
    frame: FrameNumber = 0
    u_px: Positive = 1.0
    u_dof: Dof | None = None

    @model_validator(mode="after")
    def _enough(self) -> Measure:
        count, fewest = len(self.places), FEWEST_PLACES[self.kind]
        if count < fewest or (count > fewest and self.kind != "circle"):
            raise ValueError("a measure has as many places as its kind says")
        return self


class Division(Part):
    """A known division of a filmed scale: where it is seen and what stands there, once that is typed."""

    place: Place
    value: Number | None = None
    text: Annotated[str, Field(max_length=40)] = ""


class PointerPlace(Part):
    """Where the pointer of a filmed scale was clicked."""

    id: Id
    frame: FrameNumber
    place: Place


class FilmedScale(Part):
    """A rule, dial or other scale in the picture, known by some of its divisions.

    ``parallax``: whether the pointer lies on the scale, stands off it by ``gap``, or nobody said yet.
    ``body``: whose readings are those of its pointer.
    """

    id: Id
    name: Annotated[str, Field(max_length=200)] = ""
    kind: Literal["straight", "round"] = "straight"
    unit: UnitText = "cm"
    divisions: Annotated[tuple[Division, ...], Field(max_length=100)] = ()
    middle: Place | None = None
    frame: FrameNumber = 0
    u_px: Positive = 1.0
    u_dof: Dof | None = None
    accuracy_U95: NotNegative = 0.0
    parallax: Literal["unasked", "on-scale", "stands-off"] = "unasked"
    gap: Typed | None = None
    pointers: Annotated[tuple[PointerPlace, ...], Field(max_length=5000)] = ()
    body: Id | None = None

    @model_validator(mode="after")
    def _unique(self) -> FilmedScale:
        if len({p.id for p in self.pointers}) != len(self.pointers):
            raise ValueError("two places of a pointer have the same id")
        return self

    def pointer(self, pointer_id: str | None) -> PointerPlace | None:
        """Find a place of the pointer by id."""
        return next((p for p in self.pointers if p.id == pointer_id), None)


class MovingFrame(Part):
    """A frame of reference whose origin rides on the centre of mass of bodies."""

    id: Id
    name: Name
    bodies: Annotated[tuple[Id, ...], Field(min_length=2, max_length=64)]

    @model_validator(mode="after")
    def _once(self) -> MovingFrame:
        if len(set(self.bodies)) != len(self.bodies):
            raise ValueError("a body counts once in a centre of mass")
        return self


class EyeTest(Part):
    """A person's eye as an instrument: readings, and the same read again without seeing them, px.

    ``u_first_px``: standard uncertainty of the first ones where these were followed, not clicked.
    """

    id: Id
    name: Name
    when: Annotated[str, Field(max_length=40)] = ""
    first: Annotated[tuple[Place, ...], Field(min_length=3, max_length=200)]
    again: Annotated[tuple[Place, ...], Field(min_length=3, max_length=200)]
    u_first_px: Positive | None = None

    @model_validator(mode="after")
    def _pairs(self) -> EyeTest:
        if len(self.first) != len(self.again):
            raise ValueError("each reading of a repeat check was read again once")
        return self
