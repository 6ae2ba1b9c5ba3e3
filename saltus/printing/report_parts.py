"""Blocks of a report measured and painted: words, tables with their decimals aligned, formulas, figures."""

from __future__ import annotations

import re
from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSizeF
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QTextDocument

from saltus.core.notation.line import as_html, runs
from saltus.printing.fonts import serif
from saltus.printing.formula_painter import lay
from saltus.printing.runs_painter import draw_runs, runs_width

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from saltus.core.notation.boxes import Box
    from saltus.core.notation.line import Run
    from saltus.exchange.sheet_data import Grid

    Paint = Callable[[QPainter, float, float], None]

INK, QUIET, RULE = QColor("#15201F"), QColor("#58655F"), QColor("#8A958F")
BODY, SMALL, CELL, LARGE = 14.0, 12.5, 13.0, 23.0
"""Sizes of letters, px at 96 dots per inch."""
COLUMN_AIR, ROW_HIGH, HEAD_HIGH = 18.0, 19.0, 21.0
_NUMBER = re.compile(r"([^\d]*\d[\d\u2009 ]*)(?:\.(\d+))?(.*)")


@dataclass(frozen=True)
class Part:
    """A measured block: height, space before it, whether it stays with the next, and how it is painted.

    ``lower`` gives the same so much lower, where it may be.
    """

    high: float
    paint: Paint
    before: float = 0.0
    with_next: bool = False
    lower: Callable[[float], Part] | None = None


def words_part(
    html: str, wide: float, *, size: float = BODY, colour: QColor = INK, before: float = 6.0
) -> Part:
    """Lay rich words out in a width."""
    document = QTextDocument()
    document.setDefaultFont(serif(size))
    document.setDocumentMargin(0)
    document.setHtml(f"<p style='line-height:126%;color:{colour.name()};margin:0'>{html}</p>")
    document.setTextWidth(wide)

    def paint(painter: QPainter, x: float, y: float) -> None:
        painter.save()
        painter.translate(x, y)
        document.drawContents(painter)
        painter.restore()

    return Part(document.size().height(), paint, before)


def strong(text: str) -> str:
    """Words in the heavier weight that ships with Saltus."""
    return f"<span style='font-weight:600'>{escape(text)}</span>"


def heading_part(text: str, wide: float) -> Part:
    """Lay a heading out: the same space above it wherever it stands, and close to what it heads."""
    part = words_part(strong(text), wide, size=16.0)
    return Part(part.high, part.paint, before=16.0, with_next=True)


def formula_part(
    box: Box, wide: float, *, size: float = 16.0, indent: float = 22.0, weight: int = 400
) -> Part:
    """Lay a formula out on a line of its own, smaller where it is too wide."""
    laid = lay(box, size, weight)
    factor = min(1.0, (wide - indent) / max(laid.wide, 1.0))

    def paint(painter: QPainter, x: float, y: float) -> None:
        painter.save()
        painter.translate(x + indent, y)
        painter.scale(factor, factor)
        painter.setPen(INK)
        laid.paint(painter, 0.0, laid.up)
        painter.restore()

    return Part((laid.up + laid.down) * factor, paint, before=7.0)


def formula_width(box: Box, wide: float, *, size: float = 16.0, indent: float = 22.0) -> float:
    """How wide a formula is on a line of its own, its indent included."""
    return min(lay(box, size).wide + indent, wide)


def beside_part(parts: Sequence[tuple[Part, float]], gap: float = 34.0) -> Part:
    """Parts side by side, each with its width, centred on one line."""
    high = max(part.high for part, _wide in parts)

    def paint(painter: QPainter, x: float, y: float) -> None:
        for part, wide in parts:
            part.paint(painter, x, y + (high - part.high) / 2)
            x += wide + gap

    return Part(high, paint, before=7.0)


def figure_part(size: QSizeF, paint: Callable[[QPainter, QRectF], None], *, with_next: bool) -> Part:
    """A figure in its box; it may be drawn lower."""

    def lower(factor: float) -> Part:
        return figure_part(QSizeF(size.width(), factor * size.height()), paint, with_next=with_next)

    def act(painter: QPainter, x: float, y: float) -> None:
        paint(painter, QRectF(QPointF(x, y), size))

    return Part(size.height(), act, before=12.0, with_next=with_next, lower=lower)


@dataclass(frozen=True)
class _Cell:
    """A number split at its decimal point, or words: all of them left of it."""

    left: str
    right: str
    number: bool


def split_number(text: str) -> tuple[str, str] | None:
    """Split what stands before and behind the place of the decimal point; None where there is no number."""
    found = _NUMBER.fullmatch(text)
    if found is None or not re.match(r"^[\u2212(~<>± ]*\d", text):
        return None
    right = f".{found[2]}" if found[2] else ""
    return found[1], right + found[3]


class TableLayout:
    """A table laid out in a width: columns as wide as they need, numbers aligned at the decimal point."""

    def __init__(self, grid: Grid, wide: float) -> None:
        self._grid = grid
        self._metrics = QFontMetricsF(serif(CELL))
        self._cells = [[self._cell(text) for text in row] for row in grid.rows]
        columns = max((len(row) for row in grid.rows), default=0)
        for i in range(columns):
            self._words_where_not_all_are_numbers(i)
        self._left = [self._most(i, "left", number=True) for i in range(columns)]
        self._right = [self._most(i, "right", number=True) for i in range(columns)]
        heads = [self._head_wide(i) for i in range(columns)]
        words = [self._most(i, "left", number=False) for i in range(columns)]
        self.widths = [
            max(a + b, head, plain)
            for a, b, head, plain in zip(self._left, self._right, heads, words, strict=True)
        ]
        total = sum(self.widths) + COLUMN_AIR * max(columns - 1, 0)
        self.factor = min(1.0, wide / max(total, 1.0))
        self.wide = total

    def _cell(self, text: str) -> _Cell:
        split = split_number(text)
        return _Cell(*split, number=True) if split is not None else _Cell(text, "", number=False)

    def _words_where_not_all_are_numbers(self, column: int) -> None:
        """Take a column that holds words too as words: its cells begin in one line."""
        there = [row[column] for row in self._cells if column < len(row) and row[column].left]
        if any(not cell.number for cell in there):
            for i, row in enumerate(self._cells):
                if column < len(row):
                    row[column] = _Cell(self._grid.rows[i][column], "", number=False)

    def _name(self, row: int, column: int) -> tuple[Run, ...]:
        """The first cell of a row as it is set; empty where it is plain."""
        return runs(self._grid.names[row]) if column == 0 and row < len(self._grid.names) else ()

    def _most(self, column: int, side: str, *, number: bool) -> float:
        widths = [
            self._metrics.horizontalAdvance(getattr(row[column], side))
            for row in self._cells
            if column < len(row) and row[column].number == number
        ]
        return max(widths, default=0.0)

    def _head(self, column: int) -> Box | str:
        return self._grid.head[column] if column < len(self._grid.head) else ""

    def _head_wide(self, column: int) -> float:
        head = self._head(column)
        if isinstance(head, str):
            return QFontMetricsF(serif(CELL, 600)).horizontalAdvance(head)
        return runs_width(runs(head), CELL, 600, family=serif)

    @property
    def has_head(self) -> bool:
        """Whether its columns are named."""
        return bool(self._grid.head)

    def head_part(self) -> Part:
        """The names of the columns between two rules."""

        def paint(painter: QPainter, x: float, y: float) -> None:
            with _scaled(painter, x, y, self.factor):
                self._rule(painter, 0.5)
                at = 0.0
                for i, wide in enumerate(self.widths):
                    head, numeric = self._head(i), self._left[i] > 0
                    left = at + (wide - self._head_wide(i) if numeric else 0.0)
                    painter.setPen(INK)
                    if isinstance(head, str):
                        painter.setFont(serif(CELL, 600))
                        painter.drawText(QPointF(left, 15.5), head)
                    else:
                        draw_runs(painter, QPointF(left, 15.5), runs(head), CELL, 600, family=serif)
                    at += wide + COLUMN_AIR
                self._rule(painter, HEAD_HIGH)

        return Part((HEAD_HIGH + 2) * self.factor, paint, with_next=True)

    def row_part(self, row: int) -> Part:
        """One row; the last is closed by a rule."""
        last = row == len(self._cells) - 1

        def paint(painter: QPainter, x: float, y: float) -> None:
            with _scaled(painter, x, y, self.factor):
                painter.setFont(serif(CELL))
                painter.setPen(INK)
                at = 0.0
                for i, cell in enumerate(self._cells[row]):
                    name = self._name(row, i)
                    if name:
                        draw_runs(painter, QPointF(at, 14.5), name, CELL, family=serif)
                        painter.setFont(serif(CELL))
                    else:
                        self._paint_cell(painter, cell, i, at)
                    at += self.widths[i] + COLUMN_AIR
                if last and self.has_head:
                    self._rule(painter, ROW_HIGH + 1.5)

        return Part((ROW_HIGH + (3 if last else 0)) * self.factor, paint)

    def _paint_cell(self, painter: QPainter, cell: _Cell, column: int, at: float) -> None:
        if not cell.number:
            beside_numbers = self._left[column] > 0
            own = self._metrics.horizontalAdvance(cell.left)
            painter.drawText(
                QPointF(at + (self.widths[column] - own if beside_numbers else 0), 14.5), cell.left
            )
            return
        # numbers stand together at the right of their column, under a name that ends there
        point = at + self.widths[column] - self._right[column]
        painter.drawText(QPointF(point - self._metrics.horizontalAdvance(cell.left), 14.5), cell.left)
        painter.drawText(QPointF(point, 14.5), cell.right)

    def _rule(self, painter: QPainter, y: float) -> None:
        painter.setPen(QPen(RULE, 0.9))
        painter.drawLine(QLineF(0, y, self.wide, y))

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return len(self._cells)


class _scaled:  # noqa: N801  reads as what it does in a with statement
    """Paint from a place on, smaller by a factor."""

    def __init__(self, painter: QPainter, x: float, y: float, factor: float) -> None:
        self._painter, self._place = painter, (x, y, factor)

    def __enter__(self) -> None:
        x, y, factor = self._place
        self._painter.save()
        self._painter.translate(x, y)
        self._painter.scale(factor, factor)

    def __exit__(self, *_error: object) -> None:
        self._painter.restore()


def first_html(grid: Grid, row: int, plain: str) -> str:
    """The first cell of a row as rich text."""
    return as_html(grid.names[row]) if row < len(grid.names) else escape(plain)


def head_html(head: str | Box) -> str:
    """The name of a column as rich text."""
    return escape(head) if isinstance(head, str) else as_html(head)
