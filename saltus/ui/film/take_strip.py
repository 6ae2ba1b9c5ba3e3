"""A take on the wall: its film, its facts, how evenly its frames follow, and the part that is kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton

from saltus.core.wording import _, plural
from saltus.exchange.chart import tick_text, ticks
from saltus.exchange.time_base import headline_finding
from saltus.notebook.derived.frame_clock import frame_times, rhythm
from saltus.printing.fonts import sans
from saltus.ui.kit.marks import draw_mark
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import draw_covering

if TYPE_CHECKING:
    from PyQt6.QtGui import QFont

    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

LOW, TALL = 98, 188
RIBBON = 62
HANDLE = 10.0
GRAB = 9.0


class TakeStrip(Scaled, QAbstractButton):
    """One take; the one in hand shows its whole film as a ribbon whose ends can be dragged.

    Signals
    -------
    opened
        The work on it shall go on.
    neighbourWanted(step)
        The next (1) or previous (−1) take is wanted.
    kept(first, last)
        Another part of it shall be kept.
    """

    opened = pyqtSignal()
    neighbourWanted = pyqtSignal(int)
    kept = pyqtSignal(int, int)

    def __init__(self, desk: Desk, take: Take, *, chosen: bool) -> None:
        super().__init__()
        self._desk, self._take = desk, take
        self._drag: int | None = None
        self._kept = [take.kept_frames[0], take.kept_frames[-1]]
        self.setCheckable(True)
        self.setChecked(chosen)
        self.setFixedHeight(scaled(TALL if chosen else LOW))
        self.setMinimumWidth(300)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(chosen)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{take.name}: {headline_finding(take)[1]}")
        if chosen:
            words = _("Drag the ends to keep the useful part; [ and ] set them at the cursor")
            self.setToolTip(plain(words))

    def sizeHint(self) -> QSize:
        return QSize(840, self.height())

    # -- pointer and keys ----------------------------------------------------------------------------

    def _span(self) -> float:
        times = frame_times(self._take)
        return max(float(times[-1]), 1e-9)

    def _ribbon(self) -> QRectF:
        return QRectF(16, 34, self.wide - 32, RIBBON)

    def _px(self, frame: int) -> float:
        box = self._ribbon()
        return box.left() + float(frame_times(self._take)[frame]) / self._span() * box.width()

    def _frame_at(self, px: float) -> int:
        box = self._ribbon()
        t = (px - box.left()) / box.width() * self._span()
        return int(np.argmin(np.abs(frame_times(self._take) - t)))

    def _end_at(self, at: QPointF) -> int | None:
        if not self.isChecked() or not self._ribbon().adjusted(-HANDLE, -8, HANDLE, 8).contains(at):
            return None
        near = [(abs(self._px(frame) - at.x()), i) for i, frame in enumerate(self._kept)]
        distance, which = min(near)
        return which if distance <= GRAB + HANDLE else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._drag = self._end_at(self.spot(event))
            if self._drag is not None:
                return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None:
            frame = self._frame_at(self.spot(event).x())
            end = len(self._take.facts.ticks) - 1
            low, high = (0, self._kept[1] - 1) if self._drag == 0 else (self._kept[0] + 1, end)
            self._kept[self._drag] = min(max(frame, low), max(high, 0))
            self.update()
            return
        over = self._end_at(self.spot(event)) is not None
        self.setCursor(Qt.CursorShape.SplitHCursor if over else Qt.CursorShape.PointingHandCursor)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            self._drag = None
            self.kept.emit(*self._kept)
            return
        super().mouseReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: object) -> None:
        self.opened.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        first, last = self._kept
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.neighbourWanted.emit(1 if event.key() == Qt.Key.Key_Down else -1)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.isChecked():
            self._desk.go_to_frame(self._desk.frame + (1 if event.key() == Qt.Key.Key_Right else -1))
            self.update()
        elif event.text() == "[" and self._desk.frame < last:
            self.kept.emit(self._desk.frame, last)
        elif event.text() == "]" and self._desk.frame > first:
            self.kept.emit(first, self._desk.frame)
        else:
            super().keyPressEvent(event)

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = self.area.adjusted(1, 1, -1, -1)
        strong = self.hasFocus() or self.isChecked()
        edge = theme.colour("accent" if self.hasFocus() else "ink" if self.isChecked() else "line")
        painter.setBrush(theme.colour("card"))
        painter.setPen(QPen(edge, 2 if strong else 1))
        painter.drawRoundedRect(box, 8, 8)
        if self.isChecked():
            self._paint_tall(painter, box)
        else:
            film = film_box(box)
            self._film(painter, film)
            self._finding(painter, QPointF(box.left() + 17, box.bottom() - 14), film.width() - 24)
            self._facts(painter, box.adjusted(film.width() + 24, 8, -14, -8))

    def _finding(self, painter: QPainter, at: QPointF, room: float) -> None:
        mark, words = headline_finding(self._take)
        problem = self._desk.film_problems.get(self._take.id)
        if problem:
            mark, words = "look", problem
        draw_mark(painter, at, mark, 12)
        font = sans(13, 600 if mark == "look" else 400)
        _text(painter, at + QPointF(13, 4), words, font, "warn" if mark == "look" else "ink", room)

    def _film(self, painter: QPainter, box: QRectF) -> None:
        """Five frames at 10, 30, 50, 70 and 90 % of the kept part."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("stage"))
        painter.drawRoundedRect(box, 5, 5)
        thumbs = self._desk.thumbs.get(self._take.id, {})
        first, last = self._kept
        for i in range(5):
            left = box.left() + 3 + i * (box.width() - 6) / 5
            cell = QRectF(left, box.top() + 3, (box.width() - 6) / 5 - 2, box.height() - 6)
            if thumbs:
                wanted = first + (0.1 + 0.2 * i) * (last - first)
                draw_covering(painter, cell, thumbs[min(thumbs, key=lambda n: abs(n - wanted))])

    def _words(self) -> str:
        take, beat = self._take, rhythm(self._take)
        rate = f" · {beat.usual_rate:.1f} " + _("frames/s") if beat.usual_rate else ""
        duration = frame_times(take)[-1] + (beat.spacing_s or 0)
        if not take.facts.pictures:
            return f"{duration:.2f} s · " + _("sound alone")
        return f"{duration:.2f} s{rate} · {take.facts.width} × {take.facts.height}"

    def _facts(self, painter: QPainter, box: QRectF) -> None:
        take = self._take
        _text(painter, QPointF(box.left(), box.top() + 15), take.name, sans(15, 600), "ink", box.width())
        _text(painter, QPointF(box.left(), box.top() + 36), self._words(), sans(13), "ink2", box.width())
        _text(painter, QPointF(box.left(), box.top() + 55), self._under(), sans(13), "ink2", box.width())
        self._spacing(painter, QRectF(box.left(), box.bottom() - 18, box.width(), 16))

    def _under(self) -> str:
        take = self._take
        read = sum(len(b.readings) for b in take.bodies)
        parts = [_("with sound") if take.facts.sound else _("no sound")]
        parts += [_("simulated")] if take.simulated else []
        if take.kept is not None:
            words = _("{n} of {all} frames kept")
            parts.append(words.format(n=len(take.kept_frames), all=len(take.facts.ticks)))
        return " · ".join([*parts, plural("{n} reading", "{n} readings", read)])

    def _paint_tall(self, painter: QPainter, box: QRectF) -> None:
        take = self._take
        times = frame_times(take)
        head = QPointF(box.left() + 15, box.top() + 21)
        wide = _text(painter, head, take.name, sans(15, 600), "ink", box.width() * 0.45)
        about, room = self._words() + " · " + self._under(), box.width() - wide - 44
        _text(painter, head + QPointF(wide + 14, 0), about, sans(13), "ink2", room)
        self._paint_ribbon(painter)
        ribbon = self._ribbon()
        marks = ticks(0.0, self._span(), max(2, int(ribbon.width() / 90)))
        step = marks[1] - marks[0] if len(marks) > 1 else 1.0
        for value in marks:
            x = ribbon.left() + value / self._span() * ribbon.width()
            painter.setPen(theme.colour("line2"))
            painter.drawLine(QLineF(x, ribbon.bottom() + 3, x, ribbon.bottom() + 7))
            text = tick_text(value, step) + (" s" if value == 0 else "")
            _text(painter, QPointF(x, ribbon.bottom() + 20), text, sans(12), "ink2", 60, centred=True)
        self._spacing(painter, QRectF(ribbon.left(), ribbon.bottom() + 25, ribbon.width(), 16), aligned=True)
        a, b = (float(times[n]) for n in self._kept)
        words = _("Keep {a:.2f} to {b:.2f} s: {n} of {all} frames").format(
            a=a, b=b, n=self._kept[1] - self._kept[0] + 1, all=len(times)
        )
        font = sans(13, 600)
        painter.setFont(font)
        room = painter.fontMetrics().horizontalAdvance(words)
        at = QPointF(box.left() + 17, box.bottom() - 14)
        self._finding(painter, at, min(box.width() * 0.5, box.width() - room - 56))
        _text(painter, QPointF(box.right() - 16 - room, box.bottom() - 10), words, font, "ink", room + 4)

    def _paint_ribbon(self, painter: QPainter) -> None:
        box = self._ribbon()
        painter.fillRect(box, theme.colour("stage"))
        thumbs = self._desk.thumbs.get(self._take.id, {})
        facts = self._take.facts
        count = max(1, int(box.width() / (box.height() * facts.width / facts.height)))
        for i in range(count):
            left, wide = box.left() + i * box.width() / count, box.width() / count - 2
            cell = QRectF(left, box.top() + 2, wide, box.height() - 4)
            if thumbs:
                wanted = (i + 0.5) / count * (len(facts.ticks) - 1)
                draw_covering(painter, cell, thumbs[min(thumbs, key=lambda n: abs(n - wanted))])
        times = frame_times(self._take)
        for frame in rhythm(self._take).gaps:
            hole = QRectF(QPointF(self._px(frame), box.top()), QPointF(self._px(frame + 1), box.bottom()))
            painter.fillRect(hole, QColor(0, 0, 0, 150))
            painter.fillRect(hole, Qt.BrushStyle.BDiagPattern)
        left, right = (self._px(frame) for frame in self._kept)
        dim = QColor(12, 16, 16, 190)
        painter.fillRect(QRectF(QPointF(box.left(), box.top()), QPointF(left, box.bottom())), dim)
        painter.fillRect(QRectF(QPointF(right, box.top()), QPointF(box.right(), box.bottom())), dim)
        x = self._px(min(self._desk.frame, len(times) - 1))
        painter.setPen(QPen(theme.colour("cursor"), 2))
        painter.drawLine(QLineF(x, box.top() - 5, x, box.bottom() + 3))
        painter.setPen(QPen(theme.colour("ink"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(QPointF(left, box.top() - 2), QPointF(right, box.bottom() + 2)))
        painter.setBrush(theme.colour("card"))
        for edge in (left - HANDLE, right):
            grip = QRectF(edge, box.top() - 4, HANDLE, box.height() + 8)
            painter.drawRoundedRect(grip, 3, 3)
            middle = grip.center()
            painter.drawLine(QLineF(middle.x(), middle.y() - 7, middle.x(), middle.y() + 7))

    def _spacing(self, painter: QPainter, box: QRectF, *, aligned: bool = False) -> None:
        """One dot per frame: time to the next, relative to the median; a gap leaves a hole and its length."""
        times = frame_times(self._take)
        if len(times) < 2:
            return
        spacing = np.diff(times)
        median = float(np.median(spacing)) or 1.0
        gaps = set(rhythm(self._take).gaps)
        text = f"{1000 * median:.1f} ms"
        left = box.left() if aligned else box.left() + 58
        if not aligned:
            _text(painter, QPointF(box.left(), box.center().y() + 5), text, sans(12), "ink2", 60)
        else:
            words = _("time to the next frame: {ms}").format(ms=text)
            _text(painter, QPointF(box.left(), box.bottom() + 8), words, sans(12), "ink2", 240)
        pen = QPen(theme.body(1), 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
        for i in range(0, len(spacing), max(1, len(spacing) // 300)):
            x = left + (box.right() - left) * float(times[i]) / self._span()
            if i in gaps:
                continue
            off = min(max((spacing[i] / median - 1) / 0.25, -1), 1)
            painter.setPen(pen)
            painter.drawPoint(QPointF(x, box.center().y() - off * 6))
        for frame in gaps if aligned else ():
            x = self._px(frame)
            painter.setPen(QPen(theme.colour("warn"), 1.6))
            painter.drawLine(QLineF(x, box.bottom() - 3, x, box.top() + 3))
            painter.drawLine(QLineF(x, box.top() + 3, x - 4, box.top() + 8))
            painter.drawLine(QLineF(x, box.top() + 3, x + 4, box.top() + 8))
            words = _("{ms:.0f} ms once").format(ms=1000 * spacing[frame])
            font = sans(12, 600)
            wide = QFontMetricsF(font).horizontalAdvance(words)
            painter.fillRect(QRectF(x + 6, box.top(), wide + 4, box.height()), theme.colour("card"))
            _text(painter, QPointF(x + 8, box.top() + 11), words, font, "warn", 140)


def film_box(box: QRectF) -> QRectF:
    """Where frames are shown on a low strip, px."""
    return QRectF(box.left() + 9, box.top() + 9, min(450.0, box.width() * 0.53), 56)


def _text(
    painter: QPainter, at: QPointF, words: str, font: QFont, token: str, room: float, *, centred: bool = False
) -> float:
    """Write a line, cut off with an ellipsis where there is no room; gives its width."""
    painter.setFont(font)
    painter.setPen(theme.colour(token))
    metrics = painter.fontMetrics()
    shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, max(int(room), 0))
    wide = float(metrics.horizontalAdvance(shown))
    painter.drawText(at - QPointF(wide / 2 if centred else 0.0, 0), shown)
    return wide
