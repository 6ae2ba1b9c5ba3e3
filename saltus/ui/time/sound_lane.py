"""The lane of the sound: its shape, the onsets proposed, and those accepted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from saltus.core.clock.brackets import InstantError
from saltus.core.wording import _
from saltus.exchange.chart import ticks
from saltus.notebook.derived.times import sound_delay
from saltus.printing.fonts import sans
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.notebook.derived.sound_onsets import SoundOnsets
    from saltus.notebook.model import Take

SHOWN_PARTS = 400


class TimeAxis(Protocol):
    """Where times lie across the picture."""

    def span(self) -> tuple[float, float]:
        """First and last time shown, s."""

    def px(self, t: float) -> float:
        """Where a time lies, px."""


def _caret(x: float, top: float) -> QPolygonF:
    return QPolygonF([QPointF(x - 5, top), QPointF(x + 5, top), QPointF(x, top + 8)])


def draw_sound(painter: QPainter, axis: TimeAxis, heard: SoundOnsets, box: QRectF) -> None:
    """The sound as its extremes, or as samples where it is zoomed so far, with what is proposed."""
    columns = max(int(box.width()), 2)
    first, last = axis.span()
    low, high = heard.extremes(first, last, columns)
    known = np.isfinite(low)
    painter.setPen(QPen(theme.colour("line2"), 1))
    painter.drawLine(QLineF(box.left(), box.center().y(), box.right(), box.center().y()))
    if not known.any():
        return
    reach = float(max(np.nanmax(np.abs(low)), np.nanmax(np.abs(high)), 1e-9))
    half = box.height() / 2 - 16
    painter.setPen(QPen(theme.colour("ink2"), 1))
    lines = []
    for i in map(int, np.flatnonzero(known)):
        y0, y1 = (box.center().y() - half * v / reach for v in (low[i], high[i]))
        lines.append(QLineF(box.left() + i, y0 + 0.5, box.left() + i, y1 - 0.5))
    painter.drawLines(*lines)
    if (last - first) * heard.rate < SHOWN_PARTS:
        # zoomed to the sample: each is a dot
        start = max(int((first - heard.start_s) * heard.rate), 0)
        part = heard.samples[start : start + SHOWN_PARTS]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ink"))
        for i, value in enumerate(part.tolist()):
            x = axis.px(heard.start_s + (start + i) / heard.rate)
            if box.left() <= x <= box.right():
                painter.drawEllipse(QPointF(x, box.center().y() - half * value / reach), 2, 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
    _draw_proposed(painter, axis, heard, box)


def _draw_proposed(painter: QPainter, axis: TimeAxis, heard: SoundOnsets, box: QRectF) -> None:
    """A caret over each proposed onset, and the bracket in which it lies where it is wide enough."""
    painter.setPen(QPen(theme.colour("accent"), 1.4))
    painter.setBrush(theme.colour("card"))
    for at, half, _strength in heard.onsets:
        x = axis.px(at)
        if not box.left() <= x <= box.right():
            continue
        painter.drawPolygon(_caret(x, box.top()))
        wide = axis.px(at + half) - axis.px(at - half)
        if wide > 3:
            soft = QColor(theme.colour("accent"))
            soft.setAlphaF(0.18)
            painter.fillRect(QRectF(x - wide / 2, box.top() + 10, wide, box.height() - 10), soft)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_accepted(painter: QPainter, axis: TimeAxis, take: Take, box: QRectF) -> None:
    """Filled carets over the sounds that were accepted as instants or counted."""
    try:
        delay = float(sound_delay(take))
    except InstantError:
        delay = 0.0
    taken = [i.at for i in take.timing.instants if i.how == "sound"]
    taken += [o.at for c in take.timing.counts for o in c.onsets]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("accent"))
    for at in taken:
        x = axis.px(at)
        if box.left() <= x <= box.right():
            painter.drawPolygon(_caret(x, box.top()))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setFont(sans(12))
    painter.setPen(theme.colour("ink2"))
    step = ticks(*axis.span(), 6)
    if len(step) > 1:
        words = _("corrected {ms:.1f} ms for its way").format(ms=1000 * delay) if delay else ""
        wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
        painter.drawText(QPointF(box.right() - wide - 4, box.bottom() - 3), words)
