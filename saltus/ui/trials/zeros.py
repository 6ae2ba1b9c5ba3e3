"""Readings of zero: typed between trials, they count as zero from there on."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.table_view import table_columns, value_problem
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Field, button, label

if TYPE_CHECKING:
    from saltus.investigations.view.table_view import TableColumn
    from saltus.ui.desk.desk import Desk


class ZerosDialog(QDialog):
    """One row of fields for each reading of zero."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setWindowTitle(_("Readings of zero"))
        self.setMinimumWidth(scaled(420))
        column = QVBoxLayout(self)
        column.setSpacing(10)
        words = _("What is shown for nothing is taken from all readings after it, until it is read again.")
        column.addWidget(label(words, wrap=True))
        grid = QGridLayout()
        evaluation = evaluate(desk.notebook)
        shown = table_columns(evaluation) if evaluation is not None else ()
        columns = [c for c in shown if c.role == "typed"]
        for at, shown_column in enumerate(columns, 1):
            grid.addWidget(label(shown_column.heading, "note"), 0, at)
        before = 0
        self.fields: dict[tuple[str, str], Field] = {}
        for trial in edits.table_of(desk.notebook).trials:
            if trial.status != "zero":
                before += 1
                continue
            words = _("after trial {n} of the table").format(n=before) if before else _("before the first")
            line = grid.rowCount()
            grid.addWidget(label(words, "note"), line, 0)
            for at, shown_column in enumerate(columns, 1):
                field = Field(f"{shown_column.heading}, {words}", 96)
                field.show_text(trial.cells.get(shown_column.name, ""))
                field.entered.connect(partial(self._type, trial.id, shown_column))
                self.fields[trial.id, shown_column.name] = field
                grid.addWidget(field, line, at)
            take = button(_("Take it away"), partial(self._remove, trial.id), "link")
            grid.addWidget(take, line, len(columns) + 1)
        column.addLayout(grid)
        self._told = label("", "warn", wrap=True)
        column.addWidget(self._told)
        column.addWidget(button(_("Done"), self.accept, "main"))

    def _type(self, trial_id: str, column: TableColumn, text: str) -> None:
        evaluation = evaluate(self._desk.notebook)
        problem = value_problem(text, evaluation, column) if evaluation is not None else ""
        self._told.setText(problem)
        self.fields[trial_id, column.name].mark_wrong(problem)
        notebook = edits.set_cells(self._desk.notebook, {(trial_id, column.name): text})
        self._desk.edit(_("type the zero"), notebook)

    def _remove(self, trial_id: str) -> None:
        self._desk.edit(_("take a zero away"), edits.remove_zero(self._desk.notebook, trial_id))
        self.accept()
