"""Repeats in a fixed rhythm, as a conversion to another rate leaves them, also where nothing moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

LONGEST = 30
"""Frames in the longest rhythm that is looked for: 29 pictures made into 30."""
FEWEST = 3
"""Repeats that must be seen in motion, in as many turns of the rhythm."""
KEPT = 0.85
"""Share of the places of the rhythm, where it can be told, at which there must be a repeat."""
USUAL = (12.0, 12.5, 15.0, 18.0, 20.0, 24.0, 25.0, 29.97, 30.0, 48.0, 50.0, 59.94, 60.0)
NEAR = 0.004
"""So near to a usual rate, relatively, a film is named by it."""


@dataclass(frozen=True)
class Rhythm:
    """Every ``length`` frames those at the ``places`` repeat the one before."""

    length: int
    places: frozenset[int]

    def frames(self, count: int) -> NDArray[np.int_]:
        """All frames of a film of so many at its places, the first left out."""
        n = np.arange(1, count)
        return n[np.isin(n % self.length, list(self.places))]

    def words(self, rate: float | None) -> str:
        """That the film was converted, in one sentence; ``rate``: frames per second, where it is steady."""
        new = self.length - len(self.places)
        if rate is None:
            return say("rhythm-of-repeats.film-converted-only-every", new=new, all=self.length)
        old = _named(rate * new / self.length)
        return say(
            "rhythm-of-repeats.film-converted-frames-per",
            old=old,
            rate=_named(rate),
            new=new,
            all=self.length,
        )


def _named(rate: float) -> str:
    near = min(USUAL, key=lambda usual: abs(usual - rate))
    return f"{near:g}" if abs(near - rate) <= NEAR * rate else f"{rate:.4g}"


def rhythm_of(repeats: Sequence[int], moving: NDArray[np.bool_]) -> Rhythm | None:
    """Find the shortest fixed rhythm that repeats seen in motion keep.

    Parameters
    ----------
    repeats : sequence of int
        Frames that repeat the one before, as motion told.
    moving : (N,) ndarray of bool
        Whether something is clearly in motion from the frame before to each frame.

    Returns
    -------
    Rhythm or None
        None where there are too few, or they keep none.
    """
    seen = np.asarray(sorted(repeats), dtype=np.int64)
    for length in range(2, LONGEST + 1):
        places = np.unique(seen % length)
        turns = len(np.unique(seen // length))
        if turns < FEWEST or not len(places) < length:
            continue
        rhythm = Rhythm(length, frozenset(places.tolist()))
        told = _told(rhythm, moving)
        if len(told) and np.isin(told, seen).mean() >= KEPT:
            return rhythm
    return None


def _told(rhythm: Rhythm, moving: NDArray[np.bool_]) -> NDArray[np.int_]:
    """Places of the rhythm at which motion goes on before and after, so that a repeat would have shown."""
    count = len(moving)
    number = np.arange(count)
    new = np.ones(count, dtype=bool)
    new[rhythm.frames(count)] = False
    before = np.maximum.accumulate(np.where(new, number, 0))
    after = np.minimum.accumulate(np.where(new, number, count)[::-1])[::-1]
    frames = rhythm.frames(count)
    frames = frames[(before[frames] > 0) & (after[frames] < count)]
    return frames[moving[before[frames]] & moving[after[frames]]]
