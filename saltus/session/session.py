"""A document at work: its history, journal, lock and file, what is unsaved, and the jobs under way."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.core.wording import _
from saltus.footage.opening import fingerprint
from saltus.investigations.table.external_results import looked_up
from saltus.investigations.table.links import links_followed
from saltus.jobs.job import Job
from saltus.notebook import films, storage
from saltus.notebook.edits.ids import same_work
from saltus.notebook.history import History
from saltus.notebook.journal import Journal
from saltus.notebook.model import Notebook
from saltus.notebook.sharing import NotebookLock, digest

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.notebook.model import Take


def at_work(notebook: Notebook) -> History:
    """Begin to work on a notebook: after each edit the linked cells say what their sources say then."""
    return History(notebook, links_followed)


def opened(path: Path) -> tuple[Notebook, str]:
    """Open a notebook file to look at: results of notebooks beside it looked up, links followed.

    Parameters
    ----------
    path : Path

    Returns
    -------
    notebook, trouble : Notebook, str
        A sentence where results of other notebooks could not be found; their last values stay.

    Raises
    ------
    NotebookError
        If it cannot be opened.
    """
    notebook, trouble = looked_up(storage.load(path), path.parent)
    return links_followed(notebook), trouble


def _at_once(act: Callable[[], str]) -> str:
    return act()


class Session:
    """One document after another, each with all that is at work on it; no window is needed.

    Attributes
    ----------
    history : History
    path : Path or None
        Where it lies.
    document : int
        Token of the document that is open: another one for each that is started.
    opened : bool
        Whether there is a document to work on, or only the empty one of the beginning.
    closed_to : str or None
        Why it cannot be saved under its name, in a sentence.
    film_problems : dict of str to str
        Why the film of a take cannot be shown.
    jobs : list of Job
        Under way.
    """

    def __init__(self) -> None:
        self.history = at_work(Notebook())
        self.path: Path | None = None
        self.document = 0
        self.opened = False
        self.closed_to: str | None = None
        self.film_problems: dict[str, str] = {}
        self.jobs: list[Job[Any]] = []
        self._digest: str | None = None
        self._lock = NotebookLock()
        self.journal = Journal()
        self.journal.follow(self.history.present, None)
        self._told_trouble: str | None = None
        self._saved = self.history.present

    @property
    def notebook(self) -> Notebook:
        """The notebook as it is now."""
        return self.history.present

    @property
    def folder(self) -> Path | None:
        """Where the notebook lies."""
        return self.path.parent if self.path else None

    @property
    def unsaved(self) -> bool:
        """Whether there is work that is not in a file."""
        return not same_work(self.notebook, self._saved)

    # -- edits ---------------------------------------------------------------------------------------

    def edit(self, name: str, notebook: Notebook, merge: str | None = None) -> bool:
        """Make an edit, ``name`` stands at undo; gives whether anything changed."""
        changed = self.history.do(name, notebook, merge)
        if changed:
            self.journal.note(name, self.notebook)
        return changed

    def undo(self) -> str | None:
        """Take the last edit back; gives its name, None when there is none."""
        return self._noted(self.history.undo())

    def redo(self) -> str | None:
        """Make the edit again that was taken back; gives its name, None when there is none."""
        return self._noted(self.history.redo())

    def amend(self, name: str, change: Callable[[Notebook], Notebook]) -> None:
        """Change the notebook and all it may be undone to: what became known of its films is no step."""
        self.history.amend(change)
        self._noted(name)

    def _noted(self, name: str | None) -> str | None:
        if name is not None:
            self.journal.note(name, self.notebook)
        return name

    def new_trouble(self) -> str | None:
        """Why edits cannot be written down at once, where that was not told yet."""
        trouble = self.journal.trouble
        new = trouble if trouble not in (None, self._told_trouble) else None
        self._told_trouble = trouble
        return new

    # -- documents -----------------------------------------------------------------------------------

    def start(self, notebook: Notebook, path: Path | None = None, *, saved: bool = True) -> None:
        """Work on another notebook; ``saved`` says whether it is as in its file, or nothing to lose."""
        self.history = at_work(notebook)
        self.document += 1
        self.path = path
        self._digest = digest(path) if path is not None else None
        self.closed_to = None
        if path is None:
            self._lock.release()
        elif not self._lock.take(path):
            self.closed_to = _("{name} is open in another window of Saltus.").format(name=path.name)
        self.journal.follow(notebook, path, unsaved=not saved)
        self._saved = notebook if saved else Notebook()
        self.opened = True
        self.film_problems.clear()

    def open(self, path: Path) -> str:
        """Open a notebook file; gives what is to be warned of, empty where nothing is.

        Raises
        ------
        NotebookError
            If it cannot be opened; the present one stays as it is.
        """
        found = storage.open_file(path)
        notebook, trouble = looked_up(found.notebook, path.parent)
        self.start(found.notebook, path)
        self._digest = found.digest
        self.edit(_("look results up again"), notebook)
        told = [trouble] if trouble else []
        if found.newer is not None:
            self.closed_to = _(
                "{name} was made by a newer Saltus (file version {version}); some of it may not be shown."
            ).format(name=path.name, version=found.newer)
        if self.closed_to is not None:
            told.append(self.closed_to + " " + _("Changes can be saved under another name."))
        return " ".join(told)

    def save(self, path: Path, *, aside: Callable[[Callable[[], str]], str] = _at_once) -> None:
        """Save the notebook.

        Parameters
        ----------
        path : Path
        aside : callable
            Does what takes long, while edits may go on, and gives what it gives.

        Raises
        ------
        NotebookError
            If it cannot be saved there; it stays in memory as it is.
        """
        same = path == self.path
        if same and self.closed_to is not None:
            raise storage.NotebookError(self.closed_to + " " + _("Save it under another name."))
        if not same and not self._lock.take(path):
            words = _("{name} is open in another window of Saltus: save under another name.")
            raise storage.NotebookError(words.format(name=path.name))
        notebook, expected = self.notebook, self._digest if same else None
        try:
            self._digest = aside(lambda: storage.save(notebook, path, expected))
        except storage.NotebookError:
            if not same and self.path is not None:
                self._lock.take(self.path)
            raise
        self.path = path
        # the file is a new one now
        self._lock.take(path)
        self.closed_to = None
        self._saved = notebook
        self.journal.follow(notebook, path)
        # what was edited while it was being saved
        self.journal.note(_("edit"), self.notebook)

    # -- films and jobs ------------------------------------------------------------------------------

    def unchecked(self) -> Take | None:
        """The first take whose frames were only counted so far."""
        return next((take for take in self.notebook.takes if not take.facts.checked), None)

    def film_is_at(self, take_id: str, path: Path) -> str:
        """Take note where the film of a take is now; gives a sentence where it is not its film."""
        take = self.notebook.take(take_id)
        if take is None:
            return ""
        try:
            found = fingerprint(path)[1]
        except ValueError as error:
            return str(error)
        if found != take.film.sha256:
            return _("{name} is not the film that was measured here.").format(name=path.name)
        films.remember(take.film, path)
        self.film_problems.pop(take_id, None)
        return ""

    def job(self, words: str, begin: Callable[[], Steps[Any]], *, for_any: bool = False) -> Job[Any]:
        """Make a job for the document that is open now; ``for_any``: it changes no document."""
        made: Job[Any] = Job(words, begin, None if for_any else self.document)
        self.jobs.append(made)
        return made

    def ended(self, job: Job[Any]) -> None:
        """Take note that a job has ended."""
        if job in self.jobs:
            self.jobs.remove(job)

    def keep_for_now(self, name: str, notebook: Notebook) -> None:
        """Let the journal hold the notebook as if what is under way ended now; nothing is edited."""
        self.journal.note(name, notebook)

    def keep(self) -> None:
        """See to it that all edits are on the disk."""
        self.journal.sync(now=True)

    def leave(self) -> None:
        """Let go of everything without a question: what is in no file is offered at the next start."""
        for job in self.jobs:
            job.cancel()
        if self.unsaved or self.journal.typed:
            self.journal.leave()
        else:
            self.journal.end()
        self._lock.release()

    def close(self) -> None:
        """Let go of everything; what was not saved by now was given up."""
        for job in self.jobs:
            job.cancel()
        self.journal.end()
        self._lock.release()
