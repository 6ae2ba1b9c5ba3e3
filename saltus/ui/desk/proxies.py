"""Making films quick to move through: a copy is made in the background for the take in hand."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QObject, QTimer

from saltus.footage.facts import FilmError
from saltus.footage.proxy import Preparation, is_made, wants_copy
from saltus.notebook.films import find

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.notebook.model import Take

LOOK_MS = 1000


class InHand(Protocol):
    """What is in hand, and where its films lie."""

    @property
    def take(self) -> Take | None:
        """The take in hand."""

    @property
    def busy(self) -> bool:
        """Whether something is under way that needs the machine more."""

    @property
    def folder(self) -> Path | None:
        """Where the notebook lies."""


class Preparing(QObject):
    """Sees to it that the take in hand can be moved through; one film at a time.

    Parameters
    ----------
    desk : InHand
        What is in hand.
    parent : QObject
    """

    def __init__(self, desk: InHand, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._film = ""
        self._work: Preparation | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    @property
    def running(self) -> bool:
        """Whether a copy is being made."""
        return self._work is not None and self._work.running()

    def stop(self) -> None:
        """End the work under way."""
        self._timer.stop()
        self._end()

    def _end(self) -> None:
        if self._work is not None:
            self._work.stop()
            self._work = None

    def _look(self) -> None:
        """Begin where the take in hand wants a copy and was checked: the check comes first."""
        take = self._desk.take
        if self._desk.busy:
            return
        if take is None or take.film.sha256 == self._film or not take.facts.checked:
            return
        self._end()
        self._film = take.film.sha256
        facts = take.facts.film_facts()
        if not wants_copy(facts) or is_made(self._film):
            return
        with contextlib.suppress(FilmError, OSError):
            path = find(take.film, self._desk.folder)
            if path.is_file():
                self._work = Preparation(path, self._film, facts)
