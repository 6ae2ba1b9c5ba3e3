"""Following by pattern: the marks of a body are found again, whatever its brightness does."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.averaging import Averaging
from saltus.core.following.judgement import LEAD_AFTER_JUMP, MOST_HIDDEN
from saltus.core.following.looking import Doubted, Look, Other, apart, better, noise_of
from saltus.core.following.over_ground import OverGround
from saltus.core.following.patch import Box, cut
from saltus.core.following.prediction import Predicted, Way
from saltus.core.following.renewal import (
    Fading,
)
from saltus.core.following.search import Spot, padded
from saltus.core.following.searching_reading import SearchingReading
from saltus.core.following.smear import OF_SIZE
from saltus.core.following.turning import Turning

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.alignment import Alignment
    from saltus.core.following.ground import Ground
    from saltus.core.following.sighting import Sighting

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]

LITTLE_HIDDEN = 0.10
"""A body that was hidden more than so before cannot have jumped: it is behind something."""
FAR_EVERY = 4
"""After a loss the neighbourhood is looked at in every picture, the whole picture in every fourth."""
BLOW_OF_SIZE = 3.0
"""A body that is alone is looked for so many of its sizes away as soon as it is not on its way."""
JUMP_PX, JUMP_OF_SIZE = 2.5, 0.05
"""A place so far off its way, and so many of its sizes, is a jump: a bounce, or another body."""
CONFIRMED_BY = 3
"""So many pictures in a row must show it again before it is found again."""
UNIQUE_BY, UNIQUE_OF_SIZE = 20, 1.2
"""What goes another way than before is it only if nothing like it is anywhere else, once it was seen in so
many pictures or is so many sizes away from where it would be: until then the other may hide it."""
STRAYS_OF_SIZE = 0.03
"""In each picture in which it is not seen it may leave its way by so many of its sizes."""


@dataclass
class PatternFollower(SearchingReading):
    """Finds a patch again in picture after picture, see :class:`SearchingReading`.

    Attributes
    ----------
    way : Way
        The last places of its first pixel.
    alone : bool
        Whether nothing else looked like it at the start.
    """

    way: Way = field(default_factory=Way)
    alone: bool = False

    @classmethod
    def start(
        cls, picture: Picture, box: Box, t: float, point: tuple[float, float] | None = None,
        ground: Ground | None = None, *, renewed: bool = True,
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
        made = cls(patch, Turning(patch), box=box, fading=Fading() if renewed else None)
        made.drawn = left + patch.point[0], top + patch.point[1]
        made.way.add(t, left, top)
        made.noise = noise_of(padded(picture, left - 8, top - 8, patch.shape[1] + 16, patch.shape[0] + 16))
        made.u_patch = min(patch.found_to(max(made.noise, 0.5)), patch.size) ** 2 * np.eye(2)
        made.averaging = Averaging()
        made.averaging.add(picture, 0, patch, (left, top))
        if ground is not None:
            made.over = OverGround(ground, box)
            drawn, *_rest = made.refined(picture, Spot(left, top, 1.0), ())
            if drawn is not None:
                made.over.add(picture, 0, patch, drawn)
        return made

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
        self.smear = 0.0, 0.0
        look = (
            self._while_sure(picture, t, others) if self.doubt is None else self._in_doubt(picture, t, others)
        )
        if self.count == 1 and look.state == "found":
            self.alone = self.is_alone(picture)
        self.lost_for = 0 if look.state == "found" else self.lost_for + 1
        if look.smeared:
            return self.smeared_sighting(look)
        if look.state == "found" and look.found is not None:
            if look.laid is not None:
                self.patch, self.turning.matrix = look.laid
            sighting = self.read_over_ground(picture, look)
            self.learn(picture, look.found, over=look.over)
            if self.averaging is None and not others:
                self.watch(picture, look.found, (sighting.x, sighting.y), self._way_a_frame())
            return sighting
        return self.sighting(look)

    def _way_a_frame(self) -> tuple[float, float]:
        """How it went between the last two pictures, px."""
        (vx, vy), dt = self.way.velocity(), 0.0
        if len(self.way) > 1:
            dt = self.way.last_time - self.way.before_last_time
        return vx * dt, vy * dt

    def _while_sure(self, picture: Picture, t: float, others: tuple[Other, ...]) -> Look:
        expected = self.way.ahead(t)
        middle = expected.x, expected.y
        look = self._as_it_goes(picture, t, (self.way, self._near(expected)), others)
        if look.state == "found" and look.found is not None:
            if apart(look.found, expected) <= self._off_way(expected):
                self.way.add(t, look.found.x, look.found.y)
                self.covered = look.found.hidden
                return look
            # off its way: another, while it hides behind it? then what is left of it is still there
            there = self.judged_at(picture, Spot(*middle, 1.0), None, others, jump=False)
            if there.found is not None and there.state != "lost" and apart(there.found, expected) < JUMP_PX:
                look = there
            elif self.covered > LITTLE_HIDDEN:
                look = Look("lost", ("jump",))
            else:
                look = self._jumped(picture, t, others)
        elif self.covered <= LITTLE_HIDDEN:
            again = self._jumped(picture, t, others)
            look = again if again.state == "found" else look
        if look.state != "found":
            again = self._smeared_anew(picture, t, expected, others)
            look = again if again.state == "found" else look
        if look.state == "found" and look.found is not None:
            self.way.add(t, look.found.x, look.found.y)
            self.covered = look.found.hidden
            return look
        self.doubt = Doubted(self.way.velocity())
        self._lead_on(look, t, expected)
        return look

    def _smeared_anew(
        self, picture: Picture, t: float, expected: Predicted, others: tuple[Other, ...]
    ) -> Look:  # fmt: skip
        """Look for it smeared by a motion that has just become quick; what is seen where it was is not."""
        size, middle = self.patch.size, (expected.x, expected.y)
        fast = expected.step > OF_SIZE * size
        if not fast:
            there = self.judged_at(picture, Spot(*middle, 1.0), None, others, jump=False)
            if self.covered > MOST_HIDDEN or there.state != "lost":
                return there
        # a smear hides the rim of a body, and so does another that passes before it: then it is on its way
        behind = fast and self.covered > LITTLE_HIDDEN
        ahead = middle, self._near(expected) if behind else self._far(expected)
        velocity = _velocity(self.way, expected, t)
        look = self.smeared_look(picture, t, self.way, ahead, others, velocity=velocity, jump=True)
        if behind and look.found is not None and apart(look.found, expected) > self._off_way(expected):
            return Look("lost", ("jump",))
        return look

    def _off_way(self, expected: Predicted) -> float:
        """How far from where it is expected a place is no jump yet, px."""
        return JUMP_PX + JUMP_OF_SIZE * self.patch.size + 2 * expected.bend

    def _near(self, expected: Predicted) -> float:
        """How far to each side it is looked for while it is sure, px."""
        return 5 + 0.3 * self.patch.size + 0.25 * expected.step + 2 * expected.bend

    def _in_doubt_near(self, expected: Predicted) -> float:
        """How far while it is doubted: the longer, the farther."""
        return 5 + 0.3 * self.patch.size * (1 + 0.5 * min(self.lost_for, 8)) + 0.25 * expected.step

    def looks_at(self, t: float) -> tuple[float, float, float]:
        """Where the point is looked for, and how far to each side the body may reach, px.

        Parameters
        ----------
        t : float
            Time of the next picture, s.
        """
        if self.doubt is None:
            expected = self.way.ahead(t)
            reach = self._near(expected)
        else:
            expected = (self.doubt.trial if len(self.doubt.trial) else self.way).ahead(t, far=True)
            reach = self._in_doubt_near(expected)
        px, py = self.patch.point
        return expected.x + px, expected.y + py, reach + self.patch.size / 2

    def _jumped(self, picture: Picture, t: float, others: tuple[Other, ...]) -> Look:
        """Look farther round the last place, as after a bounce or a throw: it must be unmistakable."""
        return self.look(picture, self.way.last, self._far(self.way.ahead(t)), others, jump=True)

    def _far(self, expected: Predicted) -> float:
        """How far to each side it may jump, px."""
        return 1.6 * self.patch.size + 2.4 * expected.step + 10

    def _as_it_goes(
        self, picture: Picture, t: float, near: tuple[Way, float], others: tuple[Other, ...]
    ) -> Look:
        """Look for it where it is expected, smeared by its motion where that is known to be so."""
        way, reach = near
        expected = way.ahead(t, far=self.doubt is not None)
        back = self._back(t, picture) if self.doubt is not None and way is self.way else None
        middle, velocity = back or ((expected.x, expected.y), _velocity(way, expected, t))
        if not self.is_smeared(velocity):
            return self.look(picture, middle, reach, others)
        ahead = middle, reach
        look = self.smeared_look(picture, t, way, ahead, others, velocity=velocity, jump=False)
        if look.state == "found":
            return look
        plain = self.look(picture, middle, reach, others)
        return plain if better(plain, look) else look

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
        way = doubt.trial if len(doubt.trial) else self.way
        expected = way.ahead(t, far=True)
        size = self.patch.size
        look = self._as_it_goes(picture, t, (way, self._in_doubt_near(expected)), others)
        if len(doubt.trial):
            # the one that goes on as it went is it, whatever was taken for it meanwhile
            on_way = self.way.ahead(t, far=True)
            if math.hypot(on_way.x - expected.x, on_way.y - expected.y) > self.patch.size / 2:
                again = self.look(picture, (on_way.x, on_way.y), 5 + 0.3 * size, others)
                if again.state == "found":
                    look, doubt.trial, doubt.looks = again, Way(), []
        look = self._looked_for_farther(picture, t, (way, look), others)
        if look.state != "found" or look.found is None:
            doubt.trial, doubt.looks = Way(), []
            self._lead_on(look, t, expected)
            return look
        if not len(doubt.trial) and not (self.alone or self._may_be_there(look.found, t, picture)):
            return Look("lost", ("jump",))
        if not len(doubt.trial):
            doubt.trial = Way(self._going_on(look, t, picture))
        doubt.trial.add(t, look.found.x, look.found.y)
        doubt.looks.append((self.count, look))
        if self._confirmed(doubt, picture, t, others):
            for number, earlier in doubt.looks[:-1]:
                self.revised[number] = self.sighting(earlier)
            self.way, self.doubt, self.covered = doubt.trial, None, look.found.hidden
            return look
        return Look("weak", ("after-loss",), look.found, look.second)

    def _looked_for_farther(
        self, picture: Picture, t: float, so_far: tuple[Way, Look], others: tuple[Other, ...]
    ) -> Look:
        """Look in the whole picture now and then; at once where only it can be it."""
        way, look = so_far
        begins = self.alone and self.lost_for == 1 and look.state != "found"
        if not begins and (look.state != "lost" or self.lost_for % FAR_EVERY):
            return look
        expected = way.ahead(t, far=True)
        middle = expected.x, expected.y
        reach = BLOW_OF_SIZE * self.patch.size + 20 if begins else math.inf
        far = self.look(picture, middle, reach, others, jump=True)
        if far.state == "found" or not begins:
            return far if far.state == "found" else look
        # a shutter that caught the beginning of a throw left half a smear before this one
        ahead, velocity = (middle, self._far(expected)), _velocity(way, expected, t)
        again = self.smeared_look(picture, t, way, ahead, others, velocity=velocity, jump=True)
        return again if again.state == "found" else look

    def _going_on(self, look: Look, t: float, picture: Picture) -> tuple[float, float]:
        """How fast what may be it goes, px/s: so fast that it is smeared it goes on, or comes back."""
        assert self.doubt is not None
        assert look.found is not None
        back, velocity = self._back(t, picture), self.doubt.velocity
        if back is not None:
            velocity = back[1]
        elif look.smeared and self.lost_for == 1:
            (x0, y0), dt = self.way.last, t - self.way.last_time
            velocity = (look.found.x - x0) / dt, (look.found.y - y0) / dt
        return velocity if self.is_smeared(velocity) else (0.0, 0.0)

    def _may_be_there(self, found: Alignment, t: float, picture: Picture) -> bool:
        """Whether it can have come so far from its way, or back to the border, since it was seen."""
        allowed = JUMP_PX + (JUMP_OF_SIZE + STRAYS_OF_SIZE * self.lost_for) * self.patch.size
        back = self._back(t, picture)
        near = back is not None and math.dist((found.x, found.y), back[0]) <= allowed
        return near or self.way.distance_to_line(found.x, found.y, t) <= allowed

    def _back(self, t: float, picture: Picture) -> tuple[tuple[float, float], tuple[float, float]] | None:
        """Where it would come back, and how fast, as what was thrown out of the picture does; None in it."""
        ahead, (px, py) = self.way.ahead(t, far=True), self.patch.point
        (height, width), (vx, vy) = picture.shape, self.way.velocity()
        x, y = min(max(ahead.x, -px), width - 1 - px), min(max(ahead.y, -py), height - 1 - py)
        if (x == ahead.x) == (y == ahead.y):
            return None
        return (x, y), (vx if x == ahead.x else -vx, vy if y == ahead.y else -vy)

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
        as_fast = 1.0 + 0.5 * math.hypot(wx, wy) * frame
        if off <= as_fast and not strayed:
            return True
        back = self._back(t, picture)
        if back is not None and math.dist((vx, vy), back[1]) * frame <= as_fast:
            return True
        seen = len(doubt.looks)
        if (seen < UNIQUE_BY and line < UNIQUE_OF_SIZE * self.patch.size) or seen % FAR_EVERY:
            return False
        return self._is_the_only_one(doubt, picture, t, others)

    def _is_the_only_one(self, doubt: Doubted, picture: Picture, t: float, others: tuple[Other, ...]) -> bool:
        """Whether nothing like what was seen again is anywhere else in the picture."""
        x, y = doubt.trial.last
        whole = self.look(picture, (x, y), math.inf, others, jump=True)
        there = whole.found
        if self.alone and doubt.looks[-1][1].smeared and whole.state == "lost":
            return True
        if whole.state == "found" and there is not None and math.dist((there.x, there.y), (x, y)) < 2:
            return True
        if whole.second is not None and whole.second.likeness > self.typical - LEAD_AFTER_JUMP:
            # another just like it is somewhere: begin again with the one that is nearer to the way it went
            other = whole.second
            if self.way.distance_to_line(other.x, other.y, t) < self.way.distance_to_line(x, y, t):
                doubt.trial, doubt.looks = Way(), []
                doubt.trial.add(t, other.x, other.y)
        return False


def _velocity(way: Way, expected: Predicted, t: float) -> tuple[float, float]:
    """From the last place to the one expected, px/s."""
    (x0, y0), dt = way.last, t - way.last_time
    return (expected.x - x0) / dt, (expected.y - y0) / dt
