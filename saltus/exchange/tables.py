"""Tables as CSV and XLSX: header ``name [unit]``, uncertainties in ``u(name) [unit]``."""

from __future__ import annotations

import csv
import io
import math
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.units import Unit, UnitError, parse_unit
from saltus.core.wording import _, one_line
from saltus.exchange.heading import heading
from saltus.files.reading import TooLargeError, read_plain
from saltus.files.writing import write_whole

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from numpy.typing import NDArray

LARGEST_TABLE = 40 * 1024 * 1024
MOST_COLUMNS = 500
MOST_ROWS, MOST_CELLS = 1_000_000, 3_000_000
SMALLEST, LARGEST = 1e-50, 1e15
"""Nothing is measured beyond these, in any unit; squares and their ratios stay numbers."""
SHOWN = 40
"""Characters of a name or a cell that a message shows."""
_LEADERS = ("=", "+", "-", "@", "\t", "\r")
Cell = str | float | int | None


class TableError(ValueError):
    """A table that cannot be used: which, where, and what to do."""


@dataclass(frozen=True)
class Column:
    """One column as read: its unit as written and its cells as text."""

    unit: str
    cells: tuple[str, ...]


@dataclass(frozen=True)
class Table:
    """A table as read from a file.

    Attributes
    ----------
    name : str
        For messages.
    columns : dict of str to Column
    rows : int
    """

    name: str
    columns: dict[str, Column]
    rows: int

    def text(self, name: str) -> tuple[str, ...]:
        """Cells of a column as text; empty cells where there is no such column."""
        found = self.columns.get(name)
        return found.cells if found else ("",) * self.rows

    def unit_of(self, name: str) -> tuple[float, Unit]:
        """Factor to SI and SI unit of a column.

        Raises
        ------
        TableError
            If the column is missing or its unit is not known.
        """
        found = self.columns.get(name)
        if found is None:
            raise TableError(
                _("{table} has no column “{name}”: it has {all}.").format(
                    table=self.name, name=one_line(name, SHOWN), all=named(self.columns)
                )
            )
        try:
            return parse_unit(found.unit)
        except UnitError as error:
            raise TableError(f"{self.name}, “{one_line(name, SHOWN)}”: {error}") from error

    def numbers(self, name: str, wanted: Unit) -> NDArray[np.float64]:
        """Cells of a column in SI, (rows,), NaN for empty cells.

        Raises
        ------
        TableError
            If the column is missing, a cell is no number, or its unit has the wrong dimension.
        """
        factor, unit = self.unit_of(name)
        found = self.columns[name]
        if not unit.goes_with(wanted):
            raise TableError(
                _("In {table} the column “{name}” is in {unit}, but {wanted} is needed.").format(
                    table=self.name,
                    name=one_line(name, SHOWN),
                    unit=one_line(found.unit, SHOWN) or "1",
                    wanted=wanted.ascii,
                )
            )
        return np.array([self._number(name, row, cell) for row, cell in enumerate(found.cells)]) * factor

    def optional(self, name: str, wanted: Unit) -> NDArray[np.float64]:
        """As :meth:`numbers`, all NaN where there is no such column."""
        return self.numbers(name, wanted) if name in self.columns else np.full(self.rows, math.nan)

    def _number(self, name: str, row: int, cell: str) -> float:
        if not cell.strip():
            return math.nan
        try:
            value = float(cell.replace("\u2212", "-"))
        except ValueError:
            value = math.nan
        if not math.isfinite(value):
            raise TableError(
                _("{table}, line {line}, “{name}”: “{cell}” is not a number.").format(
                    table=self.name,
                    line=row + 2,
                    name=one_line(name, SHOWN),
                    cell=one_line(" ".join(cell.split()), SHOWN),
                )
            )
        if value and not SMALLEST <= abs(value) <= LARGEST:
            words = _(
                "{table}, line {line}, “{name}”: “{cell}” is too large or too small to be a measurement."
            )
            shown = one_line(" ".join(cell.split()), SHOWN)
            raise TableError(
                words.format(table=self.name, line=row + 2, name=one_line(name, SHOWN), cell=shown)
            )
        return value


def read_table(path: Path) -> Table:
    """Read a CSV table; ``;`` and tab as separators and a decimal comma are understood.

    Parameters
    ----------
    path : Path

    Raises
    ------
    TableError
        If it cannot be read or holds no table.
    """
    try:
        raw = read_plain(path, LARGEST_TABLE)
    except TooLargeError as error:
        raise TableError(_("{name} is too large to be a table.").format(name=path.name)) from error
    except OSError as error:
        raise TableError(
            _("{name} cannot be opened: {why}.").format(name=path.name, why=error.strerror or error)
        ) from error
    return parse_table(_decoded(raw), path.name)


def named(columns: Iterable[str]) -> str:
    """Name the first columns of a table, for a message."""
    return ", ".join(one_line(c, SHOWN) for c in list(columns)[:20])


def _decoded(raw: bytes) -> str:
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        return raw.decode("utf-16", errors="replace")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        return raw.decode("cp1252", errors="replace")


def parse_table(text: str, name: str) -> Table:
    """Read a table from text, see :func:`read_table`."""
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    head = text.split("\n", 1)[0]
    separator = max(",;\t", key=head.count)
    if text.count("\n") > MOST_ROWS or text.count(separator) + text.count("\n") > MOST_CELLS:
        raise TableError(_("{name} has too many rows or columns.").format(name=name))
    lines = csv.reader(io.StringIO(text), delimiter=separator)
    try:
        rows = [row for row in lines if any(c.strip() for c in row)]
    except csv.Error as error:
        words = _("{name} is not a table: line {line} cannot be taken apart into cells.")
        raise TableError(words.format(name=name, line=lines.line_num)) from error
    return table_of(rows, name, point=separator != ",")


def table_of(rows: Sequence[Sequence[str]], name: str, *, point: bool = False) -> Table:
    """Make a table of rows of text, the first of which names the columns.

    Parameters
    ----------
    rows : sequence of sequences of str
    name : str
        For messages.
    point : bool
        Whether a comma in a number is a decimal one.

    Raises
    ------
    TableError
        If there are no columns, too many of them, or two of one name.
    """
    if not rows or not any(c.strip() for c in rows[0]):
        raise TableError(_("{name} holds no table: its first line names the columns.").format(name=name))
    if len(rows[0]) > MOST_COLUMNS:
        raise TableError(_("{name} has too many rows or columns.").format(name=name))
    columns: dict[str, Column] = {}
    for i, head in enumerate(rows[0]):
        title, unit = heading(head)
        title = " ".join(title.split())
        cells = (row[i] if i < len(row) else "" for row in rows[1:])
        if point:
            cells = (_point(cell) for cell in cells)
        if title in columns:
            raise TableError(
                _("{name} has two columns “{column}”.").format(name=name, column=one_line(title, SHOWN))
            )
        columns[title] = Column(unit, tuple(cells))
    return Table(name, columns, len(rows) - 1)


def _point(cell: str) -> str:
    return cell.replace(",", ".") if re.fullmatch(r"\s*[-+\u2212]?\d*,\d+([eE][-+]?\d+)?\s*", cell) else cell


def number_text(value: float | None) -> str:
    """Write a number so that it reads back the same to 12 digits; empty for none."""
    return "" if value is None or not math.isfinite(value) else f"{value:.12g}"


def _safe(cell: Cell) -> Cell:
    """Neutralise text that a spreadsheet would run as a formula."""
    return "'" + cell if isinstance(cell, str) and cell.startswith(_LEADERS) else cell


def csv_text(header: Sequence[str], rows: Sequence[Sequence[Cell]]) -> str:
    """Write a table as CSV text."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow(
            [number_text(c) if isinstance(c, float) else "" if c is None else _safe(c) for c in row]
        )
    return out.getvalue()


def write_table(path: Path, header: Sequence[str], rows: Sequence[Sequence[Cell]]) -> None:
    """Write a table as CSV or, by the ending, as XLSX with real numbers in the cells.

    Parameters
    ----------
    path : Path
    header : sequence of str
    rows : sequence of sequences
        Text, numbers, or None for an empty cell.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    if path.suffix.lower() != ".xlsx":
        write_whole(path, csv_text(header, rows))
        return
    from openpyxl import Workbook  # noqa: PLC0415  0.3 s, only for spreadsheets

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(list(header))
    for row in rows:
        sheet.append([None if isinstance(c, float) and not math.isfinite(c) else _safe(c) for c in row])
    sheet.freeze_panes = "A2"
    data = io.BytesIO()
    book.save(data)
    write_whole(path, data.getvalue())
