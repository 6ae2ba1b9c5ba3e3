"""Checking films whose frames were only counted so far, one after the other, in the background."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Protocol

from saltus.core.wording import _
from saltus.footage.opening import facts_of
from saltus.notebook import films
from saltus.notebook.edits.takes import set_facts
from saltus.notebook.model import TakeFacts
from saltus.ui.desk.task import Task

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.progress import Steps
    from saltus.notebook.model import Notebook
    from saltus.session.session import Session
    from saltus.ui.desk.tasks import Tasks


class Host(Protocol):
    """What the checks need of whoever shows the notebook."""

    session: Session
    tasks: Tasks

    def amend(self, name: str, change: Callable[[Notebook], Notebook]) -> None:
        """Change the notebook and all it may be undone to."""


class FilmChecks:
    """Reads each film of the notebook through once and takes over what that finds.

    Parameters
    ----------
    desk : Host
    """

    def __init__(self, desk: Host) -> None:
        self._desk = desk
        self._task: Task | None = None

    def stop(self) -> None:
        """Let the check under way go: another notebook is open."""
        if self._task is not None:
            self._task.cancel()
            self._task = None

    def begin(self) -> None:
        """Check the next film, unless one is being checked."""
        desk = self._desk
        take = desk.session.unchecked()
        if take is None or self._task is not None:
            return
        folder = desk.session.folder

        def work() -> Steps[Any]:
            return (yield from facts_of.steps(films.find(take.film, folder)))

        job = desk.session.job(_("Checking {name}").format(name=take.film.name), work)

        def check(facts: Any) -> None:
            if job.belongs_to(desk.session.document):
                found = TakeFacts.of(facts)
                desk.amend(_("check a film"), lambda notebook: set_facts(notebook, take.id, found))

        def go_on() -> None:
            if not job.belongs_to(desk.session.document):
                return  # the notebook that is open now has begun with its own films
            self._task = None
            now = desk.session.notebook.take(take.id)
            if now is None or now.facts.checked:
                self.begin()

        self._task = task = Task(job)
        task.succeeded.connect(check)
        task.finished.connect(go_on)
        desk.tasks.begin(task)
