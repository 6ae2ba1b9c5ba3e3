"""Lists to choose one thing from."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QStyle, QStyleOptionComboBox, QStylePainter

from saltus.ui.kit.scaling import scaled

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from PyQt6.QtGui import QPaintEvent
    from PyQt6.QtWidgets import QAbstractButton


class Chooser(QComboBox):
    """A list whose chosen entry is shortened where there is no room for it."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, option, style = QStylePainter(self), QStyleOptionComboBox(), self.style()
        self.initStyleOption(option)
        if style is not None:
            room = style.subControlRect(
                QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, self
            )
            option.currentText = option.fontMetrics.elidedText(
                option.currentText, Qt.TextElideMode.ElideRight, room.width()
            )
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)


def chooser(name: str, chosen: Callable[[], object] | None = None, fewest: int = 3) -> QComboBox:
    """Make a list that gives way to what stands beside it.

    Parameters
    ----------
    name : str
        What is chosen, for those who hear the screen.
    chosen : callable, optional
        Called without arguments when a person chooses.
    fewest : int
        Letters that stay to be seen.
    """
    made = Chooser()
    made.setAccessibleName(name)
    made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    made.setMinimumContentsLength(fewest)
    if chosen is not None:
        made.activated.connect(lambda _i: chosen())
    return made


def growing(box: QComboBox, most: int) -> QComboBox:
    """Let a list take the room there is, up to a width in px at normal text."""
    box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    box.setMaximumWidth(scaled(most))
    return box


def fill(box: QComboBox, entries: Iterable[tuple[str, object]], current: object = None) -> None:
    """Put in words and data anew, without telling anyone, and choose by data."""
    shown = list(entries)
    with QSignalBlocker(box):
        if shown != [(box.itemText(i), box.itemData(i)) for i in range(box.count())]:
            box.clear()
            for words, data in shown:
                box.addItem(words, data)
        if current is not None:
            box.setCurrentIndex(box.findData(current))


def tick(box: QAbstractButton, on: bool) -> None:
    """Show a box ticked or not, without telling anyone."""
    with QSignalBlocker(box):
        box.setChecked(on)
