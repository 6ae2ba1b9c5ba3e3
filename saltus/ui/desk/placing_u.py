"""How well a place is clicked: a field for its standard uncertainty, and what repeat checks gave."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.units import PIXEL
from saltus.core.wording import _
from saltus.core.written import WrittenError, quantity_of
from saltus.notebook.derived.eyes import eye_check
from saltus.ui.desk.eyes import EyeButton
from saltus.ui.kit.widgets import Field

if TYPE_CHECKING:
    from saltus.notebook.measuring import EyeTest
    from saltus.ui.desk.desk import Desk

LEAST_PX, MOST_PX = 0.01, 1000.0


class PlacingU(QWidget):
    """A standard uncertainty in px, typed or as a practised eye has it.

    Signals
    -------
    given(u, dof)
        px, and the degrees of freedom of a repeat check; None where it was typed.
    """

    given = pyqtSignal(float, object)

    def __init__(self, desk: Desk, what: str, width: int = 70) -> None:
        super().__init__()
        self._desk = desk
        self.field = Field(_("{what}, standard uncertainty").format(what=what), width)
        self.field.entered.connect(self._type)
        self.eye = EyeButton(desk, what)
        self.eye.chosen.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for part in (self.field, self.eye):
            column.addWidget(part, 0, Qt.AlignmentFlag.AlignLeft)

    def _type(self, text: str) -> None:
        try:
            value = quantity_of(text, PIXEL, default_unit="px", example="0.8 px").si
            if not LEAST_PX <= value <= MOST_PX:
                raise WrittenError(_("Placing something is good to between 0.01 and 1000 px."))
        except WrittenError as error:
            self.field.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        self.given.emit(value, None)

    def _take(self, eye: EyeTest) -> None:
        found = eye_check(eye)
        self.given.emit(round(found.u_px, 3), float(found.dof))

    def show_u(self, u_px: float | None) -> None:
        """Show what is stated now; nothing where there is nothing to place."""
        self.field.show_text(f"{u_px:.3g} px" if u_px is not None else "")
        self.field.setEnabled(u_px is not None)
        self.eye.refresh()
