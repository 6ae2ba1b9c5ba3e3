"""Asking what a result is to be held against: a typed value, or the result of a film."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.links import link_text
from saltus.investigations.view.comparisons import against_value
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Against, Link
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import button, label

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk


class AgainstDialog(QDialog):
    """Which result, against what, and its value; a result of a film follows its readings."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setWindowTitle(_("Hold a result against another value"))
        self.setMinimumWidth(scaled(430))
        column = QVBoxLayout(self)
        form = QFormLayout()
        self.of, self.what = QComboBox(), QComboBox()
        self.name, self.value = QLineEdit(), QLineEdit()
        evaluation = evaluate(desk.notebook)
        results = (
            evaluation.outcome.results if evaluation is not None and evaluation.outcome is not None else {}
        )
        for name, q in results.items():
            if q is not None and evaluation is not None:
                self.of.addItem(evaluation.recipe.title_of(name), name)
        self.what.addItem(_("a value that is typed"), "")
        for take in desk.notebook.takes:
            found, segment = headline(take), take.headline_segment
            if found is not None and segment is not None:
                self.what.addItem(_("the {part} of “{take}”").format(part=found[0], take=take.name), take.id)
        self.value.setPlaceholderText(_("such as 9.83 ± 0.05 m/s^2"))
        self.name.setPlaceholderText(_("such as ball drop, other group, table value"))
        for words, part in (
            (_("Result"), self.of), (_("Against"), self.what), (_("Called"), self.name),
            (_("Value"), self.value),
        ):  # fmt: skip
            part.setAccessibleName(words)
            form.addRow(words, part)
        column.addLayout(form)
        self._told = label("", "warn", wrap=True)
        column.addWidget(self._told)
        buttons = QDialogButtonBox()
        self.keep = button(_("Compare"), self.accept, "main")
        for made in (self.keep, button(_("Leave it"), self.reject)):
            buttons.addButton(made, QDialogButtonBox.ButtonRole.ActionRole)
        column.addWidget(buttons)
        self.what.currentIndexChanged.connect(lambda _i: self._take_chosen())
        for field in (self.name, self.value):
            field.textChanged.connect(lambda _t: self._check())
        self._check()

    def _take_chosen(self) -> None:
        """Put in what the film gives now."""
        take = self._desk.notebook.take(self.what.currentData())
        found = headline(take) if take is not None else None
        self.value.setEnabled(take is None)
        if take is not None and found is not None:
            self.name.setText(take.name)
            self.value.setText(stated(float(found[1]), found[1].U95, found[1].unit) + " (95 %)")
        self._check()

    def _made(self) -> Against | None:
        name = " ".join(self.name.text().split())[:200]
        if not name or self.of.currentData() is None:
            return None
        take = self._desk.notebook.take(self.what.currentData())
        found = headline(take) if take is not None else None
        if take is None or found is None or take.headline_segment is None:
            return Against(of=self.of.currentData(), name=name, text=self.value.text().strip()[:200])
        link = Link(source=take.id, place=take.headline_segment.id, part=found[0])
        return Against(of=self.of.currentData(), name=name, text=link_text(found[1]), link=link)

    def _problem(self, evaluation: Evaluation | None) -> str:
        made = self._made()
        if made is None or evaluation is None or evaluation.outcome is None:
            return _("Say what it is called.")
        q, wanted = against_value(evaluation, made), evaluation.outcome.results.get(made.of)
        if isinstance(q, str):
            return q
        if wanted is not None and not q.unit.goes_with(wanted.unit):
            return _("It is in {got}, the result in {wanted}.").format(
                got=q.unit.text or "1", wanted=wanted.unit.text or "1"
            )
        return ""

    def _check(self) -> None:
        problem = self._problem(evaluate(self._desk.notebook))
        self._told.setText(problem)
        self.keep.setEnabled(not problem)

    def accept(self) -> None:
        """Keep the comparison."""
        made = self._made()
        if made is not None:
            self._desk.edit(_("compare a result"), edits.hold_against(self._desk.notebook, made))
        super().accept()
