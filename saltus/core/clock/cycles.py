"""Cycles of a swing or a turn: passings through a level, the period they give, and its drift."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, TypeVar

import numpy as np

from saltus.core.clock.gates import crossings, record_of
from saltus.core.clock.rest_passings import fit_passings, rest_passings
from saltus.core.clock.swing import swing_of
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.straight import Line, fit_line
from saltus.core.quantities import exact, stacked
from saltus.core.sentences import say
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Hashable, Sequence

    from numpy.typing import NDArray

    from saltus.core.clock.clock import Clock
    from saltus.core.clock.gates import Crossed, Record
    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

_Met = TypeVar("_Met")
FEWEST_FOR_DRIFT = 4
EVEN = 0.35
"""An interval so far from the median, as a part of it, holds a missed or a doubled passing."""


@dataclass(frozen=True)
class Cycles:
    """What passings through a level say.

    Attributes
    ----------
    passings : tuple of Quantity
        Instants in one direction, s.
    period : Quantity or None
        From a straight line through all passings against their number.
    period_from_ends : Quantity or None
        From the first and the last.
    drift : Quantity or None
        Change of the period per cycle, s.
    warnings : tuple of str
    numbers : tuple of int
        Number of each passing; those set aside or missed leave a hole.
    """

    passings: tuple[Quantity, ...]
    period: Quantity | None
    period_from_ends: Quantity | None
    drift: Quantity | None
    warnings: tuple[str, ...]
    numbers: tuple[int, ...] = ()

    @property
    def count(self) -> int:
        """Whole cycles from the first passing to the last: counting starts at zero."""
        return self.numbers[-1] - self.numbers[0] if self.numbers else 0


Direction = Literal["", "up", "down"]


def cycles(
    t: Array, position: Quantity, level: float | None = None, clock: Clock | None = None,
    of: Crossed | None = None, *, direction: Direction = "", aside: Collection[int] = (),
) -> Cycles:  # fmt: skip
    """Find the passings through a level and what they give.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times of the readings, s.
    position : Quantity
        (N,)
    level : float, optional
        In the unit of the positions; where the swing rests by default, which is estimated with it.
    clock : Clock, optional
    of : Crossed, optional
    direction : {"", "up", "down"}
        Of the passings; empty takes the one met more often, the first on a tie.
    aside : collection of int
        Numbers of passings that do not count; the others keep theirs.

    Notes
    -----
    Passings come from local fits, so that they lie between frames. The period follows from those of both
    directions through the place of rest (:func:`saltus.core.clock.rest_passings.fit_passings`); a motion that
    is no swing is followed through its mean.
    """
    record = record_of(t, position, clock, of)
    swing = swing_of(t, position.value)
    at_rest = rest_passings(record, swing) if swing is not None else []
    if swing is None or len(at_rest) < 3:
        return _plain(record, level, (clock, of), direction, aside)
    if level is None:
        side = _one_way(at_rest, lambda p: p.up, direction)
        gone = [side[0].number + 2 * n for n in aside] if side else []
        fitted = fit_passings(record, [p for p in at_rest if p.number not in gone])
        numbers = [(p.number - side[0].number) // 2 for p in side]
        times = [fitted.corrected(p) for p in side]
        return _told(times, numbers, aside, fitted.period, ())
    crossed, warnings = crossings(t, position, level, clock, of)
    through = _one_way(crossed, lambda c: float(c.velocity) > 0, direction)
    gone_at = [float(through[n].time) for n in aside if n < len(through)]
    kept = [p for p in at_rest if all(abs(float(p.time) - g) > swing.half_period / 2 for g in gone_at)]
    fitted = fit_passings(record, kept)
    return _told([c.time for c in through], range(len(through)), aside, fitted.period, warnings)


def _plain(
    record: Record, level: float | None, how: tuple[Clock | None, Crossed | None],
    direction: Direction, aside: Collection[int],
) -> Cycles:  # fmt: skip
    """Passings of a motion that is no swing; a level of the record's own moves with it."""
    own = None
    if level is None and len(record.t):
        own = record.level(record.position.weighed(np.full(len(record.t), 1 / len(record.t))))
        level = float(own)
    found, warnings = crossings(record.t, record.position, level or 0.0, *how)
    side = _one_way(found, lambda c: float(c.velocity) > 0, direction)
    times = [c.time for c in side]
    if own is not None:
        times = [c.time + (own.moved_to(0.0) / float(c.velocity)).with_unit(SECOND) for c in side]
    return counted(times, aside=aside, told=warnings)


def _one_way(found: Sequence[_Met], upwards: Callable[[_Met], bool], direction: Direction) -> list[_Met]:
    """Those of one direction: the wanted one, else the one met more often, the first on a tie."""
    up, down = [c for c in found if upwards(c)], [c for c in found if not upwards(c)]
    if direction:
        return up if direction == "up" else down
    return max((up, down), key=lambda side: (len(side), bool(side) and found[0] in side))


def counted(
    passings: Sequence[Quantity], *, per_cycle: int = 1, by_line: bool = True,
    aside: Collection[int] = (), told: Sequence[str] = (), of: Hashable = "",
) -> Cycles:  # fmt: skip
    """Give what passings say that come one after the other.

    Parameters
    ----------
    passings : sequence of Quantity
        Instants in the order of time, s.
    per_cycle : int
        1, or 2 where each cycle is met twice: then only every second counts, since the two of one cycle are
        seldom half a cycle apart.
    by_line : bool
        Whether the straight line through all of them gives the period; for passings bracketed by frames it
        only shows the drift (their rounding errors follow each other).
    aside : collection of int
        Numbers that do not count.
    told : sequence of str
        Warnings so far.
    of : hashable
        What was counted where: names the source that stands for scatter.
    """
    every = list(passings)[::per_cycle]
    kept = [every[n] for n in range(len(every)) if n not in aside]
    numbers = [n for n in range(len(every)) if n not in aside]
    line = None
    if by_line and len(kept) > 2:
        line = fit_line(exact(np.array(numbers, dtype=float)), stacked(kept), of=("passings", of))
    slope = line.slope if isinstance(line, Line) else None
    return _told(every, range(len(every)), aside, slope, told, of)


def _told(
    every: Sequence[Quantity], numbered: Sequence[int], aside: Collection[int],
    period: Quantity | None, told: Sequence[str], of: Hashable = "",
) -> Cycles:  # fmt: skip
    """Put together what numbered passings in one direction say, with a period from elsewhere, if any."""
    some = [(n, q) for n, q in zip(numbered, every, strict=True) if n not in aside]
    numbers, kept = tuple(n for n, _q in some), tuple(q for _n, q in some)
    if len(kept) < 2:
        words = say("cycles.only-passings-seen-period", n=len(kept))
        return Cycles(kept, None, None, None, (*told, words), numbers)
    ends = (kept[-1] - kept[0]) / float(numbers[-1] - numbers[0])
    number = exact(np.array(numbers, dtype=float))
    warnings = [*told, *_uneven(kept, numbers)]
    drift = _drift(number, stacked(kept), of)
    return Cycles(kept, period if period is not None else ends, ends, drift, tuple(warnings), numbers)


def _drift(number: Quantity, times: Quantity, of: Hashable) -> Quantity | None:
    """How much longer each cycle is than the one before: twice the bend of passing against number."""
    if len(number) < FEWEST_FOR_DRIFT:
        return None
    curve = fit_curve(CURVES["quadratic"], number, times, ("drift", of))
    bend = curve.parameters.get("c2") if isinstance(curve, Curve) else None
    return bend * 2.0 if bend is not None else None


def _uneven(passings: Sequence[Quantity], numbers: Sequence[int]) -> list[str]:
    spacing = np.diff([float(q) for q in passings]) / np.diff(numbers)
    middle = float(np.median(spacing))
    odd = np.flatnonzero(np.abs(spacing - middle) > EVEN * middle)
    if not odd.size or len(spacing) < 3:
        return []
    return [say("cycles.odd-time", n=numbers[int(odd[0])])]
