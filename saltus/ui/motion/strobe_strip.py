"""The frames of a segment beside each other, over the lanes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.notebook.derived.geometry import geometry_of
from saltus.printing.crowd import draw_long_trail
from saltus.printing.marks import draw_plate
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import plate_font, scaled
from saltus.ui.kit.still import Still
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

MARGIN_PX, LEAST_HIGH = 40.0, 40


class StrobeStrip(QWidget):
    """A strip of the picture around all readings, seen at once."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._still = Still()
        self.setMaximumHeight(scaled(104))
        # in a low window it gives way to the lanes
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        desk.pictureArrived.connect(lambda *_arrived: self.update())
        desk.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(860, scaled(104))

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour("stage"))
        take, shown = self._desk.take, self._desk.shown
        if self.height() < LEAST_HIGH:
            painter.fillRect(self.rect(), theme.colour("panel"))
            return
        if take is None:
            return
        zoom, left, top = self._placed(take)
        if shown is not None and shown[0] == take.id:
            box = QRectF(left, top, take.facts.width * zoom, take.facts.height * zoom)
            painter.drawImage(box, shown[2])
        camera = geometry_of(take).camera
        # where the camera moves, the places lie where they are seen in the frame that is shown
        frame = 0 if camera.motion is None or shown is None else shown[1]
        self._still.lay(
            painter, self, (take, frame), lambda on: self._paint_trails(on, take, frame), factor=1.0
        )
        words = _("all readings, seen from the camera")
        draw_plate(painter, QPointF(10, scaled(18)), words, plate_font(12.5), "left")

    def _placed(self, take: Take) -> tuple[float, float, float]:
        """Enlargement of the picture, and where its corner lies: every reading is seen from top to bottom."""
        y = np.concatenate(
            [body.readings.columns.y for body in take.bodies if not body.fixed] or [np.empty(0)]
        )
        low, high = (float(y.min()), float(y.max())) if len(y) else (0.0, float(take.facts.height))
        middle = (low + high) / 2
        # never narrower than the picture fills the strip
        zoom = min(self.width() / take.facts.width, self.height() / max(high - low + 2 * MARGIN_PX, 1.0))
        left = (self.width() - take.facts.width * zoom) / 2
        return zoom, left, self.height() / 2 - (middle + 0.5) * zoom

    def _paint_trails(self, painter: QPainter, take: Take, frame: int) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        zoom, left, top = self._placed(take)
        for body in (b for b in take.bodies if not b.fixed):
            used = body.readings.used
            x, y = geometry_of(take).camera.all_seen(used.x, used.y, used.frame, frame)
            x, y = left + (x + 0.5) * zoom, top + (y + 0.5) * zoom
            draw_long_trail(painter, look(body.look), x, y, 5.0)
