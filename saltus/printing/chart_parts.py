"""Parts that only some graphs have: bars from zero, level lines with their band, names on an axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPen

from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PyQt6.QtGui import QPainter

    from saltus.exchange.chart import Bars
    from saltus.printing.chart_style import Plot, Style

CLEAR = 0.3
"""How much of a bar's colour fills it."""


def draw_columns(painter: QPainter, plot: Plot, bars: Bars, style: Style) -> None:
    """Draw bars from zero with their 95 % halves, each with the mark of its colour at its end."""
    colour = style.body(bars.look)
    fill = QColor(colour)
    fill.setAlphaF(CLEAR)
    zero = plot.py(0.0)
    for x, y, U in zip(bars.x, bars.y, bars.U, strict=True):
        left, right = plot.px(x - bars.wide / 2), plot.px(x + bars.wide / 2)
        top = plot.py(y)
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(fill)
        painter.drawRect(QRectF(QPointF(left, min(top, zero)), QPointF(right, max(top, zero))))
        middle = (left + right) / 2
        if U > 0:
            painter.setPen(QPen(QColor(style.colours["ink"]), 1.3))
            painter.drawLine(QLineF(middle, plot.py(y - U), middle, plot.py(y + U)))
        draw_shape(painter, look(bars.look), QPointF(middle, top), style.point_size, colour)


def draw_key(painter: QPainter, plot: Plot, bars: Sequence[Bars], style: Style) -> None:
    """Say what the colours of bars mean, at the upper right."""
    painter.setFont(sans(style.tick_size + 0.5))
    metrics = QFontMetricsF(painter.font())
    x, y = plot.area.right() - 10, plot.area.top() + 6
    for one in reversed(bars):
        x -= metrics.horizontalAdvance(one.label)
        painter.setPen(QColor(style.colours["ink2"]))
        painter.drawText(QPointF(x, y + metrics.ascent()), one.label)
        draw_shape(painter, look(one.look), QPointF(x - 10, y + metrics.ascent() / 2 + 1), style.point_size,
                   style.body(one.look))  # fmt: skip
        x -= 30


def draw_levels(
    painter: QPainter, plot: Plot, levels: tuple[tuple[float, float, str], ...], style: Style
) -> None:
    """Draw level lines: with a band a solid one, without one a dashed one, and what they are."""
    area = plot.area
    for value, half, words in levels:
        y = plot.py(value)
        if half > 0:
            shade = QColor(style.colours["accent"])
            shade.setAlphaF(0.16)
            painter.fillRect(QRectF(area.left(), plot.py(value + half), area.width(),
                                    plot.py(value - half) - plot.py(value + half)), shade)  # fmt: skip
        kind = Qt.PenStyle.SolidLine if half > 0 else Qt.PenStyle.DashLine
        painter.setPen(QPen(QColor(style.colours["accent" if half > 0 else "ink2"]), 1.6, kind))
        painter.drawLine(QLineF(area.left(), y, area.right(), y))
        painter.setFont(sans(style.tick_size + 0.5))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(QColor(style.colours["ink2"]))
        below = y < area.top() + 22
        at = QPointF(area.right() - metrics.horizontalAdvance(words) - 8, y + (15 if below else -6))
        painter.drawText(at, words)


def draw_names(painter: QPainter, plot: Plot, names: tuple[tuple[float, str], ...], style: Style) -> None:
    """Write words under the x axis, cut off where they would meet."""
    painter.setFont(sans(style.tick_size))
    metrics = QFontMetricsF(painter.font())
    area = plot.area
    room = area.width() / max(len(names), 1)
    every = 1
    widest = max((metrics.horizontalAdvance(words) for _x, words in names), default=0.0)
    if widest + 8 > room and all(len(words) <= 6 for _x, words in names):
        every = int((widest + 8) // room) + 1
    painter.setPen(QColor(style.colours["ink2"]))
    for x, words in names[::every]:
        shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, room * every - 6)
        middle = plot.px(x)
        painter.drawLine(QLineF(middle, area.bottom(), middle, area.bottom() + 4))
        left = middle - metrics.horizontalAdvance(shown) / 2
        painter.drawText(QPointF(left, area.bottom() + 6 + metrics.ascent()), shown)
