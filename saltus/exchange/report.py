"""A sheet as a report: its blocks in the order they are read, nothing laid out yet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from saltus.core.notation.boxes import Row, Word
from saltus.core.notation.line import as_text
from saltus.core.wording import _
from saltus.exchange.sheet_data import Grid

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from saltus.core.notation.boxes import Box
    from saltus.exchange.sheet_data import Sheet
    from saltus.investigations.view.substitution import Worked


LETTERS_A_ROW = 62
"""Formulas of so many letters stand beside each other."""


@dataclass(frozen=True)
class Heading:
    """A heading; what follows it stays with it."""

    text: str


@dataclass(frozen=True)
class Paragraph:
    """Words; ``quiet`` ones are smaller and grey."""

    text: str
    quiet: bool = False


@dataclass(frozen=True)
class Answer:
    """The result in large letters, and what it is."""

    equation: Box
    words: str


@dataclass(frozen=True)
class Equation:
    """A set formula on a line of its own, and what it is about."""

    words: str
    box: Box


@dataclass(frozen=True)
class EquationRow:
    """Short formulas beside each other."""

    boxes: tuple[Box, ...]


@dataclass(frozen=True)
class Table:
    """A table with its caption; without one where a heading names it."""

    grid: Grid
    caption: str = ""


@dataclass(frozen=True)
class Figure:
    """Something drawn, by its name among the figures of the sheet, with its caption."""

    name: Literal["picture", "graph", "range"]
    caption: str = ""


@dataclass(frozen=True)
class Pair:
    """Two lists of blocks side by side, where there is room."""

    left: tuple[Block, ...]
    right: tuple[Block, ...]


Block = Heading | Paragraph | Answer | Equation | EquationRow | Table | Figure | Pair


@dataclass(frozen=True)
class Report:
    """A sheet as its blocks."""

    title: str
    byline: str
    blocks: tuple[Block, ...]


def report_of(sheet: Sheet, figures: set[str]) -> Report:
    """Put a sheet in order.

    Parameters
    ----------
    sheet : Sheet
    figures : set of str
        The figures that can be drawn.
    """
    count = _Counter()
    blocks: list[Block] = [*_answer(sheet, figures)]
    blocks += _method(sheet)
    if "picture" in figures:
        blocks.append(Figure("picture", count.figure(sheet.picture_words)))
    if "graph" in figures:
        blocks.append(Figure("graph", count.figure(sheet.chart_words)))
    blocks += _numbers(sheet, count)
    beside = {side: _sections(sheet, side) for side in ("left", "right")}
    if all(beside.values()):
        blocks.append(Pair(tuple(beside["left"]), tuple(beside["right"])))
    else:
        blocks += [*beside["left"], *beside["right"]]
    blocks += _sections(sheet, "")
    if sheet.remarks.strip():
        blocks.append(Heading(_("Remarks")))
        blocks += [Paragraph(part) for part in sheet.remarks.splitlines() if part.strip()]
    return Report(sheet.title, sheet.byline, tuple(blocks))


def in_rows(blocks: Iterable[Block]) -> Iterator[Block]:
    """The blocks with formulas that need no words beside each other, as many as fit on a line."""
    row: list[Box] = []
    for block in blocks:
        if isinstance(block, Equation) and not block.words:
            if row and sum(len(as_text(box)) for box in (*row, block.box)) > LETTERS_A_ROW:
                yield EquationRow(tuple(row))
                row = []
            row.append(block.box)
            continue
        if row:
            yield EquationRow(tuple(row))
            row = []
        yield block
    if row:
        yield EquationRow(tuple(row))


class _Counter:
    """Numbers figures and tables as they come."""

    def __init__(self) -> None:
        self._figures = self._tables = 0

    def figure(self, words: str) -> str:
        self._figures += 1
        return _("Figure {n}. {words}").format(n=self._figures, words=words).strip()

    def table(self, words: str) -> str:
        self._tables += 1
        return _("Table {n}. {words}").format(n=self._tables, words=words).strip()


def _answer(sheet: Sheet, figures: set[str]) -> list[Block]:
    if sheet.result is None:
        missing = sheet.missing or _("No result yet: choose a segment in Motion.")
        return [Heading(_("Result")), Paragraph(missing)]
    r = sheet.result
    symbol = r.box if r.box is not None else Word(r.symbol, italic=True)
    blocks: list[Block] = [
        Heading(_("Result")),
        Answer(Row((symbol, Word(f" = {r.text}"))), _sentence(r.words)),
    ]
    if "range" in figures:
        blocks.append(Figure("range"))
    return blocks


def _method(sheet: Sheet) -> list[Block]:
    if not sheet.method and not sheet.equations:
        return []
    blocks: list[Block] = [Heading(_("Method")), *(Paragraph(words) for words in sheet.method)]
    return [*blocks, *(Equation(e.words, e.equation) for e in sheet.equations)]


def _numbers(sheet: Sheet, count: _Counter) -> list[Block]:
    """Tables of what was measured, given and fitted, and what limits the result."""
    blocks: list[Block] = []
    if sheet.readings is not None and sheet.readings.rows:
        words = sheet.readings_words or _("What was measured.")
        blocks.append(Table(sheet.readings, count.table(words)))
    of_take = sheet.take_id is not None
    left: list[Block] = [
        *_block(_("Parameters, 95 %") if of_take else _("The line"), sheet.parameters),
        *_block(_("The take") if of_take else _("Given"), sheet.facts),
    ]
    right = _block(_("What limits the result"), sheet.budget, sheet.limits)
    if left and right:
        blocks.append(Pair(tuple(left), tuple(right)))
    else:
        blocks += [*left, *right]
    return blocks


def _block(title: str, grid: Grid | None, words: str = "") -> list[Block]:
    if grid is None or not grid.rows:
        return []
    tail: list[Block] = [Paragraph(_sentence(words), quiet=True)] if words else []
    return [Heading(title), Table(grid), *tail]


def _sections(sheet: Sheet, side: str) -> list[Block]:
    """The sections that stand at one side, or over the whole width."""
    blocks: list[Block] = []
    for section in sheet.sections:
        if section.side == side:
            blocks += [Heading(section.heading), *(_line(line) for line in section.lines)]
    return blocks


def _line(line: str | Worked | Grid) -> Block:
    if isinstance(line, str):
        return Paragraph(line)
    return Table(line) if isinstance(line, Grid) else Equation(line.words, line.equation)


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:]
