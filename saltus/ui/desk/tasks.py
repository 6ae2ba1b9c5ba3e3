"""The long work under way in the window."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from saltus.core.progress import Progress
from saltus.core.wording import _
from saltus.files.writing import keep_inputs
from saltus.notebook.films import files_of
from saltus.ui.desk.task import Task

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.session.session import Session


class Tasks(QObject):
    """Runs long work for the document that is open, off the interface thread.

    Signals
    -------
    started(task), said(sentence, kind)
    """

    started = pyqtSignal(object)
    said = pyqtSignal(str, str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._under_way: list[Task] = []

    def run(
        self, words: str, work: Callable[[], Steps[Any]], then: Callable[[Any], None],
        otherwise: Callable[[str], None] | None = None, *, for_any: bool = False,
        found: Callable[[Any], None] | None = None,
    ) -> Task:  # fmt: skip
        """Run long work; trouble is said, cancelling changes nothing.

        Parameters
        ----------
        words : str
            What is being done.
        work : callable
            Gives the steps.
        then : callable
            Is given what came of it, for the notebook that is open now: it is let go when another is by then.
        otherwise : callable, optional
            Is told why nothing came of it; nothing where it was stopped.
        for_any : bool
            It changes no notebook.
        found : callable, optional
            Is given what can be used before the end.
        """
        task = Task(self._session.job(words, work, for_any=for_any))

        def succeeded(outcome: Any) -> None:
            if task.job.belongs_to(self._session.document):
                then(outcome)
            else:
                told = _("{what}: that was for the notebook open before, nothing was added to this one.")
                self.said.emit(told.format(what=words), "warn")

        task.succeeded.connect(succeeded)
        task.failed.connect(lambda sentence: self.said.emit(sentence, "warn"))
        task.stopped.connect(lambda: self.said.emit(_("Stopped; nothing was changed."), "note"))
        if found is not None:
            task.found.connect(found)
        if otherwise is not None:
            task.failed.connect(otherwise)
            task.stopped.connect(lambda: otherwise(""))
        self.started.emit(task)
        self.begin(task)
        return task

    def write_file(
        self, words: str, path: Path, act: Callable[[], object], then: Callable[[Path], None]
    ) -> None:  # fmt: skip
        """Write a file of our making off the interface thread; never over what the work is read from."""
        session = self._session
        read = files_of(session.notebook, session.path) if session.path is not None else []

        def work() -> Steps[Path]:
            keep_inputs(path, read)
            yield Progress(0, 1)
            act()
            return path

        self.run(words, work, then, for_any=True)

    @property
    def idle(self) -> bool:
        """Whether nothing is under way."""
        return not self._under_way

    def begin(self, task: Task) -> None:
        """Start work that ends with the window at the latest."""
        self._under_way.append(task)
        task.finished.connect(lambda: self._under_way.remove(task))
        task.finished.connect(lambda: self._session.ended(task.job))
        task.start()

    def wait(self) -> None:
        """Wait until all work has ended; it was asked to before."""
        for task in list(self._under_way):
            task.wait()
