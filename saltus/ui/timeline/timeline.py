"""The score under the picture: thumbnails, positions of every body and the cursor on one time axis."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, QSizeF, Qt, QTimer
from PyQt6.QtGui import (
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.notebook.derived.frame_clock import frame_times, rhythm
from saltus.printing.fonts import sans
from saltus.ui.kit.icons import icon
from saltus.ui.kit.scaling import Scaled, scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus, button, draw_covering, icon_button
from saltus.ui.timeline.lane_painter import HEAD, LanePainter, TimeScale, draw_head, draw_line

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.desk.player import Player

TAPE, RULER, FILM = 40, 30, 52
LIKENESS, FADE = 52, 21
LEAST_LANE = 46.0
SOON_MS = 12


class Timeline(KeyFocus, Scaled, QWidget):
    """One time axis for all that was read of a take."""

    def __init__(self, desk: Desk, player: Player) -> None:
        super().__init__()
        self._desk = desk
        self._player = player
        self._cache: QPixmap | None = None
        self._film_cache: QPixmap | None = None
        self._film_of: tuple[object, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Score: positions against time"))
        self.setMinimumHeight(scaled(170))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.SplitHCursor)
        buttons = QWidget(self)
        layout = QHBoxLayout(buttons)
        layout.setContentsMargins(4, 0, 0, 0)
        layout.setSpacing(0)
        for name, tip, act in (
            ("back", _("One frame back (←)"), partial(self._go, -1)),
            ("play", _("Play, stop (Space)"), player.switch),
            ("forward", _("One frame on (→)"), partial(self._go, 1)),
        ):
            made = icon_button(name, tip, act)
            made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            made.setFixedWidth(scaled(29))
            layout.addWidget(made)
            if name == "play":
                self._play = made
        self._speed = button("1×", player.next_speed, "quiet", _("Speed of playing"))
        self._speed.setToolTip(_("Speed of playing: true, half, quarter"))
        self._speed.setFixedWidth(scaled(29))
        self._speed.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self._speed)
        buttons.setGeometry(0, 0, scaled(HEAD + 10), scaled(RULER))
        player.changed.connect(self._show_player)
        buttons.setCursor(Qt.CursorShape.ArrowCursor)
        desk.changed.connect(self._anew)
        desk.thumbArrived.connect(lambda _take: self._film_anew())
        desk.lookedElsewhere.connect(self._looked)
        desk.following.changed.connect(self._anew)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._drawn_anew)
        self._drawn_for: str | None = None

    def sizeHint(self) -> QSize:
        return QSize(880, 286)

    def _show_player(self) -> None:
        name = "pause" if self._player.playing else "play"
        self._play.setIcon(icon(name, theme.colour("ink")))
        self._speed.setText({1.0: "1×", 0.5: "½×", 0.25: "¼×"}[self._player.speed])

    def _go(self, step: int) -> None:
        self._desk.go_to_frame(self._desk.frame + step)

    def _anew(self) -> None:
        if self._desk.following.run is not None:
            # what a run finds can be seen a little later: an edit and all its pictures at once would be felt
            self._soon.start()
        else:
            self._drawn_anew()

    def _drawn_anew(self) -> None:
        self._cache = None
        film = self._film_shown()
        if film != self._film_of:
            self._film_cache, self._film_of = None, film
        self.update()

    def _film_shown(self) -> tuple[object, ...]:
        """What the strip of the film shows: it stays as it is while bodies are read."""
        take = self._desk.take
        return (take.id, take.film, take.facts, take.kept, take.capture_rate, self.span()) if take else ()

    def _film_anew(self) -> None:
        """Thumbnails come one by one: the lanes need not be drawn again for each."""
        self._film_cache = None
        self.update()

    def _looked(self) -> None:
        if self._drawn_for != f"{self._desk.take_id}/{self._desk.body.id if self._desk.body else ''}":
            self._cache = self._film_cache = None
        self.update()

    def resizeEvent(self, event: object) -> None:
        self._cache = self._film_cache = None

    # -- time ----------------------------------------------------------------------------------------

    def span(self) -> tuple[float, float]:
        take = self._desk.take
        times = frame_times(take) if take is not None else np.array([0.0, 1.0])
        spacing = (rhythm(take).spacing_s or 1.0) if take is not None else 0.0
        return 0.0, max(float(times[-1]), spacing)

    def _plot(self) -> tuple[float, float]:
        return float(HEAD + 16), float(self.wide - TAPE)

    def px(self, t: float) -> float:
        """Horizontal place of a time."""
        (left, right), (first, last) = self._plot(), self.span()
        return left + (t - first) / (last - first) * (right - left)

    def time_at(self, px: float) -> float:
        """Time at a horizontal place, s."""
        (left, right), (first, last) = self._plot(), self.span()
        return first + (px - left) / (right - left) * (last - first)

    def frame_at(self, px: float) -> int:
        """The frame nearest to a horizontal place."""
        take = self._desk.take
        if take is None:
            return 0
        return int(np.argmin(np.abs(frame_times(take) - self.time_at(px))))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.spot(event).x() > HEAD:
            self._desk.go_to_frame(self.frame_at(self.spot(event).x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._desk.go_to_frame(self.frame_at(self.spot(event).x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        steps = {Qt.Key.Key_Left: -far, Qt.Key.Key_Right: far}
        if event.key() in steps:
            self._desk.go_to_frame(self._desk.frame + steps[Qt.Key(event.key())])
        elif event.key() == Qt.Key.Key_Space:
            self._player.switch()
        else:
            super().keyPressEvent(event)

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        take = self._desk.take
        if self._cache is None:
            self._cache = self._drawn(self.high, self._lanes)
            self._drawn_for = f"{self._desk.take_id}/{self._desk.body.id if self._desk.body else ''}"
        if self._film_cache is None:
            self._film_cache = self._drawn(RULER + FILM, self._paint_film)
        painter.drawPixmap(self.area, self._cache, QRectF(self._cache.rect()))
        top = QRectF(0, 0, self.wide, RULER + FILM)
        painter.drawPixmap(top, self._film_cache, QRectF(self._film_cache.rect()))
        if take is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x, red = self.px(self._desk.time()), theme.colour("cursor")
        left, right = self._plot()
        self._chevrons(painter)
        if not left - 1 <= x <= right + 1:
            self.paint_focus(painter, theme.colour("accent"))
            return
        painter.setPen(QPen(red, 2))
        painter.drawLine(QLineF(x, RULER - 4, x, self.high))
        font = sans(12.5, 600)
        text = f"{self._desk.time():.3f} s"
        wide = QFontMetricsF(font).horizontalAdvance(text) + 14
        box = QRectF(min(max(x - wide / 2, HEAD), self.wide - wide - 2), 3, wide, 21)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(red)
        painter.drawRoundedRect(box, 4, 4)
        painter.drawPolygon(QPolygonF([QPointF(x - 5, 24), QPointF(x + 5, 24), QPointF(x, 29)]))
        painter.setPen(QColor("#FFFFFF") if not theme.dark else theme.colour("onacc"))
        painter.setFont(font)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        self.paint_focus(painter, theme.colour("accent"))

    def _drawn(self, high: float, paint: Callable[[QPainter, Take], None]) -> QPixmap:
        """Paint a part of the score once, to be shown until something in it changes."""
        ratio = self.devicePixelRatioF() * text_factor()
        pixmap = QPixmap((QSizeF(self.wide, high) * ratio).toSize())
        pixmap.fill(theme.colour("panel"))
        painter = QPainter(pixmap)
        painter.scale(ratio, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        take = self._desk.take
        if take is not None:
            paint(painter, take)
        painter.end()
        return pixmap

    def _paint_film(self, painter: QPainter, take: Take) -> None:
        self._ruler(painter)
        self._film(painter, take)

    def _ruler(self, painter: QPainter) -> None:
        left, right = self._plot()
        marks = ticks(*self.span(), max(2, int((right - left) / 76)))
        step = marks[1] - marks[0] if len(marks) > 1 else 1.0
        painter.setFont(sans(12.5))
        metrics = QFontMetricsF(painter.font())
        for i, value in enumerate(marks):
            number = tick_text(value, step)
            painter.setPen(theme.colour("ink2"))
            # the number stands over its line, the unit hangs beside it
            start = QPointF(self.px(value) - metrics.horizontalAdvance(number) / 2, 17)
            painter.drawText(start, number + (" s" if i == 0 else ""))
            painter.setPen(theme.colour("line2"))
            painter.drawLine(QLineF(self.px(value), 23, self.px(value), RULER))
        draw_line(painter, RULER, self.wide)

    def _film(self, painter: QPainter, take: Take) -> None:
        if not take.facts.pictures:
            draw_line(painter, RULER + FILM, self.wide)
            return
        draw_head(painter, RULER, FILM, _("Film"), "")
        times = frame_times(take)
        thumbs = self._desk.thumbs.get(take.id, {})
        aspect = take.facts.width / take.facts.height
        high = FILM - 14
        left, right = self._plot()
        room = max(1, int((right - left) / max(high * aspect, 1)))
        shown = sorted(thumbs)
        for i in range(room):
            box = QRectF(left + i * (right - left) / room, RULER + 4, (right - left) / room - 2, high)
            painter.fillRect(box, theme.colour("stage"))
            if shown:
                t = self.time_at(box.center().x())
                frame = shown[int(np.argmin([abs(times[n] - t) for n in shown]))]
                draw_covering(painter, box, thumbs[frame])
        if take.kept is not None:
            shade = QColor(theme.colour("panel"))
            shade.setAlphaF(0.75)
            first, last = (self.px(float(times[n])) for n in (take.kept_frames[0], take.kept_frames[-1]))
            painter.fillRect(QRectF(left, RULER + 2, first - left, high + 4), shade)
            painter.fillRect(QRectF(last, RULER + 2, right - last, high + 4), shade)
        dots = theme.colour("ink2")
        if len(times) <= 400:
            painter.setPen(QPen(dots, 1))
            for x in map(self.px, times.tolist()):
                if left <= x <= right:
                    painter.drawPoint(QPointF(x, RULER + FILM - 5))
        for frame in rhythm(take).gaps:
            box = QRectF(
                self.px(times[frame]), RULER + 4, self.px(times[frame + 1]) - self.px(times[frame]), high
            )
            painter.fillRect(box, QColor(0, 0, 0, 120))
            painter.fillRect(box, Qt.BrushStyle.BDiagPattern)
        draw_line(painter, RULER + FILM, self.wide)

    def _lanes(self, painter: QPainter, take: Take) -> None:
        top = float(RULER + FILM)
        if not take.bodies:
            box = QRectF(HEAD + 16, top + 14, self.wide - HEAD - TAPE - 16, 60)
            painter.setPen(QPen(theme.colour("line2"), 1, Qt.PenStyle.DashLine))
            painter.drawRect(box)
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(13))
            words = _("Positions appear here as you read them.")
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
            return
        lanes = LanePainter(painter, take, TimeScale(self._plot(), self.span(), self.wide))
        followed = [body for body in take.bodies if body.runs]
        if (self.high - top - LIKENESS) / len(take.bodies) < LEAST_LANE:
            followed = []  # positions before all
        room = self.high - top - (LIKENESS if followed else 0)
        height = max(LEAST_LANE, room / len(take.bodies))
        if self._desk.following.take_id == take.id:
            self._ahead(painter, take, top)
        for body in take.bodies:
            if top + 30 > self.high - (LIKENESS if followed else 0):
                break
            chosen = self._desk.body is not None and self._desk.body.id == body.id
            lanes.draw(body, QRectF(0, top, self.wide, min(height, self.high - top)), chosen=chosen)
            top += height
        if followed:
            lanes.draw_likeness(followed, QRectF(0, self.high - LIKENESS, self.wide, LIKENESS))

    def _ahead(self, painter: QPainter, take: Take, top: float) -> None:
        """What a run has not come to yet lies on another ground; before it fades what it found last."""
        run = self._desk.following.run
        assert run is not None
        times = frame_times(take)
        at, end = (self.px(float(times[n])) for n in (run.at, run.frames[-1]))
        left, right = min(at, end), max(at, end)
        painter.fillRect(QRectF(left, top, right - left, self.high - top), theme.colour("app"))
        way = 1 if end >= at else -1
        fade = QLinearGradient(at, 0, at + way * FADE, 0)
        clear = QColor(theme.colour("accent"))
        for place, strength in ((0.0, 0.45), (1.0, 0.0)):
            clear.setAlphaF(strength)
            fade.setColorAt(place, QColor(clear))
        painter.fillRect(QRectF(min(at, at + way * FADE), top, FADE, self.high - top), fade)
        if right - left > 150:
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(12))
            box = QRectF(left + FADE + 4, self.high - LIKENESS, right - left - FADE - 8, LIKENESS)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), _("not yet followed"))

    def _chevrons(self, painter: QPainter) -> None:
        """Three chevrons beside the edge of a run: it goes on there, wherever the cursor is."""
        run, take = self._desk.following.run, self._desk.take
        if run is None or take is None or take.id != run.take.id:
            return
        at = self.px(float(frame_times(take)[run.at]))
        way = 1 if run.frames[-1] >= run.at else -1
        beside = 34 if abs(at - self.px(self._desk.time())) < 34 else 6
        painter.setPen(QPen(theme.colour("accent"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for i in range(3):
            x = at + way * (beside + 7 * i)
            painter.drawPolyline(QPolygonF([QPointF(x, 9), QPointF(x + way * 4, 13), QPointF(x, 17)]))
