"""The picture of the Time stage: keys that mark and count, gates laid over the path of a body."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from saltus.core.wording import _
from saltus.exchange.picture_marks import gate_lines
from saltus.notebook.derived.geometry import geometry_of
from saltus.printing.marks import HALO, draw_plate
from saltus.printing.pictures import draw_geometry, draw_readings
from saltus.ui.kit.key_codes import letter_of
from saltus.ui.kit.scaling import plate_font

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.notebook.model import Take
    from saltus.notebook.timing import Gates
    from saltus.ui.picture.view import PictureView

RING_FACTOR = 4.0


class Timer(Protocol):
    """What the tool asks the stage to do."""

    @property
    def mode(self) -> str: ...
    def key(self, key: int) -> bool: ...
    def plate(self) -> str: ...
    def lay_gate(self, at: QPointF) -> None: ...
    def gates(self) -> Gates | None: ...


class TimeTool:
    """What pointer and keys do on the picture of the Time stage."""

    def __init__(self, view: PictureView) -> None:
        self._view = view
        self._drag: QPointF | None = None
        self.timer: Timer | None = None

    def press(self, at: QPointF) -> None:
        if self.timer is not None and self.timer.mode == "gates" and self._view.inside(at):
            self._drag = at

    def drag(self, at: QPointF) -> None:
        if self._drag is not None:
            self._drag = at

    def release(self, at: QPointF) -> None:
        if self._drag is not None and self.timer is not None and self._view.inside(at):
            self.timer.lay_gate(at)
        self._drag = None

    def key(self, event: QKeyEvent) -> bool:
        if self.timer is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        return self.timer.key(letter_of(event))

    def cursor(self, at: QPointF) -> Qt.CursorShape:
        laying = self.timer is not None and self.timer.mode == "gates"
        return Qt.CursorShape.CrossCursor if laying else Qt.CursorShape.ArrowCursor

    def paint(self, painter: QPainter) -> None:
        view, desk = self._view, self._view.desk
        take = desk.take
        if take is None or self.timer is None:
            return
        if not take.facts.pictures:
            words = _("A recording of sound alone: time it in the lane below.")
            draw_plate(painter, QPointF(view.width() / 2, view.height() / 2), words, plate_font(14, 600))
            return
        if take.reference is not None:
            draw_geometry(painter, take, view.place, view.zoom(), 0.12 * view.width(), desk.frame)
        shown = desk.shown[1] if desk.shown is not None else desk.frame
        draw_readings(painter, take, shown, view.placer(), RING_FACTOR * view.zoom())
        gates = self.timer.gates()
        if gates is not None and self.timer.mode == "gates":
            self._paint_gates(painter, take, gates)
        words = self.timer.plate()
        if words:
            font = plate_font(13, 600)
            room = view.width() - 60
            words = QFontMetricsF(font).elidedText(words, Qt.TextElideMode.ElideRight, room)
            draw_plate(painter, QPointF(view.width() / 2, 26), words, font)

    def _paint_gates(self, painter: QPainter, take: Take, gates: Gates) -> None:
        """Dashed lines square to the axis, numbered from the first."""
        if self._drag is not None:
            at, frame = (self._drag.x(), self._drag.y()), self._view.desk.frame
            gates = gates.but(place=geometry_of(take).camera.moved([at], frame, None)[0])
        view = self._view
        lines = gate_lines(take, gates, 0.3 * max(take.facts.width, take.facts.height), self._view.desk.frame)
        drawn = [[view.place(*end) for end in (line.start, line.end)] for line in lines]
        apart = math.dist(*(middle_of(d) for d in drawn[:2])) if len(drawn) > 1 else math.inf
        every = math.ceil(26 / max(apart, 0.01))
        for n, ends in enumerate(drawn):
            for pen in (QPen(HALO, 4), QPen(QColor("#FFFFFF"), 1.6, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawLine(*ends)
            if n % every == 0:
                spot = 0.75 * ends[1] + 0.25 * ends[0]
                draw_plate(painter, spot, str(n), plate_font(12.5, 600))


def middle_of(ends: list[QPointF]) -> tuple[float, float]:
    """The middle between two places."""
    middle = 0.5 * (ends[0] + ends[1])
    return middle.x(), middle.y()
