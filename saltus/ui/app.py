"""Starting the window."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from saltus.notebook.recovery import left_behind
from saltus.ui.theme import apply_theme
from saltus.ui.window import Window


def make_application(*, dark: bool | None = None) -> QApplication:
    """Give the dressed application, made once."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Saltus")
    app.setDesktopFileName("saltus")
    apply_theme(app, dark=dark)
    return app


def run_window(path: Path | None = None, demo: str | None = None) -> int:
    """Open the window and stay until it is closed; gives the exit code."""
    app = make_application()
    window = Window()
    window.start.offer(left_behind())
    window.show()
    if demo is not None:
        window.show_demo(demo)
    elif path is not None:
        window.open_path(path)
    return app.exec()
