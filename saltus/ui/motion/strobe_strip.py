"""The frames of a segment beside each other, over the lanes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.printing.marks import draw_plate, draw_trail
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import plate_font, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class StrobeStrip(QWidget):
    """A strip of the picture around all readings, seen at once."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.setFixedHeight(scaled(104))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        desk.pictureArrived.connect(lambda *_arrived: self.update())
        desk.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(860, 104)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour("stage"))
        take, shown = self._desk.take, self._desk.shown
        if take is None:
            return
        places = [(r.x, r.y) for b in take.bodies for r in b.readings]
        middle = sorted(y for _x, y in places)[len(places) // 2] if places else take.facts.height / 2
        low = min((y for _x, y in places), default=0.0)
        high = max((y for _x, y in places), default=take.facts.height)
        margin = 40.0
        # wide enough for every reading from top to bottom, never narrower than the picture fills the strip
        zoom = min(self.width() / take.facts.width, self.height() / max(high - low + 2 * margin, 1.0))
        middle = (low + high) / 2 if places else middle
        left = (self.width() - take.facts.width * zoom) / 2
        top = self.height() / 2 - (middle + 0.5) * zoom
        if shown is not None and shown[0] == take.id:
            box = QRectF(left, top, take.facts.width * zoom, take.facts.height * zoom)
            painter.drawImage(box, shown[2])
        for body in take.bodies:
            marks = [
                (QPointF(left + (r.x + 0.5) * zoom, top + (r.y + 0.5) * zoom), 1.0)
                for r in body.readings
                if r.used
            ]
            draw_trail(painter, look(body.look), marks, 5.0)
        words = _("all readings, seen from the camera")
        draw_plate(painter, QPointF(10, scaled(18)), words, plate_font(12.5), "left")
