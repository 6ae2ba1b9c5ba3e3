"""The run of following under way in the window, if there is one."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any, Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from saltus.core.following.evidence import AROUND, cut_about
from saltus.core.wording import _
from saltus.printing.pictures import as_array, as_image
from saltus.ui.desk.task import Task

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtGui import QImage

    from saltus.notebook.following import FollowedRun
    from saltus.notebook.model import Body, Notebook, Take
    from saltus.session.following import Ended, FollowingRun, Handed
    from saltus.session.session import Session
    from saltus.ui.desk.tasks import Tasks

STRIP = 5
SHOWN_MS = 40
"""So long after an edit everything has been painted; until then the run leaves the machine to that."""
MOST_CUTS = 400
"""So many pictures of doubtful places are kept; older ones are cut out again when they are wanted."""


class Host(Protocol):
    """What a run needs of whoever shows the notebook."""

    session: Session
    tasks: Tasks
    shown: tuple[str, int, QImage] | None
    take_id: str | None
    changed: Any
    said: Any
    taskStarted: Any

    @property
    def notebook(self) -> Notebook:
        """The notebook as it is now."""

    @property
    def folder(self) -> Path | None:
        """Where it lies."""

    @property
    def frame(self) -> int:
        """The frame in hand."""

    def edit(self, name: str, notebook: Notebook, merge: str | None = None) -> None:
        """Make an edit."""

    def undo(self) -> None:
        """Take the last edit back."""

    def show_frame(self, frame: int, image: QImage) -> None:
        """Take a frame in hand whose picture is at hand."""

    def want_cut(self, take: Take, frame: int, cut: tuple[str, float, float, float]) -> None:
        """Ask for a part of a frame."""


class FollowedNow(QObject):
    """Runs a following for the document that is open, and hands on what is found as edits.

    Signals
    -------
    changed
        It began, went on, waits, or ended.

    Attributes
    ----------
    run : FollowingRun or None
        Under way.
    strip : dict of str to list of (int, QImage)
        For each body frames lately found, and what lies about its place there.
    cuts : dict of (str, str, int) to QImage
        By take, body (and run) and frame: what lies about a place, and what is looked for.
    looks_at : dict of str to (x, y, reach)
        Where each body is looked for next, and how far to each side, px.
    decodes_at : float
        Frames a second in which the film alone could be decoded.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Host, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self.run: FollowingRun | None = None
        self.strip: dict[str, list[tuple[int, QImage]]] = {}
        self.cuts: dict[tuple[str, str, int], QImage] = {}
        self.decodes_at = 0.0
        self.looks_at: dict[str, tuple[float, float, float]] = {}
        self._asked: set[tuple[str, str, int]] = set()
        self._task: Task | None = None
        self._name, self._settled = "", False
        self._worked_s, self._since = 0.0, 0.0
        desk.changed.connect(self._look_whether_it_goes_on)

    def show_elsewhere(self, *, on: bool) -> None:
        """Let the window show how far it is, where the stage that does is not seen."""
        self._desk.taskStarted.emit(self._task if on else None)

    @property
    def take_id(self) -> str | None:
        """The take that is followed now."""
        return self.run.take.id if self.run is not None else None

    @property
    def over(self) -> bool:
        """Whether nothing is followed, or all that was found is there."""
        return self.run is None or self._settled

    @property
    def paused(self) -> bool:
        """Whether it waits."""
        return self.run is not None and self.run.steering.paused

    @property
    def rate(self) -> float:
        """Frames a second so far, without the time it waited; 0 before any."""
        worked = self._worked_s + (0.0 if self.paused or not self._since else time.monotonic() - self._since)
        return self.run.done / worked if self.run is not None and worked > 0 else 0.0

    def cut(self, take: Take, of: str, frame: int, place: tuple[float, float], side: float) -> QImage | None:
        """What lies about a place in a frame; asked for where it is not at hand, unless a run goes on."""
        key = (take.id, of, frame)
        if key not in self.cuts and key not in self._asked and self.run is None:
            self._asked.add(key)
            self._desk.want_cut(take, frame, (of, *place, side * AROUND))
        return self.cuts.get(key)

    def looked_for(
        self, take: Take, body: Body, run: FollowedRun, middle: tuple[float, float]
    ) -> QImage | None:
        """What a run looks for: what lies in and round its box in the frame it was drawn in."""
        return self.cut(take, f"{body.id}/{run.id}", run.start, middle, max(run.box[2:]))

    def keep_cut(self, take_id: str, of: str, frame: int, image: QImage) -> None:
        """Keep what was asked for."""
        self._asked.discard((take_id, of, frame))
        self.cuts[take_id, of, frame] = image
        while len(self.cuts) > MOST_CUTS:
            del self.cuts[next(iter(self.cuts))]
        self.changed.emit()

    def forget_cuts(self) -> None:
        """Another notebook is open, or a film lies elsewhere: what was seen is of no use any more."""
        self.cuts.clear()
        self._asked.clear()

    def begin(self, run: FollowingRun) -> None:
        """Begin a run; one edit with all it finds."""
        desk = self._desk
        folder = desk.folder
        notebook = run.begun(desk.notebook)
        job = desk.session.job(_("Following"), lambda: run.steps(folder))
        task = Task(job, stop=run.steering.stop)
        self.run, self._task, self._settled = run, task, False
        names = [body.name for one in run.wanted if (body := run.take.body(one.body)) is not None]
        self._name = _("follow {name}").format(name=", ".join(names))
        self.strip = {one.body: [] for one in run.wanted}
        self._worked_s, self._since = 0.0, time.monotonic()
        self._keep_boxes(run)
        task.found.connect(lambda handed: self._found(task, handed))
        task.succeeded.connect(lambda ended: self._ended(task, ended))
        task.failed.connect(lambda sentence: self._failed(task, sentence))
        task.stopped.connect(lambda: self._over(task))
        self._edit(notebook)
        desk.tasks.begin(task)
        self.changed.emit()

    def _keep_boxes(self, run: FollowingRun) -> None:
        """What is looked for is on screen when a run begins."""
        shown = self._desk.shown
        if shown is None or shown[:2] != (run.take.id, run.frames[0]):
            return
        picture = as_array(shown[2])
        for one in run.wanted:
            cut = cut_about(picture, *one.box.centre, one.box.size * AROUND)
            self.cuts[run.take.id, f"{one.body}/{run.runs[one.body]}", run.frames[0]] = as_image(cut)

    def pause(self) -> None:
        """Let it wait, or go on."""
        if self.run is None:
            return
        waits = not self.run.steering.paused
        if waits:
            self._worked_s += time.monotonic() - self._since
        else:
            self._since = time.monotonic()
        self.run.steering.pause(on=waits)
        self.changed.emit()

    def stop(self) -> None:
        """Let it end with what it has."""
        if self.run is not None:
            self.run.steering.stop()

    def _mine(self, task: Task) -> FollowingRun | None:
        """The run of a task, while its document is open."""
        open_still = task.job.belongs_to(self._desk.session.document)
        return self.run if task is self._task and open_still else None

    def _edit(self, notebook: Any) -> None:
        assert self.run is not None
        self._desk.edit(self._name, notebook, "follow/" + "/".join(self.run.runs.values()))

    def _found(self, task: Task, handed: Handed) -> None:
        run = self._mine(task)
        if run is None:
            return
        QTimer.singleShot(SHOWN_MS, run.steering.taken)
        if not run.goes_on(self._desk.notebook):
            return
        before, found = run.at, handed.found
        notebook = run.added(self._desk.notebook, handed)
        self.decodes_at = 1 / found.decode_s if found.decode_s > 0 else 0.0
        picture = as_image(found.seen.picture) if found.seen is not None else None
        areas = found.seen.next if found.seen is not None else ()
        self.looks_at = {one.body: area for one, area in zip(run.wanted, areas, strict=False)}
        for (frame, i), cut in (found.seen.cuts if found.seen is not None else {}).items():
            last = frame == run.at and found.sightings[-1][i].state == "found"
            self._keep(run, frame, run.wanted[i].body, as_image(cut), last=last)
        desk = self._desk
        if desk.take_id == run.take.id and desk.frame == before and picture is not None:
            desk.show_frame(run.at, picture)
        self._edit(notebook)

    def _keep(self, run: FollowingRun, frame: int, body: str, image: QImage, *, last: bool) -> None:
        self.cuts[run.take.id, body, frame] = image
        while len(self.cuts) > MOST_CUTS:
            del self.cuts[next(iter(self.cuts))]
        if last:
            self.strip[body] = [*self.strip[body], (frame, image)][-STRIP:]

    def _ended(self, task: Task, ended: Ended) -> None:
        run = self._mine(task)
        if run is not None and run.goes_on(self._desk.notebook):
            self._edit(run.ended(self._desk.notebook, ended))
            if ended.broke_off:
                self._desk.said.emit(ended.broke_off, "warn")
        self._settled = True
        # one thing after the other: what it all comes to is painted first
        QTimer.singleShot(SHOWN_MS, lambda: self._over(task))

    def _failed(self, task: Task, sentence: str) -> None:
        """Nothing came of it: what it began with goes, and why is said."""
        history = self._desk.session.history
        if self._mine(task) is not None and self.run is not None and history.undo_name == self._name:
            self._desk.undo()
        self._desk.said.emit(sentence, "warn")
        self._over(task)

    def _over(self, task: Task) -> None:
        if task is self._task:
            self.run = self._task = None
            self.looks_at = {}
            self.changed.emit()

    def _look_whether_it_goes_on(self) -> None:
        """A run that was undone, or whose document was closed, has nothing left to work for."""
        if self.run is not None and not self.run.goes_on(self._desk.notebook):
            self.run.steering.stop()
