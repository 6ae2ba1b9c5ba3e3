"""Sources of a take: its picture, what is laid over it, and what is read in it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.sources.source import (
    CAMERA_DISTANCE,
    LENS,
    PLANE_OFFSET,
    SCALE_ENDS,
    Source,
    SourceId,
    scatter_source,
)
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Hashable

    from saltus.core.coverage import Shape
    from saltus.core.sources.source import Axis


def scale_length(take: str, of: str = "", *, stated: bool = False) -> Source:
    """A reference length of a take, or all by one rule: ``of``; ``stated``: the scale was a number."""
    words = _("Scale") if stated else _("Reference length")
    return Source(SourceId("scale-length", (take, of) if of else (take,)), "scale", words)


def scale_ends(take: str, of: str = "", dof: float = math.inf) -> Source:
    """Where the two ends of a reference length of a take were placed; ``of`` tells it from others."""
    return scatter_source(SCALE_ENDS, (take, of) if of else (take,), "scale", _("Its two ends"), dof)


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
    return scatter_source("fit-scatter", (take, body, axis, segment), "reading", label, dof)


def rest_level(take: str, body: str, axis: str, dof: float) -> Source:
    """The readings of a long record together, as they make its place of rest unsure."""
    return scatter_source("rest-level", (take, body, axis), "reading", _("Reading"), dof)


def crossing_scatter(take: str, body: str, axis: str, crossing: Hashable, dof: float) -> Source:
    """Scatter of readings about the local fit of one crossing: a family, keyed by frame."""
    return scatter_source("crossing-scatter", (take, body, axis, crossing), "reading", _("Reading"), dof)


def fixed_point(take: str, body: str, axis: Axis) -> Source:
    """Where a point that stands still was read in the frame that all others are brought to."""
    return Source(SourceId("fixed-point", (take, body, axis)), "scale", _("Fixed point"))


def camera_move(take: str, what: str) -> Source:
    """How a camera moved by the background (``x``, ``y``, ``turn``, ``zoom``): a family, keyed by frame."""
    return Source(SourceId("camera-move", (take, what)), "reading", _("Motion of the camera"))


def camera_start(take: str, what: str) -> Source:
    """The same in the frame that all others are brought to, common to all."""
    return Source(SourceId("camera-start", (take, what)), "scale", _("Motion of the camera"))


def camera_turning(take: str, *, told: bool = False) -> Source:
    """Whether a camera turned or was shifted, and through which lens: anything usual until it is told."""
    shape: Shape = "normal" if told else "uniform"
    return Source(SourceId("camera-turning", (take,)), "scale", _("Turn of the camera"), shape)


def division(take: str, scale: str, number: int, axis: Axis) -> Source:
    """Where a division of a filmed scale was placed, or (``number`` −1) the middle of a dial."""
    return Source(SourceId("division", (take, scale, number, axis)), "scale", _("Divisions of the scale"))


def circle_scatter(take: str, measure: str, dof: float) -> Source:
    """Scatter of points about a circle: a family of three, its middle and radius together."""
    return scatter_source("circle-scatter", (take, measure), "reading", _("Scatter about the circle"), dof)


def scale_accuracy(take: str, scale: str) -> Source:
    """The accuracy of a filmed scale or instrument, common to all its readings."""
    return Source(SourceId("scale-accuracy", (take, scale)), "instruments", _("Accuracy of the scale"))


def body_mass(take: str, body: str) -> Source:
    """The mass of a body of a take, as given."""
    return Source(SourceId("body-mass", (take, body)), "instruments", _("Mass of a body"))
