"""What the window works on: the notebook with its history, the take, frame and body in hand."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from saltus.core.wording import _
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.storage import NotebookError
from saltus.session.session import Session
from saltus.ui.desk.aside import done_aside
from saltus.ui.desk.film_checks import FilmChecks
from saltus.ui.desk.film_opening import FilmOpening
from saltus.ui.desk.film_thread import FilmThread, Wish
from saltus.ui.desk.followed_now import FollowedNow
from saltus.ui.desk.proxies import Preparing
from saltus.ui.desk.remembering import remember_notebook
from saltus.ui.desk.stand_in import cover, stand_in
from saltus.ui.desk.tasks import Tasks

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.notebook.model import Body, Notebook, Take
    from saltus.notebook.recovery import Left
    from saltus.ui.desk.film_image import FilmImage
    from saltus.ui.desk.task import Task

THUMBS = 10
SYNC_MS = 1000


class Desk(QObject):
    """Model of the window: widgets show it and ask it for edits.

    Signals
    -------
    changed
        The notebook is another one than before.
    lookedElsewhere
        Another take, frame or body is in hand.
    previewArrived
        A picture of the frame in hand to show until the frame itself is there, see :meth:`preview`.
    pictureArrived(take, frame, image), thumbArrived(take), filmFailed(take, sentence)
    said(sentence, kind)
        Something to tell; kind is ``note`` or ``warn``.
    taskStarted(task)
    """

    changed = pyqtSignal()
    lookedElsewhere = pyqtSignal()
    pictureArrived = pyqtSignal(str, int, QImage)
    thumbArrived = pyqtSignal(str)
    filmFailed = pyqtSignal(str, str)
    said = pyqtSignal(str, str)
    taskStarted = pyqtSignal(object)
    previewArrived = pyqtSignal()
    filmJoined = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.session = Session()
        self.take_id: str | None = None
        self.segment_id: str | None = None
        self.every = 1  # while playing: so many frames at once
        self._frames: dict[str, int] = {}
        self._bodies: dict[str, str] = {}
        self.thumbs: dict[str, dict[int, QImage]] = {}
        self.shown: tuple[str, int, QImage] | None = None
        self._moving: tuple[str, int, QImage] | None = None
        self._thread = FilmThread()
        self._thread.picture.connect(self._picture)
        self._thread.preview.connect(self._preview)
        self._thread.thumbnail.connect(self._thumb)
        self._thread.failed.connect(self._film_failed)
        self._thread.start()
        self.tasks = Tasks(self.session, self)
        self.tasks.started.connect(self.taskStarted)
        self.tasks.said.connect(self.said)
        self._sync = QTimer(self)
        self._sync.setInterval(SYNC_MS)
        self._sync.timeout.connect(self.session.journal.between)
        self._sync.start()
        self._checks = FilmChecks(self)
        self.opening = FilmOpening(self, self)
        self.preparing = Preparing(self, self)
        self.following = FollowedNow(self, self)

    # -- what is in hand -----------------------------------------------------------------------------

    @property
    def notebook(self) -> Notebook:
        """The notebook as it is now."""
        return self.session.notebook

    @property
    def path(self) -> Path | None:
        """Where the notebook lies."""
        return self.session.path

    @property
    def film_problems(self) -> dict[str, str]:
        """Why the film of a take cannot be shown."""
        return self.session.film_problems

    @property
    def take(self) -> Take | None:
        """The take in hand."""
        return self.notebook.take(self.take_id)

    @property
    def frame(self) -> int:
        """The frame in hand."""
        take = self.take
        return self._frames.get(take.id, take.kept_frames[0]) if take is not None else 0

    @property
    def body(self) -> Body | None:
        """The body in hand: the chosen one, else the first."""
        take = self.take
        if take is None or not take.bodies:
            return None
        return take.body(self._bodies.get(take.id)) or take.bodies[0]

    @property
    def busy(self) -> bool:
        """Whether bodies are being followed, which needs the machine."""
        return self.following.run is not None

    @property
    def folder(self) -> Path | None:
        """Where the notebook lies."""
        return self.session.folder

    def time(self) -> float:
        """Time of the frame in hand, s."""
        take = self.take
        return float(frame_times(take)[self.frame]) if take else 0.0

    def go_to_take(self, take_id: str | None) -> None:
        """Take another take in hand."""
        self.take_id = take_id
        self.segment_id = None
        self.lookedElsewhere.emit()
        self._want_picture()
        self.want_thumbs()

    def go_to_frame(self, frame: int) -> None:
        """Show another frame of the take in hand; beyond the ends the first or last."""
        take = self.take
        if take is None:
            return
        frame = min(max(frame, 0), len(take.facts.ticks) - 1)
        if frame != self.frame:
            self._frames[take.id] = frame
            self.lookedElsewhere.emit()
            self._want_picture()

    def show_frame(self, frame: int, image: QImage) -> None:
        """Take a frame in hand whose picture is at hand already; the edit that follows shows it."""
        if self.take_id is not None:
            self._frames[self.take_id] = frame
            self.shown = (self.take_id, frame, image)

    def choose_body(self, body_id: str) -> None:
        """Take another body in hand."""
        if self.take_id:
            self._bodies[self.take_id] = body_id
            self.lookedElsewhere.emit()

    def next_body(self, step: int) -> None:
        """Take the next or previous body in hand."""
        take, body = self.take, self.body
        if take is not None and body is not None:
            at = [b.id for b in take.bodies].index(body.id)
            self.choose_body(take.bodies[(at + step) % len(take.bodies)].id)

    def choose_segment(self, segment_id: str | None) -> None:
        """Take a segment in hand."""
        self.segment_id = segment_id
        self.lookedElsewhere.emit()

    # -- edits ---------------------------------------------------------------------------------------

    def edit(self, name: str, notebook: Notebook, merge: str | None = None) -> None:
        """Make an edit; ``name`` stands at undo."""
        if self.session.edit(name, notebook, merge):
            self._after_change()

    def undo(self) -> None:
        """Take the last edit back."""
        if self.session.undo() is not None:
            self._after_change()

    def redo(self) -> None:
        """Make the edit again that was taken back."""
        if self.session.redo() is not None:
            self._after_change()

    def amend(self, name: str, change: Callable[[Notebook], Notebook]) -> None:
        """Change the notebook and all it may be undone to: what became known of its films is no step."""
        self.session.amend(name, change)
        self._after_change()

    def _after_change(self) -> None:
        trouble = self.session.new_trouble()
        if trouble is not None:
            self.said.emit(trouble, "warn")
        if self.take is None:
            takes = self.notebook.takes
            self.take_id = takes[-1].id if takes else None
            self._want_picture()
        self.changed.emit()

    # -- notebooks and films -------------------------------------------------------------------------

    def start(self, notebook: Notebook, path: Path | None = None, *, saved: bool = True) -> None:
        """Work on another notebook; ``saved`` says whether it is as in its file, or nothing to lose."""
        self.session.start(notebook, path, saved=saved)
        self._begun()

    def _begun(self) -> None:
        """Show another notebook: nothing of the one before is in hand any more."""
        notebook = self.notebook
        self._checks.stop()
        self.opening.coming.clear()
        self._thread.forget_thumbs()
        self._frames.clear()
        self._bodies.clear()
        self.thumbs.clear()
        self.following.forget_cuts()
        self._thread.forget_failures()
        self.shown = None
        self.take_id = notebook.takes[0].id if notebook.takes else None
        self.segment_id = None
        self.changed.emit()
        self.lookedElsewhere.emit()
        self._want_picture()
        self.want_thumbs()
        self._checks.begin()

    def open_notebook(self, path: Path) -> bool:
        """Open a notebook; on trouble the present one stays as it is."""
        try:
            warning = self.session.open(path)
        except NotebookError as error:
            self.said.emit(str(error), "warn")
            return False
        self._begun()
        if warning:
            self.said.emit(warning, "warn")
        remember_notebook(path, self.notebook)
        return True

    def take_over(self, left: Left) -> None:
        """Go on with work that a crash left behind; it is unsaved until it is saved."""
        self.start(left.notebook, left.place, saved=False)
        left.forget()

    def save(self, path: Path) -> bool:
        """Save the notebook; on trouble it stays in memory as it is."""
        try:
            self.session.save(path, aside=done_aside)
        except NotebookError as error:
            self.said.emit(str(error), "warn")
            return False
        remember_notebook(path, self.notebook, cover(self.thumbs.get(self.take_id or "", {})))
        self.said.emit(_("Saved as {name}.").format(name=path.name), "note")
        self.changed.emit()
        return True

    def open_film(
        self, path: Path, rate: float | None = None, *, simulated: bool = False, exposures: int = 0
    ) -> None:
        """Read a film through in the background and add it as a take; a picture as so many exposures."""
        self.opening.open(path, rate, simulated=simulated, exposures=exposures)

    def check_films(self) -> None:
        """Check the films that were only looked at so far, in the background."""
        self._checks.begin()

    def give_picture(self, take: Take, frame: int, image: FilmImage) -> None:
        """Have a picture ready that is at hand already."""
        self._thread.keep(Wish(take, self.folder, frame), image)

    def show_film_again(self, take_id: str, path: Path) -> None:
        """Tell where the film of a take is now."""
        wrong = self.session.film_is_at(take_id, path)
        if wrong:
            self.said.emit(wrong, "warn")
            return
        self.thumbs.pop(take_id, None)
        self._thread.forget_failures()
        self._want_picture()
        self.want_thumbs()
        self.changed.emit()

    def run(
        self, words: str, work: Callable[[], Steps[Any]], then: Callable[[Any], None],
        otherwise: Callable[[str], None] | None = None, *, for_any: bool = False,
        found: Callable[[Any], None] | None = None,
    ) -> Task:  # fmt: skip
        """Run long work off the interface thread, see :meth:`saltus.ui.desk.tasks.Tasks.run`."""
        return self.tasks.run(words, work, then, otherwise, for_any=for_any, found=found)

    def let_widgets_go(self) -> None:
        """Tell nobody any more: the widgets that listened are about to be built anew."""
        for signal in (
            self.changed, self.lookedElsewhere, self.pictureArrived, self.previewArrived, self.thumbArrived,
            self.filmFailed, self.said, self.taskStarted, self.filmJoined,
        ):  # fmt: skip
            with contextlib.suppress(TypeError):  # nobody listened
                signal.disconnect()

    def close(self) -> None:
        """End all threads; what was not saved by now was given up."""
        self._end(self.session.close)

    def leave(self) -> None:
        """End all threads; what is in no file is kept for the next start."""
        self._end(self.session.leave)

    def _end(self, let_go: Callable[[], None]) -> None:
        self._sync.stop()
        self.preparing.stop()
        let_go()
        self.tasks.wait()
        self._thread.stop()

    def want_thumbs(self) -> None:
        """Ask for the thumbnails of all takes that have none yet."""
        for take in self.notebook.takes:
            if take.id in self.thumbs or not take.facts.pictures:
                continue
            self.thumbs[take.id] = {}
            count = len(take.facts.ticks)
            frames = sorted({round((i + 0.5) / THUMBS * (count - 1)) for i in range(THUMBS)})
            self._thread.want_thumbs([Wish(take, self.folder, n, thumb=True) for n in frames])

    def want_cut(self, take: Take, frame: int, cut: tuple[str, float, float, float]) -> None:
        """Ask for a part of a frame, see :class:`Wish`; it comes when nothing else is wanted."""
        self._thread.want_thumbs([Wish(take, self.folder, frame, cut=cut)])

    def _want_picture(self) -> None:
        if self.take is None or not self.take.facts.pictures:
            return
        wish = Wish(self.take, self.folder, self.frame, every=self.every)
        ready = self._thread.ready_image(wish)
        if ready is not None:
            self._picture(wish, ready)
        self._thread.want(wish, shown=ready is not None)

    def preview(self) -> QImage | None:
        """A thumbnail near the frame in hand, while its picture is still far from what is on screen."""
        if self.take is None or (self.shown is not None and self.shown[:2] == (self.take_id, self.frame)):
            return None
        return stand_in(self.take.id, self.frame, self.shown, self._moving, self.thumbs.get(self.take.id, {}))

    def _is_here(self, wish: Wish) -> bool:
        """Whether what was wanted is of this notebook: another may have been opened since, with like ids."""
        take = self.notebook.take(wish.take.id)
        return take is not None and take.film == wish.take.film

    def _preview(self, wish: Wish, image: QImage) -> None:
        take_id, frame = wish.take.id, wish.frame
        if self._is_here(wish) and (take_id, frame) == (self.take_id, self.frame):
            self._moving = (take_id, frame, image)
            self.previewArrived.emit()

    def _picture(self, wish: Wish, image: QImage) -> None:
        if not self._is_here(wish):
            return
        take_id, frame, wanted = wish.take.id, wish.frame, (self.take_id, self.frame)
        if (take_id, frame) != wanted and self.shown is not None and self.shown[:2] == wanted:
            return  # late, and what is wanted is on screen already
        self.shown = (take_id, frame, image)
        self.film_problems.pop(take_id, None)
        self.pictureArrived.emit(take_id, frame, image)

    def _thumb(self, wish: Wish, image: QImage) -> None:
        if self._is_here(wish) and wish.cut is not None:
            self.following.keep_cut(wish.take.id, wish.cut[0], wish.frame, image)
        elif self._is_here(wish):
            self.thumbs.setdefault(wish.take.id, {})[wish.frame] = image
            self.thumbArrived.emit(wish.take.id)

    def _film_failed(self, wish: Wish, sentence: str) -> None:
        if self._is_here(wish) and self.film_problems.get(wish.take.id) != sentence:  # not at each step
            self.film_problems[wish.take.id] = sentence
            self.filmFailed.emit(wish.take.id, sentence)
