"""Typing as a person does."""

from PyQt6.QtCore import Qt

KEY = Qt.Key


def typed(qtbot, field, text):
    """Type into a field as a person does."""
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, KEY.Key_Delete)
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, KEY.Key_Return)
