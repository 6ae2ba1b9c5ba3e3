"""Just before and just after an event: two segments carried to its instant, and where they meet."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from saltus.core.clock.clock import Clock, with_rate
from saltus.core.motion.models import CONSTANT_ACCELERATION, CONSTANT_VELOCITY, REST, Model
from saltus.core.motion.segment import Fitted, NoFit, SegmentFit, fit_segment
from saltus.core.quantities import exact
from saltus.core.sentences import say
from saltus.core.statement import stated
from saltus.core.units import METRE, RADIAN, SECOND

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]
    Mask = NDArray[np.bool_]

Side = Literal["before", "after"]
Level = Literal["before", "after", "both"]
COASTS = 0.5
"""Slower changes of velocity than this, m/s² or rad/s², are those of a body that was meant to coast."""
GRAVITY = 9.81
STEPS = 30


class EventError(ValueError):
    """Stretches before and after an event that do not lie on their sides of it."""


@dataclass(frozen=True)
class Sides:
    """The readings before and after an event, and which of the two sides coasts level.

    Attributes
    ----------
    before, after : (N,) ndarray of bool
    level : {"before", "after", "both"}, optional
    still : {"before", "after", "both"}, optional
        On which sides the body is at rest.
    """

    before: Mask
    after: Mask
    level: Level | None = None
    still: Level | None = None

    @property
    def both(self) -> tuple[tuple[Side, Mask], tuple[Side, Mask]]:
        """The two sides by name."""
        return ("before", self.before), ("after", self.after)

    def model(self, side: Side) -> Model:
        """What is laid through a side."""
        if self.still in (side, "both"):
            return REST
        return CONSTANT_VELOCITY if self.coasts(side) else CONSTANT_ACCELERATION

    def coasts(self, side: Side) -> bool:
        """Whether a side is said to keep its velocity."""
        return self.level in (side, "both")


@dataclass(frozen=True)
class Event:
    """What the segments on both sides of an event say; None where one cannot be laid.

    Attributes
    ----------
    at : Quantity
        The instant, s.
    before, after, change : Quantity or None
        Velocity just before and just after it, and after minus before.
    slope_before, slope_after : Quantity or None
        Acceleration of each side; None of one that is said to coast level.
    position : Quantity or None
        Where the body was, carried there from before; from after where before cannot be laid.
    fits : (SegmentFit or NoFit, SegmentFit or NoFit)
    """

    at: Quantity
    before: Quantity | None
    after: Quantity | None
    change: Quantity | None
    slope_before: Quantity | None
    slope_after: Quantity | None
    position: Quantity | None
    fits: tuple[SegmentFit | NoFit, SegmentFit | NoFit]
    warnings: tuple[str, ...] = ()


def event_of(
    t: Array, position: Quantity, sides: Sides, at: Quantity | None = None, clock: Clock | None = None,
    of: Fitted | None = None,
) -> Event | None:  # fmt: skip
    """Carry the velocity of both sides to an event.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,)
    sides : Sides
    at : Quantity, optional
        The instant, s; where the two segments meet by default.
    clock, of : Clock, Fitted, optional

    Returns
    -------
    Event or None
        None where no instant is given and the segments do not meet.

    Raises
    ------
    EventError
        If a stretch reaches over the instant, or both over each other.

    Notes
    -----
    Each side is constant acceleration: a slope dropped because it is small biases the value carried to the
    event by several of its u. What both sides share (scale, clock) they share in the change.
    """
    clock, of = clock or Clock(), of or Fitted()
    _require_sides(t, sides, at)
    first, second = (
        fit_segment(sides.model(name), t[mask], position[mask], clock, _named(of, name, mask))
        for name, mask in sides.both
    )
    instant = at if at is not None else meeting(first, second, clock)
    if instant is None:
        return None
    before, after = (_carried(side, instant, clock) for side in (first, second))
    change = after - before if before is not None and after is not None else None
    places = [p for side in (first, second) if (p := _place(side, instant, clock)) is not None]
    warnings = [*_told("before", first), *_told("after", second)]
    for (name, mask), velocity in zip(sides.both, (before, after), strict=True):
        of_side = (t[mask], position[mask], clock, _named(of, name, mask))
        warnings += _slope_told(name, of_side, velocity, level=sides.coasts(name))
    place, told = next(iter(places), None), tuple(dict.fromkeys(warnings))
    return Event(instant, before, after, change, _slope(first), _slope(second), place, (first, second), told)


def _require_sides(t: Array, sides: Sides, at: Quantity | None) -> None:
    before, after = t[sides.before], t[sides.after]
    if before.size and after.size and before[-1] >= after[0]:
        raise EventError(say("event.sides-overlap", stop=before[-1], start=after[0]))
    for stretch, over in ((before, 1), (after, -1)):
        if at is not None and stretch.size and over * (stretch[-1 if over > 0 else 0] - float(at)) > 1e-9:
            said = "event.before-ends-late" if over > 0 else "event.after-starts-early"
            raise EventError(say(said, t=stretch[-1 if over > 0 else 0], at=float(at)))


def _named(of: Fitted, side: Side, mask: Mask) -> Fitted:
    frames = None if of.frames is None else of.frames[mask]
    return Fitted(of.body, of.axis, f"{of.segment}-{side}", frames, of.followed)


def _since(fit: SegmentFit, at: Quantity, clock: Clock) -> Quantity:
    """Time from the start of a segment to the instant, on the same clock."""
    bare = at if clock.rate_source in at.shares else with_rate(at, clock)
    return bare - with_rate(exact(fit.start_s, SECOND), clock)


def _carried(fit: SegmentFit | NoFit, at: Quantity, clock: Clock) -> Quantity | None:
    if (
        isinstance(fit, SegmentFit)
        and fit.model is REST
        and (place := fit.parameters["position"]) is not None
    ):
        return exact(0.0, place.unit / SECOND)
    velocity = fit.parameters.get("velocity") if isinstance(fit, SegmentFit) else None
    if velocity is None or not isinstance(fit, SegmentFit):
        return None
    slope = fit.parameters.get("acceleration")
    return velocity if slope is None else velocity + slope * _since(fit, at, clock)


def _place(fit: SegmentFit | NoFit, at: Quantity, clock: Clock) -> Quantity | None:
    if not isinstance(fit, SegmentFit) or any(q is None for q in fit.parameters.values()):
        return None
    since = _since(fit, at, clock)
    place, *changes = (q for q in fit.parameters.values() if q is not None)
    for power, q in enumerate(changes, 1):
        place = place + q * since**power * (1 / power)
    return place


def _slope(fit: SegmentFit | NoFit) -> Quantity | None:
    return fit.parameters.get("acceleration") if isinstance(fit, SegmentFit) else None


def meeting(
    before: SegmentFit | NoFit, after: SegmentFit | NoFit, clock: Clock | None = None
) -> Quantity | None:
    """Give the instant at which two segments are at one place: that of the event between them.

    Parameters
    ----------
    before, after : SegmentFit or NoFit
        Of one coordinate of one body.
    clock : Clock, optional

    Returns
    -------
    Quantity or None
        s; None where they do not meet about the gap between them, or their velocities are too alike to tell.
    """
    if not isinstance(before, SegmentFit) or not isinstance(after, SegmentFit):
        return None
    low = before.start_s + before.span_s
    gap = max(after.start_s - low, 0.0)
    t = 0.5 * (low + after.start_s)
    for _step in range(STEPS):
        off = _at(after, t) - _at(before, t)
        apart = _at(after, t, "velocity") - _at(before, t, "velocity")
        if apart == 0 or not math.isfinite(step := off / apart):
            return None
        t -= step
        if abs(step) <= 1e-14 * max(abs(t), 1.0):
            break
    clock = clock or Clock()
    at = exact(t, SECOND)
    places = [_place(f, at, clock) for f in (before, after)]
    if places[0] is None or places[1] is None:
        return None
    late = ((places[0] - places[1]) * (1 / apart)).with_unit(SECOND)
    found = with_rate(late.moved_to(t), clock)
    reach = gap + 3 * float(found.u)
    return found if low - reach <= t <= after.start_s + reach and float(found.u) <= max(gap, 0.1) else None


def _at(fit: SegmentFit, t: float, what: str = "position") -> float:
    import numpy as np  # noqa: PLC0415  only here

    return float(getattr(fit, what)(np.array([t]))[0])


def _told(side: Side, fit: SegmentFit | NoFit) -> tuple[str, ...]:
    """What a fit says, with the side it says it of."""
    words = (fit.reason,) if isinstance(fit, NoFit) else fit.warnings
    if side == "before":
        return tuple(say("event.before", words=w) for w in words)
    return tuple(say("event.after", words=w) for w in words)


def _slope_told(
    side: Side, readings: tuple[Array, Quantity, Clock, Fitted], carried: Quantity | None, *, level: bool
) -> tuple[str, ...]:
    """That a side that should coast level does not, what that would mean, and what ignoring it would do."""
    slope = _slope(fit_segment(CONSTANT_ACCELERATION, *readings))
    unit = readings[1].unit
    if slope is None or unit not in (METRE, RADIAN) or not abs(float(slope)) > slope.U95:
        return ()
    words = stated(float(slope), slope.U95, slope.unit)
    if level:
        told = say("event.not-level-before", slope=words), say("event.not-level-after", slope=words)
        return (told[side == "after"],)
    speed = 0.0 if carried is None else float(carried)
    flat = fit_segment(CONSTANT_VELOCITY, *readings)
    velocity = flat.parameters["velocity"] if isinstance(flat, SegmentFit) else None
    if abs(float(slope)) > COASTS or unit != METRE or velocity is None or not speed:
        return ()
    tilt = f"{math.degrees(math.asin(abs(float(slope)) / GRAVITY)):.2g}"
    percent = f"{100 * (float(velocity) / speed - 1):+.2g}".replace("-", "\u2212")
    before, after = (
        say("event.slope-before", slope=words, tilt=tilt, percent=percent),
        say("event.slope-after", slope=words, tilt=tilt, percent=percent),
    )
    return (before if side == "before" else after,)
