"""Troubles inside: written down here, the work goes on, a report can be saved; nothing is sent."""

from __future__ import annotations

import contextlib
import faulthandler
import sys
import threading
import traceback
from datetime import datetime
from pathlib import Path
from typing import IO, TYPE_CHECKING

from platformdirs import user_state_path
from PyQt6.QtCore import QT_VERSION_STR, QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from saltus import __version__
from saltus.core.wording import _
from saltus.files.writing import write_whole
from saltus.ui.kit.plain_text import message_box

if TYPE_CHECKING:
    from collections.abc import Callable
    from types import TracebackType

    from PyQt6.QtWidgets import QWidget

LONGEST_LOG = 1 << 20
_open: list[IO[str]] = []


def log_file() -> Path:
    """Where troubles are written down."""
    return user_state_path("saltus") / "trouble.log"


def report_text() -> str:
    """Everything worth telling about troubles so far; the home folder is not named."""
    import platform  # noqa: PLC0415  start-up time

    try:
        log = log_file().read_text(encoding="utf-8", errors="replace")[-LONGEST_LOG:]
    except OSError:
        log = ""
    versions = f"Saltus {__version__}\nPython {platform.python_version()}, Qt {QT_VERSION_STR}"
    return f"{versions}\n{platform.platform()}\n\n{log}".replace(str(Path.home()), "~")


def write_down(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Append a trouble to the log."""
    words = "".join(traceback.format_exception(kind, error, trace))
    with contextlib.suppress(OSError):
        log_file().parent.mkdir(parents=True, exist_ok=True)
        if log_file().exists() and log_file().stat().st_size > LONGEST_LOG:
            log_file().replace(log_file().with_suffix(".old"))
        with log_file().open("a", encoding="utf-8") as file:
            file.write(f"--- {datetime.now().astimezone():%Y-%m-%d %H:%M:%S}\n{words}\n")


class Watch(QObject):
    """Troubles of any thread, timer or slot are written down, and told in the thread of the window.

    Signals
    -------
    refused(sentence)
        An edit the notebook cannot hold; nothing was changed.

    Parameters
    ----------
    parent : QWidget
        The window; it stays.
    kept : callable
        Sees to it that the work is safe, before anything is said.
    """

    happened = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, parent: QWidget, kept: Callable[[], object]) -> None:
        super().__init__(parent)
        self._window, self._kept, self._telling = parent, kept, False
        self.happened.connect(self._tell, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        sys.excepthook = self._told
        threading.excepthook = lambda found: self._told(
            found.exc_type, found.exc_value or found.exc_type(), found.exc_traceback
        )
        with contextlib.suppress(OSError):
            log_file().parent.mkdir(parents=True, exist_ok=True)
            _open.append(log_file().open("a", encoding="utf-8"))
            faulthandler.enable(_open[-1])

    def _told(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        from saltus.notebook.part import PartError  # noqa: PLC0415  start-up time

        if isinstance(error, PartError):
            self.refused.emit(str(error))
            return
        write_down(kind, error, trace)
        # a box belongs to the thread of the window: there it comes once it is idle
        with contextlib.suppress(RuntimeError):
            self.happened.emit()

    def _tell(self) -> None:
        if self._telling:
            return
        self._telling = True
        try:
            self._kept()
            tell(self._window)
        finally:
            self._telling = False


def tell(parent: QWidget) -> None:
    """Say that something went wrong, and offer to save a report."""
    box = message_box(
        parent,
        _("Something went wrong inside Saltus. Your work is still here, and kept in the journal."),
        _("A report holds what went wrong, no films, no readings. It is sent nowhere."),
    )
    report = box.addButton(_("Save a report…"), QMessageBox.ButtonRole.ActionRole)
    box.addButton(_("Go on"), QMessageBox.ButtonRole.AcceptRole)
    box.exec()
    if box.clickedButton() is report:
        save_report(parent)


def save_report(parent: QWidget) -> None:
    """Ask for a place and save the report."""
    suggestion = str(Path.home() / "saltus-report.txt")
    name, _kind = QFileDialog.getSaveFileName(parent, _("Save a report"), suggestion, _("Text (*.txt)"))
    if name:
        with contextlib.suppress(OSError):
            write_whole(Path(name), report_text())
