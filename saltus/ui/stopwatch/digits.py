"""The large digits of the stopwatch, its uncertainty, and the track of presses under them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.clock.hand import certain_places
from saltus.core.statement import stated, value_and_uncertainty
from saltus.core.units import SECOND
from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.core.clock.stopwatch import Watch

HIGH, FACTS = 276, 250
LARGEST, SMALLEST = 150.0, 60.0
MOST_LABELS = 24


class Digits(Scaled, QWidget):
    """Shows a watch; it asks for nothing and takes no keys."""

    def __init__(self, watch: Watch) -> None:
        super().__init__()
        self._watch = watch
        self.now = 0.0
        self.U_pass = 0.2
        self.U_run = 0.28
        self.hidden_digits = False
        self.countdown = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("Stopwatch"))

    def sizeHint(self) -> QSize:
        return QSize(scaled(520), scaled(HIGH - 42))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def _text(self) -> str:
        watch = self._watch
        if self.countdown:
            return str(self.countdown)
        if self.hidden_digits and watch.state == "running":
            return str(watch.count)
        return f"{watch.elapsed(self.now):.2f}"

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        text = self._text()
        self.setAccessibleDescription(text)
        facts = self.wide > 640
        room = self.wide - 130 - (FACTS if facts else 0)
        size = LARGEST
        while size > SMALLEST and QFontMetricsF(sans(size, 600)).horizontalAdvance(text) > room:
            size -= 6
        self._digits(painter, text, size)
        if facts:
            self._facts(painter, QRectF(self.wide - FACTS, 14, FACTS, 130))
        self._track(painter, QRectF(16, self.high - 66, self.wide - 32, 56))

    def _digits(self, painter: QPainter, text: str, size: float) -> None:
        watch = self._watch
        plain = self.countdown or (self.hidden_digits and watch.state == "running")
        sure = certain_places(self.U_run)
        whole, dot, places = text.partition(".")
        firm, pale = (text, "") if plain else (whole + (dot if sure else "") + places[:sure], places[sure:])
        if not plain and not sure and dot:
            pale = dot + pale
        x, base = 14.0, 22 + 0.78 * LARGEST
        for part, token, weight in ((firm, "ink", 600), (pale, "ink3", 400)):
            font = sans(size, weight)
            painter.setFont(font)
            painter.setPen(theme.colour(token))
            painter.drawText(QPointF(x, base), part)
            x += QFontMetricsF(font).horizontalAdvance(part)
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(44))
        if plain:
            painter.setFont(sans(22))
            words = _("get ready") if self.countdown else _("passes; digits hidden")
            painter.drawText(QPointF(x + 16, base), words)
            return
        painter.drawText(QPointF(x + 16, base), "s")
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(26, 600))
        _value, spread = value_and_uncertainty(watch.elapsed(self.now), self.U_run)
        painter.drawText(QPointF(x + 18, base - 0.62 * size), f"± {spread}")
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(13))
        words = _("95 %") if watch.state == "stopped" else _("once stopped")
        painter.drawText(QPointF(x + 18, base - 0.62 * size + 22), words)

    def _facts(self, painter: QPainter, box: QRectF) -> None:
        watch = self._watch
        start = watch.passes[0] if watch.passes else 0.0
        painter.setPen(theme.colour("line"))
        painter.drawLine(QLineF(box.left() - 20, box.top(), box.left() - 20, box.bottom()))
        at = watch.passes[-1] - start if watch.passes else 0.0
        last = _("{n} at {t:.2f} s").format(n=watch.count, t=at) if watch.passes else "–"
        due, cycle = watch.expected(), watch.mean_cycle
        mean = stated(cycle, self.U_run / watch.count, SECOND) if cycle is not None else "–"
        then = f"{due:.2f} s" if due is not None else "–"
        rows = ((_("Last pass"), last), (_("Next pass, expected"), then), (_("Mean cycle so far"), mean))
        y = box.top() + 16
        for name, value in rows:
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(13))
            painter.drawText(QPointF(box.left(), y), name)
            painter.setPen(theme.colour("ink"))
            painter.setFont(sans(13, 600))
            wide = QFontMetricsF(painter.font()).horizontalAdvance(value)
            painter.drawText(QPointF(box.right() - 16 - wide, y), value)
            painter.setPen(theme.colour("line"))
            painter.drawLine(QLineF(box.left(), y + 9, box.right() - 16, y + 9))
            y += 29
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(13))
        painter.drawText(QPointF(box.left(), y), _("Pale: finer than this hand can press"))

    def _track(self, painter: QPainter, box: QRectF) -> None:
        """Brackets as wide as the hand's 95 % scatter; passes still to come are dashed."""
        watch = self._watch
        start = watch.passes[0] if watch.passes else 0.0
        times = [p - start for p in watch.passes]
        cycle = watch.mean_cycle or 1.0
        last = times[-1] if times else 0.0
        coming = [last + cycle * (i + 1) for i in range(max(watch.planned + 1 - len(times), 0))]
        if not times:
            coming = [float(i) for i in range(watch.planned + 1)]
        end = max([*times, *coming, watch.elapsed(self.now), 1e-6])
        y = box.top() + 18

        def px(t: float) -> float:
            return box.left() + 10 + t / end * (box.width() - 20)

        painter.setPen(QPen(theme.colour("line2"), 1.4))
        painter.drawLine(QLineF(px(0), y, px(end), y))
        every = max(1, -(-(len(times) + len(coming)) // MOST_LABELS))
        for i, t in enumerate([*times, *coming]):
            done = i < len(times)
            half = max((px(self.U_pass) - px(0)), 3.5) if len(times) > 1 else 3.5
            half = min(half, 0.3 * (box.width() - 20) / max(len(times) + len(coming) - 1, 1))
            pen = QPen(theme.colour("ink" if done else "ink2"), 1.8 if done else 1)
            if not done:
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.setBrush(theme.colour("panel" if done else "card"))
            painter.drawRect(QRectF(px(t) - half, y - 12, 2 * half, 24))
            if i % every == 0:
                painter.setFont(sans(13, 600 if done else 400))
                painter.setPen(theme.colour("ink" if done else "ink2"))
                painter.drawText(QRectF(px(t) - 24, y + 15, 48, 18), Qt.AlignmentFlag.AlignCenter, str(i))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if watch.state == "running" and not self.hidden_digits:
            x = px(watch.elapsed(self.now))
            painter.setPen(QPen(theme.colour("cursor"), 2))
            painter.drawLine(QLineF(x, y - 18, x, y + 14))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("cursor"))
            corners = [QPointF(x - 5, y - 24), QPointF(x + 5, y - 24), QPointF(x, y - 17)]
            painter.drawPolygon(QPolygonF(corners))
