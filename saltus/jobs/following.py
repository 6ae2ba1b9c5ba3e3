"""Following as long work: frames in order from one pass over a film, what is found handed on as it comes."""

from __future__ import annotations

import sys
import threading
import time
from collections import deque
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import TYPE_CHECKING, Self

from saltus.core.following.evidence import AROUND, cut_about
from saltus.core.following.exposures import exposures_of
from saltus.core.following.run import Following, Frame, Start
from saltus.core.progress import LongWork, Partial, Progress
from saltus.footage.facts import STILL, FilmError
from saltus.footage.opening import reader_of
from saltus.jobs.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.following.followed import Followed
    from saltus.core.following.sighting import Sighting
    from saltus.core.progress import Steps
    from saltus.footage.facts import FilmFacts

HANDED_ON_S = 0.1
"""What is found is handed on together, as often as a person can see."""
WAIT_S, SHOWN_WITHIN_S = 0.03, 0.2
SHARE = 3.0
"""Following goes on for so many times as long as it takes to show what it found."""
AHEAD = 3
"""Frames decoded before they are looked at."""
TURN_S = 0.0003
"""The thread that decodes gets its turn this soon, not after Python's usual five milliseconds."""


class Steering:
    """Pauses and stops a run from another thread; what was found until then stays."""

    def __init__(self) -> None:
        self._stopped = threading.Event()
        self._paused = threading.Event()
        self._taken = threading.Event()

    @property
    def paused(self) -> bool:
        """Whether it waits."""
        return self._paused.is_set()

    @property
    def waits(self) -> bool:
        """Whether it waits and is not to end."""
        return self.paused and not self.stopped

    @property
    def stopped(self) -> bool:
        """Whether it is to end."""
        return self._stopped.is_set()

    def pause(self, *, on: bool) -> None:
        """Let it wait, or go on."""
        if on:
            self._paused.set()
        else:
            self._paused.clear()

    def stop(self) -> None:
        """Let it end with what it has."""
        self._stopped.set()

    def taken(self) -> None:
        """What was handed on last has been shown."""
        self._taken.set()

    def wait_until_taken(self) -> float:
        """Leave the machine to whoever shows what was handed on; gives how long that took, s."""
        begun = time.monotonic()
        self._taken.wait(SHOWN_WITHIN_S)
        self._taken.clear()
        return time.monotonic() - begun


@dataclass(frozen=True)
class Seen:
    """What there is to see of some frames.

    Attributes
    ----------
    picture : (H, W, 3) ndarray of uint8
        The last one.
    cuts : dict of (int, int) to ndarray
        By frame and number of the body: what lies about its place, for those in doubt and the last one.
    next : tuple of (x, y, reach)
        Where each body is looked for in the frame after, and how far to each side, px.
    """

    picture: NDArray[np.uint8]
    cuts: dict[tuple[int, int], NDArray[np.uint8]]
    next: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True)
class Found:
    """What was found in some frames, in the order they were looked at.

    Attributes
    ----------
    frames : tuple of int
    sightings : tuple of tuple of Sighting
        One for each body, frame by frame.
    decode_s : float
        How long it took to decode a frame, s, in the mean so far.
    seen : Seen or None
        What there is to see of them, where that is wanted.
    """

    frames: tuple[int, ...]
    sightings: tuple[tuple[Sighting, ...], ...]
    decode_s: float
    seen: Seen | None = None


@dataclass(frozen=True)
class Outcome:
    """What a run came to.

    Attributes
    ----------
    bodies : tuple of Followed
    broke_off : str
        Why it ended before its last frame; empty where it did not.
    """

    bodies: tuple[Followed, ...]
    broke_off: str = ""


@LongWork
def follow(
    path: Path, facts: FilmFacts, times: Sequence[float], frames: Sequence[int], starts: tuple[Start, ...],
    steering: Steering | None = None,
) -> Steps[Outcome]:  # fmt: skip
    """Follow bodies through frames of a film, or find their exposures in one picture.

    Parameters
    ----------
    path, facts
        The film and what is known of it.
    times : sequence of float
        Of every frame of the film, s.
    frames : sequence of int
        In the order they are looked at; the boxes were drawn in the first.
    starts : tuple of Start
    steering : Steering, optional
        With it what is found is handed on with what there is to see.

    Raises
    ------
    FilmError
        If the first frame cannot be read; a later one that cannot ends the run, and what was found stays.
    FollowingError
        If there is nothing to follow in a box.
    """
    if facts.codec == STILL:
        return (yield from _exposures(path, facts, times, frames, starts))
    colour, broke_off = any(s.method in ("auto", "colour") for s in starts), ""
    with _Ahead(path, facts, times, in_order=frames[-1] > frames[0]) as ahead:
        run = Following(starts, ahead.first(frames[0], coloured=colour))
        colour = any(body.method == "colour" for body in run.bodies)
        watched, steering = steering is not None, steering or Steering()
        block = _Block(starts, run, watched=watched)
        for i, number in enumerate(frames[1:], 1):
            yield from _paused(steering, Progress(i - 1, len(frames) - 1))
            if steering.stopped:
                break
            try:
                frame = ahead.next(frames, i, coloured=colour)
            except FilmError as error:
                broke_off = say("following.broke-off", frame=number, why=error)
                break
            block.add(frame, tuple(run.step(frame)))
            yield Progress(i, len(frames) - 1)
            if block.due:
                yield Partial(block.handed_on(ahead.decode_s))
                block.begin_after(steering.wait_until_taken() if watched else 0.0)
        if block.frames:
            yield Partial(block.handed_on(ahead.decode_s))
        return Outcome(tuple(run.results()), broke_off)


def _paused(steering: Steering, at: Progress) -> Steps[None]:
    """Wait while that is wanted."""
    while steering.waits:
        time.sleep(WAIT_S)
        yield at


def _exposures(
    path: Path, facts: FilmFacts, times: Sequence[float], frames: Sequence[int], starts: tuple[Start, ...]
) -> Steps[Outcome]:
    """Find the exposures of bodies in one picture."""
    reader = reader_of(path, facts)
    found, told = [], []
    for i, start in enumerate(starts):
        yield Progress(i, len(starts))
        one = exposures_of(reader.brightness(0), start, frames, times)
        found.append(one.followed)
        if one.left:
            told.append(say("following.exposures-left", n=one.left, name=start.name))
    return Outcome(tuple(found), " ".join(told))


class _Block:
    """What was found since it was handed on last."""

    def __init__(self, starts: tuple[Start, ...], run: Following, *, watched: bool) -> None:
        self._run = run
        self._sides = [max(start.box.width, start.box.height) * AROUND for start in starts]
        self._watched = watched
        self._due_s = time.monotonic() + HANDED_ON_S
        self._begin()

    def _begin(self) -> None:
        self.frames: list[Frame] = []
        self._sightings: list[tuple[Sighting, ...]] = []

    def add(self, frame: Frame, sightings: tuple[Sighting, ...]) -> None:
        self.frames.append(frame)
        self._sightings.append(sightings)

    @property
    def due(self) -> bool:
        """Whether a person would see it come late otherwise."""
        return time.monotonic() >= self._due_s

    def begin_after(self, waited_s: float) -> None:
        """Begin the next one; the longer it takes to be shown, the rarer it comes."""
        self._due_s = time.monotonic() + max(HANDED_ON_S, SHARE * waited_s)

    def handed_on(self, decode_s: float) -> Found:
        """All of it; what comes next is another block."""
        seen = self._seen() if self._watched else None
        found = Found(tuple(f.number for f in self.frames), tuple(self._sightings), decode_s, seen)
        self._begin()
        return found

    def _seen(self) -> Seen:
        cuts = {}
        for frame, sightings in zip(self.frames, self._sightings, strict=True):
            for i, (sighting, side) in enumerate(zip(sightings, self._sides, strict=True)):
                if sighting.state == "weak" or (frame is self.frames[-1] and sighting.state == "found"):
                    cuts[frame.number, i] = cut_about(frame.colour(), sighting.x, sighting.y, side)
        before, last = self._run.times[-2:]
        return Seen(self.frames[-1].colour(), cuts, tuple(self._run.looks_at(2 * last - before)))


class _Ahead:
    """Frames decoded in a thread of their own while others are looked at; only it uses the reader."""

    def __init__(self, path: Path, facts: FilmFacts, times: Sequence[float], *, in_order: bool) -> None:
        self._reader = reader_of(path, facts, in_order=in_order)
        self._times = times
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="following")
        self._waiting: deque[Future[Frame]] = deque()
        self._asked = 1
        self._usual_turn_s = sys.getswitchinterval()
        self._decoded, self._took_s = 0, 0.0

    @property
    def decode_s(self) -> float:
        """How long it took to decode a frame, s, in the mean."""
        return self._took_s / max(self._decoded, 1)

    def __enter__(self) -> Self:
        sys.setswitchinterval(min(self._usual_turn_s, TURN_S))
        return self

    def __exit__(self, *_error: object) -> None:
        sys.setswitchinterval(self._usual_turn_s)
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._reader.close()

    def first(self, number: int, *, coloured: bool) -> Frame:
        return self._pool.submit(self._seen, number, coloured).result()

    def next(self, frames: Sequence[int], i: int, *, coloured: bool) -> Frame:
        """The ith of the frames, which are asked for in order."""
        while self._asked < len(frames) and self._asked <= i + AHEAD:
            self._waiting.append(self._pool.submit(self._seen, frames[self._asked], coloured))
            self._asked += 1
        return self._waiting.popleft().result()

    def _seen(self, number: int, coloured: bool) -> Frame:
        begun = time.perf_counter()
        grey, colour = self._reader.brightness_first(number)
        self._decoded, self._took_s = self._decoded + 1, self._took_s + time.perf_counter() - begun
        if coloured:
            picture = colour()
            return Frame(number, float(self._times[number]), grey, lambda: picture)
        return Frame(number, float(self._times[number]), grey, colour)
