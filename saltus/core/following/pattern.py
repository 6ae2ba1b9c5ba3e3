"""Following by pattern: the marks of a body are found again, whatever its brightness does."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import Alignment, align
from saltus.core.following.averaging import Averaging
from saltus.core.following.judgement import LEAD, LEAD_AFTER_JUMP, WEAK_ALIKE, Usual, judged
from saltus.core.following.looking import Doubted, Look, Other, apart, better, noise_of, to_be_seen
from saltus.core.following.over_ground import WANTED, OverGround
from saltus.core.following.patch import Box, Patch, cut, smoothed
from saltus.core.following.prediction import Predicted, Way
from saltus.core.following.search import Spot, padded, search
from saltus.core.following.sighting import Sighting
from saltus.core.following.turning import Turning
from saltus.core.following.uncertainty import Residuals, covariance

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.ground import Ground

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]

FAR_EVERY = 4
"""After a loss the neighbourhood is looked at in every picture, the whole picture in every fourth."""
AS_USUAL = 0.05
"""A place that looks so much less alike than usual is looked at without the ground, too."""
JUMP_PX, JUMP_OF_SIZE = 2.5, 0.05
"""A place so far off its way, and so many of its sizes, is a jump: a bounce, or another body."""
LITTLE_HIDDEN = 0.10
"""A body that was hidden more than so before cannot have jumped: it is behind something."""
CONFIRMED_BY = 3
"""So many pictures in a row must show it again before it is found again."""
UNIQUE_BY, UNIQUE_OF_SIZE = 20, 1.2
"""What goes another way than before is it only if nothing like it is anywhere else, once it was seen in so
many pictures or is so many sizes away from where it would be: until then the other may hide it."""
STRAYS_OF_SIZE = 0.03
"""In each picture in which it is not seen it may leave its way by so many of its sizes."""
SETTLING, WORSE = 20, 1.2
"""After so many pictures a turn is looked for only where residuals are so many times as large as usual."""
ROUND = 6
"""Pixels round a candidate that the refinement may use."""


@dataclass
class PatternFollower:
    """Finds a patch again in picture after picture.

    Attributes
    ----------
    patch : Patch
        What is looked for now; its mean over the first pictures, once they have been seen.
    way : Way
        The last places of its first pixel.
    lost_for : int
        Pictures since it was found last.
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
        What all other places are to be moved by in the end, px: the picture the box was drawn in can be read as
        they are only later.
    """

    patch: Patch
    turning: Turning
    way: Way = field(default_factory=Way)
    lost_for: int = 0
    noise: float = 2.0
    count: int = 0
    residuals: Residuals = field(default_factory=Residuals)
    likenesses: deque[float] = field(default_factory=lambda: deque(maxlen=60))
    gains: deque[float] = field(default_factory=lambda: deque(maxlen=30))
    averaging: Averaging | None = None
    revised: dict[int, Sighting] = field(default_factory=dict)
    u_patch: Array = field(default_factory=lambda: np.zeros((2, 2)))
    squares: deque[float] = field(default_factory=lambda: deque(maxlen=120))
    doubt: Doubted | None = None
    covered: float = 0.0
    over: OverGround | None = None
    drawn: tuple[float, float] = (0.0, 0.0)
    shift: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def start(
        cls, picture: Picture, box: Box, t: float, point: tuple[float, float] | None = None,
        ground: Ground | None = None,
    ) -> PatternFollower:  # fmt: skip
        """Begin with a box in a picture; the place in it is typed, not found.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        box : Box
        t : float
            Time of the picture, s.
        point : (x, y), optional
            The point that is read; the centre of the box by default.
        ground : Ground, optional
            What lies behind, as it becomes known.
        """
        patch, left, top = cut(picture, box, point)
        made = cls(patch, Turning(patch))
        made.drawn = left + patch.point[0], top + patch.point[1]
        made.way.add(t, left, top)
        made.noise = noise_of(padded(picture, left - 8, top - 8, patch.shape[1] + 16, patch.shape[0] + 16))
        made.u_patch = min(patch.found_to(max(made.noise, 0.5)), patch.size) ** 2 * np.eye(2)
        made.averaging = Averaging()
        made.averaging.add(picture, 0, patch, (left, top))
        if ground is not None:
            made.over = OverGround(ground, box)
            drawn, *_rest = made._refined(picture, Spot(left, top, 1.0), ())
            if drawn is not None:
                made.over.add(picture, 0, patch, drawn)
        return made

    @property
    def typical(self) -> float:
        """Likeness of what was found lately."""
        return float(np.median(self.likenesses)) if len(self.likenesses) >= 3 else 0.95

    def step(self, picture: Picture, t: float, others: tuple[Other, ...] = ()) -> Sighting:
        """Look for it in the next picture.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        t : float
            Its time, s.
        others : tuple of Other
            Bodies that may stand in front of it.
        """
        self.count += 1
        look = (
            self._while_sure(picture, t, others) if self.doubt is None else self._in_doubt(picture, t, others)
        )
        self.lost_for = 0 if look.state == "found" else self.lost_for + 1
        if look.state == "found" and look.found is not None:
            if look.laid is not None:
                self.patch, self.turning.matrix = look.laid
            sighting = self._over_ground(picture, look)
            self._learn(picture, look.found, over=look.over)
            return sighting
        return self._sighting(look)

    def _over_ground(self, picture: Picture, look: Look) -> Sighting:
        """Read a place that was found again, over the ground behind it; while that is not known it waits."""
        found, over = look.found, self.over
        assert found is not None
        if over is None or self.turning.on:
            return self._sighting(look)
        if look.over:
            over.read.add(self.count)
            over.residuals.add(found)
            if over.settled:
                return self._sighting(look)
        over.add(picture, self.count, self.patch, found)
        if self.averaging is None and over.due and over.make(self.patch, self.noise, WANTED):
            self._read_again()
        return self.revised.pop(self.count, None) or self._sighting(look)

    def _read_again(self) -> None:
        """Read what waits again; what was drawn tells where the point lies."""
        over = self.over
        assert over is not None
        again_read = over.reread(self.noise)
        for again in again_read.values():
            over.residuals.add(again)
        for index, again in again_read.items():
            if index:
                self.revised[index] = self._sighting(Look("found", (), again, over=True))
            else:
                # the point lies where it was drawn: what was read elsewhere is moved with it
                (px, py), (ox, oy) = self.patch.point, over.offset
                self.shift = self.drawn[0] - (again.x + px - ox), self.drawn[1] - (again.y + py - oy)
                self.u_patch = covariance(again, over.residuals.correlation())

    def _while_sure(self, picture: Picture, t: float, others: tuple[Other, ...]) -> Look:
        expected = self.way.ahead(t)
        size, middle = self.patch.size, (expected.x, expected.y)
        near = 5 + 0.3 * size + 0.25 * expected.step + 2 * expected.bend
        look = self._look(picture, middle, near, others)
        if look.state == "found" and look.found is not None:
            if apart(look.found, expected) <= JUMP_PX + JUMP_OF_SIZE * size + 2 * expected.bend:
                self.way.add(t, look.found.x, look.found.y)
                self.covered = look.found.hidden
                return look
            # off its way: another, while it hides behind it? then what is left of it is still there
            there = self._judged(picture, Spot(*middle, 1.0), None, others, jump=False)
            if there.found is not None and there.state != "lost" and apart(there.found, expected) < JUMP_PX:
                look = there
            elif self.covered > LITTLE_HIDDEN:
                look = Look("lost", ("jump",))
            else:
                look = self._jumped(picture, t, others)
        elif self.covered <= LITTLE_HIDDEN:
            again = self._jumped(picture, t, others)
            look = again if again.state == "found" else look
        if look.state == "found" and look.found is not None:
            self.way.add(t, look.found.x, look.found.y)
            self.covered = look.found.hidden
            return look
        self.doubt = Doubted(self.way.velocity())
        self._lead_on(look, t, expected)
        return look

    def _jumped(self, picture: Picture, t: float, others: tuple[Other, ...]) -> Look:
        """Look farther round the last place, as after a bounce or a throw: it must be unmistakable."""
        expected = self.way.ahead(t)
        reach = 1.6 * self.patch.size + 2.4 * expected.step + 10
        return self._look(picture, self.way.last, reach, others, jump=True)

    def _lead_on(self, look: Look, t: float, expected: Predicted) -> None:
        """A part of it seen on its way leads the way on."""
        on_way = look.found is not None and apart(look.found, expected) <= JUMP_PX + 2 * expected.bend
        if look.state == "weak" and look.found is not None and on_way:
            self.way.add(t, look.found.x, look.found.y)
            self.covered = look.found.hidden
            if self.doubt is not None:
                self.doubt.velocity = self.way.velocity()

    def _in_doubt(self, picture: Picture, t: float, others: tuple[Other, ...]) -> Look:
        doubt = self.doubt
        assert doubt is not None
        expected = (doubt.trial if len(doubt.trial) else self.way).ahead(t, far=True)
        size, middle = self.patch.size, (expected.x, expected.y)
        reach = 5 + 0.3 * size + 0.25 * expected.step + 0.15 * size * min(self.lost_for, 8)
        look = self._look(picture, middle, reach, others)
        if len(doubt.trial):
            # the one that goes on as it went is it, whatever was taken for it meanwhile
            on_way = self.way.ahead(t, far=True)
            if math.hypot(on_way.x - expected.x, on_way.y - expected.y) > self.patch.size / 2:
                again = self._look(picture, (on_way.x, on_way.y), 5 + 0.3 * size, others)
                if again.state == "found":
                    look, doubt.trial, doubt.looks = again, Way(), []
        if look.state == "lost" and self.lost_for % FAR_EVERY == 0:
            far = self._look(picture, middle, math.inf, others, jump=True)
            look = far if far.state == "found" else look
        if look.state != "found" or look.found is None:
            doubt.trial, doubt.looks = Way(), []
            self._lead_on(look, t, expected)
            return look
        if not len(doubt.trial) and not self._may_be_there(look.found, t):
            return Look("lost", ("jump",))
        doubt.trial.add(t, look.found.x, look.found.y)
        doubt.looks.append((self.count, look))
        if self._confirmed(doubt, picture, t, others):
            for number, earlier in doubt.looks[:-1]:
                self.revised[number] = self._sighting(earlier)
            self.way, self.doubt, self.covered = doubt.trial, None, look.found.hidden
            return look
        return Look("weak", ("after-loss",), look.found, look.second)

    def _may_be_there(self, found: Alignment, t: float) -> bool:
        """Whether it can have come so far from its way since it was seen."""
        allowed = JUMP_PX + (JUMP_OF_SIZE + STRAYS_OF_SIZE * self.lost_for) * self.patch.size
        return self.way.distance_to_line(found.x, found.y, t) <= allowed

    def _confirmed(self, doubt: Doubted, picture: Picture, t: float, others: tuple[Other, ...]) -> bool:
        """Whether what was seen again is it: it goes on as it went, or nothing like it is anywhere else."""
        if len(doubt.trial) < CONFIRMED_BY:
            return False
        (vx, vy), (wx, wy) = doubt.trial.velocity(), doubt.velocity
        frame = max(abs(t - doubt.trial.before_last_time), 1e-9)
        off = math.hypot(vx - wx, vy - wy) * frame
        x, y = doubt.trial.last
        line = self.way.distance_to_line(x, y, t)
        strayed = line > 3 + 0.3 * self.patch.size
        if off <= 1.0 + 0.5 * math.hypot(wx, wy) * frame and not strayed:
            return True
        seen = len(doubt.looks)
        if (seen < UNIQUE_BY and line < UNIQUE_OF_SIZE * self.patch.size) or seen % FAR_EVERY:
            return False
        whole = self._look(picture, (x, y), math.inf, others, jump=True)
        there = whole.found
        if whole.state == "found" and there is not None and math.dist((there.x, there.y), (x, y)) < 2:
            return True
        if whole.second is not None and whole.second.likeness > self.typical - LEAD_AFTER_JUMP:
            # another just like it is somewhere: begin again with the one that is nearer to the way it went
            other = whole.second
            if self.way.distance_to_line(other.x, other.y, t) < line:
                doubt.trial, doubt.looks = Way(), []
                doubt.trial.add(t, other.x, other.y)
        return False

    def _look(
        self, picture: Picture, middle: tuple[float, float], reach: float, others: tuple[Other, ...], *,
        jump: bool = False,
    ) -> Look:  # fmt: skip
        far = not math.isfinite(reach)
        height, width = picture.shape
        sides = (float(width), float(height)) if far else (reach, reach)
        about = (width / 2, height / 2) if far else middle
        best, second = search(picture, self.patch.inner, about, sides)
        if best is None:
            return Look("lost", ("edge",))
        rival = second is not None and second.likeness > best.likeness - LEAD
        if rival and second is not None and self.doubt is not None and not far:
            # of two alike the one on its way
            best, second = sorted((best, second), key=lambda s: math.dist((s.x, s.y), middle))
        look = self._judged(picture, best, second, others, jump=jump)
        if look.state == "found" or jump:
            return look
        # what is partly hidden may look more alike elsewhere than where it is
        there = Spot(middle[0], middle[1], best.likeness)
        again = self._judged(picture, there, None, others, jump=jump)
        return again if better(again, look) else look

    def _judged(
        self, picture: Picture, spot: Spot, second: Spot | None, others: tuple[Other, ...], *, jump: bool
    ) -> Look:
        height, width = picture.shape
        found, covered, laid, over = self._refined(picture, spot, others)
        if found is None:
            return Look("lost", ("likeness",))
        usual = Usual(self.typical, self._gain(), self.lost_for, jump, covered)
        lead = spot.likeness - (second.likeness if second is not None else -1.0)
        x, y = found.x + self.patch.point[0], found.y + self.patch.point[1]
        inside = -0.5 <= x <= width - 0.5 and -0.5 <= y <= height - 0.5
        state, doubts = judged(found, lead, usual, in_picture=inside)
        return Look(state, doubts, found, second, laid, over)

    def _gain(self) -> float:
        return float(np.median(self.gains)) if self.gains else 1.0

    def _refined(
        self, picture: Picture, spot: Spot, others: tuple[Other, ...]
    ) -> tuple[Alignment | None, bool, tuple[Patch, Array] | None, bool]:
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

    def _learn(self, picture: Picture, found: Alignment, *, over: bool) -> None:
        self.likenesses.append(found.likeness)
        self.gains.append(found.gain)
        if not over:
            self.residuals.add(found)
        spread = 1.4826 * float(np.median(np.abs(found.residuals.ravel()[::3])))
        self.noise += 0.1 * (max(spread, 0.3) - self.noise)
        if self.averaging is not None and self.averaging.wants(found):
            self.averaging.add(picture, self.count, self.patch, found)
        if not self.turning.on and self._misses(found) and self._turns(found):
            self._begin_to_turn()
        if self.averaging is None:
            return
        if self.averaging.full:
            self._settle_patch()
        elif self.averaging.due:
            self.patch = self.averaging.mean(self.patch)

    def _turns(self, found: Alignment) -> bool:
        return self.turning.test(found, self.patch, self.noise, self.residuals.correlation())

    def _misses(self, found: Alignment) -> bool:
        """Whether the patch fits worse than it did: only then a turn is worth looking for."""
        total = float(found.weights.sum())
        square = float(np.sum(found.weights * found.residuals**2)) / total if total else 0.0
        usual = float(np.median(self.squares)) if len(self.squares) >= SETTLING else 0.0
        self.squares.append(square)
        return square > WORSE * usual

    def _begin_to_turn(self) -> None:
        """Take the patch as it was drawn, and read what was seen so far again, turned as it was."""
        averaging, self.averaging = self.averaging, None
        self.patch = self.turning.master
        for crop in averaging.crops[1:] if averaging is not None else ():
            found = align(crop.region, crop.corner, self.patch, crop.place, self.noise)
            if found is None:
                continue
            found, self.patch, self.turning.matrix = self.turning.refined(
                crop.region, crop.corner, self.patch, found, self.noise
            )
            self.revised[crop.index] = self._sighting(Look("found", (), found))
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
            self._read_again()

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
                self.revised[index] = self._sighting(Look("found", (), again))

    def _sighting(self, look: Look) -> Sighting:
        found = look.found
        if found is None or look.state == "lost":
            return Sighting("lost", math.nan, math.nan, np.full((2, 2), math.nan), math.nan, look.doubts)
        (px, py), second = self.patch.point, look.second
        if look.over and self.over is not None:
            px, py = px - self.over.offset[0], py - self.over.offset[1]
        next_best = None if second is None else (second.x + px, second.y + py, second.likeness)
        residuals = self.over.residuals if look.over and self.over is not None else self.residuals
        spread = covariance(found, residuals.correlation())
        angle = (self.turning.angle, self.turning.u_angle) if self.turning.on else (math.nan, math.nan)
        return Sighting(
            look.state, found.x + px, found.y + py, spread, found.likeness, look.doubts, *angle, next_best
        )
