"""The way of the sound to the microphone: how far, how warm, and how late that makes it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.clock.brackets import InstantError
from saltus.core.wording import _
from saltus.exchange.timing_words import way_words
from saltus.notebook.derived.times import sound_delay, sound_problem
from saltus.notebook.edits import timing as edits
from saltus.ui.kit.widgets import Field, label, row

if TYPE_CHECKING:
    from saltus.notebook.timing import SoundPath
    from saltus.ui.desk.desk import Desk


class WayOfSound(QWidget):
    """Two fields and what follows from them; hidden where sound tells no times."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label(_("Way of the sound"), "heading"))
        self.distance = Field(_("Distance from the event to the microphone"), 104)
        self.distance.setPlaceholderText(_("such as {example}").format(example="3.0 m"))
        self.warmth = Field(_("Temperature of the air, °C"), 52)
        self.warmth.setPlaceholderText("20")
        self.distance.entered.connect(lambda text: self._type(distance=text.strip()[:200]))
        self.warmth.entered.connect(lambda text: self._type(temperature=text.strip()[:200]))
        unit = label("°C", "note")
        column.addLayout(row(self.distance, label(_("at"), "note"), self.warmth, unit, stretch=4))
        self._told = label("", "note", wrap=True)
        column.addWidget(self._told)

    def _type(self, **changes: str) -> None:
        take = self._desk.take
        if take is not None:
            path: SoundPath = take.timing.sound.but(**changes)
            made = edits.change_timing(self._desk.notebook, take.id, sound=path)
            self._desk.edit(_("state the way of the sound"), made)

    def refresh(self) -> None:
        """Show what is stated of the take in hand."""
        take = self._desk.take
        there = take is not None and take.facts.sound and sound_problem(take) is None
        self.setVisible(there)
        if take is None or not there:
            return
        path, wrong = take.timing.sound, ""
        try:
            words = way_words(sound_delay(take)) if path.distance else ""
        except InstantError as error:
            words = wrong = str(error)
        self.distance.show_text(path.distance)
        self.warmth.show_text(path.temperature)
        self.distance.mark_wrong(wrong)
        self._told.setText(words or _("A sound from far away comes late: 3 ms for each metre."))
