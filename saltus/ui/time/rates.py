"""Which true rates would look the same: for a film and for a strobe."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from saltus.core.clock.aliasing import RateError, candidates, settling_rate, strobe_candidates, too_few_frames
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.notebook.derived.frame_clock import rhythm
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Field, label

if TYPE_CHECKING:
    from saltus.notebook.model import Take

MOST_SHOWN = 14


class RatesDialog(QDialog):
    """Asks for an apparent rate and the rate of frames or flashes; lists what it may be."""

    def __init__(self, parent: QWidget, take: Take | None, apparent_hz: float | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Which true rates look like this"))
        self.setMinimumWidth(scaled(460))
        layout = QVBoxLayout(self)
        words = _(
            "A film, or a strobe, sees a rotation or vibration only now and then: a faster one can look "
            "slow, stand still or run backwards."
        )
        layout.addWidget(label(words, wrap=True))
        self.seen_by = QComboBox()
        self.seen_by.addItem(_("a film"), "film")
        self.seen_by.addItem(_("a strobe, the picture stands still"), "strobe")
        self.seen_by.activated.connect(lambda _i: self.work_out())
        beat = rhythm(take).spacing_s if take is not None else None
        self.apparent = Field(_("Apparent rate, Hz"), 110)
        self.apparent.setText(f"{apparent_hz:.4g}" if apparent_hz is not None else "0")
        self.rate = Field(_("Frames or flashes per second"), 110)
        self.rate.setText(f"{1 / beat:.5g}" if beat else "30")
        self.images = Field(_("Pictures of one mark around the turn"), 110)
        self.images.setText("1")
        form = QFormLayout()
        form.addRow(_("Seen by"), self.seen_by)
        form.addRow(_("Looks like, Hz (cycles a second)"), self.apparent)
        form.addRow(_("Frames or flashes a second"), self.rate)
        form.addRow(_("Pictures of one mark around the turn"), self.images)
        layout.addLayout(form)
        for field in (self.apparent, self.rate, self.images):
            field.textEdited.connect(lambda _text: self.work_out())
        self.answer = label("", wrap=True)
        self.settle = label("", "note", wrap=True)
        self.caution = label(
            _("What stands still under a strobe is not still: keep hands, hair and cords away. Flashing "
              "light can trigger seizures. Local rules and the responsible teacher decide."),
            "note", wrap=True,
        )  # fmt: skip
        for one in (self.answer, self.settle, self.caution):
            layout.addWidget(one)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self.work_out()

    def work_out(self) -> None:
        """Show what goes with the rates as typed."""
        strobe = self.seen_by.currentData() == "strobe"
        self.apparent.setEnabled(not strobe)
        self.images.setEnabled(strobe)
        self.caution.setVisible(strobe)
        try:
            rate = number(self.rate.text())
            if strobe:
                images = number(self.images.text())
                found = strobe_candidates(rate, int(images) if images == int(images) else 0)
            else:
                found = candidates(number(self.apparent.text()), rate)
        except (WrittenError, RateError, OverflowError) as error:
            self.answer.setText(str(error))
            self.settle.setText("")
            return
        shown = ", ".join(f"{f:.4g}" for f in found[:MOST_SHOWN]) + (" …" if len(found) > MOST_SHOWN else "")
        self.answer.setText(_("It may truly be {rates} Hz.").format(rates=shown))
        if strobe:
            words = _(
                "The slowest is {low:.4g} Hz. Raise the flash rate until one mark shows twice for the first "
                "time: that is twice the true rate. At half or a third of it the picture stands still too."
            )
            self.settle.setText(words.format(low=found[0]) if found else "")
            return
        words = _("A second film at {rate:g} frames per second would tell them apart.")
        self.settle.setText(words.format(rate=settling_rate(found, rate)))
        slow = [f for f in found if f > 0][:1]
        if slow and too_few_frames(slow[0], rate):
            self.settle.setText(
                _("Even the slowest has fewer than four frames a cycle.") + " " + self.settle.text()
            )
