"""Following several bodies at once through one pass over the pictures, and what comes of it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal, Protocol

import cv2
import numpy as np

from saltus.core.following.centroid import CentroidFollower, colour_weights, spot_weights
from saltus.core.following.ground import Ground
from saltus.core.following.looking import Other, noise_of
from saltus.core.following.outline import OutlineFollower
from saltus.core.following.patch import SMALLEST_PX, Box, cut
from saltus.core.following.pattern import PatternFollower
from saltus.core.following.resemblance import spread_beyond
from saltus.core.following.search import padded
from saltus.core.following.uncertainty import Quarters, scatter_factors
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.following.prediction import Way
    from saltus.core.following.sighting import Sighting, State

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

Method = Literal["auto", "pattern", "colour", "spot", "edge"]
METHODS: tuple[Method, ...] = ("auto", "pattern", "colour", "spot", "edge")
MOST_BODIES = 8
HELD_PX = 0.25
"""A pattern that can be found to this is followed as one, else its edge, colour or spot is tried."""
BROAD_PX, MARKS = 2.0, 3.0
"""Marks must stand out by so many times the noise of a pixel after smoothing over so many pixels: noise has
slopes, too, but they are elsewhere in the next picture."""
LARGEST_PX, GRID = 2000.0, 7
LEAST_U_PX, FAINT_PX = 0.008, 0.05
"""Below the first nothing is stated; above the second a patch with more edges would do better."""


class FollowingError(ValueError):
    """A body that cannot be followed: why, and what to do."""


@dataclass(frozen=True)
class Frame:
    """One picture to look at.

    Attributes
    ----------
    number : int
    t : float
        s
    grey : (H, W) ndarray of uint8
        Brightness.
    colour : callable
        Gives the picture in RGB, (H, W, 3); asked only where colour is followed.
    """

    number: int
    t: float
    grey: Picture
    colour: Callable[[], Picture]


@dataclass(frozen=True)
class Start:
    """A body to follow: name, box, how, and the point that is read (the centre by default).

    ``passed``: its places before, px, in order; they say which way exposures in one picture go.
    """

    name: str
    box: Box
    method: Method = "auto"
    point: tuple[float, float] | None = None
    passed: tuple[tuple[float, float], ...] = ()


class Follower(Protocol):
    """What finds one body again; see :class:`saltus.core.following.pattern.PatternFollower`."""

    way: Way
    lost_for: int
    revised: dict[int, Sighting]
    u_patch: Array
    shift: tuple[float, float]
    quarters: Quarters

    def step(self, picture: Picture, t: float, others: tuple[Any, ...] = ()) -> Sighting:
        """Look for it in the next picture, at a time, s."""

    def looks_at(self, t: float) -> tuple[float, float, float]:
        """Where the point that is read is looked for at a time, s, and how far to each side, px."""

    def settle(self) -> None:
        """Finish what is learnt from the first pictures."""


@dataclass(frozen=True)
class Followed:
    """The places of one body over a run.

    Attributes
    ----------
    name, method : str
    frames : (N,) ndarray of int
    t : (N,) ndarray
        s
    x, y, u_x, u_y : (N,) ndarray
        px; NaN where it is lost. u is the frame's own part.
    states : tuple of {"found", "weak", "lost"}
    sightings : tuple of Sighting or None
        None for the picture the box was drawn in.
    u_patch : (2,) ndarray
        Standard uncertainty along x and y that all places of the run have in common, px.
    angle, u_angle : (N,) ndarray
        Turned clockwise as seen since the first picture, rad; NaN where turning is not read.
    """

    name: str
    method: Method
    frames: NDArray[np.int64]
    t: Array
    x: Array
    y: Array
    u_x: Array
    u_y: Array
    states: tuple[State, ...]
    sightings: tuple[Sighting | None, ...]
    u_patch: Array
    angle: Array
    u_angle: Array

    def count(self, state: State) -> int:
        """How many pictures have a state."""
        return self.states.count(state)


@dataclass(frozen=True)
class FirstLook:
    """What can be said of a box before the first step.

    Attributes
    ----------
    method : Method
        The one that is taken.
    u : float
        How well a place can be found, standard uncertainty, px.
    faint : bool
        Whether more marks or edges in the box would tell more.
    """

    method: Method
    u: float
    faint: bool


@dataclass
class _Body:
    start: Start
    method: Method
    follower: Follower
    sightings: list[Sighting] = field(default_factory=list)


class Following:
    """A run: begun with boxes in one picture, given the next ones in order, forwards or backwards.

    Parameters
    ----------
    starts : sequence of Start
        One to :data:`MOST_BODIES`.
    frame : Frame
        The picture the boxes were drawn in.

    Raises
    ------
    FollowingError
        Where a box lies outside the picture, is too small, or holds nothing that can be found again.
    """

    def __init__(self, starts: tuple[Start, ...], frame: Frame) -> None:
        if not 1 <= len(starts) <= MOST_BODIES:
            raise FollowingError(say("following.how-many-bodies", most=MOST_BODIES))
        self._last = frame.grey[::GRID, ::GRID]
        self._repeats = [False]
        self.frames = [frame.number]
        self.times = [frame.t]
        self._ground = Ground(frame.grey.shape)
        self.bodies = [_begun(start, frame, self._ground) for start in starts]
        self._ground.add(
            frame.grey, [_about(body, body.start.point or body.start.box.centre) for body in self.bodies]
        )

    def step(self, frame: Frame) -> list[Sighting]:
        """Look for all bodies in the next picture; gives one sighting a body."""
        expected = [_expected(body, frame.t) for body in self.bodies]
        out = []
        for i, body in enumerate(self.bodies):
            others = tuple(o for j, o in enumerate(expected) if j != i and o is not None)
            picture = frame.colour() if body.method == "colour" else frame.grey
            out.append(body.follower.step(picture, frame.t, others))
            body.sightings.append(out[-1])
        self.frames.append(frame.number)
        self.times.append(frame.t)
        grid = frame.grey[::GRID, ::GRID]
        # most pictures differ in a few rows already
        alike = np.array_equal(grid[::8], self._last[::8]) and np.array_equal(grid, self._last)
        self._repeats.append(alike)
        self._last = grid.copy()
        if all(sighting.state == "found" for sighting in out):
            places = ((sighting.x, sighting.y) for sighting in out)
            self._ground.add(frame.grey, [_about(b, p) for b, p in zip(self.bodies, places, strict=True)])
        return out

    def looks_at(self, t: float) -> list[tuple[float, float, float]]:
        """Where each body will be looked for: its point, and how far to each side, px.

        Parameters
        ----------
        t : float
            Time of the next picture, s.
        """
        return [body.follower.looks_at(t) for body in self.bodies]

    def results(self) -> list[Followed]:
        """Give what was found so far; the first pictures as the settled patch sees them."""
        return [self._result(body) for body in self.bodies]

    def _result(self, body: _Body) -> Followed:
        body.follower.settle()
        seen = [body.follower.revised.get(i, s) for i, s in enumerate(body.sightings, 1)]
        frames, t = np.array(self.frames, dtype=np.int64), np.array(self.times)
        patch = np.maximum(np.diag(body.follower.u_patch), 0.0)
        u_patch = np.sqrt(patch + body.follower.quarters.variance())
        x0, y0 = body.start.point or body.start.box.centre
        # against the rest of the run the typed place is off by what the patch is off
        first_u = np.maximum(u_patch, 0.01)
        x, y = (
            np.array([p0, *(getattr(s, c) + off for s in seen)])
            for c, p0, off in zip("xy", (x0, y0), body.follower.shift, strict=True)
        )
        u_x, u_y = (
            np.array(
                [
                    first_u[k],
                    *(math.sqrt(s.covariance[k, k]) if s.state != "lost" else math.nan for s in seen),
                ]
            )
            for k in (0, 1)
        )
        states: tuple[State, ...] = ("found", *(s.state for s in seen))
        order = np.argsort(t, kind="stable")
        # a repeated picture shows an earlier moment: as a kink of the motion it would spoil every u about it
        sure = np.array([s == "found" for s in states]) & ~np.array(self._repeats)
        sure[0] = False
        chosen = order[sure[order]]
        for places, u in ((x, u_x), (y, u_y)):
            _scattered(t, places, u, chosen)
        model = np.sqrt(body.follower.quarters.variance())
        u_x[1:], u_y[1:] = np.hypot(u_x[1:], model[0]), np.hypot(u_y[1:], model[1])
        for places, u in ((x, u_x), (y, u_y)):
            u[1:] *= spread_beyond(places[chosen], u[chosen])
        angles = [(s.angle, s.u_angle) for s in seen]
        turned = any(math.isfinite(a) for a, _u in angles)
        angle, u_angle = (
            np.array([0.0 if turned else math.nan, *(pair[k] for pair in angles)]) for k in (0, 1)
        )
        u_angle[0] = math.nan
        if turned:
            _scattered(t, angle, u_angle, chosen[np.isfinite(u_angle[chosen])])
            u_angle[1:] *= spread_beyond(angle[chosen], u_angle[chosen])
        return Followed(
            body.start.name, body.method, frames[order], t[order], x[order], y[order], u_x[order], u_y[order],
            tuple(states[i] for i in order), tuple((None, *seen)[i] for i in order), u_patch, angle[order],
            u_angle[order],
        )  # fmt: skip


def _scattered(t: Array, values: Array, u: Array, chosen: NDArray[np.int_]) -> None:
    """Enlarge u, in place, to what the values of the chosen pictures scatter; no doubted one is surer."""
    if len(chosen) and np.all(np.diff(t[chosen]) > 0):
        u[1:] *= np.interp(t[1:], t[chosen], scatter_factors(t[chosen], values[chosen], u[chosen]))


def _expected(body: _Body, t: float) -> Other | None:
    """Where a body will be, for those it may stand before; None while that is not sure."""
    follower = body.follower
    if follower.lost_for or not len(follower.way):
        return None
    ahead = follower.way.ahead(t)
    if isinstance(follower, PatternFollower):
        h, w = follower.patch.shape
        return Other(ahead.x + (w - 1) / 2, ahead.y + (h - 1) / 2, body.start.box.size)
    return Other(ahead.x, ahead.y, body.start.box.size)


def first_look(start: Start, frame: Frame) -> FirstLook:
    """Say how a body would be followed, and how well, before the first step.

    Parameters
    ----------
    start : Start
    frame : Frame
        The picture its box is drawn in.

    Raises
    ------
    FollowingError
        Where there is nothing to follow in the box.
    """
    begun = _begun(start, frame)
    if begun.method == "pattern":
        u = held_to(frame, start.box)
    else:
        u = math.sqrt(max(float(np.diag(begun.follower.u_patch).max()), 0.0))
    return FirstLook(begun.method, max(u, LEAST_U_PX), u > FAINT_PX)


def held_to(frame: Frame, box: Box) -> float:
    """How well a pattern in a box can be found in a picture like this, px; infinite: nothing holds."""
    patch, left, top = cut(frame.grey, box)
    h, w = patch.shape
    around = padded(frame.grey, left - 8, top - 8, w + 16, h + 16)
    noise = max(noise_of(around), 0.5)
    return patch.found_to(noise) if _marks(around) > MARKS * noise else math.inf


def _marks(part: Picture) -> float:
    """Grey levels between dark and bright once what changes from pixel to pixel is smoothed away."""
    broad = cv2.GaussianBlur(part.astype(np.float32), (0, 0), BROAD_PX)
    low, high = np.percentile(broad, [5, 95])
    return float(high - low)


def _about(body: _Body, place: tuple[float, float]) -> tuple[float, float, float, float]:
    """The box of a body about a place of its point, and what is smeared of it beyond."""
    box, (px, py) = body.start.box, body.start.point or body.start.box.centre
    sx, sy = body.follower.smear if isinstance(body.follower, PatternFollower) else (0.0, 0.0)
    left, top = place[0] + box.x - px - abs(sx) / 2, place[1] + box.y - py - abs(sy) / 2
    return left, top, box.width + abs(sx), box.height + abs(sy)


def _begun(start: Start, frame: Frame, ground: Ground | None = None) -> _Body:
    _require_box(start, frame)
    for method in (start.method,) if start.method != "auto" else _order(start, frame):
        follower = _follower(method, start, frame, ground)
        if follower is not None:
            return _Body(start, method, follower)
    raise FollowingError(say("following.nothing-to-hold", name=start.name))


def _order(start: Start, frame: Frame) -> tuple[Method, ...]:
    """Methods to try, the best first: the pattern, where there is one."""
    return (
        ("pattern", "edge", "colour", "spot")
        if held_to(frame, start.box) <= HELD_PX
        else ("edge", "colour", "spot")
    )


def _follower(method: Method, start: Start, frame: Frame, ground: Ground | None) -> Follower | None:
    if method == "pattern":
        if not math.isfinite(held := held_to(frame, start.box)) or held > start.box.size:
            return None
        return PatternFollower.start(frame.grey, start.box, frame.t, start.point, ground)
    if method == "edge":
        return OutlineFollower.start(frame.grey, start.box, frame.t, start.point)
    if method == "colour":
        weigh = colour_weights(frame.colour(), start.box)
        picture = frame.colour()
    else:
        weigh, picture = spot_weights(frame.grey, start.box), frame.grey
    if weigh is None:
        return None
    return CentroidFollower.start(picture, start.box, frame.t, weigh, start.point)


def _require_box(start: Start, frame: Frame) -> None:
    box = start.box
    height, width = frame.grey.shape
    numbers = (box.x, box.y, box.width, box.height)
    if not all(math.isfinite(v) for v in numbers) or min(box.width, box.height) < SMALLEST_PX:
        raise FollowingError(say("following.box-too-small", name=start.name, least=int(SMALLEST_PX)))
    if max(box.width, box.height) > max(width, height) or box.size > LARGEST_PX:
        raise FollowingError(say("following.box-too-large", name=start.name))
    x, y = box.centre
    if not (-0.5 <= x <= width - 0.5 and -0.5 <= y <= height - 0.5):
        raise FollowingError(say("following.box-outside", name=start.name, width=width, height=height))
