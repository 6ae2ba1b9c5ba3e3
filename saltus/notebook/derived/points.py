"""Characteristic points of the bodies of a take, all that are found and those that were chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.clock import Clock, with_stamps
from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.features import Point, Points, marked_point, points_of
from saltus.core.motion.segment import Fitted
from saltus.notebook.derived.frame_clock import clock_of, frame_times
from saltus.notebook.derived.motion import motion_in
from saltus.notebook.memory import is_remembered, remembered, remembered_while
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.chosen_points import ChosenPoint
    from saltus.notebook.derived.motion import BodyMotion
    from saltus.notebook.model import Body, Take

NEAR_FRAMES = 12
"""A chosen point is the one of its kind nearest to its frame, not further away than this."""


def points_found(take: Take, body: Body, of: str) -> Points:
    """All characteristic points of a coordinate of a body."""
    return _found(body, _rests_on(take, of), take, of)


def points_known(take: Take, body: Body, of: str) -> bool:
    """Whether they were found before, so that asking for them costs nothing."""
    return is_remembered(_found, body, _rests_on(take, of))


def _rests_on(take: Take, of: str) -> tuple[object, ...]:
    """What the points of a body follow from beside its readings: not from segments or what was chosen."""
    times = (take.facts, take.timing.shutter, take.timing.repeats_left_out, take.capture_rate)
    # what it is seen from, and what shows how the camera moved
    about = of.partition("@")[2]
    others = (take.moving_frame(about), *(b for b in take.bodies if b.id == about or b.fixed))
    riding = take.bodies if take.moving_frame(about) is not None else ()
    laid = (take.reference, take.axes, take.geometry, take.steadying)
    return (of, *others, *riding, *times, take.clock_U95_percent, *laid)


@remembered_while
def _found(body: Body, _rests_on: tuple[object, ...], take: Take, of: str) -> Points:
    motion = motion_in(take, body, of)
    named = Fitted(body.id, of, "points", motion.frames, bool(motion.followed.any()))
    try:
        position = _stamped(take, motion, of)
    except PivotError as error:
        return Points((), (str(error),))
    if len(motion.t) > 1 and np.any(np.diff(motion.t) <= 0):
        return Points((), (say("times.two-frames-same-time"),))
    return points_of(motion.t, position, _rate_alone(take), named, upright=of == "y")


def _stamped(take: Take, motion: BodyMotion, of: str) -> Quantity:
    """Positions with what the stamps of their frames leave uncertain.

    Raises
    ------
    PivotError
        If an angle is asked for and the body lies at the origin.
    """
    position = motion.of(of)
    if len(motion.t) < 2 or np.any(np.diff(motion.t) <= 0):
        return position
    return with_stamps(position, np.gradient(position.value, motion.t), clock_of(take), motion.frames)


def _rate_alone(take: Take) -> Clock:
    """The clock of a take without its stamps, for positions that have them already."""
    clock = clock_of(take)
    return Clock(0.0, clock.u_rate, clock.take, clock.camera)


def frame_of(take: Take, point: Point) -> int:
    """The frame nearest to a point."""
    return int(np.argmin(np.abs(frame_times(take) - float(point.time))))


@remembered
def chosen_point(take: Take, chosen: ChosenPoint) -> Point | None:
    """What a chosen point is now; None where there is none of its kind near its frame any more."""
    body = take.body(chosen.body)
    if body is None:
        return None
    if chosen.kind == "marked":
        motion = motion_in(take, body, chosen.of)
        place = np.flatnonzero(motion.frames == chosen.frame)
        named = Fitted(body.id, chosen.of, "points", motion.frames)
        try:
            position = _stamped(take, motion, chosen.of)
        except PivotError:
            return None
        if not place.size:
            return None
        at = int(place[0])
        return marked_point(motion.t, position, at, _rate_alone(take), named, upright=chosen.of == "y")
    found = [p for p in points_found(take, body, chosen.of).points if p.kind == chosen.kind]
    near = [(abs(frame_of(take, p) - chosen.frame), i) for i, p in enumerate(found)]
    if not near or min(near)[0] > NEAR_FRAMES:
        return None
    return found[min(near)[1]]
