"""A page larger than its room can be scrolled: nothing on it is out of reach."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

if TYPE_CHECKING:
    from PyQt6.QtGui import QResizeEvent


class Reach(QScrollArea):
    """Room for a page, which fills it and is never smaller than it can be.

    Parameters
    ----------
    page : QWidget
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self._page = page
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(page)
        page.installEventFilter(self)

    def fit(self) -> None:
        """Give the page its size: Qt's own way would give it all it likes to have, and scroll too soon."""
        least, room = self._page.minimumSizeHint(), self.maximumViewportSize()
        wide, high = room.width(), room.height()
        upright, level = self.verticalScrollBar(), self.horizontalScrollBar()
        if least.height() > high and upright is not None:
            wide -= upright.sizeHint().width()
        if least.width() > wide and level is not None:
            high -= level.sizeHint().height()
        self._page.resize(max(wide, least.width()), max(high, least.height()))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self._page and event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.fit()
        return super().eventFilter(watched, event)
