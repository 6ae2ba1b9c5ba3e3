"""The teacher's choice of what the student works out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import CheckLine, button, label

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class LeaveDialog(QDialog):
    """A line to tick for each derived column and each result."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setWindowTitle(_("Leave to the student"))
        self.setMinimumWidth(scaled(420))
        column = QVBoxLayout(self)
        words = _(
            "What is ticked is not worked out here. The student types it, and it is held against the "
            "student’s own data; the value itself is not told."
        )
        column.addWidget(label(words, wrap=True))
        self.columns: dict[str, CheckLine] = {}
        self.results: dict[str, CheckLine] = {}
        evaluation = evaluate(desk.notebook)
        table = edits.table_of(desk.notebook)
        if evaluation is not None:
            column.addWidget(label(_("Columns"), "heading"))
            for one in table_columns(evaluation):
                if one.role == "derived":
                    line = CheckLine(f"{one.heading} = {one.formula}")
                    line.box.setChecked(one.name in table.left.columns)
                    self.columns[one.name] = line
                    column.addWidget(line)
            column.addWidget(label(_("Results"), "heading"))
            for name in evaluation.recipe.results:
                line = CheckLine(evaluation.recipe.title_of(name))
                line.box.setChecked(name in table.left.results)
                self.results[name] = line
                column.addWidget(line)
        buttons = QDialogButtonBox()
        for made in (button(_("Leave these"), self.accept, "main"), button(_("Change nothing"), self.reject)):
            buttons.addButton(made, QDialogButtonBox.ButtonRole.ActionRole)
        column.addWidget(buttons)

    def accept(self) -> None:
        """Leave what is ticked to the student."""
        columns = [n for n, line in self.columns.items() if line.box.isChecked()]
        results = [n for n, line in self.results.items() if line.box.isChecked()]
        made = edits.leave_to_student(self._desk.notebook, columns, results)
        self._desk.edit(_("leave to the student"), made)
        super().accept()
