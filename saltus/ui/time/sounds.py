"""The sound of the take in hand: read in the background, kept for drawing, with the onsets it proposes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from saltus.core.wording import _
from saltus.notebook.derived.sound_onsets import SoundOnsets, hear

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

KEPT = 2
"""So many takes keep their sound in memory."""


class Sounds(QObject):
    """Keeps the sound of the last takes."""

    arrived = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._kept: dict[str, SoundOnsets] = {}
        self._asked: set[tuple[int, str]] = set()
        self._unheard: dict[str, str] = {}

    def of(self, take: Take) -> SoundOnsets | None:
        """The sound of a take, where it has been read."""
        return self._kept.get(take.film.sha256)

    def problem(self, take: Take) -> str:
        """Why the sound of a take could not be read; empty while nothing is wrong."""
        return self._unheard.get(take.film.sha256, "")

    def try_again(self) -> None:
        """Let what could not be read be wanted again."""
        self._asked = {key for key in self._asked if key[1] not in self._unheard}
        self._unheard.clear()

    def want(self, take: Take) -> None:
        """Read the sound of a take in the background, once for each notebook."""
        key = (self._desk.session.document, take.film.sha256)
        if not take.facts.sound or self.of(take) is not None or key in self._asked:
            return
        self._asked.add(key)

        def keep(heard: Any) -> None:
            self._kept[take.film.sha256] = heard
            while len(self._kept) > KEPT:
                self._kept.pop(next(iter(self._kept)))
                self._asked.clear()
            self.arrived.emit(take.id)

        def give_up(sentence: str) -> None:
            stopped = _("Listening was stopped. Come back to Time to begin again.")
            self._unheard[take.film.sha256] = sentence or stopped
            self.arrived.emit(take.id)

        folder = self._desk.folder
        words = _("Listening to {name}").format(name=take.film.name)
        self._desk.run(words, lambda: hear.steps(take, folder), keep, give_up, for_any=True)
