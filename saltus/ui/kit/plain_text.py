"""Text of people is text: what looks like markup is shown as it was typed, never followed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

LONGEST = 2_000


def escaped(text: str) -> str:
    """Text for a place where markup is followed, and none of it is."""
    from html import escape  # noqa: PLC0415  start-up time

    return escape(text)


def plain(text: str) -> str:
    """Text for a tip, where Qt guesses whether it is markup: it never is."""
    text = text[:LONGEST]
    if not Qt.mightBeRichText(text):  # type: ignore[attr-defined]
        return text
    return f"<span style='white-space: pre-wrap'>{escaped(text)}</span>"


def message_box(parent: QWidget, text: str, more: str = "") -> QMessageBox:
    """A box that says something; its text is shown as it is."""
    box = QMessageBox(parent)
    box.setWindowTitle("Saltus")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text[:LONGEST])
    box.setInformativeText(more[:LONGEST])
    for label in box.findChildren(QLabel):
        label.setTextFormat(Qt.TextFormat.PlainText)
    return box
