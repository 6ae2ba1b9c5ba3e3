"""Films on their way into the notebook: their first pictures are seen before they are read through."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from threading import Event
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from saltus.core.progress import Partial, Progress
from saltus.core.wording import _
from saltus.footage.opening import facts_of
from saltus.notebook import films
from saltus.notebook.edits import takes as take_edits
from saltus.ui.desk.film_image import FilmImage
from saltus.ui.desk.film_thread import THUMB_HEIGHT

if TYPE_CHECKING:
    from collections.abc import Callable, Generator
    from pathlib import Path

    from PyQt6.QtGui import QImage

    from saltus.core.progress import Steps
    from saltus.footage.facts import FilmFacts
    from saltus.notebook.model import FilmRef, Notebook, Take
    from saltus.session.session import Session
    from saltus.ui.desk.task import Task


class Host(Protocol):
    """What opening needs of whoever shows the notebook."""

    session: Session
    take_id: str | None
    thumbs: dict[str, dict[int, QImage]]
    filmJoined: Any

    @property
    def notebook(self) -> Notebook:
        """The notebook as it is now."""

    def edit(self, name: str, notebook: Notebook, merge: str | None = None) -> None:
        """Make an edit."""

    def go_to_take(self, take_id: str | None) -> None:
        """Take another take in hand."""

    def give_picture(self, take: Take, frame: int, image: FilmImage) -> None:
        """Have a picture ready that is at hand already."""

    def check_films(self) -> None:
        """Check the films that were only looked at so far."""

    def run(
        self, words: str, work: Callable[[], Steps[Any]], then: Callable[[Any], None],
        *, found: Callable[[Any], None],
    ) -> Task:  # fmt: skip
        """Run long work off the interface thread."""


class Coming(NamedTuple):
    """A film on its way: its name, its first picture made small, and whole once that is there."""

    name: str
    small: FilmImage
    whole: FilmImage | None


class FilmOpening(QObject):
    """Reads films in the background and adds each as a take.

    Attributes
    ----------
    coming : dict of Task to Coming
        Films that are being read and of which a picture can be seen, by what reads them.

    Signals
    -------
    seen
        Others are coming than before.
    """

    seen = pyqtSignal()

    def __init__(self, desk: Host, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self.coming: dict[Task, Coming] = {}

    def open(self, path: Path, rate: float | None, *, simulated: bool, exposures: int) -> None:
        """Read a film through and add it as a take, see :meth:`saltus.ui.desk.desk.Desk.open_film`."""

        def work() -> Steps[Any]:
            seen = Event()

            def reference() -> FilmRef:
                seen.wait()
                return films.reference(path)

            # what tells the film from others is read beside its times, but behind its first picture
            with ThreadPoolExecutor(1) as beside:
                told = beside.submit(reference)
                steps = facts_of.steps(path, rate, quick=True, sound_alone=True, first=True)
                facts = yield from _with_images(steps, seen)
                return told.result(), facts.with_exposures(exposures)

        def join(outcome: Any) -> None:
            self._join(outcome, self.coming.pop(task, None), simulated=simulated)

        def see(first: tuple[FilmImage, bool]) -> None:
            if task.job.belongs_to(self._desk.session.document) and not task.isFinished():
                image, whole = first
                small = self.coming[task].small if task in self.coming else image
                self.coming[task] = Coming(path.name, small, image if whole else None)
                if small is image:
                    self.seen.emit()

        def gone() -> None:
            if self.coming.pop(task, None) is not None:
                self.seen.emit()

        # what it tells is heard once this is over: all signals of a task come from its own thread
        task = self._desk.run(_("Reading {name}").format(name=path.name), work, join, found=see)
        task.finished.connect(gone)

    def _join(self, outcome: Any, first: Coming | None, *, simulated: bool) -> None:
        desk = self._desk
        notebook, take_id = take_edits.add_take(desk.notebook, *outcome, simulated=simulated)
        desk.session.opened = True
        desk.take_id = take_id
        take = next(t for t in notebook.takes if t.id == take_id)
        if first is not None and first.whole is not None and take.facts.pictures:
            desk.give_picture(take, 0, first.whole)
        desk.edit(_("open a film"), notebook)
        desk.go_to_take(take_id)
        if first is not None and take.facts.pictures:
            # until thumbnails come the first picture stands for all
            small = first.small.scaledToHeight(2 * THUMB_HEIGHT, Qt.TransformationMode.SmoothTransformation)
            desk.thumbs[take_id].setdefault(0, small)
        desk.filmJoined.emit(take_id)
        desk.check_films()


def _with_images(steps: Steps[FilmFacts], seen: Event) -> Generator[Progress | Partial, None, FilmFacts]:
    """The same steps, with pictures made ready for painting where the work runs; sets when one was given."""
    try:
        while True:
            step = next(steps)
            if isinstance(step, Partial):
                seen.set()
                yield Partial((FilmImage(step.value.pixels), step.value.whole))
            else:
                yield step
    except StopIteration as end:
        facts: FilmFacts = end.value
        return facts
    finally:
        seen.set()
        steps.close()
