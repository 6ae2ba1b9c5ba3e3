"""Long work off the interface thread, with progress and cancel."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QThread, pyqtSignal

from saltus.core.progress import Cancelled, Report
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Callable

BETWEEN_REPORTS_S = 0.05


class Task(QThread):
    """Runs a function of a progress report in a thread.

    Signals
    -------
    progressed(done, total), succeeded(outcome), failed(sentence), stopped()
    """

    progressed = pyqtSignal(int, int)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal()

    def __init__(self, words: str, work: Callable[[Report], Any]) -> None:
        super().__init__()
        self.words = words
        self._work = work
        self._cancelled = False
        self._last = 0.0

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._cancelled = True

    def run(self) -> None:
        try:
            outcome = self._work(self._report)
        except Cancelled:
            self.stopped.emit()
        except ValueError as error:
            # our errors are sentences for people; all derive from ValueError
            self.failed.emit(str(error))
        except (OSError, MemoryError) as error:
            self.failed.emit(_("This could not be done: {why}.").format(why=error))
        else:
            self.succeeded.emit(outcome)

    def _report(self, done: int, total: int) -> None:
        if self._cancelled:
            raise Cancelled
        now = time.monotonic()
        if now - self._last > BETWEEN_REPORTS_S or done == total:
            self._last = now
            self.progressed.emit(done, total)
