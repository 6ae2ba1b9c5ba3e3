"""The loupe: pixels under the pointer as they are, 8 or 16 times larger."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.coverage import NORMAL_95
from saltus.core.wording import _
from saltus.printing.marks import ON_STAGE, draw_plate, draw_ring
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import plate_font, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QImage

    from saltus.ui.picture.view import PictureView


class Loupe(QWidget):
    """Shows the surroundings of a place of the picture, nearest neighbour.

    Attributes
    ----------
    resting : callable
        Gives the places to show side by side while the pointer is elsewhere.
    """

    def __init__(self, view: PictureView) -> None:
        super().__init__()
        self._view = view
        self._at: QPointF | None = None
        self._fixed: QPointF | None = None
        self.factor = 8
        self.rings = True
        self.resting: Callable[[], list[QPointF]] = list
        self.setFixedHeight(scaled(178))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("Loupe"))
        view.pointed.connect(self._follow)
        view.left.connect(self._forget)
        view.loupeSwitched.connect(self.switch)
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

    def _places(self) -> list[QPointF]:
        at = self.centre()
        return [at] if at is not None else self.resting()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shape = QPainterPath()
        shape.addRoundedRect(QRectF(self.rect()), 6, 6)
        painter.setClipPath(shape)
        painter.fillRect(self.rect(), theme.colour("stage"))
        image, places = self._view.image(), self._places()
        if image is None or not places:
            painter.setPen(ON_STAGE)
            painter.setFont(plate_font(13))
            box = QRectF(self.rect()).adjusted(24, 0, -24, 0)
            words = _("Move over the picture to see its pixels.")
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), words)
            return
        wide = self.width() / len(places)
        for i, at in enumerate(places):
            box = QRectF(i * wide, 0, wide - (2 if i + 1 < len(places) else 0), self.height())
            painter.setClipPath(shape)
            painter.setClipRect(box, Qt.ClipOperation.IntersectClip)
            self._paint_around(painter, box, image, at)
        painter.setClipPath(shape)
        draw_plate(painter, QPointF(8, 18), f"{self.factor}×", plate_font(13, 600), "left")

    def _paint_around(self, painter: QPainter, box: QRectF, image: QImage, at: QPointF) -> None:
        """Pixels around a place as squares, with lines through the place itself."""
        f, middle = self.factor, box.center()

        def spot(x: float, y: float) -> QPointF:
            return QPointF(middle.x() + (x - at.x()) * f, middle.y() + (y - at.y()) * f)

        wide, high = math.ceil(box.width() / f) + 2, math.ceil(box.height() / f) + 2
        left, top = math.floor(at.x() - wide / 2), math.floor(at.y() - high / 2)
        corner = spot(left - 0.5, top - 0.5)
        painter.drawImage(
            QRectF(corner.x(), corner.y(), wide * f, high * f), image.copy(left, top, wide, high)
        )
        for colour, width in ((QColor(12, 16, 16, 120), 3), (QColor(255, 255, 255, 150), 1)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(QLineF(middle.x(), 0, middle.x(), box.height()))
            painter.drawLine(QLineF(box.left(), middle.y(), box.right(), middle.y()))
        if self.rings:
            self._paint_rings(painter, spot)

    def _paint_rings(self, painter: QPainter, spot: Callable[[float, float], QPointF]) -> None:
        """Readings of this frame at true size: the ring's radius is the 95 % uncertainty."""
        take = self._view.desk.take
        for body in take.bodies if take else ():
            reading = body.readings.at(self._view.desk.frame)
            if reading is not None:
                radius = NORMAL_95 * (reading.u or body.u_px) * self.factor
                draw_ring(painter, spot(reading.x, reading.y), radius, QColor(look(body.look).stage))
