"""A run of following at work on a document: from what is found to edits, block by block."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.following.run import Start
from saltus.core.progress import Partial
from saltus.jobs.following import Found, Outcome, Steering, follow
from saltus.notebook import films
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.edits import following as edits
from saltus.notebook.edits.following import Block
from saltus.notebook.following import FrameRecord, PatchRenewal, frame_record
from saltus.notebook.readings import Reading

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from saltus.core.following.followed import Followed, Method
    from saltus.core.following.patch import Box
    from saltus.core.following.sighting import Sighting
    from saltus.core.progress import Steps
    from saltus.notebook.model import Notebook, Take

PLACES, SPREADS = 4, 5
"""Decimals of places and of their uncertainties, px."""
STATUS = {"found": "used", "weak": "weak"}


@dataclass(frozen=True)
class Wanted:
    """A body to follow.

    Attributes
    ----------
    body : str
        Its id.
    box : Box
        px
    point : (x, y)
        The point that is read, px.
    method : str
    renewed : bool
        Whether the patch is made anew when the body turns or the light changes.
    """

    body: str
    box: Box
    point: tuple[float, float]
    method: Method = "auto"
    renewed: bool = True


@dataclass(frozen=True)
class Handed:
    """What was found in some frames, and what it makes of bodies by their ids."""

    found: Found
    blocks: dict[str, Block]


@dataclass(frozen=True)
class Ended:
    """What a run makes of bodies by their ids, and why it ended early (empty where it did not)."""

    blocks: dict[str, Block]
    broke_off: str


class FollowingRun:
    """Bodies of a take followed through some of its frames, for one document.

    Parameters
    ----------
    take : Take
    wanted : sequence of Wanted
        One to eight, each another body.
    frames : sequence of int
        In the order they are looked at; the boxes were drawn in the first.

    Attributes
    ----------
    steering : Steering
    runs : dict of str to str
        The id of the run of each body.
    at : int
        The last frame that was handed on.
    done : int
        How many frames were.
    """

    def __init__(self, take: Take, wanted: Sequence[Wanted], frames: Sequence[int]) -> None:
        self.take, self.wanted, self.frames = take, tuple(wanted), tuple(frames)
        self.steering = Steering()
        self.runs: dict[str, str] = {}
        self.at, self.done = self.frames[0], 0

    def begun(self, notebook: Notebook) -> Notebook:
        """The notebook with the runs begun."""
        every = abs(self.frames[1] - self.frames[0]) if len(self.frames) > 1 else 1
        for one in self.wanted:
            box = (one.box.x, one.box.y, one.box.width, one.box.height)
            notebook, run = edits.begin_run(
                notebook, self.take.id, one.body, method=one.method, box=box, point=one.point,
                start=self.frames[0], end=self.frames[-1], every=every, renewed=one.renewed,
            )  # fmt: skip
            self.runs[one.body] = run
        return notebook

    def goes_on(self, notebook: Notebook) -> bool:
        """Whether the document still holds these runs: they may have been undone, or their bodies removed."""
        take = notebook.take(self.take.id)
        bodies = ((take.body(body), run) for body, run in self.runs.items()) if take is not None else ()
        return any(body is not None and body.run(run) is not None for body, run in bodies)

    def steps(self, folder: Path | None) -> Steps[Ended]:
        """The work itself, to be run as a job; it hands on :class:`Handed`.

        Raises
        ------
        FilmError
            If the film is not there.
        FollowingError
            If there is nothing to follow in a box.
        """
        path = films.find(self.take.film, folder)
        starts = tuple(
            Start(w.body, w.box, w.method, w.point, self._passed(w.body), w.renewed) for w in self.wanted
        )
        times = [float(t) for t in frame_times(self.take)]
        facts = self.take.facts.film_facts()
        work = follow.steps(path, facts, times, self.frames, starts, self.steering)
        # readings are made here, so that whoever takes them has little left to do
        while True:
            try:
                step = next(work)
            except StopIteration as end:
                return self._ended(end.value)
            yield Partial(self._handed(step.value)) if isinstance(step, Partial) else step

    def _passed(self, body_id: str) -> tuple[tuple[float, float], ...]:
        """Where a body was read before, in the order of the frames."""
        body = self.take.body(body_id)
        used = body.readings.used if body is not None else None
        if used is None:
            return ()
        before = used.frame < self.frames[0]
        return tuple(zip(used.x[before].tolist(), used.y[before].tolist(), strict=True))

    def _handed(self, found: Found) -> Handed:
        blocks = {}
        for i, one in enumerate(self.wanted):
            seen = [(n, s[i]) for n, s in zip(found.frames, found.sightings, strict=True)]
            run = self.runs[one.body]
            readings = [r for n, s in seen if (r := _reading_of(run, n, s)) is not None]
            blocks[one.body] = Block(run, tuple(_record_of(n, s) for n, s in seen), tuple(readings))
        return Handed(found, blocks)

    def _ended(self, outcome: Outcome) -> Ended:
        pairs = zip(self.wanted, outcome.bodies, strict=True)
        blocks = {one.body: block_of(self.runs[one.body], followed) for one, followed in pairs}
        return Ended(blocks, outcome.broke_off)

    def added(self, notebook: Notebook, handed: Handed) -> Notebook:
        """The notebook with what was found in some frames."""
        frames = handed.found.frames
        self.at, self.done = frames[-1], self.done + len(frames)
        return edits.add_found(notebook, self.take.id, handed.blocks)

    def ended(self, notebook: Notebook, ended: Ended) -> Notebook:
        """The notebook with all that was found, as the whole run sees it."""
        return edits.add_found(notebook, self.take.id, ended.blocks)


def _record_of(frame: int, sighting: Sighting) -> FrameRecord:
    return frame_record(
        frame, sighting.state, sighting.likeness, sighting.doubts, sighting.angle, sighting.u_angle
    )


def _reading_of(run: str, frame: int, sighting: Sighting) -> Reading | None:
    if sighting.state == "lost":
        return None
    u_x, u_y = (math.sqrt(max(sighting.covariance[k, k], 0.0)) for k in (0, 1))
    return _reading(run, frame, (sighting.x, sighting.y), (u_x, u_y), sighting.state)


def _reading(run: str, frame: int, place: tuple[float, float], u: tuple[float, float], state: str) -> Reading:
    x, y = (round(float(v), PLACES) for v in place)
    u_x, u_y = (max(round(float(v), SPREADS), 10.0**-SPREADS) for v in u)
    return Reading(frame, x, y, u_x, "followed", STATUS[state], u_y, run)


def block_of(run: str, followed: Followed) -> Block:
    """What a run came to, for the document; ``run`` is its id."""
    records, readings = [], []
    for i, frame in enumerate(map(int, followed.frames)):
        sighting, state = followed.sightings[i], followed.states[i]
        records.append(_record_of(frame, sighting) if sighting is not None else FrameRecord(frame, state))
        if state != "lost":
            place, u = (followed.x[i], followed.y[i]), (followed.u_x[i], followed.u_y[i])
            readings.append(_reading(run, frame, place, u, state))
    u_patch = float(followed.u_patch[0]), float(followed.u_patch[1])
    renewals = tuple(
        PatchRenewal(frame=frame, u=(round(u[0], SPREADS), round(u[1], SPREADS)))
        for frame, u in followed.renewals
    )
    return Block(run, tuple(records), tuple(readings), u_patch, renewals, followed.method)


def frames_of(first: int, last: int, every: int = 1, left_out: Iterable[int] = ()) -> list[int]:
    """Frames from one to another, forwards or backwards, in the order they are looked at.

    Parameters
    ----------
    first, last, every : int
    left_out : iterable of int
        Frames not to be looked at, such as repeats; the first is looked at in any case.
    """
    way = every if last >= first else -every
    left = set(left_out)
    return [n for n in range(first, last + (1 if way > 0 else -1), way) if n == first or n not in left]
