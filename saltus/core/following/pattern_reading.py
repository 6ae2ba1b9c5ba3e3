"""A patch as it is read in one picture after the other, and what is learnt of it on the way."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from statistics import median
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import Alignment, align
from saltus.core.following.averaging import MOVED_PX, Crop
from saltus.core.following.judgement import MOST_ALIKE, WEAK_ALIKE, Usual, judged
from saltus.core.following.looking import Look, Other, to_be_seen
from saltus.core.following.over_ground import WANTED, OverGround
from saltus.core.following.patch import Patch, smoothed
from saltus.core.following.search import Spot, padded, region_about
from saltus.core.following.sighting import Sighting
from saltus.core.following.uncertainty import Quarters, Residuals, covariance

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.averaging import Averaging
    from saltus.core.following.sighting import Doubt, State
    from saltus.core.following.turning import Turning

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]

AS_USUAL = 0.05
"""A place that looks so much less alike than usual is looked at without the ground, too."""
SETTLING, WORSE = 20, 1.2
"""After so many pictures a turn is looked for only where residuals are so many times as large as usual."""
FIRST, UNLIKER = 5, 4.0
"""A turned place may be so many times as unlike as the first few on the way were."""
ROUND = 6
"""Pixels round a candidate that the refinement may use."""


@dataclass
class PatternReading:
    """Lays a patch over pictures near where it is said to be, judges what it finds, and learns.

    Attributes
    ----------
    patch : Patch
        What is looked for now; its mean over the first pictures, once they have been seen.
    lost_for : int
        Pictures since it was found last.
    count : int
        Pictures since the box was drawn.
    quarters : Quarters
        What the patch gets wrong as a whole.
    revised : dict of int to Sighting
        Earlier pictures that were read again with the settled patch, by their number from the start.
    u_patch : (2, 2) ndarray
        Covariance of what all places of this patch have in common, px²: of the place in the picture its box
        was drawn in.
    over : OverGround or None
        Reads places again once the ground behind the body is known.
    drawn : (x, y)
        The point that is read, in the picture the box was drawn in, px.
    shift : (x, y)
        What all other places are to be moved by in the end, px: only later can the picture the box was drawn
        in be read as they are.
    strayed : float
        How far from where it was drawn it was while its patch was learnt, px.
    bent : list of Crop
        The pictures in a row in which it seems turned so far.
    """

    patch: Patch
    turning: Turning
    lost_for: int = 0
    noise: float = 2.0
    count: int = 0
    residuals: Residuals = field(default_factory=Residuals)
    quarters: Quarters = field(default_factory=Quarters)
    likenesses: deque[float] = field(default_factory=lambda: deque(maxlen=60))
    first_alike: list[float] = field(default_factory=list)
    gains: deque[float] = field(default_factory=lambda: deque(maxlen=30))
    averaging: Averaging | None = None
    revised: dict[int, Sighting] = field(default_factory=dict)
    u_patch: Array = field(default_factory=lambda: np.zeros((2, 2)))
    squares: deque[float] = field(default_factory=lambda: deque(maxlen=120))
    over: OverGround | None = None
    drawn: tuple[float, float] = (0.0, 0.0)
    shift: tuple[float, float] = (0.0, 0.0)
    strayed: float = 0.0
    bent: list[Crop] = field(default_factory=list)

    @property
    def typical(self) -> float:
        """Likeness of what was found lately."""
        return median(self.likenesses) if len(self.likenesses) >= 3 else 0.95

    def judged_at(
        self, picture: Picture, spot: Spot, second: Spot | None, others: tuple[Other, ...], *, jump: bool
    ) -> Look:
        """Lay the patch about a spot and judge what lies there; ``jump``: it was looked for off its way."""
        found, covered, laid, over = self.refined(picture, spot, others)
        if found is None:
            return Look("lost", ("likeness",))
        state, doubts = self.state_of(picture, found, (spot, second), covered=covered, jump=jump)
        return Look(state, doubts, found, second, laid, over)

    def state_of(
        self,
        picture: Picture,
        found: Alignment,
        spots: tuple[Spot, Spot | None],
        *,
        covered: bool,
        jump: bool,
    ) -> tuple[State, tuple[Doubt, ...]]:
        """Judge what lies at the best of two spots; ``covered``: a known body stands in front of it."""
        best, second = spots
        height, width = picture.shape
        usual = Usual(self.typical, self._gain(), self.lost_for, jump, covered, self._least_turned())
        lead = best.likeness - (second.likeness if second is not None else -1.0)
        x, y = found.x + self.patch.point[0], found.y + self.patch.point[1]
        inside = -0.5 <= x <= width - 0.5 and -0.5 <= y <= height - 0.5
        return judged(found, lead, usual, in_picture=inside)

    def _least_turned(self) -> float:
        """How alike a turned place must look: a small patch that is turned to suit the ground slides off.

        What is usual slides with it, so that the first places are the measure.
        """
        if not self.turning.on or len(self.first_alike) < FIRST:
            return 0.0
        return min(1 - UNLIKER * (1 - median(self.first_alike)), MOST_ALIKE)

    def _gain(self) -> float:
        return median(self.gains) if self.gains else 1.0

    def refined(
        self, picture: Picture, spot: Spot, others: tuple[Other, ...]
    ) -> tuple[Alignment | None, bool, tuple[Patch, Array] | None, bool]:
        """Lay the patch about a spot.

        Returns
        -------
        found : Alignment or None
        covered : bool
            Whether a known body stands in front of it.
        laid : tuple or None
            The patch and its turn, where it turns.
        over : bool
            Whether it was laid over the ground behind it.
        """
        h, w = self.patch.shape
        left, top = round(spot.x) - ROUND, round(spot.y) - ROUND
        region = smoothed(padded(picture, left, top, w + 2 * ROUND, h + 2 * ROUND))
        seen, covered = to_be_seen(region.shape, (left, top), picture.shape, others)
        over = None
        if self.over is not None and seen is None and not self.turning.on:
            over = self.over.laid(region, (left, top), (spot.x, spot.y), self.noise)
            if over is not None and over.likeness >= self.typical - AS_USUAL:
                return over, covered, None, True
        found = align(region, (left, top), self.patch, (spot.x, spot.y), self.noise, seen)
        if over is not None and (found is None or over.likeness > found.likeness):
            return over, covered, None, True
        if found is None or not self.turning.on or found.likeness < WEAK_ALIKE:
            return found, covered, None, False
        found, patch, matrix = self.turning.refined(region, (left, top), self.patch, found, self.noise, seen)
        return found, covered, (patch, matrix), False

    def read_over_ground(self, picture: Picture, look: Look) -> Sighting:
        """Read a place that was found again, over the ground behind it; while that is not known it waits."""
        found, over = look.found, self.over
        assert found is not None
        if over is None or self.turning.on:
            return self.sighting(look)
        if look.over:
            over.read.add(self.count)
            over.residuals.add(found)
            if over.settled:
                return self.sighting(look)
        over.add(picture, self.count, self.patch, found)
        if self.averaging is None and over.due and over.make(self.patch, self.noise, WANTED):
            self.read_again()
        return self.revised.pop(self.count, None) or self.sighting(look)

    def read_again(self) -> None:
        """Read what waits again; what was drawn tells where the point lies."""
        over = self.over
        assert over is not None
        again_read = over.reread(self.noise)
        self.quarters = Quarters()
        for again in again_read.values():
            over.residuals.add(again)
        for index, again in again_read.items():
            if index:
                self.revised[index] = self.sighting(Look("found", (), again, over=True))
            else:
                # the point lies where it was drawn: what was read elsewhere is moved with it
                (px, py), (ox, oy) = self.patch.point, over.offset
                self.shift = self.drawn[0] - (again.x + px - ox), self.drawn[1] - (again.y + py - oy)
                self.u_patch = covariance(again, over.residuals.correlation())

    def learn(self, picture: Picture, found: Alignment, *, over: bool) -> None:
        """Take in a picture in which it was found; ``over``: over the ground behind it."""
        self.likenesses.append(found.likeness)
        (x0, y0), (px, py) = self.drawn, self.patch.point
        off = math.hypot(found.x + px - x0, found.y + py - y0)
        # at rest all pictures are one, and look it
        if len(self.first_alike) < FIRST and off > MOVED_PX:
            self.first_alike.append(found.likeness)
        self.gains.append(found.gain)
        if not over:
            self.residuals.add(found)
        some = np.abs(found.residuals.ravel()[::3])
        spread = 1.4826 * float(np.partition(some, len(some) // 2)[len(some) // 2])
        self.noise += 0.1 * (max(spread, 0.3) - self.noise)
        if self.averaging is not None and self.averaging.wants(found):
            self.averaging.add(picture, self.count, self.patch, found)
            self.strayed = max(self.strayed, off)
        if not self.turning.on:
            self._look_for_a_turn(picture, found)
        if self.averaging is None:
            return
        if self.averaging.full:
            self._settle_patch()
        elif self.averaging.due:
            self.patch = self.averaging.mean(self.patch)

    def _look_for_a_turn(self, picture: Picture, found: Alignment) -> None:
        """Begin to turn the patch once pictures in a row show a turn; those are read again, turned."""
        turning = self.turning
        turns = self._misses(found) and turning.test(
            found, self.patch, self.noise, self.residuals.correlation()
        )
        if turning.streak <= 1:
            self.bent.clear()
        if turning.streak:
            place = found.x, found.y
            self.bent.append(Crop(self.count, *region_about(picture, self.patch.shape, place), place))
        if turns:
            self._begin_to_turn()

    def _misses(self, found: Alignment) -> bool:
        """Whether the patch fits worse than it did: only then a turn is worth looking for."""
        square = found.mean_square
        usual = median(self.squares) if len(self.squares) >= SETTLING else 0.0
        self.squares.append(square)
        return square > WORSE * usual

    def _begin_to_turn(self) -> None:
        """Take the patch as it was drawn, and read what was seen so far again, turned as it was."""
        averaging, self.averaging = self.averaging, None
        self.patch = self.turning.master
        seen = {crop.index: crop for crop in self.bent}
        seen.update((crop.index, crop) for crop in (averaging.crops[1:] if averaging is not None else ()))
        for _index, crop in sorted(seen.items()):
            found = align(crop.region, crop.corner, self.patch, crop.place, self.noise)
            if found is None:
                continue
            found, self.patch, self.turning.matrix = self.turning.refined(
                crop.region, crop.corner, self.patch, found, self.noise
            )
            self.revised[crop.index] = self.sighting(Look("found", (), found))
            # one picture made the patch: it is as unsure as a place in one picture
            self.u_patch = covariance(found, self.residuals.correlation())
        self.likenesses.clear()

    def settle(self) -> None:
        """Finish what is learnt: the patch, what lies behind the body, and the pictures read before that."""
        self._settle_patch()
        if self.over is None or self.turning.on:
            return
        if self.over.settled or self.over.make(self.patch, self.noise) or self.over.body is not None:
            self.over.settled = True
            self.read_again()

    def _settle_patch(self) -> None:
        """Make the patch what it stays, and read the first pictures again with it."""
        averaging, self.averaging = self.averaging, None
        if averaging is None or len(averaging.crops) < 2:
            return
        drawn = averaging.crops[0].place
        before = self.patch
        self.patch, found = averaging.settled(self.patch, self.noise)
        if 0 not in found:
            self.patch = before
            return
        # the point stays where it was typed in the picture the box was drawn in
        moved = (drawn[0] - found[0].x, drawn[1] - found[0].y)
        point = (before.point[0] + moved[0], before.point[1] + moved[1])
        self.patch = replace(self.patch, point=point)
        self.u_patch = covariance(found[0], self.residuals.correlation())
        for index, again in found.items():
            if index:
                self.revised[index] = self.sighting(Look("found", (), again))

    def sighting(self, look: Look) -> Sighting:
        """Say of a look where the point that is read lies, and how sure that is."""
        found = look.found
        if found is None or look.state == "lost":
            return Sighting("lost", math.nan, math.nan, np.full((2, 2), math.nan), math.nan, look.doubts)
        (px, py), second = self.patch.point, look.second
        if look.over and self.over is not None:
            px, py = px - self.over.offset[0], py - self.over.offset[1]
        next_best = None if second is None else (second.x + px, second.y + py, second.likeness)
        residuals = self.over.residuals if look.over and self.over is not None else self.residuals
        spread = covariance(found, residuals.correlation())
        if (
            look.state == "found"
            and not look.smeared
            and (look.over or self.over is None or self.over.body is None)
        ):
            self.quarters.add(found, spread)
        angle = (self.turning.angle, self.turning.u_angle) if self.turning.on else (math.nan, math.nan)
        return Sighting(
            look.state, found.x + px, found.y + py, spread, found.likeness, look.doubts, *angle, next_best
        )
