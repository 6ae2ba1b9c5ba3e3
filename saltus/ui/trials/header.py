"""The head of the table of trials: what a column is, its formula, its unit, and the scale of the strips."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QHeaderView

from saltus.core.wording import _
from saltus.exchange.chart import tick_text, ticks
from saltus.investigations.view.table_view import factor_of
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.trials.lines import KEPT, NAME, SPREAD

if TYPE_CHECKING:
    from PyQt6.QtCore import QRect

    from saltus.ui.trials.model import TrialsModel

HIGH = 52


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
        above, below, right = "", "", True
        if name == SPREAD:
            self._scale(painter, box)
        elif name == NAME:
            below, right = _("Trial"), False
        elif name == KEPT:
            below = _("Kept")
        elif column is not None:
            right = column.role != "text"
            above = {"level": _("varied"), "typed": _("mean"), "text": ""}.get(column.role, column.formula)
            below = column.heading
        self._two(
            painter, box, above, below, right=right, formula=column is not None and bool(column.formula)
        )
        painter.restore()

    def _two(
        self, painter: QPainter, box: QRectF, above: str, below: str, *, right: bool, formula: bool
    ) -> None:
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        flags = int(side | Qt.AlignmentFlag.AlignVCenter)
        inner = box.adjusted(8, 0, -8, 0)
        for text, size, weight, token, top in (
            (above, 12.5, 400, "accent" if formula else "ink2", 7.0),
            (below, 13.5, 600, "ink", 27.0),
        ):
            painter.setFont(sans(size, weight))
            painter.setPen(theme.colour(token))
            metrics = QFontMetricsF(painter.font())
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(QRectF(inner.left(), top, inner.width(), 19), flags, shown)

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
        words = _("Each trial, {title} from the level’s mean").format(title=column.heading)
        metrics = QFontMetricsF(painter.font())
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
