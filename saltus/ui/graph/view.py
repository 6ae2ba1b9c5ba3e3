"""The graph with its residuals on one x axis, and a triangle that can be dragged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from saltus.core.statement import unit_tail, written_number
from saltus.core.wording import _
from saltus.printing.chart_painter import draw_chart
from saltus.printing.fonts import sans
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter

    from saltus.exchange.graph import Graph
    from saltus.printing.chart_style import Plot

RESIDUALS_HIGH = 150
LEFT = 74
GRAB = 14
Corner = tuple[float, float]


class GraphView(KeyFocus, Scaled, QWidget):
    """Draws a graph; the corners of a line drawn by hand are dragged, or moved by keys."""

    cornersMoved = pyqtSignal(object, bool)
    """Both corners in SI, and whether the drag is over."""

    def __init__(self) -> None:
        super().__init__()
        self._graph: Graph | None = None
        self._words = ""
        self._corners: list[Corner] | None = None
        self._held: int | None = None
        self._hand = 0
        self.plot: Plot | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Graph"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(scaled(320), scaled(300))

    def sizeHint(self) -> QSize:
        return QSize(800, 600)

    def show_graph(self, graph: Graph | None, words: str, corners: tuple[Corner, Corner] | None) -> None:
        """Show a graph; ``words`` where there is none."""
        self._graph, self._words = graph, words
        across, up = graph.units if graph is not None else (1.0, 1.0)
        self._corners = [(x / across, y / up) for x, y in corners] if corners is not None else None
        if graph is not None:
            chart = graph.chart
            named = tuple(f"{a.symbol} / {a.unit}" if a.unit else a.symbol for a in (chart.y, chart.x))
            self.setAccessibleName(_("Graph of {y} against {x}").format(y=named[0], x=named[1]))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.fillRect(self.area, theme.colour("card"))
        if self._graph is None:
            self._empty(painter)
        else:
            high: float = RESIDUALS_HIGH if self.high > 420 else 96
            if self._graph.residuals is None:
                high = 0
            elif self._graph.alike:
                high = self.high / 2
            upper = QRectF(0, 0, self.wide, self.high - high)
            self.plot = draw_chart(painter, upper, self._graph.chart, theme.chart, left=LEFT)
            if self._graph.residuals is not None:
                lower = QRectF(0, self.high - high, self.wide, high)
                draw_chart(
                    painter, lower, self._graph.residuals, theme.chart, left=LEFT, time_axis=self._graph.alike
                )
            self._draw_corners(painter)
        self.paint_focus(painter, theme.colour("accent"), 6)

    def _empty(self, painter: QPainter) -> None:
        self.plot = None
        area = self.area.adjusted(LEFT, 16, -16, -40)
        painter.setPen(QPen(theme.colour("line2"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(area.bottomLeft(), area.topLeft())
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(14))
        flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        painter.drawText(area.adjusted(40, 0, -40, 0), flags, self._words)

    def _draw_corners(self, painter: QPainter) -> None:
        if self._corners is None or self.plot is None:
            return
        for i, corner in enumerate(self._corners):
            at = QPointF(self.plot.px(corner[0]), self.plot.py(corner[1]))
            painter.setBrush(theme.colour("card"))
            painter.setPen(QPen(theme.colour("ink"), 2.4 if i == self._hand and self.hasFocus() else 1.6))
            painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))

    # -- the triangle --------------------------------------------------------------------------------

    def _corner_at(self, spot: QPointF) -> int | None:
        if self._corners is None or self.plot is None:
            return None
        for i, (x, y) in enumerate(self._corners):
            off = QPointF(self.plot.px(x), self.plot.py(y)) - spot
            if abs(off.x()) <= GRAB and abs(off.y()) <= GRAB:
                return i
        return None

    def _say_moved(self, *, over: bool) -> None:
        """Say where the corners are now, in SI."""
        if self._graph is not None and self._corners is not None:
            across, up = self._graph.units
            self.cornersMoved.emit(tuple((x * across, y * up) for x, y in self._corners), over)

    def _value_at(self, spot: QPointF) -> Corner:
        assert self.plot is not None
        low, high = self.plot.y_range
        y = low + (self.plot.area.bottom() - spot.y()) / max(self.plot.area.height(), 1e-9) * (high - low)
        return self.plot.value_x(spot.x()), y

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held = self._corner_at(self.spot(event))
            if self._held is not None:
                self._hand = self._held

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.plot is None:
            return
        spot = self.spot(event)
        if self._held is not None and self._corners is not None:
            self._corners[self._held] = self._value_at(spot)
            self._say_moved(over=False)
            self.update()
            return
        over = self._corner_at(spot) is not None
        self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor)
        self._tell(event, spot)

    def _tell(self, event: QMouseEvent, spot: QPointF) -> None:
        """Show the numbers of the point under the pointer."""
        if self._graph is None or self.plot is None:
            return
        for points in self._graph.chart.points:
            for x, y in zip(points.x, points.y, strict=True):
                if abs(self.plot.px(x) - spot.x()) < 8 and abs(self.plot.py(y) - spot.y()) < 8:
                    chart = self._graph.chart
                    told = ((chart.x, x), (chart.y, y))
                    words = "\n".join(
                        f"{axis.symbol} = {written_number(value)}{unit_tail(axis.unit)}"
                        for axis, value in told
                    )
                    QToolTip.showText(event.globalPosition().toPoint(), plain(words), self)
                    return
        QToolTip.hideText()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None and self._corners is not None:
            self._say_moved(over=True)
        self._held = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Alt and the arrows move a corner of the triangle by 1/200 of the axis; C takes the other one."""
        if event is None or self._corners is None or self.plot is None:
            super().keyPressEvent(event)
            return
        steps = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_C:
            self._hand = 1 - self._hand
            self.update()
        elif key in steps and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            (x_low, x_high), (y_low, y_high) = self.plot.x_range, self.plot.y_range
            dx, dy = steps[key]
            x, y = self._corners[self._hand]
            self._corners[self._hand] = (x + dx * (x_high - x_low) / 200, y + dy * (y_high - y_low) / 200)
            self._say_moved(over=True)
        else:
            super().keyPressEvent(event)
