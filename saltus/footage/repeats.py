"""Finding frames that repeat the one before, in one pass over the film.

A repeat that was encoded again differs by coding noise, and a body at rest or turning round also changes
little, so a small change alone is no proof. A run of small changes is a repeat only when motion goes on at
both sides of it *in the same sense*: then the pictures at both sides differ by more than one step, whereas
at a turning point they are alike.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.footage.rhythm_of_repeats import Rhythm, rhythm_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

WIDEST = 960
LONGEST_RUN = 4
SMALL = 0.45
"""A repeat changes at most this fraction of what the steps beside it do, at its peak and in all."""
GOES_ON = 0.75
"""The pictures around a repeat differ at least this much, as a fraction of one step beside it."""
FAINTEST = 10.0
"""Peak changes below this, in grey levels, are not motion."""


@dataclass(frozen=True)
class _Step:
    peak: float
    amount: float


class RepeatFinder:
    """Feed it every frame in order; it collects the frames that repeat the one before.

    Attributes
    ----------
    seen : list of int
        Repeats that motion beside them tells.
    """

    def __init__(self) -> None:
        self.seen: list[int] = []
        self._peaks: list[float] = []
        self._pictures: deque[NDArray[np.uint8]] = deque(maxlen=LONGEST_RUN + 3)
        self._steps: deque[_Step] = deque(maxlen=LONGEST_RUN + 2)
        self._count = 0

    def feed(self, luma: NDArray[np.uint8]) -> None:
        """Take the next frame.

        Parameters
        ----------
        luma : (H, W) ndarray of uint8
            Brightness as stored.
        """
        shrink = max(1.0, luma.shape[1] / WIDEST)
        if shrink > 1:
            size = (round(luma.shape[1] / shrink), round(luma.shape[0] / shrink))
            luma = np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
        # averaging 3 × 3 px first leaves edges and takes out most of the sensor and coding noise
        picture = np.asarray(cv2.blur(luma, (3, 3)), dtype=np.uint8)
        if self._pictures and self._pictures[-1].shape == picture.shape:
            self._steps.append(_change(self._pictures[-1], picture))
            self._peaks.append(self._steps[-1].peak)
        else:
            self._peaks.append(0.0)
            self._steps.clear()
            self._pictures.clear()
        self._pictures.append(picture)
        self._count += 1
        self._judge()

    @property
    def rhythm(self) -> Rhythm | None:
        """The fixed rhythm of the repeats, as a conversion leaves it; None without one."""
        return rhythm_of(self.seen, np.asarray(self._peaks) >= FAINTEST)

    def found(self) -> tuple[int, ...]:
        """All repeats: those seen in motion, and those that a fixed rhythm tells where nothing moves."""
        rhythm = self.rhythm
        if rhythm is None:
            return tuple(self.seen)
        peaks = np.asarray(self._peaks)
        told = rhythm.frames(len(peaks))
        return tuple(sorted({*self.seen, *told[peaks[told] < FAINTEST].tolist()}))

    def _judge(self) -> None:
        """Look whether the step just taken ends a run of repeats; the longest run that fits counts."""
        steps = list(self._steps)
        if not steps or steps[-1].peak < FAINTEST:
            return
        for run in range(min(LONGEST_RUN, len(steps) - 2), 0, -1):
            before, last = steps[-2 - run], steps[-1]
            quiet = steps[-1 - run : -1]
            peak, amount = max(step.peak for step in quiet), max(step.amount for step in quiet)
            if before.peak < FAINTEST or peak > SMALL * min(before.peak, last.peak):
                continue
            if amount > SMALL * min(before.amount, last.amount):
                continue
            around = _change(self._pictures[-3 - run], self._pictures[-1])
            if around.amount >= GOES_ON * max(before.amount, last.amount):
                first = self._count - 1 - run
                self.seen.extend(range(first, first + run))
                return


def _change(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> _Step:
    difference = cv2.absdiff(before, after)
    counts = np.bincount(difference[::4, ::4].ravel(), minlength=256)
    median = int(np.searchsorted(np.cumsum(counts), counts.sum() / 2))
    clear = cv2.subtract(difference, float(2 + 3 * median))
    return _Step(float(cv2.minMaxLoc(difference)[1]), float(cv2.sumElems(clear)[0]))
