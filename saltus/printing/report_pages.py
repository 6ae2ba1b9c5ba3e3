"""A report on pages: no heading left alone, no figure or table torn, one page where one is enough."""

from __future__ import annotations

from dataclasses import dataclass, replace
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QPainter, QPen

from saltus.core.wording import _
from saltus.exchange.report import (
    Answer,
    Equation,
    EquationRow,
    Figure,
    Heading,
    Pair,
    Paragraph,
    Table,
    in_rows,
)
from saltus.printing.fonts import serif
from saltus.printing.report_parts import (
    LARGE,
    QUIET,
    RULE,
    SMALL,
    Part,
    TableLayout,
    beside_part,
    figure_part,
    formula_part,
    formula_width,
    heading_part,
    strong,
    words_part,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

    from saltus.exchange.report import Block, Report
    from saltus.printing.figures import Drawn

PAGE = QSizeF(794, 1123)
"""A4 at 96 dots per inch."""
MARGIN, FOOT = 68, 62
WIDTH = PAGE.width() - 2 * MARGIN
HIGH = PAGE.height() - MARGIN - FOOT
GUTTER = 34.0
TIGHTER = (
    (1.0, 1.0),
    (0.86, 1.0),
    (0.74, 1.0),
    (0.64, 1.0),
    (0.8, 0.93),
    (0.64, 0.93),
    (0.72, 0.87),
    (0.6, 0.87),
)
"""Heights of the graph and sizes of everything, tried in turn while that saves a page."""
LARGE_GAP = 0.2
"""A page is not left with so large a part empty, where a lower graph mends it."""
WHOLE_TABLE = 0.5
"""A table of up to this part of a page is never torn."""


@dataclass(frozen=True)
class _Placed:
    part: Part
    x: float
    y: float


class Pages:
    """The pages of a report, to be drawn on anything Qt can paint on."""

    def __init__(self, pages: list[list[_Placed]], scale: float = 1.0) -> None:
        self._pages, self._scale = pages, scale

    def count(self) -> int:
        """How many there are."""
        return len(self._pages)

    def gap(self) -> float:
        """The largest part of a page but the last that is left empty at its foot."""
        high = HIGH / self._scale
        return max((1 - (page[-1].y + page[-1].part.high) / high for page in self._pages[:-1]), default=0.0)

    def draw(self, painter: QPainter, page: int) -> None:
        """Draw one page at the painter's origin, 794 × 1123 px, with its number at the foot."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(MARGIN, MARGIN)
        painter.scale(self._scale, self._scale)
        for placed in self._pages[page]:
            painter.save()
            placed.part.paint(painter, placed.x, placed.y)
            painter.restore()
        painter.restore()
        painter.setFont(serif(12))
        painter.setPen(Qt.GlobalColor.darkGray)
        foot = QRectF(0, PAGE.height() - 44, PAGE.width(), 20)
        words = _("{page} of {pages}").format(page=page + 1, pages=self.count())
        painter.drawText(foot, Qt.AlignmentFlag.AlignCenter, words)


def pages_of(report: Report, figures: Mapping[str, Drawn]) -> Pages:
    """Lay a report out on A4 pages; the graph is drawn lower where that saves a page."""
    made: list[Pages] = []
    laid: dict[float, list[Part]] = {}
    for lower, scale in TIGHTER:
        if scale not in laid:
            laid[scale] = list(_parts(report, _as_wide(figures, scale), WIDTH / scale))
        parts = [_lowered(part, lower) for part in laid[scale]]
        made.append(Pages(_paginated(_units(parts), HIGH / scale), scale))
        if made[-1].count() == 1:
            break
    # the first of those with fewest pages that leaves no large gap at the foot of one
    return min(made, key=lambda pages: (pages.count(), pages.gap() > LARGE_GAP))


def _as_wide(figures: Mapping[str, Drawn], scale: float) -> dict[str, Drawn]:
    """The figures as wide as a page on which everything is so much smaller."""
    return {n: replace(f, size=QSizeF(f.size.width() / scale, f.size.height())) for n, f in figures.items()}


def _lowered(part: Part, factor: float) -> Part:
    """A part that may be drawn lower, so much lower; any other as it is."""
    return part if factor == 1.0 or part.lower is None else part.lower(factor)


def _parts(report: Report, figures: Mapping[str, Drawn], wide: float) -> Iterator[Part]:
    yield words_part(strong(report.title), wide, size=25.0, before=0.0)
    yield words_part(escape(report.byline), wide, colour=QUIET, before=1.0)
    yield _rule(wide)
    for block in in_rows(report.blocks):
        yield from _of_block(block, figures, wide)


def _rule(wide: float) -> Part:
    def paint(painter: QPainter, x: float, y: float) -> None:
        painter.setPen(QPen(RULE, 1.0))
        painter.drawLine(QLineF(x, y, x + wide, y))

    return Part(1.0, paint, before=8.0)


def _of_block(block: Block, figures: Mapping[str, Drawn], wide: float) -> Iterator[Part]:  # noqa: C901  kinds
    match block:
        case Heading(text):
            yield heading_part(text, wide)
        case Paragraph(text, quiet):
            size, colour = (SMALL, QUIET) if quiet else (14.0, None)
            more = {"colour": colour} if colour is not None else {}
            yield words_part(escape(text), wide, size=size, before=4.0, **more)
        case Answer(equation, words):
            yield replace(formula_part(equation, wide, size=LARGE, indent=0.0, weight=600), with_next=True)
            yield words_part(escape(words), wide, size=SMALL, colour=QUIET, before=4.0)
        case Equation(words, box):
            if words:
                yield replace(words_part(f"{escape(words)}:", wide, before=5.0), with_next=True)
            yield formula_part(box, wide)
        case EquationRow(boxes):
            yield beside_part([(formula_part(box, wide), formula_width(box, wide)) for box in boxes])
        case Table():
            yield from _table(block, wide)
        case Figure(name, caption):
            drawn = figures[name]
            made = figure_part(drawn.size, drawn.paint, with_next=bool(caption))
            yield made if name == "graph" else replace(made, lower=None)
            if caption:
                yield words_part(_caption(caption), wide, size=SMALL, colour=QUIET, before=3.0)
        case Pair(left, right):
            yield _beside(left, right, figures, (wide - GUTTER) / 2)


def _caption(text: str) -> str:
    """The number of a figure or table stands out from its words."""
    number, dot, words = text.partition(". ")
    return f"{strong(f'{number}.')} {escape(words)}" if dot else escape(text)


def _table(block: Table, wide: float) -> Iterator[Part]:
    laid = TableLayout(block.grid, wide)
    if block.caption:
        caption = words_part(_caption(block.caption), wide, size=SMALL, colour=QUIET, before=14.0)
        yield replace(caption, with_next=True)
    rows = [laid.row_part(i) for i in range(laid.rows)]
    head = [replace(laid.head_part(), before=4.0)] if laid.has_head else []
    if not head and rows:
        rows[0] = replace(rows[0], before=3.0)
    together = sum(r.high for r in rows) <= WHOLE_TABLE * PAGE.height()
    yield from head
    for i, part in enumerate(rows):
        # short tables are never torn; long ones keep two rows at each end together
        keep = i < len(rows) - 1 and (together or i == 0 or i == len(rows) - 2)
        yield replace(part, with_next=keep or (i == len(rows) - 1 and bool(block.grid.note)))
    if block.grid.note:
        yield words_part(escape(block.grid.note), wide, size=SMALL, colour=QUIET, before=2.0)


def _beside(left: Iterable[Block], right: Iterable[Block], figures: Mapping[str, Drawn], wide: float) -> Part:
    """Two columns as one part that is never torn."""
    sides = [[p for block in side for p in _of_block(block, figures, wide)] for side in (left, right)]
    highs = [sum(p.high + p.before for p in side) - (side[0].before if side else 0) for side in sides]

    def paint(painter: QPainter, x: float, y: float) -> None:
        for i, side in enumerate(sides):
            at = y - (side[0].before if side else 0)
            for part in side:
                at += part.before
                painter.save()
                part.paint(painter, x + i * (wide + GUTTER), at)
                painter.restore()
                at += part.high

    before = max((side[0].before for side in sides if side), default=0.0)
    return Part(max(highs, default=0.0), paint, before=before)


def _units(parts: Iterable[Part]) -> Iterator[list[Part]]:
    """Parts that must stand on one page."""
    unit: list[Part] = []
    for part in parts:
        unit.append(part)
        if not part.with_next:
            yield unit
            unit = []
    if unit:
        yield unit


def _paginated(units: Iterable[list[Part]], high: float) -> list[list[_Placed]]:
    """Places on pages of a height, each measured from the upper margin."""
    pages: list[list[_Placed]] = [[]]
    y = 0.0
    for unit in units:
        if pages[-1] and y + sum(p.before + p.high for p in unit) > high:
            pages.append([])
            y = 0.0
        for part in unit:
            y += part.before if pages[-1] else 0.0
            if pages[-1] and y + part.high > high:
                pages.append([])
                y = 0.0
            pages[-1].append(_Placed(part, 0.0, y))
            y += part.high
    return pages
