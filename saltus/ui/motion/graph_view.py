"""A graph of motion in the window: the present frame on it, and values where the pointer is."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.exchange.motion_graph import point_words
from saltus.printing.chart_painter import draw_chart
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.still import Still
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus

if TYPE_CHECKING:
    from PyQt6.QtGui import QMouseEvent, QPainter

    from saltus.exchange.chart import Chart
    from saltus.exchange.motion_graph import GraphedBody
    from saltus.printing.chart_style import Plot

LEFT, NEAR, EDGE = 74, 16.0, 8.0


class MotionGraphView(KeyFocus, Scaled, QWidget):
    """Draws a graph of motion.

    Signals
    -------
    frameClicked(number, frame)
        A point of the body of a number was clicked.
    """

    frameClicked = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self._chart: Chart | None = None
        self._words = ""
        self._still = Still()
        self.bodies: list[GraphedBody] = []
        self.plot: Plot | None = None
        self.now: tuple[int, int] | None = None
        self.over: tuple[int, int] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Graph of the motion"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(scaled(300), scaled(220))

    def sizeHint(self) -> QSize:
        return QSize(800, 520)

    def show_graph(
        self, chart: Chart | None, bodies: list[GraphedBody], now: tuple[int, int] | None, words: str
    ) -> None:
        """Show a graph; ``now``: number of the body and index of its point that is the present frame."""
        self._chart, self.bodies, self.now, self._words = chart, bodies, now, words
        self.over = None
        if chart is not None:
            self.setAccessibleName(_("Graph of {y} against {x}").format(y=chart.y.symbol, x=chart.x.symbol))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        if self._chart is None:
            painter.fillRect(self.area, theme.colour("card"))
            self.plot = None
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(14))
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(self.area.adjusted(40, 0, -40, 0), flags, self._words)
            return
        self._still.lay(painter, self, (self._chart, theme.dark), self._draw)
        for at, token in ((self.now, "cursor"), (self.over, "ink")):
            if at is not None:
                self._ring(painter, self._place(*at), token)
        if self.over is not None:
            self._plate(painter, self.over)
        self.paint_focus(painter, theme.colour("accent"), 6)

    def _draw(self, painter: QPainter) -> None:
        """The graph itself, which stays from frame to frame."""
        assert self._chart is not None
        painter.fillRect(self.area, theme.colour("card"))
        self.plot = draw_chart(painter, self.area.adjusted(0, 4, 0, -4), self._chart, theme.chart, left=LEFT)

    def _place(self, body: int, point: int) -> QPointF:
        assert self.plot is not None
        shown = self.bodies[body]
        return QPointF(self.plot.px(shown.x.values[point]), self.plot.py(shown.y.values[point]))

    def _ring(self, painter: QPainter, at: QPointF, token: str) -> None:
        if not (math.isfinite(at.x()) and math.isfinite(at.y())):
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(token), 2))
        painter.drawEllipse(at, 8, 8)

    def _plate(self, painter: QPainter, over: tuple[int, int]) -> None:
        lines = value_words(self.bodies[over[0]], over[1], self._chart)
        painter.setFont(sans(13))
        metrics = QFontMetricsF(painter.font())
        wide = max(metrics.horizontalAdvance(line) for line in lines) + 20
        high = metrics.height() * len(lines) + 12
        at = self._place(*over)
        x = at.x() + 14 if at.x() + 14 + wide < self.wide - EDGE else at.x() - 14 - wide
        y = min(max(at.y() - high / 2, EDGE), self.high - high - EDGE)
        plate = QRectF(max(x, EDGE), y, wide, high)
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRoundedRect(plate, 6, 6)
        painter.setPen(theme.colour("ink"))
        for i, line in enumerate(lines):
            painter.drawText(
                QPointF(plate.left() + 10, plate.top() + 6 + metrics.ascent() + i * metrics.height()), line
            )

    # -- pointer -------------------------------------------------------------------------------------

    def point_at(self, spot: QPointF) -> tuple[int, int] | None:
        """The point nearest to a place, if it is near: number of its body, and its index."""
        if self.plot is None:
            return None
        best: tuple[float, int, int] | None = None
        for i, body in enumerate(self.bodies):
            far = np.hypot(self.plot.px(body.x.values) - spot.x(), self.plot.py(body.y.values) - spot.y())
            far = np.where(np.isfinite(far), far, np.inf)
            k = int(np.argmin(far)) if len(far) else 0
            if len(far) and far[k] <= NEAR and (best is None or far[k] < best[0]):
                best = float(far[k]), i, k
        return best[1:] if best is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (over := self.point_at(self.spot(event))) != self.over:
            self.over = over
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        found = self.point_at(self.spot(event)) if event is not None else None
        if found is not None:
            self.frameClicked.emit(found[0], int(self.bodies[found[0]].frames[found[1]]))

    def leaveEvent(self, event: object) -> None:
        self.over = None
        self.update()


def value_words(body: GraphedBody, point: int, chart: Chart | None) -> list[str]:
    """Name, frame and values of a point, each with the 95 % half-width that its readings leave."""
    return [
        f"{body.name}, {_('frame {n}').format(n=int(body.frames[point]))}",
        *point_words(body, point, chart),
    ]
