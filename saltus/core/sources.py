"""Every source of uncertainty that exists, made here and nowhere else.

A physical cause is one source, whatever path leads to it, and only that. Its id is a value: the cause and
what it belongs to (take, body, axis, column …). Where the docstring says *family*, the source stands for many
independent ones that are told apart by a key, such as a frame number, which comes with the values.

Arguments that are alike everywhere: ``take``, ``body``, ``axis``, ``log``, ``channel``, ``column``,
``segment`` and ``of`` say whose source it is; ``dof``, dimensionless, are the degrees of freedom of the size
of a scatter, infinite where that is known.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Literal, NamedTuple

from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Hashable

    from saltus.core.coverage import Shape

Kind = Literal["reading", "scale", "timing", "reaction", "instruments"]
"""Groups of the limit bar: reading; scale or length; timing; reaction or angle; instruments or masses."""
Axis = Literal["x", "y"]
LEVEL_SCATTER, UNSTATED_COLUMN, GIVEN = "level-scatter", "unstated-column", "given"
OF_A_NAME = {GIVEN, UNSTATED_COLUMN, "column"}
"""Causes of what was typed under a name: the first part of the id."""
SCALE_ENDS, CLOCK = "scale-ends", "clock"
LENS, PLANE_OFFSET, CAMERA_DISTANCE = BESIDE_SCALE = ("lens", "plane-offset", "camera-distance")
"""Causes that a scale may hold and that are told beside it."""
BETWEEN_FRAMES = frozenset({"instants", "segment-ends", "passings"})
"""Causes on which it hangs how a line is judged, whether a trial states anything, and what would help."""


class SourceId(NamedTuple):
    """What causes the uncertainty, and what that belongs to."""

    cause: str
    of: tuple[Hashable, ...] = ()


@dataclass(frozen=True)
class Source:
    """Where a part of an uncertainty comes from; two sources are the same when their ids are.

    Attributes
    ----------
    id : SourceId
    kind : Kind
        The group it is shown under.
    label : str
        Words for people.
    shape, dof
        Distribution and degrees of freedom (infinite: not limited). A family of shape ``t`` shares its
        degrees of freedom.
    """

    id: SourceId
    kind: Kind = field(default="instruments", compare=False)
    label: str = field(default="", compare=False)
    shape: Shape = field(default="normal", compare=False)
    dof: float = field(default=math.inf, compare=False)

    @property
    def cause(self) -> str:
        """What it is, such as ``clock``."""
        return self.id.cause

    @property
    def from_trials(self) -> bool:
        """Whether it is scatter among trials, which more of them would lessen."""
        return self.cause in {LEVEL_SCATTER, "line-scatter", "curve-scatter", "repeat-scatter"}

    @property
    def less_with_trials(self) -> bool:
        """Whether more trials would lessen it: scatter among them, or what each of them has for itself."""
        return self.from_trials or self.cause in {"column", "timed-column", "reading-scatter"}

    @property
    def words(self) -> str:
        """Words for people, also where it has no label."""
        return self.label or self.cause.replace("-", " ")


def with_dof(source: Source, dof: float) -> Source:
    """The same source, its size known with so many degrees of freedom: normal if infinite, else t."""
    return replace(source, shape="normal" if math.isinf(dof) else "t", dof=dof)


def _scatter(cause: str, of: tuple[Hashable, ...], kind: Kind, label: str, dof: float) -> Source:
    return with_dof(Source(SourceId(cause, of), kind, label), dof)


# -- a take: its frames and its clock ---------------------------------------------------------------


def clock(take: str) -> Source:
    """The rate of the clock of a take, common to all its times."""
    return Source(SourceId(CLOCK, (take,)), "timing", _("Rate of the clock"))


def stamps(take: str) -> Source:
    """The stamps of the frames of a take, each uniform within a tick: a family, keyed by frame."""
    return Source(SourceId("stamps", (take,)), "timing", _("Frame times"), "uniform")


def instants(take: str) -> Source:
    """When marked instants fell between their frames: a family, keyed by the id of the instant."""
    return Source(SourceId("instants", (take,)), "timing", _("Instants between frames"), "uniform")


def segment_ends(take: str, body: str) -> Source:
    """When the motion of a body changed between two frames: a family, keyed by the frame before."""
    return Source(SourceId("segment-ends", (take, body)), "timing", _("Instants between frames"), "uniform")


def passings(take: str, count: str) -> Source:
    """When counted passings fell: a family, keyed by frame, or by number where they were heard."""
    return Source(SourceId("passings", (take, count)), "timing", _("Instants between frames"), "uniform")


def microphone(take: str) -> Source:
    """How long the sound of a take was on its way."""
    return Source(SourceId("microphone", (take,)), "timing", _("Way of the sound"))


def exposure(take: str) -> Source:
    """Where within their exposure the frames of a take are stamped, against its sound."""
    return Source(SourceId("exposure", (take,)), "timing", _("Frames against sound"), "uniform")


def sound_onsets(recording: str) -> Source:
    """When sounds of a recording set in: a family, keyed by their number."""
    return Source(SourceId("sound-onsets", (recording,)), "timing", _("Onset of the sound"), "uniform")


def filmed_watch(take: str) -> Source:
    """The last digit of a watch filmed in a take: a family, keyed by frame."""
    return Source(SourceId("filmed-watch", (take,)), "timing", _("Digit of the filmed watch"), "uniform")


def free_fall() -> Source:
    """The acceleration of free fall a clock is checked against."""
    return Source(SourceId("free-fall"), "instruments", _("Free fall"))


# -- a take: its picture ----------------------------------------------------------------------------


def scale_length(take: str, of: str = "", *, stated: bool = False) -> Source:
    """A reference length of a take, or all by one rule: ``of``; ``stated``: the scale was a number."""
    words = _("Scale") if stated else _("Reference length")
    return Source(SourceId("scale-length", (take, of) if of else (take,)), "scale", words)


def scale_ends(take: str, of: str = "", dof: float = math.inf) -> Source:
    """Where the two ends of a reference length of a take were placed; ``of`` tells it from others."""
    return _scatter(SCALE_ENDS, (take, of) if of else (take,), "scale", _("Its two ends"), dof)


def scale_spread(take: str) -> Source:
    """By how much the reference lengths of a take differ without being explained."""
    return Source(SourceId("scale-spread", (take,)), "scale", _("References that disagree"))


def plane_offset(take: str, of: str = "") -> Source:
    """By how much a motion, or the reference length ``of``, is nearer than the plane of the scale."""
    return Source(SourceId(PLANE_OFFSET, (take, of) if of else (take,)), "scale", _("Plane of the motion"))


def camera_distance(take: str) -> Source:
    """How far the camera is from the plane of the scale."""
    return Source(SourceId(CAMERA_DISTANCE, (take,)), "scale", _("Distance of the camera"))


def corner(take: str, number: int, axis: Axis) -> Source:
    """Where a corner of the rectangle that shows a plane was placed, along the picture's x or y."""
    return Source(SourceId("corner", (take, number, axis)), "scale", _("Corners of the plane"))


def plane_size(take: str, axis: Axis) -> Source:
    """The width or the height of what shows a plane."""
    return Source(SourceId("plane-size", (take, axis)), "scale", _("Size of the rectangle"))


def ground_points(take: str, number: int, *, track: bool = False) -> Source:
    """One of the independent ways in which points leave a plane open, or marks a track."""
    words = _("Marks along the track") if track else _("Points of the plane")
    cause = "track-marks" if track else "plane-points"
    return Source(SourceId(cause, (take, number)), "scale", words)


def lens(camera: str) -> Source:
    """How much the lens of a camera bends the picture."""
    return Source(SourceId(LENS, (camera,)), "scale", _("Bend of the lens"))


def origin(take: str, axis: Axis) -> Source:
    """Where the origin of the axes of a take was placed, along the picture's x or y."""
    return Source(SourceId("origin", (take, axis)), "scale", _("Origin"))


def direction(take: str) -> Source:
    """The direction of the axes of a take."""
    return Source(SourceId("direction", (take,)), "reaction", _("Direction of the axes"))


def reading(take: str, body: str, axis: str) -> Source:
    """Readings of a body along the picture's x or y (or of its angle): a family, keyed by frame."""
    return Source(SourceId("reading", (take, body, axis)), "reading", _("Reading"))


def patch(take: str, body: str, run: str, axis: Axis) -> Source:
    """What all places have in common that one run of following found along the picture's x or y."""
    return Source(SourceId("patch", (take, body, run, axis)), "reading", _("Patch that is looked for"))


def fit_scatter(take: str, body: str, axis: str, segment: Hashable, dof: float) -> Source:
    """Scatter of readings about the model of one segment: a family, keyed by frame."""
    label = _("Scatter of the readings")
    return _scatter("fit-scatter", (take, body, axis, segment), "reading", label, dof)


def rest_level(take: str, body: str, axis: str, dof: float) -> Source:
    """The readings of a long record together, as they make its place of rest unsure."""
    return _scatter("rest-level", (take, body, axis), "reading", _("Reading"), dof)


def crossing_scatter(take: str, body: str, axis: str, crossing: Hashable, dof: float) -> Source:
    """Scatter of readings about the local fit of one crossing: a family, keyed by frame."""
    return _scatter("crossing-scatter", (take, body, axis, crossing), "reading", _("Reading"), dof)


# -- logs and records -------------------------------------------------------------------------------


def record_noise(log: str, channel: str, dof: float) -> Source:
    """Scatter of what a channel of a log recorded: a family, keyed by the number of the sample."""
    label = _("Scatter of the record")
    return _scatter("record-noise", (log, channel), "instruments", label, dof)


def record_resolution(log: str, channel: str) -> Source:
    """The step of the last digit of a channel whose values are all alike."""
    return Source(SourceId("record-resolution", (log, channel)), "instruments", _("Resolution"), "uniform")


def record_zero(log: str, channel: str) -> Source:
    """What a channel shows for nothing."""
    label = _("Zero of {name}").format(name=channel)
    return Source(SourceId("record-zero", (log, channel)), "instruments", label)


def record_peak() -> Source:
    """Scatter at the peak of a recorded jump."""
    return Source(SourceId("record-peak"), "instruments", _("Scatter of the record"))


def record_peaks(dof: float) -> Source:
    """Times of the peaks of a record; uniform where there are only two."""
    source = Source(SourceId("record-peaks"), "timing", _("Times of the peaks"))
    return with_dof(source, dof) if math.isfinite(dof) else replace(source, shape="uniform")


def stripes() -> Source:
    """The spacing of the stripes of a row of gates."""
    return Source(SourceId("stripes"), "scale", _("Spacing of the stripes"))


# -- people and instruments -------------------------------------------------------------------------


def hand_presses(timing: str, dof: float) -> Source:
    """Scatter of the two presses of one timing."""
    return _scatter("hand-presses", (timing,), "reaction", _("Reaction of the hand"), dof)


def watch_digits(timing: str) -> Source:
    """The last digit of the watch in one timing: a family, keyed by start and stop."""
    return Source(SourceId("watch-digits", (timing,)), "timing", _("Last digit of the watch"), "uniform")


def hand_lateness(hand: str) -> Source:
    """How late the presses of a person come."""
    return Source(SourceId("hand-lateness", (hand,)), "reaction", _("Lateness of the hand"))


def runs() -> Source:
    """Scatter of live runs timed by hand: a family, keyed by their number."""
    return Source(SourceId("runs"), "reaction", "runs")


def timed_column(column: str) -> Source:
    """Presses behind the cells of a column timed by hand: a family, keyed by row."""
    return Source(SourceId("column", (column,)), "reaction", _("Reaction of the hand"))


def instrument_reading(column: str, kind: Kind) -> Source:
    """Readings of an instrument, by its resolution: a family, keyed by row."""
    label = _("Reading of {name}").format(name=column)
    return Source(SourceId("instrument-reading", (column,)), kind, label, "uniform")


def instrument_zero(column: str, kind: Kind) -> Source:
    """What an instrument shows for nothing, common to all its readings."""
    return Source(SourceId("instrument-zero", (column,)), kind, _("Zero of {name}").format(name=column))


def instrument_accuracy(column: str, kind: Kind) -> Source:
    """The accuracy of an instrument, common to all its readings."""
    label = _("Accuracy of {name}").format(name=column.replace("_", " "))
    return Source(SourceId("instrument-accuracy", (column,)), kind, label, "uniform")


# -- tables and results -----------------------------------------------------------------------------


def given(name: str, kind: Kind, words: str = "") -> Source:
    """A quantity that was entered, not measured."""
    return Source(SourceId(GIVEN, (name,)), kind, words or name.replace("_", " "))


def column(name: str, kind: Kind) -> Source:
    """Cells of a column of a table as stated: a family, keyed by row."""
    return Source(SourceId("column", (name,)), kind, name.replace("_", " "))


def unstated_column(name: str, kind: Kind) -> Source:
    """Cells of which nothing is stated but that neighbours share: a family by row, known up to a factor."""
    return Source(SourceId(UNSTATED_COLUMN, (name,)), kind, name.replace("_", " "))


def limits(of: Hashable, kind: Kind) -> Source:
    """Values somewhere between two limits: a family, keyed by row."""
    return Source(SourceId("limits", (of,)), kind, _("Between limits"), "uniform")


def repeat_scatter(of: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of the mean of all repeats of one thing."""
    return _scatter("repeat-scatter", (of,), kind, label, dof)


def level_scatter(column: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Pooled scatter of repeats about the mean of their level: a family, keyed by the level's first row."""
    return _scatter(LEVEL_SCATTER, (column,), kind, label, dof)


def reading_scatter(of: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of a new reading about a line, as its points scatter: a family, keyed by the reading."""
    return _scatter("reading-scatter", (of,), kind, label, dof)


def own_scatter(column: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of levels that are not pooled with the others: a family, keyed by the level's first row."""
    return _scatter(LEVEL_SCATTER, (column, "own", dof), kind, label, dof)


def half_range(column: Hashable, kind: Kind, label: str = "") -> Source:
    """Half the range of repeats at a level: a family, keyed by the level's first row."""
    return Source(SourceId("half-range", (column,)), kind, label)


def line_scatter(of: Hashable, dof: float) -> Source:
    """Scatter of points about a line: a family of two, slope and intercept together."""
    return _scatter("line-scatter", (of,), "reading", _("Scatter about the line"), dof)


def curve_scatter(of: Hashable, dof: float) -> Source:
    """Scatter of points about a curve: a family, the parameters together."""
    return _scatter("curve-scatter", (of,), "reading", _("Scatter about the curve"), dof)


def read_off() -> Source:
    """A value typed to be read off a line."""
    return Source(SourceId("read-off"), "reading", _("Value read off"))


def tabled(name: str) -> Source:
    """What a motion table says is common to its positions under a name, beyond scale and clock."""
    return Source(SourceId("tabled", (name,)), "scale", name)


def held_against(name: str) -> Source:
    """A value from elsewhere that a result is held against."""
    return Source(SourceId("held-against", (name,)), "instruments", name)


def other_notebook(file: str, part: str) -> Source:
    """A result of another notebook: one for all that use it."""
    words = _("{part} of {file}").format(part=part, file=file)
    return Source(SourceId("other-notebook", (file, part)), "instruments", words)


def school(convention: str) -> Source:
    """All of an uncertainty as a school's convention states it."""
    words = _("Worst case") if convention == "half-range" else _("Standard uncertainty")
    return Source(SourceId("school", (convention,)), "reading", words)
