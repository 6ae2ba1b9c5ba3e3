"""The picture of the Time stage: keys that mark and count, gates laid over the path of a body."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from saltus.core.wording import _
from saltus.notebook.derived.motion import mapping_of
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
            draw_geometry(painter, take, view.place, view.zoom(), 0.12 * view.width())
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
            gates = gates.but(place=(self._drag.x(), self._drag.y()))
        view, mapping = self._view, mapping_of(take)
        c, s = math.cos(mapping.axes.angle), math.sin(mapping.axes.angle)
        # along the axis in the picture, whose y points down, and along the gates, square to it
        along, across = ((c, -s), (s, c)) if gates.of == "x" else ((-s, -c), (c, -s))
        step = gates.spacing / mapping.per_px
        reach = 0.3 * max(take.facts.width, take.facts.height)
        every = math.ceil(26 / max(abs(step) * view.zoom(), 0.01)) if gates.spacing else 1
        for n in range(gates.number if gates.spacing else 1):
            x, y = (gates.place[i] + n * step * along[i] for i in (0, 1))
            ends = [view.place(x + k * reach * across[0], y + k * reach * across[1]) for k in (-1, 1)]
            for pen in (QPen(HALO, 4), QPen(QColor("#FFFFFF"), 1.6, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawLine(*ends)
            if n % every == 0:
                spot = view.place(x + 0.5 * reach * across[0], y + 0.5 * reach * across[1])
                draw_plate(painter, spot, str(n), plate_font(12.5, 600))
