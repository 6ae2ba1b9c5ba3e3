"""Two values as bells on one axis: how far they overlap is seen at a glance."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from saltus.core.statement import unit_tail
from saltus.exchange.chart import tick_text, ticks
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.shown_unit import ShownUnit

WIDE_U = 4.0


class Bells(Scaled, QWidget):
    """The result and what it is compared with; a value without uncertainty is a line."""

    def __init__(self, value: Quantity, other: Quantity, names: tuple[str, str], unit: ShownUnit) -> None:
        super().__init__()
        of = unit.factor
        self._pairs = [(float(q) / of, float(q.u) / of if math.isfinite(float(q.u)) else 0.0)
                       for q in (value, other)]  # fmt: skip
        self._names, self._unit = names, unit.text
        self.setFixedHeight(scaled(112))
        self.setAccessibleName(f"{names[0]}, {names[1]}")

    def _limits(self) -> tuple[float, float]:
        ends = [v + s * WIDE_U * u for v, u in self._pairs for s in (-1, 1)]
        low, high = min(ends), max(ends)
        if high - low <= 0:
            room = max(abs(high) * 0.01, 1e-9)
            return low - room, high + room
        air = 0.04 * (high - low)
        return low - air, high + air

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._limits()
        base, left, wide = self.high - 24, 6.0, self.wide - 12

        def place(x: float) -> float:
            return left + (x - low) / (high - low) * wide

        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.drawLine(QPointF(left, base), QPointF(left + wide, base))
        painter.setFont(sans(12))
        marks = ticks(low, high, 5)
        step = marks[1] - marks[0] if len(marks) > 1 else 1.0
        painter.setPen(theme.colour("ink2"))
        for value in marks:
            text = tick_text(value, step) + (unit_tail(self._unit) if value == marks[-1] else "")
            half = painter.fontMetrics().horizontalAdvance(text) / 2
            middle = min(max(place(value), half + 1), self.wide - half - 1)
            box = QRectF(middle - 40, base + 4, 80, 18)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)
        smallest = min([u for _v, u in self._pairs if u > 0], default=0.0)
        for i, (value, u) in enumerate(self._pairs):
            self._bell(painter, place, base, value, u, i, smallest)
        self._legend(painter)

    def _bell(self, painter, place, base, value, u, i, smallest) -> None:
        colour = theme.body(i)
        top = 24.0
        if u <= 0:
            painter.setPen(QPen(colour, 2))
            painter.drawLine(QPointF(place(value), top), QPointF(place(value), base))
            return
        x = np.linspace(value - WIDE_U * u, value + WIDE_U * u, 81)
        # equal areas, but a narrow one must not press a wide one flat
        tall = (base - top) * max((smallest / u) ** 0.5, 0.3)
        y = base - tall * np.exp(-0.5 * ((x - value) / u) ** 2)
        line = QPolygonF([QPointF(place(a), b) for a, b in zip(x, y, strict=True)])
        fill = QColor(colour)
        fill.setAlphaF(0.22)
        painter.setBrush(fill)
        painter.setPen(QPen(colour, 1.6))
        painter.drawPolygon(line)

    def _legend(self, painter: QPainter) -> None:
        x = 8.0
        painter.setFont(sans(12.5))
        for i, name in enumerate(self._names):
            draw_shape(painter, look(i), QPointF(x + 5, 9), 9, theme.body(i))
            painter.setPen(theme.colour("ink"))
            metrics = painter.fontMetrics()
            shown = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(self.wide / 2 - 30))
            painter.drawText(QPointF(x + 15, 13), shown)
            x += 30 + metrics.horizontalAdvance(shown)
