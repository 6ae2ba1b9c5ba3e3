"""The window: rail, top strip, stages, limit bar; and what goes across them."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

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
from saltus.ui.app.rail import STAGES, Rail
from saltus.ui.app.stages import StagesOnDemand
from saltus.ui.app.theming import application, dress
from saltus.ui.app.top_strip import TopStrip
from saltus.ui.app.window_place import USUAL
from saltus.ui.kit.reach import Reach
from saltus.ui.start.stage import StartPage

if TYPE_CHECKING:
    from saltus.ui.app.files import Files
    from saltus.ui.app.help import Guide
    from saltus.ui.app.messages import MessageBar, TaskBar
    from saltus.ui.desk.desk import Desk
    from saltus.ui.desk.typed_so_far import TypedSoFar


SMALLEST = (960, 600)


class Window(StagesOnDemand, QMainWindow):
    """The one window of Saltus.

    It opens on the start page. What works on a notebook (:attr:`desk`, and what hangs on it) is made when it
    is first wanted, and a stage when it is first visited.
    """

    def __init__(self) -> None:
        super().__init__()
        self._guide: Guide | None = None
        self._said_of: str | None = None
        self.setWindowTitle("Saltus")
        self.setMinimumSize(*SMALLEST)
        self.resize(*USUAL)
        self.setAcceptDrops(True)
        self._shortcuts()
        self.dressing = QTimer(self)
        self.dressing.setSingleShot(True)
        self.dressing.timeout.connect(self.dress_again)
        self._build()
        self.go_to("start")

    # -- what is made when it is wanted ----------------------------------------------------------------

    @cached_property
    def desk(self) -> Desk:  # type: ignore[override]
        """The work in hand."""
        from saltus.ui.desk.desk import Desk  # noqa: PLC0415  start-up time

        desk = self.__dict__["desk"] = Desk()
        desk.said.connect(lambda sentence, kind: self.messages.say(sentence, kind))
        desk.taskStarted.connect(lambda task: self.tasks.watch(task))
        desk.filmJoined.connect(lambda _take: self.go_to("film"))
        desk.opening.seen.connect(self._see_film_coming)
        self._follow(desk)
        desk.changed.connect(self._refresh)
        desk.lookedElsewhere.connect(self._looked)
        self.typed_so_far  # noqa: B018  it looks at what is typed from now on
        return desk

    @cached_property
    def files(self) -> Files:  # type: ignore[override]
        """What is done with notebooks and films."""
        from saltus.ui.app.files import Files  # noqa: PLC0415  start-up time

        return Files(self, self.desk, self.go_to)

    @cached_property
    def typed_so_far(self) -> TypedSoFar:
        """What is being typed, for the journal."""
        from saltus.ui.desk.typed_so_far import TypedSoFar  # noqa: PLC0415  start-up time

        return TypedSoFar(self.desk.session, self)

    @cached_property
    def messages(self) -> MessageBar:
        """Sentences over the window."""
        from saltus.ui.app.messages import MessageBar  # noqa: PLC0415  start-up time

        return MessageBar(self)

    @cached_property
    def tasks(self) -> TaskBar:
        """Work under way, over the window."""
        from saltus.ui.app.messages import TaskBar  # noqa: PLC0415  start-up time

        return TaskBar(self)

    @property
    def works(self) -> bool:
        """Whether there is a desk yet."""
        return "desk" in self.__dict__

    # -- building --------------------------------------------------------------------------------------

    def _build(self) -> None:
        """What is seen on the start page, in the look of now."""
        self.rail = Rail()
        self.rail.chosen.connect(self.go_to)
        self.strip = TopStrip()
        self.strip.menuWanted.connect(self._menu)
        self.strip.saveWanted.connect(lambda: self.files.save())
        self.strip.howWanted.connect(self._show_how)
        self.start = StartPage()
        self._lay_out()
        start = self.start
        start.gallery.connect(lambda: self.go_to("gallery"))
        start.openNotebook.connect(lambda path: self.files.open_path(path))
        start.askNotebook.connect(lambda: self.files.open_notebook())
        start.askFilm.connect(lambda: self.files.open_film())
        start.askPictures.connect(lambda: self.files.open_pictures())
        start.newNotebook.connect(lambda: self.files.new_notebook())
        start.demo.connect(lambda name: self.files.show_demo(name))
        start.simulate.connect(lambda scene: self.files.simulate(scene))
        start.takeOver.connect(lambda left: self.files.take_over(left))

    def _follow(self, desk: Desk) -> None:
        """Let what is round the stages show the work in hand."""
        from saltus.ui.app.limit_bar import LimitBar  # noqa: PLC0415  start-up time

        self.limits = LimitBar(self._show_how)
        self.limits.hide()
        self._right.addWidget(self.limits)
        self.strip.follow(desk)

    def dress_again(self) -> None:
        """Take the look that is wanted now; the work in hand stays as it is."""
        if not dress(application()):
            return
        stage, offered = self.stage, self.start.offered
        if self.works:
            self._leave_findings()
            self.desk.let_widgets_go()
        if self._guide is not None:
            self._guide.close()
            self._guide = None
        old = self.takeCentralWidget()
        self.forget_stages()
        self._build()
        if old is not None:
            old.deleteLater()
        if self.works:
            self._follow(self.desk)
            for over in (self.messages, self.tasks):
                over.dress()
                over.raise_()
        self.start.offer(offered, [])
        self.go_to(stage)
        if self.works:
            self.desk.changed.emit()
            self.desk.lookedElsewhere.emit()

    def _lay_out(self) -> None:
        self._stack = QStackedWidget()
        self._rooms: dict[str, Reach] = {}
        right = self._right = QVBoxLayout()
        right.setSpacing(0)
        right.setContentsMargins(0, 0, 0, 0)
        right.addWidget(self.strip)
        right.addWidget(self._stack, 1)
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

        add("Ctrl+Z", lambda: self.desk.undo())
        add("Ctrl+Shift+Z", lambda: self.desk.redo())
        add("Ctrl+Y", lambda: self.desk.redo())
        add("Ctrl+S", lambda: self.files.save())
        add("Ctrl+Shift+S", lambda: self.files.save_as())
        add("Ctrl+O", lambda: self.files.open_notebook())
        add("Ctrl+N", lambda: self.files.new_notebook())
        add("Ctrl+Q", self.close)
        add("F6", self._next_part)
        add("F1", self.show_guide)
        for i, name in enumerate(STAGES, 1):
            add(f"Ctrl+{i}", lambda stage=name: self.go_to(stage))

    # -- stages --------------------------------------------------------------------------------------

    @property
    def stage(self) -> str:
        """The stage that is open."""
        return self._stage

    def go_to(self, name: str) -> None:
        """Open a stage; all but Start need a notebook."""
        if name not in ("start", "gallery") and not (self.works and self.desk.session.opened):
            return
        stage: QWidget = getattr(self, name)
        if "messages" in vars(self) and name != self.stage:
            self.messages.leave()
        if name not in self._rooms:
            self._rooms[name] = Reach(stage)
            self._stack.addWidget(self._rooms[name])
        self._stage = name
        self._stack.setCurrentWidget(self._rooms[name])
        if name == "start":
            self.start.refresh()
        self.rail.show_stage(name)
        self._rail_area.ensureWidgetVisible(self.rail.cell(name), 0, 8)
        self._refresh()
        self.part_in_hand(name).setFocus(Qt.FocusReason.OtherFocusReason)

    def _see_film_coming(self) -> None:
        """Show the first picture of a film where its take will be, while the film is read through."""
        if self.desk.opening.coming and self.stage in ("start", "gallery"):
            self.desk.session.opened = True
            self.go_to("film")

    def _next_part(self) -> None:
        """F6 moves between picture, score and column."""
        parts = {
            "read": lambda: self.read.parts(),
            "scale": lambda: [self.scale.view, self.scale.lengths.length],
            "time": lambda: self.time.parts(),
            "motion": lambda: [self.motion.lanes, self.motion._axis],  # noqa: SLF001
        }.get(self.stage, list)()
        if parts:
            there = [i for i, part in enumerate(parts) if part.hasFocus()]
            parts[(there[0] + 1) % len(parts) if there else 0].setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _looked(self) -> None:
        """Show it anew for another take: what is said round a stage does not hang on the frame."""
        if self.desk.take_id != self._said_of:
            self._refresh()

    def _refresh(self) -> None:
        if not self.works:
            self.rail.show_progress({}, opened=False)
            return
        from saltus.ui.app.overview import show_overview  # noqa: PLC0415  start-up time

        desk = self.desk
        self._said_of = desk.take_id
        show_overview(desk, self.stage, self.rail, self.strip, self.limits)
        star = "*" if desk.session.unsaved and desk.session.opened else ""
        self.setWindowTitle(f"{star}{desk.notebook.title} – Saltus" if desk.session.opened else "Saltus")

    def _show_how(self) -> None:
        from saltus.ui.app.overview import show_how  # noqa: PLC0415  start-up time

        show_how(self.desk, self.strip, self.go_to, self._trust)

    def _trust(self) -> None:
        """Show on Scale what of it is checked."""
        self.go_to("scale")
        self.scale.take_up("trust")

    def _menu(self) -> None:
        from saltus.ui.kit.menus import Entry, menu_of  # noqa: PLC0415  start-up time
        from saltus.ui.kit.settings import add_settings  # noqa: PLC0415  start-up time

        opened = self.works and self.desk.session.opened
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
            Entry(_("Save a report of troubles…"), self._save_report),
            Entry(_("Quit"), self.close, keys="Ctrl+Q"),
        ]
        menu = menu_of(self, entries)
        # once the menu is gone: what it hangs on is built anew
        add_settings(menu, lambda: self.dressing.start(0))
        menu.exec(self.strip.mapToGlobal(QPoint(12, self.strip.height())))

    def show_guide(self) -> None:
        """Show the page of the guide for the stage that is open."""
        if self._guide is None:
            from saltus.ui.app.help import Guide  # noqa: PLC0415  start-up time

            self._guide = Guide(self)
        self._guide.open_page(self.stage)

    def _save_report(self) -> None:
        from saltus.ui.app.crash import save_report  # noqa: PLC0415  start-up time

        save_report(self)

    # -- events --------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        from saltus.ui.kit.file_dialogs import dropped_paths  # noqa: PLC0415  start-up time

        if event is not None and dropped_paths(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        from saltus.ui.kit.file_dialogs import dropped_paths  # noqa: PLC0415  start-up time

        paths = dropped_paths(event.mimeData())
        event.acceptProposedAction()
        # asking questions must not keep the sender of the drop waiting
        for path in paths:
            QTimer.singleShot(0, lambda p=path: self.files.open_path(p))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.rail.fit(self.height())
        if self.works:
            self.messages.place()
            self.tasks.place()

    def _leave_findings(self) -> None:
        if self.built("findings") is not None:
            self.findings.close_film()

    def leave(self) -> None:
        """End at once, without a question; what is in no file is offered at the next start."""
        if self.works:
            self.typed_so_far.keep()
            self._leave_findings()
            self.desk.leave()
        QApplication.exit(0)

    def keep_work(self) -> None:
        """See to it that the work in hand is safe."""
        if self.works:
            self.desk.session.keep()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None or not self.works:
            return
        if not self.files.may_leave():
            event.ignore()
            return
        self._leave_findings()
        self.desk.close()
        event.accept()
