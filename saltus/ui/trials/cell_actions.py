"""What is done with the chosen cells of the table of trials: copied, pasted over, filled down, emptied."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PyQt6.QtGui import QGuiApplication

from saltus.core.wording import _
from saltus.exchange.clipping import grid_of, has_headers, text_of
from saltus.exchange.tables import TableError, table_of
from saltus.exchange.trials_table import proposal, taken_in, trial_a_row
from saltus.notebook.edits import trials as edits

if TYPE_CHECKING:
    from PyQt6.QtCore import QModelIndex

    from saltus.ui.desk.desk import Desk
    from saltus.ui.trials.model import TrialsModel


class ChosenCells(Protocol):
    """A view of the table of trials in which cells are chosen."""

    rows: TrialsModel

    def block(self) -> tuple[list[int], list[int]]:
        """Lines and columns of the chosen cells."""

    def level_cells(self, index: QModelIndex) -> dict[str, str]:
        """Cells of a new trial at the level of a line."""

    def currentIndex(self) -> QModelIndex:
        """The cell in hand."""


MOST_PASTED = 20_000


class CellActions:
    """Acts on the chosen cells of a table."""

    def __init__(self, table: ChosenCells, desk: Desk) -> None:
        self._table, self._desk = table, desk

    def copy(self) -> None:
        """Copy the chosen cells as a spreadsheet takes them."""
        rows = self._table.rows
        lines, columns = self._table.block()
        words = [[rows.words(rows.index(r, c)) for c in columns] for r in lines]
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and words:
            clipboard.setText(text_of(words))

    def paste(self) -> None:
        """Put cells from a spreadsheet in: under their headers, else from the cell in hand on."""
        clipboard = QGuiApplication.clipboard()
        grid = grid_of(clipboard.text()) if clipboard is not None else []
        if not grid or self._table.rows.evaluation is None:
            return
        if len(grid) * len(grid[0]) > MOST_PASTED:
            self._desk.said.emit(_("Too many cells at once: import the file instead."), "warn")
        elif not (has_headers(grid) and self._paste_under_headers(grid)):
            self._paste_from_here(grid)

    def _paste_under_headers(self, grid: list[list[str]]) -> bool:
        """Take a table with a header in as an import does; False where no header names a column."""
        evaluation = self._table.rows.evaluation
        assert evaluation is not None
        try:
            table = trial_a_row(table_of(grid, _("the clipboard")), evaluation)
        except TableError as error:
            self._desk.said.emit(str(error), "warn")
            return True
        taken = proposal(table, evaluation)
        if not taken.columns:
            return False
        self._desk.edit(_("paste a table"), taken_in(self._desk.notebook, table, taken))
        return True

    def _paste_from_here(self, grid: list[list[str]]) -> None:
        """Put cells in from the one in hand on; trials are added as needed."""
        rows, index = self._table.rows, self._table.currentIndex()
        if not index.isValid():
            return
        columns = [c for c in range(index.column(), len(rows.layout)) if self._typed_into(c)]
        names = [rows.layout[c] for c in columns]
        trials = [rows.trial_at(rows.index(i, 0)) for i in range(index.row(), len(rows.lines))]
        ids = [t.id for t in trials if t is not None]
        level = self._table.level_cells(index)
        missing = max(len(grid) - len(ids), 0)
        notebook, made = edits.add_trials(self._desk.notebook, [level] * missing, ids[-1] if ids else None)
        cells = {
            (trial_id, name): text
            for trial_id, row in zip([*ids, *made], grid, strict=False)
            for name, text in zip(names, row, strict=False)
        }
        self._desk.edit(_("paste into the table"), edits.set_cells(notebook, cells))

    def _typed_into(self, place: int) -> bool:
        column = self._table.rows.column_at(place)
        return column is not None and column.role != "derived"

    def fill_down(self) -> None:
        """Repeat the uppermost of the chosen cells in all below it."""
        rows = self._table.rows
        lines, columns = self._table.block()
        trials = [t for r in lines if (t := rows.trial_at(rows.index(r, 0))) is not None]
        names = [rows.layout[c] for c in columns if self._typed_into(c)]
        if len(trials) < 2 or not names:
            self._desk.said.emit(_("Choose a cell and those below it, then fill down."), "note")
            return
        first = trials[0]
        cells = {(t.id, n): first.cells.get(n, "") for t in trials[1:] for n in names}
        self._desk.edit(_("fill down"), edits.set_cells(self._desk.notebook, cells))

    def clear(self) -> None:
        """Empty the chosen cells; rows in which nothing was typed go."""
        rows = self._table.rows
        lines, columns = self._table.block()
        trials = [t for r in lines if (t := rows.trial_at(rows.index(r, 0))) is not None]
        names = [rows.layout[c] for c in columns if self._typed_into(c)]
        blank = [t.id for t in trials if not t.cells and not t.reason]
        cells = {(t.id, n): "" for t in trials for n in names if t.cells.get(n)}
        notebook = edits.set_cells(self._desk.notebook, cells)
        if not cells:
            notebook = edits.remove_empty(notebook, blank)
        self._desk.edit(_("empty cells"), notebook)
