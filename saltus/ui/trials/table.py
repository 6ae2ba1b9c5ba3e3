"""The table of trials as a view: keys, copy and paste, widths of columns."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QHeaderView, QTableView

from saltus.core.notation.line import as_text
from saltus.core.wording import _
from saltus.investigations.view.naming import equation
from saltus.ui.kit.scaling import scaled
from saltus.ui.trials.cell_actions import CellActions
from saltus.ui.trials.delegate import HEIGHTS, STRIP_WIDE, TrialsDelegate, draw_ghost
from saltus.ui.trials.header import TrialsHeader
from saltus.ui.trials.lines import KEPT, NAME, SPREAD
from saltus.ui.trials.model import TrialsModel

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent
    from PyQt6.QtWidgets import QWidget

    from saltus.ui.desk.desk import Desk

COLUMN_WIDE, NAME_WIDE, KEPT_WIDE = 94, 84, 62
NARROW, STRIP_LEAST, STRIP_NARROW = 70, 190, 118
"""No column of numbers is narrower, and no strip, px; where nothing else gives way the strip does."""


class TrialsTable(QTableView):
    """Levels, trials and their cells; the whole of it can be worked with the keyboard."""

    chosen = pyqtSignal()
    newTrialWanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.rows = TrialsModel(desk)
        self.setModel(self.rows)
        self._delegate = TrialsDelegate(self.rows)
        self.setItemDelegate(self._delegate)
        self._head = TrialsHeader(self.rows)
        self.cells = CellActions(self, desk)
        self.setHorizontalHeader(self._head)
        self.setAccessibleName(_("Table of trials"))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        down = self.verticalHeader()
        assert down is not None
        down.hide()
        self._head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self._head.setMinimumSectionSize(scaled(44))
        self.rows.modelReset.connect(self._laid_out_anew)
        self.rows.dataChanged.connect(lambda *_: self._head.update_all())
        selection = self.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(lambda *_: self.chosen.emit())
        self._widths: list[str] = []
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._catch_up)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the table as it is; the cell in hand stays in hand where its trial is still there."""
        if self.state() == QAbstractItemView.State.EditingState:
            # the editor must close before its cell may go
            self._later.start()
            return
        trial_id, column = self.in_hand()
        line = self.rows.line_at(self.currentIndex())
        level = self.rows.group_at(self.currentIndex()) if line is not None and line.kind == "level" else None
        had_focus = self.hasFocus()
        self.rows.refresh()
        if trial_id is not None:
            self.go_to(trial_id, column)
        elif level is not None and self.rows.evaluation is not None and not self.currentIndex().isValid():
            first = level.rows[0]
            for i, other in enumerate(self.rows.lines):
                if other.kind == "level" and self.rows.evaluation.groups[other.group].rows[0] == first:
                    self._choose(
                        self.rows.index(
                            i, max(self.rows.layout.index(column), 0) if column in self.rows.layout else 0
                        )
                    )
        if had_focus:
            self.setFocus()

    def _catch_up(self) -> None:
        """Show what had to wait for an editor to close, beside the table too."""
        self.refresh()
        self.chosen.emit()

    def _laid_out_anew(self) -> None:
        # lines of advice span all columns: where one stood before, cells stand now
        self.clearSpans()
        for i, line in enumerate(self.rows.lines):
            self.setRowHeight(i, scaled(HEIGHTS[line.kind]))
            if line.kind == "advice":
                self.setSpan(i, 0, 1, max(len(self.rows.layout), 1))
        if self._widths != self.rows.layout:
            self._widths = list(self.rows.layout)
            self._give_widths()

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._give_widths()

    def _give_widths(self) -> None:
        """Every column what it needs; the strip has the rest, within bounds."""
        fixed = {NAME: NAME_WIDE, KEPT: KEPT_WIDE}
        view = self.viewport()
        room = view.width() if view is not None else 850
        strip = scaled(STRIP_LEAST) if SPREAD in self.rows.layout else 0
        wanted: dict[int, tuple[int, int]] = {}
        for i, name in enumerate(self.rows.layout):
            column = self.rows.column_at(i)
            if name == SPREAD:
                continue
            wide = fixed.get(name, COLUMN_WIDE)
            full, least = self._head.widths(i) if column is not None else (wide, wide)
            narrow = min(wide, NARROW) if column is not None else wide
            wanted[i] = scaled(max(full, narrow)), scaled(max(least, narrow))
        # names go first from what is worked out: its formula stands above it
        derived = {i for i in wanted if (c := self.rows.column_at(i)) is not None and c.role == "derived"}
        for short in (set(), derived, set(wanted)):
            chosen = {i: least if i in short else full for i, (full, least) in wanted.items()}
            total = sum(chosen.values())
            if total + strip <= room:
                break
        for i, wide in chosen.items():
            self.setColumnWidth(i, wide)
        if strip:
            least = strip if short != set(wanted) else scaled(STRIP_NARROW)
            wide = min(max(room - total, least), scaled(STRIP_WIDE * 2))
            self.setColumnWidth(self.rows.layout.index(SPREAD), wide)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        view = self.viewport()
        if view is not None and not self.rows.lines:
            levels = [c.title for c in self.rows.columns if c.role == "level"]
            words = (
                _("the first level: {name} …").format(name=levels[0]) if levels else _("the first trial …")
            )
            draw_ghost(view, words)

    # -- where one is --------------------------------------------------------------------------------

    def in_hand(self) -> tuple[str | None, str]:
        """Trial and column of the cell in hand."""
        index = self.currentIndex()
        trial = self.rows.trial_at(index)
        name = self.rows.layout[index.column()] if index.isValid() and self.rows.layout else ""
        return (trial.id if trial is not None else None), name

    def go_to(self, trial_id: str, column: str = "", *, edit: bool = False) -> None:
        """Take a cell in hand, opening its level."""
        line = self.rows.line_of_trial(trial_id)
        if line is None:
            evaluation = self.rows.evaluation
            row = evaluation.row_of(trial_id) if evaluation is not None else None
            group = (
                next((g for g in evaluation.groups if row in g.rows), None)
                if evaluation is not None
                else None
            )
            if group is None:
                return
            self.rows.opened.add(group.name)
            self.rows.closed.discard(group.name)
            self.rows.refresh()
            line = self.rows.line_of_trial(trial_id)
        if line is None:
            return
        layout = self.rows.layout
        place = layout.index(column) if column in layout else self._first_typed(line)
        self._choose(self.rows.index(line, place))
        if edit:
            self.edit(self.currentIndex())

    def _first_typed(self, line: int) -> int:
        places = [i for i in range(len(self.rows.layout)) if self.rows.is_typed(self.rows.index(line, i))]
        measured = [i for i in places if (c := self.rows.column_at(i)) is not None and c.role != "level"]
        return (measured or places or [0])[0]

    def _choose(self, index: QModelIndex) -> None:
        if index.isValid() and index != self.currentIndex():
            self.setCurrentIndex(index)
            self.scrollTo(index)

    def toggle(self, line: int) -> None:
        """Open or close a level."""
        group = self.rows.group_at(self.rows.index(line, 0))
        if group is None:
            return
        shown = any(o.row >= 0 and o.group == self.rows.lines[line].group for o in self.rows.lines)
        (self.rows.opened.discard if shown else self.rows.opened.add)(group.name)
        (self.rows.closed.add if shown else self.rows.closed.discard)(group.name)
        place = self.currentIndex().column()
        self.rows.refresh()
        self._choose(self.rows.index(line, max(place, 0)))

    def open_all(self, opened: bool) -> None:
        """Open or close all levels."""
        evaluation = self.rows.evaluation
        names = {g.name for g in evaluation.groups} if evaluation is not None else set()
        self.rows.opened = set(names) if opened else set()
        self.rows.closed = set() if opened else set(names)
        self.refresh()

    # -- keys ----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.state() == QAbstractItemView.State.EditingState:
            return  # Enter comes here from the editor too, which ends by itself
        index, key = self.currentIndex(), event.key()
        line = self.rows.line_at(index)
        if event.matches(QKeySequence.StandardKey.Copy):
            self.cells.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.cells.paste()
        elif key == Qt.Key.Key_D and event.modifiers() == Qt.KeyboardModifier.ControlModifier:
            self.cells.fill_down()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.cells.clear()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self.edit(index) if self.rows.is_typed(index) else self._open_if_level(index)
        elif key == Qt.Key.Key_Space and line is not None and line.kind == "level":
            self.toggle(index.row())
        elif event.text().strip() and line is not None and self._is_worked_out(index):
            self._say_worked_out(index)
        else:
            super().keyPressEvent(event)

    def _is_worked_out(self, index: QModelIndex) -> bool:
        column = self.rows.column_at(index.column())
        return column is not None and column.role == "derived" and not self.rows.is_typed(index)

    def _say_worked_out(self, index: QModelIndex) -> None:
        """Say what a cell follows from that somebody types in."""
        column, evaluation = self.rows.column_at(index.column()), self.rows.evaluation
        if column is None or evaluation is None:
            return
        words = _("{title} is worked out: {formula}. Type into the columns it follows from.").format(
            title=column.title[:1].upper() + column.title[1:],
            formula=as_text(equation(evaluation, column.name, column.formula)),
        )
        self._desk.said.emit(words, "note")

    def _open_if_level(self, index: QModelIndex) -> None:
        line = self.rows.line_at(index)
        if line is not None and line.kind == "level":
            self.toggle(index.row())

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes to the next cell to type in; at the end of the table it leads out of it."""
        return self._next_typed(1 if forward else -1) or super().focusNextPrevChild(forward)

    def _next_typed(self, step: int) -> bool:
        """Go to the next cell to type in; False at the end of the table, where focus may leave."""
        index = self.currentIndex()
        if not index.isValid():
            return False
        wide, high = len(self.rows.layout), len(self.rows.lines)
        place = index.row() * wide + index.column() + step
        while 0 <= place < wide * high:
            line, at = divmod(place, wide)
            there = self.rows.index(line, at)
            if self.rows.lines[line].kind == "trial" and self._worth_a_stop(there):
                self._choose(there)
                return True
            place += step
        return False

    def _worth_a_stop(self, index: QModelIndex) -> bool:
        column = self.rows.column_at(index.column())
        return self.rows.is_typed(index) and column is not None and column.role != "level"

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:
        """Enter goes down, making the next trial at the end of a level; Tab goes on."""
        before = self.currentIndex()
        super().closeEditor(editor, QAbstractItemDelegate.EndEditHint.NoHint)
        self.setFocus()
        hints = QAbstractItemDelegate.EndEditHint
        if hint == hints.EditNextItem:
            self._next_typed(1)
        elif hint == hints.EditPreviousItem:
            self._next_typed(-1)
        elif hint == hints.SubmitModelCache:
            self._down(before if before.isValid() else self.currentIndex())

    def _down(self, index: QModelIndex) -> None:
        line = self.rows.line_at(index)
        if line is None:
            return
        below = index.row() + 1
        if line.kind == "level":
            trial = next((o for o in self.rows.lines if o.group == line.group and o.row >= 0), None)
            if trial is not None and self.rows.evaluation is not None:
                self.go_to(self.rows.evaluation.rows[trial.row].id)
            return
        column, trial_here = self.rows.column_at(index.column()), self.rows.trial_at(index)
        if column is not None and column.role == "level" and trial_here is not None:
            # the level is said once: what comes next is what was measured there
            self.go_to(trial_here.id)
            return
        if below < len(self.rows.lines) and self.rows.lines[below].kind == "trial":
            self._choose(self.rows.index(below, index.column()))
        elif (trial_now := self.rows.trial_at(index)) is not None and trial_now.cells:
            self.newTrialWanted.emit()

    # -- cells of a spreadsheet ----------------------------------------------------------------------

    def block(self) -> tuple[list[int], list[int]]:
        """Lines and columns of the chosen cells."""
        selection = self.selectionModel()
        indexes = selection.selectedIndexes() if selection is not None else []
        return sorted({i.row() for i in indexes}), sorted({i.column() for i in indexes})

    def level_cells(self, index: QModelIndex) -> dict[str, str]:
        """Cells of a new trial at the level in hand."""
        group, evaluation = self.rows.group_at(index), self.rows.evaluation
        if group is None or evaluation is None:
            return {}
        names = [n for n in evaluation.recipe.level if n in evaluation.trials.columns]
        return {n: text for n, text in zip(names, group.name, strict=False) if text}

    def level_in_hand(self) -> tuple[dict[str, str], str | None]:
        """Cells of a new trial at the level in hand, and the last trial of that level."""
        index = self.currentIndex()
        if not index.isValid() and self.rows.lines:
            index = self.rows.index(len(self.rows.lines) - 1, 0)
        group, evaluation = self.rows.group_at(index), self.rows.evaluation
        last = evaluation.rows[group.rows[-1]].id if group is not None and evaluation is not None else None
        return self.level_cells(index), last

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is None:
            return
        index = self.indexAt(event.position().toPoint())
        line = self.rows.line_at(index)
        if line is not None and line.kind == "level" and self.rows.layout[index.column()] == NAME:
            self.toggle(index.row())

    def choose_trial(self, trial_id: str) -> None:
        """Take a trial in hand, as a whole."""
        self.go_to(trial_id)
        selection = self.selectionModel()
        if selection is not None:
            flags = QItemSelectionModel.SelectionFlag.ClearAndSelect
            selection.select(self.currentIndex(), flags)
