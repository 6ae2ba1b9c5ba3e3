"""Characteristic points of a motion: where it turns, is fastest, rests, passes zero, is struck."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.clock.clock import Clock, with_rate
from saltus.core.clock.local_fit import HALF_WINDOW, HIGHEST, likely_by_chance, noise_of, polynomial
from saltus.core.motion.events import Sides, event_of
from saltus.core.motion.models import CONSTANT_ACCELERATION, CONSTANT_VELOCITY, REST, Model
from saltus.core.motion.models.release import Release
from saltus.core.motion.pieces import Piece, pieces_of, usable_noise
from saltus.core.motion.segment import Fitted, SegmentFit, fit_segment
from saltus.core.motion.stationary import DEGREE, SURE, changes, stationary, values_at
from saltus.core.motion.window import advised_width, near_each
from saltus.core.quantities import exact, family, measured
from saltus.core.sentences import say
from saltus.core.sources import fit_scatter, segment_ends
from saltus.core.units import METRE, SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

Kind = Literal["turning", "extremum", "zero", "fastest", "rest", "contact", "free-fall", "taut", "marked"]
Direction = Literal["up", "down", "along", "against", "rest"]

FEWEST = 7
JUMP = 5.0
SHARE = 0.2
"""Of the largest speed of the record: a smaller change within a few readings is no impact."""
SURE_SHARE, SURE_TIMES, SUREST_TIMES = 0.5, 15.0, 40.0
"""A change so many times what the accelerations would do between the readings (fewer, if it is a large part
of the largest speed) is an impact even where a curve could bend through the few readings about it."""
GRAVITY = 9.81
MOVES = 30.0
"""A piece whose speed would take it so many u away within it is no rest."""
UNLIKELY = 0.001
SMOOTH = 0.001
RELEASE = Release()
NEAR_G = 0.25
KNOWN_G = 0.1


@dataclass(frozen=True)
class Point:
    """A characteristic point.

    Attributes
    ----------
    kind : str
    time : Quantity
        s
    position, velocity, acceleration : Quantity or None
        None where the motion has none there: just at an impact there is no velocity.
    direction : str or None
        "up" and "down" for heights, "along" and "against" the axis otherwise.
    """

    kind: Kind
    time: Quantity
    position: Quantity | None = None
    velocity: Quantity | None = None
    acceleration: Quantity | None = None
    direction: Direction | None = None

    @property
    def values(self) -> list[Quantity]:
        """Position, velocity and acceleration, those that are there."""
        return [q for q in (self.position, self.velocity, self.acceleration) if q is not None]


@dataclass(frozen=True)
class Points:
    """The points of a record in order of time, and what is to be told with them."""

    points: tuple[Point, ...]
    warnings: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Record:
    t: Array
    position: Quantity
    u: Array
    clock: Clock
    of: Fitted
    upright: bool

    @property
    def x(self) -> Array:
        return self.position.value

    def direction(self, velocity: Quantity | None) -> Direction | None:
        """Which way a velocity leads, where that is sure."""
        if velocity is None or not abs(float(velocity)) > velocity.U95:
            return None
        ways: tuple[Direction, Direction] = ("up", "down") if self.upright else ("along", "against")
        return ways[float(velocity) < 0]


def points_of(
    t: Array, position: Quantity, clock: Clock | None = None, of: Fitted | None = None, *,
    upright: bool = False,
) -> Points:  # fmt: skip
    """Find the characteristic points of a coordinate.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,); without stated uncertainties their scatter stands for them.
    clock : Clock, optional
    of : Fitted, optional
    upright : bool
        Whether it points upwards: directions are then up and down, and free fall is looked for.

    Notes
    -----
    Impacts are where pieces of constant acceleration meet with another velocity. Between impacts a polynomial
    of degree four is laid about each reading, of the widest window that curvature allows; a point is stated
    where the velocity, or the acceleration, surely has opposite signs on both sides.
    """
    clock, of = clock or Clock(), of or Fitted()
    if len(t) < FEWEST:
        return Points((), (say("points.too-few-readings", n=FEWEST),))
    record = _record(t, position, clock, of, upright=upright)
    pieces = pieces_of(t, record.x, record.u)
    whole = _laid(record, slice(0, len(t)), REST)
    if len(pieces) <= 1 and whole is not None and whole.fits:
        return Points((_resting(record, whole, exact(t[0], SECOND)),), (say("points.all-rest"),))
    struck = _contacts(record, pieces)
    found = [point for point, _gap in struck]
    for part in _between(len(t), [gap for _point, gap in struck]):
        found += _smooth_points(record, part)
    found += [p for pair in zip(pieces, [*pieces[1:], None], strict=True) for p in _rests(record, *pair)]
    falls, told = _falls(record, pieces) if upright and position.unit == METRE else ([], ())
    found += falls
    found.sort(key=lambda p: float(p.time))
    return Points(tuple(found), told if found else (*told, say("points.none")))


def marked_point(
    t: Array, position: Quantity, at: int, clock: Clock | None = None, of: Fitted | None = None, *,
    upright: bool = False,
) -> Point | None:  # fmt: skip
    """Give position, velocity and acceleration at a reading.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,)
    at : int
        Which reading.
    clock, of : Clock, Fitted, optional
    upright : bool
        Whether it points upwards.

    Returns
    -------
    Point or None
        None where there are too few readings for a curve.
    """
    if len(t) < FEWEST:
        return None
    record = _record(t, position, clock or Clock(), of or Fitted(), upright=upright)
    width = max(advised_width(t, record.x, record.u, DEGREE), FEWEST)
    time, *values = values_at(t, record.position, record.u, (at, width), record.clock)
    return Point("marked", time, values[0], values[1], values[2], record.direction(values[1]))


def _record(t: Array, position: Quantity, clock: Clock, of: Fitted, *, upright: bool) -> _Record:
    """Readings with what is stated of them; where nothing is, their scatter stands for it."""
    if not np.all(position.u_own > 0):
        scatter, dof = noise_of(t, position.value)
        source = fit_scatter(clock.take, of.body, of.axis, f"{of.segment}-points", min(dof, 1e6))
        position = position + family(np.zeros(len(t)), scatter or 1e-300, position.unit, source)
    return _Record(t, position, usable_noise(t, position.value, position.u_own), clock, of, upright)


def _laid(record: _Record, part: slice, model: Model) -> SegmentFit | None:
    fit = fit_segment(model, record.t[part], record.position[part], record.clock, _part_of(record, part))
    return fit if isinstance(fit, SegmentFit) else None


def _part_of(record: _Record, part: slice) -> Fitted:
    frames = record.of.frames
    return replace(
        record.of,
        segment=f"{record.of.segment}-{part.start}",
        frames=None if frames is None else frames[part],
    )


# -- impacts -------------------------------------------------------------------------------------------


def _contacts(record: _Record, pieces: list[Piece]) -> list[tuple[Point, tuple[int, int]]]:
    """Points at which the velocity jumps, and the readings between which each lies."""
    courses = [_course(record, p) for p in pieces]
    fastest = max((max(abs(c.first), abs(c.last)) for c in courses), default=0.0)
    out: list[tuple[Point, tuple[int, int]]] = []
    for (before, one), (after, other) in pairwise(zip(pieces, courses, strict=True)):
        gap = record.t[after.first] - record.t[before.last]
        bend = max(abs(one.slope), abs(other.slope)) * gap
        change = abs(other.first - one.last)
        # most places where pieces part are no impact: that is seen without carrying any uncertainty
        if change < 0.5 * max(SHARE * fastest, 2 * bend):
            continue
        masks = np.zeros((2, len(record.t)), dtype=bool)
        masks[0, before.part], masks[1, after.part] = True, True
        event = event_of(record.t, record.position, Sides(*masks), None, record.clock, record.of)
        if event is None or event.change is None or event.position is None:
            continue
        change = abs(float(event.change))
        within = change / bend if bend > 0 else math.inf
        sure = within > SUREST_TIMES or (within > SURE_TIMES and change > SURE_SHARE * fastest)
        least = max(JUMP * float(event.change.u), SHARE * fastest, 2 * bend)
        if change > least and (sure or not _runs_on(record, before.last, after.first)):
            out.append((Point("contact", event.at, event.position), (before.last, after.first)))
    return out


@dataclass(frozen=True)
class _Course:
    """Velocity at the first and the last reading of a piece, and its acceleration."""

    first: float
    last: float
    slope: float


def _course(record: _Record, piece: Piece) -> _Course:
    t = record.t[piece.part] - record.t[piece.first]
    bend, first, _place = np.polyfit(t, record.x[piece.part], 2)
    return _Course(float(first), float(first + 2 * bend * t[-1]), float(2 * bend))


def _runs_on(record: _Record, last: int, first: int) -> bool:
    """Whether one smooth curve explains the readings on both sides of a gap."""
    part = slice(max(last + 1 - HALF_WINDOW, 0), first + HALF_WINDOW)
    tau, x, u = record.t[part] - record.t[first], record.x[part], record.u[part]
    degree = min(HIGHEST, len(tau) - 3)
    return likely_by_chance(polynomial(tau, x, u, degree, float(record.t[first]))) > SMOOTH


def _between(count: int, gaps: list[tuple[int, int]]) -> list[slice]:
    """Stretches between impacts."""
    # the reading beside an impact may lie on its other side
    starts = [0, *(after + 1 for _before, after in gaps)]
    stops = [*(before for before, _after in gaps), count]
    return [slice(a, max(a, b)) for a, b in zip(starts, stops, strict=True)]


# -- smooth stretches ----------------------------------------------------------------------------------


def _smooth_points(record: _Record, part: slice) -> list[Point]:
    """Passings through zero, turning points and greatest speeds of a stretch without impacts."""
    t, x, u = record.t[part], record.x[part], record.u[part]
    if len(t) < FEWEST:
        return []
    width = advised_width(t, x, u, DEGREE)
    near = near_each(t, x, u, width, DEGREE)
    found: list[Point] = []
    kinds: tuple[tuple[int, Kind], ...] = ((0, "zero"), (1, "turning"), (2, "fastest"))
    for which, kind in kinds:
        for i in changes(near.values[:, which], near.u[:, which]):
            window = (i, max(width, FEWEST))
            made = stationary(t, record.position[part], u, window, which, record.clock)
            if made is None or (kind == "fastest" and not made.greatest):
                continue
            velocity, slope = made.velocity, made.acceleration
            place, way = made.position, record.direction(velocity)
            if kind == "zero":
                place = exact(0.0, place.unit)
            elif kind == "turning":
                velocity, way = exact(0.0, velocity.unit), "rest"
            else:
                slope = exact(0.0, slope.unit)
            found.append(Point(kind, made.time, place, velocity, slope, way))
    return found


# -- rest, free fall, zero -----------------------------------------------------------------------------


def _resting(record: _Record, fit: SegmentFit, time: Quantity) -> Point:
    unit = record.position.unit
    still = exact(0.0, unit / SECOND), exact(0.0, unit / SECOND**2)
    return Point("rest", time, fit.parameters["position"], *still, "rest")


def _rests(record: _Record, piece: Piece, after: Piece | None) -> list[Point]:
    """When a body at rest is let go, or when it came to rest where nothing follows."""
    course, u = _course(record, piece), record.u[piece.part]
    span = float(record.t[piece.last] - record.t[piece.first])
    if max(abs(course.first), abs(course.last)) * span > MOVES * float(u.max()):
        return []
    fit = _laid(record, piece.part, REST)
    moving = _laid(record, piece.part, CONSTANT_VELOCITY)
    speed = moving.parameters["velocity"] if moving is not None else None
    if fit is None or speed is None or not explained(fit) or abs(float(speed)) > SURE * float(speed.u):
        return []
    if after is None:
        return [_resting(record, fit, with_rate(exact(record.t[piece.first], SECOND), record.clock))]
    return [_resting(record, fit, _let_go(record, piece, after))]


def explained(fit: SegmentFit) -> bool:
    """Whether the residuals may be chance: a rest is not given up for one record in twenty.

    Parameters
    ----------
    fit : SegmentFit
    """
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    return fit.chi2 is None or not fit.dof or float(chdtrc(fit.dof, fit.chi2)) > UNLIKELY


def _let_go(record: _Record, piece: Piece, after: Piece) -> Quantity:
    """When the rest ended: by the motion after it, where that begins evenly, else by its frames."""
    fit = _laid(record, slice(piece.first, after.last + 1), RELEASE)
    last, next_one = float(record.t[piece.last]), float(record.t[after.first])
    if fit is not None and explained(fit) and (since := fit.parameters["time"]) is not None:
        return with_rate(exact(fit.start_s, SECOND), record.clock) + since
    frame = piece.last if record.of.frames is None else int(record.of.frames[piece.last])
    between = segment_ends(record.clock.take, record.of.body)
    half = 0.5 * (last + next_one)
    return with_rate(measured(half, (next_one - last) / math.sqrt(12), SECOND, between, frame), record.clock)


def _falls(record: _Record, pieces: list[Piece]) -> tuple[list[Point], tuple[str, ...]]:
    """Stretches of free flight, and whether g comes out as it is known."""
    out, told = [], []
    for piece in pieces:
        fit = _laid(record, piece.part, CONSTANT_ACCELERATION)
        slope = fit.parameters["acceleration"] if fit is not None else None
        if fit is None or slope is None or not slope.U95 < KNOWN_G * GRAVITY:
            continue
        share = -float(slope) / GRAVITY - 1
        if abs(share) > NEAR_G:
            continue
        start = with_rate(exact(fit.start_s, SECOND), record.clock)
        place, velocity = fit.parameters["position"], fit.parameters["velocity"]
        out.append(Point("free-fall", start, place, velocity, slope, record.direction(velocity)))
        if abs(share) * GRAVITY > slope.U95:
            percent = 100 * abs(share)
            high = say("points.g-high", percent=percent, half=percent / 2)
            told.append(high if share > 0 else say("points.g-low", percent=percent, half=percent / 2))
    return out, tuple(dict.fromkeys(told[:1]))
