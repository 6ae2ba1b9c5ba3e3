"""A short table in a column: rows to go to, to take away, and nothing to type in."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QSizePolicy, QTableWidget, QTableWidgetItem

from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PyQt6.QtGui import QKeyEvent

MOST_ROWS, ROW = 2000, 27


def _side(column: int) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignLeft if column == 0 else Qt.AlignmentFlag.AlignRight
    return side | Qt.AlignmentFlag.AlignVCenter


class Lines(QTableWidget):
    """Rows with an id each; Enter or a click goes to one, Delete takes it away.

    Signals
    -------
    wanted(id), removed(id)
    switched(id)
        X was pressed on a row.
    """

    wanted = pyqtSignal(str)
    removed = pyqtSignal(str)
    switched = pyqtSignal(str)

    def __init__(self, name: str, heads: Sequence[str], most: int = 6) -> None:
        super().__init__(0, len(heads))
        self._most, self._ids = most, []  # type: tuple[int, list[str]]
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(list(heads))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        side, top = self.verticalHeader(), self.horizontalHeader()
        assert side is not None
        assert top is not None
        side.hide()
        side.setDefaultSectionSize(scaled(ROW))
        top.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        top.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        top.setHighlightSections(False)
        for i in range(len(heads)):
            item = self.horizontalHeaderItem(i)
            assert item is not None
            item.setTextAlignment(_side(i))
        self.cellClicked.connect(lambda row, _column: self.wanted.emit(self._ids[row]))

    def show_rows(self, rows: Sequence[tuple[str, Sequence[str], bool]]) -> None:
        """Show rows: id, cells, and whether it is set aside."""
        rows = rows[:MOST_ROWS]
        kept = self.chosen()
        self._ids = [row[0] for row in rows]
        self.setRowCount(len(rows))
        for i, (_id, cells, aside) in enumerate(rows):
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setTextAlignment(_side(j))
                item.setForeground(QColor(theme.colour("ink3" if aside else "ink")))
                font = item.font()
                font.setStrikeOut(aside)
                item.setFont(font)
                item.setToolTip(plain(text))
                self.setItem(i, j, item)
        if kept in self._ids:
            self.selectRow(self._ids.index(kept))
        top = self.horizontalHeader()
        assert top is not None
        high = scaled(ROW) * min(max(len(rows), 1), self._most) + top.sizeHint().height() + 4
        self.setFixedHeight(high)

    def chosen(self) -> str:
        """The id of the row in hand."""
        row = self.currentRow()
        return self._ids[row] if 0 <= row < len(self._ids) else ""

    def choose(self, row_id: str) -> None:
        """Take a row in hand."""
        if row_id in self._ids:
            self.selectRow(self._ids.index(row_id))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        chosen = self.chosen()
        if event is None or not chosen:
            super().keyPressEvent(event)
            return
        acts = {
            Qt.Key.Key_Return: self.wanted,
            Qt.Key.Key_Enter: self.wanted,
            Qt.Key.Key_Delete: self.removed,
            Qt.Key.Key_Backspace: self.removed,
            Qt.Key.Key_X: self.switched,
        }
        if event.key() in acts:
            acts[Qt.Key(event.key())].emit(chosen)
        else:
            super().keyPressEvent(event)
