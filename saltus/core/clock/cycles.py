"""Cycles of a swing or a turn: passings through a level, the period they give, and its drift."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.gates import Common, Crossing, crossings
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.straight import Line, fit_line
from saltus.core.quantity import Quantity, exact, stacked
from saltus.core.wording import _, plural

if TYPE_CHECKING:
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
    """

    passings: tuple[Quantity, ...]
    period: Quantity | None
    period_from_ends: Quantity | None
    drift: Quantity | None
    warnings: tuple[str, ...]

    @property
    def count(self) -> int:
        """Whole cycles: counting starts at zero."""
        return max(len(self.passings) - 1, 0)


def cycles(t: Array, position: Quantity, level: float | None = None, common: Common | None = None) -> Cycles:
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

    Notes
    -----
    Passings come from local fits (see :func:`saltus.core.clock.gates.crossings`), so that they lie between
    frames; all in the direction that is met more often, the first on a tie.
    """
    if level is None:
        level = float(np.mean(position.value)) if len(t) else 0.0
        # a level of the record's own moves with its scale: the instants do not
        common = replace(common, u_scale=0.0) if common is not None else None
    found, warnings = crossings(t, position, level, common, "passing")
    up = [c for c in found if float(c.velocity) > 0]
    down = [c for c in found if float(c.velocity) < 0]
    one_way = max((up, down), key=lambda side: (len(side), bool(side) and found[0] in side))
    passings = tuple(c.time for c in one_way)
    if len(passings) < 2:
        words = plural(
            "Only {n} passing is seen: a period needs two in the same direction.",
            "Only {n} passings are seen: a period needs two in the same direction.",
            len(passings),
        )
        return Cycles(passings, None, None, None, (*warnings, words))
    warnings += _uneven(one_way)
    whole = passings[-1] - passings[0]
    ends = whole / float(len(passings) - 1)
    number, times = exact(np.arange(len(passings), dtype=float)), stacked(passings)
    line = fit_line(number, times, name="passings") if len(passings) > 2 else None
    period = line.slope if isinstance(line, Line) and line.slope is not None else ends
    return Cycles(passings, period, ends, _drift(number, times), tuple(warnings))


def _drift(number: Quantity, times: Quantity) -> Quantity | None:
    """How much longer each cycle is than the one before: twice the bend of passing against number."""
    if len(number) < FEWEST_FOR_DRIFT:
        return None
    curve = fit_curve(CURVES["quadratic"], number, times, "drift")
    bend = curve.parameters.get("c2") if isinstance(curve, Curve) else None
    return bend * 2.0 if bend is not None else None


def _uneven(one_way: list[Crossing]) -> list[str]:
    spacing = np.diff([float(c.time) for c in one_way])
    middle = float(np.median(spacing))
    odd = np.flatnonzero(np.abs(spacing - middle) > EVEN * middle)
    if not odd.size or len(spacing) < 3:
        return []
    return [
        _("After passing {n} the next comes at an odd time: one may be missed or seen twice.").format(
            n=int(odd[0])
        )
    ]
