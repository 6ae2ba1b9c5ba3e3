"""A graph of motion as a picture for paper, with the names of its bodies under it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSizeF
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from saltus.printing.chart_painter import draw_chart
from saltus.printing.chart_style import PAPER
from saltus.printing.figures import WIDE, Drawn
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look

if TYPE_CHECKING:
    from saltus.exchange.chart import Chart, Points

HIGH, LINE, GAP = 340.0, 18.0, 22.0


def motion_figure(chart: Chart) -> Drawn:
    """The graph, and below it each body with its colour and shape."""
    lines = _lines(chart.points)

    def paint(painter: QPainter, box: QRectF) -> None:
        draw_chart(painter, QRectF(box.left(), box.top(), box.width(), HIGH), chart, PAPER, left=64)
        painter.setFont(sans(12))
        for i, line in enumerate(lines):
            x, y = box.left() + 64, box.top() + HIGH + LINE * (i + 0.7)
            for points in line:
                draw_shape(painter, look(points.look), QPointF(x, y - 4), 7, PAPER.body(points.look))
                painter.setPen(QColor(PAPER.colours["ink"]))
                painter.drawText(QPointF(x + 9, y), points.label)
                x += 9 + QFontMetricsF(painter.font()).horizontalAdvance(points.label) + GAP

    return Drawn(QSizeF(WIDE, HIGH + LINE * (len(lines) + 0.5)), paint)


def _lines(points: tuple[Points, ...]) -> list[list[Points]]:
    """Bodies by lines as wide as the figure."""
    metrics, x = QFontMetricsF(sans(12)), WIDE
    lines: list[list[Points]] = []
    for one in points:
        wide = 9 + metrics.horizontalAdvance(one.label) + GAP
        if x + wide > WIDE - 64:
            lines.append([])
            x = 0.0
        lines[-1].append(one)
        x += wide
    return lines
