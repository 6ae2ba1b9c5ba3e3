"""The area that says where films may be dropped."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme


class DropArea(Scaled, QAbstractButton):
    """Says that films may be dropped; a click asks for one."""

    def __init__(self, words: str, *, compact: bool = False) -> None:
        super().__init__()
        self._words = words
        self.setFixedHeight(scaled(86 if compact else 218))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(_("Open a film"))
        self._compact = compact

    def sizeHint(self) -> QSize:
        return QSize(340, self.height())

    def set_compact(self, compact: bool) -> None:
        """Take little room, or as much as a page that holds nothing else."""
        self._compact = compact
        self.setFixedHeight(scaled(86 if compact else 218))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.area.adjusted(1, 1, -1, -1)
        focus = self.hasFocus()
        pen = QPen(theme.colour("accent" if focus else "line2"), 2 if focus else 1.4, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(theme.colour("accsoft") if self.underMouse() else theme.colour("card"))
        painter.drawRoundedRect(box, 8, 8)
        top = 14.0
        if not self._compact:
            self._hop(painter)
            top = 84.0
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(15, 600))
        painter.drawText(QRectF(20, top, box.width() - 36, 24), Qt.AlignmentFlag.AlignLeft, self._words)
        painter.setFont(sans(13))
        painter.setPen(theme.colour("ink2"))
        words = _("MP4, MOV, MKV, AVI, WebM or GIF, a folder of numbered pictures, or a recording of sound. "
                  "Times are read and checked first; your film is never changed.")  # fmt: skip
        if self._compact:
            words = _("Films, a folder of numbered pictures, or sound.")
        place = QRectF(20, top + 24, box.width() - 36, box.height() - top - 26)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), words)

    def _hop(self, painter: QPainter) -> None:
        """Five small frames in which a body hops."""
        for i, height in enumerate((0.3, 0.55, 0.75, 0.6, 0.3)):
            wide = (self.wide - 40 - 4 * 6) / 5
            cell = QRectF(20 + i * (wide + 6), 20, wide, 46)
            painter.setPen(QPen(theme.colour("line2"), 1.2))
            painter.setBrush(theme.colour("panel"))
            painter.drawRoundedRect(cell, 4, 4)
            painter.setPen(QPen(theme.body(0), 1.4))
            painter.setBrush(theme.body(0) if i == 4 else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(cell.center().x(), cell.bottom() - height * 40), 4.5, 4.5)
