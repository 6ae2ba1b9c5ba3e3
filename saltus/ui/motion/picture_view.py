"""The picture in hand with the marks of the motion, as it will be written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.printing.annotated import draw_annotated
from saltus.ui.kit.scaling import plate_font, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

    from saltus.exchange.picture_marks import PictureMarks
    from saltus.ui.desk.desk import Desk


class PictureView(QWidget):
    """Shows the frame in hand, or frames laid over each other, with marks."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._marks: PictureMarks | None = None
        self._strobe: QImage | None = None
        self.setAccessibleName(_("Picture with the marks of the motion"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(scaled(300), scaled(200))
        desk.pictureArrived.connect(lambda *_arrived: self.update())

    def sizeHint(self) -> QSize:
        return QSize(860, 520)

    def show_marks(self, marks: PictureMarks | None, strobe: QImage | None) -> None:
        """Show other marks; ``strobe`` takes the place of the frame in hand."""
        self._marks, self._strobe = marks, strobe
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("stage"))
        shown, take = self._desk.shown, self._desk.take
        there = shown is not None and take is not None and shown[0] == take.id
        picture = self._strobe or (shown[2] if there and shown is not None else None)
        if picture is None or self._marks is None:
            painter.setPen(theme.colour("onstage"))
            painter.setFont(plate_font(14))
            words = _("Read a body in some frames first.") if self._marks is None else ""
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
            return
        strobe = self._strobe is not None
        draw_annotated(painter, QRectF(self.rect()), picture, self._marks, self._desk.frame, strobe=strobe)
