"""Read: one reading per frame by hand, or followed; the score under the picture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from saltus.core.wording import _
from saltus.ui.desk.player import Player
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.columns import over
from saltus.ui.kit.key_codes import letter_of
from saltus.ui.picture.box_tool import BoxTool
from saltus.ui.picture.read_tool import RING_FACTOR, ReadTool
from saltus.ui.picture.view import PictureView
from saltus.ui.read.follow_panel import FollowPanel
from saltus.ui.read.follow_setup import FollowSetup
from saltus.ui.read.next_words import next_words
from saltus.ui.read.reading_panel import ReadingPanel
from saltus.ui.read.readings_table import ReadingsTable
from saltus.ui.read.repeat_check import RepeatCheck
from saltus.ui.timeline.timeline import Timeline

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QKeyEvent

    from saltus.ui.desk.desk import Desk


class ReadStage(Stage):
    """Picture, score and the column of what is being read.

    Signals
    -------
    measureWanted
        Something is to be measured in the picture.
    """

    measureWanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.view = PictureView(desk, ReadTool)
        tool = self.view.tool
        assert isinstance(tool, ReadTool)
        self._tool = tool
        self._tool.first_key, self._tool.about_to_place = self._key, self._about_to_place
        self.player = Player(desk)
        self.view.spacePressed.connect(self.player.switch)
        self.timeline = Timeline(desk, self.player)
        self.table = ReadingsTable(desk)
        self._below = QStackedWidget()
        self._below.addWidget(self.timeline)
        self._below.addWidget(self.table)
        self.beside(over(self.view, self._below, (414, 286)), 312)
        self.setup = FollowSetup(desk)
        self.reading = ReadingPanel(desk, self.view)
        self.followed = FollowPanel(desk, self.view, self.setup)
        self.check = RepeatCheck(desk, self.view, tool)
        self._reviewed: str | None = None
        self._box_tool = BoxTool(self.view, self.setup, tool)
        for panel in (self.reading, self.followed, self.check):
            self._column.addWidget(panel)
        self._column.addStretch(1)
        self._foot.setSpacing(10)
        for actions in (self.followed.start.buttons, self.followed.controls, self.followed.after):
            self._foot.addWidget(actions)
        self._build_tools()
        self._connect()
        self.listen()

    def _build_tools(self) -> None:
        def pan(on: bool) -> None:
            self.view.panning = on
            self._read_button.setChecked(not on)

        def read(on: bool) -> None:
            self.view.panning = False
            self.setup.close()
            self._read_button.setChecked(True)
            self._pan_button.setChecked(False)

        def trail(on: bool) -> None:
            self._tool.trail = on
            self.view.update()

        self._read_button = self.view.add_tool("read", _("Place readings"), read, on=True)
        self._box_button = self.view.add_tool(
            "follow", _("Follow: draw a box (F)"), lambda _on: self.follow()
        )
        self._pan_button = self.view.add_tool("hand", _("Move the picture (or middle button)"), pan)
        zoom = self.view.add_tool(
            "zoom", _("Zoom in (+, wheel)"), lambda _on: self.view.set_zoom(self.view.zoom() * 1.5)
        )
        fit = self.view.add_tool("fit", _("Whole picture (0)"), lambda _on: self.view.set_zoom(None))
        zoom.setCheckable(False)
        fit.setCheckable(False)
        self.view.add_tool("trail", _("Show earlier readings"), trail, on=True)

    def _connect(self) -> None:
        self.reading.switch.clicked.connect(lambda _on: self.switch_table())
        self.reading.check.clicked.connect(lambda _on: self._begin_check())
        self.check.changed.connect(self.refresh)
        self.reading.follow.clicked.connect(lambda _on: self.follow())
        self.reading.review.clicked.connect(lambda _on: self.review())
        self.followed.done.clicked.connect(lambda _on: self.read_by_hand())
        self.setup.started.connect(self.start_following)
        self.setup.changed.connect(self._drawn)
        self._desk.following.changed.connect(self.refresh)
        self._desk.pictureArrived.connect(lambda *_arrived: self.refresh() if self._follows else None)

    def parts(self) -> list[QWidget]:
        """Picture, score or table, and column, for moving between them by F6."""
        below = self._below.currentWidget()
        assert below is not None
        last = self.followed.first_control() if self._follows else self.reading.first_control()
        return [self.view, below, last]

    def switch_table(self) -> None:
        """Show the readings as a table instead of the score, or the score again."""
        table = self._below.currentWidget() is self.timeline
        self._below.setCurrentWidget(self.table if table else self.timeline)
        self.refresh()

    # -- following -----------------------------------------------------------------------------------

    @property
    def _follows(self) -> bool:
        """Whether the column is about following: a box is drawn, a run goes on, or one is looked through."""
        take = self._desk.take
        if take is None:
            return False
        return self.setup.open or take.id in (self._desk.following.take_id, self._reviewed)

    def _begin_check(self) -> None:
        """Read frames again without seeing the first readings."""
        self.check.begin()
        self.view.setFocus()

    def follow(self) -> None:
        """Draw boxes round bodies that are to be followed."""
        if self._desk.take is not None and self._desk.body is None:
            self.reading.add_body()
        if self._desk.body is not None:
            self.setup.begin()
            self.view.setFocus()

    def start_following(self) -> None:
        """Follow what is drawn."""
        if self.followed.start.begin():
            self._reviewed = self._desk.take_id
            self.view.setFocus()

    def review(self) -> None:
        """Look through what was followed."""
        self._reviewed = self._desk.take_id
        self.refresh()
        self.view.setFocus()

    def read_by_hand(self) -> None:
        """Go back to reading by hand."""
        self._reviewed = None
        self.setup.close()
        self.refresh()

    def _drawn(self) -> None:
        self.view.tool = self._box_tool if self.setup.open else self._tool
        self.view.update()
        self.refresh()

    def _key(self, event: QKeyEvent) -> bool:
        """Keys of following, before those of reading."""
        key, doubts = letter_of(event), self.followed.doubts
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return False
        if key == Qt.Key.Key_F:
            self.follow()
            return True
        if key == Qt.Key.Key_M:
            self.measureWanted.emit()
            return True
        if not self._follows:
            return False
        if key == Qt.Key.Key_Escape and self._desk.following.run is not None:
            self._desk.following.stop()
            return True
        if key == Qt.Key.Key_N:
            return doubts.next()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return doubts.decide(use=True)
        return key == Qt.Key.Key_X and doubts.decide(use=False)

    def _about_to_place(self) -> Callable[[], None] | None:
        """After what was doubtful is corrected, the body is followed on from there."""
        one, take = self.followed.doubts.here() if self._follows else None, self._desk.take
        body = take.body(one.body) if take is not None and one is not None else None
        if one is None or body is None or not body.runs or self._desk.following.run is not None:
            return None
        run = body.runs[-1]
        frame = self._desk.frame
        last = max(run.start, run.end) if run.end >= run.start else min(run.start, run.end)

        def go_on() -> None:
            if frame != last and self.setup.again(last, run.every):
                self.start_following()

        return go_on

    # -- showing -------------------------------------------------------------------------------------

    def show_now(self) -> None:
        """Show the take as it is."""
        take, body = self._desk.take, self._desk.body
        self.check.refresh()
        checking = self.check.open
        follows = self._follows and body is not None and not checking
        self.reading.setVisible(not follows and not checking)
        self.check.setVisible(checking)
        self._below.setVisible(not checking)
        self.next.setVisible(not checking)
        self.reading.loupe.rings = not checking
        self.followed.setVisible(follows)
        self._tool.boxes = follows
        drawing, running = (
            follows and self.setup.open,
            take is not None and take.id == self._desk.following.take_id,
        )
        self.followed.start.buttons.setVisible(drawing)
        self.followed.controls.setVisible(running and not drawing)
        self.followed.after.setVisible(follows and not drawing and not running)
        self._box_button.setChecked(self.setup.open)
        self._read_button.setChecked(not self.setup.open and not self.view.panning)
        if follows:
            self.followed.refresh()
        else:
            self.reading.refresh(as_score=self._below.currentWidget() is self.timeline)
        doubts = self.followed.doubts if follows and not self.setup.open else None
        self.next.say(next_words(self._desk, self.setup, doubts))
        read = take is not None and body is not None and len(body.readings)
        self.view.foot_words = _("rings drawn {n:g}× their uncertainty").format(n=RING_FACTOR) if read else ""

    def hideEvent(self, event: object) -> None:
        self.player.stop()
        self.check.let_go()
        self.setup.close()
        if self._desk.following.run is not None:
            self._desk.following.show_elsewhere(on=True)

    def showEvent(self, event: object) -> None:
        if self._desk.following.run is not None:
            self._desk.following.show_elsewhere(on=False)
        super().showEvent(event)
