"""Before above after: what each body brings to a sum, with the 95 % of the whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity

LEFT, BAR, PITCH, FOOT, BRACKET = 52.0, 22.0, 30.0, 18.0, 5.0


@dataclass(frozen=True)
class BarPart:
    """What one body brings: the number of its look, and the value in the unit shown."""

    look: int
    value: float


class BalanceBars(Scaled, QWidget):
    """Two stacked bars over one axis; parts below zero lie left of it."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[str, list[BarPart], float, float]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(scaled(2 * PITCH + FOOT + 4))

    def sizeHint(self) -> QSize:
        return QSize(scaled(260), scaled(2 * PITCH + FOOT + 4))

    def show_balance(
        self, before: tuple[list[BarPart], Quantity], after: tuple[list[BarPart], Quantity], factor: float
    ) -> None:
        """Show the parts and the sums before and after; sums are multiplied by a factor for the unit."""
        self._rows = [
            (words, parts, factor * float(total), factor * total.U95)
            for words, (parts, total) in ((_("before"), before), (_("after"), after))
        ]
        said = ", ".join(f"{words} {_said(value, U)}" for words, _parts, value, U in self._rows)
        self.setAccessibleName(said)
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._rows:
            return
        painter.setFont(sans(12.5, 600))
        metrics = QFontMetricsF(painter.font())
        room = max(metrics.horizontalAdvance(_said(v, U)) for _w, _p, v, U in self._rows) + 14
        low, high = self._limits()
        scale = (self.wide - LEFT - room) / max(high - low, 1e-300)

        def at(value: float) -> float:
            return LEFT + (value - low) * scale

        self._paint_axis(painter, low, high, at)
        for i, (words, parts, value, U) in enumerate(self._rows):
            top = i * PITCH + 2
            self._paint_bar(painter, parts, top, at)
            self._paint_sum(painter, (words, value, U), top, at)

    def _limits(self) -> tuple[float, float]:
        lows, highs = [0.0], [0.0]
        for _words, parts, value, U in self._rows:
            lows += [sum(min(p.value, 0.0) for p in parts), value - U]
            highs += [sum(max(p.value, 0.0) for p in parts), value + U]
        return min(lows), max(highs)

    def _paint_axis(self, painter: QPainter, low: float, high: float, at: object) -> None:
        assert callable(at)
        painter.setFont(sans(12))
        metrics = QFontMetricsF(painter.font())
        marks = ticks(low, high, 4)
        step = marks[1] - marks[0] if len(marks) > 1 else 1.0
        for mark in marks:
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QLineF(at(mark), 0, at(mark), 2 * PITCH))
            text = tick_text(mark, step)
            painter.setPen(theme.colour("ink2"))
            x = at(mark) - metrics.horizontalAdvance(text) / 2
            painter.drawText(QPointF(x, 2 * PITCH + 13), text)

    def _paint_bar(self, painter: QPainter, parts: list[BarPart], top: float, at: object) -> None:
        assert callable(at)
        ends = {True: 0.0, False: 0.0}
        for part in parts:
            side = part.value >= 0
            start, ends[side] = ends[side], ends[side] + part.value
            left, right = sorted((at(start), at(ends[side])))
            box = QRectF(left, top, right - left, BAR)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.body(part.look))
            painter.drawRoundedRect(box, 2, 2)
            if box.width() > 16:
                draw_shape(painter, look(part.look), box.center(), 9, theme.colour("card"))

    def _paint_sum(self, painter: QPainter, row: tuple[str, float, float], top: float, at: object) -> None:
        assert callable(at)
        words, value, U = row
        middle = top + BAR / 2
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        for end in (value - U, value + U):
            painter.drawLine(QLineF(at(end), middle - BAR / 2 - 2, at(end), middle + BAR / 2 + 2))
        painter.drawLine(QLineF(at(value - U), middle, at(value + U), middle))
        painter.setFont(sans(13))
        painter.setPen(theme.colour("ink2"))
        painter.drawText(QRectF(0, top, LEFT - 6, BAR), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setFont(sans(12.5, 600))
        painter.setPen(theme.colour("ink"))
        left = max(at(value + U), at(max(value, 0.0))) + 7
        painter.drawText(
            QRectF(left, top, self.wide - left, BAR), Qt.AlignmentFlag.AlignVCenter, _said(value, U)
        )


def _said(value: float, U: float) -> str:
    number, spread = value_and_uncertainty(value, U)
    return f"{number} ± {spread}"
