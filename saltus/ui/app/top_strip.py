"""The strip at the top: notebook, take, undo and redo, and the result."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.ui.kit.choices import Chooser
from saltus.ui.kit.icons import icon
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import button, icon_button

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class TopStrip(QWidget):
    """Notebook menu, take chooser, undo, redo, result."""

    menuWanted = pyqtSignal()
    saveWanted = pyqtSignal()
    howWanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._desk: Desk | None = None
        self.of_trials = False
        """Whether the result is that of the table of trials, not that of the take in hand."""
        self.of_times = False
        """Whether it is what was timed on the take."""
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(scaled(49))
        layout = self._layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 6, 14, 7)
        layout.setSpacing(8)
        self.title = QPushButton()
        self.title.setObjectName("link")
        ink = theme.tokens["ink"]
        style = f"color: {ink}; font-size: 17px; font-weight: 700; text-align: left; padding: 3px"
        self.title.setStyleSheet(sized(style))
        self.title.setCursor(Qt.CursorShape.PointingHandCursor)
        self.title.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        self.title.setToolTip(_("Notebook: open, save, name"))
        self.title.clicked.connect(lambda: self.menuWanted.emit())
        self.title.setMaximumWidth(min(scaled(330), 380))
        layout.addWidget(self.title)
        layout.addStretch(1)
        self._titled = ""
        self._show_title("Saltus")

    def follow(self, desk: Desk) -> None:
        """Show the work in hand from now on."""
        from saltus.ui.app.result_pill import ResultPill  # noqa: PLC0415  start-up time

        self._desk = desk
        self._line = line = QFrame()
        line.setFixedSize(scaled(1), scaled(24))
        line.setStyleSheet(f"background: {theme.tokens['line']}")
        self.takes = Chooser()
        self.takes.setAccessibleName(_("Take"))
        self.takes.setMinimumWidth(120)
        self.takes.setMaximumWidth(300)
        self.takes.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.takes.activated.connect(self._choose)
        self.undo = icon_button("undo", _("Undo"), desk.undo)
        self.redo = icon_button("redo", _("Redo"), desk.redo)
        self.save = button(_("Save"), self.saveWanted.emit)
        for i, thing in enumerate((line, self.takes, self.undo, self.redo, self.save), 1):
            self._layout.insertWidget(i, thing)
        self.pill = ResultPill()
        self.pill.clicked.connect(lambda: self.howWanted.emit())
        self._layout.addWidget(self.pill)
        self.refresh()

    def _choose(self, index: int) -> None:
        if self._desk is not None:
            self._desk.go_to_take(self.takes.itemData(index))

    def _show_title(self, title: str) -> None:
        if title == self._titled:
            return
        self._titled = title
        metrics = self.title.fontMetrics()
        self.title.setText(metrics.elidedText(title, Qt.TextElideMode.ElideRight, scaled(280)))
        self.title.setIcon(icon("chevron", theme.colour("ink2")))

    def refresh(self) -> None:
        """Show the notebook as it is."""
        desk = self._desk
        if desk is None:
            return
        self._show_title(desk.notebook.title if desk.session.opened else "Saltus")
        wanted = [(t.id, t.name) for t in desk.notebook.takes]
        shown = [(self.takes.itemData(i), self.takes.itemText(i)) for i in range(self.takes.count())]
        if wanted != shown:
            self.takes.clear()
            for take_id, name in wanted:
                self.takes.addItem(name, take_id)
        self.takes.setCurrentIndex(self.takes.findData(desk.take_id))
        self.takes.setToolTip(plain(self.takes.currentText()))
        self.takes.setVisible(bool(wanted))
        self._line.setVisible(desk.session.opened)
        history = desk.session.history
        for thing, edit, words in (
            (self.undo, history.undo_name, _("Undo: {name} (Ctrl+Z)")),
            (self.redo, history.redo_name, _("Redo: {name} (Ctrl+Shift+Z)")),
        ):
            thing.setEnabled(edit is not None)
            thing.setToolTip(plain(words.format(name=edit)) if edit else "")
            thing.setVisible(desk.session.opened)
        self.save.setVisible(desk.session.opened)
        self.save.setEnabled(desk.session.unsaved)
        self.save.setToolTip(_("Save (Ctrl+S)") if desk.session.unsaved else _("Everything is saved"))
        self.pill.setVisible(desk.session.opened)

        from saltus.investigations.engine.evaluation import evaluate  # noqa: PLC0415  start-up time

        evaluation = evaluate(desk.notebook) if self.of_trials else None
        if evaluation is not None:
            self.pill.show_trials(evaluation)
        elif self.of_times:
            self.pill.show_times(desk.take)
        else:
            self.pill.show_take(desk.take)
