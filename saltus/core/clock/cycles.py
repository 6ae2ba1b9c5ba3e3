"""Cycles of a swing or a turn: passings through a level, the period they give, and its drift."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.clock.gates import Common, crossings
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.straight import Line, fit_line
from saltus.core.quantity import Quantity, exact, stacked
from saltus.core.wording import _, plural

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    Array = NDArray[np.float64]

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
    t: Array, position: Quantity, level: float | None = None, common: Common | None = None, *,
    direction: Direction = "", aside: Collection[int] = (),
) -> Cycles:  # fmt: skip
    """Find the passings through a level and what they give.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times of the readings, s.
    position : Quantity
        (N,)
    level : float, optional
        In the unit of the positions; the mean of the record by default.
    common : Common, optional
    direction : {"", "up", "down"}
        Of the passings; empty takes the one met more often, the first on a tie.
    aside : collection of int
        Numbers of passings that do not count; the others keep theirs.

    Notes
    -----
    Passings come from local fits (see :func:`saltus.core.clock.gates.crossings`), so that they lie between
    frames.
    """
    if level is None:
        level = float(np.mean(position.value)) if len(t) else 0.0
        # a level of the record's own moves with its scale: the instants do not
        common = replace(common, u_scale=0.0) if common is not None else None
    found, warnings = crossings(t, position, level, common, "passing")
    up = [c for c in found if float(c.velocity) > 0]
    down = [c for c in found if float(c.velocity) < 0]
    one_way = max((up, down), key=lambda side: (len(side), bool(side) and found[0] in side))
    one_way = {"up": up, "down": down}.get(direction, one_way)
    return counted([c.time for c in one_way], aside=aside, told=warnings)


def counted(
    passings: Sequence[Quantity], *, per_cycle: int = 1, by_line: bool = True,
    aside: Collection[int] = (), told: Sequence[str] = (),
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
    """
    every = list(passings)[::per_cycle]
    numbers = tuple(n for n in range(len(every)) if n not in aside)
    kept = tuple(every[n] for n in numbers)
    if len(kept) < 2:
        words = plural(
            "Only {n} passing is seen: a period needs two in the same direction.",
            "Only {n} passings are seen: a period needs two in the same direction.",
            len(kept),
        )
        return Cycles(kept, None, None, None, (*told, words), numbers)
    warnings = [*told, *_uneven(kept, numbers)]
    ends = (kept[-1] - kept[0]) / float(numbers[-1] - numbers[0])
    number, times = exact(np.array(numbers, dtype=float)), stacked(kept)
    line = fit_line(number, times, name="passings") if by_line and len(kept) > 2 else None
    period = line.slope if isinstance(line, Line) and line.slope is not None else ends
    return Cycles(kept, period, ends, _drift(number, times), tuple(warnings), numbers)


def _drift(number: Quantity, times: Quantity) -> Quantity | None:
    """How much longer each cycle is than the one before: twice the bend of passing against number."""
    if len(number) < FEWEST_FOR_DRIFT:
        return None
    curve = fit_curve(CURVES["quadratic"], number, times, "drift")
    bend = curve.parameters.get("c2") if isinstance(curve, Curve) else None
    return bend * 2.0 if bend is not None else None


def _uneven(passings: Sequence[Quantity], numbers: Sequence[int]) -> list[str]:
    spacing = np.diff([float(q) for q in passings]) / np.diff(numbers)
    middle = float(np.median(spacing))
    odd = np.flatnonzero(np.abs(spacing - middle) > EVEN * middle)
    if not odd.size or len(spacing) < 3:
        return []
    return [
        _("After passing {n} the next comes at an odd time: one may be missed or seen twice.").format(
            n=numbers[int(odd[0])]
        )
    ]
