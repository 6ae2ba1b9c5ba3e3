"""What takes a moment, done in a thread while the window goes on painting and takes no input."""

from __future__ import annotations

import threading
from concurrent.futures import Future
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QEventLoop, QTimer

if TYPE_CHECKING:
    from collections.abc import Callable

Out = TypeVar("Out")
SHORT_S, LOOK_MS = 0.03, 4
"""What ends so soon is waited for; then it is looked so often whether it has ended."""


def done_aside(act: Callable[[], Out]) -> Out:
    """Do something in a thread and give what it gives, or raise what it raises."""
    done: Future[Out] = Future()

    def work() -> None:
        try:
            done.set_result(act())
        except BaseException as error:  # noqa: BLE001  it is raised where it is waited for
            done.set_exception(error)

    thread = threading.Thread(target=work, name="aside")
    thread.start()
    thread.join(SHORT_S)
    if thread.is_alive():
        loop, look = QEventLoop(), QTimer()
        look.timeout.connect(lambda: None if thread.is_alive() else loop.quit())
        look.start(LOOK_MS)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        look.stop()
    return done.result()
