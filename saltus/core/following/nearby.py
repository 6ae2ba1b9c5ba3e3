"""What followers share that look for one thing near where the body is expected, and learn no patch."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Generic, TypeVar

import numpy as np

from saltus.core.following.prediction import Way
from saltus.core.following.sighting import Sighting
from saltus.core.following.uncertainty import Quarters

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.sighting import Doubt, State

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

ROUNDS, REST_PX = 4, 0.05
"""It is looked at again about its own place until that stays, so often at the most."""


@dataclass(frozen=True)
class Place:
    """Where something was seen.

    Attributes
    ----------
    x, y : float
        px
    spread : (2, 2) ndarray
        Covariance, px².
    alike : float
        How far it is like what is usual, 0 to 1.
    """

    x: float
    y: float
    spread: Array
    alike: float


P = TypeVar("P", bound=Place)


@dataclass
class NearbyFollower(ABC, Generic[P]):
    """Finds one body again near where it is expected.

    Attributes
    ----------
    off : (x, y)
        From what is found to the point that is read, px.
    way, lost_for, revised, u_patch
        See :class:`saltus.core.following.pattern.PatternFollower`; nothing is ever revised.
    """

    off: tuple[float, float] = (0.0, 0.0)
    way: Way = field(default_factory=Way)
    lost_for: int = 0
    revised: dict[int, Sighting] = field(default_factory=dict)
    u_patch: Array = field(default_factory=lambda: np.zeros((2, 2)))
    shift: tuple[float, float] = (0.0, 0.0)
    quarters: Quarters = field(default_factory=Quarters)

    @property
    @abstractmethod
    def reach(self) -> float:
        """How far to each side of a place something of the body may be seen, px."""

    @abstractmethod
    def seen_about(self, picture: Picture, x: float, y: float) -> P | None:
        """What is seen about a place, px; None where there is nothing of it."""

    @abstractmethod
    def doubted(self, found: P, shape: tuple[int, ...]) -> tuple[State, tuple[Doubt, ...]]:
        """Judge what was found in a picture of a shape."""

    @abstractmethod
    def learn(self, found: P) -> None:
        """Take in what was found beyond doubt."""

    def begin(self, found: P, t: float, point: tuple[float, float]) -> None:
        """Begin with what is seen in the box, at a time, s, and the point that is read, px."""
        self.off, self.u_patch = (point[0] - found.x, point[1] - found.y), found.spread
        self.way.add(t, found.x, found.y)
        self.learn(found)

    def step(self, picture: Picture, t: float, others: tuple[object, ...] = ()) -> Sighting:
        """Look for it in the next picture.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
            Grey levels; (H, W, 3) RGB where colour is followed.
        t : float
            Its time, s.
        others : tuple
            Not used: what stands before it shows in what is seen of it.
        """
        expected = self.way.ahead(t, far=self.lost_for > 0)
        found = self._near(picture, expected.x, expected.y)
        if found is None and not self.lost_for:
            found = self._near(picture, *self.way.last)
        state: State = "lost"
        doubts: tuple[Doubt, ...] = ("likeness",)
        if found is not None:
            state, doubts = self.doubted(found, picture.shape)
        self.lost_for = 0 if state == "found" else self.lost_for + 1
        if state == "lost" or found is None:
            return Sighting("lost", math.nan, math.nan, np.full((2, 2), math.nan), math.nan, doubts)
        self.way.add(t, found.x, found.y)
        if state == "found":
            self.learn(found)
        return Sighting(
            state, found.x + self.off[0], found.y + self.off[1], found.spread, found.alike, doubts
        )

    def looks_at(self, t: float) -> tuple[float, float, float]:
        """Where the point is looked for next, and how far to each side, px.

        Parameters
        ----------
        t : float
            Time of the next picture, s.
        """
        expected = self.way.ahead(t, far=self.lost_for > 0)
        return expected.x + self.off[0], expected.y + self.off[1], self.reach

    def settle(self) -> None:
        """Nothing is learnt that earlier places would have to be read again for."""

    def _near(self, picture: Picture, x: float, y: float) -> P | None:
        """What is seen near a place, looked at about itself until it stays."""
        found = None
        for _round in range(ROUNDS):
            again = self.seen_about(picture, x, y)
            if again is None:
                return None
            moved = math.hypot(again.x - x, again.y - y)
            found, x, y = again, again.x, again.y
            if moved < REST_PX:
                break
        return found
