"""Painting the lanes of the score: positions of a body against time, what is in doubt, and the likeness."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import zip_longest
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from saltus.core.statement import value_and_uncertainty, written_number
from saltus.core.wording import _
from saltus.exchange.chart import airy, tick_text, ticks
from saltus.notebook.derived.following import doubted_below, looked_at, lost_stretches, unseen_words
from saltus.notebook.derived.frame_clock import frame_times
from saltus.printing.crowd import draw_bars, draw_crowd
from saltus.printing.followed_marks import draw_doubt
from saltus.printing.fonts import sans, serif
from saltus.printing.marks import draw_shape, draw_shapes
from saltus.printing.tokens import look
from saltus.ui.kit.theme import theme
from saltus.ui.timeline.lane import Lane, lane_of

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from saltus.notebook.model import Body, Take

HEAD = 122
LOW_LANE, AXIS_ROOM = 58, 40
"""Up to this height a lane has no line of its own for its axis."""
FACTORS = (1, 2, 5, 10, 20, 50, 100)
MOST_FACTOR = 20
LEAST_ALIKE = 0.6
"""The lane of likeness begins here: below it nothing is proposed."""


@dataclass(frozen=True)
class TimeScale:
    """Where times stand in the score.

    Attributes
    ----------
    plot : (left, right)
        px
    span : (first, last)
        s
    wide : float
        Of the score, px.
    """

    plot: tuple[float, float]
    span: tuple[float, float]
    wide: float

    def px(self, t: Any) -> Any:
        """Horizontal place of a time, or of an array of them."""
        (left, right), (first, last) = self.plot, self.span
        return left + (t - first) / (last - first) * (right - left)


def draw_head(
    painter: QPainter, top: float, height: float, title: str, under: str, indent: float = 0
) -> None:
    """Write the head of a lane; in a low one its axis stands on the second line, before what is under it."""
    painter.setPen(theme.colour("ink"))
    painter.setFont(sans(13, 600))
    metrics = QFontMetricsF(painter.font())
    room = HEAD - (30 if height <= LOW_LANE else 18) - indent  # in a low lane numbers stand beside it
    shown = metrics.elidedText(title, Qt.TextElideMode.ElideRight, int(room))
    painter.drawText(QPointF(16 + indent, top + 19), shown)
    if under:
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        low = height <= LOW_LANE
        painter.drawText(QPointF(16 + (AXIS_ROOM if low else 0), top + (36 if low else 52)), under)


def draw_line(painter: QPainter, y: float, wide: float) -> None:
    """Draw the hairline below a lane."""
    painter.setPen(theme.colour("line"))
    painter.drawLine(QLineF(0, y, wide, y))


class LanePainter:
    """Draws lanes of a take.

    Parameters
    ----------
    painter : QPainter
    take : Take
    scale : TimeScale
    """

    def __init__(self, painter: QPainter, take: Take, scale: TimeScale) -> None:
        self._painter, self._take, self._scale = painter, take, scale

    def draw(self, body: Body, box: QRectF, *, chosen: bool) -> None:
        """Draw the lane of a body."""
        painter, lane = self._painter, lane_of(self._take, body)
        if chosen:
            painter.fillRect(QRectF(0, box.top() + 1, 3, box.height() - 2), theme.colour("ink"))
        colour = theme.body(body.look)
        spread = [lane.value - lane.U, lane.value + lane.U, lane.next_value, lane.weak_value]
        low, high = airy(spread, 0.14)
        inner = box.adjusted(0, 9, 0, -9)

        def py(value: Any) -> Any:
            return inner.bottom() - (value - low) / (high - low) * inner.height()

        pixel = (high - low) / max(inner.height(), 1.0)
        bar = float(np.median(lane.U)) / pixel if len(lane.U) else 0.0
        factor = next((f for f in FACTORS if bar * f >= 5), FACTORS[-1]) if bar > 0 else 1
        if factor > MOST_FACTOR:
            # bars so much too long would say less than the number
            under = f"± {value_and_uncertainty(0.0, float(np.median(lane.U)))[1]} {lane.unit}"
        else:
            under = _("bars {n}×").format(n=factor) if factor > 1 and len(lane.t) else ""
        draw_head(painter, box.top(), box.height(), body.name, under, 16)
        draw_shape(painter, look(body.look), QPointF(22, box.top() + 15), 10, colour)
        self._axis_label(box, lane)
        if len(lane.t):
            self._lane_marks(inner, (low, high), py)
        self._unseen(body, box)
        px, shape = self._scale.px, look(body.look)
        x, y = px(lane.t), py(lane.value)
        painter.setPen(QPen(colour, 1))
        if factor <= MOST_FACTOR:
            pen = QPen(colour, 1)
            draw_bars(painter, x, py(lane.value + factor * lane.U), py(lane.value - factor * lane.U), pen)
        draw_crowd(painter, shape, x, y, 5.5, colour)
        ahead = (QPointF(px(at), py(v)) for at, v in zip(lane.next_t, lane.next_value, strict=True))
        draw_shapes(painter, shape, ahead, 6, colour, hollow=True)
        for at, v in zip(lane.weak_t, lane.weak_value, strict=True):
            spot = QPointF(self._scale.px(at), py(v))
            draw_doubt(painter, spot, look(body.look), colour, theme.colour("warn"), 3.3)
        tape = QRectF(self._scale.wide - 22, inner.top(), 12, inner.height())
        painter.setPen(QPen(colour, 1))
        heights = np.unique(np.round(y)) if len(y) else np.zeros(1)
        painter.drawLines(*(QLineF(tape.left(), h, tape.right(), h) for h in heights.tolist()))
        draw_line(painter, box.bottom() - 0.5, self._scale.wide)

    def _unseen(self, body: Body, box: QRectF) -> None:
        """Hatch the stretches in which the body was looked for and is not to be seen."""
        painter, times = self._painter, frame_times(self._take)
        stretches = lost_stretches(body)
        for stretch, later in zip_longest(stretches, stretches[1:]):
            left, right = (self._scale.px(float(times[n])) for n in (stretch.frame, stretch.last))
            gap = QRectF(left - 1, box.top() + 1, max(right - left, 1) + 2, box.height() - 2)
            painter.fillRect(gap, theme.colour("card"))
            painter.setPen(QPen(theme.colour("ink2"), 1))
            painter.setBrush(Qt.BrushStyle.BDiagPattern)
            painter.fillRect(gap, Qt.BrushStyle.BDiagPattern)
            painter.setPen(QPen(theme.colour("ink"), 1))
            painter.drawLine(QLineF(gap.topLeft(), gap.bottomLeft()))
            painter.drawLine(QLineF(gap.topRight(), gap.bottomRight()))
            painter.setFont(sans(12))
            words = unseen_words(stretch)
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
            end = self._scale.px(float(times[later.frame])) if later is not None else self._scale.plot[1]
            if stretch.frames > 1 and gap.right() + wide + 12 < end and box.height() > LOW_LANE:
                painter.setPen(theme.colour("ink2"))
                painter.drawText(QPointF(gap.right() + 6, box.bottom() - 8), words)

    def draw_likeness(self, bodies: Sequence[Body], box: QRectF) -> None:
        """Draw how alike each frame's place looks: below a line it is doubtful ground."""
        painter = self._painter

        def py(value: Any) -> Any:
            share = (np.clip(value, LEAST_ALIKE, 1.0) - LEAST_ALIKE) / (1 - LEAST_ALIKE)
            return box.bottom() - 5 - share * (box.height() - 12)

        left, right = self._scale.plot
        draw_head(painter, box.top(), box.height(), _("Likeness"), "")
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        painter.drawText(QPointF(16, box.top() + 37), _("1 is equal"))
        marks = {1.0, LEAST_ALIKE}
        doubted = min((d for body in bodies if not math.isnan(d := doubted_below(body))), default=LEAST_ALIKE)
        if doubted > LEAST_ALIKE:
            painter.fillRect(
                QRectF(left, py(doubted), right - left, py(LEAST_ALIKE) - py(doubted)),
                theme.colour("warnsoft"),
            )
            marks.add(doubted)
        metrics = QFontMetricsF(painter.font())
        for value in marks:
            words = written_number(value, 2)
            painter.setPen(QPen(theme.colour("line2"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QLineF(left, py(value), right, py(value)))
            painter.setPen(theme.colour("ink2"))
            painter.drawText(QPointF(left - 6 - metrics.horizontalAdvance(words), py(value) + 4), words)
        for body in bodies:
            self._likeness_of(body, py)
        draw_line(painter, box.top(), self._scale.wide)

    def _likeness_of(self, body: Body, py: Callable[[Any], Any]) -> None:
        painter, times, colour = self._painter, frame_times(self._take), theme.body(body.look)
        rows = [(row.frame, row.likeness) for row in looked_at(body) if row.likeness is not None]
        if not rows:
            return
        frames, alike = (np.array(column) for column in zip(*rows, strict=True))
        x, y = self._scale.px(times[frames]), py(alike)
        draw_crowd(painter, look(body.look), x, y, 2.6, colour)
        weak = np.isin(frames, body.readings.columns.of("weak").frame)
        at = (QPointF(*place) for place in zip(x[weak].tolist(), y[weak].tolist(), strict=True))
        draw_shapes(painter, look(body.look), at, 5.2, colour, hollow=True)

    def _axis_label(self, box: QRectF, lane: Lane) -> None:
        painter = self._painter
        painter.setPen(theme.colour("ink2"))
        x, y = 16.0, box.top() + 36
        painter.setFont(serif(13, italic=True))
        painter.drawText(QPointF(x, y), lane.axis)
        painter.setFont(sans(12))
        painter.drawText(QPointF(x + 9, y), f"/ {lane.unit}")

    def _lane_marks(self, inner: QRectF, limits: tuple[float, float], py: Callable[[float], float]) -> None:
        painter = self._painter
        marks = ticks(*limits, max(2, int(inner.height() / 26)))
        step = marks[1] - marks[0] if len(marks) > 1 else abs(marks[0]) if marks and marks[0] else 1.0
        painter.setFont(sans(12))
        metrics = QFontMetricsF(painter.font())
        left, right = self._scale.plot
        for value in marks:
            painter.setPen(QPen(theme.colour("line"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QLineF(left, py(value), right, py(value)))
            painter.setPen(theme.colour("ink2"))
            text = tick_text(value, step)
            painter.drawText(QPointF(left - 6 - metrics.horizontalAdvance(text), py(value) + 4), text)
