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
    t: Array, position: Quantity, line: float, common: Common | None = None, name: str = "gate"
) -> tuple[list[Crossing], list[str]]:
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

    Returns
    -------
    crossings : list of Crossing
        In the order of time.
    warnings : list of str
        What could not be stated, and why.

    Notes
    -----
    A polynomial through up to eight readings on each side: of fifth degree, less where there are fewer than
    eleven, at least second; a degree is added while χ² rejects the residuals (p < 0.01). The instant is where
    the polynomial meets the line, u = u(position there)/speed. No crossing is stated where the motion may
    turn within two standard uncertainties.
    """
    common = common or Common()
    found: list[Crossing] = []
    warnings: list[str] = []
    if len(t) < FEWEST:
        return [], [_("There are too few readings for a crossing: at least {n}.").format(n=FEWEST)]
    off = position.value - line
    turned = False
    for i in np.flatnonzero(np.sign(off[:-1]) * np.sign(off[1:]) <= 0):
        if off[i] == 0 and off[i + 1] == 0:
            continue
        made = _crossing(t, position, line, int(i), common, f"{name}/{len(found)}")
        if made is None:
            turned = True
            continue
        if all(abs(float(made.time) - float(c.time)) > _apart(t, int(i)) for c in found):
            found.append(made)
    if not found and not turned:
        warnings.append(
            _(
                "The line at {line:g} is never crossed: positions lie between {low:.4g} and {high:.4g}."
            ).format(line=line, low=float(position.value.min()), high=float(position.value.max()))
        )
    if turned:
        words = _("Near a turning point the instant at the line {line:g} is not told: move the line.")
        warnings.append(words.format(line=line))
    return sorted(found, key=lambda c: float(c.time)), warnings


def _apart(t: Array, i: int) -> float:
    """Crossings nearer than this are one, seen several times through the noise."""
    return 1.5 * float(t[i + 1] - t[i])


def _crossing(
    t: Array, position: Quantity, line: float, i: int, common: Common, name: str
) -> Crossing | None:
    low, high = max(i + 1 - HALF_WINDOW, 0), min(i + 1 + HALF_WINDOW, len(t))
    if high - low < FEWEST:
        return None
    part = slice(low, high)
    local = _fit(t[part], position.value[part], position.u_own[part], 0.5 * (t[i] + t[i + 1]))
    root = _root(local, line, float(t[high - 1] - t[low]))
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
    own = Source(f"{name}/speed", "reading", _("Reading"), shape, local.dof)  # type: ignore[arg-type]
    when = local.origin + root
    # the slope along the local motion: a late instant goes with a changed speed
    shared = float(at @ local.covariance @ slopes) / u_place if u_place else 0.0
    time = measured(when, u_time, SECOND, reading)
    velocity = measured(speed, 0.0, position.unit / SECOND, reading)
    velocity = velocity.with_source(reading, -math.copysign(1.0, speed) * _moved(shared, bend, u_time, speed))
    rest = math.sqrt(max(u_speed**2 - shared**2, 0.0))
    velocity = velocity.with_source(own, rest)
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


def _fit(t: Array, x: Array, u: Array, origin: float) -> _Local:
    """A polynomial that the readings do not contradict."""
    stated = bool(np.all(u > 0))
    sigma = u if stated else np.ones(len(t))
    tau = t - origin
    most = min(HIGHEST, len(t) - 2)
    degree = max(LOWEST, min(USUAL, (len(t) - 1) // 2))
    local = _polynomial(tau, x, sigma, degree, stated=stated, origin=origin)
    while stated and degree < most and _rejected(tau, x, sigma, local):
        degree += 1
        local = _polynomial(tau, x, sigma, degree, stated=stated, origin=origin)
    if stated and _rejected(tau, x, sigma, local):
        scattered = _polynomial(tau, x, sigma, degree, stated=False, origin=origin)
        return scattered if np.trace(scattered.covariance) > np.trace(local.covariance) else local
    return local


def _polynomial(tau: Array, x: Array, sigma: Array, degree: int, *, stated: bool, origin: float) -> _Local:
    span = float(np.max(np.abs(tau))) or 1.0
    design = np.vander(tau / span, degree + 1, increasing=True) / sigma[:, None]
    inverse = np.linalg.pinv(design)
    c = inverse @ (x / sigma)
    covariance = inverse @ inverse.T
    dof = len(tau) - degree - 1
    spread = math.inf
    if not stated:
        rest = x / sigma - design @ c
        covariance = covariance * (float(rest @ rest) / max(dof, 1))
        spread = float(max(dof, 1))
    units = span ** -np.arange(degree + 1.0)
    return _Local(origin, c * units, covariance * np.outer(units, units), spread)


def _rejected(tau: Array, x: Array, sigma: Array, local: _Local) -> bool:
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    dof = len(tau) - len(local.c)
    rest = (x - np.vander(tau, len(local.c), increasing=True) @ local.c) / sigma
    return dof > 0 and float(chdtrc(dof, float(rest @ rest))) < REJECTED_BELOW


def _root(local: _Local, line: float, span: float) -> float | None:
    """Where the polynomial meets the line, nearest to its middle; None where it does not in the window."""
    c = local.c.copy()
    c[0] -= line
    found = np.roots(c[::-1])
    real = found[np.abs(found.imag) < 1e-7 * max(span, 1e-9)].real
    real = real[np.abs(real) <= span]
    return float(real[np.argmin(np.abs(real))]) if real.size else None
