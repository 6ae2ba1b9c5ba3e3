"""Passings of a swing through its place of rest, in both directions, and the period they give."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.clock.gates import stated_crossing
from saltus.core.clock.local_fit import local_fit
from saltus.core.fitting.judgement import carried, judge_stated
from saltus.core.fitting.least_squares import gain_of
from saltus.core.quantities import stacked
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.clock.gates import Record
    from saltus.core.clock.swing import Swing
    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

FEWEST_BESIDE, MOST_BESIDE = 4, 64
"""Readings taken on each side of a passing: a quarter of a cycle within these bounds."""
DEGREE = 3
"""Of the polynomial that corrects the swing about a passing."""
FEW = 2
"""A reading that enters so many passings still counts as theirs."""
FOLLOWED = 0.5
"""How far a passing that came early or late moves where the next one is looked for."""


@dataclass(frozen=True)
class Passing:
    """A passing: its number in half cycles, its instant, whether upwards, and the speed, without sign."""

    number: int
    time: Quantity
    up: bool
    speed: float


def rest_passings(record: Record, swing: Swing) -> list[Passing]:
    """Find the passings of a swing through its place of rest, those that can be told.

    Parameters
    ----------
    record : Record
        Where nothing is stated of the readings, their scatter about the swing stands for it if it is smaller.
    swing : Swing
        Of the record.

    Notes
    -----
    Where and when to look the swing tells; the instant is that of the swing with a cubic correction fitted to
    the readings within a quarter of a cycle.
    """
    if math.isfinite(record.dof) and 0 < swing.scatter < float(record.u[0]):
        own = np.full(len(record.t), swing.scatter)
        record = replace(record, u=own, dof=float(len(record.t) - 5))
    beat = float(np.median(np.diff(record.t)))
    beside = min(max(round(swing.half_period / 2 / beat), FEWEST_BESIDE), MOST_BESIDE)
    found, late = [], 0.0
    for number, (when, up) in enumerate(swing.passings(float(record.t[0]), float(record.t[-1]))):
        made = _passing(record, swing, when + late, beside)
        if made is None or (float(made[1]) > 0) != up:
            continue
        off = float(made[0]) - when
        if abs(off - late) > swing.half_period / 2:
            continue
        late += FOLLOWED * (off - late)
        found.append(Passing(number, made[0], up, swing.speed(float(made[0]))))
    return found


def _passing(record: Record, swing: Swing, when: float, beside: int) -> tuple[Quantity, Quantity] | None:
    """Instant and velocity of the passing about a time; None where they are not sure."""
    middle = int(np.searchsorted(record.t, when))
    taken = slice(max(middle - beside, 0), min(middle + beside, len(record.t)))
    t, x, own = record.t[taken], record.position.value[taken], record.u[taken]
    if len(t) < FEWEST_BESIDE + 1:
        return None
    degree = min(DEGREE, (len(t) - 1) // 2)
    local = local_fit(t, x - swing.value(t), own, when, record.dof, degree)
    tau = 0.0
    powers = np.arange(len(local.c))
    for _step in range(20):
        at = np.array([when + tau])
        off = float(swing.value(at)[0]) - swing.rest + float(local.c @ tau**powers)
        change = np.where(powers > 0, powers * tau ** np.maximum(powers - 1, 0), 0.0)
        speed = float(swing.velocity(at)[0]) + float(local.c @ change)
        if speed == 0 or abs(tau) > swing.half_period:
            return None
        step = off / speed
        tau -= step
        if abs(step) < 1e-12 * swing.half_period:
            break
    bends = np.where(powers > 1, powers * (powers - 1) * tau ** np.maximum(powers - 2, 0), 0.0)
    bend = float(swing.acceleration(np.array([when + tau]))[0]) + float(local.c @ bends)
    made = stated_crossing(record, swing.rest, local, taken, (tau, speed, bend))
    return None if made is None else (made.time, made.velocity)


@dataclass(frozen=True)
class FittedPassings:
    """What passings through about the place of rest say.

    Attributes
    ----------
    period : Quantity or None
        s.
    off : Quantity or None
        How far the place of rest lies above the level they were found at, in the unit of the positions.
    """

    period: Quantity | None
    off: Quantity | None

    def corrected(self, passing: Passing) -> Quantity:
        """The instant at which the place of rest itself was passed, as unsure as that place is.

        Parameters
        ----------
        passing : Passing
            Of the level that was fitted.

        Returns
        -------
        Quantity
            A single time, s: later by the way to the place of rest over the speed there.
        """
        if self.off is None:
            return passing.time
        return passing.time + (self.off / _velocity(passing)).with_unit(SECOND)


def _velocity(passing: Passing) -> float:
    return passing.speed if passing.up else -passing.speed


def fit_passings(record: Record, passings: list[Passing]) -> FittedPassings:
    """Give the period from passings in both directions, with the place of rest estimated with it.

    Parameters
    ----------
    record : Record
    passings : list of Passing

    Notes
    -----
    Weighted least squares of t = t₀ + number·T/2 − off/v: a level that is wrong by ``off`` is met the
    earlier the slower the body is, upwards and downwards in opposite senses, so that it does not bias T when
    the swing dies away. Where χ² rejects what the readings explain (p < 0.05) the residuals stand for it,
    with t(ν).
    """
    both = len({p.up for p in passings}) == 2 and len(passings) >= 3
    need = 3 if both else 2
    numbers = np.array([p.number for p in passings], dtype=float)
    if len(passings) < need or (not both and numbers[-1] - numbers[0] < 2):
        return FittedPassings(None, None)
    times = stacked([p.time for p in passings])
    off = [-1 / _velocity(p) for p in passings] if both else []
    design = np.column_stack([np.ones(len(numbers)), numbers / 2, *([off] if both else [])])
    own, common = times.split(FEW)
    u = own.u if np.all(own.u > 0) else np.ones(len(numbers))
    gain = gain_of(design, u)
    residuals = times.value - design @ (gain @ times.value)
    known = bool(np.all(own.u > 0))
    judged = judge_stated(float(np.sum((residuals / u) ** 2)) if known else 0.0, len(numbers) - need)
    of = record.of
    source = sources.line_scatter(("passings", of.take, of.body, of.axis, of.line), max(judged.spread_dof, 1))
    whole = carried(gain, own, common, judged, source, u)
    assert whole is not None
    level = record.level(whole[2].with_unit(record.position.unit)) if both else None
    return FittedPassings(whole[1], level)
