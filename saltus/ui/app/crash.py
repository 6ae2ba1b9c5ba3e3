"""Troubles inside: written down here, the work goes on, a report can be saved; nothing is sent."""

from __future__ import annotations

import contextlib
import faulthandler
import platform
import sys
import traceback
from datetime import datetime
from pathlib import Path
from typing import IO, TYPE_CHECKING

from platformdirs import user_state_path
from PyQt6.QtCore import QT_VERSION_STR
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from saltus import __version__
from saltus.core.wording import _

if TYPE_CHECKING:
    from types import TracebackType

    from PyQt6.QtWidgets import QWidget

LONGEST_LOG = 1 << 20
_open: list[IO[str]] = []


def log_file() -> Path:
    """Where troubles are written down."""
    return user_state_path("saltus") / "trouble.log"


def report_text() -> str:
    """Everything worth telling about troubles so far; the home folder is not named."""
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


def watch(parent: QWidget) -> None:
    """From now on troubles are written down and told; the window stays."""

    def told(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        write_down(kind, error, trace)
        tell(parent)

    sys.excepthook = told
    with contextlib.suppress(OSError):
        log_file().parent.mkdir(parents=True, exist_ok=True)
        _open.append(log_file().open("a", encoding="utf-8"))
        faulthandler.enable(_open[-1])


def tell(parent: QWidget) -> None:
    """Say that something went wrong, and offer to save a report."""
    box = QMessageBox(parent)
    box.setWindowTitle("Saltus")
    box.setText(_("Something went wrong inside Saltus. Your work is still here, and kept in the journal."))
    box.setInformativeText(_("A report holds what went wrong, no films, no readings. It is sent nowhere."))
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
            Path(name).write_text(report_text(), encoding="utf-8")
