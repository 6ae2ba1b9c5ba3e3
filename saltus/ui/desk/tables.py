"""Tables of trials in and out: import with a choice of columns, export, a blank table to print."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QVBoxLayout,
    QWidget,
)

from saltus.core.progress import Progress
from saltus.core.wording import _, plural
from saltus.exchange.spreadsheet import read_any_table
from saltus.exchange.tables import TableError, write_table
from saltus.exchange.trials_table import (
    Taken,
    blank_table,
    proposal,
    taken_in,
    taking_columns,
    trial_a_row,
    trials_table,
)
from saltus.investigations.engine.evaluation import evaluate
from saltus.printing.blank import write_blank
from saltus.ui.kit.file_dialogs import ask_where_to_save, file_stem
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import button, label

if TYPE_CHECKING:
    from saltus.core.progress import Steps
    from saltus.exchange.tables import Table
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk


class TakeIn(QDialog):
    """Which column of a file goes where."""

    def __init__(self, parent: QWidget, table: Table, evaluation: Evaluation) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Import a table"))
        self.setMinimumWidth(scaled(440))
        column = QVBoxLayout(self)
        column.setSpacing(10)
        rows = plural("{n} row", "{n} rows", table.rows)
        column.addWidget(label(_("{name}: {rows}").format(name=table.name, rows=rows), "heading"))
        words = _("Say which column of the file goes where. Rows are added; nothing that is there changes.")
        column.addWidget(label(words, wrap=True))
        form = QFormLayout()
        proposed = proposal(table, evaluation)
        self.boxes: dict[str, QComboBox] = {}
        for one in taking_columns(evaluation):
            box = QComboBox()
            box.setAccessibleName(one.heading)
            box.addItem(_("leave empty"), "")
            for title, found in table.columns.items():
                box.addItem(f"{title} [{found.unit}]" if found.unit else title, title)
            box.setCurrentIndex(max(box.findData(proposed.columns.get(one.name, "")), 0))
            self.boxes[one.name] = box
            form.addRow(one.heading, box)
        column.addLayout(form)
        buttons = QDialogButtonBox()
        buttons.addButton(
            button(_("Take the rows in"), self.accept, "main"), QDialogButtonBox.ButtonRole.ActionRole
        )
        buttons.addButton(button(_("Leave it"), self.reject), QDialogButtonBox.ButtonRole.ActionRole)
        column.addWidget(buttons)

    def taken(self) -> Taken:
        """What was chosen."""
        return Taken({name: box.currentData() for name, box in self.boxes.items() if box.currentData()})


def import_trials(parent: QWidget, desk: Desk) -> None:
    """Ask for a table and add its rows to the trials."""
    name, _kind = QFileDialog.getOpenFileName(
        parent, _("Import a table"), str(desk.folder or Path.home()), _("Tables (*.csv *.tsv *.txt *.xlsx)")
    )
    if name:
        import_from(parent, desk, Path(name))


def import_from(parent: QWidget, desk: Desk, path: Path) -> None:
    """Read a table in the background, ask what goes where, and add its rows."""

    def ask(table: Table) -> None:
        evaluation = evaluate(desk.notebook)
        if evaluation is None:
            return
        try:
            table = trial_a_row(table, evaluation)
        except TableError as error:
            desk.said.emit(str(error), "warn")
            return
        dialog = TakeIn(parent, table, evaluation)
        if dialog.exec() != QDialog.DialogCode.Accepted:
            return
        taken = dialog.taken()
        if not taken.columns:
            desk.said.emit(_("No column was chosen: nothing was taken in."), "note")
            return
        desk.edit(_("import a table"), taken_in(desk.notebook, table, taken))
        desk.said.emit(plural("{n} row taken in.", "{n} rows taken in.", table.rows), "note")

    def work() -> Steps[Table]:
        yield Progress(0, 1)
        return read_any_table(path)

    desk.run(_("Reading {name}").format(name=path.name), work, ask)


def export_trials(parent: QWidget, desk: Desk) -> None:
    """Ask for a place and write the trials as CSV or XLSX."""
    evaluation = evaluate(desk.notebook)
    if evaluation is None:
        return
    suggestion = (desk.folder or Path.home()) / f"{file_stem(desk.notebook.title, 'trials')} trials.csv"
    path = ask_where_to_save(parent, suggestion, _("Save the table"), _("Tables (*.csv *.xlsx)"))
    if path is None:
        return
    desk.tasks.write_file(
        _("Writing the table"),
        path,
        lambda: write_table(path, *trials_table(evaluation)),
        lambda done: _written(desk, done),
    )


def print_blank(parent: QWidget, desk: Desk) -> None:
    """Ask for a place and write a blank table as PDF, for work away from the screen."""
    evaluation = evaluate(desk.notebook)
    if evaluation is None:
        return
    suggestion = (desk.folder or Path.home()) / f"{file_stem(desk.notebook.title, 'trials')} blank table.pdf"
    path = ask_where_to_save(parent, suggestion, _("Blank table to print"), "PDF (*.pdf)")
    if path is None:
        return
    title, question = desk.notebook.title, evaluation.recipe.question
    head, rows = blank_table(evaluation)
    desk.tasks.write_file(
        _("Writing the table"),
        path,
        lambda: write_blank(path, title, question, head, rows),
        lambda done: _written(desk, done),
    )


def _written(desk: Desk, path: Path) -> None:
    desk.said.emit(_("Written: {name}, in {folder}").format(name=path.name, folder=path.parent), "note")
