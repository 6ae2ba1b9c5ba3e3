"""The score of the Time stage: instants as brackets, counted passings, gates, sound with its onsets."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from saltus.core.clock.brackets import InstantError
from saltus.core.wording import _
from saltus.notebook.derived.times import bracket_of, count_value, gate_values, sound_problem
from saltus.printing.fonts import sans
from saltus.ui.kit.theme import theme
from saltus.ui.time.sound_lane import draw_accepted, draw_sound
from saltus.ui.timeline.lane_painter import HEAD, LanePainter, TimeScale, draw_head, draw_line
from saltus.ui.timeline.timeline import FILM, RULER, Timeline

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

    from saltus.notebook.derived.sound_onsets import SoundOnsets
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.desk.player import Player
    from saltus.ui.time.sounds import Sounds

INSTANTS, PASSINGS, GATES, SILENT, LEAST_LANE = 50, 46, 40, 36, 62
NARROWEST_S = 0.0005
"""So far one can zoom in: some twenty samples."""
NEAR = 7
LONGEST_NAME = 150


class TimeLanes(Timeline):
    """One time axis for what was timed; the wheel, + and − zoom, 0 shows all.

    Signals
    -------
    onsetChosen(time, half)
        A proposed onset, or a place in the sound, on the clock of the frames, s.
    """

    onsetChosen = pyqtSignal(float, float)

    def __init__(self, desk: Desk, player: Player, sounds: Sounds) -> None:
        super().__init__(desk, player)
        self._sounds = sounds
        self._window: tuple[float, float] | None = None
        self._of_take: str | None = None
        self.count_id: str | None = None
        self.gates_id: str | None = None
        self.setAccessibleName(_("Score: instants, passings and sound against time"))
        sounds.arrived.connect(lambda _take: self._anew())

    # -- time ----------------------------------------------------------------------------------------

    def _whole(self) -> tuple[float, float]:
        first, last = super().span()
        take = self._desk.take
        heard = self._sounds.of(take) if take is not None else None
        if take is not None and not take.facts.pictures and heard is not None:
            last = heard.end_s
        return first, last

    def span(self) -> tuple[float, float]:
        """First and last time shown, s."""
        return self._window or self._whole()

    def show_window(self, first: float, last: float) -> None:
        """Show a part of the time axis, s; all of it where that is as much."""
        low, high = self._whole()
        wide = min(max(last - first, NARROWEST_S), high - low)
        first = min(max(first, low), high - wide)
        self._window = None if wide >= (high - low) * 0.999 else (first, first + wide)
        self._anew()

    def zoom(self, factor: float, about: float | None = None) -> None:
        """Show less of the time axis about a time, the cursor by default."""
        first, last = self.span()
        factor = min(factor, (last - first) / NARROWEST_S)
        about = self._desk.time() if about is None else about
        if not first <= about <= last:
            about = (first + last) / 2
        self.show_window(about - (about - first) / factor, about + (last - about) / factor)

    def draw_again(self) -> None:
        """Draw the lanes anew: another count or set of gates is in hand."""
        self._anew()

    def follow(self) -> None:
        """Bring the cursor back into sight."""
        if self._window is not None:
            first, last = self._window
            now = self._desk.time()
            if not first <= now <= last:
                half = (last - first) / 2
                self.show_window(now - half, now + half)

    def _looked(self) -> None:
        if self._desk.take_id != self._of_take:
            self._of_take, self._window = self._desk.take_id, None
        self.follow()
        super()._looked()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turn.x():
            first, last = self.span()
            step = (turn.x() or turn.y()) / 120 * 0.1 * (last - first)
            self.show_window(first - step, last - step)
        elif turn.y():
            self.zoom(1.3 ** (turn.y() / 120), self.time_at(event.position().x() / self._factor()))
        event.accept()

    def _factor(self) -> float:
        return self.width() / self.wide if self.wide else 1.0

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.6)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom(1 / 1.6)
        elif event.key() == Qt.Key.Key_0:
            self._window = None
            self._anew()
        else:
            super().keyPressEvent(event)

    # -- pointer -------------------------------------------------------------------------------------

    def _sound_top(self, take: Take) -> float:
        top = float(RULER + FILM + INSTANTS)
        if take.timing.counts:
            top += PASSINGS
        top += GATES if take.timing.gates else 0
        rest = self.high - top
        shared = self._followed(take) is not None and rest > 2 * LEAST_LANE
        return top + (rest / 2 if shared else 0)

    def onset_near(self, px: float) -> tuple[float, float] | None:
        """The proposed onset under a horizontal place."""
        take = self._desk.take
        heard = self._sounds.of(take) if take is not None else None
        if heard is None:
            return None
        near = [o for o in heard.onsets if abs(self.px(o[0]) - px) <= NEAR]
        return min(near, key=lambda o: abs(self.px(o[0]) - px))[:2] if near else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        take = self._desk.take
        if event is None or take is None:
            return
        spot = self.spot(event)
        if spot.y() > self._sound_top(take) and self._heard(take) is not None and spot.x() > HEAD:
            near = self.onset_near(spot.x())
            if near is not None:
                self.onsetChosen.emit(*near)
                return
        super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Mark a place in the sound where no onset was proposed, as well as it can be seen."""
        take = self._desk.take
        heard = self._heard(take) if take is not None else None
        if event is None or take is None or heard is None:
            return
        spot = self.spot(event)
        if spot.y() > self._sound_top(take) and spot.x() > HEAD and self.onset_near(spot.x()) is None:
            here = self.time_at(spot.x())
            half = max(2 * (self.time_at(spot.x() + 1) - here), 0.5 / heard.rate)
            self.onsetChosen.emit(here, half)

    def _heard(self, take: Take) -> SoundOnsets | None:
        return self._sounds.of(take) if sound_problem(take) is None else None

    # -- painting ------------------------------------------------------------------------------------

    def _lanes(self, painter: QPainter, take: Take) -> None:
        top = float(RULER + FILM)
        left, right = self._plot()
        self._instants(painter, take, top)
        top += INSTANTS
        if take.timing.counts:
            self._passings(painter, take, top)
            top += PASSINGS
        if take.timing.gates:
            self._gates(painter, take, top)
            top += GATES
        painter.setClipping(False)
        body, rest = self._followed(take), self.high - top
        if body is not None and rest > 2 * LEAST_LANE:
            high = rest / 2 if take.facts.sound else rest - SILENT
            lanes = LanePainter(painter, take, TimeScale(self._plot(), self.span(), self.wide))
            chosen = self._desk.body is not None and self._desk.body.id == body.id
            lanes.draw(body, QRectF(0, top, self.wide, high), chosen=chosen)
            top += high
        draw_head(painter, top, self.high - top, _("Sound"), "")
        box = QRectF(left, top + 4, right - left, max(self.high - top - 8, 10))
        problem = sound_problem(take) or self._sounds.problem(take)
        heard = self._sounds.of(take)
        if problem or heard is None:
            painter.setPen(theme.colour("ink2"))
            painter.setFont(sans(13))
            words = problem or _("Listening …")
            painter.drawText(box.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)
            return
        draw_sound(painter, self, heard, box)
        draw_accepted(painter, self, take, box)
        if heard.warnings:
            painter.setFont(sans(12.5))
            painter.setPen(theme.colour("warn"))
            words = QFontMetricsF(painter.font()).elidedText(
                " ".join(heard.warnings), Qt.TextElideMode.ElideRight, box.width() - 200
            )
            painter.drawText(QPointF(box.left() + 6, box.bottom() - 3), words)

    def _followed(self, take: Take) -> Body | None:
        """The body whose positions are shown: of the count or gates in hand, else the one in hand."""
        count = take.timing.count(self.count_id) or (take.timing.counts[-1] if take.timing.counts else None)
        body = take.body(count.body) if count is not None else None
        body = body or self._desk.body
        return body if body is not None and len(body.readings) else None

    def _bracket(self, painter: QPainter, span: tuple[float, float], box: QRectF, *, bold: bool) -> float:
        """Draw a bracket as wide as the two times, never narrower than can be seen; gives its right end."""
        a, b = self.px(span[0]), self.px(span[1])
        if b - a < 4:
            a, b = (a + b) / 2 - 2, (a + b) / 2 + 2
        painter.fillRect(QRectF(a, box.top(), b - a, box.height()), theme.colour("accsoft"))
        painter.setPen(QPen(theme.colour("ink"), 2.2 if bold else 1.4))
        for x in (a, b):
            painter.drawLine(QLineF(x, box.top(), x, box.bottom()))
        painter.drawLine(QLineF(a, box.top(), a + 3, box.top()))
        painter.drawLine(QLineF(a, box.bottom(), a + 3, box.bottom()))
        painter.drawLine(QLineF(b - 3, box.top(), b, box.top()))
        painter.drawLine(QLineF(b - 3, box.bottom(), b, box.bottom()))
        return b

    def _inside(self, span: tuple[float, float]) -> bool:
        first, last = self.span()
        return span[1] >= first and span[0] <= last

    def _instants(self, painter: QPainter, take: Take, top: float) -> None:
        draw_head(painter, top, INSTANTS, _("Instants"), "")
        left, right = self._plot()
        painter.setFont(sans(12.5))
        painter.setClipRect(QRectF(left - 4, top, right - left + 30, INSTANTS))
        spans = []
        for instant in take.timing.instants:
            try:
                span = bracket_of(take, instant)
            except InstantError:
                continue
            if self._inside(span):
                event = self._desk.notebook.event(instant.event)
                spans.append((span, event.name if event is not None else ""))
        self._named(painter, sorted(spans), top)
        painter.setClipping(False)
        if not take.timing.instants:
            painter.setPen(theme.colour("ink2"))
            words = _("I marks an event between this frame and the one before.")
            painter.drawText(QPointF(left + 6, top + 30), words)
        draw_line(painter, top + INSTANTS, self.wide)

    def _named(self, painter: QPainter, spans: list[tuple[tuple[float, float], str]], top: float) -> None:
        """Brackets with their names, beside them where there is room, else below them or not at all."""
        metrics = QFontMetricsF(painter.font())
        below = 0.0
        for i, (span, name) in enumerate(spans):
            end = self._bracket(painter, span, QRectF(0, top + 8, 0, 20), bold=True) + 5
            following = self.px(spans[i + 1][0][0]) if i + 1 < len(spans) else math.inf
            words = metrics.elidedText(name, Qt.TextElideMode.ElideRight, LONGEST_NAME)
            wide = metrics.horizontalAdvance(words)
            painter.setPen(theme.colour("ink"))
            if end + wide < following:
                painter.drawText(QPointF(end, top + 23), words)
            elif end >= below:
                painter.drawText(QPointF(end, top + 44), words)
                below = end + wide + 6

    def _passings(self, painter: QPainter, take: Take, top: float) -> None:
        """Numbered passings of the count in hand; those set aside are struck."""
        count = take.timing.count(self.count_id) or take.timing.counts[-1]
        draw_head(painter, top, PASSINGS, count.name, "")
        made = count_value(take, count)
        left, right = self._plot()
        middle = top + PASSINGS / 2
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.drawLine(QLineF(left, middle, right, middle))
        painter.setFont(sans(12, 600))
        last_px = -math.inf
        shown = [] if isinstance(made, str) else list(zip(made.numbers, made.passings, strict=True))
        for number, passing in shown[:5000]:
            x = self.px(float(passing))
            if not left - 1 <= x <= right + 1:
                continue
            painter.setPen(QPen(theme.colour("ink"), 1.4))
            painter.drawLine(QLineF(x, middle - 7, x, middle + 7))
            if x - last_px < 22:
                continue
            last_px = x
            ends = number in (shown[0][0], shown[-1][0])
            painter.setPen(QPen(theme.colour("ink" if ends else "ink2"), 1.8 if ends else 1.1))
            painter.setBrush(theme.colour("card"))
            painter.drawEllipse(QPointF(x, middle), 9.5, 9.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(x - 10, middle - 10, 20, 20), Qt.AlignmentFlag.AlignCenter, str(number))
        draw_line(painter, top + PASSINGS, self.wide)

    def _gates(self, painter: QPainter, take: Take, top: float) -> None:
        gates = take.timing.gate_set(self.gates_id) or take.timing.gates[-1]
        draw_head(painter, top, GATES, _("Gates"), "")
        left, right = self._plot()
        found, _told = gate_values(take, gates)
        painter.setFont(sans(12))
        places = [(self.px(float(p.crossing.time)), str(p.gate)) for p in found[:5000]]
        places = sorted(p for p in places if left - 1 <= p[0] <= right + 1)
        for i, (x, number) in enumerate(places):
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.drawLine(QLineF(x, top + 7, x, top + GATES - 7))
            if i + 1 == len(places) or places[i + 1][0] - x >= 18:
                painter.setPen(theme.colour("ink"))
                painter.drawText(QPointF(x + 4, top + GATES / 2 + 4), number)
        draw_line(painter, top + GATES, self.wide)
