"""The strip at the top: notebook, take, undo and redo, and the result."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QFrame, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.sheet import symbol_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.table_view import result_title
from saltus.notebook.derived.motion import headline, scale_problem
from saltus.notebook.derived.timing_advice import timing_headline
from saltus.printing.fonts import sans, serif
from saltus.ui.kit.icons import icon, paint_icon
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import button, icon_button

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


class ResultPill(Scaled, QAbstractButton):
    """The result with its uncertainty; click to see how it was made."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(scaled(32))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._symbol, self._text, self._empty = "", "", True

    def show_take(self, take: Take | None) -> None:
        """Show the headline of a take, or what is missing for one."""
        found = headline(take) if take is not None else None
        segment = take.headline_segment if take is not None else None
        if found is not None and segment is not None:
            name, value = found
            self._symbol = symbol_of(name, segment)
            self._text = f" = {stated(float(value), value.U95, value.unit)}  (95 %)"
            self._empty = False
        else:
            self._symbol, self._text, self._empty = "", self._missing(take), True
        self._show()

    def _show(self) -> None:
        self.setAccessibleName(f"{self._symbol}{self._text}")
        self.setToolTip(_("How this was made") if not self._empty else "")
        self.updateGeometry()
        self.update()

    def show_trials(self, evaluation: Evaluation) -> None:
        """Show the first result of the table of trials, or what is missing for one."""
        found = evaluation.headline
        self._empty = found is None
        if found is not None:
            self._symbol = result_title(evaluation.recipe, found[0])
            self._text = f" = {stated_result(evaluation, found[1])}"
        else:
            self._symbol, self._text = "", _("No result yet: fill the table of trials")
        self._show()

    def show_times(self, take: Take | None) -> None:
        """Show the last period or interval timed on a take, or what is missing for one."""
        found = timing_headline(take) if take is not None else None
        self._empty = found is None
        if found is not None:
            self._symbol = found[0]
            self._text = f" = {stated(float(found[1]), found[1].U95, found[1].unit)} (95 %)"
        else:
            self._symbol, self._text = "", _("No time yet: mark a start and a stop")
        self._show()

    def _missing(self, take: Take | None) -> str:
        if take is None:
            return _("No result yet: open a film")
        if max((len(b.readings) for b in take.bodies), default=0) < 3:
            return _("No result yet: read 3 frames")
        return (scale_problem(take) if not take.segments else None) or _(
            "No result yet: choose a segment in Motion"
        )

    def _fonts(self) -> tuple[float, float]:
        a = QFontMetricsF(serif(16, 600, italic=True)).horizontalAdvance(self._symbol)
        b = QFontMetricsF(sans(16 if not self._empty else 14, 600 if not self._empty else 400))
        return a, b.horizontalAdvance(self._text)

    def sizeHint(self) -> QSize:
        a, b = self._fonts()
        return QSize(scaled(a + b + (52 if not self._empty else 32)), scaled(32))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(theme.colour("accsoft"))
        focus = QPen(theme.colour("accent"), 2)
        painter.setPen(focus if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.drawRoundedRect(self.area.adjusted(1, 1, -1, -1), 15, 15)
        x = 16.0
        if not self._empty:
            paint_icon(painter, "read", QRectF(15, 8, 16, 16), theme.colour("accent"), 2.2)
            x = 38.0
        wide, _rest = self._fonts()
        painter.setPen(theme.colour("ink"))
        painter.setFont(serif(16, 600, italic=True))
        painter.drawText(QRectF(x, 0, wide + 4, 31), Qt.AlignmentFlag.AlignVCenter, self._symbol)
        painter.setFont(sans(16, 600) if not self._empty else sans(14))
        place = QRectF(x + wide, 0, self.wide - x - wide, 32)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, self._text)


class TopStrip(QWidget):
    """Notebook menu, take chooser, undo, redo, result."""

    menuWanted = pyqtSignal()
    saveWanted = pyqtSignal()
    howWanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.of_trials = False
        """Whether the result is that of the table of trials, not that of the take in hand."""
        self.of_times = False
        """Whether it is what was timed on the take."""
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(scaled(49))
        layout = QHBoxLayout(self)
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
        self._line = line = QFrame()
        line.setFixedSize(scaled(1), scaled(24))
        line.setStyleSheet(f"background: {theme.tokens['line']}")
        layout.addWidget(line)
        self.takes = QComboBox()
        self.takes.setAccessibleName(_("Take"))
        self.takes.setMinimumWidth(120)
        self.takes.setMaximumWidth(300)
        self.takes.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.takes.activated.connect(self._choose)
        layout.addWidget(self.takes)
        self.undo = icon_button("undo", _("Undo"), desk.undo)
        self.redo = icon_button("redo", _("Redo"), desk.redo)
        self.save = button(_("Save"), self.saveWanted.emit)
        for thing in (self.undo, self.redo, self.save):
            layout.addWidget(thing)
        layout.addStretch(1)
        self.pill = ResultPill()
        self.pill.clicked.connect(lambda: self.howWanted.emit())
        layout.addWidget(self.pill)
        desk.changed.connect(self.refresh)
        desk.lookedElsewhere.connect(self.refresh)

    def _choose(self, index: int) -> None:
        self._desk.go_to_take(self.takes.itemData(index))

    def refresh(self) -> None:
        """Show the notebook as it is."""
        desk = self._desk
        title = desk.notebook.title if desk.session.opened else "Saltus"
        metrics = self.title.fontMetrics()
        self.title.setText(metrics.elidedText(title, Qt.TextElideMode.ElideRight, scaled(280)))
        self.title.setIcon(icon("chevron", theme.colour("ink2")))
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
        evaluation = evaluate(desk.notebook) if self.of_trials else None
        if evaluation is not None:
            self.pill.show_trials(evaluation)
        elif self.of_times:
            self.pill.show_times(desk.take)
        else:
            self.pill.show_take(desk.take)
