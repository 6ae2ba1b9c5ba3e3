"""The notebook: a tree of immutable values."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from pydantic import (
    AfterValidator,
    Field,
    PlainSerializer,
    PlainValidator,
    WithJsonSchema,
    model_validator,
)

from saltus.core.motion.models import MODELS
from saltus.footage.facts import FilmFacts
from saltus.notebook.before_after import BeforeAfter  # noqa: TC001  the document library reads it
from saltus.notebook.chosen_points import ChosenPoint  # noqa: TC001  the document library reads it
from saltus.notebook.following import FollowedRun  # noqa: TC001  the document library reads it
from saltus.notebook.geometry import AxesPlace, Geometry, Reference, Typed
from saltus.notebook.logs import Log  # noqa: TC001  the document library reads it
from saltus.notebook.measuring import (  # noqa: TC001  the document library reads them
    Dof,
    EyeTest,
    FilmedScale,
    Measure,
    MovingFrame,
    Steadying,
)
from saltus.notebook.memory import remembered
from saltus.notebook.part import Id, Name, Part, Positive
from saltus.notebook.readings import Readings, readings_from_rows
from saltus.notebook.timing import Event, HandTest, Timing
from saltus.notebook.trials import Findings, TrialTable

if TYPE_CHECKING:
    from numpy.typing import NDArray

FORMAT = "saltus-notebook"
VERSION = 12

LastNumber = Annotated[int, Field(ge=0, le=1_000_000_000)]

LINES = "lines"
"""Context of a dump in which readings are given as lines of JSON, ready to be written."""
_Row = {
    "type": "array",
    "minItems": 8,
    "maxItems": 8,
    "description": "frame, x px, y px, u px or null, origin, status, u along y px or null, run or null",
}


def _known_model(name: str) -> str:
    if name not in MODELS:
        raise ValueError("a segment has a model that is not known")
    return name


ReadingsField = Annotated[
    Readings,
    PlainValidator(readings_from_rows),
    PlainSerializer(lambda r, info: r.as_lines() if info.context == LINES and len(r) else r.as_rows()),
    WithJsonSchema({"type": "array", "items": _Row}),
]


ModelName = Annotated[str, AfterValidator(_known_model), WithJsonSchema({"enum": [*MODELS]})]


class FilmRef(Part):
    """Which film a take belongs to; it is looked for beside the notebook by name, elsewhere by SHA-256."""

    name: Annotated[str, Field(min_length=1, max_length=255, pattern=r"^[^/\\\x00]+$")]
    size: Annotated[int, Field(ge=0)]
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    folder: bool = False


class TakeFacts(Part):
    """What the film itself tells, so that results can be worked out without it at hand."""

    width: Annotated[int, Field(ge=1, le=32768)]
    height: Annotated[int, Field(ge=1, le=32768)]
    rotation_deg: Literal[0, 90, 180, 270] = 0
    codec: Name = "unknown"
    time_base: Annotated[str, Field(pattern=r"^[1-9]\d{0,11}/[1-9]\d{0,11}$")]
    ticks: Annotated[
        tuple[Annotated[int, Field(ge=0, lt=2**53)], ...], Field(min_length=1, max_length=2_000_000)
    ]
    start_ticks: int = 0
    last_ticks: Annotated[int, Field(ge=0)] = 0
    sound: bool = False
    duplicates: tuple[int, ...] = ()
    keyframes: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(max_length=2_000_000)] = ()
    found_by_time: bool = False
    warnings: tuple[Annotated[str, Field(max_length=1000)], ...] = ()
    checked: bool = True
    pictures: bool = True
    stated_rate: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _in_order(self) -> TakeFacts:
        # facts are checked again with whatever holds them
        if _out_of_order(self):
            raise ValueError("frame times must be in order")
        if any(b <= a for a, b in pairwise(self.keyframes)) or max(self.keyframes, default=0) >= len(
            self.ticks
        ):
            raise ValueError("key frames must be frames in order")
        return self

    @property
    def tick_array(self) -> NDArray[np.int64]:
        """The ticks as an array, (N,)."""
        return _tick_array(self)

    @classmethod
    def of(cls, facts: FilmFacts) -> TakeFacts:
        """Take over what was found when the film was read through."""
        return cls(
            width=facts.width,
            height=facts.height,
            rotation_deg=facts.rotation_deg,
            codec=facts.codec,
            time_base=f"{facts.time_base.numerator}/{facts.time_base.denominator}",
            ticks=facts.ticks,
            start_ticks=facts.start_ticks,
            last_ticks=facts.last_ticks,
            sound=facts.sound,
            duplicates=facts.duplicates,
            keyframes=facts.keyframes,
            found_by_time=bool(facts.raw_ticks),
            warnings=facts.warnings,
            checked=facts.checked,
            pictures=facts.pictures,
            stated_rate=facts.stated_rate,
        )

    def film_facts(self) -> FilmFacts:
        """Give them back as facts of a film, with all that is needed to find its frames again."""
        return FilmFacts(
            width=self.width,
            height=self.height,
            rotation_deg=self.rotation_deg,
            codec=self.codec,
            ticks=self.ticks,
            time_base=Fraction(self.time_base),
            start_ticks=self.start_ticks,
            last_ticks=self.last_ticks,
            sound=self.sound,
            duplicates=self.duplicates,
            warnings=self.warnings,
            raw_ticks=tuple(t + self.start_ticks for t in self.ticks) if self.found_by_time else (),
            keyframes=self.keyframes,
            checked=self.checked,
            pictures=self.pictures,
            stated_rate=self.stated_rate,
        )


@remembered
def _tick_array(facts: TakeFacts) -> NDArray[np.int64]:
    return np.asarray(facts.ticks, dtype=np.int64)


@remembered
def _out_of_order(facts: TakeFacts) -> bool:
    return bool(np.any(np.diff(facts.tick_array) < 0))


class Body(Part):
    """A thing whose position is read. ``look`` numbers its colour and shape, ``runs`` followed it.

    ``u_dof``: degrees of freedom of ``u_px``, where a repeat check gave it; ``u_from``: whose and when.
    ``fixed``: it stands still, and shows how the camera moved.
    """

    id: Id
    name: Name
    look: Annotated[int, Field(ge=0, le=99)]
    u_px: Positive = 1.0
    readings: ReadingsField = Field(default_factory=Readings)
    runs: Annotated[tuple[FollowedRun, ...], Field(max_length=500)] = ()
    u_dof: Dof | None = None
    u_from: Annotated[str, Field(max_length=250)] = ""
    fixed: bool = False
    mass: Typed | None = None

    @model_validator(mode="after")
    def _known_runs(self) -> Body:
        known = {run.id for run in self.runs}
        if len(known) < len(self.runs) or not self.readings.runs <= known:
            raise ValueError("a reading names a run that is not there, or two runs have the same id")
        # a run goes on from an earlier one, so that no chain of them is endless
        before: set[str] = set()
        for run in self.runs:
            if run.after is not None and run.after not in before:
                raise ValueError("a run goes on from one that is not before it")
            before.add(run.id)
        return self

    @property
    def first_run(self) -> FollowedRun | None:
        """The run that begins first: its box says what to look for."""
        return min(self.runs, key=lambda run: run.start, default=None)

    def run(self, run_id: str | None) -> FollowedRun | None:
        """Find a run by id."""
        return next((r for r in self.runs if r.id == run_id), None)


class Segment(Part):
    """A stretch of frames over which a model is fitted to one coordinate of one body."""

    id: Id
    body: Id
    of: Annotated[str, Field(pattern=r"^(xy|(x|y|path|angle|radius)(@[a-z][a-z0-9-]{0,40})?)$")]
    first: Annotated[int, Field(ge=0)]
    last: Annotated[int, Field(ge=0)]
    model: ModelName

    @model_validator(mode="after")
    def _goes_together(self) -> Segment:
        if (self.of == "xy") != MODELS[self.model].together:
            raise ValueError("a model of x and y together belongs to both, any other to one coordinate")
        return self


class Take(Part):
    """One recording and all that was measured on it.

    ``camera``: the take with which scale, axes and clock are shared, as its camera was not moved since.
    """

    id: Id
    name: Name
    film: FilmRef
    facts: TakeFacts
    simulated: bool = False
    step: Annotated[int, Field(ge=1, le=10_000)] = 1
    kept: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=0)]] | None = None
    capture_rate: Annotated[float, Field(ge=1e-3, le=1e7, allow_inf_nan=False)] | None = None
    clock_U95_percent: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 0.0
    reference: Reference | None = None
    axes: AxesPlace | None = None
    geometry: Geometry = Geometry()
    camera: Id | None = None
    bodies: Annotated[tuple[Body, ...], Field(max_length=64)] = ()
    segments: Annotated[tuple[Segment, ...], Field(max_length=512)] = ()
    headline: Id | None = None
    timing: Timing = Timing()
    events: Annotated[tuple[BeforeAfter, ...], Field(max_length=64)] = ()
    points: Annotated[tuple[ChosenPoint, ...], Field(max_length=512)] = ()
    steadying: Steadying | None = None
    measures: Annotated[tuple[Measure, ...], Field(max_length=200)] = ()
    filmed_scales: Annotated[tuple[FilmedScale, ...], Field(max_length=50)] = ()
    moving_frames: Annotated[tuple[MovingFrame, ...], Field(max_length=20)] = ()

    @model_validator(mode="after")
    def _consistent(self) -> Take:
        bodies = [b.id for b in self.bodies]
        if len(set(bodies)) != len(bodies):
            raise ValueError("two bodies have the same id")
        if any(s.body not in bodies or s.first > s.last for s in self.segments):
            raise ValueError("a segment names a body that is not there, or ends before it starts")
        frames = len(self.facts.ticks)
        if self.kept is not None and not self.kept[0] <= self.kept[1] < frames:
            raise ValueError("the kept part of a take is no stretch of its frames")
        if any(len(b.readings) and b.readings.last_frame >= frames for b in self.bodies):
            raise ValueError("a reading lies beyond the last frame")
        if any(max(r.start, r.end, r.record.last_frame) >= frames for b in self.bodies for r in b.runs):
            raise ValueError("a run of following lies beyond the last frame")
        timing = self.timing
        marked = [i.frame for i in timing.instants] + [n for c in timing.counts for n in c.frames]
        if max(marked, default=0) >= frames:
            raise ValueError("an instant or a passing lies beyond the last frame")
        for parts in (self.measures, self.filmed_scales, self.moving_frames):
            if len({part.id for part in parts}) != len(parts):
                raise ValueError("two measures, filmed scales or moving frames have the same id")
        if any(not set(one.bodies) <= set(bodies) for one in self.moving_frames):
            raise ValueError("a moving frame names a body that is not there")
        return self

    @property
    def kept_frames(self) -> range:
        """The useful part of the film; the rest stays in the file."""
        first, last = self.kept or (0, len(self.facts.ticks) - 1)
        return range(first, last + 1)

    def body(self, body_id: str | None) -> Body | None:
        """Find a body by id."""
        return next((b for b in self.bodies if b.id == body_id), None)

    def segment(self, segment_id: str | None) -> Segment | None:
        """Find a segment by id."""
        return next((s for s in self.segments if s.id == segment_id), None)

    def measure(self, measure_id: str | None) -> Measure | None:
        """Find what was measured in the picture by id."""
        return next((m for m in self.measures if m.id == measure_id), None)

    def filmed_scale(self, scale_id: str | None) -> FilmedScale | None:
        """Find a filmed scale by id."""
        return next((s for s in self.filmed_scales if s.id == scale_id), None)

    def moving_frame(self, frame_id: str | None) -> MovingFrame | None:
        """Find a moving frame of reference by id."""
        return next((f for f in self.moving_frames if f.id == frame_id), None)

    @property
    def fixed_points(self) -> tuple[Body, ...]:
        """What stands still and shows how the camera moved."""
        return tuple(b for b in self.bodies if b.fixed)

    @property
    def headline_segment(self) -> Segment | None:
        """The segment whose result stands at the top: the chosen one, else the last."""
        return self.segment(self.headline) or (self.segments[-1] if self.segments else None)


class Notebook(Part):
    """Everything about one investigation."""

    format: Literal["saltus-notebook"] = "saltus-notebook"
    version: Literal[12] = 12
    title: Name = "Untitled notebook"
    who: Annotated[str, Field(max_length=200)] = ""
    remarks: Annotated[str, Field(max_length=20_000)] = ""
    takes: Annotated[tuple[Take, ...], Field(max_length=500)] = ()
    logs: Annotated[tuple[Log, ...], Field(max_length=100)] = ()
    trials: TrialTable | None = None
    findings: Findings = Findings()
    events: Annotated[tuple[Event, ...], Field(max_length=100)] = ()
    hands: Annotated[tuple[HandTest, ...], Field(max_length=100)] = ()
    eyes: Annotated[tuple[EyeTest, ...], Field(max_length=200)] = ()
    last_ids: Annotated[dict[Id, LastNumber], Field(max_length=40)] = Field(
        default_factory=dict,
        description="the highest number ever given to an id of each kind: ids never return",
    )

    @model_validator(mode="after")
    def _unique(self) -> Notebook:
        if len({t.id for t in self.takes}) != len(self.takes):
            raise ValueError("two takes have the same id")
        if len({log.id for log in self.logs}) != len(self.logs):
            raise ValueError("two logs have the same id")
        if any(len({p.id for p in parts}) != len(parts) for parts in (self.events, self.hands, self.eyes)):
            raise ValueError("two events, hands or eyes have the same id")
        return self

    def event(self, event_id: str | None) -> Event | None:
        """Find the definition of an event by id."""
        return next((e for e in self.events if e.id == event_id), None)

    def hand(self, hand_id: str | None) -> HandTest | None:
        """Find a measured hand by id."""
        return next((h for h in self.hands if h.id == hand_id), None)

    def eye(self, eye_id: str | None) -> EyeTest | None:
        """Find a repeat check by id."""
        return next((e for e in self.eyes if e.id == eye_id), None)

    def log(self, log_id: str | None) -> Log | None:
        """Find a recorded log by id."""
        return next((log for log in self.logs if log.id == log_id), None)

    def take(self, take_id: str | None) -> Take | None:
        """Find a take by id."""
        return next((t for t in self.takes if t.id == take_id), None)
