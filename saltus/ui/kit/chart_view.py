"""A graph in the window, drawn by the same painter as on paper."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.printing.chart_painter import draw_chart
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.exchange.chart import Chart


class ChartView(Scaled, QWidget):
    """Shows one graph, or a sentence where there is none yet."""

    def __init__(self, name: str, height: int = 150) -> None:
        super().__init__()
        self._chart: Chart | None = None
        self._words = ""
        self._height = height
        self.setAccessibleName(name)
        self.setMinimumHeight(scaled(90))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(400, self._height)

    @property
    def chart(self) -> Chart | None:
        """The graph that is shown; None while there is a sentence."""
        return self._chart

    def show_chart(self, chart: Chart | None, words: str = "") -> None:
        """Show a graph; ``words`` stand where there is none."""
        self._chart, self._words = chart, words
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._chart is None:
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(13))
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(self.area.adjusted(20, 0, -20, 0), flags, self._words)
            return
        draw_chart(painter, self.area, self._chart, theme.chart)
