"""The pages of the sheet as they will be printed, one below the other."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from saltus.core.wording import _
from saltus.printing.report_pages import PAGE

if TYPE_CHECKING:
    from saltus.printing.report_pages import Pages


class PagesView(QWidget):
    """The pages of the sheet below each other, as they will be printed."""

    GAP = 18

    def __init__(self) -> None:
        super().__init__()
        self._document: Pages | None = None
        self._zoom = 0.72
        self.setAccessibleName(_("The sheet"))

    def show_document(self, document: Pages) -> None:
        """Show a document."""
        self._document = document
        self.fit()

    def fit(self) -> None:
        """Fit the width of a page into the room there is."""
        parent = self.parentWidget()
        room = parent.width() if parent is not None else 560
        self._zoom = min(max((room - 48) / PAGE.width(), 0.45), 1.0)
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        pages = self._document.count() if self._document else 1
        return QSize(
            int(PAGE.width() * self._zoom) + 40,
            int(pages * (PAGE.height() * self._zoom + self.GAP)) + self.GAP,
        )

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self._document is None:
            return
        left = (self.width() - PAGE.width() * self._zoom) / 2
        for page in range(self._document.count()):
            top = self.GAP + page * (PAGE.height() * self._zoom + self.GAP)
            box = QRectF(left, top, PAGE.width() * self._zoom, PAGE.height() * self._zoom)
            painter.fillRect(box.translated(4, 4), QColor(0, 0, 0, 40))
            painter.fillRect(box, QColor("#FFFFFF"))
            painter.save()
            painter.translate(left, top)
            painter.scale(self._zoom, self._zoom)
            painter.setClipRect(QRectF(0, 0, PAGE.width(), PAGE.height()))
            self._document.draw(painter, page)
            painter.restore()
