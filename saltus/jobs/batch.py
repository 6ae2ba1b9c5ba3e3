"""Many films of one set-up followed at once: each in a process of its own, as a template take was."""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.progress import LongWork, Partial, Progress
from saltus.footage.facts import FilmError
from saltus.footage.opening import fingerprint, reader_of
from saltus.jobs.batch_film import Asked, FilmDone, begin_worker, film_done
from saltus.jobs.following import Steering
from saltus.jobs.sentences import say

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from concurrent.futures import Future
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.notebook.model import Take

MOST_FILMS = 400
LOOK_S = 0.1
READY = "saltus.jobs.batch_ready"


class TemplateError(ValueError):
    """A take that cannot be a template: why, and what to do."""


@dataclass(frozen=True)
class Told:
    """What came of the film of a number, as soon as it is known."""

    number: int
    done: FilmDone


def cores() -> int:
    """How many films are followed at once."""
    return max(len(os.sched_getaffinity(0)), 1)


def require_template(take: Take) -> None:
    """See that a take can be a template.

    Raises
    ------
    TemplateError
        If it has no bodies, or one of them has no box.
    """
    if not take.bodies:
        raise TemplateError(say("batch.no-bodies", take=take.name))
    runs = {body.name: body.first_run for body in take.bodies}
    without = [name for name, run in runs.items() if run is None]
    if without:
        raise TemplateError(say("batch.no-box", take=take.name, body=without[0]))
    if len({run.start for run in runs.values() if run is not None}) > 1:
        raise TemplateError(say("batch.boxes-in-frames", take=take.name))


@LongWork
def follow_films(
    template: Take,
    film: Path,
    paths: Sequence[Path],
    workers: int | None = None,
    steering: Steering | None = None,
    measured: Mapping[str, str] | None = None,
) -> Steps[list[FilmDone]]:
    """Follow the bodies of a template through other films of its set-up.

    Parameters
    ----------
    template : Take
    film : Path
        Its film.
    paths : sequence of Path
        The others, in order; the template's own may be among them.
    workers : int, optional
        Films at once; as many as there are cores by default.
    steering : Steering, optional
        Stops it: films that are done by then stay done.
    measured : mapping of str to str, optional
        Films, by SHA-256, that are measured already, and the name of their take: they are left as they are.

    Returns
    -------
    list of FilmDone
        One a film, in order. Each is handed on as :class:`Told` as soon as it is there.

    Raises
    ------
    TemplateError
        If the take has no boxes, its film cannot be read, or there are more films than can be kept.
    """
    require_template(template)
    if len(paths) > MOST_FILMS:
        raise TemplateError(say("batch.too-many", n=len(paths), most=MOST_FILMS))
    asked = _asked(template, film)
    done = yield from _known_films(template, paths, measured or {})
    wanted = [i for i in range(len(paths)) if i not in done]
    if wanted:
        crew = _Crew(asked, paths, min(workers or cores(), len(wanted)), steering or Steering())
        yield from crew.work(wanted, done)
    return [done[i] for i in range(len(paths))]


def _asked(template: Take, film: Path) -> Asked:
    """What the workers need to know of the template; its film is read here, once."""
    run = template.bodies[0].first_run
    assert run is not None
    try:
        reader = reader_of(film, template.facts.film_facts())
        try:
            grey, colour = reader.brightness_first(run.start)
            return Asked(template, grey, colour())
        finally:
            reader.close()
    except FilmError as error:
        raise TemplateError(str(error)) from error


def _known_films(
    template: Take, paths: Sequence[Path], measured: Mapping[str, str]
) -> Steps[dict[int, FilmDone]]:
    """Films that need not be followed, by their numbers."""
    done: dict[int, FilmDone] = {}
    prints: dict[str, str] = {}
    for i, path in enumerate(paths):
        yield Progress(0, 0)
        known = _known(path, prints, template, measured)
        if known is not None:
            done[i] = known
            yield Partial(Told(i, known))
    return done


def _known(
    path: Path, prints: dict[str, str], template: Take, measured: Mapping[str, str]
) -> FilmDone | None:
    """What can be said of a film by its content alone: it is there twice, or cannot be read."""
    try:
        digest = fingerprint(path)[1]
    except FilmError as error:
        return FilmDone(path, str(error))
    if digest in prints:
        return FilmDone(path, say("batch.same-film", name=path.name, other=prints[digest]))
    prints[digest] = path.name
    if digest in measured:
        return FilmDone(path, say("batch.measured", name=path.name, take=measured[digest]))
    if digest == template.film.sha256 and all(len(b.readings) for b in template.bodies):
        return FilmDone(path, template=True)
    return None


class _Crew:
    """Processes that follow films; one that a film breaks is made good, and that film is told."""

    def __init__(self, asked: Asked, paths: Sequence[Path], workers: int, steering: Steering) -> None:
        self._asked, self._paths, self._workers, self._steering = asked, paths, workers, steering
        self._shares: dict[int, float] = {}

    def work(self, wanted: list[int], done: dict[int, FilmDone]) -> Steps[None]:
        """Follow films by their numbers, told in the order they are done."""
        left = list(wanted)
        alone: list[int] = []
        while left or alone:
            # a film that was under way when a process broke is tried again by itself: then it is known
            batch, workers = ([alone.pop(0)], 1) if alone else (left, self._workers)
            broken = yield from self._round(batch, workers, len(wanted), done)
            if batch is left:
                alone, left = broken, []
            elif broken:
                number = batch[0]
                done[number] = FilmDone(
                    self._paths[number], say("batch.broke", name=self._paths[number].name)
                )
                yield Partial(Told(number, done[number]))

    def _round(
        self, batch: list[int], workers: int, total: int, done: dict[int, FilmDone]
    ) -> Steps[list[int]]:
        """Follow some films at once; gives those that could not be as a process broke."""
        # loading what following needs takes longer than a short film: one process does it for all
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload([READY])
        stop, told = context.Event(), context.SimpleQueue()
        pool = ProcessPoolExecutor(workers, context, begin_worker, (self._asked, stop, told))
        broken: list[int] = []
        try:
            waiting: dict[Future[FilmDone], int] = {}
            for number in batch:
                try:
                    waiting[pool.submit(film_done, number, self._paths[number])] = number
                except BrokenProcessPool:
                    # one of the first broke its process before all were handed out
                    broken.append(number)
            while waiting:
                if self._steering.stopped:
                    stop.set()
                ready, _rest = wait(waiting, LOOK_S, FIRST_COMPLETED)
                while not told.empty():
                    number, share = told.get()
                    self._shares[number] = share
                for future in ready:
                    number = waiting.pop(future)
                    try:
                        done[number] = future.result()
                    except BrokenProcessPool:
                        broken.append(number)
                        continue
                    self._shares[number] = 1.0
                    yield Partial(Told(number, done[number]))
                yield Progress(round(100 * sum(self._shares.values())), 100 * total)
        finally:
            stop.set()
            pool.shutdown(wait=True, cancel_futures=True)
        return broken
