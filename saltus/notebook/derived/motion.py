"""From the document to values: everything here is derived again whenever the document changes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.checks import smear_u
from saltus.core.geometry.seen import Patch, Seen
from saltus.core.motion.centre_of_mass import centre_of_mass
from saltus.core.motion.coordinates import PivotError, angle_of, path_of, radius_of
from saltus.core.motion.local import DEFAULT_WINDOW, LocalMotion, local_motion, local_motion_after
from saltus.core.motion.models import MODELS
from saltus.core.motion.pieces import usable_noise
from saltus.core.motion.segment import Fitted, NoFit, SegmentFit, fit_segment, fit_together
from saltus.core.motion.window import advised_width
from saltus.core.quantities import measured
from saltus.core.sources import body_mass
from saltus.core.units import KILOGRAM, parse_unit
from saltus.notebook.derived.frame_clock import clock_of, frame_times
from saltus.notebook.derived.geometry import mapping_of, typed_si
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Body, Segment, Take

    Array = NDArray[np.float64]

FEWEST_FOR_ADVICE, PARABOLA = 8, 2


@dataclass(frozen=True)
class BodyMotion:
    """The positions of one body.

    Attributes
    ----------
    frames : (N,) ndarray of int
    t : (N,) ndarray
        s.
    x, y : Quantity
        (N,) in m, or px without a scale.
    followed : (N,) ndarray of bool
    patches : tuple of Patch
        What followed ones have in common in the picture.
    """

    frames: NDArray[np.int64]
    t: Array
    x: Quantity
    y: Quantity
    followed: NDArray[np.bool_]
    patches: tuple[Patch, ...] = ()

    def of(self, axis: str) -> Quantity:
        """Positions in a coordinate: ``x``, ``y``, ``angle`` and ``radius`` about the origin, or ``path``.

        Raises
        ------
        PivotError
            If an angle is asked for and the body lies at the origin.
        """
        axis = coordinate_kind(axis)
        if axis in ("x", "y"):
            return self.x if axis == "x" else self.y
        return _turned(self, axis)


@remembered
def _turned(motion: BodyMotion, axis: str) -> Quantity:
    if axis == "path":
        return path_of(motion.t, motion.x, motion.y)
    return (angle_of if axis == "angle" else radius_of)(motion.x, motion.y)


def coordinate_kind(of: str) -> str:
    """What kind of coordinate it is: ``angle`` for ``angle@body-2``, the angle about another body."""
    return of.partition("@")[0]


def motion_in(take: Take, body: Body, of: str) -> BodyMotion:
    """The motion of a body as a coordinate sees it: for one about another body, as seen from there.

    Frames in which the other was not read are left out; what both share, such as the origin, cancels.
    """
    about = of.partition("@")[2]
    return _seen_from(take, body, about) if about else body_motion(take, body)


@remembered
def _seen_from(take: Take, body: Body, about: str) -> BodyMotion:
    return seen_from(take, body_motion(take, body), about, lambda other: body_motion(take, other))


def seen_from(
    take: Take, motion: BodyMotion, about: str, motion_of: Callable[[Body], BodyMotion]
) -> BodyMotion:
    """A motion as seen from another body or a moving frame, in the frames in which all were read.

    It is empty where the frame lacks a mass, see :func:`moving_frame_problem`.
    """
    other, moving = take.body(about), take.moving_frame(about)
    if other is not None:
        return relative(motion, motion_of(other))
    if moving is None:
        return motion
    riding = [b for b in take.bodies if b.id in moving.bodies]
    masses = [mass for b in riding if (mass := mass_of(take, b)) is not None]
    if len(masses) < len(riding):
        return _only(motion, np.zeros(0, dtype=np.int64))
    each = [motion_of(b) for b in riding]
    frames = each[0].frames
    for one in each[1:]:
        frames = np.intersect1d(frames, one.frames)
    each = [_only(one, np.flatnonzero(np.isin(one.frames, frames))) for one in each]
    x, y = (centre_of_mass([getattr(one, axis) for one in each], masses) for axis in ("x", "y"))
    followed = np.logical_or.reduce([one.followed for one in each])
    return relative(motion, BodyMotion(frames, each[0].t, x, y, followed))


def _only(motion: BodyMotion, rows: NDArray[np.int64]) -> BodyMotion:
    return BodyMotion(
        motion.frames[rows], motion.t[rows], motion.x[rows], motion.y[rows], motion.followed[rows]
    )


def relative(motion: BodyMotion, there: BodyMotion) -> BodyMotion:
    """A motion as seen from another body, in the frames in which both were read."""
    frames, i, j = np.intersect1d(motion.frames, there.frames, return_indices=True)
    x, y = motion.x[i] - there.x[j], motion.y[i] - there.y[j]
    return BodyMotion(frames, motion.t[i], x, y, motion.followed[i] | there.followed[j])


def mass_of(take: Take, body: Body) -> Quantity | None:
    """The mass of a body as given, kg; None where none is, or what was typed is no mass."""
    typed = typed_si(body.mass)
    if typed is None or body.mass is None or not parse_unit(body.mass.unit)[1].goes_with(KILOGRAM):
        return None
    return measured(*typed, KILOGRAM, body_mass(take.id, body.id))


def moving_frame_problem(take: Take, of: str, body_id: str) -> str | None:
    """Why nothing can be seen from what a coordinate names, in a sentence; None where it can."""
    about = of.partition("@")[2]
    if not about:
        return None
    if about == body_id:
        return say("motion.seen-from-itself")
    moving = take.moving_frame(about)
    if moving is None:
        return None if take.body(about) is not None else say("motion.moving-frame-gone")
    lacking = [b.name for b in take.bodies if b.id in moving.bodies and mass_of(take, b) is None]
    return say("motion.mass-missing", names=", ".join(lacking)) if lacking else None


@remembered
def body_motion(take: Take, body: Body) -> BodyMotion:
    """World positions of a body: readings set aside are left out, and those in repeated frames where wanted.

    A sensor that is read row by row sees a row of its lower half later than the middle; a body that moves
    while the frame is exposed leaves a smear, see :func:`saltus.core.clock.checks.smear_u`.
    """
    return motion_by(take, body, mapping_of(take))


def motion_by(
    take: Take, body: Body, mapping: Mapping, frames: NDArray[np.int64] | None = None
) -> BodyMotion:
    """World positions of a body as another way into the world would have them, in some frames or in all.

    A place that the way does not lead to, such as one behind the horizon of a plane, is left out.
    """
    columns = body.readings.used
    if take.timing.repeats_left_out:
        columns = columns.only(~np.isin(columns.frame, take.facts.duplicates))
    if frames is not None:
        columns = columns.only(np.isin(columns.frame, frames))
    there = mapping.reaches(np.stack([columns.x, columns.y]), columns.frame)
    if not there.all():
        columns = columns.only(there)
    u_x, u_y = (np.where(np.isnan(u), body.u_px, u) for u in (columns.u_x, columns.u_y))
    t = frame_times(take)[columns.frame]
    shutter = take.timing.shutter
    if shutter.readout_s:
        t = t + shutter.readout_s * _row_of(take, columns.x, columns.y)
    if shutter.exposure_s and len(t) > 1 and np.all(np.diff(t) > 0):
        u_x, u_y = (
            np.hypot(u, smear_u(np.gradient(place, t), shutter.exposure_s))
            for place, u in ((columns.x, u_x), (columns.y, u_y))
        )
    patches = patches_of(body, columns.run, columns.frame)
    dof = body.u_dof or math.inf
    # readings that were followed, or state their own u, do not rest on the person's eye
    dof = dof if np.isnan(columns.u_x).any() else math.inf
    x, y = mapping.world(Seen(columns.x, columns.y, u_x, u_y, columns.frame, body.id, patches, dof=dof))
    return BodyMotion(columns.frame, t, x, y, columns.run != "", patches)


def patches_of(body: Body, names: NDArray[np.object_], frames: NDArray[np.int64]) -> tuple[Patch, ...]:
    """What readings have in common by the runs that followed them, and by those these runs went on from.

    Parameters
    ----------
    body : Body
    names : (N,) ndarray of str
        The run of each reading; empty without.
    frames : (N,) ndarray of int
    """
    # a run that goes on from another has what that one had in the frame it begins in
    at: dict[str, NDArray[np.int64]] = {}
    for run in reversed(body.runs):
        there = np.where(names == run.id, frames, at.get(run.id, np.full(len(names), -1)))
        if not (there >= 0).any():
            continue
        at[run.id] = there
        if run.after is not None:
            before = at.get(run.after, np.full(len(names), -1))
            at[run.after] = np.where(there >= 0, run.start, before)
    return tuple(
        Patch(run.id, *np.where(at[run.id] >= 0, run.u_common_in(at[run.id]), 0.0))
        for run in body.runs
        if run.id in at
    )


def common_px(body: Body, names: NDArray[np.object_], frames: NDArray[np.int64]) -> NDArray[np.float64]:
    """Standard uncertainty of what readings have in common with others by their runs, (2, N) px.

    Parameters
    ----------
    body, names, frames
        See :func:`patches_of`.
    """
    squares = np.zeros((2, len(names)))
    for patch in patches_of(body, names, frames):
        squares += np.square([patch.u_x, patch.u_y])
    return np.sqrt(squares)


def _row_of(take: Take, x: Array, y: Array) -> Array:
    """Where places lie along the rows of the sensor, -½ at the first row read to ½ at the last."""
    across, down = x / take.facts.width - 0.5, y / take.facts.height - 0.5
    return {0: down, 90: -across, 180: -down, 270: across}[take.facts.rotation_deg]


MOST_LATEST = 4
_latest: dict[tuple[str, int], tuple[Array, Array, Array, LocalMotion]] = {}
"""What was worked out last: after one edit of many readings only what is near it is worked out again."""


@remembered
def local_of(motion: BodyMotion, axis: str, window: int = DEFAULT_WINDOW) -> LocalMotion:
    """Velocity and acceleration near each reading; the uncertainty is the reading part."""
    position = motion.of(axis)
    now = motion.t, position.value, position.u_own
    before = _latest.get((axis, window))
    found = local_motion_after(before, *now, window) if before is not None else local_motion(*now, window)
    if len(_latest) >= MOST_LATEST:
        _latest.clear()
    _latest[axis, window] = (*now, found)
    return found


@remembered
def advised_window(motion: BodyMotion, axis: str) -> int:
    """How many readings a local parabola may take before curvature biases its velocity."""
    position = motion.of(axis)
    if len(motion.t) < FEWEST_FOR_ADVICE or np.any(np.diff(motion.t) <= 0):
        return DEFAULT_WINDOW
    u = usable_noise(motion.t, position.value, position.u_own)
    return max(advised_width(motion.t, position.value, u, PARABOLA), DEFAULT_WINDOW)


def segment_mask(motion: BodyMotion, segment: Segment) -> NDArray[np.bool_]:
    """Which readings a segment uses, (N,)."""
    return (motion.frames >= segment.first) & (motion.frames <= segment.last)


@remembered
def segment_fit(take: Take, segment: Segment) -> SegmentFit | NoFit:
    """Fit the model of a segment to its readings."""
    body = take.body(segment.body)
    if body is None:
        return NoFit(say("motion.body-segment-not-any"))
    problem = moving_frame_problem(take, segment.of, segment.body)
    if problem is not None:
        return NoFit(problem)
    return fit_of(take, segment, motion_in(take, body, segment.of))


def fit_of(take: Take, segment: Segment, motion: BodyMotion) -> SegmentFit | NoFit:
    """Fit the model of a segment to the motion of its body, however that was worked out."""
    chosen = np.flatnonzero(segment_mask(motion, segment))
    followed = bool(motion.followed[chosen].any())
    of = Fitted(segment.body, segment.of, segment.id, motion.frames[chosen], followed)
    model, t, clock = MODELS[segment.model], motion.t[chosen], clock_of(take)
    if model.together:
        return fit_together(model, t, motion.x[chosen], motion.y[chosen], clock, of)
    try:
        position = motion.of(segment.of)
    except PivotError as error:
        return NoFit(str(error))
    return fit_segment(model, t, position[chosen], clock, of)


def headline(take: Take) -> tuple[str, Quantity] | None:
    """Name and value of the result at the top: the last parameter of the headline segment."""
    segment = take.headline_segment
    fit = segment_fit(take, segment) if segment else None
    if not isinstance(fit, SegmentFit):
        return None
    name, value = fit.leading
    return (name, value) if value is not None else None
