"""When the frames of a take were filmed: worked out once for a film, whatever else of the take changes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.clock import Clock
from saltus.core.clock.frame_times import Regularity, regularity
from saltus.core.coverage import NORMAL_95
from saltus.notebook.memory import remembered, remembered_last

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.notebook.model import Take, TakeFacts

    Array = NDArray[np.float64]

TICKS_PER_FRAME = 4
"""With fewer ticks from frame to frame the file counts frames: its times are not rounded to the tick."""


def played_times(take: Take) -> Array:
    """Time of each frame as the file states it, (N,) s."""
    return _stated_times(take.facts)


def frame_numbers(take: Take) -> Array:
    """Number of each frame from the first, (N,), missing ones counted; broken where the rate varies."""
    return _frame_numbers(take.facts)


def frame_times(take: Take) -> Array:
    """Time of each frame, (N,) s: as the file states, or frame number over the capture rate with gaps."""
    return _frame_times(take.facts, take.capture_rate)


def tick_of(take: Take) -> float:
    """The tick to which frame times are rounded, s; 0 where they are counted, not rounded."""
    return 0.0 if take.capture_rate else _played_tick(take.facts)


def rhythm(take: Take) -> Regularity:
    """How evenly the frames follow each other."""
    return _rhythm(take.facts, take.capture_rate)


def clock_of(take: Take) -> Clock:
    """What is uncertain about the times of a take."""
    return Clock(tick_of(take), take.clock_U95_percent / 100 / NORMAL_95, take.id, take.camera or "")


@remembered
def _stated_times(facts: TakeFacts) -> Array:
    over, under = map(int, facts.time_base.split("/"))
    return facts.tick_array.astype(float) * over / under


@remembered
def _frame_numbers(facts: TakeFacts) -> Array:
    played = _stated_times(facts)
    beat = regularity(played, _played_tick(facts))
    if beat.variable and beat.spacing_s:
        return np.asarray(played / beat.spacing_s)
    numbers = np.arange(len(played), dtype=float)
    for frame, missing in zip(beat.gaps, beat.missing, strict=True):
        numbers[frame + 1 :] += missing
    return numbers


@remembered
def _played_tick(facts: TakeFacts) -> float:
    over, under = map(int, facts.time_base.split("/"))
    spacing = np.diff(facts.tick_array)
    return over / under if spacing.size and float(np.median(spacing)) >= TICKS_PER_FRAME else 0.0


@remembered_last
def _frame_times(facts: TakeFacts, capture_rate: float | None) -> Array:
    return _frame_numbers(facts) / capture_rate if capture_rate else _stated_times(facts)


@remembered_last
def _rhythm(facts: TakeFacts, capture_rate: float | None) -> Regularity:
    return regularity(_frame_times(facts, capture_rate), 0.0 if capture_rate else _played_tick(facts))
