"""The rail at the left: the stages of the work in their order."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.ui.kit.icons import paint_icon, paint_logo
from saltus.ui.kit.marks import draw_mark
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus

if TYPE_CHECKING:
    from saltus.notebook.derived.advice import Mark

STAGES = ("film", "scale", "read", "time", "motion", "log", "trials", "graph", "findings")
WIDTH = 84
HIGH, LOW = 56, 32
PART_OF = {"gallery": "start", "stopwatch": "trials"}


def stage_title(name: str) -> str:
    """Words for a stage."""
    return {
        "start": _("Start"),
        "film": _("Film"),
        "scale": _("Scale"),
        "read": _("Read"),
        "time": _("Time"),
        "motion": _("Motion"),
        "log": _("Log"),
        "trials": _("Trials"),
        "graph": _("Graph"),
        "findings": _("Findings"),
    }[name]


class _Cell(KeyFocus, Scaled, QAbstractButton):
    """One stage on the rail: icon, name, progress mark."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self._name = name
        self.mark: Mark = "empty"
        self.low = False
        self.setCheckable(True)
        self.be_low(low=False)
        self.setAccessibleName(stage_title(name))
        self.setToolTip(plain(tip))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def be_low(self, *, low: bool) -> None:
        """Take the room of a line of text, or of a picture over it."""
        self.low = low
        start = 30 if low else 40
        self.setFixedSize(scaled(72), scaled(start if self._name == "start" else LOW if low else HIGH))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.area.adjusted(1, 1, -1, -1)
        strong = self.isChecked()
        if strong or self.underMouse():
            painter.setBrush(theme.colour("card") if strong else theme.colour("accsoft"))
            painter.setPen(QPen(theme.colour("line"), 1) if strong else Qt.PenStyle.NoPen)
            painter.drawRoundedRect(box, 8, 8)
        self.paint_focus(painter, theme.colour("accent"), 8)
        if self._name == "start":
            place = QRectF(box.center().x() - 24, box.center().y() - 16, 48, 32)
            paint_logo(painter, place, theme.colour("ink"), theme.colour("cursor"))
            return
        ink = theme.colour("ink" if self.isEnabled() else "ink3")
        if strong:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("ink"))
            inset = 4 if self.low else 8
            painter.drawRoundedRect(QRectF(1, inset, 3, self.high - 2 * inset), 1.5, 1.5)
        painter.setFont(sans(13, 600 if strong else 400))
        if self.low:
            painter.setPen(ink)
            left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(5, 0, 58, self.high), left, stage_title(self._name))
            if self.isEnabled():
                draw_mark(painter, QPointF(65, self.high / 2), self.mark, 9)
            return
        place = QRectF(box.center().x() - 10.5, 9, 21, 21)
        paint_icon(painter, self._name, place, ink, 1.7 if strong else 1.4)
        painter.setPen(ink)
        painter.drawText(QRectF(0, 32, 72, 20), Qt.AlignmentFlag.AlignCenter, stage_title(self._name))
        if self.isEnabled():
            draw_mark(painter, QPointF(59, 12), self.mark, 11)


class Rail(QWidget):
    """Chooses the stage."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(scaled(WIDTH))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 4, 6, 8)
        layout.setSpacing(6)
        self._cells: dict[str, _Cell] = {}
        for i, name in enumerate(("start", *STAGES)):
            tip = _("Start page") if name == "start" else f"{stage_title(name)} (Ctrl+{i})"
            cell = _Cell(name, tip)
            cell.clicked.connect(lambda _on=False, stage=name: self.chosen.emit(stage))
            layout.addWidget(cell)
            if name == "start":
                layout.addSpacing(8)
            self._cells[name] = cell
        layout.addStretch(1)
        self._tall = self.sizeHint().height()

    def fit(self, height: int) -> None:
        """Show all stages in so much height, px: as words where pictures have no room."""
        low = height < self._tall
        for cell in self._cells.values():
            if cell.low != low:
                cell.be_low(low=low)

    def cell(self, name: str) -> QWidget:
        """The cell of a stage; the gallery belongs to Start, the stopwatch to Trials."""
        return self._cells[PART_OF.get(name, name)]

    def show_stage(self, name: str) -> None:
        """Show which stage is open."""
        for stage, cell in self._cells.items():
            cell.setChecked(stage == PART_OF.get(name, name))

    def show_progress(self, marks: dict[str, Mark], *, opened: bool) -> None:
        """Show how far the stages have come; without a notebook they are closed."""
        for stage, cell in self._cells.items():
            before = (cell.mark, cell.isEnabled())
            cell.mark = marks.get(stage, "empty")
            if stage != "start":
                cell.setEnabled(opened)
                i = STAGES.index(stage) + 1
                tip = f"{stage_title(stage)} (Ctrl+{i})" if opened else _("opens with a notebook")
                cell.setToolTip(plain(tip))
            if before != (cell.mark, cell.isEnabled()):
                cell.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("panel"))
        painter.setPen(theme.colour("line"))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
