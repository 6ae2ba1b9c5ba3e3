"""When a body crosses a line laid in the picture, and how fast: from a local fit of position against time."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantity import Quantity, Source, measured
from saltus.core.units import SECOND
from saltus.core.wording import _

if TYPE_CHECKING:
    from numpy.typing import NDArray

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
class Common:
    """What is common to all positions and times: relative standard uncertainties of scale and clock."""

    u_scale: float = 0.0
    u_rate: float = 0.0
    name: str = "take"


@dataclass(frozen=True)
class _Local:
    """A polynomial about a time: coefficients by rising power, their covariance, and what it rests on."""

    origin: float
    c: Array
    covariance: Array
    dof: float


def crossings(
    t: Array,
    position: Quantity,
    line: float,
    common: Common | None = None,
    name: str = "gate",
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
    common : Common, optional
    name : str
        Prefix of the ids of the sources.
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
    are taken, as beside an impact. The instant is where the polynomial meets the line, u = u(position
    there)/speed. No crossing is stated where the motion may turn within two standard uncertainties.
    """
    common = common or Common()
    found: list[Crossing] = []
    warnings: list[str] = []
    if len(t) < FEWEST:
        return [], [_("There are too few readings for a crossing: at least {n}.").format(n=FEWEST)]
    own, dof = position.u_own, math.inf
    if not np.all(own > 0):
        spread, dof = noise_of(t, position.value)
        own = np.full(len(t), spread)
    off = position.value - line
    turned = False
    for i in np.flatnonzero(np.sign(off[:-1]) * np.sign(off[1:]) <= 0):
        if off[i] == 0 and off[i + 1] == 0:
            continue
        made = _crossing(t, (position, own, dof), line, int(i), common, f"{name}/{len(found)}")
        if made is None:
            turned = True
            continue
        if all(abs(float(made.time) - float(c.time)) > _apart(t, int(i)) for c in found):
            found.append(made)
    if not found and not turned:
        low, high = float(position.value.min()), float(position.value.max())
        words = _("The line at {line:g} is never crossed: positions lie between {low:.4g} and {high:.4g}.")
        named = _("The readings never cross {line}: move it into their way.").format(line=called)
        warnings.append(named if called else words.format(line=line, low=low, high=high))
    if turned:
        words = _("Near a turning point the instant at {line} is not told: move it.")
        warnings.append(words.format(line=called or _("the line {line:g}").format(line=line)))
    return sorted(found, key=lambda c: float(c.time)), warnings


def _apart(t: Array, i: int) -> float:
    """Crossings nearer than this are one, seen several times through the noise."""
    return 1.5 * float(t[i + 1] - t[i])


def _crossing(
    t: Array, places: tuple[Quantity, Array, float], line: float, i: int, common: Common, name: str
) -> Crossing | None:
    """A crossing between two readings; ``places``: positions, u of each alone, and its degrees of freedom."""
    position, own, dof = places
    found = _about(t, position.value, own, i, dof)
    if found is None:
        return None
    local, span = found
    root = _root(local, line, span)
    if root is None:
        return None
    powers = np.arange(len(local.c))
    at = root**powers
    slopes = np.where(powers > 0, powers * root ** np.maximum(powers - 1, 0), 0.0)
    speed = float(local.c @ slopes)
    bend = float(
        local.c @ np.where(powers > 1, powers * (powers - 1) * root ** np.maximum(powers - 2, 0), 0.0)
    )
    u_place = math.sqrt(float(at @ local.covariance @ at))
    u_speed = math.sqrt(float(slopes @ local.covariance @ slopes))
    if speed == 0:
        return None
    u_time = u_place / abs(speed)
    if abs(speed) <= SURE * (abs(bend) * u_time + u_speed):
        return None
    shape = "normal" if math.isinf(local.dof) else "t"
    reading = Source(f"{name}/reading", "reading", _("Reading"), shape, local.dof)  # type: ignore[arg-type]
    apart = Source(f"{name}/speed", "reading", _("Reading"), shape, local.dof)  # type: ignore[arg-type]
    when = local.origin + root
    # the slope along the local motion: a late instant goes with a changed speed
    shared = float(at @ local.covariance @ slopes) / u_place if u_place else 0.0
    time = measured(when, u_time, SECOND, reading)
    velocity = measured(speed, 0.0, position.unit / SECOND, reading)
    velocity = velocity.with_source(reading, -math.copysign(1.0, speed) * _moved(shared, bend, u_time, speed))
    rest = math.sqrt(max(u_speed**2 - shared**2, 0.0))
    velocity = velocity.with_source(apart, rest)
    return Crossing(line, *_with_common(time, velocity, line, common))


def _moved(shared: float, bend: float, u_time: float, speed: float) -> float:
    """What one standard uncertainty of the instant does to the speed there: fit and way along the curve."""
    return math.copysign(1.0, speed) * shared - bend * u_time


def _with_common(
    time: Quantity, velocity: Quantity, line: float, common: Common
) -> tuple[Quantity, Quantity]:
    """Add what scale and clock bring: a line misplaced by the scale is met earlier or later."""
    if common.u_scale:
        scale = Source(f"{common.name}/scale", "scale", _("Scale"))
        time = time.with_source(scale, -line * common.u_scale / float(velocity))
        velocity = velocity.with_source(scale, float(velocity) * common.u_scale)
    if common.u_rate:
        clock = Source(f"{common.name}/clock", "timing", _("Clock"))
        velocity = velocity.with_source(clock, -float(velocity) * common.u_rate)
        time = time.with_source(clock, float(time) * common.u_rate)
    return time, velocity


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
        local = _polynomial(tau, x[part], np.ones(len(part)), degree, 0.0, math.inf)
        rest = x[part] - np.vander(tau, degree + 1, increasing=True) @ local.c
        total += float(rest @ rest)
        dof += len(part) - degree - 1
    return (math.sqrt(total / dof), float(dof)) if dof and total > 0 else (0.0, math.inf)


def _degree(count: int) -> int:
    return max(LOWEST, min(USUAL, (count - 1) // 2))


def _about(t: Array, x: Array, u: Array, i: int, dof: float) -> tuple[_Local, float] | None:
    """The local fit about a step of the record and how long its readings last, s."""
    origin = 0.5 * (t[i] + t[i + 1])

    def part(before: int, after: int) -> slice:
        return slice(max(i + 1 - before, 0), min(i + 1 + after, len(t)))

    whole = part(HALF_WINDOW, HALF_WINDOW)
    if whole.stop - whole.start < FEWEST:
        return None
    local, ratio = _fit(t[whole], x[whole], u[whole], origin, dof)
    best = (0.0, local, whole)
    for sides in NARROWER if ratio > KINKED else ():
        some = part(*sides)
        if some.stop - some.start >= FEWEST:
            tau, degree = t[some] - origin, min(_degree(some.stop - some.start), KINKED_DEGREE)
            tried = _polynomial(tau, x[some], u[some], degree, origin, dof)
            likely = _likely(tau, x[some], u[some], tried)
            if likely >= max(best[0], REJECTED_BELOW):
                # one of several, chosen for its small residuals: u counts as known no better than by them
                free = float(len(tau) - degree - 1)
                best = (likely, _Local(origin, tried.c, tried.covariance, free), some)
    local, taken = best[1:]
    return local, float(t[taken.stop - 1] - t[taken.start])


def _fit(t: Array, x: Array, u: Array, origin: float, dof: float) -> tuple[_Local, float]:
    """A polynomial that the readings allow; where none is, their scatter stands for what is stated.

    Also gives χ² per degree of freedom, 1 where it is not rejected.
    """
    tau = t - origin
    sigma = np.where(u > 0, u, 1.0) if np.any(u > 0) else np.full(len(t), 1e-12 * (float(np.ptp(x)) or 1.0))
    most = min(HIGHEST, len(t) - 2)
    degree = _degree(len(t))
    local = _polynomial(tau, x, sigma, degree, origin, dof)
    if math.isfinite(dof) or not np.any(u > 0):
        return local, 1.0
    while degree < most and _likely(tau, x, sigma, local) < REJECTED_BELOW:
        degree += 1
        local = _polynomial(tau, x, sigma, degree, origin, dof)
    if _likely(tau, x, sigma, local) >= REJECTED_BELOW:
        return local, 1.0
    rest = (x - np.vander(tau, degree + 1, increasing=True) @ local.c) / sigma
    free = len(tau) - degree - 1
    birge = max(float(rest @ rest) / free, 1.0)
    return _Local(origin, local.c, local.covariance * birge, float(free)), birge


def _polynomial(tau: Array, x: Array, sigma: Array, degree: int, origin: float, dof: float) -> _Local:
    span = float(np.max(np.abs(tau))) or 1.0
    design = np.vander(tau / span, degree + 1, increasing=True) / sigma[:, None]
    inverse = np.linalg.pinv(design)
    units = span ** -np.arange(degree + 1.0)
    covariance = inverse @ inverse.T * np.outer(units, units)
    return _Local(origin, inverse @ (x / sigma) * units, covariance, dof)


def _likely(tau: Array, x: Array, sigma: Array, local: _Local) -> float:
    """How likely residuals as large as these are, by χ²; 1 where nothing is left to judge by."""
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    dof = len(tau) - len(local.c)
    rest = (x - np.vander(tau, len(local.c), increasing=True) @ local.c) / sigma
    return float(chdtrc(dof, float(rest @ rest))) if dof > 0 else 1.0


def _root(local: _Local, line: float, span: float) -> float | None:
    """Where the polynomial meets the line, nearest to its middle; None where it does not in the window."""
    c = local.c.copy()
    c[0] -= line
    found = np.roots(c[::-1])
    real = found[np.abs(found.imag) < 1e-7 * max(span, 1e-9)].real
    real = real[np.abs(real) <= span]
    return float(real[np.argmin(np.abs(real))]) if real.size else None
