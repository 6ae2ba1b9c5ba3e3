"""Keys that carry a letter, on any keyboard layout."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

_LETTER_PLACES = {
    26: Qt.Key.Key_E,
    31: Qt.Key.Key_I,
    41: Qt.Key.Key_F,
    46: Qt.Key.Key_L,
    52: Qt.Key.Key_Z,
    53: Qt.Key.Key_X,
    54: Qt.Key.Key_C,
    57: Qt.Key.Key_N,
}
"""Scan codes of the keys that carry these letters on a Latin keyboard."""
_LAST_LATIN = 0xFF


def letter_of(event: QKeyEvent) -> int:
    """Which key this is; on a keyboard of another script, by the place of the key."""
    key = event.key()
    if _LAST_LATIN < key < int(Qt.Key.Key_Escape):
        return int(_LETTER_PLACES.get(event.nativeScanCode(), Qt.Key(key)))
    return key
