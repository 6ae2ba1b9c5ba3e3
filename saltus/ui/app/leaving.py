"""The end that comes from outside, by a signal or with the desktop session: the work is kept and offered."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import threading
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QApplication

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
LATEST_S = 1.5
"""A window that is busy for longer is ended all the same: its edits are in the journal."""


class Leaving(QObject):
    """Ends the window when the system asks for it, without a question.

    Parameters
    ----------
    app : QApplication
    leave : callable
        Keeps the work and ends the window.
    """

    asked = pyqtSignal()

    def __init__(self, app: QApplication, leave: Callable[[], object]) -> None:
        super().__init__(app)
        self._leave, self._left = leave, False
        self.asked.connect(self._once)
        app.commitDataRequest.connect(self._once)
        # a signal only wakes a thread: the window does what is to be done, in the middle of nothing
        self._hear, self._tell = socket.socketpair()
        self._tell.setblocking(False)
        with contextlib.suppress(ValueError):
            signal.set_wakeup_fd(self._tell.fileno(), warn_on_full_buffer=False)
            for one in SIGNALS:
                signal.signal(one, lambda _number, _frame: None)
            threading.Thread(target=self._wait, name="signals", daemon=True).start()

    def _wait(self) -> None:
        with contextlib.suppress(OSError, RuntimeError):
            number = self._hear.recv(1)[0]
            ended = threading.Timer(LATEST_S, os._exit, (128 + number,))
            ended.daemon = True
            ended.start()
            self.asked.emit()

    def _once(self) -> None:
        if not self._left:
            self._left = True
            self._leave()
