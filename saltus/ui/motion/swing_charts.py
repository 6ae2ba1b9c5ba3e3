"""Below the lanes of a swing: when it passed against the number of the passing, and how evenly."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.notebook.derived.swing import off_beat, swing_shown
from saltus.printing.chart_painter import draw_chart
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from PyQt6.QtGui import QPainter

    from saltus.notebook.derived.swing import OffBeat, SwingShown
    from saltus.notebook.model import Segment, Take

HIGH, HEAD, LEFT = 164, 24, 58
SHARE = 0.36
LEAST_WINDOW = 720
"""In a lower window the lanes need the room."""


class SwingCharts(Scaled, QWidget):
    """Period from passings, and drift; hidden where nothing swings."""

    def __init__(self) -> None:
        super().__init__()
        self._shown: SwingShown | None = None
        self._off: OffBeat | None = None
        self._look = 0
        self.setFixedHeight(scaled(HIGH))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(860, scaled(HIGH))

    def show_segment(self, take: Take | None, segment: Segment | None) -> None:
        """Show the passings of a segment, where it swings and the window has the room."""
        self._shown = swing_shown(take, segment) if take is not None and segment is not None else None
        self._off = off_beat(self._shown) if self._shown is not None else None
        body = take.body(segment.body) if take is not None and segment is not None else None
        self._look = body.look if body is not None else 0
        window = self.window()
        room = window is not None and window.height() >= scaled(LEAST_WINDOW)
        self.setVisible(self._off is not None and room)
        if self._off is not None:
            self.setAccessibleName(
                _("Period from passings, and drift: {words}").format(words=self._drift_words())
            )
        self.update()

    def _drift_words(self) -> str:
        drift = (
            self._shown.cycles.drift if self._shown is not None and self._shown.cycles is not None else None
        )
        if drift is None:
            return _("too few passings for a drift")
        if abs(float(drift)) <= drift.U95:
            return _("no drift seen")
        value, spread = value_and_uncertainty(1000 * float(drift), 1000 * drift.U95)
        words = _("each cycle {value} ± {spread} ms longer than the last")
        return words.format(value=value, spread=spread)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.fillRect(self.area, theme.colour("panel"))
        if self._off is None:
            return
        middle = round(self.wide * SHARE)
        off = self._off
        n, numbers = Label(_("number of the passing")), off.numbers
        even = Curve(numbers, off.times - off.off)
        passed = Points(numbers, off.times, None, self._look)
        beat = Chart(n, Label("t", "s"), (passed,), (even,), named_x=True)
        late = Points(numbers, 1000 * off.off, 1000 * off.U, self._look)
        flat = Curve(numbers[[0, -1]], np.zeros(2), "dashed")
        drift = Chart(n, Label("Δt", "ms"), (late,), (flat,), named_x=True)
        self._titled(painter, QRectF(0, 0, middle, self.high), _("Period from passings"), "", beat)
        words = _("passing minus even beat; ") + self._drift_words()
        self._titled(painter, QRectF(middle, 0, self.wide - middle, self.high), _("Drift"), words, drift)

    def _titled(self, painter: QPainter, box: QRectF, title: str, words: str, chart: Chart) -> None:
        painter.setFont(sans(14, 600))
        painter.setPen(theme.colour("ink"))
        painter.drawText(int(box.left()) + 16, 17, title)
        if words:
            left = int(box.left()) + 28 + painter.fontMetrics().horizontalAdvance(title)
            painter.setFont(sans(12.5))
            painter.setPen(theme.colour("ink2"))
            painter.drawText(left, 17, words)
        draw_chart(painter, box.adjusted(0, HEAD, 0, 0), chart, theme.chart, left=LEFT)
