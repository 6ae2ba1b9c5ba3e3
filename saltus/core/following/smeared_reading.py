"""A patch as it is read in pictures in which the body is smeared by its motion."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from saltus.core.following.alignment import FARTHEST_PX, Alignment, align
from saltus.core.following.looking import Doubted, Look, Other, to_be_seen
from saltus.core.following.patch import smoothed
from saltus.core.following.pattern_reading import ROUND, PatternReading
from saltus.core.following.search import Spot, padded, search
from saltus.core.following.smear import LONGEST, OF_SIZE, Exposure, drawn_out, over_level, rim_for
from saltus.core.following.spline import RIM

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch
    from saltus.core.following.prediction import Way
    from saltus.core.following.sighting import Sighting

    Picture = NDArray[np.uint8]
    Vector = tuple[float, float]

LENGTHS = ((0.72, 1.0, 1.4), (0.88, 1.0, 1.14))
"""Times the length of a smear that are laid over a picture, round by round: the best lies between them."""
KNOWN_SHARE = 0.4
"""Of the ground so much must be known: a body thrown from rest has left ground nobody saw."""
MID_GREY = 128.0
MOST_UNLIKE = 0.2
"""Share of a smeared body that may look otherwise: along its way it is placed by its ends alone."""
MOST_EARLY, AGAIN_PX = 12, 8.0
"""So many pictures are read again, so far to each side."""
TURNED = (0.0, -0.35, 0.35, -0.8, 0.8)
"""After a loss it may go another way, rad."""
LESS_LEFT = 0.7
"""A smear explains so much that it leaves no more than this part unlike."""
FARTHER = 0.15
"""Along a smear the search is off by so much of it."""
STOOD_PX = 1.0
MOVED_OF_SIZE = 0.1
"""A way of so many sizes says better than what was looked for which way the smear goes."""
COVERED, UNLIKE = 0.05, 0.2
"""A body that is about to be hidden, and so much less like it than usual however it is drawn out, is hidden:
while no exposure is known it is not worth finding out how long a smear would suit it."""


class _Seen(NamedTuple):
    """A part of a picture about a spot: smoothed, where it begins, what lies behind, what is to be seen."""

    region: Image
    corner: tuple[int, int]
    ground: Image
    seen: Image | None
    covered: bool


class _InFront(NamedTuple):
    """A part of a picture to search in, and where and how far to look in it, px."""

    part: Picture
    corner: tuple[int, int]
    middle: Vector
    reach: float
    less_ground: bool

    def search(self, body: Patch, level: float, rim: tuple[int, int]) -> tuple[Spot | None, Spot | None]:
        """The best place of the first pixel without the rim, and the next best, px of the picture."""
        seen = body.plain
        if seen is None or not self.part.size:
            return None, None
        wanted = 0.5 * (seen.inner - np.float32(level)) if self.less_ground else seen.inner
        (x, y), (rx, ry) = self.middle, rim
        found = search(self.part, np.ascontiguousarray(wanted), (x - rx, y - ry), (self.reach, self.reach))
        best, second = (
            None if s is None else Spot(s.x + rx + self.corner[0], s.y + ry + self.corner[1], s.likeness)
            for s in found
        )
        return best, second


@dataclass
class _Early:
    """A picture read while little was known of the exposure and of the ground: it is read again."""

    number: int
    picture: Picture
    t: float
    place: Vector
    before: tuple[float, float, float]
    velocity: Vector
    sure: bool = False

    def velocity_before(self, after: _Early | None) -> Vector:
        """How fast it went, px/s, where the picture after it is known from that, too."""
        if after is None:
            return self.velocity
        t, x, y = self.before
        return (after.place[0] - x) / (after.t - t), (after.place[1] - y) / (after.t - t)


@dataclass
class SmearedReading(PatternReading):
    """Looks for the patch drawn out along its way, see :mod:`saltus.core.following.smear`.

    Attributes
    ----------
    exposure : Exposure
    smear : (x, y)
        How far it was smeared in the last picture it was looked for in as smeared, px.
    early : list
        Pictures that are read again once the exposure and the ground it stood on are known.
    covered : float
        How much of it was hidden last, 0 to 1.
    doubt : Doubted or None
        While it is doubted where the body is.
    """

    exposure: Exposure = field(default_factory=Exposure)
    smear: Vector = (0.0, 0.0)
    early: list[_Early] = field(default_factory=list)
    covered: float = 0.0
    doubt: Doubted | None = None

    @property
    def stood(self) -> bool:
        """Whether it hardly moved while its patch was learnt."""
        return self.strayed < STOOD_PX

    def is_smeared(self, velocity: Vector) -> bool:
        """Whether it is known to be smeared.

        Parameters
        ----------
        velocity : (x, y)
            px/s
        """
        return math.hypot(*self.exposure.smear(velocity)) > OF_SIZE * self.patch.size

    def is_better_smeared(self, picture: Picture, found: Alignment, went: Vector) -> bool:
        """Whether a body looks more like itself drawn out along its way.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        found : Alignment
            As it is.
        went : (x, y)
            Its way since the picture before, px.
        """
        spot, smear = Spot(found.x, found.y, found.likeness), (went[0] / 2, went[1] / 2)
        drawn, *_rest = self._drawn_out(picture, self._over_ground(), spot, smear, ())
        return drawn is not None and 1 - drawn.likeness < LESS_LEFT * (1 - found.likeness)

    def smeared_look(
        self, picture: Picture, t: float, way: Way, ahead: tuple[Vector, float], others: tuple[Other, ...], *,
        velocity: Vector, jump: bool,
    ) -> Look:  # fmt: skip
        """Look for the body as it is smeared by its motion.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        t : float
            s
        way : Way
            Its places so far.
        ahead : ((x, y), float)
            Where it is expected, and how far to each side it is looked for, px.
        velocity : (x, y)
            px/s, as expected.
        others : tuple of Other
        jump : bool
            Whether it is looked for off its way.
        """
        (x0, y0), dt = way.last, t - way.last_time
        body, level = self._over_ground()
        best: tuple[Spot, Spot | None, Vector] | None = None
        there = self._in_front(picture, *ahead)
        for smear in self.exposure.tried(velocity, dt, self.patch.size, TURNED if self.lost_for else (0.0,)):
            spot, second = there.search(drawn_out(body, level, smear, rim_for(smear)), level, rim_for(smear))
            if spot is not None and (best is None or spot.likeness > best[0].likeness):
                best = spot, second, smear
        if best is None:
            return Look("lost", ("edge",))
        spot, second, smear = best
        if not self.exposure.sure and self.covered > COVERED and spot.likeness < self.typical - UNLIKE:
            return Look("lost", ("hidden",))
        moved = spot.x - x0, spot.y - y0
        if self.lost_for <= 1 and math.hypot(*moved) > MOVED_OF_SIZE * self.patch.size:
            smear = _along(moved, math.hypot(*smear))
        look, smear = self._judged(picture, (body, level), (spot, second, smear), others, jump=jump)
        if look.found is not None:
            self.smear = smear
        if look.state == "found" and look.found is not None:
            x, y, (vx, vy) = look.found.x, look.found.y, way.velocity()
            vx, vy = 1.5 * (x - x0) / dt - 0.5 * vx, 1.5 * (y - y0) / dt - 0.5 * vy
            if not (self.exposure.sure and self._ground_told) and len(self.early) < MOST_EARLY:
                at = (way.last_time, x0, y0)
                self.early.append(_Early(self.count, picture.copy(), t, (x, y), at, (vx, vy)))
            self.exposure.add(math.hypot(*smear), math.hypot(vx, vy), dt)
        return look

    def _judged(
        self, picture: Picture, body: tuple[Patch, float], seen: tuple[Spot, Spot | None, Vector],
        others: tuple[Other, ...], *, jump: bool,
    ) -> tuple[Look, Vector]:  # fmt: skip
        """Lay the body over a spot where it may be so smeared, and judge it; its smear comes of it."""
        spot, second, smear = seen
        found, smear, covered = self._drawn_out(picture, body, spot, smear, others)
        if found is None:
            return Look("lost", ("likeness",)), smear
        state, doubts = self.state_of(picture, found, (spot, second), covered=covered, jump=jump)
        if state == "found" and found.hidden > MOST_UNLIKE:
            state, doubts = "weak", ("hidden",)
        over = self.over is not None and self.over.body is not None
        return Look(state, doubts, found, second, None, over, smeared=True), smear

    def smeared_sighting(self, look: Look) -> Sighting:
        """Say of a smeared body where it is; it is doubted until the exposure is known."""
        if look.state != "found" or look.found is None:
            return self.sighting(look)
        for one in self.early:
            one.sure = one.sure or one.number == self.count
        self.read_early_again()
        if self.count in self.revised or self.exposure.sure:
            return self.revised.pop(self.count, None) or self.sighting(look)
        return self.sighting(replace(look, state="weak", doubts=("smeared",)))

    def settle(self) -> None:
        """Finish what is learnt; see :meth:`PatternReading.settle`."""
        super().settle()
        self.read_early_again(end=True)

    def read_early_again(self, *, end: bool = False) -> None:
        """Read the first smeared pictures again once enough is known; ``end``: no more will be."""
        if not self.exposure.sure or not (end or self._ground_told):
            return
        trial = {number for number, _look in self.doubt.looks} if self.doubt is not None else set()
        if not end:
            # the next place tells how fast it went
            trial.add(self.count)
        known = {one.number: one for one in self.early if one.sure or one.number in self.revised}
        self.early = [one for one in self.early if one.number in trial]
        body, level = self._over_ground()
        for one in known.values():
            if one.number in trial:
                continue
            smear = self.exposure.smear(one.velocity_before(known.get(one.number + 1)))
            rim = rim_for(smear)
            there = self._in_front(one.picture, one.place, AGAIN_PX)
            spot, second = there.search(drawn_out(body, level, smear, rim), level, rim)
            if spot is None:
                continue
            look, _smear = self._judged(one.picture, (body, level), (spot, second, smear), (), jump=False)
            if look.state == "found":
                self.revised[one.number] = self.sighting(look)

    @property
    def _ground_told(self) -> bool:
        """Whether no more of what lay behind the body will become known that is used here."""
        over = self.over
        return over is None or over.body is not None or not self.stood or self._behind_at_rest() is not None

    def _behind_at_rest(self) -> Image | None:
        """What lay behind the body where it was drawn, once it has left; None before."""
        left, top = (round(d - p) - RIM for d, p in zip(self.drawn, self.patch.point, strict=True))
        return self.over.known_behind((left, top), self.patch.values.shape) if self.over is not None else None

    def _over_ground(self) -> tuple[Patch, float]:
        """The body over the ground behind it, as far as that is known, and the level of the ground."""
        over = self.over
        if over is None:
            return over_level(self.patch)
        if over.body is not None:
            return over_level(over.body)
        return over_level(self.patch, self._behind_at_rest() if self.stood else None)

    def _in_front(self, picture: Picture, middle: Vector, reach: float) -> _InFront:
        """The picture about a place, less what lies behind where that is known."""
        around = math.ceil(reach + LONGEST * self.patch.size)
        left, top = max(math.floor(middle[0]) - around, 0), max(math.floor(middle[1]) - around, 0)
        right, bottom = math.ceil(middle[0]) + around, math.ceil(middle[1]) + around
        part = picture[top : max(bottom, top), left : max(right, left)]
        place = middle[0] - left, middle[1] - top
        behind = None
        if self.over is not None and part.size:
            behind = self.over.known_behind((left, top), part.shape, KNOWN_SHARE)
        if behind is None:
            return _InFront(part, (left, top), place, reach, less_ground=False)
        apart = np.clip(MID_GREY + 0.5 * (part - behind), 0, 255).astype(np.uint8)
        return _InFront(apart, (left, top), place, reach, less_ground=True)

    def _drawn_out(
        self,
        picture: Picture,
        body: tuple[Patch, float],
        spot: Spot,
        smear: Vector,
        others: tuple[Other, ...],
    ) -> tuple[Alignment | None, Vector, bool]:
        """Lay the body over a picture as it is smeared there; how long the smear is comes of it, too."""
        length, along = math.hypot(*smear), _along(smear, 1.0)
        longest = LENGTHS[0][-1] * LENGTHS[1][-1] * length
        rim = rim_for((along[0] * longest, along[1] * longest))
        there = self._seen(picture, body[0].shape, spot, rim, body[1], others)
        start = spot.x - rim[0], spot.y - rim[1]

        def laid(of: float, start: Vector) -> Alignment | None:
            patch = drawn_out(*body, (along[0] * of, along[1] * of), rim)
            far = FARTHEST_PX + FARTHER * of
            return align(there.region, there.corner, patch, start, self.noise, there.seen, there.ground, far)

        found: Alignment | None = None
        for lengths in LENGTHS[1:] if self.exposure.sure else LENGTHS:
            tries = [(length * f, laid(length * f, start)) for f in lengths]
            length = _best(tries, length)
            found = laid(length, start)
            if found is None:
                return None, smear, there.covered
            start = found.x, found.y
        assert found is not None
        found = replace(found, x=found.x + rim[0], y=found.y + rim[1])
        return found, (along[0] * length, along[1] * length), there.covered

    def _seen(
        self, picture: Picture, shape: tuple[int, int], spot: Spot, rim: tuple[int, int], level: float,
        others: tuple[Other, ...],
    ) -> _Seen:  # fmt: skip
        left, top = (round(c) - r - ROUND for c, r in zip((spot.x, spot.y), rim, strict=True))
        width, height = (n + 2 * r + 2 * ROUND for n, r in zip(shape[::-1], rim, strict=True))
        region = smoothed(padded(picture, left, top, width, height))
        seen, covered = to_be_seen(region.shape, (left, top), picture.shape, others)
        ground = None
        if self.over is not None:
            ground = self.over.known_behind((left, top), region.shape, KNOWN_SHARE)
        if ground is None:
            ground = np.full(region.shape, level, dtype=np.float32)
        return _Seen(region, (left, top), ground, seen, covered)


def _along(way: Vector, length: float) -> Vector:
    """A way of another length."""
    size = math.hypot(*way) or 1.0
    return way[0] / size * length, way[1] / size * length


def _best(tries: list[tuple[float, Alignment | None]], usual: float) -> float:
    """The length of which least is left: where a parabola through three of them is lowest, within them."""
    left = [(math.log(of), found.mean_square) for of, found in tries if found is not None]
    if len(left) < len(tries):
        return math.exp(min(left, key=lambda pair: pair[1])[0]) if left else usual
    (a, ya), (b, yb), (c, yc) = left
    bend = (yc - yb) / (c - b) - (yb - ya) / (b - a)
    if bend <= 0:
        return math.exp(min(left, key=lambda pair: pair[1])[0])
    lowest = 0.5 * (a + b) - 0.5 * (yb - ya) / (b - a) * (c - a) / bend
    return math.exp(min(max(lowest, a), c))
