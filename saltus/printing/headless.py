"""Drawing without a display: a Qt application on the offscreen platform, made once."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from PyQt6.QtGui import QGuiApplication

from saltus.footage.facts import FilmError
from saltus.footage.opening import reader_of
from saltus.notebook.films import find
from saltus.printing.pictures import as_image

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtCore import QCoreApplication
    from PyQt6.QtGui import QImage

    from saltus.notebook.model import Take


def headless_application() -> QCoreApplication:
    """Give the Qt application; without one, make one that needs no display."""
    running = QGuiApplication.instance()
    if running is not None:
        return running
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    return QGuiApplication(["saltus"])


def frame_image(take: Take, frame: int, folder: Path | None) -> QImage | None:
    """Decode a frame of a take for printing; None where its film is not at hand."""
    try:
        reader = reader_of(find(take.film, folder), take.facts.film_facts())
        try:
            return as_image(reader.picture(frame))
        finally:
            reader.close()
    except FilmError:
        return None
