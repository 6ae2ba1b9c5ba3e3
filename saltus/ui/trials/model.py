"""Model of the table of trials: what stands in its cells, and the edits typing makes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.judgement.level_statistics import reach_of
from saltus.investigations.view.table_view import (
    TableColumn,
    cell_words,
    group_title,
    mean_words,
    problem_of,
    table_columns,
)
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.plain_text import plain
from saltus.ui.trials.lines import (
    KEPT,
    NAME,
    SPREAD,
    Line,
    lines_of,
    status_words,
    trial_name,
    typed_columns,
    with_levels,
)

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.judgement.level_statistics import Group
    from saltus.notebook.trials import Trial
    from saltus.ui.desk.desk import Desk


class TrialsModel(QAbstractTableModel):
    """Lines of levels and trials; cells that are typed can be edited."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.evaluation: Evaluation | None = None
        self.lines: list[Line] = []
        self.columns: tuple[TableColumn, ...] = ()
        self.layout: list[str] = []
        self.opened: set[tuple[str, ...]] = set()
        self.closed: set[tuple[str, ...]] = set()
        self._reach: tuple[Evaluation | None, float] | None = None

    def refresh(self) -> None:
        """Show the table as it is now."""
        evaluation = evaluate(self._desk.notebook)
        lines = lines_of(evaluation, self.opened, self.closed) if evaluation is not None else []
        columns = table_columns(evaluation) if evaluation is not None else ()
        layout = self._laid_out(evaluation, columns)
        if lines == self.lines and layout == self.layout:
            renamed = [c.heading for c in columns] != [c.heading for c in self.columns]
            self.evaluation, self.columns = evaluation, columns
            if lines:
                self.dataChanged.emit(self.index(0, 0), self.index(len(lines) - 1, len(layout) - 1))
            if renamed:
                # the view lays itself out once more for that, and paints every cell again
                self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, max(len(layout) - 1, 0))
            return
        self.beginResetModel()
        self.evaluation, self.columns, self.lines, self.layout = evaluation, columns, lines, layout
        self.endResetModel()

    def _laid_out(self, evaluation: Evaluation | None, columns: tuple[TableColumn, ...]) -> list[str]:
        if evaluation is None:
            return []
        levels = [c.name for c in columns if c.role == "level"]
        rest = [c.name for c in columns if c.role != "level"]
        return [NAME, *levels, SPREAD, *([KEPT] if with_levels(evaluation) else []), *rest]

    # -- finding things ------------------------------------------------------------------------------

    def column_at(self, place: int) -> TableColumn | None:
        """The quantity in a column of the table; None for the columns that hold none."""
        name = self.layout[place] if 0 <= place < len(self.layout) else ""
        return next((c for c in self.columns if c.name == name), None)

    def trial_at(self, index: QModelIndex) -> Trial | None:
        """The trial of a line; None where it is another line."""
        line = self.line_at(index)
        return (
            self.evaluation.rows[line.row] if line is not None and line.row >= 0 and self.evaluation else None
        )

    def line_at(self, index: QModelIndex) -> Line | None:
        """The line of an index."""
        return self.lines[index.row()] if index.isValid() and index.row() < len(self.lines) else None

    def group_at(self, index: QModelIndex) -> Group | None:
        """The level of a line."""
        line = self.line_at(index)
        return self.evaluation.groups[line.group] if line is not None and self.evaluation else None

    def line_of_trial(self, trial_id: str) -> int | None:
        """Line of a trial; None while its level is closed."""
        if self.evaluation is None:
            return None
        row = self.evaluation.row_of(trial_id)
        return next((i for i, line in enumerate(self.lines) if line.row == row and row is not None), None)

    @property
    def strip_name(self) -> str:
        """Column whose spread the strips show."""
        return (
            self.evaluation.groups[0].strip if self.evaluation is not None and self.evaluation.groups else ""
        )

    def reach(self, column: str) -> float:
        """Half the width of all strips, SI."""
        if self._reach is None or self._reach[0] is not self.evaluation:
            self._reach = (
                self.evaluation,
                reach_of(self.evaluation.groups) if self.evaluation is not None else 1.0,
            )
        return self._reach[1]

    def is_typed(self, index: QModelIndex) -> bool:
        """Whether a cell is one a person types in."""
        line, column = self.line_at(index), self.column_at(index.column())
        if line is None or column is None or self.evaluation is None:
            return False
        if line.kind == "level":
            return column.role == "level"
        return line.kind == "trial" and column in typed_columns(self.columns, self.evaluation)

    # -- what Qt asks --------------------------------------------------------------------------------

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.layout)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if orientation != Qt.Orientation.Horizontal or role != Qt.ItemDataRole.DisplayRole:
            return None
        column = self.column_at(section)
        if column is not None:
            return column.heading
        name = self.layout[section] if section < len(self.layout) else ""
        return {NAME: _("Trial"), SPREAD: _("Spread, or what happened"), KEPT: _("Kept")}.get(name, "")

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        if not index.isValid() or self.evaluation is None or index.row() >= len(self.lines):
            return None
        if role == Qt.ItemDataRole.EditRole:
            return self._typed(index)
        if role == Qt.ItemDataRole.DisplayRole:
            return self.words(index)
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain(self.problem(index) or self.link_words(index)) or None
        if role == Qt.ItemDataRole.AccessibleTextRole:
            head = self.headerData(index.column(), Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole)
            return f"{self._line_words(index)}, {head}: {self.words(index)} {self.problem(index)}".strip()
        return None

    def _line_words(self, index: QModelIndex) -> str:
        line, group = self.line_at(index), self.group_at(index)
        if line is None or group is None or self.evaluation is None:
            return ""
        title = group_title(self.evaluation, group)
        return f"{title}, {trial_name(self.evaluation, line)}" if line.kind == "trial" else title

    def _typed(self, index: QModelIndex) -> str:
        line, column = self.line_at(index), self.column_at(index.column())
        if line is None or column is None or self.evaluation is None:
            return ""
        row = self.evaluation.groups[line.group].rows[0] if line.kind == "level" else line.row
        return self.evaluation.rows[row].cells.get(column.name, "")

    def words(self, index: QModelIndex) -> str:
        """What stands in a cell, in one line."""
        line, group, evaluation = self.line_at(index), self.group_at(index), self.evaluation
        if line is None or group is None or evaluation is None:
            return ""
        name, column = self.layout[index.column()], self.column_at(index.column())
        if line.kind == "advice":
            return group.advice if name == NAME else ""
        if line.kind == "trial":
            if name == NAME:
                return trial_name(evaluation, line)
            if name == SPREAD:
                stands_out = _("stands out") if line.row in group.odd else ""
                return status_words(evaluation.rows[line.row]) or stands_out
            return cell_words(evaluation, line.row, column) if column is not None else ""
        if name == KEPT:
            return _("{n} of {all}").format(n=len(group.kept), all=group.made)
        if name == SPREAD:
            return group.verdict
        if column is None:
            return group_title(evaluation, group) if name == NAME and not group.name else ""
        if column.role == "level":
            return self._typed(index)
        text, spread = mean_words(evaluation, group, column)
        return f"{text} ± {spread}" if spread else text

    def problem(self, index: QModelIndex) -> str:
        """Why a cell cannot be used; empty where it can."""
        line, column = self.line_at(index), self.column_at(index.column())
        if line is None or column is None or self.evaluation is None:
            return ""
        row = self.evaluation.groups[line.group].rows[0] if line.kind == "level" else line.row
        return problem_of(self.evaluation, row, column) if line.kind != "advice" else ""

    def link_words(self, index: QModelIndex) -> str:
        """Where a cell has its value from; empty where it was typed."""
        trial, column = self.trial_at(index), self.column_at(index.column())
        link = trial.links.get(column.name) if trial is not None and column is not None else None
        take = self._desk.notebook.take(link.source) if link is not None else None
        if link is None or take is None or self.problem(index):
            return ""
        return _("{part} of a segment in “{take}”; it follows when the readings change").format(
            part=link.part, take=take.name
        )

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        usual = super().flags(index)
        return usual | Qt.ItemFlag.ItemIsEditable if self.is_typed(index) else usual

    def setData(self, index: QModelIndex, value: Any, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.EditRole or not self.is_typed(index):
            return False
        column, group, trial = self.column_at(index.column()), self.group_at(index), self.trial_at(index)
        assert column is not None
        assert group is not None
        assert self.evaluation is not None
        text = " ".join(str(value).split())
        rows = [trial.id] if trial is not None else [self.evaluation.rows[r].id for r in group.rows]
        if trial is None:
            self._keep_open(group, column.name, text)
        notebook = edits.set_cells(self._desk.notebook, {(row, column.name): text for row in rows})
        self._desk.edit(_("type into the table"), notebook)
        return True

    def _keep_open(self, group: Group, column: str, text: str) -> None:
        """A level that gets another name stays open or closed as it was."""
        assert self.evaluation is not None
        levels = [n for n in self.evaluation.recipe.level if n in self.evaluation.trials.columns]
        name = tuple(text if n == column else old for n, old in zip(levels, group.name, strict=True))
        for marked in (self.opened, self.closed):
            if group.name in marked:
                marked.add(name)
