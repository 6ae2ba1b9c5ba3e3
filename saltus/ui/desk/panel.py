"""What the panels of the Time stage share."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from saltus.core.wording import _
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.widgets import Group

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from saltus.ui.desk.desk import Desk


class TimePanel(Group):
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
        super().__init__(gap=7)
        self.desk = desk

    def refresh(self) -> None:
        """Show the take in hand."""

    def ask_to_send(self, entries: list[Entry], under: QWidget) -> None:
        """Offer what can be sent to the table; where nothing can, say what is missing."""
        if not entries:
            words = (
                _("No column of the table takes a time.")
                if self.desk.notebook.trials is not None
                else _("Choose an investigation on Trials first: its table takes the time.")
            )
            entries = [Entry(words, lambda: None, possible=False)]
        open_under(menu_of(self, entries), under)
