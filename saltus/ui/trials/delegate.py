"""Painting the table of trials: strips of dots, means, tags, cells that need a look."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QLineEdit, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _
from saltus.investigations.view.table_view import cell_verdict, factor_of, group_title, mean_words
from saltus.printing.fonts import sans
from saltus.ui.kit.marks import draw_mark
from saltus.ui.kit.scaling import scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.trials.lines import KEPT, NAME, SPREAD, status_words, with_levels

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from saltus.investigations.judgement.level_statistics import Group
    from saltus.ui.trials.lines import Line
    from saltus.ui.trials.model import TrialsModel

LEVEL_HIGH, TRIAL_HIGH, ADVICE_HIGH = 62, 31, 40
HEIGHTS = {"level": LEVEL_HIGH, "trial": TRIAL_HIGH, "advice": ADVICE_HIGH}
STRIP_WIDE = 250
DOT = 4.0
RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
LEFT = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)


class TrialsDelegate(QStyledItemDelegate):
    """Paints cells in the lengths of usual text, enlarged with it."""

    def __init__(self, model: TrialsModel) -> None:
        super().__init__()
        self._model = model

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        line = self._model.line_at(index)
        return QSize(scaled(90), scaled(HEIGHTS[line.kind] if line is not None else TRIAL_HIGH))

    def createEditor(
        self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> QWidget | None:
        editor = QLineEdit(parent)
        editor.setFrame(False)
        editor.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        editor.setMaxLength(200)
        # the sheet's padding would leave no room for a number in a cell
        editor.setStyleSheet(f"QLineEdit {{ padding: 0 6px; border: 2px solid {theme.tokens['accent']}; }}")
        return editor

    def updateEditorGeometry(
        self, editor: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if editor is not None:
            box = option.rect
            wide = max(box.width(), scaled(120))
            high = min(box.height(), scaled(TRIAL_HIGH))
            editor.setGeometry(box.right() - wide + 1, box.top() + (box.height() - high) // 2, wide, high)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        line, group = self._model.line_at(index), self._model.group_at(index)
        if painter is None or line is None or group is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(option.rect.left(), option.rect.top())
        factor = text_factor()
        painter.scale(factor, factor)
        box = QRectF(0, 0, option.rect.width() / factor, option.rect.height() / factor)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        self._ground(painter, box, line, group, chosen=chosen)
        name = self._model.layout[index.column()]
        if line.kind == "level":
            self._level(painter, box, index, name, group)
        elif line.kind == "trial":
            self._trial(painter, box, index, name, line, group)
        elif name == NAME:
            self._advice(painter, box, group)
        if chosen and bool(option.state & QStyle.StateFlag.State_HasFocus):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.drawRect(box.adjusted(1, 1, -1.5, -1.5))
        painter.restore()

    def _ground(self, painter: QPainter, box: QRectF, line: Line, group: Group, *, chosen: bool) -> None:
        ground = "card" if line.kind == "level" else "panel"
        if line.kind == "advice":
            ground = "warnsoft"
        painter.fillRect(box, theme.colour("accsoft" if chosen and line.kind != "advice" else ground))
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(0, box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))

    # -- a level -------------------------------------------------------------------------------------

    def _level(self, painter: QPainter, box: QRectF, index: QModelIndex, name: str, group: Group) -> None:
        column = self._model.column_at(index.column())
        painter.setPen(theme.colour("ink"))
        if name == NAME:
            self._chevron(painter, box, group)
        elif name == SPREAD:
            self.strip(painter, box.adjusted(8, 8, -8, -8), group)
        elif name == KEPT:
            painter.setFont(sans(13))
            painter.setPen(theme.colour("ink2"))
            painter.drawText(box.adjusted(4, 0, -8, 0), RIGHT, self._model.words(index))
        elif column is not None and column.role == "level":
            painter.setFont(sans(17, 700))
            text = self._model.words(index)
            painter.setPen(theme.colour("ink" if text else "ink3"))
            if self._model.problem(index):
                self._wrong(painter, box)
            if not text:
                painter.setFont(sans(13))
                text = _("type…") if not any(group.name) else "–"
            painter.drawText(box.adjusted(4, 0, -10, 0), RIGHT, text)
        elif column is not None and self._model.evaluation is not None:
            text, spread = mean_words(self._model.evaluation, group, column)
            painter.setFont(sans(14, 600))
            top = box.height() / 2 - (20 if spread else 10)
            painter.drawText(QRectF(4, top, box.width() - 12, 20), RIGHT, text)
            if spread:
                painter.setFont(sans(12.5))
                painter.setPen(theme.colour("ink2"))
                painter.drawText(QRectF(2, box.height() / 2, box.width() - 10, 18), RIGHT, f"± {spread}")

    def _chevron(self, painter: QPainter, box: QRectF, group: Group) -> None:
        evaluation = self._model.evaluation
        if evaluation is None:
            return
        if not with_levels(evaluation) or not group.name:
            painter.setFont(sans(13, 600))
            painter.drawText(box.adjusted(10, 0, -2, 0), LEFT, group_title(evaluation, group))
            return
        down = any(
            line.row >= 0 and line.group == evaluation.groups.index(group) for line in self._model.lines
        )
        x, y = 16.0, box.center().y()
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        ends = [(-4, -2.5), (0, 2.5), (4, -2.5)] if down else [(-2.5, -4), (2.5, 0), (-2.5, 4)]
        places = [QPointF(x + a, y + b) for a, b in ends]
        painter.drawPolyline(QPolygonF(places))
        if group.advice:
            draw_mark(painter, QPointF(38, y), "look", 13)

    def strip(self, painter: QPainter, box: QRectF, group: Group) -> None:
        """Dots of a level about its mean: shaded what is stated for one trial, bar the mean's uncertainty."""
        q = group.columns.get(group.strip)
        found = group.repeats
        painter.fillRect(box, theme.colour("app"))
        if q is None or found is None or found.mean is None or self._model.evaluation is None:
            painter.setPen(theme.colour("ink3"))
            painter.setFont(sans(12.5))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), _("no trial counts yet"))
            return
        reach = self._model.reach(group.strip)
        centre, half = box.center().x(), box.width() / 2 - 8

        def place(value: float) -> float:
            return centre + (value - found.mean) / reach * half  # type: ignore[operator]

        if group.explained:
            wide = min(2 * group.explained / reach * half, half + 8)
            painter.fillRect(
                QRectF(centre - wide, box.top(), 2 * wide, box.height()), theme.colour("accsoft")
            )
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.drawLine(QPointF(centre, box.top()), QPointF(centre, box.bottom()))
        rows = [i for i in group.rows if math.isfinite(float(q.value[i]))]
        for n, i in enumerate(rows):
            y = box.top() + 8 + (box.height() - 22) * ((n * 2) % 5) / 4
            x = place(float(q.value[i]))
            if not box.left() + 6 <= x <= box.right() - 6:
                self._off_scale(painter, box, float(q.value[i]) - found.mean, y, right=x > centre)
                continue
            self._dot(painter, QPointF(x, y), kept=i in group.kept, odd=i in group.odd)
        mean = group.mean(group.strip)
        if mean is not None and math.isfinite(mean.U95) and mean.U95 > 0:
            wide = min(mean.U95 / reach * half, half + 8)
            painter.fillRect(QRectF(centre - wide, box.bottom() - 5, 2 * wide, 2.4), theme.colour("ink"))

    def _dot(self, painter: QPainter, at: QPointF, *, kept: bool, odd: bool) -> None:
        if kept:
            painter.setPen(QPen(theme.colour("warn"), 1.6) if odd else Qt.PenStyle.NoPen)
            painter.setBrush(theme.body(0))
            painter.drawEllipse(at, DOT + odd, DOT + odd)
            return
        painter.setPen(QPen(theme.colour("ink3"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, DOT - 0.5, DOT - 0.5)
        painter.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5))

    def _off_scale(self, painter: QPainter, box: QRectF, off: float, y: float, *, right: bool) -> None:
        """An arrow with the value, for what lies beyond the strip."""
        column = next((c for c in self._model.columns if c.name == self._model.strip_name), None)
        evaluation = self._model.evaluation
        q = evaluation.columns.get(self._model.strip_name) if evaluation is not None else None
        factor = factor_of(column, q.unit) if column is not None and q is not None else 1.0
        text = ("+" if off > 0 else "") + value_and_uncertainty(off / factor, abs(off / factor) / 5)[0]
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
        x, way = (box.right() - 5, -1) if right else (box.left() + 5, 1)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        corners = [QPointF(x, y), QPointF(x + 6 * way, y - 4), QPointF(x + 6 * way, y + 4)]
        painter.drawPolygon(QPolygonF(corners))
        painter.drawText(QPointF(x - 9 - wide if right else x + 10, y + 4), text)

    # -- a trial -------------------------------------------------------------------------------------

    def _trial(
        self, painter: QPainter, box: QRectF, index: QModelIndex, name: str, line: Line, group: Group
    ) -> None:
        evaluation = self._model.evaluation
        if evaluation is None:
            return
        trial, column = evaluation.rows[line.row], self._model.column_at(index.column())
        faint = trial.status != "kept"
        painter.setPen(theme.colour("ink3" if faint else "ink"))
        painter.setFont(sans(13.5))
        text = self._model.words(index)
        if name == NAME:
            painter.setFont(sans(13))
            painter.drawText(box.adjusted(14, 0, -2, 0), LEFT, text)
        elif name == SPREAD:
            self._status(painter, box, text, tag=bool(status_words(trial)))
        elif name == KEPT:
            painter.setFont(sans(12.5))
            words = {"kept": "", "failed": _("no run"), "set-aside": _("kept out")}.get(trial.status, "")
            painter.drawText(box.adjusted(2, 0, -8, 0), RIGHT, words)
        elif column is not None:
            if self._model.problem(index):
                self._wrong(painter, box)
            elif column.name in trial.links:
                self._link_mark(painter, box)
            elif cell_verdict(evaluation, line.row, column)[0] == "agrees":
                pen = painter.pen()
                draw_mark(painter, QPointF(11, box.center().y()), "done", 12)
                painter.setPen(pen)
            if column.role == "level":
                painter.setPen(theme.colour("ink3"))
            side = LEFT if column.role == "text" else RIGHT
            metrics = painter.fontMetrics()
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, int(box.width() - 14))
            painter.drawText(box.adjusted(8, 0, -8, 0), side, shown)

    def _status(self, painter: QPainter, box: QRectF, text: str, *, tag: bool) -> None:
        if not text:
            return
        painter.setFont(sans(12.5, 600))
        metrics = QFontMetricsF(painter.font())
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, box.width() - 32)
        plate = QRectF(8, 5, metrics.horizontalAdvance(shown) + 16, box.height() - 10)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line" if tag else "warnsoft"))
        painter.drawRoundedRect(plate, 10, 10)
        painter.setPen(theme.colour("ink" if tag else "warn"))
        painter.drawText(plate, int(Qt.AlignmentFlag.AlignCenter), shown)

    def _wrong(self, painter: QPainter, box: QRectF) -> None:
        """A cell that cannot be used: a mark and a line under it, not colour alone."""
        pen = painter.pen()
        draw_mark(painter, QPointF(10, box.center().y()), "look", 12)
        painter.setPen(QPen(theme.colour("warn"), 2))
        painter.drawLine(QPointF(20, box.bottom() - 3), QPointF(box.right() - 6, box.bottom() - 3))
        painter.setPen(pen)

    def _link_mark(self, painter: QPainter, box: QRectF) -> None:
        """A cell that has its value from a film: two rings hooked into each other."""
        pen = painter.pen()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("accent"), 1.4))
        y = box.center().y()
        painter.drawEllipse(QPointF(9, y), 3.6, 3.6)
        painter.drawEllipse(QPointF(13.5, y), 3.6, 3.6)
        painter.setPen(pen)

    def _advice(self, painter: QPainter, box: QRectF, group: Group) -> None:
        draw_mark(painter, QPointF(22, box.center().y()), "look", 13)
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(13))
        painter.drawText(box.adjusted(38, 0, -8, 0), LEFT | int(Qt.TextFlag.TextWordWrap), group.advice)


def draw_ghost(view: QWidget, words: str) -> None:
    """Draw where the first line of an empty table will stand."""
    painter = QPainter(view)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    factor = text_factor()
    painter.scale(factor, factor)
    box = QRectF(8, 8, min(view.width() / factor - 16, 560), LEVEL_HIGH - 8)
    painter.setPen(QPen(theme.colour("line2"), 1.2, Qt.PenStyle.DashLine))
    painter.drawRoundedRect(box, 6, 6)
    painter.setPen(theme.colour("ink3"))
    painter.setFont(sans(14))
    painter.drawText(box.adjusted(16, 0, -16, 0), LEFT, words)
