"""Which look holds now: what this user chose, else what the system says; and when it changes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QFontDatabase, QFontInfo, QGuiApplication

from saltus.ui.kit.scaling import LEAST, MOST, set_text_size, text_factor
from saltus.ui.kit.settings import setting
from saltus.ui.kit.theme import apply_theme, system_is_dark, theme

if TYPE_CHECKING:
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

BODY_PX = 14
"""Our own body text at 100 %: the system's text is compared with it."""
STEP = 5
SAME = 110
"""Desktops differ by a little in what they call normal: below this many per cent text stays as designed."""


def system_text_percent() -> int:
    """How large the system wants text, per cent of our usual body text, never smaller than that."""
    system = QFontInfo(QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)).pixelSize()
    percent = STEP * round(100 * system / BODY_PX / STEP)
    return LEAST if percent < SAME else min(percent, MOST)


def wanted_look() -> tuple[bool, int]:
    """Whether the window should be dark, and its text size in per cent."""
    chosen, percent = setting("theme"), setting("text_percent")
    dark = system_is_dark() if chosen == "system" else chosen == "dark"
    return dark, percent or system_text_percent()


def look_now() -> tuple[bool, int]:
    """The look in force, as :func:`wanted_look` gives it."""
    return theme.dark, round(100 * text_factor())


def dress(app: QApplication) -> bool:
    """Dress the application as wanted; tells whether anything had to change."""
    wanted = wanted_look()
    if wanted == look_now() and app.styleSheet():
        return False
    dark, percent = wanted
    set_text_size(percent)
    apply_theme(app, dark=dark)
    return True


class SystemLook(QObject):
    """Has a timer started when the desktop's look may have changed; goes with its parent.

    Colours are told by Qt. Nothing tells of text sizes on every desktop: they are looked at when the person
    comes back to a window, say from the desktop's settings.
    """

    def __init__(self, parent: QObject, timer: QTimer) -> None:
        super().__init__(parent)
        self._timer = timer
        hints = QGuiApplication.styleHints()
        if hints is not None:
            hints.colorSchemeChanged.connect(self._look_again)
        application().focusWindowChanged.connect(self._look_again)

    def _look_again(self, *_what: object) -> None:
        self._timer.start(0)


def application() -> QApplication:
    """Give the running application."""
    from PyQt6.QtWidgets import QApplication  # noqa: PLC0415  for its type only elsewhere

    running = QGuiApplication.instance()
    assert isinstance(running, QApplication)
    return running
