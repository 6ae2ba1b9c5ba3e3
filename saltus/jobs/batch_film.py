"""One film of a batch, in a worker process: found to be of the set-up, its bodies found and followed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import cv2

from saltus.core.clock.frame_times import regularity
from saltus.core.following.elsewhere import Elsewhere, Known, found_together
from saltus.core.following.fixed_scene import scene_shift
from saltus.core.following.patch import Box
from saltus.core.following.run import FollowingError, Start
from saltus.core.progress import Cancelled, finished
from saltus.footage.facts import FilmError
from saltus.footage.opening import facts_of, reader_of
from saltus.jobs.following import Outcome, follow
from saltus.jobs.sentences import say
from saltus.notebook.films import reference

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from saltus.footage.facts import FilmFacts
    from saltus.footage.reader import FrameReader
    from saltus.notebook.following import FollowedRun
    from saltus.notebook.model import Body, FilmRef, Take

    Picture = NDArray[np.uint8]

SAME_RATE = 0.02
"""Films are of one rate when the time between frames differs by less than this part."""
MOVED_PX = 1.5
"""A camera that moved less is covered by how well axes and reference are placed."""
MOST_LOOKS = 60
"""The bodies are looked for at so many moments of a film at most."""
REPORTS = 40


@dataclass(frozen=True)
class Asked:
    """What to look for: the template take, and the picture its boxes were drawn in, grey and in colour."""

    template: Take
    picture: Picture
    colour: Picture


@dataclass(frozen=True)
class FilmDone:
    """What came of a film.

    Attributes
    ----------
    path : Path
    problem : str
        Why nothing was followed, in a sentence; empty where it was.
    template : bool
        Whether it is the template's own film, which was followed before.
    film, facts : FilmRef, FilmFacts or None
    starts : tuple of Start
        Where the bodies were found, in the order of the template's.
    u : tuple of (x, y)
        How surely, standard uncertainty, px.
    frames : tuple of int
        That were looked at.
    outcome : Outcome or None
    """

    path: Path
    problem: str = ""
    template: bool = False
    film: FilmRef | None = None
    facts: FilmFacts | None = None
    starts: tuple[Start, ...] = ()
    u: tuple[tuple[float, float], ...] = ()
    frames: tuple[int, ...] = ()
    outcome: Outcome | None = None


class OtherFilmError(ValueError):
    """A film that is not of the set-up: why, and what to do."""


_asked: Asked
_stop: Any
_told: Any


def begin_worker(asked: Asked, stop: Any, told: Any) -> None:
    """Get ready, in a process of its own; ``stop`` is set when nothing more is wanted."""
    global _asked, _stop, _told
    _asked, _stop, _told = asked, stop, told
    # as many processes as cores: none may take a second one
    cv2.setNumThreads(1)


def film_done(number: int, path: Path) -> FilmDone:
    """Follow one film in a worker; what is wrong with it is told, never raised."""
    reported = 0.0

    def report(done: int, total: int) -> None:
        nonlocal reported
        if _stop.is_set():
            raise Cancelled
        share = done / total if total else 0.0
        if share - reported > 1 / REPORTS:
            reported = share
            _told.put((number, share))

    try:
        return _followed(_asked, path, report)
    except (FilmError, FollowingError, OtherFilmError) as error:
        return FilmDone(path, str(error))
    except MemoryError:
        return FilmDone(path, say("batch.memory", name=path.name))
    except Cancelled:
        return FilmDone(path, say("batch.stopped", name=path.name))


def _followed(asked: Asked, path: Path, report: Callable[[int, int], None]) -> FilmDone:
    template = asked.template
    facts = finished(facts_of.steps(path, _rate_of_pictures(path, template), quick=True))
    _require_like(template, facts, path)
    reader = reader_of(path, facts)
    try:
        _require_scene(asked, reader, facts, path)
        frame, found = _found_first(asked, reader, facts, path, report)
    finally:
        reader.close()
    runs = [_run(body) for body in template.bodies]
    starts = tuple(
        Start(body.name, one.box, run.method, one.point)
        for body, one, run in zip(template.bodies, found, runs, strict=True)
    )
    frames = _frames(template, runs, frame, facts)
    outcome = finished(follow.steps(path, facts, facts.times, frames, starts), report)
    u = tuple(one.u for one in found)
    return FilmDone(path, "", False, reference(path), facts, starts, u, tuple(frames), outcome)


def _rate_of_pictures(path: Path, template: Take) -> float | None:
    over, under = map(int, template.facts.time_base.split("/"))
    return under / over if path.is_dir() else None


def _run(body: Body) -> FollowedRun:
    """The run of a template's body: that it has one was seen to before."""
    assert body.first_run is not None
    return body.first_run


def _require_like(template: Take, facts: FilmFacts, path: Path) -> None:
    """A film of another size or rate is not of this set-up."""
    known = template.facts.film_facts()
    if (facts.width, facts.height) != (known.width, known.height):
        raise OtherFilmError(
            say(
                "batch.other-size", name=path.name, width=facts.width, height=facts.height,
                width0=known.width, height0=known.height,
            )
        )  # fmt: skip
    here, there = (regularity(f.times, float(f.time_base)).spacing_s for f in (facts, known))
    if here and there and abs(here / there - 1) > SAME_RATE:
        raise OtherFilmError(
            say("batch.other-rate", name=path.name, rate=f"{1 / here:.4g}", rate0=f"{1 / there:.4g}")
        )


def _require_scene(asked: Asked, reader: FrameReader, facts: FilmFacts, path: Path) -> None:
    """The fixed scene must lie where it lay: by it the scale and the axes hold."""
    template = asked.template
    frame = min(_run(template.bodies[0]).start, facts.frames - 1)
    shift = scene_shift(asked.picture, reader.brightness(frame), [_way(body) for body in template.bodies])
    if shift.same is False:
        raise OtherFilmError(say("batch.other-scene", name=path.name))
    if shift.same and shift.moved_px > MOVED_PX:
        raise OtherFilmError(say("batch.camera-moved", name=path.name, px=f"{shift.moved_px:.1f}"))


def _way(body: Body) -> Box:
    """The part of the picture a body is in at some time."""
    run, columns = _run(body), body.readings.columns
    _x, _y, width, height = run.box
    xs, ys = [run.point[0], *columns.x.tolist()], [run.point[1], *columns.y.tolist()]
    left, top = min(xs) - width, min(ys) - height
    return Box(left, top, max(xs) + width - left, max(ys) + height - top)


def _found_first(
    asked: Asked, reader: FrameReader, facts: FilmFacts, path: Path, report: Callable[[int, int], None]
) -> tuple[int, list[Elsewhere]]:
    """The first moment at which all bodies are in the picture, and where."""
    bodies = asked.template.bodies
    known = [Known(asked.picture, asked.colour, Box(*_run(b).box), _run(b).point) for b in bodies]
    begin = min(_run(bodies[0]).start, facts.frames - 1)
    missing = bodies[0].name
    for frame in range(begin, facts.frames, max(1, (facts.frames - begin) // MOST_LOOKS)):
        report(0, 0)
        found = found_together(known, reader.brightness(frame), reader.picture(frame))
        there = [one for one in found if one is not None]
        if len(there) == len(known):
            return frame, there
        missing = next(b.name for b, one in zip(bodies, found, strict=True) if one is None)
    raise OtherFilmError(say("batch.body-not-found", name=path.name, body=missing))


def _frames(template: Take, runs: list[FollowedRun], begin: int, facts: FilmFacts) -> list[int]:
    """Frames to look at: to the end where the template was followed to its end, else as long as it was."""
    first, end, every = runs[0].start, max(run.end for run in runs), runs[0].every
    to_end = end + every > template.kept_frames[-1]
    last = facts.frames - 1 if to_end else min(end + begin - first, facts.frames - 1)
    return list(range(begin, max(last, begin) + 1, every))
