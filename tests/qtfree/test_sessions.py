"""A document at work without a window: files, locks, what is unsaved, jobs that belong to their document."""

import threading

import made
import pytest

from saltus.core.progress import Cancelled, LongWork, Partial, Progress, finished
from saltus.jobs.job import Job
from saltus.notebook.edits import takes as edits
from saltus.notebook.model import Notebook
from saltus.notebook.recovery import left_behind
from saltus.notebook.storage import NotebookError, load, save
from saltus.session.session import Session


@pytest.fixture
def session():
    """A session, closed at the end."""
    one = Session()
    yield one
    one.close()


def test_a_document_is_opened_edited_undone_and_saved(session, tmp_path):
    """What is unsaved is told by what the notebook holds: undo back to the file and nothing is, ids aside."""
    save(made.measured(6)[0], tmp_path / "a.saltus")
    assert session.open(tmp_path / "a.saltus") == ""
    assert not session.unsaved
    first = session.document
    assert session.edit("add", made.with_film(session.notebook)[0])
    assert session.unsaved
    assert session.undo() == "add"
    assert not session.unsaved
    assert session.notebook.last_ids["take"] == 2
    assert session.redo() == "add"
    session.save(tmp_path / "b.saltus")
    assert (session.path, session.unsaved) == (tmp_path / "b.saltus", False)
    assert len(load(tmp_path / "b.saltus").takes) == 2
    session.start(Notebook())
    assert session.document == first + 1
    with pytest.raises(NotebookError):
        session.open(tmp_path / "none.saltus")
    assert session.notebook == Notebook()


def test_two_sessions_do_not_write_over_each_other(session, tmp_path):
    """The second may look and save elsewhere; what was changed behind one's back is not written over."""
    path = tmp_path / "a.saltus"
    save(Notebook(title="First"), path)
    session.open(path)
    other = Session()
    try:
        assert "another window" in other.open(path)
        other.edit("title", edits.set_title(other.notebook, "Second"))
        with pytest.raises(NotebookError, match="another"):
            other.save(path)
        other.save(tmp_path / "b.saltus")
        assert load(tmp_path / "b.saltus").title == "Second"
    finally:
        other.close()
    save(Notebook(title="Behind"), path)
    session.edit("title", edits.set_title(session.notebook, "Mine"))
    with pytest.raises(NotebookError, match="changed"):
        session.save(path)
    assert session.notebook.title == "Mine"


def test_every_edit_is_in_the_journal(session):
    """What a session that is gone had not saved is offered, as it was after the last edit."""
    session.start(Notebook())
    session.edit("title", edits.set_title(session.notebook, "Kept"))
    session.journal._file.close()
    session.journal._file = None
    (left,) = left_behind()
    assert left.notebook.title == "Kept"
    left.forget()


@LongWork
def counting(n, closed):
    """Counts, with a partial result at each step; notes when it was closed."""
    total = 0
    try:
        for i in range(n):
            total += i
            yield Partial(total)
            yield Progress(i + 1, n)
        return total
    finally:
        closed.append(True)


def test_long_work_goes_step_by_step(session):
    """It tells how far it is, gives what can be used meanwhile, stops in between and cleans up, and has an owner."""
    closed, said, used = [], [], []
    assert counting(4, closed) == 6
    assert finished(counting.steps(3, closed), lambda *step: said.append(step), used.append) == 3
    assert (said, used, len(closed)) == ([(1, 3), (2, 3), (3, 3)], [0, 1, 3], 2)
    session.start(Notebook())
    job = session.job("counting", lambda: counting.steps(1000, closed))
    assert session.jobs == [job]
    with pytest.raises(Cancelled):
        job.run(lambda done, _total: job.cancel() if done == 5 else None)
    assert len(closed) == 3
    assert job.belongs_to(session.document)
    session.start(Notebook())
    assert not job.belongs_to(session.document)
    assert session.job("writing", lambda: counting.steps(1, closed), for_any=True).belongs_to(
        session.document + 5
    )
    session.ended(job)
    assert job not in session.jobs


def test_a_job_is_cancelled_from_another_thread():
    """As a window does: the work ends at its next step."""
    closed, outcome, begun = [], [], threading.Event()

    def run(job):
        try:
            job.run(lambda *_step: begun.set())
        except Cancelled:
            outcome.append("stopped")

    job = Job("endless", lambda: counting.steps(10**9, closed))
    thread = threading.Thread(target=run, args=(job,))
    thread.start()
    begun.wait(30)
    job.cancel()
    thread.join(30)
    assert (outcome, closed) == (["stopped"], [True])
