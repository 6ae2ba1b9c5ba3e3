"""Known divisions of a rule or a dial, and the law by which its readings go with place."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.fitting.judgement import judge_stated
from saltus.core.geometry.circle import middle_of
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

SEEN_ASKEW_BELOW = 0.01
"""χ² probability under which evenly spaced divisions are rejected: the rule is seen at an angle."""
DEEPEST = 1.6
"""One end of a rule is not seen from so many times as far as the other."""
NEAREST_PX = 3.0
UNEVEN = 0.25
"""Of the smallest spacing: divisions so far off have a wrong value."""
OFF_LINE_PX, OFF_LINE_U, OFF_CIRCLE = 3.0, 4.0, 0.03
BELOW_ZERO = 0.1
"""So far below its zero a pointer may stand, rad."""
CLOSES = 0.2
"""A dial whose gap is one step, to this part of it, goes all the way round."""
TURN = 2 * math.pi


@dataclass(frozen=True)
class Rule:
    """A straight scale: value = (α + β s)/(1 + γ s), s along its line.

    Attributes
    ----------
    start, way : (2,) ndarray
        A place on the line, px, and its direction.
    size : float
        px in which s is counted.
    terms : (3,) ndarray
        α, β, γ.
    ends : (low, high)
        s of the outer divisions.
    askew : bool
        Whether it is seen at an angle: γ is free.
    spread : float
        By what u of the divisions was multiplied, dimensionless.
    off_px : float or None
        By how much divisions are off the law, px; None where nothing is left over.
    values : (D,) ndarray
    """

    start: Array
    way: Array
    size: float
    terms: Array
    ends: tuple[float, float]
    askew: bool
    spread: float
    off_px: float | None
    values: Array

    def along(self, at: Array) -> Array:
        """How far along the line places lie, (N,), in units of its size.

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        return np.asarray(self.way @ (at - self.start[:, None]) / self.size)

    def at(self, at: Array) -> Array:
        """Read the scale at places, (N,).

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        s = self.along(at)
        a, b, c = self.terms
        return np.asarray((a + b * s) / (1 + c * s))

    def beyond(self, at: Array) -> NDArray[np.bool_]:
        """Whether places lie outside the known divisions, (N,).

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        s, slack = self.along(at), 1.0 / self.size
        return np.asarray((s < self.ends[0] - slack) | (s > self.ends[1] + slack))

    def moved(self, places: Array, _middle: tuple[float, float] | None) -> Rule:
        """The law with the divisions elsewhere, of the same kind.

        Parameters
        ----------
        places : (2, D) ndarray
            px.
        """
        return _rule(places, self.values, self.askew)


def _line(places: Array) -> tuple[Array, Array, float]:
    """A place on the line through places, its direction from the first to the last, and its length, px."""
    start = places.mean(axis=1)
    away = places - start[:, None]
    way = np.linalg.svd(away.T, full_matrices=False)[2][0]
    along = way @ away
    if along[-1] < along[0]:
        way = -way
    return start, way, float(np.ptp(along))


def _rule(places: Array, values: Array, askew: bool) -> Rule:
    start, way, size = _line(places)
    s = way @ (places - start[:, None]) / size
    columns = [np.ones_like(s), s] + ([-s * values] if askew else [])
    scale = np.array([np.abs(c).max() or 1.0 for c in columns])
    found = np.linalg.lstsq(np.stack(columns).T / scale, values, rcond=None)[0] / scale
    terms = np.concatenate([found, np.zeros(3 - len(found))])
    return Rule(start, way, size, terms, (float(s.min()), float(s.max())), askew, 1.0, None, values)


def _require_apart(places: Array, values: Array) -> None:
    if len(values) < 2:
        raise GeometryError(say("divisions.two-needed"))
    if len(np.unique(values)) < len(values):
        raise GeometryError(say("divisions.same-value"))
    for n in range(len(values) - 1):
        if np.hypot(*(places[:, n + 1 :] - places[:, n : n + 1])).min() < NEAREST_PX:
            raise GeometryError(say("divisions.together"))


def rule_of(places: Array, values: Array, u_px: float) -> Rule:
    """Find the law of a straight scale from its known divisions.

    Parameters
    ----------
    places : (2, D) ndarray
        px.
    values : (D,) ndarray
        In the SI unit.
    u_px : float
        Standard uncertainty of each place, px.

    Raises
    ------
    GeometryError
        If there are fewer than two, or they are out of order, off a line, or have values that cannot be.
    """
    order = np.argsort(values)
    places, values = places[:, order], values[order]
    _require_apart(places, values)
    start, way, _size = _line(places)
    away = places - start[:, None]
    off = np.abs(way[0] * away[1] - way[1] * away[0])
    if float(off.max()) > max(OFF_LINE_PX, OFF_LINE_U * u_px):
        raise GeometryError(say("divisions.off-the-line"))
    along = way @ away
    if np.any(np.diff(along) <= 0):
        raise GeometryError(say("divisions.out-of-order"))
    even = _rule(places, values, askew=False)
    law, left, off_px = even, len(values) - 2, _off_px(even, places)
    judged = judge_stated(float(np.sum((off_px / u_px) ** 2)), left, rejected_below=SEEN_ASKEW_BELOW)
    if left and judged.spread is not None:
        law, left = _rule(places, values, askew=True), left - 1
        off_px = _off_px(law, places)
        s = law.along(places)
        depth = 1 + law.terms[2] * s
        if np.any(depth <= 0) or float(depth.max() / depth.min()) > DEEPEST:
            raise GeometryError(say("divisions.uneven"))
    return _judged(law, off_px, left, u_px, float(np.diff(along).min()))


def _off_px(law: Rule, places: Array) -> Array:
    """How far divisions lie from where the law has them, (D,) px along the line."""
    step = law.way[:, None]
    slope = (law.at(places + step) - law.at(places - step)) / 2
    return np.asarray((law.values - law.at(places)) / slope)


def _judged(law: Rule, off_px: Array, left: int, u_px: float, spacing: float) -> Rule:
    if not left:
        return law
    size = math.sqrt(float(np.sum(off_px**2)) / left)
    if float(np.abs(off_px).max()) > max(UNEVEN * spacing, OFF_LINE_U * u_px):
        raise GeometryError(say("divisions.uneven"))
    spread = judge_stated(float(np.sum((off_px / u_px) ** 2)), left).spread or 1.0
    terms = (law.start, law.way, law.size, law.terms, law.ends, law.askew)
    return Rule(*terms, spread, size, law.values)


@dataclass(frozen=True)
class Dial:
    """A round scale: value = α + β φ, φ about its middle in the direction in which values grow.

    Attributes
    ----------
    middle : (2,) ndarray
        px.
    radius : float
        px.
    first : float
        Angle of the first division, rad, clockwise as seen.
    sense : int
        1 where values grow clockwise, −1 where they grow the other way.
    terms : (2,) ndarray
        α, β per rad, φ counted from the first division.
    span : float
        φ of the last division, rad.
    closed : bool
        Whether the dial goes all the way round, like that of a watch.
    spread, off_px, values
        As of a rule.
    """

    middle: Array
    radius: float
    first: float
    sense: int
    terms: Array
    span: float
    closed: bool
    spread: float
    off_px: float | None
    values: Array

    def turned(self, at: Array) -> Array:
        """How far places are turned from the first division, (N,) rad.

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        away = at - self.middle[:, None]
        phi = self.sense * (np.arctan2(away[1], away[0]) - self.first)
        least = -1e-9
        if not self.closed:
            # in the middle of what is not marked, but no dial of positive values goes far below zero
            least = (self.span - TURN) / 2
            if self.values.min() >= 0:
                least = max(least, -float(self.terms[0] / self.terms[1]) - BELOW_ZERO)
        return np.asarray(np.mod(phi - least, TURN) + least)

    def at(self, at: Array) -> Array:
        """Read the dial where its pointer is seen, (N,).

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        return np.asarray(self.terms[0] + self.terms[1] * self.turned(at))

    def beyond(self, at: Array) -> NDArray[np.bool_]:
        """Whether the pointer stands outside the known divisions, (N,).

        Parameters
        ----------
        at : (2, N) ndarray
            px.
        """
        if self.closed:
            return np.zeros(at.shape[1], dtype=bool)
        phi, slack = self.turned(at), 1.0 / self.radius
        return np.asarray((phi < -slack) | (phi > self.span + slack))

    def moved(self, places: Array, middle: tuple[float, float] | None) -> Dial:
        """The law with the divisions or the middle elsewhere, in the same direction.

        Parameters
        ----------
        places : (2, D) ndarray
            px.
        middle : (x, y) or None
            px.
        """
        return _dial(places, self.values, middle, self.sense, self.closed)


def _dial(places: Array, values: Array, middle: tuple[float, float] | None, sense: int, closed: bool) -> Dial:
    centre = np.array(middle) if middle is not None else middle_of(places)[0]
    away = places - centre[:, None]
    angle = np.arctan2(away[1], away[0])
    steps = np.mod(sense * np.diff(angle), TURN)
    phi = np.concatenate([[0.0], np.cumsum(steps)])
    terms = np.linalg.lstsq(np.stack([np.ones_like(phi), phi]).T, values, rcond=None)[0]
    radius = float(np.hypot(*away).mean())
    return Dial(centre, radius, float(angle[0]), sense, terms, float(phi[-1]), closed, 1.0, None, values)


def dial_of(places: Array, values: Array, u_px: float, middle: tuple[float, float] | None) -> Dial:
    """Find the law of a dial from its known divisions.

    Parameters
    ----------
    places : (2, D) ndarray
        px.
    values : (D,) ndarray
        In the SI unit. With two divisions values grow clockwise; more tell the direction themselves.
    u_px : float
        Standard uncertainty of each place, px.
    middle : (x, y) or None
        About which the pointer turns, px; needed with two divisions.

    Raises
    ------
    GeometryError
        If they are out of order or uneven, or do not lie on a circle.
    """
    order = np.argsort(values)
    places, values = places[:, order], values[order]
    _require_apart(places, values)
    if middle is None and len(values) < 3:
        raise GeometryError(say("dial.middle-or-third"))
    centre, radius = (np.array(middle), None) if middle is not None else middle_of(places)
    distance = np.hypot(*(places - centre[:, None]))
    radius = float(distance.mean()) if radius is None else radius
    if float(np.abs(distance - radius).max()) > max(OFF_LINE_U * u_px, OFF_CIRCLE * radius):
        raise GeometryError(say("dial.not-on-a-circle"))
    away = places - centre[:, None]
    steps = np.diff(np.arctan2(away[1], away[0]))
    total = {sense: float(np.mod(sense * steps, TURN).sum()) for sense in (1, -1)}
    if len(values) > 2 and min(total.values()) > TURN + 1e-6:
        raise GeometryError(say("divisions.out-of-order"))
    sense = 1 if len(values) == 2 or total[1] <= TURN + 1e-6 else -1
    gap, step = TURN - total[sense], total[sense] / (len(values) - 1)
    closed = len(values) > 2 and abs(gap - step) < CLOSES * step
    law = _dial(places, values, middle, sense, closed)
    left = len(values) - 2
    if not left:
        return law
    off = (law.turned(places) - (values - law.terms[0]) / law.terms[1]) * law.radius
    size = math.sqrt(float(np.sum(off**2)) / left)
    if float(np.abs(off).max()) > max(
        UNEVEN * float(np.mod(sense * steps, TURN).min()) * law.radius, OFF_LINE_U * u_px
    ):
        raise GeometryError(say("divisions.uneven"))
    spread = judge_stated(float(np.sum((off / u_px) ** 2)), left).spread or 1.0
    return Dial(law.middle, law.radius, law.first, sense, law.terms, law.span, closed, spread, size, values)
