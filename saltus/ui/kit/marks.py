"""The mark of a body: its colour and shape, alone and beside its name."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QSizePolicy,
    QWidget,
)

from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import Scaled, scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import label


class BodySwatch(Scaled, QWidget):
    """The colour and shape of a body."""

    def __init__(self, number: int, size: int = 18) -> None:
        super().__init__()
        self._number = number
        self.setFixedSize(scaled(size), scaled(size))

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre = self.area.center()
        draw_shape(painter, look(self._number), centre, 12, theme.body(self._number))


def draw_mark(painter: QPainter, at: QPointF, mark: str, size: float = 12) -> None:
    """Draw a progress mark: open ring, half filled, disc with tick, triangle with !."""
    r = size / 2
    box = QRectF(at.x() - r, at.y() - r, size, size)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if mark == "look":
        warn = theme.colour("warn")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(warn)
        corners = [QPointF(at.x(), at.y() - r), QPointF(at.x() + r, at.y() + r * 0.85)]
        painter.drawPolygon(QPolygonF([*corners, QPointF(at.x() - r, at.y() + r * 0.85)]))
        painter.setPen(QPen(theme.colour("panel"), 1.6))
        painter.drawLine(QPointF(at.x(), at.y() - r * 0.25), QPointF(at.x(), at.y() + r * 0.2))
        painter.drawPoint(QPointF(at.x(), at.y() + r * 0.55))
        return
    colour = QColor(theme.colour({"done": "good", "half": "accent"}.get(mark, "line2")))
    painter.setPen(QPen(colour, 1.5))
    painter.setBrush(colour if mark == "done" else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(box.adjusted(0.8, 0.8, -0.8, -0.8))
    if mark == "half":
        painter.setBrush(colour)
        painter.drawPie(box.adjusted(1.5, 1.5, -1.5, -1.5), 90 * 16, -180 * 16)
    elif mark == "done":
        painter.setPen(QPen(theme.colour("panel"), 1.6))
        points = [(-0.45, 0.02), (-0.1, 0.38), (0.48, -0.32)]
        painter.drawPolyline(QPolygonF([QPointF(at.x() + x * r, at.y() + y * r) for x, y in points]))


class MarkLabel(Scaled, QWidget):
    """A progress mark with a sentence beside it; a quiet one has its words in ink, whatever the mark."""

    def __init__(self, mark: str, text: str, *, quiet: bool = False) -> None:
        super().__init__()
        self._mark = mark
        layout = QHBoxLayout(self)
        layout.setContentsMargins(scaled(20), 0, 0, 0)
        loud = mark == "look" and not quiet
        words = label(text, "warn" if loud else "", wrap=True)
        words.setStyleSheet(sized("font-size: 13px" + ("; font-weight: 600" if loud else "")))
        layout.addWidget(words)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)

    def paintEvent(self, event: object) -> None:
        draw_mark(self.painter(), QPointF(7, min(self.high / 2, 10)), self._mark)
