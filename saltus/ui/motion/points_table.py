"""The characteristic points of the body in hand as a table; those with a tick are chosen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from saltus.core.statement import value_and_uncertainty, written_number
from saltus.core.wording import _
from saltus.exchange.motion_words import (
    coordinate_scale,
    coordinate_symbol,
    direction_words,
    point_words,
)
from saltus.notebook.derived.motion import coordinate_kind
from saltus.notebook.derived.points import chosen_point, frame_of, points_found
from saltus.notebook.edits import points as edits
from saltus.ui.kit.scaling import scaled

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.core.motion.features import Point
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk

FIRST_WIDE = 182


@dataclass(frozen=True)
class PointRow:
    """A row: the point, its frame, and its id where it was chosen."""

    point: Point
    frame: int
    chosen: str | None


class PointsModel(QAbstractTableModel):
    """Points that were found and points that were marked, in order of time."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._of = "x"
        self._unit = "m"
        self.rows: list[PointRow] = []

    def show_points(self, take: Take | None, body: Body | None, of: str) -> None:
        """Show the points of a coordinate of a body."""
        self.beginResetModel()
        self._of = of
        self.rows = rows_of(take, body, of)
        self._unit = coordinate_scale(take, of).unit if take is not None else "m"
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else 6

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if role == Qt.ItemDataRole.TextAlignmentRole and 0 < section < 5:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        symbol, unit = coordinate_symbol(self._of), self._unit
        v, a = ("ω", "α") if coordinate_kind(self._of) == "angle" else ("v", "a")
        names = (
            _("What"),
            "t / s",
            f"{symbol} / {unit}",
            f"{v} / {unit}/s",
            f"{a} / {unit}/s²",
            _("Direction"),
        )
        return names[section]

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row.point, column)
        if role == Qt.ItemDataRole.CheckStateRole and column == 0:
            return Qt.CheckState.Checked if row.chosen is not None else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.TextAlignmentRole and 0 < column < 5:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.FontRole and row.chosen is not None:
            bold = QFont()
            bold.setWeight(QFont.Weight.DemiBold)
            return bold
        return None

    def _text(self, point: Point, column: int) -> str:
        if column == 0:
            return point_words(point.kind)
        if column == 5:
            return "\u2002" + direction_words(point.direction, self._of)
        return _value((point.time, point.position, point.velocity, point.acceleration)[column - 1])

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags | Qt.ItemFlag.ItemIsUserCheckable if index.column() == 0 else flags

    def setData(self, index: QModelIndex, value: Any, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole or not index.isValid():
            return False
        self.choose(index.row())
        return True

    def choose(self, number: int) -> None:
        """Choose a point, or let a chosen one go."""
        take, body = self._desk.take, self._desk.body
        if take is None or body is None or not 0 <= number < len(self.rows):
            return
        row = self.rows[number]
        if row.chosen is not None:
            made = edits.drop_point(self._desk.notebook, take.id, row.chosen)
            self._desk.edit(_("let a point go"), made)
            return
        made, _id = edits.choose_point(
            self._desk.notebook, take.id, body.id, self._of, row.point.kind, row.frame
        )
        self._desk.edit(_("choose a point"), made)


def rows_of(take: Take | None, body: Body | None, of: str) -> list[PointRow]:
    """Points of a coordinate of a body: those found, and those chosen that are not among them."""
    if take is None or body is None or not len(body.readings):
        return []
    chosen = {c.id: chosen_point(take, c) for c in take.points if c.body == body.id and c.of == of}
    rows, seen = [], set()
    for point in points_found(take, body, of).points:
        which = next((i for i, p in chosen.items() if p is point), None)
        seen.add(which)
        rows.append(PointRow(point, frame_of(take, point), which))
    rows += [PointRow(p, frame_of(take, p), i) for i, p in chosen.items() if p is not None and i not in seen]
    return sorted(rows, key=lambda row: float(row.point.time))


def _value(q: Quantity | None) -> str:
    if q is None:
        return "–"
    U = q.U95
    if not U:
        return written_number(float(q))
    number, spread = value_and_uncertainty(float(q), U)
    return f"{number} ± {spread}"


class PointsTable(QTableView):
    """The table below the lanes; Enter or Space chooses, a click goes to the frame."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.points = PointsModel(desk)
        self.setModel(self.points)
        self.setAccessibleName(_("Points of the motion"))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setMinimumHeight(scaled(120))
        self.setMaximumHeight(scaled(240))
        self.setShowGrid(False)
        head, side = self.horizontalHeader(), self.verticalHeader()
        if head is not None and side is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            head.setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(0, scaled(FIRST_WIDE))
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            side.hide()
            side.setDefaultSectionSize(scaled(28))
        self.clicked.connect(self._go)

    def show_points(self, take: Take | None, body: Body | None, of: str) -> None:
        """Show the points of a coordinate of a body; the row in hand stays."""
        row = self.currentIndex().row()
        self.points.show_points(take, body, of)
        if 0 <= row < self.points.rowCount():
            self.setCurrentIndex(self.points.index(row, 1))

    def chosen_row(self) -> PointRow | None:
        """The row in hand."""
        row = self.currentIndex().row()
        return self.points.rows[row] if 0 <= row < len(self.points.rows) else None

    def _go(self, index: QModelIndex) -> None:
        if index.column() > 0:
            self._desk.go_to_frame(self.points.rows[index.row()].frame)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.points.choose(self.currentIndex().row())
        else:
            super().keyPressEvent(event)
