"""A recorded log as lanes over one time axis, with the motion of a take below; drag to choose a stretch."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.exchange.chart import Chart, Curve, Label, Points, airy
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.logs import unit_of, values_of
from saltus.printing.chart_painter import draw_chart
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter

    from saltus.core.motion.features import Point
    from saltus.notebook.logs import Channel, Log, LogStretch
    from saltus.notebook.model import Take
    from saltus.printing.chart_style import Plot

LEFT, HEAD, FOOT = 74, 20, 36
CLICK = 4
MOST_DRAWN = 2000


@dataclass
class _Lane:
    """Where one channel is drawn."""

    channel: Channel | None
    box: QRectF
    plot: Plot | None = None


class LogLanes(KeyFocus, Scaled, QWidget):
    """Channels of a log; the cursor is placed by a click, a stretch by a drag."""

    stretched = pyqtSignal(str, float, float)
    chosen = pyqtSignal(str)
    cursorMoved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self._log: Log | None = None
        self._take: Take | None = None
        self._live: tuple[np.ndarray, dict[str, np.ndarray]] | None = None
        self.stretch_id: str | None = None
        self.channel = ""
        self._points: tuple[Point, ...] = ()
        self.at = 0.0
        self._drag: tuple[_Lane, float, float] | None = None
        self._lanes: list[_Lane] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Lanes of the log"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(scaled(320), scaled(220))

    def sizeHint(self) -> QSize:
        return QSize(840, 560)

    def show_log(self, log: Log | None, take: Take | None, stretch_id: str | None) -> None:
        """Show a log, laid over a take where there is one."""
        self._log, self._take, self.stretch_id = log, take, stretch_id
        if log is not None and log.channel(self.channel) is None:
            self.channel = log.channels[0].name
        self.update()

    def show_points(self, points: tuple[Point, ...]) -> None:
        """Ring characteristic points of the signal in hand."""
        self._points = points
        self.update()

    def show_live(self, t: np.ndarray, values: dict[str, np.ndarray]) -> None:
        """Show what a sensor has recorded so far."""
        self._live = (t, values)
        self.update()

    def end_live(self) -> None:
        """Go back to the log."""
        self._live = None
        self.update()

    # -- drawing -------------------------------------------------------------------------------------

    def _limits(self) -> tuple[float, float]:
        assert self._log is not None
        parts = [np.asarray(self._log.times) + self._log.shift]
        if self._take is not None:
            parts += [body_motion(self._take, b).t for b in self._take.bodies if len(b.readings)]
        return airy(parts, 0.01)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.fillRect(self.area, theme.colour("card"))
        if self._live is not None:
            self._draw_live(painter)
        elif self._log is not None:
            self._draw_log(painter, self._log)
        self.paint_focus(painter, theme.colour("accent"), 6)

    def _draw_live(self, painter: QPainter) -> None:
        assert self._live is not None
        t, columns = self._live
        high = (self.high - FOOT) / max(len(columns), 1)
        reach = (float(t[0]) if len(t) else 0.0, max(float(t[-1]) if len(t) else 1.0, 1.0))
        for i, (name, values) in enumerate(columns.items()):
            last = i == len(columns) - 1
            box = QRectF(0, i * high, self.wide, high + (FOOT if last else 0))
            chart = Chart(Label("t", "s"), Label(name, ""), curves=(Curve(t, values),), x_range=reach)
            draw_chart(painter, box, chart, theme.chart, left=LEFT, time_axis=last)

    def _draw_log(self, painter: QPainter, log: Log) -> None:
        reach = self._limits()
        count = len(log.channels) + (1 if self._take is not None else 0)
        high = (self.high - FOOT) / max(count, 1)
        self._lanes = []
        for i, channel in enumerate(log.channels):
            last = i == count - 1
            box = QRectF(0, i * high, self.wide, high + (FOOT if last else 0))
            lane = _Lane(channel, box)
            lane.plot = draw_chart(
                painter, box, self._chart(log, channel, reach), theme.chart, left=LEFT, time_axis=last
            )
            self._mark(painter, lane, log)
            self._lanes.append(lane)
        if self._take is not None:
            box = QRectF(0, (count - 1) * high, self.wide, high + FOOT)
            chart = self._motion_chart(self._take, reach)
            self._lanes.append(_Lane(None, box, draw_chart(painter, box, chart, theme.chart, left=LEFT)))
        self._draw_cursor(painter)

    def _chart(self, log: Log, channel: Channel, reach: tuple[float, float]) -> Chart:
        t, values = np.asarray(log.times) + log.shift, values_of(log, channel)
        _factor, unit = unit_of(channel)
        spans = [
            (s.first + log.shift, s.last + log.shift) for s in log.stretches if s.channel == channel.name
        ]
        if self._drag is not None and self._drag[0].channel is channel:
            spans.append((min(self._drag[1:]), max(self._drag[1:])))
        step = max(1, len(t) // MOST_DRAWN)
        if step > 1:
            t, values = _thinned(t, values, step)
        chart = Chart(
            Label("t", "s"), Label(channel.name, unit.text), curves=(Curve(t, values),), x_range=reach
        )
        return replace(chart, spans=tuple(spans))

    def _motion_chart(self, take: Take, reach: tuple[float, float]) -> Chart:
        body = next((b for b in take.bodies if len(b.readings)), None)
        if body is None:
            return Chart(Label("t", "s"), Label(take.name, ""), x_range=reach)
        motion = body_motion(take, body)
        spans = [float(np.ptp(q.value)) for q in (motion.x, motion.y)]
        axis = "x" if spans[0] >= spans[1] else "y"
        q = motion.of(axis)
        points = Points(motion.t, q.value, None, body.look, body.name)
        unit = "m" if q.unit.text == "m" else "px"
        return Chart(Label("t", "s"), Label(f"{axis} ({body.name})", unit), (points,), x_range=reach)

    def _mark(self, painter: QPainter, lane: _Lane, log: Log) -> None:
        """Outline the chosen stretch and hatch the quiet one."""
        assert lane.plot is not None
        assert lane.channel is not None
        area = lane.plot.area
        if lane.channel.zero is not None:
            x1, x2 = (lane.plot.px(v + log.shift) for v in lane.channel.zero)
            shade = QColor(theme.colour("ink3"))
            shade.setAlphaF(0.5)
            painter.fillRect(
                QRectF(x1, area.top(), max(x2 - x1, 2), area.height()),
                QColor(shade.red(), shade.green(), shade.blue(), 40),
            )
            painter.setFont(sans(12))
            painter.setPen(theme.colour("ink2"))
            painter.drawText(QPointF(x1 + 4, area.bottom() - 6), _("zero"))
        chosen = log.stretch(self.stretch_id)
        if chosen is not None and chosen.channel == lane.channel.name:
            x1, x2 = (lane.plot.px(v + log.shift) for v in (chosen.first, chosen.last))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("ink"), 1.6))
            painter.drawRect(QRectF(x1, area.top(), max(x2 - x1, 1), area.height()))
        if lane.channel.name == self.channel:
            self._ring_points(painter, lane.plot, log, values_of(log, lane.channel))
        if lane.channel.name == self.channel and len(log.channels) > 1:
            painter.setPen(QPen(theme.colour("ink"), 3))
            painter.drawLine(QLineF(2, area.top(), 2, area.bottom()))

    def _ring_points(self, painter: QPainter, plot: Plot, log: Log, values: np.ndarray) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        for point in self._points:
            at = float(point.time)
            value = float(np.interp(at, log.times, values))
            painter.drawEllipse(QPointF(plot.px(at + log.shift), plot.py(value)), 5, 5)

    def _draw_cursor(self, painter: QPainter) -> None:
        plot = self._lanes[0].plot if self._lanes else None
        if plot is None or not plot.x_range[0] <= self.at <= plot.x_range[1]:
            return
        x = plot.px(self.at)
        painter.setPen(QPen(theme.colour("cursor"), 1.6))
        painter.drawLine(QLineF(x, 4, x, self.high - FOOT))
        painter.setFont(sans(12, 600))
        painter.drawText(QPointF(x + 4, self.high - FOOT - 4), f"{self.at:.3f} s".replace("-", "\u2212"))

    # -- hands ---------------------------------------------------------------------------------------

    def _lane_at(self, spot: QPointF) -> _Lane | None:
        return next((lane for lane in self._lanes if lane.box.contains(spot)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._log is None:
            return
        spot = self.spot(event)
        lane = self._lane_at(spot)
        if lane is None or lane.plot is None:
            return
        if lane.channel is not None:
            self.channel = lane.channel.name
        at = lane.plot.value_x(spot.x())
        self._drag = (lane, at, at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None and self._drag[0].plot is not None:
            lane, start, _end = self._drag
            assert lane.plot is not None
            self._drag = (lane, start, lane.plot.value_x(self.spot(event).x()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None or self._log is None:
            return
        lane, start, stop = self._drag
        self._drag = None
        assert lane.plot is not None
        if lane.channel is None or abs(lane.plot.px(stop) - lane.plot.px(start)) <= CLICK:
            self.place_cursor(stop)
            inside = self._stretch_at(lane.channel, stop)
            if inside is not None:
                self.chosen.emit(inside.id)
            return
        low, high = sorted((start - self._log.shift, stop - self._log.shift))
        self.stretched.emit(lane.channel.name, low, high)

    def _stretch_at(self, channel: Channel | None, t: float) -> LogStretch | None:
        if self._log is None or channel is None:
            return None
        at = t - self._log.shift
        inside = [s for s in self._log.stretches if s.channel == channel.name and s.first <= at <= s.last]
        return inside[-1] if inside else None

    def place_cursor(self, t: float) -> None:
        """Place the cursor at a time of the axis."""
        self.at = t
        self.cursorMoved.emit(t)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the cursor by one value, with Shift by twenty; the lane is chosen up and down."""
        if event is None or self._log is None:
            super().keyPressEvent(event)
            return
        step = 20 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        ways = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}
        names = [c.name for c in self._log.channels]
        key = Qt.Key(event.key())
        if key in ways:
            t = np.asarray(self._log.times) + self._log.shift
            at = int(np.clip(np.searchsorted(t, self.at - 1e-9) + ways[key], 0, len(t) - 1))
            self.place_cursor(float(t[at]))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.channel in names:
            by = 1 if key == Qt.Key.Key_Down else -1
            self.channel = names[(names.index(self.channel) + by) % len(names)]
            self.update()
        else:
            super().keyPressEvent(event)


def _thinned(t: np.ndarray, values: np.ndarray, step: int) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest value of every few, so that no spike is lost from sight."""
    count = len(t) // step * step
    parts = values[:count].reshape(-1, step)
    low, high = parts.argmin(axis=1), parts.argmax(axis=1)
    rows = np.arange(len(parts)) * step
    at = np.sort(np.concatenate([rows + low, rows + high]))
    return t[at], values[at]
