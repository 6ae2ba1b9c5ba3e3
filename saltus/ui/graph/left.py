"""Fields for the results that are left to the student, each with a word on whether it follows."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import result_verdict
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.widgets import Field, clear_layout, label

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk


class LeftResults(QWidget):
    """One field for each result the student works out."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self.fields: dict[str, tuple[Field, QLabel]] = {}

    def show_left(self, evaluation: Evaluation) -> None:
        """Show what is left, what was typed, and whether it follows from the student's data."""
        names = tuple(evaluation.table.left.results)
        if names != tuple(self.fields):
            clear_layout(self._rows)
            self.fields = {}
            for name in names:
                title = evaluation.recipe.title_of(name)
                field = Field(_("{name}, worked out by you").format(name=title))
                field.setPlaceholderText(_("{name} = … with its unit").format(name=title))
                field.entered.connect(partial(self._type, name))
                told = label("", "note", wrap=True)
                self.fields[name] = (field, told)
                self._rows.addWidget(field)
                self._rows.addWidget(told)
        for name, (field, told) in self.fields.items():
            verdict, words = result_verdict(evaluation, name)
            field.show_text(evaluation.table.left.results[name])
            field.mark_wrong(words if verdict == "differs" else "")
            told.setText(words or _("This result is left to you: work it out from your line."))
        self.setVisible(bool(names))

    def _type(self, name: str, text: str) -> None:
        self._desk.edit(_("type a result"), edits.type_result(self._desk.notebook, name, text))
