"""What is heard of a take: its samples on the clock of the frames, and the onsets they propose."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.progress import LongWork, Steps
from saltus.notebook import films
from saltus.notebook.derived.frame_clock import played_times
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray

    from saltus.notebook.model import Take

BLOCK = 256
OneOnset = tuple[float, float, float]


@dataclass(frozen=True)
class SoundOnsets:
    """A sound track, ready to be drawn.

    Attributes
    ----------
    samples : (N,) ndarray of float32
    rate : int
    start_s : float
        On the clock of the frames.
    low, high : (N // 256,) ndarray
        Extremes of blocks of 256 samples.
    onsets : tuple of (float, float, float)
        Time on the clock of the frames, s, half of its width, s, and strength.
    warnings : tuple of str
    """

    samples: NDArray[np.float32]
    rate: int
    start_s: float
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    onsets: tuple[OneOnset, ...]
    warnings: tuple[str, ...]

    @property
    def end_s(self) -> float:
        """When it ends, s."""
        return self.start_s + len(self.samples) / self.rate

    def extremes(self, first: float, last: float, columns: int) -> tuple[NDArray[Any], NDArray[Any]]:
        """Lowest and highest value in each of some columns of equal time, NaN where there is no sound."""
        edges = (np.linspace(first, last, columns + 1) - self.start_s) * self.rate
        low, high, size = self.samples, self.samples, 1.0
        if (last - first) * self.rate / columns > 4 * BLOCK:
            low, high, size = self.low, self.high, float(BLOCK)
        places = np.floor(edges / size).astype(np.int64)
        out = np.full((2, columns), np.nan)
        for i in range(columns):
            # one more than its own, so that neighbours touch
            a, b = max(places[i], 0), min(places[i + 1] + 1, len(low))
            if a < b:
                out[0, i], out[1, i] = low[a:b].min(), high[a:b].max()
        return out[0], out[1]


@LongWork
def hear(take: Take, folder: Path | None) -> Steps[SoundOnsets]:
    """Read the sound of a take and find its onsets.

    Raises
    ------
    FilmError
        If its film is not there or holds no sound.
    """
    from saltus.core.clock.onsets import onsets  # noqa: PLC0415  loads the decoder
    from saltus.footage.sound import SMEARED_S  # noqa: PLC0415  loads the decoder
    from saltus.footage.sound_apart import sound_of  # noqa: PLC0415  loads the decoder

    over, under = map(int, take.facts.time_base.split("/"))
    first = take.facts.start_ticks * over / under if take.facts.pictures else None
    track = yield from sound_of.steps(films.find(take.film, folder), first)
    found = onsets(track.samples, float(track.rate), 0.0 if track.exact else SMEARED_S)
    whole = track.samples[: len(track.samples) // BLOCK * BLOCK].reshape(-1, BLOCK)
    marks = []
    for onset in found:
        half = float(onset.time.u) * 3**0.5
        marks.append((float(onset.time) + track.start_s, half, onset.strength))
    told = list(track.warnings)
    if track.start_s + len(track.samples) / track.rate < float(played_times(take)[-1]) - 0.1:
        told.append(say("sound.sound-shorter-picture"))
    low, high = whole.min(axis=1), whole.max(axis=1)
    return SoundOnsets(track.samples, track.rate, track.start_s, low, high, tuple(marks), tuple(told))
