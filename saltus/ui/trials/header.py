"""The head of the table of trials: what a column is, its formula, its unit, and the scale of the strips."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QHelpEvent, QPainter, QPen
from PyQt6.QtWidgets import QHeaderView, QToolTip

from saltus.core.notation.boxes import Row, Word
from saltus.core.notation.line import Run, runs
from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.investigations.view.naming import equation, title_of
from saltus.investigations.view.table_view import factor_of
from saltus.printing.fonts import sans
from saltus.printing.runs_painter import draw_runs, runs_width
from saltus.ui.kit.formula_label import formula_tip
from saltus.ui.kit.scaling import scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.trials.lines import KEPT, NAME, SPREAD

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PyQt6.QtCore import QRect

    from saltus.core.notation.boxes import Box
    from saltus.investigations.view.table_view import TableColumn
    from saltus.ui.trials.model import TrialsModel

HIGH, AIR, FORMULA_WIDE = 52, 20, 150
SMALLEST = 0.8
"""Words that do not fit are set smaller down to this part of their size, and then left to the tip."""


class TrialsHeader(QHeaderView):
    """Two rows of words: above, where a column comes from; below, its name and unit."""

    def __init__(self, model: TrialsModel) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._model = model
        self.setSectionsClickable(True)
        self.setHighlightSections(False)

    def update_all(self) -> None:
        """Draw the whole head anew: its scale follows the data."""
        view = self.viewport()
        if view is not None:
            view.update()

    def sizeHint(self) -> QSize:
        return QSize(100, scaled(HIGH))

    def viewportEvent(self, event: QEvent | None) -> bool:
        """Tips of the head: what a column is called, and its formula as it is set."""
        if event is not None and event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            words = self.tip(self.logicalIndexAt(event.pos()))
            if words:
                QToolTip.showText(event.globalPos(), words, self)
                return True
        return super().viewportEvent(event)

    def widths(self, logical: int) -> tuple[int, int]:
        """How wide a column is with its name and formula, and with its symbol and unit alone, px at 100 %."""
        column = self._model.column_at(logical)
        if column is None:
            return 0, 0
        full, least = (runs_width(runs(heading_box(column, room)), 13.5, 600) for room in (math.inf, 0.0))
        formula = min(runs_width(self._above(column), 12.5), FORMULA_WIDE) if column.formula else 0.0
        return math.ceil(max(full, formula)) + AIR, math.ceil(max(least, formula * SMALLEST)) + AIR

    def tip(self, logical: int) -> str:
        """Rich text of the tip of a column; empty where there is nothing more to say."""
        column, evaluation = self._model.column_at(logical), self._model.evaluation
        if column is None or evaluation is None:
            return ""
        words = title_of(evaluation, column.name) + (f" / {column.unit}" if column.unit else "")
        formula = equation(evaluation, column.name, column.formula) if column.formula else column.symbol
        return (
            formula_tip(words, formula) if column.formula or column.has_symbol else formula_tip(words, None)
        )

    def paintSection(self, painter: QPainter | None, rect: QRect, logical: int) -> None:
        if painter is None or not rect.isValid() or logical >= len(self._model.layout):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(rect.left(), rect.top())
        factor = text_factor()
        painter.scale(factor, factor)
        box = QRectF(0, 0, rect.width() / factor, rect.height() / factor)
        painter.fillRect(box, theme.colour("card"))
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.drawLine(QPointF(0, box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))
        name, column = self._model.layout[logical], self._model.column_at(logical)
        above, below, right = _word(""), _word(""), True
        if name == SPREAD:
            self._scale(painter, box)
        elif name == NAME:
            below, right = _word(_("Trial")), False
        elif name == KEPT:
            below = _word(_("Kept"))
        elif column is not None:
            right = column.role != "text"
            above, below = self._above(column), runs(heading_box(column, box.width() - 16))
        self._two(
            painter, box, above, below, right=right, formula=column is not None and bool(column.formula)
        )
        painter.restore()

    def _above(self, column: TableColumn) -> tuple[Run, ...]:
        """Where a column comes from: what is done with it, or the formula it follows from."""
        evaluation = self._model.evaluation
        if not column.formula or evaluation is None:
            return _word({"level": _("varied"), "typed": _("mean")}.get(column.role, ""))
        return runs(equation(evaluation, column.name, column.formula))

    def _two(
        self, painter: QPainter, box: QRectF, above: Sequence[Run], below: Sequence[Run], *, right: bool,
        formula: bool,
    ) -> None:  # fmt: skip
        inner = box.adjusted(8, 0, -8, 0)
        for words, full, weight, token, base in (
            (above, 12.5, 400, "accent" if formula else "ink2", 20.0),
            (below, 13.5, 600, "ink", 41.0),
        ):
            painter.setPen(theme.colour(token))
            fits = min(1.0, inner.width() / max(runs_width(words, full, weight), 1.0))
            shown = words if fits >= SMALLEST else _word("…")
            size = full * (fits if fits >= SMALLEST else 1.0)
            left = inner.right() - runs_width(shown, size, weight) if right else inner.left()
            draw_runs(painter, QPointF(left, base), shown, size, weight)

    def _scale(self, painter: QPainter, box: QRectF) -> None:
        """How far the strips reach to either side, in the unit of their column."""
        model = self._model
        column = next((c for c in model.columns if c.name == model.strip_name), None)
        evaluation = model.evaluation
        q = evaluation.columns.get(model.strip_name) if evaluation is not None else None
        painter.setFont(sans(12.5))
        painter.setPen(theme.colour("ink2"))
        if column is None or q is None:
            painter.drawText(QPointF(8, 39), _("What happened"))
            return
        metrics, heading = QFontMetricsF(painter.font()), column.heading
        words = _("Each trial, {title} from the level’s mean").format(title=heading)
        if metrics.horizontalAdvance(words) > box.width() - 14:
            words = _("{title}, from the level’s mean").format(title=heading)
        shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, box.width() - 14)
        painter.drawText(QPointF(8, 20), shown)
        reach = model.reach(model.strip_name) / factor_of(column, q.unit)
        marks = ticks(-reach, reach, 4)
        step = marks[1] - marks[0] if len(marks) > 1 else reach
        centre, half = box.center().x(), (box.width() - 16) / 2 - 8
        painter.setFont(sans(12))
        for value in marks:
            text = ("+" if value > 0 else "") + tick_text(value, step)
            wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
            x = centre + value / reach * half
            if wide / 2 + 2 < x < box.width() - wide / 2 - 2:
                painter.drawText(QPointF(x - wide / 2, 42), text)


def _word(text: str) -> tuple[Run, ...]:
    return (Run(text),) if text else ()


def heading_box(column: TableColumn, wide: float) -> Box:
    """Name, symbol and unit of a column; without its name, then without its unit, where there is no room."""
    unit = Word(f" / {column.unit}" if column.unit else "")
    if not column.has_symbol:
        return Word(column.heading)
    full = Row((Word(f"{column.title} "), column.symbol, unit))
    return full if runs_width(runs(full), 13.5, 600) <= wide else Row((column.symbol, unit))
