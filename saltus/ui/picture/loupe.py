"""The loupe: pixels under the pointer as they are, 8 or 16 times larger."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.printing.marks import ON_STAGE, draw_plate, draw_ring
from saltus.printing.tokens import look
from saltus.ui.theme import theme

if TYPE_CHECKING:
    from saltus.ui.picture.view import PictureView


class Loupe(QWidget):
    """Shows the surroundings of a place of the picture, nearest neighbour."""

    def __init__(self, view: PictureView) -> None:
        super().__init__()
        self._view = view
        self._at: QPointF | None = None
        self._fixed: QPointF | None = None
        self.factor = 8
        self.rings = True
        self.setFixedHeight(178)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("Loupe"))
        view.pointed.connect(self._follow)
        view.left.connect(self._forget)
        view.desk.pictureArrived.connect(lambda *_arrived: self.update())
        view.desk.changed.connect(self.update)
        view.desk.lookedElsewhere.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(268, 178)

    def switch(self) -> None:
        """Change between 8 and 16 times."""
        self.factor = 16 if self.factor == 8 else 8
        self.update()

    def look_at(self, place: QPointF | None) -> None:
        """Stay at a place whatever the pointer does; None lets it go."""
        self._fixed = place
        self.update()

    def _follow(self, x: float, y: float) -> None:
        self._at = QPointF(x, y)
        self.update()

    def _forget(self) -> None:
        self._at = None
        self.update()

    def centre(self) -> QPointF | None:
        """The place shown: where something is being moved, else under the pointer, else the reading."""
        if self._fixed is not None:
            return self._fixed
        if self._at is not None and self._view.inside(self._at):
            return self._at
        body = self._view.desk.body
        reading = body.readings.at(self._view.desk.frame) if body and self.rings else None
        return QPointF(reading.x, reading.y) if reading else None

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shape = QPainterPath()
        shape.addRoundedRect(QRectF(self.rect()), 6, 6)
        painter.setClipPath(shape)
        painter.fillRect(self.rect(), theme.colour("stage"))
        image, at = self._view.image(), self.centre()
        if image is None or at is None:
            painter.setPen(ON_STAGE)
            painter.setFont(sans(13))
            box = QRectF(self.rect()).adjusted(24, 0, -24, 0)
            words = _("Move over the picture to see its pixels.")
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), words)
            return
        f = self.factor
        wide, high = math.ceil(self.width() / f) + 2, math.ceil(self.height() / f) + 2
        left, top = math.floor(at.x() - wide / 2), math.floor(at.y() - high / 2)
        part = image.copy(left, top, wide, high)
        corner = QPointF(
            self._px(left - 0.5, at.x(), self.width()), self._px(top - 0.5, at.y(), self.height())
        )
        painter.drawImage(QRectF(corner.x(), corner.y(), wide * f, high * f), part)
        middle = QPointF(self.width() / 2, self.height() / 2)
        for colour, width in ((QColor(12, 16, 16, 120), 3), (QColor(255, 255, 255, 150), 1)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(QLineF(middle.x(), 0, middle.x(), self.height()))
            painter.drawLine(QLineF(0, middle.y(), self.width(), middle.y()))
        if self.rings:
            self._paint_rings(painter, at)
        draw_plate(painter, QPointF(8, 18), f"{f}×", sans(13, 600), "left")

    def _px(self, value: float, centre: float, size: int) -> float:
        return (value - centre) * self.factor + size / 2

    def _paint_rings(self, painter: QPainter, at: QPointF) -> None:
        """Readings of this frame at true size: the ring's radius is the 95 % uncertainty."""
        take = self._view.desk.take
        for body in take.bodies if take else ():
            reading = body.readings.at(self._view.desk.frame)
            if reading is not None:
                centre = QPointF(
                    self._px(reading.x, at.x(), self.width()), self._px(reading.y, at.y(), self.height())
                )
                radius = 1.96 * (reading.u or body.u_px) * self.factor
                draw_ring(painter, centre, radius, QColor(look(body.look).stage))
