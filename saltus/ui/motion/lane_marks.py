"""What is drawn on the lanes of Motion beside readings and models: events, points, numbered passings."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPen, QPolygonF

from saltus.core.motion.local import window_about
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.points import chosen_point, points_found, points_known
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.tokens import look
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from numpy.typing import NDArray
    from PyQt6.QtGui import QPainter

    from saltus.core.clock.cycles import Cycles
    from saltus.core.motion.segment import SegmentFit
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.derived.before_after import SideFound
    from saltus.notebook.model import Body, Take
    from saltus.printing.chart_style import Plot

RING, ASIDE = 19.0, 8.0
CLOSEST = 24.0
"""Numbers of passings nearer than this, px, are thinned."""


def draw_events(painter: QPainter, plots: dict[str, Plot], take: Take, body: Body, of: str) -> None:
    """Draw the events of a body: what is left out, the instant, and the velocities carried to it."""
    for event in take.events:
        side = next((s for s in event_found(take, event).sides if s.side.body == body.id), None)
        if event.of == of and side is not None and "velocity" in plots:
            _draw_left_out(painter, plots, take, side)
            _draw_instant(painter, plots, take, event)
            _draw_carried(painter, plots["velocity"], body, side)


def _draw_left_out(painter: QPainter, plots: dict[str, Plot], take: Take, side: SideFound) -> None:
    before = take.segment(side.side.before) if side.side.before is not None else None
    after = take.segment(side.side.after) if side.side.after is not None else None
    if before is None or after is None:
        return
    t = frame_times(take)
    brush = QBrush(theme.colour("ink3"), Qt.BrushStyle.BDiagPattern)
    for name in ("position", "velocity", "acceleration"):
        plot = plots[name]
        left, right = plot.px(float(t[before.last])), plot.px(float(t[min(after.first, len(t) - 1)]))
        box = QRectF(left, plot.area.top(), max(right - left, 2.0), plot.area.height())
        painter.fillRect(box, brush)
        painter.setPen(QPen(theme.colour("ink2"), 1))
        for x in (box.left(), box.right()):
            painter.drawLine(QLineF(x, box.top(), x, box.bottom()))


def _draw_instant(painter: QPainter, plots: dict[str, Plot], take: Take, event: BeforeAfter) -> None:
    at = event_found(take, event).at
    if at is None:
        return
    plot = plots["position"]
    left, right = (plot.px(float(at) + sign * at.U95) for sign in (-1, 1))
    ground = QColor(theme.colour("accent"))
    ground.setAlphaF(0.25)
    for name in ("position", "velocity", "acceleration"):
        area = plots[name].area
        painter.fillRect(QRectF(left, area.top(), max(right - left, 1.0), area.height()), ground)
        painter.setPen(QPen(theme.colour("ink"), 1))
        x = plots[name].px(float(at))
        painter.drawLine(QLineF(x, area.top(), x, area.bottom()))
    words = _("{name} at {at}").format(name=event.name, at=stated(float(at), at.U95, at.unit))
    _plate(painter, words, QPointF(plot.px(float(at)) + 10, plot.area.top() + 16), plot)


def _draw_carried(painter: QPainter, plot: Plot, body: Body, side: SideFound) -> None:
    if side.event is None:
        return
    colour = theme.body(body.look)
    x = plot.px(float(side.event.at))
    for sign, q, fit in (
        (-1, side.event.before, side.event.fits[0]),
        (1, side.event.after, side.event.fits[1]),
    ):
        if q is None or not fit:
            continue
        place = QPointF(x + sign * ASIDE, plot.py(float(q)))
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        half = abs(plot.py(float(q) + q.U95) - plot.py(float(q)))
        painter.drawLine(QLineF(place.x(), place.y() - half, place.x(), place.y() + half))
        for end in (-half, half):
            painter.drawLine(QLineF(place.x() - 4, place.y() + end, place.x() + 4, place.y() + end))
        draw_shape(painter, look(body.look), place, 9, colour, hollow=True)
        words = stated(float(q), q.U95, q.unit) if q.U95 else _("at rest")
        metrics = QFontMetricsF(sans(12.5, 600))
        left = place.x() + (14 if sign > 0 else -14 - metrics.horizontalAdvance(words) - 8)
        _plate(painter, words, QPointF(left, place.y() - 10), plot)


def _plate(painter: QPainter, words: str, place: QPointF, plot: Plot) -> None:
    """Words on a ground of their own, kept inside the lane."""
    painter.setFont(sans(12.5, 600))
    metrics = QFontMetricsF(painter.font())
    wide = metrics.horizontalAdvance(words) + 8
    left = min(max(place.x(), plot.area.left()), plot.area.right() - wide)
    top = max(place.y() - metrics.ascent(), plot.area.top())
    box = QRectF(left, top, wide, metrics.height())
    ground = QColor(theme.colour("card"))
    ground.setAlphaF(0.88)
    painter.fillRect(box, ground)
    painter.setPen(theme.colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def draw_points(painter: QPainter, plots: dict[str, Plot], take: Take, body: Body, of: str) -> None:
    """Mark the characteristic points in the position lane; chosen ones are filled."""
    plot = plots["position"]
    if not points_known(take, body, of):
        return
    kept = [chosen_point(take, c) for c in take.points if c.body == body.id and c.of == of]
    for point in (*points_found(take, body, of).points, *(p for p in kept if p is not None)):
        if point.position is None:
            continue
        place = QPointF(plot.px(float(point.time)), plot.py(float(point.position)))
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.setBrush(theme.colour("ink") if any(p is point for p in kept) else Qt.BrushStyle.NoBrush)
        if point.kind == "turning":
            up = -1 if point.acceleration is not None and float(point.acceleration) < 0 else 1
            tip = place + QPointF(0, 12 * up)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([tip + QPointF(-5, -5 * up), tip, tip + QPointF(5, -5 * up)]))
            if any(p is point for p in kept):
                painter.drawEllipse(place, 6, 6)
        else:
            painter.drawEllipse(place, 6, 6)


def draw_passings(painter: QPainter, plot: Plot, cycles: Cycles, fit: SegmentFit) -> None:
    """Number the passings of a swing at its place of rest, counted from zero."""
    centre = fit.parameters.get("centre")
    if centre is None or not cycles.passings:
        return
    y = plot.py(float(centre))
    last = -1e9
    final = len(cycles.passings) - 1
    for i, (number, passing) in enumerate(zip(cycles.numbers, cycles.passings, strict=True)):
        x = plot.px(float(passing))
        if x - last < CLOSEST and i != final:
            continue
        last = x
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        painter.drawLine(QLineF(x, y - 6, x, y + 6))
        ring = QRectF(x + 3, y + 6, RING, RING)
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(ring)
        painter.setFont(sans(12, 700 if i in (0, final) else 400))
        painter.setPen(theme.colour("ink"))
        painter.drawText(ring, Qt.AlignmentFlag.AlignCenter, str(number))


def draw_window(
    painter: QPainter, plots: dict[str, Plot], t: NDArray[np.float64], now: float, count: int
) -> None:
    """Shade the readings that velocity and acceleration at the cursor are taken from."""
    if not len(t):
        return
    taken = window_about(len(t), count, int(np.argmin(np.abs(t - now))))
    ground = QColor(theme.colour("cursor"))
    ground.setAlphaF(0.10)
    for name in ("velocity", "acceleration"):
        area, plot = plots[name].area, plots[name]
        left, right = plot.px(float(t[taken[0]])), plot.px(float(t[taken[-1]]))
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), ground)
