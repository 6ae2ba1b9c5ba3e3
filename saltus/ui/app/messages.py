"""What comes up over the window: a sentence, work under way."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QElapsedTimer, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QVBoxLayout

from saltus.core.wording import _, one_line
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import button, label, row

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QMainWindow

    from saltus.ui.desk.task import Task

NOTE_MS, WARN_MS, JUST_NOW_MS = 4000, 12000, 300


class _Over(QFrame):
    """A card that floats over the window, centred above its foot."""

    def __init__(self, window: QMainWindow, ground: str, lift: int) -> None:
        super().__init__(window)
        self._window, self._lift = window, lift
        self.setObjectName("over")
        self._ground = ground
        self.dress()
        self.hide()

    def dress(self) -> None:
        """Take the colours of now."""
        ground, edge = theme.tokens[self._ground], theme.tokens["line2"]
        self.setStyleSheet(
            f"QFrame#over {{ background: {ground}; border: 1px solid {edge}; border-radius: 8px }}"
        )

    def place(self) -> None:
        """Take the place over the window."""
        self.adjustSize()
        width = min(self.sizeHint().width(), self._window.width() - 140)
        self.setFixedWidth(max(width, 280))
        self.adjustSize()
        self.move(
            (self._window.width() - self.width()) // 2, self._window.height() - self.height() - self._lift
        )
        self.raise_()


class MessageBar(_Over):
    """One sentence; goes by itself, or when it is clicked away."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, "card", 66)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 10, 8, 10)
        self._words = label("", wrap=True)
        self._words.setMinimumWidth(420)
        layout.addWidget(self._words, 1)
        layout.addWidget(button(_("Close"), self.hide, "link"))
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self._since = QElapsedTimer()

    def leave(self) -> None:
        """Go with the stage it was said on; what was said just now belongs to the stage that opens."""
        if self.isVisible() and self._since.elapsed() > JUST_NOW_MS:
            self.hide()

    def say(self, sentence: str, kind: str) -> None:
        """Show a sentence; ``warn`` stays longer."""
        self._since.start()
        self._words.setText(one_line(sentence))
        self._words.setStyleSheet(
            f"color: {theme.tokens['warn' if kind == 'warn' else 'ink']}; font-weight: 600"
        )
        self.show()
        self.place()
        self._timer.start(WARN_MS if kind == "warn" else NOTE_MS)

    def text(self) -> str:
        """The sentence shown last."""
        return self._words.text()


class TaskBar(_Over):
    """Work under way, with progress and cancel."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, "card", 126)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 12, 12)
        self._words = label()
        self._cancel = button(_("Cancel"), self._stop, "link")
        layout.addLayout(row(self._words, self._cancel, stretch=1))
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        layout.addWidget(self._bar)
        self._task: Task | None = None

    def watch(self, task: Task | None) -> None:
        """Show a task until it ends; None: it is shown elsewhere by now."""
        self._task = task
        if task is None:
            self.hide()
            return
        self._words.setText(f"{task.words} …")
        self._bar.setRange(0, 0)
        task.progressed.connect(self._progress)
        task.finished.connect(lambda: self._ended(task))
        # short work shows nothing, so that nothing flickers
        QTimer.singleShot(250, lambda: self._show_if(task))

    def _show_if(self, task: Task) -> None:
        if self._task is task and task.isRunning():
            self.show()
            self.place()

    def _progress(self, done: int, total: int) -> None:
        self._bar.setRange(0, total)
        self._bar.setValue(done)

    def _ended(self, task: Task) -> None:
        if self._task is task:
            self._task = None
            self.hide()

    def _stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
