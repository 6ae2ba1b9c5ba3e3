"""The window: rail, top strip, stages, limit bar; and what goes across them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.advice import trial_limits, trial_progress
from saltus.notebook.derived.advice import progress, result_limits, scale_limits
from saltus.notebook.derived.motion import scale_problem
from saltus.notebook.derived.timing_advice import timing_headline, timing_limits
from saltus.ui.app.crash import save_report
from saltus.ui.app.files import Files
from saltus.ui.app.help import Guide
from saltus.ui.app.investigating import begin
from saltus.ui.app.limit_bar import LimitBar
from saltus.ui.app.messages import MessageBar, ResultPopup, TaskBar
from saltus.ui.app.rail import STAGES, Rail
from saltus.ui.app.theming import application, dress
from saltus.ui.app.top_strip import TopStrip
from saltus.ui.desk.desk import Desk
from saltus.ui.desk.typed_so_far import TypedSoFar
from saltus.ui.film.stage import FilmStage
from saltus.ui.findings.stage import FindingsStage
from saltus.ui.gallery.page import GalleryPage
from saltus.ui.graph.stage import GraphStage
from saltus.ui.kit.file_dialogs import (
    dropped_paths,
)
from saltus.ui.kit.menus import Entry, menu_of
from saltus.ui.kit.settings import add_settings
from saltus.ui.log.stage import LogStage
from saltus.ui.motion.stage import MotionStage
from saltus.ui.read.stage import ReadStage
from saltus.ui.scale.stage import ScaleStage
from saltus.ui.start.stage import StartPage
from saltus.ui.stopwatch.stage import StopwatchStage
from saltus.ui.time.stage import TimeStage
from saltus.ui.trials.stage import TrialsStage

OF_TRIALS = ("log", "trials", "stopwatch", "graph", "findings")
"""Stages on which the result is that of the table of trials, where there is one."""


class Window(QMainWindow):
    """The one window of Saltus."""

    def __init__(self) -> None:
        super().__init__()
        self.desk = Desk()
        self._guide: Guide | None = None
        self.setWindowTitle("Saltus")
        self.setMinimumSize(1024, 680)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.typed_so_far = TypedSoFar(self.desk.session, self)
        self.messages = MessageBar(self)
        self.tasks = TaskBar(self)
        self.files = Files(self, self.desk, self.go_to)
        self._shortcuts()
        self.dressing = QTimer(self)
        self.dressing.setSingleShot(True)
        self.dressing.timeout.connect(self.dress_again)
        self._build()
        self.go_to("start")
        self._refresh()

    def _build(self) -> None:
        """Everything in the window, in the look of now."""
        self.rail = Rail()
        self.rail.chosen.connect(self.go_to)
        self.strip = TopStrip(self.desk)
        self.strip.menuWanted.connect(self._menu)
        self.strip.saveWanted.connect(self.files.save)
        self.strip.howWanted.connect(self._show_how)
        self.limits = LimitBar(self._show_how)
        self._build_stages()
        self._lay_out()
        desk = self.desk
        desk.said.connect(self.messages.say)
        desk.taskStarted.connect(self.tasks.watch)
        desk.changed.connect(self._refresh)
        desk.lookedElsewhere.connect(self._refresh)
        desk.filmJoined.connect(lambda _take: self.go_to("film"))

    def dress_again(self) -> None:
        """Take the look that is wanted now; the work in hand stays as it is."""
        if not dress(application()):
            return
        stage, offered = self.stage, self.start.offered
        self.findings.close_film()
        self.desk.let_widgets_go()
        if self._guide is not None:
            self._guide.close()
            self._guide = None
        old = self.takeCentralWidget()
        self._build()
        if old is not None:
            old.deleteLater()
        for over in (self.messages, self.tasks):
            over.dress()
            over.raise_()
        self.start.offer(offered, [])
        self.go_to(stage)
        self.desk.changed.emit()
        self.desk.lookedElsewhere.emit()

    def _build_stages(self) -> None:
        self.start = StartPage()
        self.film = FilmStage(self.desk)
        self.scale = ScaleStage(self.desk)
        self.read = ReadStage(self.desk)
        self.time = TimeStage(self.desk)
        self.motion = MotionStage(self.desk)
        self.log = LogStage(self.desk)
        self.trials = TrialsStage(self.desk)
        self.stopwatch = StopwatchStage(self.desk)
        self.graph = GraphStage(self.desk)
        self.findings = FindingsStage(self.desk)
        self.gallery = GalleryPage()
        self._stages: dict[str, QWidget] = {
            "start": self.start,
            "film": self.film,
            "scale": self.scale,
            "read": self.read,
            "time": self.time,
            "motion": self.motion,
            "log": self.log,
            "trials": self.trials,
            "stopwatch": self.stopwatch,
            "graph": self.graph,
            "gallery": self.gallery,
            "findings": self.findings,
        }
        self.film.wanted.connect(self.go_to)
        self.film.simulationWanted.connect(self.files.simulate)
        self.trials.stopwatchWanted.connect(self._time_runs)
        self.stopwatch.backWanted.connect(lambda: self.go_to("trials"))
        self.trials.galleryWanted.connect(lambda: self.go_to("gallery"))
        for stage in (self.trials, self.graph):
            stage.wanted.connect(self.go_to)
        self.gallery.begin.connect(self._begin_investigation)
        self.gallery.emptyNotebook.connect(self.files.new_notebook)
        start = self.start
        start.gallery.connect(lambda: self.go_to("gallery"))
        start.openNotebook.connect(self.files.open_path)
        start.askNotebook.connect(self.files.open_notebook)
        start.askFilm.connect(self.files.open_film)
        start.askPictures.connect(self.files.open_pictures)
        start.newNotebook.connect(self.files.new_notebook)
        start.demo.connect(self.files.show_demo)
        start.simulate.connect(self.files.simulate)
        start.takeOver.connect(self.files.take_over)

    def _lay_out(self) -> None:
        self._stack = QStackedWidget()
        for stage in self._stages.values():
            self._stack.addWidget(stage)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.setContentsMargins(0, 0, 0, 0)
        right.addWidget(self.strip)
        right.addWidget(self._stack, 1)
        right.addWidget(self.limits)
        whole = QHBoxLayout()
        whole.setSpacing(0)
        whole.setContentsMargins(0, 0, 0, 0)
        # with large text there are more stages than a low window shows: then the rail scrolls
        self._rail_area = QScrollArea()
        self._rail_area.setWidget(self.rail)
        self._rail_area.setWidgetResizable(True)
        self._rail_area.setFixedWidth(self.rail.width())
        self._rail_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._rail_area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole.addWidget(self._rail_area)
        whole.addLayout(right, 1)
        centre = QWidget()
        centre.setObjectName("desk")
        centre.setLayout(whole)
        self.setCentralWidget(centre)

    def _shortcuts(self) -> None:
        def add(keys: str, act: object) -> None:
            assert callable(act)
            action = QAction(self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _on=False: act())
            self.addAction(action)

        add("Ctrl+Z", self.desk.undo)
        add("Ctrl+Shift+Z", self.desk.redo)
        add("Ctrl+Y", self.desk.redo)
        add("Ctrl+S", self.files.save)
        add("Ctrl+Shift+S", self.files.save_as)
        add("Ctrl+O", self.files.open_notebook)
        add("Ctrl+N", self.files.new_notebook)
        add("Ctrl+Q", self.close)
        add("F6", self._next_part)
        add("F1", self.show_guide)
        for i, name in enumerate(STAGES, 1):
            add(f"Ctrl+{i}", lambda stage=name: self.go_to(stage))

    # -- stages --------------------------------------------------------------------------------------

    @property
    def stage(self) -> str:
        """The stage that is open."""
        return next(name for name, w in self._stages.items() if w is self._stack.currentWidget())

    def go_to(self, name: str) -> None:
        """Open a stage; all but Start need a notebook."""
        if name not in ("start", "gallery") and not self.desk.session.opened:
            return
        self._stack.setCurrentWidget(self._stages[name])
        if name == "start":
            self.start.refresh()
        self.rail.show_stage(name)
        self._rail_area.ensureWidgetVisible(self.rail.cell(name), 0, 8)
        self._refresh()
        places = {
            "scale": self.scale.view,
            "read": self.read.view,
            "time": self.time.view,
            "motion": self.motion.lanes,
            "trials": self.trials.table,
            "graph": self.graph.view,
            "log": self.log.lanes,
            "gallery": self.gallery.search,
        }
        places.get(name, self._stages[name]).setFocus(Qt.FocusReason.OtherFocusReason)

    def _time_runs(self) -> None:
        """Open the stopwatch at the level of the trial in hand."""
        trial_id, _column = self.trials.table.in_hand()
        self.go_to("stopwatch")
        self.stopwatch.take_level_of(trial_id or None)

    def _next_part(self) -> None:
        """F6 moves between picture, score and column."""
        parts = {
            "read": self.read.parts(),
            "scale": [self.scale.view, self.scale.length],
            "time": self.time.parts(),
            "motion": [self.motion.lanes, self.motion._axis],  # noqa: SLF001
        }.get(self.stage)
        if parts:
            there = [i for i, part in enumerate(parts) if part.hasFocus()]
            parts[(there[0] + 1) % len(parts) if there else 0].setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _refresh(self) -> None:
        desk, take = self.desk, self.desk.take
        stage = self.stage
        evaluation = evaluate(desk.notebook)
        self.strip.of_trials = stage in OF_TRIALS and evaluation is not None
        self.strip.of_times = stage == "time"
        self.strip.refresh()
        self.rail.show_progress(progress(take) | trial_progress(evaluation), opened=desk.session.opened)
        self.limits.setVisible(stage not in ("start", "gallery"))
        if stage in OF_TRIALS and evaluation is not None:
            self.limits.show_limits(
                trial_limits(evaluation), _("Nothing to weigh yet: trials give a result.")
            )
        elif stage in OF_TRIALS and take is None:
            self.limits.show_limits(None, _("Nothing to weigh yet: choose an investigation on Trials."))
        elif take is None:
            self.limits.show_limits(None, _("Open a film to begin."))
        elif stage == "time":
            words = _("Nothing to weigh yet: keep an interval or count passings.")
            self.limits.show_limits(timing_limits(take), words)
        elif stage == "scale":
            problem = scale_problem(take)
            self.limits.show_limits(scale_limits(take), _("No scale yet: {what}.").format(what=problem))
        else:
            words = _("Nothing to weigh yet: a segment with a model gives a result.")
            self.limits.show_limits(result_limits(take), words)
        star = "*" if desk.session.unsaved and desk.session.opened else ""
        self.setWindowTitle(f"{star}{desk.notebook.title} – Saltus" if desk.session.opened else "Saltus")

    def _show_how(self) -> None:
        take = self.desk.take
        evaluation = evaluate(self.desk.notebook)
        if self.strip.of_trials and evaluation is not None:
            self.go_to("graph" if evaluation.headline is not None else "trials")
            return
        timed = timing_headline(take) if take is not None and self.strip.of_times else None
        if take is None or (self.strip.of_times and timed is None):
            return
        if timed is None and take.headline_segment is None:
            self.go_to("motion" if any(len(b.readings) >= 3 for b in take.bodies) else "read")
            return
        popup = ResultPopup(self, take, timed)
        popup.adjustSize()
        corner = self.strip.mapToGlobal(QPoint(self.strip.width() - popup.width() - 12, self.strip.height()))
        popup.move(corner)
        popup.show()

    def _menu(self) -> None:
        opened = self.desk.session.opened
        entries = [
            Entry(_("Name the notebook…"), self.files.rename, opened),
            None,
            Entry(_("New notebook"), self.files.new_notebook, keys="Ctrl+N"),
            Entry(_("Open a notebook…"), self.files.open_notebook, keys="Ctrl+O"),
            Entry(_("Open a film…"), self.files.open_film),
            Entry(_("Folder of pictures…"), self.files.open_pictures),
            None,
            Entry(_("Save"), self.files.save, opened, keys="Ctrl+S"),
            Entry(_("Save as…"), self.files.save_as, opened, keys="Ctrl+Shift+S"),
            Entry(_("Pack with its films…"), self.files.pack, opened),
            None,
            Entry(_("Start page"), lambda: self.go_to("start")),
            Entry(_("Guide"), self.show_guide, keys="F1"),
            Entry(_("Save a report of troubles…"), lambda: save_report(self)),
            Entry(_("Quit"), self.close, keys="Ctrl+Q"),
        ]
        menu = menu_of(self, entries)
        # once the menu is gone: what it hangs on is built anew
        add_settings(menu, lambda: self.dressing.start(0))
        menu.exec(self.strip.mapToGlobal(QPoint(12, self.strip.height())))

    def show_guide(self) -> None:
        """Show the page of the guide for the stage that is open."""
        if self._guide is None:
            self._guide = Guide(self)
        self._guide.open_page(self.stage)

    def _begin_investigation(self, recipe: str, how: str) -> None:
        stage = begin(self.desk, recipe, how, self.files.may_leave)
        if stage:
            self.go_to(stage)

    # -- events --------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        paths = dropped_paths(event.mimeData())
        event.acceptProposedAction()
        # asking questions must not keep the sender of the drop waiting
        for path in paths:
            QTimer.singleShot(0, lambda p=path: self.files.open_path(p))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if hasattr(self, "messages"):
            self.messages.place()
            self.tasks.place()

    def leave(self) -> None:
        """End at once, without a question; what is in no file is offered at the next start."""
        self.typed_so_far.keep()
        self.findings.close_film()
        self.desk.leave()
        QApplication.exit(0)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.files.may_leave():
            event.ignore()
            return
        self.findings.close_film()
        self.desk.close()
        event.accept()
