"""Whether a film says itself that it plays slower than it was taken."""

from __future__ import annotations

import contextlib
import math
from typing import TYPE_CHECKING

from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from fractions import Fraction

    from saltus.footage.facts import FilmFacts

SLOWER = 1.02
"""So many times faster than it plays is slow motion."""


def stated_rate(notes: Mapping[str, str], ticks: Sequence[int], base: Fraction) -> float:
    """Give the rate at which a film says it was taken, Hz, where that is faster than it plays; 0 else.

    Parameters
    ----------
    notes : mapping
        What the container states in words; cameras write the capture rate under a name ending in
        ``capture.fps``.
    ticks : sequence of int
        Times of the frames.
    base : Fraction
        One tick, s.
    """
    span = float((ticks[-1] - ticks[0]) * base) if len(ticks) > 1 else 0.0
    for name, text in notes.items():
        if span > 0 and name.lower().endswith("capture.fps"):
            with contextlib.suppress(ValueError):
                rate = float(text)
                if math.isfinite(rate) and SLOWER * (len(ticks) - 1) / span < rate < 1e6:
                    return rate
    return 0.0


def slow_words(facts: FilmFacts) -> list[str]:
    """Say so in a sentence where a film states a higher rate than it plays at."""
    if not facts.stated_rate or not facts.regularity.nominal_rate:
        return []
    return [say("slow.film-says-taken-frames", rate=facts.stated_rate, plays=facts.regularity.nominal_rate)]
