"""When a body crosses a line laid in the picture, and how fast: from a local fit of position against time."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock, with_rate
from saltus.core.sentences import say
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

HALF_WINDOW, FEWEST = 8, 5
"""Readings taken on each side of a crossing, and the fewest a fit of second degree can be judged by."""
NARROWER = ((8, 5), (5, 8), (8, 3), (3, 8), (5, 5), (8, 2), (2, 8), (8, 1), (1, 8), (3, 3))
KINKED, KINKED_DEGREE = 25.0, 3
"""Where χ² is so many times what is stated, the motion has a kink nearby, such as an impact: then those of
these numbers of readings before and after the crossing are taken that a low degree fits best. Readings less
sure than stated reach that far only if they are five times less sure."""
LOWEST, USUAL, HIGHEST = 2, 5, 7
"""Degrees: a choice by significance would spoil the stated intervals, so the usual one is taken where there
are readings enough; it follows a swing and costs little on a steady run."""
REJECTED_BELOW = 0.01
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
    """

    take: str = "take"
    body: str = "body"
    axis: str = "x"
    line: Hashable = "gate"
    frames: NDArray[np.int64] | None = None


@dataclass(frozen=True)
class Record:
    """Readings that crossings are looked for in.

    Attributes
    ----------
    t : (N,) ndarray
        Increasing times, s.
    position : Quantity
        (N,)
    own : (N,) ndarray
        Standard uncertainty of each position that is independent of the others.
    dof : float
        Of it; infinite where it is stated, otherwise ``own`` is the scatter of the readings.
    clock : Clock
    of : Crossed
    """

    t: Array
    position: Quantity
    own: Array
    dof: float
    clock: Clock
    of: Crossed

    def level(self, made: Quantity) -> Quantity:
        """A level estimated from all the readings, for use beside some of them.

        What one reading shares with the level of a long record does not count any more (a few over N of its
        variance), but would be an entry for each pair; there the readings enter it as one source.
        """
        if len(self.t) <= LONG:
            return made
        return made.lumped(sources.rest_level(self.of.take, self.of.body, self.of.axis, self.dof))

    @property
    def frames(self) -> NDArray[np.int64]:
        """The frame of each reading, (N,)."""
        return np.arange(len(self.t)) if self.of.frames is None else self.of.frames


def record_of(t: Array, position: Quantity, clock: Clock | None = None, of: Crossed | None = None) -> Record:
    """Take readings for crossings; where nothing is stated, their scatter about the motion stands for it."""
    own, dof = position.u_own, math.inf
    if len(t) and not np.all(own > 0):
        spread, dof = noise_of(t, position.value)
        own = np.full(len(t), spread)
    return Record(t, position, own, dof, clock or Clock(), of or Crossed())


@dataclass(frozen=True)
class Local:
    """A polynomial about a time: coefficients by rising power, how each follows from the readings taken.

    ``gain`` (P, n) leads from the readings ``taken`` to the coefficients; ``factor`` is by how much the
    readings scatter more than stated; ``dof`` limits how well u is known.
    """

    origin: float
    c: Array
    gain: Array
    sigma: Array
    dof: float
    factor: float = 1.0

    @property
    def covariance(self) -> Array:
        """Of the coefficients, (P, P)."""
        scaled = self.gain * self.sigma * self.factor
        return np.asarray(scaled @ scaled.T)


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
    record = record_of(t, position, clock, of)
    found: list[Crossing] = []
    warnings: list[str] = []
    off = position.value - line
    turned = False
    for i in np.flatnonzero(np.sign(off[:-1]) * np.sign(off[1:]) <= 0):
        if off[i] == 0 and off[i + 1] == 0:
            continue
        made = crossing_near(record, line, int(i), number=len(found))
        if made is None:
            turned = True
            continue
        if all(abs(float(made.time) - float(c.time)) > _apart(t, int(i)) for c in found):
            found.append(made)
    if not found and not turned:
        low, high = float(position.value.min()), float(position.value.max())
        named = say("gates.readings-never-cross-move", line=called)
        warnings.append(
            named if called else say("gates.line-never-crossed-positions", line=line, low=low, high=high)
        )
    if turned:
        warnings.append(
            say("gates.near-turning-point-instant", line=called or say("gates.line-at", line=line))
        )
    return sorted(found, key=lambda c: float(c.time)), warnings


def _apart(t: Array, i: int) -> float:
    """Crossings nearer than this are one, seen several times through the noise."""
    return 1.5 * float(t[i + 1] - t[i])


def crossing_near(record: Record, line: float, i: int, *, number: int = 0) -> Crossing | None:
    """Find the crossing of a line about the step from reading i to the next; None where it is not sure."""
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
    covariance = local.covariance
    u_time = math.sqrt(float(place @ covariance @ place)) / abs(speed)
    u_speed = math.sqrt(float(slopes @ covariance @ slopes))
    if abs(speed) <= SURE * (abs(bend) * u_time + u_speed):
        return None
    # where the motion lies higher than read, the line is met earlier, and with the speed it has there
    earlier = -(place @ local.gain) / speed
    weights = np.array([earlier, slopes @ local.gain + bend * earlier])
    parts = _readings(record, local, taken, number).weighed(weights)
    time = parts[0].moved_to(local.origin + root).with_unit(SECOND)
    velocity = parts[1].moved_to(speed).with_unit(record.position.unit / SECOND)
    return Crossing(line, with_rate(time, record.clock), with_rate(velocity, record.clock, -1.0))


def _readings(record: Record, local: Local, taken: slice, number: int) -> Quantity:
    """The readings of a local fit, with the uncertainty that the fit lets them have."""
    position, of = record.position[taken], record.of
    if math.isinf(local.dof):
        return position
    if local.factor == 1.0 and math.isinf(record.dof):
        return position.known_with(local.dof)
    which = (of.line, number) if math.isinf(record.dof) else ()
    source = sources.crossing_scatter(of.take, of.body, of.axis, which, local.dof)
    return position.without_own().with_family(source, local.sigma * local.factor, record.frames[taken])


def noise_of(t: Array, x: Array) -> tuple[float, float]:
    """Standard deviation of readings about the motion, where none is stated, and its degrees of freedom.

    Parameters
    ----------
    t, x : (N,) ndarray

    Notes
    -----
    Pooled over stretches of the length of a window, each with a polynomial of its own.
    """
    total, dof = 0.0, 0
    for part in np.array_split(np.arange(len(t)), max(len(t) // (2 * HALF_WINDOW), 1)):
        tau, degree = t[part] - t[part].mean(), _degree(len(part))
        local = _polynomial(tau, x[part], np.ones(len(part)), degree, 0.0)
        rest = x[part] - np.vander(tau, degree + 1, increasing=True) @ local.c
        total += float(rest @ rest)
        dof += len(part) - degree - 1
    return (math.sqrt(total / dof), float(dof)) if dof and total > 0 else (0.0, math.inf)


def _degree(count: int) -> int:
    return max(LOWEST, min(USUAL, (count - 1) // 2))


def _about(record: Record, i: int, half: int) -> tuple[Local, slice] | None:
    """The local fit about a step of the record and the readings it takes."""
    t, x, u = record.t, record.position.value, record.own
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
            tau, degree = t[some] - origin, min(_degree(some.stop - some.start), KINKED_DEGREE)
            tried = _polynomial(tau, x[some], u[some], degree, origin)
            likely = _likely(tau, x[some], tried)
            if likely >= max(best[0], REJECTED_BELOW):
                # one of several, chosen for its small residuals: u counts as known no better than by them
                best = (likely, replace(tried, dof=float(len(tau) - degree - 1)), some)
    return best[1], best[2]


def local_fit(t: Array, x: Array, u: Array, origin: float, dof: float, degree: int = 0) -> Local:
    """Fit a polynomial that the readings allow; where none is, their scatter stands for what is stated.

    Parameters
    ----------
    t, x, u : (n,) ndarray
        Times, s, positions and their standard uncertainties.
    origin : float
        Time about which the polynomial is taken, s.
    dof : float
        Of u; infinite where it is stated.
    degree : int, optional
        To begin with.
    """
    tau = t - origin
    sigma = np.where(u > 0, u, 1.0) if np.any(u > 0) else np.full(len(t), 1e-12 * (float(np.ptp(x)) or 1.0))
    most = min(HIGHEST, len(t) - 2)
    degree = degree or _degree(len(t))
    local = _polynomial(tau, x, sigma, degree, origin)
    if math.isfinite(dof) or not np.any(u > 0):
        return replace(local, dof=dof)
    while degree < most and _likely(tau, x, local) < REJECTED_BELOW:
        degree += 1
        local = _polynomial(tau, x, sigma, degree, origin)
    if _likely(tau, x, local) >= REJECTED_BELOW:
        return local
    rest = (x - np.vander(tau, degree + 1, increasing=True) @ local.c) / sigma
    free = len(tau) - degree - 1
    return replace(local, dof=float(free), factor=math.sqrt(max(float(rest @ rest) / free, 1.0)))


def _polynomial(tau: Array, x: Array, sigma: Array, degree: int, origin: float) -> Local:
    span = float(np.max(np.abs(tau))) or 1.0
    design = np.vander(tau / span, degree + 1, increasing=True) / sigma[:, None]
    units = span ** -np.arange(degree + 1.0)
    gain = np.linalg.pinv(design) / sigma * units[:, None]
    return Local(origin, gain @ x, gain, sigma, math.inf)


def _likely(tau: Array, x: Array, local: Local) -> float:
    """How likely residuals as large as these are, by χ²; 1 where nothing is left to judge by."""
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    dof = len(tau) - len(local.c)
    rest = (x - np.vander(tau, len(local.c), increasing=True) @ local.c) / local.sigma
    return float(chdtrc(dof, float(rest @ rest))) if dof > 0 else 1.0


def _root(local: Local, line: float, span: float) -> float | None:
    """Where the polynomial meets the line, nearest to its middle; None where it does not in the window."""
    c = local.c.copy()
    c[0] -= line
    found = np.roots(c[::-1])
    real = found[np.abs(found.imag) < 1e-7 * max(span, 1e-9)].real
    real = real[np.abs(real) <= span]
    return float(real[np.argmin(np.abs(real))]) if real.size else None
