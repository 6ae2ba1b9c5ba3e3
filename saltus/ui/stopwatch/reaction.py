"""The reaction test: a mark crosses a line, or a light comes on, and the person presses."""

from __future__ import annotations

import random
import time
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QButtonGroup, QDialog, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from saltus.core.clock.hand import hand_of
from saltus.core.clock.reaction import crossing, swing
from saltus.core.wording import _
from saltus.exchange.timing_words import hand_words
from saltus.notebook.edits import timing as edits
from saltus.printing.fonts import sans
from saltus.printing.tokens import LIGHT
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.widgets import Field, button, label, row
from saltus.ui.stopwatch.hand_card import Blocks

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.ui.desk.desk import Desk

SWING_S, WIDE = 1.7, 0.82
TRIES, ENOUGH = 18, 10
WAIT_S = (1.0, 3.0)
TICK_MS = 8


class Scene(Scaled, QWidget):
    """Shows what is to be pressed at: a swinging mark and its line, or a light."""

    def __init__(self) -> None:
        super().__init__()
        self.kind = "predicted"
        self.began: float | None = None
        self.lit: float | None = None
        self.now = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("What to press at"))

    def sizeHint(self) -> QSize:
        return QSize(scaled(560), scaled(190))

    def minimumSizeHint(self) -> QSize:
        return QSize(scaled(320), scaled(190))

    def side(self) -> float:
        """Where the mark is, −1 to 1; it crosses the line at 0."""
        since = self.now - self.began if self.began is not None else 0.0
        return swing(since, SWING_S)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(QColor(LIGHT["stage"]))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(self.area, 8, 8)
        middle = self.area.center()
        ink = QColor(LIGHT["onstage"])
        if self.kind == "predicted":
            painter.setPen(QPen(ink, 1.6, Qt.PenStyle.DashLine))
            painter.drawLine(QLineF(middle.x(), 16, middle.x(), self.high - 16))
            x = middle.x() + self.side() * WIDE * self.wide / 2
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#FFB54A"))
            painter.drawEllipse(QPointF(x, middle.y()), 13, 13)
        else:
            on = self.lit is not None
            painter.setPen(QPen(ink, 1.6))
            painter.setBrush(QColor("#FFB54A") if on else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(middle, 42, 42)
        if self.began is None:
            painter.setPen(ink)
            painter.setFont(sans(14, 600))
            words = _("Press Space to begin")
            place = QRectF(0, self.high - 44, self.wide, 30)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, words)


class ReactionDialog(QDialog):
    """Measures how far a person's presses scatter and how late they come."""

    def __init__(self, parent: QWidget, desk: Desk, hand_id: str = "") -> None:
        super().__init__(parent)
        self._desk, self._hand_id = desk, hand_id
        self.clock: Callable[[], float] = time.perf_counter
        self.presses: list[float] = []
        self._passes_taken: set[int] = set()
        self._due = 0.0
        self.setWindowTitle(_("How well does your hand press?"))
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        self.name = Field(_("Whose hand"), 190)
        test = desk.notebook.hand(hand_id)
        self.name.setText(test.name if test is not None else "")
        self.name.setPlaceholderText(_("name or initials"))
        layout.addLayout(row(label(_("Whose hand"), "note"), self.name, stretch=2))
        layout.addLayout(self._kinds())
        self._words = label("", wrap=True)
        layout.addWidget(self._words)
        self.scene = Scene()
        layout.addWidget(self.scene)
        self._told = label("", "value")
        layout.addWidget(self._told)
        self.blocks = Blocks()
        layout.addWidget(self.blocks)
        self._sum = label("", "note", wrap=True)
        layout.addWidget(self._sum)
        self.use = button(_("Use this as the hand"), self._use, "main")
        self.again = button(_("Start again"), self.begin_again)
        shut = button(_("Close"), self.reject)
        for one in (self.use, self.again, shut):
            one.setAutoDefault(False)
            one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        layout.addLayout(row(self.use, self.again, shut, stretch=2))
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self.show_kind("predicted")
        self.setFocus()

    def _kinds(self) -> QHBoxLayout:
        group = QButtonGroup(self)
        line = QHBoxLayout()
        self.kinds: dict[str, QPushButton] = {}
        for kind, words in (("predicted", _("foresee a crossing")), ("seen", _("answer to a light"))):
            one = button(words, partial(self.show_kind, kind), "filter")
            one.setCheckable(True)
            one.setAutoDefault(False)
            group.addButton(one)
            line.addWidget(one)
            self.kinds[kind] = one
        line.addStretch(1)
        return line

    def show_kind(self, kind: str) -> None:
        """Test foreseeing a crossing, or answering to a light."""
        self.scene.kind = kind
        self.kinds[kind].setChecked(True)
        self.begin_again()

    def begin_again(self) -> None:
        """Forget the presses and wait for the first."""
        self._timer.stop()
        self.presses.clear()
        self._passes_taken.clear()
        self.scene.began = self.scene.lit = None
        self.scene.now = 0.0
        words = (
            _("Press Space each time the disc crosses the line. The screen itself may be some "
              "hundredths late: that is lateness, not scatter.")
            if self.scene.kind == "predicted"
            else _("Press Space as soon as the light comes on; it stays dark for one to three seconds.")
        )  # fmt: skip
        self._words.setText(words)
        self._told.setText("")
        self._show()

    # -- the test ------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        now = self.clock()
        if event is not None and event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.press(now)
        else:
            super().keyPressEvent(event)

    def press(self, now: float) -> None:
        """Take a press at a moment of the clock, s."""
        if self.scene.began is None:
            self.scene.began = self.scene.now = now
            self._due = now + random.uniform(*WAIT_S)
            self._timer.start()
        elif len(self.presses) >= TRIES:
            return
        elif self.scene.kind == "predicted":
            self._crossed(now)
        else:
            self._answered(now)
        self._show()

    def _crossed(self, now: float) -> None:
        assert self.scene.began is not None
        found = crossing(now - self.scene.began, SWING_S)
        if found is None or found[0] in self._passes_taken:
            self._told.setText(_("That press belongs to no crossing: it does not count."))
            return
        self._passes_taken.add(found[0])
        self._count(found[1])

    def _answered(self, now: float) -> None:
        if self.scene.lit is None:
            self._told.setText(_("Pressed before the light: it does not count."))
        else:
            self._count(now - self.scene.lit)
        self.scene.lit = None
        self._due = now + random.uniform(*WAIT_S)

    def _count(self, late: float) -> None:
        self.presses.append(late)
        words = _("{ms:.0f} ms late") if late >= 0 else _("{ms:.0f} ms early")
        self._told.setText(words.format(ms=abs(1000 * late)))
        if len(self.presses) >= TRIES:
            self._timer.stop()

    def _tick(self) -> None:
        self.scene.now = self.clock()
        if self.scene.kind == "seen" and self.scene.lit is None and self.scene.now >= self._due:
            # painted at once, so that the light is not later than its time
            self.scene.lit = self.scene.now
            self.scene.repaint()
        else:
            self.scene.update()

    # -- showing -------------------------------------------------------------------------------------

    def _show(self) -> None:
        hand = hand_of(self.presses, self._hand_id or "hand")
        self.blocks.show_presses(self.presses, hand)
        self.use.setEnabled(len(self.presses) >= ENOUGH and hand.measured)
        count = _("{n} of {all} presses; {least} are enough.").format(
            n=len(self.presses), all=TRIES, least=ENOUGH
        )
        words = hand_words(hand) if hand.measured else ""
        self._sum.setText(f"{count} {words}".strip())
        self.scene.update()

    def _use(self) -> None:
        notebook = self._desk.notebook
        if not self._hand_id:
            notebook, self._hand_id = edits.add_hand(notebook, self.name.text().strip() or _("a hand"))
        kept = tuple(round(p, 4) for p in self.presses)
        kind = self.scene.kind
        made = edits.set_presses(notebook, self._hand_id, kind, kept)  # type: ignore[arg-type]
        self._desk.edit(_("measure a hand"), made)
        self.accept()

    def done(self, result: int) -> None:
        self._timer.stop()
        super().done(result)

    @property
    def hand_id(self) -> str:
        """The hand that was measured; empty until it is used."""
        return self._hand_id
