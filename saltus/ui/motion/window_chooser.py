"""How many readings a local fit takes: a list that works out its advice only when somebody looks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.wording import _
from saltus.notebook.derived.motion import advised_window, motion_in
from saltus.ui.kit.choices import fill

if TYPE_CHECKING:
    from PyQt6.QtGui import QFocusEvent

    from saltus.notebook.model import Body, Take

WINDOWS = (5, 7, 9, 13, 21)
FEWEST_LETTERS = 13


class WindowChooser(QComboBox):
    """Widths of the window, with the advised one named once the list is reached for.

    Signals
    -------
    chosen(count)
        So many readings are to be taken.
    """

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._of: tuple[Take, Body, str] | None = None
        self._count = DEFAULT_WINDOW
        self.setAccessibleName(_("Readings a local fit takes"))
        self.setToolTip(
            _(
                "How many readings velocity and acceleration are taken from; more are surer, until the "
                "motion bends within them"
            )
        )
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(FEWEST_LETTERS)
        self.activated.connect(lambda _i: self.chosen.emit(self.currentData()))

    def show_for(self, take: Take | None, body: Body | None, axis: str, count: int) -> None:
        """Offer widths for a coordinate of a body; the one in hand stands."""
        self.setVisible(take is not None and body is not None)
        self._of = (take, body, axis) if take is not None and body is not None else None
        self._count = count
        fill(self, [(_("over {n} readings").format(n=n), n) for n in sorted({*WINDOWS, count})], count)

    def showPopup(self) -> None:
        self._advise()
        super().showPopup()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self._advise()
        super().focusInEvent(event)

    def _advise(self) -> None:
        if self._of is None:
            return
        take, body, axis = self._of
        try:
            advised = advised_window(motion_in(take, body, axis), axis)
        except PivotError:
            return
        words = {n: _("over {n} readings").format(n=n) for n in (*WINDOWS, self._count)}
        words[advised] = _("over {n}, advised").format(n=advised)
        fill(self, [(words[n], n) for n in sorted(words)], self._count)
