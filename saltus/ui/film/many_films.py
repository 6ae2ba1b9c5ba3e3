"""Many films of one set-up: which, like which take, and what came of each."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from saltus.core.wording import _, plural
from saltus.exchange.batch_words import counts_words, handed_on_words, lacking_words, result_words
from saltus.footage.facts import STILL, FilmError
from saltus.footage.opening import films_in
from saltus.jobs.following import Steering
from saltus.notebook.films import find
from saltus.session.batch import FilmLine, Outcome, all_taken_in, batch, is_read
from saltus.ui.desk.task import Task
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.columns import scrolling_list
from saltus.ui.kit.file_dialogs import ask_for_film
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import button, clear_layout, label, row

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from PyQt6.QtGui import QCloseEvent

    from saltus.core.progress import Steps
    from saltus.jobs.batch import Told
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

MARKS = {"well": "done", "weak": "half", "failed": "look"}


class ManyFilms(QDialog):
    """Stays open beside the window; what it found becomes one edit when all is done or it is stopped."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self._desk = desk
        self._task: Task | None = None
        self._document = desk.session.document
        self._steering = Steering()
        self.paths: list[Path] = []
        self.lines: dict[int, FilmLine] = {}
        self.setWindowTitle(_("Many films of one set-up"))
        room = parent.size()
        self.resize(min(scaled(760), room.width() - 40), min(scaled(560), room.height() - 40))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(18, 16, 18, 16)
        whole.setSpacing(10)
        words = _(
            "The camera was not moved: scale, axes, bodies and segments of one take, the template, hold for "
            "all films. Each film becomes a take of its own."
        )
        whole.addWidget(label(words, wrap=True))
        whole.addLayout(self._template_line())
        self._told = label("", "note", wrap=True)
        whole.addWidget(self._told)
        self._repeats = QCheckBox(_("All films repeat the template’s trial: fill in what is varied, too"))
        whole.addWidget(self._repeats)
        whole.addWidget(self._list(), 1)
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setVisible(False)
        whole.addWidget(self._bar)
        self._summary = label("", "note", wrap=True)
        whole.addWidget(self._summary)
        self.go = button(_("Follow them"), self.begin, "main")
        self.stop = button(_("Stop, keep what is done"), self._stop)
        self._close = button(_("Close"), self.close)
        whole.addLayout(row(self.go, self.stop, self._close, stretch=0))
        desk.changed.connect(self._show)
        self._show()

    def _template_line(self) -> QVBoxLayout:
        self.template = chooser(_("Template take"), self._show, fewest=18)
        both = QVBoxLayout()
        both.addLayout(row(label(_("Like the take"), "note"), self.template, stretch=2))
        self.choosing = [
            button(_("Choose films…"), self._choose),
            button(_("All films of a folder…"), self._choose_folder),
            button(_("Takes not read yet"), self.add_takes),
        ]
        both.addLayout(row(*self.choosing, stretch=3))
        return both

    def _list(self) -> QWidget:
        scroll, self._rows = scrolling_list(_("Films"), 10, 6)
        return scroll

    @property
    def busy(self) -> bool:
        """Whether films are being followed."""
        return self._task is not None

    # -- what is chosen ------------------------------------------------------------------------------

    def _fill_templates(self) -> None:
        takes = self._desk.notebook.takes
        fitting = [t for t in takes if not lacking_words(t)] or list(takes)
        ids = [t.id for t in fitting]
        here = next((i for i in (self.template.currentData(), self._desk.take_id, *ids) if i in ids), None)
        fill(self.template, [(t.name, t.id) for t in fitting], here)

    def _take(self) -> Take | None:
        return self._desk.notebook.take(self.template.currentData())

    def _choose(self) -> None:
        self.add(ask_for_film(self))

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, _("Folder of films"), str(Path.home()))
        if name:
            found = films_in(Path(name))
            if not found:
                self._desk.said.emit(_("There are no films in {name}.").format(name=Path(name).name), "warn")
            self.add(found)

    def add_takes(self) -> None:
        """Add the films of the takes in which nothing is read yet."""
        found = []
        for take in self._desk.notebook.takes:
            film = take.facts.pictures and take.facts.codec != STILL
            if film and take is not self._take() and not is_read(take):
                try:
                    found.append(find(take.film, self._desk.folder))
                except FilmError as error:
                    self._desk.said.emit(str(error), "warn")
        if not found:
            self._desk.said.emit(_("All takes are read, or their films are not here."), "note")
        self.add(found)

    def add(self, paths: Iterable[Path]) -> None:
        """Add films to the list, in the order of their names."""
        if self.lines:
            self.paths, self.lines = [], {}
        self.paths = sorted({*self.paths, *paths}, key=lambda p: p.name)
        self._show()

    # -- work ----------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Follow the films; one edit takes them all in."""
        take, desk = self._take(), self._desk
        if take is None or self._task is not None:
            return
        self.lines, self._steering = {}, Steering()
        notebook, paths, repeats = desk.notebook, list(self.paths), self._repeats.isChecked()

        def work() -> Steps[Outcome]:
            return batch(notebook, take.id, desk.folder, paths, repeats=repeats, steering=self._steering)

        self._run(_("Following {n} films").format(n=len(paths)), work, take.id)

    def _run(self, words: str, work: Callable[[], Steps[Outcome]], template_id: str) -> None:
        desk = self._desk
        job = desk.session.job(words, work)
        self._task = task = Task(job, stop=self._steering.stop)
        task.progressed.connect(self._progressed)
        task.found.connect(self._one_done)
        task.failed.connect(self._failed)
        task.succeeded.connect(lambda outcome: self._ended(task, template_id, outcome))
        desk.tasks.begin(task)
        self._show()

    def _stop(self) -> None:
        self._steering.stop()
        self._summary.setText(_("Stopping: the films that are done are taken in."))

    def _progressed(self, done: int, total: int) -> None:
        self._bar.setRange(0, total)
        self._bar.setValue(done)

    def _one_done(self, told: Told) -> None:
        done = told.done
        bodies = {
            body.name: {state: body.count(state) for state in ("found", "weak", "lost")}
            for body in (done.outcome.bodies if done.outcome is not None else ())
        }
        self.lines[told.number] = FilmLine(done.path.name, bodies=bodies, problem=done.problem)
        self._show()

    def _failed(self, sentence: str) -> None:
        self._task = None
        self._show()
        self._summary.setText(sentence)

    def _ended(self, task: Task, template_id: str, outcome: Outcome) -> None:
        desk, self._task = self._desk, None
        if not task.job.belongs_to(desk.session.document):
            self._failed(_("Another notebook was opened: nothing was added to this one."))
            return
        if desk.notebook is not outcome.before and desk.notebook.take(template_id) is not None:
            # something was edited meanwhile: take them in once more, beside that
            notebook, repeats = desk.notebook, self._repeats.isChecked()
            self._run(
                _("Taking the films in"),
                lambda: all_taken_in(notebook, template_id, outcome.done, repeats=repeats),
                template_id,
            )
            return
        self.lines = dict(enumerate(outcome.lines[: len(self.paths)]))
        desk.edit(_("follow many films"), outcome.notebook)
        desk.want_thumbs()
        self._show()

    # -- showing -------------------------------------------------------------------------------------

    def _show(self) -> None:
        busy = self._task is not None
        if not busy:
            if self._document != self._desk.session.document:
                # the films of the notebook before are not those of this one
                self._document, self.paths, self.lines = self._desk.session.document, [], {}
            self._fill_templates()
        take = self._take()
        lacks = lacking_words(take) if take is not None else _("Open a film and follow a body in it first.")
        handed = handed_on_words(self._desk.notebook, take) if take is not None and not lacks else ""
        self._told.setText(lacks or handed)
        self.go.setEnabled(bool(self.paths) and not lacks and not busy and not self.lines)
        self.stop.setVisible(busy)
        self._bar.setVisible(busy)
        for one in (self.template, self._repeats, *self.choosing):
            one.setEnabled(not busy)
        clear_layout(self._rows)
        if not self.paths:
            self._rows.addWidget(label(_("No films yet: choose them, or a folder that holds them."), "note"))
        for i, path in enumerate(self.paths):
            self._rows.addWidget(_film_row(path.name, self.lines.get(i)))
        self._rows.addStretch(1)
        self._summary.setText(self._summary_words(busy=busy))

    def _summary_words(self, *, busy: bool) -> str:
        states = [line.state for line in self.lines.values()]
        if not states:
            return plural("{n} film", "{n} films", len(self.paths)) if self.paths else ""
        if busy:
            return _("{done} of {all} films are done.").format(done=len(states), all=len(self.paths))
        return _("{well} went well, {weak} need a look, {failed} failed. Undo takes all of it back.").format(
            well=states.count("well"), weak=states.count("weak"), failed=states.count("failed")
        )

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Closing stops what is under way; the films that are done are taken in."""
        self._steering.stop()
        super().closeEvent(event)


def _film_row(name: str, line: FilmLine | None) -> QWidget:
    """A film: its mark, name and result in one line, and what there is to know below."""
    if line is None:
        return MarkLabel("open", name, quiet=True)
    if line.problem and line.take is None:
        return MarkLabel("look", line.problem)
    parts = [name, result_words(line), counts_words(line)]
    text = "  ·  ".join(p for p in parts if p)
    told = " ".join([line.problem, *line.notes]).strip()
    return MarkLabel(MARKS[line.state], f"{text}\n{told}" if told else text, quiet=line.state != "failed")
