"""Marks of following: the box that is looked for, doubtful readings, stretches in which nothing is seen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from saltus.printing.marks import HALO, shape_path

if TYPE_CHECKING:
    from saltus.printing.tokens import Look

STROKE, HANDLE = 1.4, 6.0
SEARCHED, TICK = QColor(255, 255, 255, 28), QColor(255, 255, 255, 150)
ROUND, TICK_LONG = 10.0, 7.0
ON_STAGE_WARN = QColor("#FFAA7A")
"""The colour of doubt on pictures, which are dark in both themes."""


def draw_box(painter: QPainter, box: QRectF, colour: QColor, *, handles: bool = False) -> None:
    """Draw what is looked for, at true size, with a dark halo; ``handles``: its corners can be taken."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(HALO, STROKE + 3), QPen(colour, STROKE)):
        pen.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
        painter.setPen(pen)
        painter.drawRect(box)
    if handles:
        painter.setPen(QPen(HALO, 1))
        painter.setBrush(colour)
        for corner in (box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight()):
            half = HANDLE / 2
            painter.drawRect(QRectF(corner.x() - half, corner.y() - half, HANDLE, HANDLE))


def draw_search_area(painter: QPainter, area: QRectF) -> None:
    """Lay a soft light over where a body is looked for; ticks at its sides point to where it is expected."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(SEARCHED)
    painter.drawRoundedRect(area, ROUND, ROUND)
    painter.setPen(QPen(TICK, 1.6))
    middle = area.center()
    for x, y, dx, dy in (
        (area.left(), middle.y(), 1, 0),
        (area.right(), middle.y(), -1, 0),
        (middle.x(), area.top(), 0, 1),
        (middle.x(), area.bottom(), 0, -1),
    ):
        painter.drawLine(QLineF(x, y, x + TICK_LONG * dx, y + TICK_LONG * dy))


def draw_doubt(
    painter: QPainter, at: QPointF, look: Look, colour: QColor, warn: QColor, radius: float
) -> None:
    """Draw a doubtful reading: its shape hollow, and a stroke with a dot above it."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, 1.4))
    painter.drawPath(shape_path(look, at, 2 * radius))
    top = at.y() - radius - 10
    painter.setPen(QPen(warn, 1.8))
    painter.drawLine(QLineF(at.x(), top, at.x(), top + 5))
    painter.drawPoint(QPointF(at.x(), top + 7.5))


def draw_doubt_on_picture(painter: QPainter, at: QPointF, look: Look) -> None:
    """Draw a doubtful reading on a picture, with a dark halo."""
    halo = QColor(HALO)
    painter.setPen(QPen(halo, 4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(shape_path(look, at, 8))
    painter.drawLine(QLineF(at.x(), at.y() - 15, at.x(), at.y() - 6))
    draw_doubt(painter, at, look, QColor(look.stage), ON_STAGE_WARN, 4)


def draw_way_unseen(painter: QPainter, a: QPointF, b: QPointF, colour: QColor) -> None:
    """Draw the way across a stretch in which nothing was seen: dotted, for no place in it is known."""
    for pen in (QPen(HALO, 3.4), QPen(colour, 1.3)):
        pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(QLineF(a, b))
