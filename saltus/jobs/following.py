"""Following as long work: frames in order from one pass over a film, what is found handed on as it comes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

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
    reader = reader_of(path, facts)
    broke_off = ""
    try:

        def seen(number: int) -> Frame:
            grey = reader.brightness(number)
            return Frame(number, float(times[number]), grey, partial(reader.picture, number))

        run = Following(starts, seen(frames[0]))
        done: list[tuple[int, tuple[Sighting, ...]]] = []
        for i, number in enumerate(frames[1:], 1):
            try:
                done.append((number, tuple(run.step(seen(number)))))
            except FilmError as error:
                broke_off = say("following.broke-off", frame=number, why=error)
                break
            yield Progress(i, len(frames) - 1)
            if len(done) == BLOCK or i == len(frames) - 1:
                yield Partial(Found(tuple(n for n, _s in done), tuple(s for _n, s in done)))
                done = []
        return Outcome(tuple(run.results()), broke_off)
    finally:
        reader.close()
