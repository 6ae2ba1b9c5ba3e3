"""The column beside the table of trials: the trial in hand, what is given, what to check."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from saltus.core.shown_unit import pretty_unit
from saltus.core.statement import unit_tail, value_and_uncertainty
from saltus.core.wording import _
from saltus.investigations.engine.evaluation import slips_of, unit_problem
from saltus.investigations.engine.schools import restated
from saltus.investigations.table.runs import time_columns
from saltus.investigations.view.justified_digits import spread_words
from saltus.investigations.view.naming import shown_unit
from saltus.investigations.view.table_view import column_is_known, factor_of, group_title, table_columns
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Instrument
from saltus.ui.kit.choices import chooser
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.widgets import Card, Facts, Field, button, clear_layout, label, row
from saltus.ui.trials.lines import status_words

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.judgement.level_statistics import Group
    from saltus.investigations.view.table_view import TableColumn
    from saltus.notebook.trials import Trial
    from saltus.ui.desk.desk import Desk

MOST_TOLD = 6


class Panel(QWidget):
    """A panel of the column: words and fields below each other."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)


class TrialPanel(Panel):
    """The trial in hand, its level, what the data say, and what was set aside."""

    statusWanted = pyqtSignal(str)
    """``failed``, ``set-aside`` or ``kept``, for the trials in hand."""
    shown = pyqtSignal(str)
    unlinkWanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._title = label("", "heading", wrap=True)
        self._told = label("", "note", wrap=True)
        self.failed = button(_("Failed…"), lambda: self.statusWanted.emit("failed"))
        self.failed.setToolTip(_("No run: record what was seen (Ctrl+Shift+F)"))
        self.aside = button(_("Set aside…"), lambda: self.statusWanted.emit("set-aside"))
        self.aside.setToolTip(_("Keep it out of the results, with the reason (Ctrl+Shift+X)"))
        self.back = button(_("Put back"), lambda: self.statusWanted.emit("kept"))
        self.unlink = button(_("Unlink, keep the value"), self.unlinkWanted.emit, "link")
        self._level = Facts()
        self._level_title = label("", "heading", wrap=True)
        self._verdict = label("", "note", wrap=True)
        self._data = QVBoxLayout()
        self._aside = QVBoxLayout()
        self._aside_title = label(_("Failed or set aside, never dropped"), "heading", wrap=True)
        self.column.addWidget(self._title)
        self.column.addWidget(self._told)
        self.column.addLayout(row(self.failed, self.aside, self.back, stretch=3))
        self.column.addWidget(self.unlink)
        for part in (self._level_title, self._level, self._verdict):
            self.column.addWidget(part)
        self.column.addLayout(self._data)
        self.column.addWidget(self._aside_title)
        self.column.addLayout(self._aside)
        self.column.addStretch(1)

    def show_trial(
        self, evaluation: Evaluation, group: Group | None, trial: Trial | None, problem: str, link: str
    ) -> None:
        """Show what is in hand."""
        place = evaluation.row_of(trial.id) if trial is not None else None
        name = group_title(evaluation, group) if group is not None else ""
        if trial is not None and group is not None and place is not None:
            number_of = group.rows.index(place) + 1
            self._title.setText(_("{level}, trial {n}").format(level=name, n=number_of))
        else:
            self._title.setText(name or _("No trial in hand"))
        words = [problem, link, status_words(trial) if trial is not None else ""]
        self._told.setText(" ".join(w[:1].upper() + w[1:] for w in words if w))
        self._told.setVisible(any(words))
        self.unlink.setVisible(bool(link) or "link" in problem.lower())
        for one in (self.failed, self.aside):
            one.setVisible(trial is not None and trial.status == "kept")
        self.back.setVisible(trial is not None and trial.status in ("failed", "set-aside"))
        self._show_level(evaluation, group, name)
        self._show_data(evaluation)
        self._show_aside(evaluation)

    def _show_level(self, evaluation: Evaluation, group: Group | None, name: str) -> None:
        found = group.repeats if group is not None else None
        column = next(
            (c for c in table_columns(evaluation) if group is not None and c.name == group.strip), None
        )
        there = found is not None and column is not None and found.mean is not None
        there = there and column is not None and column_is_known(evaluation, column)
        for part in (self._level_title, self._level, self._verdict):
            part.setVisible(there)
        if not there or group is None or found is None or column is None:
            return
        self._level_title.setText(_("{title} at {level}").format(title=column.title, level=name))
        self._level.show_rows(_level_rows(evaluation, group, column))
        words = _("Spread: {verdict}.").format(verdict=group.verdict)
        both = group.without_odd()
        if both is not None:
            factor = factor_of(column, evaluation.columns[column.name].unit)
            kept, left = (value_and_uncertainty(v / factor, None)[0] for v in both)
            words += " " + _("Mean {kept} {unit} with what stands out, {left} {unit} without.").format(
                kept=kept, left=left, unit=column.unit
            )
        self._verdict.setText(words)

    def _show_data(self, evaluation: Evaluation) -> None:
        clear_layout(self._data)
        told = [
            *slips_of(evaluation),
            *(evaluation.outcome.warnings if evaluation.outcome is not None else ()),
        ]
        lines = [t.text for t in told][:MOST_TOLD]
        lines += [p for name, p in evaluation.column_problems.items() if p]
        if lines:
            self._data.addWidget(label(_("What the data say"), "heading"))
        for line in lines:
            self._data.addWidget(MarkLabel("look", line, quiet=True))

    def _show_aside(self, evaluation: Evaluation) -> None:
        clear_layout(self._aside)
        out = [t for t in evaluation.rows if t.status in ("failed", "set-aside")]
        self._aside_title.setVisible(bool(out))
        for trial in out[:12]:
            card = Card(padding=6, gap=1)
            place = evaluation.row_of(trial.id)
            group = next((g for g in evaluation.groups if place in g.rows), None)
            title = group_title(evaluation, group) if group is not None else ""
            at = group.rows.index(place) + 1 if group is not None and place is not None else 0
            name = _("{level}, trial {n}").format(level=title, n=at)
            link = button(name, partial(self.shown.emit, trial.id), "name")
            put = button(_("Put back"), partial(self._put_back, trial.id), "link")
            card.column.addLayout(row(link, put, stretch=1))
            card.add(label(status_words(trial), "note", wrap=True))
            self._aside.addWidget(card)

    def _put_back(self, trial_id: str) -> None:
        made = edits.change_trial(self.desk.notebook, trial_id, status="kept", reason="")
        self.desk.edit(_("put a trial back"), made)


def _level_rows(evaluation: Evaluation, group: Group, column: TableColumn) -> list[tuple[str, str]]:
    found, q = group.repeats, evaluation.columns[column.name]
    assert found is not None
    factor = factor_of(column, q.unit)
    unit = unit_tail(column.unit)

    def words(value: float | None, U: float | None = None) -> str:
        if value is None:
            return _("not yet")
        text, spread = value_and_uncertainty(value / factor, U / factor if U else None)
        return f"{text} ± {spread}{unit}" if spread else f"{text}{unit}"

    def spread(value: float | None) -> str:
        if value is None:
            return _("not yet")
        return spread_words(evaluation, column.name, value, factor) + unit

    mean, convention = group.mean(column.name), evaluation.table.convention
    title = {"standard": _("Mean, 95 %"), "half-range": _("Mean, limits"), "school": _("Mean, ± u")}[
        convention
    ]
    mean = restated(mean, convention) if mean is not None else None
    return [
        (_("Trials that count, n"), f"{len(found.values)}"),
        (title, words(found.mean, mean.U95 if mean is not None else None)),
        (_("Standard deviation, s"), spread(found.sd)),
        (_("Standard error, s/√n"), spread(found.standard_error)),
        (_("Half range"), spread(found.half_range)),
        (_("Stated for one trial, u"), spread(group.explained)),
    ]


class GivensPanel(Panel):
    """What is given, and what each column is read with."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._asked: tuple[object, ...] = ()
        self.fields: dict[str, Field | QComboBox] = {}
        self.units: dict[str, Field] = {}
        self.rules: dict[str, QComboBox] = {}
        self.amounts: dict[str, Field] = {}
        self.hands: dict[str, QComboBox] = {}
        self._told: dict[str, object] = {}

    def show_givens(self, evaluation: Evaluation) -> None:
        """Show givens, units and instruments; fields stay while they are typed in."""
        columns = [c for c in table_columns(evaluation) if c.role in ("level", "typed")]
        asked = (evaluation.recipe.id, tuple(evaluation.recipe.givens), tuple(c.name for c in columns))
        if asked != self._asked:
            self._asked = asked
            self._build(evaluation, columns)
        for name, field in self.fields.items():
            text = evaluation.table.givens.get(name, "")
            if isinstance(field, Field):
                q = evaluation.givens.get(name) if name in evaluation.table.given_links else None
                if q is not None:
                    text = shown_unit(evaluation, name, q.unit).stated(float(q), float(q.u))
                field.show_text(text)
                field.mark_wrong(evaluation.given_problems.get(name, ""))
                if q is not None:
                    field.setToolTip(_("Measured in the picture: it follows when that is moved."))
            else:
                given = evaluation.recipe.givens[name]
                field.setCurrentIndex(max(field.findData(text or given.default), 0))
            told = self._told[name]
            told.setText(evaluation.given_problems.get(name, ""))  # type: ignore[attr-defined]
            told.setVisible(name in evaluation.given_problems)  # type: ignore[attr-defined]
        for column in columns:
            unit = evaluation.table.units.get(column.name) or evaluation.recipe.columns[column.name].unit_text
            self.units[column.name].show_text(unit)
            chosen = evaluation.table.instruments.get(column.name)
            rule = self.rules[column.name]
            with QSignalBlocker(rule):
                rule.setCurrentIndex(max(rule.findData(chosen.rule if chosen is not None else ""), 0))
            amount = self.amounts[column.name]
            amount.setEnabled(chosen is not None)
            amount.show_text(chosen.amount if chosen is not None else "")
            amount.mark_wrong(evaluation.column_problems.get(column.name, ""))
            by_hand = chosen is not None and chosen.rule == "hand"
            amount.setVisible(not by_hand)
            self._show_hands(self.hands[column.name], chosen.amount if chosen and by_hand else None)

    def _show_hands(self, box: QComboBox, hand_id: str | None) -> None:
        """Whose hand pressed the watch; hidden where no hand did."""
        box.setVisible(hand_id is not None)
        if hand_id is None:
            return
        box.clear()
        box.addItem(_("not measured"), "")
        for one in self.desk.notebook.hands:
            box.addItem(one.name, one.id)
        box.setCurrentIndex(max(box.findData(hand_id), 0))

    def _build(self, evaluation: Evaluation, columns: list[TableColumn]) -> None:
        clear_layout(self.column)
        for kept in (self.fields, self.units, self.rules, self.amounts, self.hands, self._told):
            kept.clear()
        self.column.addWidget(label(_("Given"), "heading"))
        for name, given in evaluation.recipe.givens.items():
            title = evaluation.recipe.title_of(name)
            optional = "" if not given.optional or given.default is not None else " " + _("(if known)")
            self.column.addWidget(label(f"{title}{optional}", "note", wrap=True))
            if given.choices:
                box = QComboBox()
                box.setAccessibleName(title)
                for choice in given.choices:
                    box.addItem(choice, choice)
                box.activated.connect(lambda _i, n=name, b=box: self._type(n, b.currentData()))
                self.fields[name] = box
                self.column.addWidget(box)
            else:
                field = Field(title)
                usual = pretty_unit(evaluation.recipe.unit_of(name) or given.unit_text)
                example = pretty_unit(given.default) if given.default else f"1.00 ± 0.01 {usual}".strip()
                words = _("{value}, unless typed") if given.default else _("such as {value}")
                field.setPlaceholderText(words.format(value=example))
                field.entered.connect(partial(self._type, name))
                self.fields[name] = field
                self.column.addWidget(field)
            told = label("", "warn", wrap=True)
            self._told[name] = told
            self.column.addWidget(told)
        self.column.addWidget(label(_("Read with"), "heading"))
        self.column.addWidget(
            label(_("Cells that state no uncertainty of their own have this one."), "note", wrap=True)
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setColumnStretch(1, 1)
        for i, column in enumerate(columns):
            self._instrument(grid, i, column, evaluation)
        self.column.addLayout(grid)
        self.column.addStretch(1)

    def _instrument(self, grid: QGridLayout, place: int, column: TableColumn, evaluation: Evaluation) -> None:
        unit = Field(_("Unit of {title}").format(title=column.title), 58)
        unit.setPlaceholderText(_("unit"))
        unit.entered.connect(partial(self._set_unit, column.name))
        rule = chooser(_("How {title} is read").format(title=column.title))
        rules = [
            ("", _("not stated")),
            ("stated", _("± standard u")),
            ("digital", _("digital, step")),
            ("divided", _("divisions of")),
            ("vernier", _("vernier, step")),
            ("percent", _("per cent")),
        ]
        if column.name in [c.name for c in time_columns(evaluation)]:
            rules.append(("hand", _("by hand of")))
        for key, words in rules:
            rule.addItem(words, key)
        rule.activated.connect(lambda _i, n=column.name, b=rule: self._set_rule(n, b.currentData()))
        amount = Field(_("Step or accuracy of {title}").format(title=column.title), 78)
        amount.entered.connect(partial(self._set_amount, column.name))
        hand = chooser(_("Whose hand times {title}").format(title=column.title))
        hand.activated.connect(lambda _i, n=column.name, b=hand: self._set_amount(n, b.currentData()))
        self.hands[column.name] = hand
        self.units[column.name], self.rules[column.name], self.amounts[column.name] = unit, rule, amount
        grid.addWidget(label(column.title, "note", wrap=True), 2 * place, 0, 1, 3)
        for at, one in enumerate((unit, rule, amount)):
            grid.addWidget(one, 2 * place + 1, at)
        grid.addWidget(hand, 2 * place + 1, 2)

    def _type(self, name: str, text: str) -> None:
        self.desk.edit(_("type a given"), edits.set_given(self.desk.notebook, name, text))

    def _set_unit(self, name: str, text: str) -> None:
        from saltus.investigations.engine.evaluation import evaluate  # noqa: PLC0415  asked for on an edit only

        evaluation = evaluate(self.desk.notebook)
        problem = unit_problem(text.strip(), evaluation.recipe, name) if evaluation is not None else ""
        if problem:
            self.units[name].mark_wrong(problem)
            self.desk.said.emit(problem, "warn")
            return
        self.desk.edit(_("state a unit"), edits.set_unit(self.desk.notebook, name, text.strip()))

    def _set_rule(self, name: str, rule: str) -> None:
        table = edits.table_of(self.desk.notebook)
        before = table.instruments.get(name)
        # an id of a hand is no accuracy, nor the other way round
        kept = before is not None and "hand" not in (before.rule, rule)
        made = Instrument(rule=rule, amount=before.amount if before and kept else "") if rule else None
        self.desk.edit(_("choose an instrument"), edits.set_instrument(self.desk.notebook, name, made))
        if rule:
            (self.hands if rule == "hand" else self.amounts)[name].setFocus()

    def _set_amount(self, name: str, text: str) -> None:
        before = edits.table_of(self.desk.notebook).instruments.get(name)
        if before is not None:
            made = before.but(amount=text.strip()[:200])
            self.desk.edit(_("state an instrument"), edits.set_instrument(self.desk.notebook, name, made))
