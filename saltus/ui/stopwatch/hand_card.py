"""The hand that presses: one block for each press of its test, its scatter and its lateness."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.printing.fonts import sans
from saltus.printing.tokens import SOURCES
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.core.clock.hand import Hand

HIGH, BINS = 128, 13


class Blocks(Scaled, QWidget):
    """A histogram in which every press is a block; the true moment is a line, the mean a triangle."""

    def __init__(self) -> None:
        super().__init__()
        self._presses: tuple[float, ...] = ()
        self._hand: Hand | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("Presses of the test"))

    def sizeHint(self) -> QSize:
        return QSize(scaled(240), scaled(HIGH))

    def minimumSizeHint(self) -> QSize:
        return QSize(scaled(160), scaled(HIGH))

    def show_presses(self, presses: Sequence[float], hand: Hand) -> None:
        """Show presses, s, and the hand they make."""
        self._presses, self._hand = tuple(presses), hand
        words = ", ".join(f"{1000 * p:+.0f} ms" for p in presses)
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        base = HIGH - 26.0
        late = 1000 * np.array(self._presses)
        middle = 1000 * self._hand.lateness if self._hand is not None and self._hand.measured else 0.0
        low, high = min([-60.0, *late, middle]), max([60.0, *late, middle])
        step = max((high - low) / BINS, 10.0)
        low, high = low - step, high + step

        def px(ms: float) -> float:
            return float(4 + (ms - low) / (high - low) * (self.wide - 8))

        if self._hand is not None and self._hand.measured:
            U = 1000 * self._hand.U95
            soft = QRectF(px(middle - U), 8, px(middle + U) - px(middle - U), base - 8)
            painter.fillRect(soft.intersected(QRectF(0, 8, self.wide, base - 8)), theme.colour("accsoft"))
        self._blocks(painter, late, px, (low, step, base))
        painter.setPen(theme.colour("line2"))
        painter.drawLine(QLineF(0, base, self.wide, base))
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.drawLine(QLineF(px(0), 4, px(0), base + 4))
        if self._hand is not None and self._hand.measured:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("ink"))
            x = px(middle)
            corners = [QPointF(x - 5, base + 9), QPointF(x + 5, base + 9), QPointF(x, base + 2)]
            painter.drawPolygon(QPolygonF(corners))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        marks = ticks(low, high, 4)
        for value in marks:
            text = tick_text(value, marks[1] - marks[0]) if len(marks) > 1 else f"{value:g}"
            unit = " ms" if value == marks[-1] else ""
            place = QRectF(px(value) - 40, base + 8, 80, 18)
            if 24 < px(value) < self.wide - 24:
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text + unit)

    def _blocks(
        self, painter: QPainter, late: np.ndarray, px: object, frame: tuple[float, float, float]
    ) -> None:
        assert callable(px)
        low, step, base = frame
        bins = np.floor((late - low) / step).astype(int)
        most = int(np.bincount(bins).max()) if late.size else 1
        high = min(16.0, (base - 14) / most)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(SOURCES["reaction"][0]))
        stacked: dict[int, int] = {}
        for n in bins.tolist():
            k = stacked[n] = stacked.get(n, 0) + 1
            left, right = px(low + n * step), px(low + (n + 1) * step)
            painter.drawRoundedRect(QRectF(left + 1, base - k * high + 1, right - left - 2, high - 2), 2, 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
