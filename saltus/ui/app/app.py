"""Starting the window."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from saltus.ui.app.crash import Watch
from saltus.ui.app.leaving import Leaving
from saltus.ui.app.theming import SystemLook, dress
from saltus.ui.app.warming import Warming
from saltus.ui.app.window import Window
from saltus.ui.app.window_place import place, remember
from saltus.ui.kit.theme import apply_theme

if TYPE_CHECKING:
    from saltus.notebook.recovery import Found

WARM_AFTER_MS, TURN_S = 800, 0.0003


def make_application(*, dark: bool | None = None) -> QApplication:
    """Give the dressed application, made once."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    # a thread at work lets the window have its turn this soon, not after Python's usual five milliseconds
    sys.setswitchinterval(TURN_S)
    app.setApplicationName("Saltus")
    app.setDesktopFileName("saltus")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "saltus.svg")))
    apply_theme(app, dark=dark)
    return app


def use_portal_dialogs() -> None:
    """Ask the desktop for its own file dialogs, where it offers them; Qt's own serve everywhere else."""
    desktop = os.environ.get("XDG_CURRENT_DESKTOP") and os.environ.get("DBUS_SESSION_BUS_ADDRESS")
    if desktop and not os.environ.get("QT_NO_XDG_DESKTOP_PORTAL"):
        os.environ.setdefault("QT_QPA_PLATFORMTHEME", "xdgdesktopportal")


def run_window(path: Path | None = None, demo: str | None = None) -> int:
    """Open the window and stay until it is closed; gives the exit code."""
    use_portal_dialogs()
    if path is not None:
        from saltus.footage.helper import warm  # noqa: PLC0415  only where a film is opened at once

        # it gets ready while the window is built
        warm()
    app = make_application()
    dress(app)
    window = Window()
    watch = Watch(window, window.keep_work)
    watch.refused.connect(lambda sentence: window.desk.said.emit(sentence, "warn"))
    Leaving(app, window.leave)
    SystemLook(window, window.dressing)
    place(window)
    app.aboutToQuit.connect(lambda: remember(window))
    window.show()
    # once the window stands: what the start page does not need, work left behind, a helper for the next film
    warming = Warming(window, lambda found: _offer(window, found))
    QTimer.singleShot(0, warming.begin)
    app.aboutToQuit.connect(_let_helpers_go)
    if demo is not None:
        window.files.show_demo(demo)
    elif path is not None:
        window.files.open_path(path)
    return app.exec()


def _offer(window: Window, found: Found) -> None:
    """Offer work that a crash left behind; get a helper ready."""
    from saltus.footage.helper import warm  # noqa: PLC0415  start-up time

    window.start.offer(found.left, found.kept)
    # what is loaded now stays: it need not be looked through for circles again and again while people work
    gc.freeze()
    QTimer.singleShot(WARM_AFTER_MS, warm)


def _let_helpers_go() -> None:
    from saltus.footage.helper import chill  # noqa: PLC0415  start-up time

    chill()
