"""Trials: the table grouped by level, and beside it the trial in hand, what is given, what to check."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QStackedWidget,
    QWidget,
)

from saltus.core.wording import _, plural
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.next_step import next_on_trials
from saltus.investigations.view.table_view import is_hidden
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import FREE
from saltus.ui.desk.stage import Stage, empty_page, framed
from saltus.ui.desk.tables import export_trials, import_trials, print_blank
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.widgets import button, label, row, yielding
from saltus.ui.trials.columns import ColumnDialog
from saltus.ui.trials.leaving import LeaveDialog
from saltus.ui.trials.others import choose_other
from saltus.ui.trials.set_up_panel import SetUpPanel
from saltus.ui.trials.side import GivensPanel, TrialPanel
from saltus.ui.trials.table import TrialsTable

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.trials import Trial
    from saltus.ui.desk.desk import Desk


class TrialsStage(Stage):
    """The table at the left, the column at the right."""

    galleryWanted = pyqtSignal()
    stopwatchWanted = pyqtSignal()
    wanted = pyqtSignal(str)

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.table = TrialsTable(desk)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.table)
        self._stack.addWidget(self._empty())
        self.beside(framed(self._head(), [self._stack], (16, 12, 16, 8), 10), 312)
        self._build_column()
        self._shortcuts()
        self.table.chosen.connect(self._show_side)
        self.table.newTrialWanted.connect(self.new_trial)
        self.listen()

    # -- built once ----------------------------------------------------------------------------------

    def _head(self) -> QHBoxLayout:
        self._question = yielding("", "note")
        self.more = button(_("More…"), self._more)
        self.watch = button(_("Stopwatch"), self.stopwatchWanted.emit)
        self.watch.setToolTip(_("Time live trials by hand, into the table"))
        self.level = button(_("New level"), self.new_level)
        self.level.setToolTip(_("Ctrl+Shift+Return"))
        self.new = button(_("+ New trial"), self.new_trial, "main")
        self.new.setToolTip(_("Ctrl+Return"))
        made = row(label(_("Trials"), "title"), self._question)
        made.setStretch(1, 1)
        for one in (self.more, self.watch, self.level, self.new):
            made.addWidget(one)
        return made

    def _empty(self) -> QWidget:
        self.choose = button(_("Choose an investigation…"), self.galleryWanted.emit, "main")
        ways = [self.choose]
        words = _(
            "It brings the columns, the graph and the result, ready and empty. Values from the films "
            "of this notebook can be sent into its cells."
        )
        return empty_page(_("A table of trials begins with an investigation"), words, ways, 60)

    def _build_column(self) -> None:
        self._tabs = QButtonGroup(self)
        tabs = QHBoxLayout()
        tabs.setSpacing(6)
        self._panels = QStackedWidget()
        self.trial = TrialPanel(self._desk)
        self.givens = GivensPanel(self._desk)
        self.set_up = SetUpPanel(self._desk)
        for i, (words, panel) in enumerate(
            ((_("Trial"), self.trial), (_("Given"), self.givens), (_("Set-up"), self.set_up))
        ):
            tab = QPushButton(words)
            tab.setObjectName("filter")
            tab.setCheckable(True)
            self._tabs.addButton(tab, i)
            tabs.addWidget(tab)
            self._panels.addWidget(panel)
        tabs.addStretch(1)
        self._tabs.idClicked.connect(self.show_panel)
        self._column.addLayout(tabs)
        self._column.addWidget(self._panels, 1)
        self.trial.statusWanted.connect(self.set_status)
        self.trial.shown.connect(self.table.choose_trial)
        self.trial.unlinkWanted.connect(self._unlink)
        self.show_panel(0)

    def show_panel(self, place: int) -> None:
        """Show one of the panels of the column: trial, givens, set-up."""
        self._panels.setCurrentIndex(place)
        tab = self._tabs.button(place)
        if tab is not None:
            tab.setChecked(True)

    def _shortcuts(self) -> None:
        for keys, act in (
            ("Ctrl+Return", self.new_trial),
            ("Ctrl+Shift+Return", self.new_level),
            ("Ctrl+Shift+F", lambda: self.set_status("failed")),
            ("Ctrl+Shift+X", self._aside_or_back),
        ):
            action = QAction(self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _on=False, a=act: a())
            self.addAction(action)

    # -- rows ----------------------------------------------------------------------------------------

    def new_trial(self) -> None:
        """Add a trial at the level in hand and take its first cell in hand."""
        if self._desk.notebook.trials is None:
            return
        cells, last = self.table.level_in_hand()
        notebook, made = edits.add_trials(self._desk.notebook, [cells], last)
        _trial, column = self.table.in_hand()
        self._desk.edit(_("add a trial"), notebook)
        typed = column if self._is_measured(column) else ""
        self.table.go_to(made[0], typed)
        self.table.setFocus()

    def _is_measured(self, name: str) -> bool:
        column = next((c for c in self.table.rows.columns if c.name == name), None)
        return column is not None and column.role == "typed"

    def new_level(self) -> None:
        """Add a trial at a new level and take the cell of what is varied in hand."""
        evaluation = evaluate(self._desk.notebook)
        if evaluation is None:
            return
        if not evaluation.recipe.level:
            self.new_trial()
            return
        done = edits.without_unmade(self._desk.notebook, evaluation.recipe.level)
        notebook, made = edits.add_trials(done, [{}])
        self._desk.edit(_("add a level"), notebook)
        self.table.go_to(made[0], evaluation.recipe.level[0], edit=True)

    def set_status(self, status: str) -> None:
        """Record what became of the trials in hand, with the reason."""
        trials = self._in_hand()
        if not trials:
            self._desk.said.emit(_("Take a trial in hand first."), "note")
            return
        reason = ""
        if status != "kept":
            question = _("What was seen?") if status == "failed" else _("Why is it set aside?")
            known = [t.reason for t in self._table_trials() if t.reason]
            reason, done = QInputDialog.getItem(
                self, _("Trial"), question, list(dict.fromkeys(known)) or [""], 0, True
            )
            if not done:
                return
            reason = " ".join(reason.split())[:1000] or _("no reason given")
        notebook = self._desk.notebook
        for trial in trials:
            notebook = edits.change_trial(notebook, trial.id, status=status, reason=reason)
        names = {
            "failed": _("record a failed trial"),
            "set-aside": _("set a trial aside"),
            "kept": _("put a trial back"),
        }
        self._desk.edit(names[status], notebook)

    def _aside_or_back(self) -> None:
        trials = self._in_hand()
        self.set_status("kept" if trials and all(t.status != "kept" for t in trials) else "set-aside")

    def _in_hand(self) -> list[Trial]:
        selection = self.table.selectionModel()
        lines = sorted({i.row() for i in selection.selectedIndexes()}) if selection is not None else []
        found = [self.table.rows.trial_at(self.table.rows.index(r, 0)) for r in lines]
        return [t for t in found if t is not None]

    def _table_trials(self) -> tuple[Trial, ...]:
        table = self._desk.notebook.trials
        return table.trials if table is not None else ()

    def _unlink(self) -> None:
        trial_id, column = self.table.in_hand()
        trial = next((t for t in self._table_trials() if t.id == trial_id), None)
        if trial is None or column not in trial.links:
            return
        links = {c: link for c, link in trial.links.items() if c != column}
        self._desk.edit(_("unlink a cell"), edits.change_trial(self._desk.notebook, trial.id, links=links))

    def _zero(self) -> None:
        """Add a reading of zero: what is read in this row counts as zero from here on."""
        _cells, last = self.table.level_in_hand()
        trial_id, _column = self.table.in_hand()
        notebook, made = edits.add_trials(self._desk.notebook, [{}], trial_id or last)
        notebook = edits.change_trial(notebook, made[0], status="zero")
        self._desk.edit(_("read the zero"), notebook)
        self.zeros()

    def zeros(self) -> None:
        """Show the readings of zero and let them be typed."""
        from saltus.ui.trials.zeros import ZerosDialog  # noqa: PLC0415  rarely needed

        ZerosDialog(self, self._desk).exec()

    # -- more ----------------------------------------------------------------------------------------

    def _more(self) -> None:
        open_under(self.menu(), self.more)

    def menu(self) -> QMenu:
        """What else can be done with the table."""
        evaluation = evaluate(self._desk.notebook)
        entries: list[Entry | None] = [
            Entry(_("Add a column…"), lambda: self.edit_column(None)),
        ]
        if evaluation is not None:
            for column in evaluation.table.own:
                words = _("Change the column “{title}”…").format(title=column.title or column.name)
                entries.append(Entry(words, partial(self.edit_column, column.name)))
            hidden = [n for n in evaluation.recipe.columns if is_hidden(evaluation, n)]
            if evaluation.table.investigation != FREE:
                for name in hidden:
                    words = _("Show the column “{title}”").format(title=evaluation.recipe.title_of(name))
                    entries.append(Entry(words, partial(self._show_column, name)))
        entries += [
            None,
            Entry(_("Read the zero…"), self._zero),
            Entry(_("Open all levels"), lambda: self.table.open_all(True)),
            Entry(_("Close all levels"), lambda: self.table.open_all(False)),
            None,
            Entry(_("Import a table, CSV or XLSX…"), lambda: import_trials(self, self._desk)),
            Entry(_("Trials as a table, CSV or XLSX…"), lambda: export_trials(self, self._desk)),
            Entry(_("Blank table to print…"), lambda: print_blank(self, self._desk)),
            None,
            Entry(_("Result of another notebook…"), self._of_another),
            Entry(_("Leave to the student…"), self._leave),
            None,
            Entry(_("Another investigation…"), self.galleryWanted.emit),
        ]
        there = evaluation is not None
        return menu_of(self, [replace(e, possible=there) if e is not None else None for e in entries])

    def edit_column(self, name: str | None) -> None:
        """Ask for an own column and put it in."""
        ColumnDialog(self, self._desk, name).exec()

    def _leave(self) -> None:
        LeaveDialog(self, self._desk).exec()

    def _of_another(self) -> None:
        trial_id, column = self.table.in_hand()
        choose_other(self, self._desk, trial_id, column)

    def _show_column(self, name: str) -> None:
        evaluation = evaluate(self._desk.notebook)
        if evaluation is not None:
            unit = evaluation.recipe.columns[name].unit_text
            self._desk.edit(_("show a column"), edits.set_unit(self._desk.notebook, name, unit))

    # -- showing -------------------------------------------------------------------------------------

    def show_now(self) -> None:
        """Show the table as it is."""
        evaluation = evaluate(self._desk.notebook)
        there = evaluation is not None
        self._stack.setCurrentIndex(0 if there else 1)
        for one in (self.more, self.watch, self.level, self.new):
            one.setVisible(there)
        for i in range(3):
            tab = self._tabs.button(i)
            assert tab is not None
            tab.setVisible(there)
        self._panels.setVisible(there)
        self._question.setText(self._words(evaluation))
        self._question.setToolTip(plain(self._question.text()))
        self.table.refresh()
        if evaluation is None:
            self.next.say(_("Choose an investigation: by what you want to find out, or with own columns."))
            return
        self.level.setVisible(bool(evaluation.recipe.level))
        self.givens.show_givens(evaluation)
        self.set_up.show_set_up(evaluation)
        self._show_side()
        self.next.say(next_on_trials(evaluation))

    def _words(self, evaluation: Evaluation | None) -> str:
        if evaluation is None:
            return ""
        made = " · ".join(
            [
                _("simulated, not a measurement") if evaluation.table.simulated else evaluation.recipe.title,
                plural("{n} level", "{n} levels", len(evaluation.groups)) if evaluation.recipe.level else "",
                plural("{n} trial", "{n} trials", len(evaluation.rows)),
            ]
        )
        return made.replace(" ·  ·", " ·").strip(" ·")

    def _show_side(self) -> None:
        evaluation = evaluate(self._desk.notebook)
        if evaluation is None or not self.isVisible():
            return
        index = self.table.currentIndex()
        trial = self.table.rows.trial_at(index)
        problem = self.table.rows.problem(index) if index.isValid() else ""
        link = self.table.rows.link_words(index) if index.isValid() else ""
        self.trial.show_trial(evaluation, self.table.rows.group_at(index), trial, problem, link)
