"""Reading a value off the line: an upright value is typed, across to the line and down."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from saltus.core import sources as causes
from saltus.core.entry import entry
from saltus.core.lines.straight import Line
from saltus.core.quantities import measured
from saltus.core.units import UnitError
from saltus.core.wording import _
from saltus.core.written import WrittenError
from saltus.investigations.view.naming import axis_unit, formula_words
from saltus.investigations.view.plots import read_off
from saltus.ui.kit.widgets import Field, Group, label

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.plots import Plotted


class ReadOff(Group):
    """The field, and what the line says of it."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._typed = ""
        self.field = Field(_("Read off at this upright value"))
        self.field.setPlaceholderText(_("Read off: type an upright value, such as 2.4(1)"))
        self.field.entered.connect(self._enter)
        self.words = label("", "note", wrap=True)
        self.column.addWidget(self.field)
        self.column.addWidget(self.words)

    def _enter(self, text: str) -> None:
        self._typed = text.strip()
        self.changed.emit()

    def _value(self, evaluation: Evaluation, plot: Plotted) -> Quantity | str | None:
        """The typed upright value as a quantity; a sentence where it cannot be used."""
        fit = plot.fit
        if not self._typed or not isinstance(fit, Line):
            return None
        try:
            shown = axis_unit(evaluation, plot.y, fit.y.unit).text
            got = entry(self._typed, fit.y.unit, default_unit=shown)
        except (WrittenError, UnitError) as error:
            return str(error)
        return measured(got.value, got.u or 0.0, fit.y.unit, causes.read_off())

    def place(self, evaluation: Evaluation, plot: Plotted) -> tuple[float, float] | None:
        """Where the typed value meets the line, SI; None where it does not."""
        y, fit = self._value(evaluation, plot), plot.fit
        if y is None or isinstance(y, str) or not isinstance(fit, Line):
            return None
        x = read_off(fit, y)
        return (float(x), float(y)) if x is not None else None

    def show_read(self, evaluation: Evaluation, plot: Plotted) -> None:
        """Say what the line gives at the typed value."""
        fit = plot.fit
        self.field.setEnabled(isinstance(fit, Line))
        y = self._value(evaluation, plot)
        self.field.mark_wrong(y if isinstance(y, str) else "")
        words = y if isinstance(y, str) else ""
        if y is not None and not isinstance(y, str) and isinstance(fit, Line):
            x = read_off(fit, y)
            words = (
                _("{x} = {value} (95 %)").format(
                    x=formula_words(evaluation, plot.x), value=axis_unit(evaluation, plot.x, x.unit).of(x)
                )
                if x is not None
                else _("The line says nothing of x: its slope is not told from 0.")
            )
        self.words.setText(words)
        self.words.setVisible(bool(words))
