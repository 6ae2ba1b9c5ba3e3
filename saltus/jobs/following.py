"""Following as long work: frames in order from one pass over a film, what is found handed on as it comes."""

from __future__ import annotations

from collections import deque
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import TYPE_CHECKING, Self

from saltus.core.following.run import Followed, Following, Frame, Start
from saltus.core.progress import LongWork, Partial, Progress
from saltus.footage.facts import FilmError
from saltus.footage.opening import reader_of
from saltus.jobs.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from saltus.core.following.sighting import Sighting
    from saltus.core.progress import Steps
    from saltus.footage.facts import FilmFacts

BLOCK = 8
"""Frames whose places are handed on together."""
AHEAD = 3
"""Frames decoded before they are looked at."""


@dataclass(frozen=True)
class Found:
    """What was found in some frames, in the order they were looked at.

    Attributes
    ----------
    frames : tuple of int
    sightings : tuple of tuple of Sighting
        One for each body, frame by frame.
    """

    frames: tuple[int, ...]
    sightings: tuple[tuple[Sighting, ...], ...]


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
    path: Path, facts: FilmFacts, times: Sequence[float], frames: Sequence[int], starts: tuple[Start, ...]
) -> Steps[Outcome]:
    """Follow bodies through frames of a film.

    Parameters
    ----------
    path, facts
        The film and what is known of it.
    times : sequence of float
        Of every frame of the film, s.
    frames : sequence of int
        In the order they are looked at, forwards or backwards; the boxes were drawn in the first.
    starts : tuple of Start

    Raises
    ------
    FilmError
        If the first frame cannot be read; a later one that cannot ends the run, and what was found stays.
    FollowingError
        If there is nothing to follow in a box.
    """
    colour = any(start.method in ("auto", "colour") for start in starts)
    broke_off = ""
    with _Ahead(path, facts, times) as ahead:
        run = Following(starts, ahead.first(frames[0], coloured=colour))
        colour = any(body.method == "colour" for body in run.bodies)
        done: list[tuple[int, tuple[Sighting, ...]]] = []
        for i, number in enumerate(frames[1:], 1):
            try:
                done.append((number, tuple(run.step(ahead.next(frames, i, coloured=colour)))))
            except FilmError as error:
                broke_off = say("following.broke-off", frame=number, why=error)
                break
            yield Progress(i, len(frames) - 1)
            if len(done) == BLOCK or i == len(frames) - 1:
                yield Partial(Found(tuple(n for n, _s in done), tuple(s for _n, s in done)))
                done = []
        return Outcome(tuple(run.results()), broke_off)


class _Ahead:
    """Frames decoded in a thread of their own while others are looked at; only it uses the reader."""

    def __init__(self, path: Path, facts: FilmFacts, times: Sequence[float]) -> None:
        self._reader = reader_of(path, facts)
        self._times = times
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="following")
        self._waiting: deque[Future[Frame]] = deque()
        self._asked = 1

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_error: object) -> None:
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
        grey = self._reader.brightness(number)
        picture = self._reader.picture(number) if coloured else grey
        return Frame(number, float(self._times[number]), grey, lambda: picture)
