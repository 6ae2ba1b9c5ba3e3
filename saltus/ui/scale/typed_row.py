"""A length that is typed with its uncertainty: two fields in a row."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.units import METRE
from saltus.core.wording import _
from saltus.core.written import Written, WrittenError, last_place, quantity_of
from saltus.notebook.geometry import Typed, TypedOffset
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Field, label, row

WORTH_STATING = 0.02
"""A last digit worth more than this part of the length was not meant to say how well it is known."""


def from_last_digit(text: str, length: Written) -> str:
    """One step of the last digit typed, where that says how well the length was read; else nothing."""
    step = last_place(text)
    return f"{step:g} {length.unit_text}" if step <= WORTH_STATING * abs(length.value) else "0"


def typed_length(text: str, spread_text: str, *, signed: bool = False) -> Typed:
    """Read a length and its 95 % uncertainty as they were typed.

    Parameters
    ----------
    text, spread_text : str
        The second may be empty: then the last digit of the first says it.
    signed : bool
        Whether it may be zero or negative.

    Raises
    ------
    WrittenError
        If one cannot be read or makes no sense.
    """
    length = quantity_of(text, METRE, default_unit="m", example="1.000 m")
    if not (signed or length.si > 0):
        raise WrittenError(_("The reference length must be longer than zero."))
    written = spread_text.strip() or from_last_digit(text, length)
    spread = quantity_of(written, METRE, default_unit=length.unit_text, example="0.001 m")
    if spread.si < 0 or (not signed and spread.si > length.si):
        raise WrittenError(_("The uncertainty must lie between zero and the length itself."))
    make = TypedOffset if signed else Typed
    return make(
        value=length.value,
        unit=length.unit_text,
        U95=spread.value,
        U95_unit=spread.unit_text,
        text=text.strip(),
        U95_text=written,
    )


def value_text(typed: Typed | None) -> str:
    """The value as it was typed; empty where nothing was."""
    return (typed.text or f"{typed.value:.10g} {typed.unit}") if typed is not None else ""


def spread_text(typed: Typed | None) -> str:
    """Its uncertainty as it was typed; empty where nothing was."""
    return (typed.U95_text or f"{typed.U95:.10g} {typed.U95_unit}") if typed is not None else ""


class TypedRow(QWidget):
    """The name of a length over two fields: the length, and ± for 95 %.

    Signals
    -------
    typed(Typed)
        Both can be read.
    """

    typed = pyqtSignal(object)

    def __init__(self, name: str, example: str, spread_example: str, *, signed: bool = False) -> None:
        super().__init__()
        self._signed = signed
        self.value, self.spread = Field(name, 96), Field(_("{name}, ± 95 %").format(name=name), 88)
        self.value.setPlaceholderText(example)
        self.spread.setPlaceholderText(spread_example)
        for field in (self.value, self.spread):
            field.entered.connect(lambda _text: self._read())
        self.wrong = label("", "warn", wrap=True)
        self.wrong.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(label(name, "note"))
        column.addLayout(row(self.value, label("±", "note"), self.spread, label("95 %", "note"), stretch=4))
        column.addWidget(self.wrong)
        self.setMinimumHeight(scaled(48))

    def show_typed(self, typed: Typed | None) -> None:
        """Show what is typed in the document."""
        self.value.show_text(value_text(typed))
        self.spread.show_text(spread_text(typed))

    def _read(self) -> None:
        if not self.value.text().strip():
            return
        try:
            typed = typed_length(self.value.text(), self.spread.text(), signed=self._signed)
        except WrittenError as error:
            self.value.mark_wrong(str(error))
            self.wrong.setText(str(error))
            self.wrong.show()
            return
        self.wrong.hide()
        self.typed.emit(typed)
