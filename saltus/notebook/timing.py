"""Times of a take: instants and the events they mark, intervals, counted cycles, gates, hands."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from saltus.notebook.part import Id, Name, NotNegative, Part, Place

FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]
Seconds = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Lateness = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Text = Annotated[str, Field(max_length=200)]


class Event(Part):
    """What counts as an event, written once, so that everyone judges start and stop the same way."""

    id: Id
    name: Name
    words: Annotated[str, Field(max_length=500)] = ""


class Instant(Part):
    """When an event happened.

    ``between``: between the frame before and ``frame``. ``in``: in ``frame``, give or take half a frame.
    ``sound``: at ``at`` s on the clock of the frames as heard, give or take ``half`` s.
    """

    id: Id
    event: Id | None = None
    how: Literal["between", "in", "sound"] = "between"
    frame: FrameNumber = 0
    at: Seconds = 0.0
    half: NotNegative = 0.0


class Interval(Part):
    """The time from one instant to another, and how many cycles lie in it."""

    id: Id
    name: Name
    start: Id
    stop: Id
    cycles: Annotated[int, Field(ge=1, le=1_000_000)] = 1


class Onset(Part):
    """A sound that was counted, s on the clock of the frames, give or take ``half``."""

    at: Seconds
    half: NotNegative = 0.0


class Count(Part):
    """Passings that were counted: by key in frames, found from readings through a level, or heard.

    ``level`` is in m (px without a scale), where the swing rests without one. ``aside`` are numbers of
    passings that do not count; the others keep theirs.
    """

    id: Id
    name: Name
    how: Literal["frames", "readings", "sound"]
    frames: Annotated[tuple[FrameNumber, ...], Field(max_length=20_000)] = ()
    onsets: Annotated[tuple[Onset, ...], Field(max_length=20_000)] = ()
    body: Id | None = None
    of: Literal["x", "y"] = "x"
    level: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] | None = None
    direction: Literal["", "up", "down"] = ""
    per_cycle: Literal[1, 2] = 1
    aside: Annotated[tuple[FrameNumber, ...], Field(max_length=20_000)] = ()


class Gates(Part):
    """Lines across a body's path: the first through ``place``, px, the others ``spacing`` m or px apart."""

    id: Id
    body: Id
    of: Literal["x", "y"]
    place: Place
    spacing: Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)] = 0.0
    number: Annotated[int, Field(ge=1, le=200)] = 1


class ByHand(Part):
    """Two presses while the take played, as film times, s; by whom, and the interval they were to time."""

    start: Seconds
    stop: Seconds
    hand: Id | None = None
    interval: Id | None = None


class SoundPath(Part):
    """How far the sound went to the microphone, and how warm the air was, as typed."""

    distance: Text = ""
    temperature: Text = ""


class ClockCheck(Part):
    """How the rate of a take was checked: against a filmed watch, or against a body in free fall.

    ``watch``: two frames and what the watch shows in them. ``fall``: a segment, and g as typed.
    """

    how: Literal["watch", "fall"]
    frames: tuple[FrameNumber, FrameNumber] = (0, 0)
    shown: tuple[Text, Text] = ("", "")
    segment: Id | None = None
    g: Text = ""


class Shutter(Part):
    """Exposure of a frame, and time in which the sensor is read from top to bottom, s; 0: not known."""

    exposure_s: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    readout_s: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0


class Timing(Part):
    """All that was timed on a take."""

    instants: Annotated[tuple[Instant, ...], Field(max_length=20_000)] = ()
    intervals: Annotated[tuple[Interval, ...], Field(max_length=2000)] = ()
    counts: Annotated[tuple[Count, ...], Field(max_length=200)] = ()
    gates: Annotated[tuple[Gates, ...], Field(max_length=100)] = ()
    by_hand: Annotated[tuple[ByHand, ...], Field(max_length=500)] = ()
    sound: SoundPath = SoundPath()
    check: ClockCheck | None = None
    shutter: Shutter = Shutter()
    repeats_left_out: bool = False

    @model_validator(mode="after")
    def _unique(self) -> Timing:
        for kind in (self.instants, self.intervals, self.counts, self.gates):
            if len({part.id for part in kind}) != len(kind):
                raise ValueError("two times have the same id")
        return self

    def instant(self, instant_id: str | None) -> Instant | None:
        """Find an instant by id."""
        return next((i for i in self.instants if i.id == instant_id), None)

    def interval(self, interval_id: str | None) -> Interval | None:
        """Find an interval by id."""
        return next((i for i in self.intervals if i.id == interval_id), None)

    def count(self, count_id: str | None) -> Count | None:
        """Find counted passings by id."""
        return next((c for c in self.counts if c.id == count_id), None)

    def gate_set(self, gates_id: str | None) -> Gates | None:
        """Find gates by id."""
        return next((g for g in self.gates if g.id == gates_id), None)


class HandTest(Part):
    """A person's hand as an instrument: press minus true moment of each try, s."""

    id: Id
    name: Name
    predicted: Annotated[tuple[Lateness, ...], Field(max_length=1000)] = ()
    seen: Annotated[tuple[Lateness, ...], Field(max_length=1000)] = ()
