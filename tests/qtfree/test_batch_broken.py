"""Films that break the process that follows them: they are told, and the others are followed all the same."""

import os
from concurrent.futures.process import BrokenProcessPool

from saltus.core.progress import finished
from saltus.jobs import batch as batch_job
from saltus.jobs.batch import follow_films
from saltus.jobs.batch_film import film_done
from saltus.simulate.demo_runs import prepared, run_films


def breaks(number, path):
    """As a decoder would that a film brings down: in the worker, at the second film."""
    if number == 1:
        os._exit(1)
    return film_done(number, path)


def test_a_film_that_breaks_its_process_is_told_and_the_others_go_on(monkeypatch):
    """The process is made good; who was under way beside it is followed again."""
    monkeypatch.setattr(batch_job, "film_done", breaks)
    paths = run_films()[1:4]
    notebook, take_id = prepared(run_films())
    done = finished(follow_films.steps(notebook.take(take_id), run_films()[0], paths, 2))
    assert [bool(one.problem) for one in done] == [False, True, False]
    assert paths[1].name in done[1].problem
    assert all(one.outcome.bodies[0].count("found") == 60 for one in (done[0], done[2]))


def test_a_process_that_breaks_before_all_films_are_handed_out_loses_none(monkeypatch):
    """A film that breaks it at once leaves the others without a process to go to: they are followed after it."""
    submit = batch_job.ProcessPoolExecutor.submit

    def late(pool, act, number, path):
        if number and pool._max_workers > 1:
            raise BrokenProcessPool
        return submit(pool, act, number, path)

    monkeypatch.setattr(batch_job.ProcessPoolExecutor, "submit", late)
    notebook, take_id = prepared(run_films())
    done = finished(follow_films.steps(notebook.take(take_id), run_films()[0], run_films()[1:3], 2))
    assert all(one.outcome.bodies[0].count("found") == 60 for one in done)
