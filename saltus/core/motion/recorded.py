"""Characteristic points of a recorded log: rest, free fall, cord taut, extrema, passings through zero."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.clock import Clock
from saltus.core.clock.local_fit import noise_of
from saltus.core.motion.features import FEWEST, GRAVITY, Kind, Point, Points, explained
from saltus.core.motion.models import CONSTANT_ACCELERATION, REST
from saltus.core.motion.models.release import Departure
from saltus.core.motion.pieces import Piece, pieces_of
from saltus.core.motion.segment import Fitted, SegmentFit, fit_segment
from saltus.core.motion.stationary import DEGREE, SURE, changes, stationary
from saltus.core.motion.window import advised_width, near_each
from saltus.core.quantities import exact, family, measured
from saltus.core.sentences import say
from saltus.core.sources import fit_scatter, record_noise, record_zero, segment_ends
from saltus.core.units import METRE, SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.units import Unit

    Array = NDArray[np.float64]

STILL = 0.05
"""Part of the range of a record within which a value counts as that at rest."""
AT_ZERO = 0.2
"""Part of the largest value within which a steady stretch may be a rest."""
FREE = 0.1
"""Relative distance from g within which a steady stretch is free fall."""
UNZEROED = 0.05
"""m/s² at rest from which a sensor is told to be off its zero."""
LOG, CHANNEL = "table", "log"
DEPARTURE = Departure()


@dataclass(frozen=True)
class _Log:
    t: Array
    values: Quantity
    u: Array
    pieces: list[Piece]

    @property
    def acceleration(self) -> bool:
        return self.values.unit == METRE / SECOND**2

    def level(self, piece: Piece) -> SegmentFit | None:
        """A constant laid through a piece."""
        fit = fit_segment(REST, self.t[piece.part], self.values[piece.part], None, _named(piece))
        return fit if isinstance(fit, SegmentFit) else None

    def curve(self, piece: Piece) -> SegmentFit | None:
        """A parabola laid through a piece."""
        fit = fit_segment(
            CONSTANT_ACCELERATION, self.t[piece.part], self.values[piece.part], None, _named(piece)
        )
        return fit if isinstance(fit, SegmentFit) else None


def _named(piece: Piece) -> Fitted:
    return Fitted(CHANNEL, "value", f"piece-{piece.first}")


def points_of_log(t: Array, values: Array, unit: Unit, resolution: float = 0.0) -> Points:
    """Find the characteristic points of a signal that is no position.

    Parameters
    ----------
    t, values : (N,) ndarray
        Increasing times, s, and the signal in SI.
    unit : Unit
        Of the signal. An acceleration (m/s²) shows rest, free fall and when a cord becomes taut; the velocity
        is its sum from the end of a rest on.
    resolution : float
        Step of its last digit, in its unit.

    Notes
    -----
    What nobody stated of the signal, its scatter about local curves stands for.
    """
    if len(t) < FEWEST:
        return Points((), (say("points.too-few-readings", n=FEWEST),))
    scatter, dof = noise_of(t, values)
    u = np.full(len(t), max(scatter, resolution / math.sqrt(12), 1e-9 * (float(np.ptp(values)) or 1.0)))
    source = fit_scatter(LOG, CHANNEL, "value", "points", min(dof, 1e6))
    read = family(values, u, unit, source)
    log = _Log(t, read, u, pieces_of(t, values, u))
    rest = _first_rest(log)
    steady, told = _steady(log, rest)
    points = [*steady, *(p for part in _moving(log, rest) for p in _curved(log, part))]
    if log.acceleration and rest is not None:
        points = [_with_velocity(log, rest, p) for p in points]
    points.sort(key=lambda p: float(p.time))
    return Points(tuple(points), told if points else (*told, say("points.none")))


def _valued(log: _Log, kind: Kind, time: Quantity, value: Quantity) -> Point:
    """A point whose value stands where its unit belongs."""
    if log.acceleration:
        return Point(kind, time, acceleration=value)
    if value.unit == METRE / SECOND:
        return Point(kind, time, velocity=value)
    return Point(kind, time, position=value)


# -- steady stretches ----------------------------------------------------------------------------------


def _first_rest(log: _Log) -> Piece | None:
    """The first steady stretch, if it begins the record."""
    if len(log.pieces) < 2 or log.pieces[0].first >= FEWEST:
        return None
    piece = log.pieces[0]
    # a speed that lasts is no rest; an acceleration that lasts may be one with a sensor that was not zeroed
    still = log.acceleration or abs(np.mean(log.values.value[piece.part])) < AT_ZERO * np.max(
        np.abs(log.values.value)
    )
    return piece if still and _is_steady(log, piece) else None


def _is_steady(log: _Log, piece: Piece) -> bool:
    """Whether a piece keeps its level, beside what the record does as a whole."""
    curve = log.curve(piece)
    if curve is None:
        return False
    return float(np.ptp(curve.position(log.t[piece.part]))) < STILL * float(np.ptp(log.values.value))


def _steady(log: _Log, rest: Piece | None) -> tuple[list[Point], tuple[str, ...]]:
    """Rest, free fall and its end; and what is likely where a free stretch does not show −g."""
    found: list[Point] = []
    told: list[str] = []
    still = log.level(rest) if rest is not None else None
    if rest is not None and still is not None:
        after = log.pieces[1]
        found.append(_valued(log, "rest", _parted(log, rest, after), _level_of(still)))
    if not log.acceleration:
        return found, ()
    zero = float(_level_of(still)) if still is not None else 0.0
    for i, piece in enumerate(log.pieces):
        if piece is rest:
            continue
        level = log.level(piece)
        if level is None or not _is_steady(log, piece):
            continue
        value = float(_level_of(level))
        if abs(value + GRAVITY) <= FREE * GRAVITY:
            begun = _parted(log, log.pieces[i - 1], piece) if i else exact(float(log.t[piece.first]), SECOND)
            found.append(Point("free-fall", begun, acceleration=_level_of(level)))
            if i + 1 < len(log.pieces):
                end = _end_of_fall(log, piece, log.pieces[i + 1])
                found.append(Point("taut", end, acceleration=_level_of(level)))
        elif not told:
            told += _likely(value, zero)
    if any(p.kind == "free-fall" for p in found):
        off = still is not None and abs(zero) > max(_level_of(still).U95, UNZEROED)
        return found, (say("log.zero-off", zero=zero),) if off else ()
    return found, tuple(told)


def _likely(value: float, zero: float) -> tuple[str, ...]:
    """What would make a free stretch of what was recorded."""
    near = FREE * GRAVITY
    if abs(value - GRAVITY) <= near and abs(zero) <= near:
        return (say("log.arrow-the-wrong-way", value=value),)
    if abs(value - zero + GRAVITY) <= near and abs(zero) > near:
        return (say("log.not-zeroed", zero=zero),)
    if abs(value - zero - GRAVITY) <= near and abs(zero) > near:
        return (say("log.not-zeroed-and-turned", zero=zero),)
    if abs(value) > near and abs(value) < GRAVITY - near:
        return (say("log.wrong-axis", value=value),)
    return ()


def _level_of(fit: SegmentFit) -> Quantity:
    level = fit.parameters["position"]
    assert level is not None  # something stands for what is stated of every value
    return level


def _parted(log: _Log, piece: Piece, after: Piece) -> Quantity:
    """The instant between two pieces that jump: somewhere between their readings."""
    last, first = float(log.t[piece.last]), float(log.t[after.first])
    between = segment_ends(LOG, CHANNEL)
    return measured(0.5 * (last + first), (first - last) / math.sqrt(12), SECOND, between, piece.last)


def _end_of_fall(log: _Log, piece: Piece, after: Piece) -> Quantity:
    """When the cord becomes taut: between where the curve of the pull would leave free fall and where it has.

    A cord that also damps pulls at once with a part that no curve foresees: neither of the two alone is sure.
    """
    long = after.last - after.first + 1
    level = log.level(piece)
    while level is not None and long >= FEWEST:
        part = slice(piece.first, after.first + long)
        fit = fit_segment(DEPARTURE, log.t[part], log.values[part], None, _named(piece))
        if isinstance(fit, SegmentFit) and explained(fit) and (since := fit.parameters["time"]) is not None:
            early = fit.start_s + float(since) - 3 * float(since.u)
            above = np.abs(log.values.value - float(_level_of(level))) > SURE * log.u
            off = np.flatnonzero(above & (np.arange(len(log.t)) >= piece.last - 1))
            late = float(log.t[off[0]]) if off.size else float(log.t[after.first])
            ends = sorted((early, late))
            return measured(
                0.5 * (ends[0] + ends[1]), (ends[1] - ends[0]) / math.sqrt(12), SECOND,
                segment_ends(LOG, CHANNEL), piece.last,
            )  # fmt: skip
        long //= 2
    return _parted(log, piece, after)


# -- extrema and zeros ---------------------------------------------------------------------------------


def _moving(log: _Log, rest: Piece | None) -> list[slice]:
    """The stretches between steady ones: a kink at their ends is no part of a curve."""
    steady = [p for p in log.pieces if p is rest or (log.acceleration and _is_steady(log, p))]
    starts = [0, *(p.last + 1 for p in steady)]
    stops = [*(p.first for p in steady), len(log.t)]
    return [slice(a, b) for a, b in zip(starts, stops, strict=True) if b - a >= FEWEST]


def _curved(log: _Log, part: slice) -> list[Point]:
    """Extrema and passings through zero of a stretch."""
    t, values, u = log.t[part], log.values[part], log.u[part]
    if len(t) < FEWEST:
        return []
    width = max(advised_width(t, values.value, u, DEGREE), FEWEST)
    near = near_each(t, values.value, u, width, DEGREE)
    found = []
    kinds: tuple[tuple[int, Kind], ...] = ((0, "zero"), (1, "extremum"))
    for which, kind in kinds:
        for i in changes(near.values[:, which], near.u[:, which]):
            made = stationary(t, values, u, (i, width), which, Clock(take=LOG))
            if made is not None:
                value = exact(0.0, values.unit) if kind == "zero" else made.position
                found.append(_valued(log, kind, made.time, value))
    return found


# -- velocity ------------------------------------------------------------------------------------------


def _with_velocity(log: _Log, rest: Piece, point: Point) -> Point:
    """The velocity at a point: the sum of the acceleration from the end of the rest on."""
    unit = METRE / SECOND
    at = float(point.time)
    if point.kind == "rest":
        return Point("rest", point.time, None, exact(0.0, unit), point.acceleration, "rest")
    level = log.level(rest)
    inside = slice(rest.last, int(np.searchsorted(log.t, at)) + 1)
    t, a = log.t[inside], log.values.value[inside]
    if level is None or len(t) < 2:
        return point
    zero = _level_of(level)
    off = a - float(zero)
    sums = np.concatenate([[0.0], np.cumsum(0.5 * (off[1:] + off[:-1]) * np.diff(t))])
    value, since = float(np.interp(at, t, sums)), at - float(t[0])
    noise = float(np.median(log.u)) * math.sqrt(since * float(np.median(np.diff(t))))
    velocity = measured(value, noise, unit, record_noise(LOG, CHANNEL, math.inf), inside.stop).with_source(
        record_zero(LOG, CHANNEL), since * float(zero.u)
    )
    sure = abs(value) > velocity.U95
    return Point(
        point.kind, point.time, point.position, velocity, point.acceleration,
        None if not sure else "up" if value > 0 else "down",
    )  # fmt: skip
