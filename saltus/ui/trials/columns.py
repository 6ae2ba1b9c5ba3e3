"""Asking for a column of one's own: typed, or worked out by a formula."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import FREE, CustomColumn, TrialTable
from saltus.ui.kit.choices import fill
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import CheckLine, button, label

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook
    from saltus.ui.desk.desk import Desk


def column_name(title: str, taken: set[str]) -> str:
    """A name for formulas from a title: small letters, digits and _, not one that is taken."""
    stem = re.sub(r"[^a-z0-9]+", "_", title.strip().lower()).strip("_") or "column"
    stem = stem if stem[0].isalpha() else f"c_{stem}"
    name, number = stem[:50], 2
    while name in taken:
        name, number = f"{stem[:50]}_{number}", number + 1
    return name


class ColumnDialog(QDialog):
    """Title, unit, what it holds, formula; says at once why a formula cannot be used."""

    def __init__(self, parent: QWidget, desk: Desk, name: str | None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._name = name
        table = edits.table_of(desk.notebook)
        before = table.custom_column(name) if name is not None else None
        self.setWindowTitle(_("Column"))
        self.setMinimumWidth(scaled(430))
        column = QVBoxLayout(self)
        column.setSpacing(10)
        form = QFormLayout()
        self.title = QLineEdit(before.title if before is not None else "")
        self.kind = QComboBox()
        kinds = [
            (_("numbers that are typed"), "number"),
            (_("worked out by a formula"), "formula"),
            (_("words: who timed, what was checked"), "text"),
        ]
        fill(self.kind, kinds)
        self.unit = QLineEdit(before.unit if before is not None else "")
        self.unit.setPlaceholderText(_("such as m, s, g, cm/s; empty for plain numbers"))
        self.formula = QLineEdit(before.formula if before is not None else "")
        self.varied = CheckLine(_("This is what is varied: trials are grouped by it."))
        self._told = label("", "warn", wrap=True)
        self._names = label("", "note", wrap=True)
        for words, part in (
            (_("Title"), self.title),
            (_("It holds"), self.kind),
            (_("Unit"), self.unit),
            (_("Formula"), self.formula),
        ):
            part.setAccessibleName(words)
            form.addRow(words, part)
        column.addLayout(form)
        column.addWidget(self._names)
        column.addWidget(self.varied)
        column.addWidget(self._told)
        column.addWidget(self._buttons(table, before))
        for field in (self.title, self.unit, self.formula):
            field.textChanged.connect(lambda _t: self._check())
        self.kind.currentIndexChanged.connect(lambda _i: self._check())
        self._check()

    def _buttons(self, table: TrialTable, before: CustomColumn | None) -> QDialogButtonBox:
        buttons = QDialogButtonBox()
        self.keep = button(_("Keep the column"), self.accept, "main")
        buttons.addButton(self.keep, QDialogButtonBox.ButtonRole.ActionRole)
        if before is not None:
            remove = button(_("Take it away"), self._remove)
            buttons.addButton(remove, QDialogButtonBox.ButtonRole.ActionRole)
            kind = "formula" if before.formula else before.kind
            self.kind.setCurrentIndex(self.kind.findData(kind))
            self.varied.box.setChecked(table.varied == before.name)
        buttons.addButton(button(_("Leave it"), self.reject), QDialogButtonBox.ButtonRole.ActionRole)
        return buttons

    def _made(self) -> CustomColumn:
        table = edits.table_of(self._desk.notebook)
        kind = self.kind.currentData()
        name = self._name
        if name is None:
            evaluation = evaluate(self._desk.notebook)
            recipe = evaluation.recipe if evaluation is not None else None
            taken = {c.name for c in table.own} | {"g", "status", "note"}
            if recipe is not None:
                taken |= {*recipe.columns, *recipe.rows, *recipe.levels, *recipe.givens}
            name = column_name(self.title.text(), taken)
        return CustomColumn(
            name=name,
            title=self.title.text().strip()[:100],
            unit="" if kind == "text" else self.unit.text().strip()[:40],
            kind="text" if kind == "text" else "number",
            formula=self.formula.text().strip()[:500] if kind == "formula" else "",
        )

    def _notebook(self) -> Notebook:
        made = self._made()
        notebook = edits.put_column(self._desk.notebook, made, self._name)
        table = edits.table_of(notebook)
        if table.investigation == FREE and made.kind == "number" and not made.formula:
            if self.varied.box.isChecked():
                notebook = edits.change_table(notebook, varied=made.name)
            elif table.varied == made.name:
                notebook = edits.change_table(notebook, varied=None)
        return notebook

    def _check(self) -> None:
        kind = self.kind.currentData()
        free = edits.table_of(self._desk.notebook).investigation == FREE
        self.formula.setEnabled(kind == "formula")
        self.unit.setEnabled(kind != "text")
        self.varied.setVisible(free and kind == "number")
        evaluation = evaluate(self._notebook())
        known = ""
        if evaluation is not None and kind == "formula":
            names = sorted({*evaluation.columns, *evaluation.recipe.givens} - {self._made().name})
            known = _("Names to use: {names}. Write for example 4*pi^2*length/period^2.").format(
                names=", ".join(names)
            )
        self._names.setText(known)
        problem = ""
        if evaluation is not None and (kind != "formula" or self.formula.text().strip()):
            problem = evaluation.column_problems.get(self._made().name, "")
        if kind == "formula" and not self.formula.text().strip():
            problem = _("Write the formula.")
        if not self.title.text().strip():
            problem = _("Give the column a title.")
        self._told.setText(problem)
        self.keep.setEnabled(not problem)

    def accept(self) -> None:
        """Keep the column."""
        name = _("change a column") if self._name is not None else _("add a column")
        self._desk.edit(name, self._notebook())
        super().accept()

    def _remove(self) -> None:
        if self._name is not None:
            self._desk.edit(_("take a column away"), edits.remove_column(self._desk.notebook, self._name))
        super().accept()
