"""A film on its way into the notebook: its first picture, where its take will be."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.ui.film.take_strip import LOW, film_box
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import draw_covering

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage


class ComingStrip(Scaled, QWidget):
    """Shows the name and first picture of a film that is being read through."""

    def __init__(self, name: str, image: QImage) -> None:
        super().__init__()
        self._name, self._image = name, image
        self.setFixedHeight(scaled(LOW))
        self.setMinimumWidth(300)
        self.setAccessibleName(_("{name} is being read").format(name=name))

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = self.area.adjusted(1, 1, -1, -1)
        painter.setBrush(theme.colour("card"))
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawRoundedRect(box, 8, 8)
        film = film_box(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("stage"))
        painter.drawRoundedRect(film, 5, 5)
        high = film.height() - 6
        wide = min(high * self._image.width() / max(self._image.height(), 1), film.width() - 6)
        draw_covering(painter, QRectF(film.left() + 3, film.top() + 3, wide, high), self._image)
        left, room = film.right() + 15, box.right() - film.right() - 29
        for words, font, token, y in (
            (self._name, sans(15, 600), "ink", 23),
            (_("being read…"), sans(13), "ink2", 44),
        ):
            painter.setFont(font)
            painter.setPen(theme.colour(token))
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, max(int(room), 0))
            painter.drawText(QPointF(left, box.top() + y), shown)
