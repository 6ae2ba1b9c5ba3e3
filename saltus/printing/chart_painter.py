"""Drawing graphs on anything Qt can paint on: screen, PDF, SVG, PNG."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from saltus.exchange.chart import Chart, Curve, Label, Points, tick_text, ticks
from saltus.printing.chart_parts import draw_columns, draw_key, draw_levels, draw_names
from saltus.printing.chart_style import Plot, Style
from saltus.printing.crowd import FROM, draw_bars, draw_bars_across, draw_crowd
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_shape
from saltus.printing.runs_painter import draw_runs, runs_width
from saltus.printing.tokens import look

SMALL = 3.5
WITHIN_MARK = 0.25
"""Half a bar, px, that the smallest filled mark covers whatever its shape."""
"""Size of points that are many, px."""
REACH_PX = 8.0
"""So far across a point, its bar and its halo may be seen."""


def draw_chart(
    painter: QPainter, box: QRectF, chart: Chart, style: Style, *, left: float = 56, time_axis: bool = True,
    again: Plot | None = None,
) -> Plot:  # fmt: skip
    """Draw a graph into a box.

    Parameters
    ----------
    painter : QPainter
    box : QRectF
    chart : Chart
    style : Style
    left : float
        Width kept for the numbers of the upright axis, px: the same for graphs that share their x axis.
    time_axis : bool
        Whether the numbers of the x axis are written under the plot.
    again : Plot, optional
        Where it was drawn before, with the same limits: now only what lies within the painter's clip.

    Returns
    -------
    Plot
        For finding values under the pointer.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    bottom = style.tick_size + 22 if time_axis else 6.0
    bottom += style.label_size + 4 if chart.named_x else 0
    area = box.adjusted(left, 8, -12, -bottom)
    x_range, y_range = chart.ranges if again is None else (again.x_range, again.y_range)
    plot = Plot(area, x_range, y_range)
    _ground(painter, plot, chart, style)
    _grid(painter, plot, chart, style, time_axis=time_axis)
    painter.save()
    within = painter.clipBoundingRect() if again is not None else None
    painter.setClipRect(area.adjusted(-4, -4, 4, 4), Qt.ClipOperation.IntersectClip)
    _inside(painter, plot, chart, style, within)
    painter.restore()
    for points in chart.points:
        _notes(painter, plot, points, style)
    label_at = again.label_at if again is not None else None
    plot = replace(plot, label_at=label_at or free_corner(plot, chart, style))
    draw_label(painter, plot.label_at or area.topLeft(), chart.y, style)
    if chart.named_x:
        wide = label_width(chart.x, style)
        place = QPointF(area.right() - wide, area.bottom() + style.tick_size + 12)
        draw_label(painter, place, chart.x, style)
    _over(painter, plot, chart, style)
    painter.restore()
    return plot


def _ground(painter: QPainter, plot: Plot, chart: Chart, style: Style) -> None:
    """What all lies on: the card, and the spans that are in hand."""
    area = plot.area
    painter.fillRect(area, QColor(style.colours["card"]))
    for start, stop in chart.spans:
        painter.fillRect(
            QRectF(QPointF(plot.px(start), area.top()), QPointF(plot.px(stop), area.bottom())),
            QColor(style.colours["accsoft"]),
        )


def _over(painter: QPainter, plot: Plot, chart: Chart, style: Style) -> None:
    """What stands over the graph: what colours mean, and a remark."""
    if chart.bars:
        draw_key(painter, plot, chart.bars, style)
    if chart.plate:
        _plate(painter, plot.area, chart.plate, style)


def _inside(painter: QPainter, plot: Plot, chart: Chart, style: Style, within: QRectF | None) -> None:
    """Band, ribbon, curves and points, in this order one over the other."""
    if chart.band is not None:
        _band(painter, plot, *chart.band, style)
    if chart.ribbon is not None:
        _ribbon(painter, plot, *chart.ribbon, style)
    draw_levels(painter, plot, chart.levels, style)
    for bars in chart.bars:
        draw_columns(painter, plot, bars, style)
    for curve in chart.curves:
        _curve(painter, plot, curve, style)
    for points in chart.points:
        if within is None:
            draw_points(painter, plot, points, style)
        else:
            left, right = plot.value_x(within.left() - REACH_PX), plot.value_x(within.right() + REACH_PX)
            draw_points(painter, plot, points.between(left, right), style, many=len(points.x) >= FROM)


def _curve(painter: QPainter, plot: Plot, curve: Curve, style: Style) -> None:
    kinds = {"model": Qt.PenStyle.SolidLine, "dashed": Qt.PenStyle.DashLine, "dotted": Qt.PenStyle.DotLine}
    colour = QColor(style.colours["accent"]) if curve.look is None else style.body(curve.look)
    if curve.style == "dashed":
        colour = QColor(style.colours["ink2"])
    painter.setPen(QPen(colour, 2 if curve.style == "model" else 1.5, kinds[curve.style]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(
        QPolygonF([QPointF(plot.px(x), plot.py(y)) for x, y in zip(curve.x, curve.y, strict=True)])
    )
    if curve.label and len(curve.x):
        painter.setFont(sans(style.tick_size + 0.5))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(curve.label)
        at = QPointF(plot.px(curve.x[-1]) - wide - 8, plot.py(curve.y[-1]))
        below = at.y() < plot.area.top() + 20
        painter.setPen(QColor(style.colours["ink2"]))
        painter.drawText(at + QPointF(0, 18 if below else -6), curve.label)


def _notes(painter: QPainter, plot: Plot, points: Points, style: Style) -> None:
    """Words beside points, on the side where there is room."""
    painter.setFont(sans(style.tick_size + 0.5))
    metrics = QFontMetricsF(painter.font())
    painter.setPen(QColor(style.colours["ink2"]))
    for x, y, words in zip(points.x, points.y, points.notes, strict=False):
        if not words or not (np.isfinite(x) and np.isfinite(y)):
            continue
        wide = metrics.horizontalAdvance(words)
        left = plot.px(x) + 10 + wide > plot.area.right()
        at = QPointF(plot.px(x) + (-10 - wide if left else 10), plot.py(y) + 4)
        ground = QColor(style.colours["card"])
        ground.setAlphaF(0.85)
        plate = QRectF(at.x() - 2, at.y() - metrics.ascent(), wide + 4, metrics.height())
        painter.fillRect(plate, ground)
        painter.drawText(at, words)


def _plate(painter: QPainter, area: QRectF, words: str, style: Style) -> None:
    painter.setFont(sans(style.tick_size, 600))
    wide = QFontMetricsF(painter.font()).horizontalAdvance(words) + 16
    box = QRectF(area.right() - wide - 10, area.bottom() - 34, wide, 23)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(style.colours["accsoft"]))
    painter.drawRoundedRect(box, 11, 11)
    painter.setPen(QColor(style.colours["ink"]))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def free_corner(plot: Plot, chart: Chart, style: Style) -> QPointF:
    """Where the label of the upright axis hides no point: upper left if it can be, else another corner."""
    area = plot.area
    wide, high = 4.6 * style.label_size, 1.6 * style.label_size
    right, low = area.right() - wide - 8, area.bottom() - high - 4
    corners = [
        QPointF(area.left() + 8, area.top() + 4),
        QPointF(area.left() + 8, low),
        QPointF(right, area.top() + 4),
        QPointF(right, low),
    ]

    places = [(plot.px(p.x), plot.py(p.y)) for p in chart.points]

    def hidden(corner: QPointF) -> int:
        count = 0
        for x, y in places:
            across = (x > corner.x() - 8) & (x < corner.x() + wide)
            count += int(np.count_nonzero(across & (y > corner.y() - 6) & (y < corner.y() + high)))
        return count

    best, fewest = corners[0], hidden(corners[0])
    for corner in corners[1:]:
        if fewest and (count := hidden(corner)) < fewest:
            best, fewest = corner, count
    return best


def _grid(painter: QPainter, plot: Plot, chart: Chart, style: Style, *, time_axis: bool) -> None:
    area = plot.area
    painter.setFont(sans(style.tick_size))
    metrics = QFontMetricsF(painter.font())
    marks = ticks(*plot.y_range, max(5 if area.height() > 58 else 3, int(area.height() // 27)))
    step = marks[1] - marks[0] if len(marks) > 1 else abs(marks[0]) or 1.0 if marks else 1.0
    for value in marks:
        y = plot.py(value)
        painter.setPen(QPen(QColor(style.colours["line2" if value == 0 else "line"]), 1))
        painter.drawLine(QLineF(area.left(), y, area.right(), y))
        painter.setPen(QColor(style.colours["ink2"]))
        text = tick_text(value, step)
        painter.drawText(
            QPointF(area.left() - 8 - metrics.horizontalAdvance(text), y + metrics.ascent() * 0.36), text
        )
    if not time_axis:
        return
    if chart.x_names:
        draw_names(painter, plot, chart.x_names, style)
        return
    marks = ticks(*plot.x_range, max(2, int(area.width() // 80)))
    step = marks[1] - marks[0] if len(marks) > 1 else 1.0
    for i, value in enumerate(marks):
        x = plot.px(value)
        painter.setPen(QPen(QColor(style.colours["line2"]), 1))
        painter.drawLine(QLineF(x, area.bottom(), x, area.bottom() + 4))
        painter.setPen(QColor(style.colours["ink2"]))
        last = i == len(marks) - 1 and chart.x.unit and not chart.named_x
        text = tick_text(value, step) + (f" {chart.x.unit}" if last else "")
        if i == 0 and not chart.x.unit and not chart.named_x:
            text = f"{chart.x.symbol} {text}"
        painter.drawText(
            QPointF(
                x - metrics.horizontalAdvance(tick_text(value, step)) / 2,
                area.bottom() + 6 + metrics.ascent(),
            ),
            text,
        )


def _ribbon(
    painter: QPainter, plot: Plot, x: np.ndarray, low: np.ndarray, high: np.ndarray, style: Style
) -> None:
    upper = [QPointF(plot.px(a), plot.py(b)) for a, b in zip(x, high, strict=True)]
    lower = [QPointF(plot.px(a), plot.py(b)) for a, b in zip(x, low, strict=True)]
    shade = QColor(style.colours["accent"])
    shade.setAlphaF(0.16)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    painter.drawPolygon(QPolygonF(upper + lower[::-1]))


def _band(painter: QPainter, plot: Plot, x: np.ndarray, U: np.ndarray, style: Style) -> None:
    upper = [QPointF(plot.px(a), plot.py(b)) for a, b in zip(x, U, strict=True)]
    lower = [QPointF(plot.px(a), plot.py(-b)) for a, b in zip(x, U, strict=True)]
    shade = QColor(style.colours["ink3"])
    shade.setAlphaF(0.16)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    painter.drawPolygon(QPolygonF(upper + lower[::-1]))


def draw_points(
    painter: QPainter, plot: Plot, points: Points, style: Style, *, many: bool | None = None
) -> None:
    """Draw measured points with their 95 % bars; ``many``: as one of many, though these are few."""
    colour, shape = style.body(points.look), look(points.look)
    faint = QColor(colour)
    faint.setAlphaF(0.55)
    if many is None:
        many = len(points.x) >= FROM
    if many and not style.paper:
        _draw_many(painter, plot, points, colour, faint)
        return
    _draw_bars_of(painter, plot, points, faint)
    hollow = points.hollow if points.hollow is not None else np.zeros(len(points.x), dtype=bool)
    size = SMALL if many else style.point_size
    for x, y, is_open in zip(points.x, points.y, hollow, strict=True):
        if np.isfinite(y):
            draw_shape(painter, shape, QPointF(plot.px(x), plot.py(y)), size, colour, hollow=bool(is_open))


def _draw_bars_of(painter: QPainter, plot: Plot, points: Points, faint: QColor) -> None:
    """Draw the 95 % bars of points one by one."""
    if points.U is not None:
        painter.setPen(QPen(faint, 1.2))
        for x, y, u in zip(points.x, points.y, points.U, strict=True):
            if np.isfinite(y) and np.isfinite(u):
                painter.drawLine(QLineF(plot.px(x), plot.py(y - u), plot.px(x), plot.py(y + u)))
    if points.U_x is not None:
        painter.setPen(QPen(faint, 1.2))
        for x, y, u in zip(points.x, points.y, points.U_x, strict=True):
            if np.isfinite(x) and np.isfinite(u):
                painter.drawLine(QLineF(plot.px(x - u), plot.py(y), plot.px(x + u), plot.py(y)))


def _draw_many(painter: QPainter, plot: Plot, points: Points, colour: QColor, faint: QColor) -> None:
    """Draw more points than a screen can tell apart."""
    x, y = (np.asarray(f(v), dtype=float) for f, v in ((plot.px, points.x), (plot.py, points.y)))
    pen, is_open = QPen(faint, 1.2), points.hollow is not None or look(points.look).open
    if points.U is not None:
        half = plot.py(0.0) - plot.py(points.U)
        at, mid, half = _seen_bars(x, y, half, is_open=is_open)
        draw_bars(painter, at, mid - half, mid + half, pen, fewest=0)
    if points.U_x is not None:
        half = plot.px(points.U_x) - plot.px(0.0)
        at, mid, half = _seen_bars(y, x, half, is_open=is_open)
        draw_bars_across(painter, at, mid - half, mid + half, pen, fewest=0)
    if points.hollow is None:
        draw_crowd(painter, look(points.look), x, y, SMALL, colour, fewest=0)
        return
    for is_open in (False, True):
        of_these = points.hollow == is_open
        draw_crowd(
            painter, look(points.look), x[of_these], y[of_these], SMALL, colour, hollow=is_open, fewest=0
        )


def _seen_bars(
    at: np.ndarray, mid: np.ndarray, half: np.ndarray, *, is_open: bool
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places, middles and halves of bars, px, without those that lie within their filled marks."""
    if is_open:
        return at, mid, half
    longer = half > WITHIN_MARK
    return (at, mid, half) if longer.all() else (at[longer], mid[longer], half[longer])


def label_width(label: Label, style: Style) -> float:
    """How wide the name of an axis is, px."""
    unit = f" / {label.unit}" if label.unit else ""
    symbol = runs_width(label.styled, style.label_size + 1)
    return symbol + QFontMetricsF(sans(style.label_size)).horizontalAdvance(unit) + 4


def draw_label(painter: QPainter, at: QPointF, label: Label, style: Style) -> None:
    """Write what an axis shows: italic symbol, upright unit, on a light plate."""
    unit_font, unit = sans(style.label_size), f" / {label.unit}" if label.unit else ""
    wide, tail = runs_width(label.styled, style.label_size + 1), QFontMetricsF(unit_font)
    ground = QColor(style.colours["card"])
    ground.setAlphaF(0.85)
    height = tail.height()
    painter.fillRect(QRectF(at.x() - 3, at.y() - 1, wide + tail.horizontalAdvance(unit) + 8, height), ground)
    painter.setPen(QColor(style.colours["ink"]))
    draw_runs(painter, QPointF(at.x(), at.y() + tail.ascent()), label.styled, style.label_size + 1)
    painter.setFont(unit_font)
    painter.drawText(QPointF(at.x() + wide + 1, at.y() + tail.ascent()), unit)
