"""Following several bodies at once through one pass over the pictures, and what comes of it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.centroid import CentroidFollower, colour_weights, spot_weights
from saltus.core.following.followed import Followed, Follower, Method, Seen, followed_of
from saltus.core.following.ground import Ground
from saltus.core.following.looking import Other, noise_of
from saltus.core.following.outline import OutlineFollower
from saltus.core.following.patch import SMALLEST_PX, Box, cut
from saltus.core.following.pattern import PatternFollower
from saltus.core.following.search import padded
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.following.sighting import Sighting

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

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

    ``passed``: its places before, px, in order; they say which way exposures in one picture go. ``renewed``:
    whether its patch is made anew when it turns or the light changes.
    """

    name: str
    box: Box
    method: Method = "auto"
    point: tuple[float, float] | None = None
    passed: tuple[tuple[float, float], ...] = ()
    renewed: bool = True


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

    @property
    def place(self) -> tuple[float, float]:
        """Of the point, in the picture the box was drawn in, px."""
        return self.start.point or self.start.box.centre


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
        self._ground.add(frame.grey, [_about(body, body.place) for body in self.bodies])

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
        run = Seen(self.frames, self.times, self._repeats)
        return [
            followed_of(b.start.name, b.method, b.place, b.follower, b.sightings, run) for b in self.bodies
        ]


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
    box, (px, py) = body.start.box, body.place
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
        return PatternFollower.start(
            frame.grey, start.box, frame.t, start.point, ground, renewed=start.renewed
        )
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
