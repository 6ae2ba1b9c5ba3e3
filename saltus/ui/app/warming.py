"""What the start page does not need, loaded while it is looked at: the first click then finds it ready."""

from __future__ import annotations

import contextlib
import gc
import threading
from importlib import import_module
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QLinearGradient

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.notebook.recovery import Found

OF_THE_WORK = (
    "pydantic", "saltus.notebook.part", "saltus.notebook.model", "saltus.notebook.recovery",
    "saltus.session.session", "saltus.investigations.engine.evaluation", "saltus.footage.opening",
    "saltus.exchange.sheet", "saltus.core.following.run",
)  # fmt: skip
"""Modules without an interface, the first needed first: a thread loads them, and the window goes on."""
OF_THE_WINDOW = (
    "saltus.ui.desk.desk", "saltus.ui.app.files", "saltus.ui.app.overview", "saltus.ui.film.stage",
    "saltus.ui.scale.stage", "saltus.ui.read.stage", "saltus.ui.motion.stage", "saltus.ui.trials.stage",
    "saltus.ui.graph.stage", "saltus.ui.findings.stage", "saltus.ui.time.stage", "saltus.ui.log.stage",
    "saltus.ui.gallery.page", "saltus.ui.stopwatch.stage",
)  # fmt: skip
"""Then these, one at a time, between what the person does."""


class Warming(QObject):
    """Loads modules after the first picture of the window, and looks for work left behind.

    Parameters
    ----------
    parent : QObject
        Goes with it.
    ready : callable
        Given what was found, in the thread of the window.
    """

    _loaded = pyqtSignal(object)

    def __init__(self, parent: QObject, ready: Callable[[Found], object]) -> None:
        super().__init__(parent)
        self._ready = ready
        self._left = list(OF_THE_WINDOW)
        self._loaded.connect(self._go_on)
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._one_more)
        self._thread = threading.Thread(target=self._load, name="warming", daemon=True)

    def begin(self) -> None:
        """Begin once the window has been painted."""
        self._thread.start()

    def _load(self) -> None:
        for name in OF_THE_WORK:
            import_module(name)
        from saltus.notebook.recovery import journals_found  # noqa: PLC0415  start-up time

        found = journals_found()
        # the window may be gone already
        with contextlib.suppress(RuntimeError):
            self._loaded.emit(found)

    def _go_on(self, found: Found) -> None:
        self._ready(found)
        self._timer.start()

    def _one_more(self) -> None:
        if self._left:
            import_module(self._left.pop(0))
        else:
            self._timer.stop()
            # the first gradient makes the names of two hundred kinds of it, which takes as long as a picture
            QLinearGradient()
            threading.Thread(target=_ready_to_follow, name="warming", daemon=True).start()


def _ready_to_follow() -> None:
    """Load the compiled loops: they hold all else up for moments, which nobody notices now."""
    from saltus.core.following.made_ready import make_ready  # noqa: PLC0415  start-up time

    make_ready()
    # half of all objects came with these: to look through them for circles takes a tenth of a second
    gc.freeze()
