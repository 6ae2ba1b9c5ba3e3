"""What was timed on a take, as quantities: instants, intervals, cycles, gates, the rate of its clock."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.clock.brackets import InstantError, bracketed, period
from saltus.core.clock.checks import WatchReading, rate_by_fall, rate_by_watch
from saltus.core.clock.clock import with_rate, with_stamps
from saltus.core.clock.cycles import Cycles, counted, cycles
from saltus.core.clock.gates import Crossed, Crossing, crossings
from saltus.core.clock.hand import Hand, hand_of, timed_by_hand
from saltus.core.coverage import NORMAL_95
from saltus.core.entry import entry
from saltus.core.motion.segment import SegmentFit
from saltus.core.quantities import exact, measured
from saltus.core.units import ACCELERATION, METRE, SECOND, UnitError
from saltus.core.written import WrittenError, last_place, number
from saltus.notebook.derived.frame_clock import clock_of, frame_numbers, frame_times, played_times, rhythm
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion, segment_fit
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take
    from saltus.notebook.timing import ByHand, ClockCheck, Count, Gates, HandTest, Instant, Interval

    Array = NDArray[np.float64]

SPEED_AT_20, SPEED_PER_DEGREE = 343.2, 0.606
"""Speed of sound in dry air, m/s, and its change per degree, linear: good to 0.1 % from 0 to 40 °C."""
SAME_CLOCK = 0.002
"""A typed rate so near to that of the file is a correction of its clock, not slow motion."""


def _with_clock(q: Quantity, take: Take) -> Quantity:
    """Add what the rate of the clock leaves uncertain: common to all times of the take."""
    return with_rate(q, clock_of(take))


# -- instants and intervals --------------------------------------------------------------------------


def bracket_of(take: Take, instant: Instant) -> tuple[float, float]:
    """Give the two times between which an instant fell, s.

    Raises
    ------
    InstantError
        If it cannot be placed: in the first frame nothing came before, or the sound cannot be corrected.
    """
    if instant.how == "sound":
        at = instant.at - float(sound_delay(take))
        return at - instant.half, at + instant.half
    if instant.how == "between":
        return between_frames(take, instant.frame)
    return _half_frames(take, instant.frame)


def between_frames(take: Take, n: int) -> tuple[float, float]:
    """Give the time of a frame and of the last one before it that shows anything new, s.

    Frames that repeat the one before are passed over where they are left out: what is not yet to be seen in
    them had only not happened when the frame they repeat was taken.

    Raises
    ------
    InstantError
        For the first frame.
    """
    if n < 1:
        raise InstantError(say("times.before-first-frame-nothing"))
    t = frame_times(take)
    return float(t[_first_shown(take, n - 1)]), float(t[n])


@remembered
def _repeats(take: Take) -> frozenset[int]:
    """Frames that are left out since they repeat the one before."""
    return frozenset(take.facts.duplicates if take.timing.repeats_left_out else ())


def _first_shown(take: Take, n: int) -> int:
    """The frame that a repeated one repeats; any other is itself."""
    while n and n in _repeats(take):
        n -= 1
    return n


def _half_frames(take: Take, n: int) -> tuple[float, float]:
    t = frame_times(take)
    beat = rhythm(take).spacing_s or 0.0
    n = _first_shown(take, n)
    # beside a gap half a usual frame, not half the gap
    before = min(t[n] - t[n - 1], beat) if n else beat
    after = min(t[n + 1] - t[n], beat) if n + 1 < len(t) else beat
    return float(t[n] - before / 2), float(t[n] + after / 2)


def instant_value(take: Take, instant: Instant) -> Quantity | str:
    """Give an instant on the clock of the take, s, or a sentence that says why it cannot be told."""
    try:
        q = bracketed(*bracket_of(take, instant), sources.instants(take.id), instant.id)
        if instant.how == "sound":
            delay = sound_delay(take)
            q = q - delay + exact(float(delay), SECOND)
    except InstantError as error:
        return str(error)
    exposure = take.timing.shutter.exposure_s
    if instant.how == "sound" and exposure:
        # a frame is stamped somewhere within its exposure; between sounds it cancels
        q = q.with_source(sources.exposure(take.camera or take.id), exposure / math.sqrt(12))
    return _with_clock(q, take)


def interval_value(take: Take, interval: Interval) -> Quantity | str:
    """Give the time between its two instants, s, or a sentence."""
    ends = []
    for end in (interval.start, interval.stop):
        instant = take.timing.instant(end)
        if instant is None:
            return say("times.instant-gone", name=interval.name)
        value = instant_value(take, instant)
        if isinstance(value, str):
            return value
        ends.append(value)
    if float(ends[1]) <= float(ends[0]):
        return say("times.stop-not-come-after", name=interval.name)
    return ends[1] - ends[0]


def interval_period(take: Take, interval: Interval) -> Quantity | str:
    """Give the interval over the number of cycles in it, s, or a sentence."""
    whole = interval_value(take, interval)
    return whole if isinstance(whole, str) else period(whole, interval.cycles)


# -- sound -------------------------------------------------------------------------------------------


def sound_problem(take: Take) -> str | None:
    """Why the sound of a take tells no times of its pictures; None where it does."""
    if not take.facts.sound:
        return say("times.take-no-sound")
    if not take.capture_rate or not take.facts.pictures:
        return None
    longest = float(played_times(take)[-1])
    apart = abs(float(frame_times(take)[-1]) - longest)
    if apart <= SAME_CLOCK * longest:
        return None
    return say("times.film-plays-slower-faster")


@remembered
def sound_delay(take: Take) -> Quantity:
    """How much later than the event its sound was recorded, s.

    Raises
    ------
    InstantError
        If what was typed is no distance or temperature, or the sound does not keep time with the pictures.

    Notes
    -----
    distance/c with c = 343.2 m/s at 20 °C and 0.606 m/s more for each degree.
    """
    path = take.timing.sound
    problem = sound_problem(take)
    if problem is not None:
        raise InstantError(problem)
    if not path.distance.strip():
        return exact(0.0, SECOND)
    try:
        far = entry(path.distance, METRE, default_unit="m")
        warm = number(path.temperature.replace("°C", "").strip()) if path.temperature.strip() else 20.0
    except (WrittenError, UnitError) as error:
        raise InstantError(str(error)) from error
    if not (-50 <= warm <= 60 and 0 <= far.value <= 1000):
        raise InstantError(say("times.microphone-stands-within-1000"))
    speed = SPEED_AT_20 + SPEED_PER_DEGREE * (warm - 20.0)
    return measured(
        far.value / speed, (far.u or 0.0) / speed, SECOND, sources.microphone(take.camera or take.id)
    )


# -- cycles ------------------------------------------------------------------------------------------


@remembered
def count_value(take: Take, count: Count) -> Cycles | str:
    """Give what counted passings say, or a sentence that says why they say nothing."""
    if count.how == "readings":
        found = _positions(take, count.body, count.of)
        if isinstance(found, str):
            return found
        t, position, of = found
        of, aside = replace(of, line=count.id), frozenset(count.aside)
        clock = clock_of(take)
        return cycles(t, position, count.level, clock, of, direction=count.direction, aside=aside)
    try:
        if count.how == "frames":
            ends = [(n, between_frames(take, n)) for n in count.frames]
        else:
            delay = float(sound_delay(take))
            ends = [(i, (o.at - o.half - delay, o.at + o.half - delay)) for i, o in enumerate(count.onsets)]
    except InstantError as error:
        return str(error)
    passed = sources.passings(take.id, count.id)
    passings = [_with_clock(bracketed(*span, passed, n), take) for n, span in ends]
    # bracketed ends: the line through rounded times aliases, see uncertainty of cycles
    return counted(
        passings, per_cycle=count.per_cycle, by_line=count.how == "sound", aside=frozenset(count.aside),
        of=(take.id, count.id),
    )  # fmt: skip


def _positions(take: Take, body_id: str | None, of: str) -> tuple[Array, Quantity, Crossed] | str:
    """Times, positions with the stamps of their frames, and what they are of."""
    body = take.body(body_id)
    if body is None:
        return say("times.body-not-any-more")
    motion = body_motion(take, body)
    place = motion.of(of)
    if len(motion.t) > 1 and np.any(np.diff(motion.t) <= 0):
        return say("times.two-frames-same-time")
    if len(motion.t) > 1:
        place = with_stamps(place, np.gradient(place.value, motion.t), clock_of(take), motion.frames)
    return (
        motion.t,
        place,
        Crossed(take.id, body.id, of, frames=motion.frames, followed=bool(motion.followed.any())),
    )


# -- gates -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Passed:
    """Crossings of a set of gates: number of the gate, place along its axis from the first, crossing."""

    gate: int
    place: float
    crossing: Crossing


def _first_gate(take: Take, gates: Gates) -> Quantity:
    """Where the first gate lies: exactly where it was laid, as unsure as the axes and the scale are."""
    return mapping_of(take).place(*gates.place)[gates.of == "y"]


@remembered
def gate_values(take: Take, gates: Gates) -> tuple[tuple[Passed, ...], tuple[str, ...]]:
    """Give all crossings of a set of gates, in the order of the gates, and what could not be told.

    The first line lies in the picture: when it is crossed does not depend on the scale. The others are laid
    off from it, with the uncertainty of the scale.
    """
    found = _positions(take, gates.body, gates.of)
    if isinstance(found, str):
        return (), (found,)
    t, position, of = found
    from_first = position - _first_gate(take, gates)
    out: list[Passed] = []
    told: list[str] = []
    for n in range(gates.number if gates.spacing else 1):
        where = say("times.gate-number", n=n) if n else say("times.first-gate")
        laid = replace(of, line=(gates.id, n))
        made, warnings = crossings(t, from_first, n * gates.spacing, clock_of(take), laid, where)
        out += [Passed(n, n * gates.spacing, c) for c in made]
        told += warnings
    return tuple(out), tuple(dict.fromkeys(told))


# -- the clock ---------------------------------------------------------------------------------------


def checked_rate(take: Take, check: ClockCheck) -> Quantity | str:
    """Give the rate at which frames were taken as a check tells it, Hz, or a sentence."""
    try:
        if check.how == "watch":
            return rate_by_watch(_shown(take, check, 0), _shown(take, check, 1), take.id)
        segment = take.segment(check.segment)
        if segment is None:
            return say("times.choose-segment-body-free")
        if segment.model != "constant-acceleration" or not mapping_of(take).scaled:
            return say("times.check-needs-scale-segment")
        beat = rhythm(take).spacing_s
        fit = segment_fit(take.but(clock_U95_percent=0.0), segment)
        seen = fit.parameters.get("acceleration") if isinstance(fit, SegmentFit) else None
        if seen is None or not beat:
            return say("times.segment-gives-no-acceleration")
        g = entry(check.g or "9.81", ACCELERATION, default_unit="m/s^2")
        fall = measured(g.value, g.u or 0.0, ACCELERATION, sources.free_fall())
        return rate_by_fall(1 / beat, seen, fall)
    except (InstantError, WrittenError, UnitError) as error:
        return str(error)


def _shown(take: Take, check: ClockCheck, i: int) -> WatchReading:
    numbers = frame_numbers(take)
    frame = min(check.frames[i], len(numbers) - 1)
    text = check.shown[i].strip()
    if not text:
        raise InstantError(say("times.type-what-watch-shows"))
    minutes, _colon, seconds = text.rpartition(":")
    value = number(seconds) + (60 * number(minutes) if minutes else 0.0)
    return WatchReading(float(numbers[frame]), value, last_place(seconds))


def hand_named(hands: tuple[HandTest, ...], hand_id: str, kind: str = "predicted") -> Hand:
    """Give a hand as measured in a notebook; an assumed one where it was not, or not enough."""
    test = next((h for h in hands if h.id == hand_id), None)
    return hand_of(getattr(test, kind), f"hand/{hand_id}/{kind}") if test is not None else Hand("hand")


def by_hand_value(take: Take, made: ByHand, hands: tuple[HandTest, ...]) -> Quantity:
    """Give what a hand timed while the take played, s: film time between two presses."""
    hand = hand_named(hands, made.hand or "")
    return timed_by_hand(
        made.stop - made.start, hand, hand, f"{take.id}/by-hand/{made.start:.3f}", step_s=0.0
    )


def shown_rate(q: Quantity) -> tuple[float, float]:
    """Rate and its 95 % uncertainty in per cent, to be taken as the clock of a take."""
    return float(q), 100 * NORMAL_95 * float(q.u) / float(q)
