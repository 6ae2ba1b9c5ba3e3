"""What the panels of the Time stage share."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QMenu, QVBoxLayout, QWidget

from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk
    from saltus.ui.desk.sending import Act


def chooser(name: str) -> QComboBox:
    """A list to choose from that gives way to what stands beside it."""
    made = QComboBox()
    made.setAccessibleName(name)
    made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    made.setMinimumContentsLength(3)
    return made


class TimePanel(QWidget):
    """A part of the column of the Time stage.

    Signals
    -------
    handWanted
        The take is to be timed by hand while it plays.
    timeWanted(t)
        A place on the time axis is to be shown, s.
    looked
        Something else is in hand in the panel.
    """

    handWanted = pyqtSignal()
    timeWanted = pyqtSignal(float)
    looked = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(7)

    def refresh(self) -> None:
        """Show the take in hand."""

    def offer(self, menu: QMenu, acts: list[Act]) -> None:
        """Put what can be sent to the table into a menu."""
        for words, act in acts:
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _on=False, a=act: a())

    def open_menu(self, menu: QMenu, under: QWidget) -> None:
        """Open a menu under a button; where there is nothing to choose, it says what is missing."""
        if menu.isEmpty():
            words = (
                _("No column of the table takes a time.")
                if self.desk.notebook.trials is not None
                else _("Choose an investigation on Trials first: its table takes the time.")
            )
            action = menu.addAction(words)
            assert action is not None
            action.setEnabled(False)
        menu.exec(under.mapToGlobal(QPoint(0, under.height())))
