"""Position, velocity and acceleration against time, on one axis; drag to choose a segment."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.motion.models import MODELS
from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.exchange.chart_changes import changed_span
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.motion import motion_in
from saltus.notebook.derived.swing import swing_shown
from saltus.printing.chart_painter import REACH_PX, draw_chart, free_corner
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.still import Still
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus
from saltus.ui.motion.lane_charts import InLanes, lane_chart
from saltus.ui.motion.lane_marks import draw_events, draw_passings, draw_points, draw_window

if TYPE_CHECKING:
    from saltus.exchange.chart import Chart
    from saltus.notebook.model import Body, Segment, Take
    from saltus.printing.chart_style import Plot
    from saltus.ui.desk.desk import Desk

LEFT = 62
GRAB = 6
WRAPPED = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
HEAD = 12
SEGMENTS_HIGH = 30
FOOT = 24
EVERYWHERE = -math.inf, math.inf
LANES = ("position", "velocity", "acceleration", "residuals")


class MotionLanes(KeyFocus, Scaled, QWidget):
    """The lanes of the body in hand along the axis in hand.

    Signals
    -------
    stretched(first, last)
        A stretch of frames was dragged over.
    segmentMoved(segment, first, last)
        An edge of a segment was dragged.
    segmentClicked(segment)
    marked(frame)
        A lane was clicked twice.
    """

    stretched = pyqtSignal(int, int)
    segmentMoved = pyqtSignal(str, int, int)
    segmentClicked = pyqtSignal(str)
    marked = pyqtSignal(int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.axis = "x"
        self.mode = "segment"
        self.fit_window = DEFAULT_WINDOW
        self.tall = "position"
        self._plots: dict[str, Plot] = {}
        self._boxes: dict[str, QRectF] = {}
        self._from: float | None = None
        self._to: float | None = None
        self._edge: tuple[str, str] | None = None
        self._seek = False
        self._still = Still()
        self._charts: dict[str, Chart] = {}
        self._charts_of: list[Any] = []
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Position, velocity and acceleration against time"))
        self.setToolTip(_("Click a lane’s numbers to enlarge it"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(scaled(320))
        desk.lookedElsewhere.connect(self.update)
        desk.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(860, scaled(320))

    # -- where things are ----------------------------------------------------------------------------

    def _lay_out(self) -> None:
        free = self.high - SEGMENTS_HIGH - FOOT - 8
        weights = dict.fromkeys(self._lanes(), 1.0)
        if "residuals" in weights:
            weights["residuals"] = 0.8
        tall = "velocity" if self.mode == "event" and self.tall == "position" else self.tall
        weights[tall if tall in weights else "position"] = 2.1
        total = sum(weights.values())
        y = 0.0
        for name in weights:
            high = free * weights[name] / total
            self._boxes[name] = QRectF(0, y, self.wide, high)
            y += high
            if name == "acceleration":
                self._boxes["segments"] = QRectF(0, y + 4, self.wide, SEGMENTS_HIGH)
                y += SEGMENTS_HIGH + 8

    def _lanes(self) -> tuple[str, ...]:
        """The lanes shown: beside the table of points there is no room for residuals."""
        return LANES if self.mode != "points" else LANES[:3]

    def _chosen(self) -> tuple[Take, Body] | None:
        take, body = self._desk.take, self._desk.body
        return (
            (take, body) if take is not None and body is not None and len(body.readings.used.frame) else None
        )

    def _frame_at(self, x: float) -> int:
        take = self._desk.take
        plot = self._plots.get("position")
        if take is None or plot is None:
            return 0
        return int(np.argmin(np.abs(frame_times(take) - plot.value_x(x))))

    def segments(self) -> list[Segment]:
        """The segments shown: of the body and axis in hand."""
        chosen = self._chosen()
        if chosen is None:
            return []
        return [s for s in chosen[0].segments if s.body == chosen[1].id and self._is_shown(s)]

    def _is_shown(self, segment: Segment) -> bool:
        return segment.of == self.axis or (segment.of == "xy" and self.axis in ("x", "y"))

    def _span(self, segment: Segment) -> tuple[float, float]:
        """Left and right of a segment, px."""
        take, plot = self._desk.take, self._plots["position"]
        assert take is not None
        times = frame_times(take)
        return plot.px(float(times[segment.first])), plot.px(float(times[min(segment.last, len(times) - 1)]))

    # -- pointer and keys ----------------------------------------------------------------------------

    def _edge_at(self, at: QPointF) -> tuple[str, str] | None:
        if "position" not in self._plots or not self._boxes["segments"].contains(at):
            return None
        for segment in self.segments():
            left, right = self._span(segment)
            for which, x in (("first", left), ("last", right)):
                if abs(at.x() - x) <= GRAB:
                    return segment.id, which
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._chosen() is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._lay_out()  # a click may come before the first painting
        at = self.spot(event)
        if at.x() < LEFT:
            name = next((n for n in self._lanes() if self._boxes[n].contains(at)), None)
            if name is not None:
                self.tall = name
                self.update()
            return
        self._edge = self._edge_at(at)
        if self._edge is None and self._boxes["segments"].contains(at):
            for segment in self.segments():
                left, right = self._span(segment)
                if left <= at.x() <= right:
                    self.segmentClicked.emit(segment.id)
            return
        plot = self._plots.get("position")
        # the cursor is taken at its head, so that a drag beside it still chooses a segment
        self._seek = (
            plot is not None
            and at.y() <= HEAD
            and abs(at.x() - plot.px(self._desk.time())) <= 2 * GRAB
            and self._edge is None
        )
        self._from = self._to = at.x()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._chosen() is not None and self.spot(event).x() >= LEFT:
            self.marked.emit(self._frame_at(self.spot(event).x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = self.spot(event)
        if self._from is None:
            edge = self._edge_at(at) is not None
            self.setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.IBeamCursor
                           if at.x() > LEFT else Qt.CursorShape.PointingHandCursor)  # fmt: skip
            return
        self._to = at.x()
        if self._seek:
            self._desk.go_to_frame(self._frame_at(at.x()))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        start, stop = self._from, self.spot(event).x()
        self._from = self._to = None
        edge, self._edge = self._edge, None
        if edge is not None:
            segment = next(s for s in self.segments() if s.id == edge[0])
            frame = self._frame_at(stop)
            ends = (frame, segment.last) if edge[1] == "first" else (segment.first, frame)
            self.segmentMoved.emit(segment.id, min(ends), max(ends))
        elif self._seek or abs(stop - start) < 5:
            self._desk.go_to_frame(self._frame_at(stop))
        else:
            first, last = sorted((self._frame_at(start), self._frame_at(stop)))
            self.stretched.emit(first, last)
        self.update()

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        self._lay_out()
        chosen = self._chosen()
        if chosen is None:
            painter.fillRect(self.area, theme.colour("panel"))
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(14))
            painter.drawText(self.area, Qt.AlignmentFlag.AlignCenter, _("Read a body in some frames first."))
            return
        try:
            motion_in(*chosen, self.axis).of(self.axis)
        except PivotError as error:
            painter.fillRect(self.area, theme.colour("panel"))
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(14))
            painter.drawText(self.area, WRAPPED, str(error))
            return
        shows = (*chosen, self.axis, self.mode, self.fit_window, self.tall, self._desk.segment_id, theme.dark)
        self._still.lay(
            painter,
            self,
            shows,
            lambda on: self._paint_still(on, *chosen),
            changed=lambda: self._changed(shows),
        )
        self._paint_drag(painter)
        self._paint_cursor(painter)
        self.paint_focus(painter, theme.colour("accent"))

    def _changed(self, shows: tuple[Any, ...]) -> QRectF | None:
        """Where the lanes show something else since readings were edited; None: perhaps everywhere."""
        (take, body, *rest), before, charts = shows, self._charts_of, self._charts
        segments = self.segments()
        shown = InLanes(take, body, self.axis, segments, self._desk.segment_id, self.fit_window)
        self._charts = {name: lane_chart(name, shown) for name in self._lanes()}
        self._charts_of = [body.id, segments, *rest]
        if before != self._charts_of or self.mode != "segment" or "position" not in self._plots:
            return None
        spans = [changed_span(charts[name], chart) for name, chart in self._charts.items()]
        low, high = min((s or EVERYWHERE)[0] for s in spans), max((s or EVERYWHERE)[1] for s in spans)
        if low > high:
            return QRectF()
        plot = self._plots["position"]
        left, right = plot.px(low) - REACH_PX, plot.px(high) + REACH_PX
        if not right - left <= self.wide / 3:
            return None
        for name, chart in self._charts.items():
            if free_corner(self._plots[name], chart, theme.chart) != self._plots[name].label_at:
                return None
        return QRectF(left, 0, right - left, self.high)

    def _paint_still(self, painter: QPainter, take: Take, body: Body) -> None:
        """All but what follows the pointer and the frame in hand."""
        painter.fillRect(self.area, theme.colour("panel"))
        for name, chart in self._charts.items():
            again = self._plots[name] if painter.hasClipping() else None
            self._plots[name] = draw_chart(
                painter, self._boxes[name], chart, theme.chart, left=LEFT, time_axis=False, again=again
            )
        if self.mode == "event":
            draw_events(painter, self._plots, take, body, self.axis)
        elif self.mode == "points":
            draw_points(painter, self._plots, take, body, self.axis)
        else:
            self._paint_passings(painter, take)
        self._paint_segments(painter)
        self._paint_foot(painter)

    def _paint_passings(self, painter: QPainter, take: Take) -> None:
        """Number the passings of the swing in hand."""
        segment = next((s for s in self.segments() if s.id == self._desk.segment_id), None)
        shown = swing_shown(take, segment) if segment is not None else None
        if shown is not None and shown.cycles is not None:
            draw_passings(painter, self._plots["position"], shown.cycles, shown.fit)

    def _paint_segments(self, painter: QPainter) -> None:
        box, chosen = self._boxes["segments"], self._chosen()
        if chosen is None or "position" not in self._plots:
            return
        body = chosen[1]
        colour = theme.body(body.look)
        draw_shape(painter, look(body.look), QPointF(LEFT - 22, box.center().y()), 11, colour)
        shown = self.segments()
        painter.setFont(sans(13, 600))
        if not shown:
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(13))
            words = _("Drag over the readings to choose a segment.")
            painter.drawText(box.adjusted(LEFT, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)
            return
        for segment in shown:
            left, right = self._span(segment)
            bar = QRectF(left, box.top() + 1, max(right - left, 10), box.height() - 2)
            strong = segment.id == self._desk.segment_id
            painter.setPen(QPen(colour, 1.5))
            painter.setBrush(colour if strong else theme.body_soft(body.look))
            painter.drawRoundedRect(bar, 5, 5)
            painter.setPen(theme.colour("card") if strong else theme.colour("ink"))
            metrics = QFontMetricsF(painter.font())
            text = metrics.elidedText(
                MODELS[segment.model].title, Qt.TextElideMode.ElideRight, bar.width() - 10
            )
            painter.drawText(bar, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_drag(self, painter: QPainter) -> None:
        if self._from is None or self._to is None or self._seek:
            return
        tint = QColor(theme.colour("accent"))
        tint.setAlphaF(0.18)
        top, bottom = self._boxes["position"].top() + 8, self._boxes["acceleration"].bottom()
        left, right = sorted((max(self._from, LEFT), max(self._to, LEFT)))
        if self._edge is None:
            painter.fillRect(QRectF(left, top, right - left, bottom - top), tint)
        painter.setPen(QPen(theme.colour("accent"), 1.5))
        painter.drawLine(QLineF(self._to, top, self._to, bottom))

    def _paint_foot(self, painter: QPainter) -> None:
        plot = self._plots["position"]
        marks = ticks(*plot.x_range, max(2, int(plot.area.width() / 80)))
        step = marks[1] - marks[0] if len(marks) > 1 else 1.0
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        metrics = QFontMetricsF(painter.font())
        y = self.high - 8.0
        for i, value in enumerate(marks):
            text = tick_text(value, step)
            tail = " s" if i == len(marks) - 1 else ""
            painter.drawText(QPointF(plot.px(value) - metrics.horizontalAdvance(text) / 2, y), text + tail)

    def _paint_cursor(self, painter: QPainter) -> None:
        plot = self._plots["position"]
        x = plot.px(self._desk.time())
        if not plot.area.left() - 1 <= x <= plot.area.right() + 1:
            return
        if (chosen := self._chosen()) is not None:
            draw_window(
                painter, self._plots, motion_in(*chosen, self.axis).t, self._desk.time(), self.fit_window
            )
        red = theme.colour("cursor")
        painter.setPen(QPen(red, 1.6))
        painter.drawLine(QLineF(x, 6, x, self.high - FOOT))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(red)
        painter.drawPolygon(QPolygonF([QPointF(x - 6, 0), QPointF(x + 6, 0), QPointF(x, 8)]))
