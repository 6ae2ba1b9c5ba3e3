"""The readings of the body in hand as a table, for the keyboard and for screen readers."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, QTimer
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from saltus.core.coverage import NORMAL_95
from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.edits import readings as edits
from saltus.ui.desk.placing import type_coordinate
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.notebook.readings import Reading
    from saltus.ui.desk.desk import Desk

COLUMNS = ("frame", "time", "x_px", "y_px", "x", "y", "state")


def state_words(reading: Reading) -> str:
    """What a reading is: read, typed or followed, doubted or set aside."""
    if reading.status == "aside":
        return _("set aside")
    if reading.status == "weak":
        return _("doubtful")
    return {"typed": _("typed"), "followed": _("followed")}.get(reading.origin, _("read"))


class ReadingsModel(QAbstractTableModel):
    """Rows are the readings of the body in hand, in frame order; px places can be typed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.rows: list[Reading] = []

    def refresh(self) -> None:
        """Show the readings as they are."""
        body = self._desk.body
        rows = list(body.readings) if body is not None else []
        if len(rows) == len(self.rows):
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def row_of(self, frame: int) -> int | None:
        """Row of a frame, if it is read."""
        return next((i for i, r in enumerate(self.rows) if r.frame == frame), None)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        take = self._desk.take
        unit = mapping_of(take).unit.text if take is not None else "px"
        names = (_("Frame"), "t / s", "x / px", "y / px", f"x / {unit}", f"y / {unit}", _("State"))
        return names[section]

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        reading, column = self.rows[index.row()], COLUMNS[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self._text(reading, column)
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            head = self.headerData(index.column(), Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole)
            words = f"{head}: {self._text(reading, column)}"
            return plain(words) if role == Qt.ItemDataRole.ToolTipRole else words
        return None

    def _text(self, reading: Reading, column: str) -> str:
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return ""
        if column == "frame":
            return str(reading.frame)
        if column == "time":
            return f"{frame_times(take)[reading.frame]:.4f}"
        if column in ("x_px", "y_px"):
            return f"{getattr(reading, column[0]):.2f}"
        if column == "state":
            return state_words(reading)
        if not reading.used:
            return "–"
        motion = body_motion(take, body)
        i = int(motion.frames.searchsorted(reading.frame))
        q = motion.of(column)
        text, spread = value_and_uncertainty(float(q.value[i]), NORMAL_95 * float(q.u_own[i]))
        return f"{text} ± {spread}" if spread else text

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        usual = super().flags(index)
        typed = index.isValid() and COLUMNS[index.column()] in ("x_px", "y_px")
        return usual | Qt.ItemFlag.ItemIsEditable if typed else usual

    def setData(self, index: QModelIndex, value: Any, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.EditRole or not index.isValid():
            return False
        reading = self.rows[index.row()]
        try:
            typed = number(str(value))
        except WrittenError as error:
            self._desk.said.emit(str(error), "warn")
            return False
        self._desk.go_to_frame(reading.frame)
        type_coordinate(self._desk, COLUMNS[index.column()][0], typed)
        return True


class ReadingsTable(QTableView):
    """The table; the row of the frame in hand is the current one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._model = ReadingsModel(desk)
        self.setModel(self._model)
        self.setAccessibleName(_("Readings of the body in hand"))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setAlternatingRowColors(False)
        down, across = self.verticalHeader(), self.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        down.setDefaultSectionSize(scaled(27))
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        selection = self.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(self._went_to)
        self._into_sight = QTimer(self)
        self._into_sight.setSingleShot(True)
        self._into_sight.timeout.connect(lambda: self.scrollTo(self.currentIndex()))
        desk.changed.connect(self.refresh)
        desk.lookedElsewhere.connect(self.refresh)

    def refresh(self) -> None:
        """Show the readings as they are, the frame in hand in sight."""
        if not self.isVisible():
            return
        self._model.refresh()
        row = self._model.row_of(self._desk.frame)
        if row is not None and row != self.currentIndex().row():
            self.setCurrentIndex(self._model.index(row, max(self.currentIndex().column(), 0)))

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()
        self._into_sight.start()  # rows have no places before the first layout

    def _went_to(self, now: QModelIndex, before: QModelIndex) -> None:
        if now.isValid() and self.hasFocus():
            self._desk.go_to_frame(self._model.rows[now.row()].frame)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        take, body = self._desk.take, self._desk.body
        row = self.currentIndex().row()
        if event is not None and event.key() == Qt.Key.Key_Delete and take and body and row >= 0:
            frame = self._model.rows[row].frame
            notebook = edits.delete_reading(self._desk.notebook, take.id, body.id, frame)
            self._desk.edit(_("delete a reading"), notebook)
            return
        super().keyPressEvent(event)
