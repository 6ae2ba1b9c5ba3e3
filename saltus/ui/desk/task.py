"""A job run in a thread of the window, with progress and cancel."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QThread, pyqtSignal

from saltus.core.progress import Cancelled
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.jobs.job import Job

BETWEEN_REPORTS_S = 0.05


class Task(QThread):
    """Runs a job.

    Parameters
    ----------
    job : Job
    stop : callable, optional
        How it is asked to stop, where that does not give up what it has done.

    Signals
    -------
    progressed(done, total), found(partial), succeeded(outcome), failed(sentence), stopped()
    """

    progressed = pyqtSignal(int, int)
    found = pyqtSignal(object)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal()

    def __init__(self, job: Job[Any], stop: Callable[[], None] | None = None) -> None:
        super().__init__()
        self.job = job
        self._stop = stop or job.cancel
        self._last = 0.0

    @property
    def words(self) -> str:
        """What is being done."""
        return self.job.words

    def cancel(self) -> None:
        """Ask the work to stop at its next step."""
        self._stop()

    def run(self) -> None:
        told = False
        try:
            self._run()
            told = True
        finally:
            if not told:
                # what went wrong goes on to the one place for it; who waits for this work is told too
                self.failed.emit(_("This could not be done: something went wrong inside Saltus."))

    def _run(self) -> None:
        try:
            outcome = self.job.run(self._report, self.found.emit)
        except Cancelled:
            self.stopped.emit()
        except ValueError as error:
            # our errors are sentences for people; all derive from ValueError
            self.failed.emit(str(error))
        except OSError as error:
            self.failed.emit(_("This could not be done: {why}.").format(why=error.strerror or error))
        except MemoryError:
            self.failed.emit(_("This could not be done: there is not enough memory for it."))
        else:
            self.succeeded.emit(outcome)

    def _report(self, done: int, total: int) -> None:
        now = time.monotonic()
        if now - self._last > BETWEEN_REPORTS_S or done == total:
            self._last = now
            self.progressed.emit(done, total)
