"""What was being typed when the work ended, to be copied to where it belongs."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.ui.kit.widgets import button, label, row

SHOWN = 400


class TypedText(QWidget):
    """Shows it, to be marked and copied.

    Parameters
    ----------
    field : str
        Where it was typed.
    text : str
    """

    def __init__(self, field: str, text: str) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(label(_("Being typed in “{field}”:").format(field=field), "note"))
        shown = label(text if len(text) <= SHOWN else text[:SHOWN] + " …", wrap=True)
        shown.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(shown)
        self.copy = button(_("Copy it"), lambda: self._copy(text), "link")
        column.addLayout(row(self.copy, stretch=1))

    def _copy(self, text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(text)
            self.copy.setText(_("Copied: paste it where it belongs"))
