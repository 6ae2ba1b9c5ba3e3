"""The hand that presses: whose it is, how it was measured, how start and stop are judged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from saltus.core.wording import _
from saltus.exchange.timing_words import hand_words
from saltus.investigations.table import runs
from saltus.notebook.derived.times import hand_named
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Instrument
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.widgets import Card, Group, button, label, row
from saltus.ui.stopwatch.hand_card import Blocks
from saltus.ui.stopwatch.reaction import ReactionDialog

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class HandPanel(Group):
    """Choice, test and lateness of the hand that presses.

    Signals
    -------
    judgedOtherwise
        Start and stop are judged in another way.
    """

    judgedOtherwise = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._of_column = ""
        self._hand = chooser(_("Whose hand presses"), self._choose_hand)
        line = row(label(_("Hand of"), "heading"), self._hand)
        line.setStretch(1, 1)
        self.column.addLayout(line)
        card = Card(padding=10)
        self.blocks = Blocks()
        self._hand_words = label("", "note", wrap=True)
        card.add(self.blocks, self._hand_words)
        self.column.addWidget(card)
        self.measure = button(_("Measure your hand…"), self.measure_hand)
        self.column.addLayout(row(self.measure, stretch=1))
        self.column.addWidget(label(_("Start and stop are judged"), "note"))
        self._judged = chooser(_("How start and stop are judged"), self.judgedOtherwise.emit)
        ways = [
            (_("in the same way"), "alike"),
            (_("start seen, stop foreseen"), "seen-start"),
            (_("start foreseen, stop seen"), "seen-stop"),
        ]
        fill(self._judged, ways)
        self.column.addWidget(self._judged)
        self._judged_words = label("", "note", wrap=True)
        self.column.addWidget(self._judged_words)

    def hand_id(self) -> str:
        """Id of the hand in hand; empty where none was measured."""
        return str(self._hand.currentData() or "")

    def judged(self) -> runs.Judged:
        """How start and stop are judged."""
        return self._judged.currentData()  # type: ignore[no-any-return]

    def _choose_hand(self) -> None:
        self._use(self.hand_id())

    def _use(self, hand_id: str) -> None:
        if not self._of_column:
            return
        made = Instrument(rule="hand", amount=hand_id)
        notebook = edits.set_instrument(self._desk.notebook, self._of_column, made)
        self._desk.edit(_("choose whose hand presses"), notebook)

    def measure_hand(self) -> None:
        """Open the reaction test, and use the hand that it measures."""
        dialog = ReactionDialog(self, self._desk, self.hand_id())
        if dialog.exec() and dialog.hand_id:
            self._use(dialog.hand_id)
        dialog.deleteLater()

    def show_hand(self, column: str, hand_id: str) -> None:
        """Show the hand that presses for a column of the table, the empty name where none was measured."""
        self._of_column = column
        notebook = self._desk.notebook
        known = [(one.name, one.id) for one in notebook.hands]
        fill(self._hand, [(_("not measured"), ""), *known])
        self._hand.setCurrentIndex(max(self._hand.findData(hand_id), 0))
        test, hand = notebook.hand(hand_id), hand_named(notebook.hands, hand_id)
        self.blocks.show_presses(test.predicted if test is not None else (), hand)
        self.blocks.setVisible(hand.measured)
        self._hand_words.setText(hand_words(hand))
        self.measure.setText(_("Measure again…") if hand.measured else _("Measure your hand…"))
        start, stop = runs.hands_of(notebook, hand_id, self.judged())
        if self.judged() == "alike":
            words = _("Steady lateness cancels.")
        elif start.measured and stop.measured:
            words = _("The difference in lateness is taken off, as well as it is known.")
        else:
            words = _("Measure both, foreseeing and answering: until then lateness is not taken off.")
        self._judged_words.setText(words)
