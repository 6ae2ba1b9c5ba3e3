"""When a body crosses a line laid in the picture, and how fast: from a local fit of position against time."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock, with_rate
from saltus.core.clock.local_fit import (
    HALF_WINDOW,
    REJECTED_BELOW,
    Local,
    likely_by_chance,
    local_fit,
    noise_of,
    polynomial,
    usual_degree,
)
from saltus.core.fitting.order import enlarged_by_order
from saltus.core.sentences import say
from saltus.core.units import SECOND
from saltus.core.with_uncertainty import known_with, lumped, widened, with_family

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

FEWEST = 5
"""The fewest readings a fit of second degree can be judged by."""
NARROWER = ((8, 5), (5, 8), (8, 3), (3, 8), (5, 5), (8, 2), (2, 8), (8, 1), (1, 8), (3, 3))
KINKED, KINKED_DEGREE = 25.0, 3
"""Where χ² is so many times what is stated, the motion has a kink nearby, such as an impact: then those of
these numbers of readings before and after the crossing are taken that a low degree fits best. Readings less
sure than stated reach that far only if they are five times less sure."""
LONG = 2000
"""Readings of a record so long that what one of them shares with a level of all does not count (1 % of u)."""
SURE = 2.0
"""A crossing is stated where the motion keeps its direction within so many standard uncertainties."""


@dataclass(frozen=True)
class Crossing:
    """A crossing of a line.

    Attributes
    ----------
    line : float
        Where the line lies, in the unit of the positions.
    time : Quantity
        s.
    velocity : Quantity
        Signed, in unit/s.
    """

    line: float
    time: Quantity
    velocity: Quantity


@dataclass(frozen=True)
class Crossed:
    """What crosses which line: names the sources.

    Attributes
    ----------
    take, body, axis : str
    line : hashable
        Which line or count.
    frames : (N,) ndarray of int or None
        The frame of each reading; numbered from 0 without.
    followed : bool
        Whether the readings were followed: a part of each error then lasts over the readings after it.
    """

    take: str = "take"
    body: str = "body"
    axis: str = "x"
    line: Hashable = "gate"
    frames: NDArray[np.int64] | None = None
    followed: bool = False


@dataclass(frozen=True)
class Record:
    """Readings that crossings are looked for in.

    Attributes
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,)
    u : (N,) ndarray
        Standard uncertainty of each position that is independent of the others.
    dof : float
        Of it; infinite where it is stated, otherwise ``u`` is the scatter of the readings.
    clock : Clock
    of : Crossed
    """

    t: Array
    position: Quantity
    u: Array
    dof: float
    clock: Clock
    of: Crossed

    def level(self, made: Quantity) -> Quantity:
        """A level estimated from all the readings, for use beside some of them.

        What one reading shares with the level of a long record does not count any more (a few over N of its
        variance), but would be an entry for each pair; there the readings enter it as one source.

        Parameters
        ----------
        made : Quantity
            A single position, in the unit of the readings.
        """
        if len(self.t) <= LONG:
            return made
        return lumped(made, sources.rest_level(self.of.take, self.of.body, self.of.axis, self.dof))

    @property
    def frames(self) -> NDArray[np.int64]:
        """The frame of each reading, (N,)."""
        return np.arange(len(self.t)) if self.of.frames is None else self.of.frames


def record_of(t: Array, position: Quantity, clock: Clock | None = None, of: Crossed | None = None) -> Record:
    """Take readings for crossings; where nothing is stated, their scatter about the motion stands for it.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,) in any unit of length or angle.
    clock : Clock, optional
    of : Crossed, optional
        Names the sources.
    """
    own, dof = position.u_own, math.inf
    if len(t) and not np.all(own > 0):
        spread, dof = noise_of(t, position.value)
        own = np.full(len(t), spread)
    return Record(t, position, own, dof, clock or Clock(), of or Crossed())


def crossings(
    t: Array, position: Quantity, line: float, clock: Clock | None = None, of: Crossed | None = None,
    called: str = "",
) -> tuple[list[Crossing], list[str]]:  # fmt: skip
    """Find all crossings of a line.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times of the readings, s.
    position : Quantity
        (N,); what each has for itself is its reading, without any the scatter about the fit stands for it.
    line : float
        In the unit of the positions, SI.
    clock : Clock, optional
    of : Crossed, optional
    called : str
        What warnings call the line; where it lies by default.

    Returns
    -------
    crossings : list of Crossing
        In the order of time.
    warnings : list of str
        What could not be stated, and why.

    Notes
    -----
    A polynomial through up to eight readings on each side: of fifth degree, less where there are fewer than
    eleven, at least second; a degree is added while χ² rejects the residuals (p < 0.01), then fewer readings
    are taken, as beside an impact. The instant is where the polynomial meets the line; it is linear in the
    readings, so that it shares with others what it shares. No crossing is stated where the motion may turn
    within two standard uncertainties.
    """
    if len(t) < FEWEST:
        return [], [say("gates.too-few-readings-crossing", n=FEWEST)]
    found, turned = _all_crossings(record_of(t, position, clock, of), line)
    warnings: list[str] = []
    if not found and not turned:
        low, high = float(position.value.min()), float(position.value.max())
        named = say("gates.readings-never-cross-move", line=called)
        nameless = say("gates.line-never-crossed-positions", line=line, low=low, high=high)
        warnings.append(named if called else nameless)
    if turned:
        where = called or say("gates.line-at", line=line)
        warnings.append(say("gates.near-turning-point-instant", line=where))
    return sorted(found, key=lambda c: float(c.time)), warnings


def _all_crossings(record: Record, line: float) -> tuple[list[Crossing], bool]:
    """Every crossing once, and whether there are some of which nothing can be said."""
    found: list[Crossing] = []
    turned = False
    off = record.position.value - line
    for i in np.flatnonzero(np.sign(off[:-1]) * np.sign(off[1:]) <= 0):
        if off[i] == 0 and off[i + 1] == 0:
            continue
        made = crossing_near(record, line, int(i), number=len(found))
        if made is None:
            turned = True
            continue
        if all(abs(float(made.time) - float(c.time)) > _apart(record.t, int(i)) for c in found):
            found.append(made)
    return found, turned


def _apart(t: Array, i: int) -> float:
    """Crossings nearer than this are one, seen several times through the noise."""
    return 1.5 * float(t[i + 1] - t[i])


def crossing_near(record: Record, line: float, i: int, *, number: int = 0) -> Crossing | None:
    """Find the crossing of a line about the step from one reading to the next.

    Parameters
    ----------
    record : Record
    line : float
        In the SI unit of the positions.
    i : int
        Reading before the step, 0 to N − 2.
    number : int
        Which crossing of the record it is: names the source of its scatter.

    Returns
    -------
    Crossing or None
        None where the motion may turn before it gets there: see :func:`crossings`.
    """
    found = _about(record, i, HALF_WINDOW)
    if found is None:
        return None
    local, taken = found
    root = _root(local, line, float(record.t[taken.stop - 1] - record.t[taken.start]))
    if root is None:
        return None
    powers = np.arange(len(local.c))
    bends = np.where(powers > 1, powers * (powers - 1) * root ** np.maximum(powers - 2, 0), 0.0)
    speed, bend = float(local.c @ _slopes(powers, root)), float(local.c @ bends)
    return stated_crossing(record, line, local, taken, (root, speed, bend), number)


def _slopes(powers: NDArray[np.int_], tau: float) -> Array:
    return np.where(powers > 0, powers * tau ** np.maximum(powers - 1, 0), 0.0)


def stated_crossing(
    record: Record, line: float, local: Local, taken: slice, at: tuple[float, float, float], number: int = 0
) -> Crossing | None:
    """State a crossing that a local fit found; None where the motion may turn there.

    Parameters
    ----------
    record : Record
    line : float
    local : Local
        What was fitted to the readings, or to what a motion known beforehand leaves of them.
    taken : slice
        The readings it rests on.
    at : (float, float, float)
        Time after the origin of the local fit, s, and the whole motion's speed and acceleration there.
    number : int
        Of the crossing, names the source of its scatter.
    """
    root, speed, bend = at
    if speed == 0:
        return None
    powers = np.arange(len(local.c))
    place, slopes = root**powers, _slopes(powers, root)
    if record.of.followed and math.isinf(record.dof):
        lasting = enlarged_by_order(local.residuals, local.sigma, local.gain, np.stack([place, slopes]))
    else:
        lasting = 1.0
    covariance = lasting**2 * local.covariance
    u_time = math.sqrt(float(place @ covariance @ place)) / abs(speed)
    u_speed = math.sqrt(float(slopes @ covariance @ slopes))
    if abs(speed) <= SURE * (abs(bend) * u_time + u_speed):
        return None
    # where the motion lies higher than read, the line is met earlier, and with the speed it has there
    earlier = -(place @ local.gain) / speed
    weights = np.array([earlier, slopes @ local.gain + bend * earlier])
    parts = _readings(record, local, taken, number, lasting).weighed(weights)
    time = parts[0].moved_to(local.origin + root).with_unit(SECOND)
    velocity = parts[1].moved_to(speed).with_unit(record.position.unit / SECOND)
    return Crossing(line, with_rate(time, record.clock), with_rate(velocity, record.clock, -1.0))


def _readings(record: Record, local: Local, taken: slice, number: int, lasting: float) -> Quantity:
    """The readings of a local fit, as unsure as the fit, and what lasts of their errors, lets them be."""
    position, of = record.position[taken], record.of
    if lasting > 1.0:
        own, common = position.split()
        position = widened(own, lasting) + common.moved_to(0.0)
    if math.isinf(local.dof):
        return position
    if local.factor == 1.0 and math.isinf(record.dof):
        return known_with(position, local.dof)
    which = (of.line, number) if math.isinf(record.dof) else ()
    source = sources.crossing_scatter(of.take, of.body, of.axis, which, local.dof)
    sigma = local.sigma * local.factor * lasting
    return with_family(position.without_own(), source, sigma, record.frames[taken])


def _about(record: Record, i: int, half: int) -> tuple[Local, slice] | None:
    """The local fit about a step of the record and the readings it takes."""
    t, x, u = record.t, record.position.value, record.u
    origin = 0.5 * float(t[i] + t[i + 1])

    def part(before: int, after: int) -> slice:
        return slice(max(i + 1 - before, 0), min(i + 1 + after, len(t)))

    whole = part(half, half)
    if whole.stop - whole.start < FEWEST:
        return None
    local = local_fit(t[whole], x[whole], u[whole], origin, record.dof)
    best = (0.0, local, whole)
    for sides in NARROWER if local.factor**2 > KINKED else ():
        some = part(*sides)
        if some.stop - some.start >= FEWEST:
            tau, degree = t[some] - origin, min(usual_degree(some.stop - some.start), KINKED_DEGREE)
            tried = polynomial(tau, x[some], u[some], degree, origin)
            likely = likely_by_chance(tried)
            if likely >= max(best[0], REJECTED_BELOW):
                # one of several, chosen for its small residuals: u counts as known no better than by them
                best = (likely, replace(tried, dof=float(len(tau) - degree - 1)), some)
    return best[1], best[2]


def _root(local: Local, line: float, span: float) -> float | None:
    """Where the polynomial meets the line, nearest to its middle; None where it does not in the window."""
    c = local.c.copy()
    c[0] -= line
    found = np.roots(c[::-1])
    real = found[np.abs(found.imag) < 1e-7 * max(span, 1e-9)].real
    real = real[np.abs(real) <= span]
    return float(real[np.argmin(np.abs(real))]) if real.size else None
