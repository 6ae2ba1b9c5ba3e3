"""Reading a spreadsheet that somebody else made: its first sheet as a table, within bounds."""

from __future__ import annotations

import io
import zipfile
from typing import TYPE_CHECKING, Any

from saltus.core.wording import _
from saltus.exchange.tables import MOST_CELLS, MOST_COLUMNS, Table, TableError, read_table, table_of
from saltus.files.reading import BLOCK, TooLargeError, read_plain

if TYPE_CHECKING:
    from pathlib import Path

LARGEST_FILE, LARGEST_INSIDE = 40 * 1024 * 1024, 120 * 1024 * 1024
LARGEST_STRINGS = 24 * 1024 * 1024
MOST_ROWS = 100_000


def read_any_table(path: Path) -> Table:
    """Read a CSV table or, by its ending, the first sheet of an XLSX file.

    Parameters
    ----------
    path : Path

    Raises
    ------
    TableError
        If it cannot be read or holds no table.
    """
    if path.suffix.lower() != ".xlsx":
        return read_table(path)
    rows = _rows(path)
    while rows and not any(rows[-1]):
        rows.pop()
    if not rows:
        raise TableError(_("{name} holds no table: its first line names the columns.").format(name=path.name))
    wide = max(i + 1 for row in rows for i, cell in enumerate(row) if cell)
    return table_of([row[:wide] for row in rows if any(row)], path.name)


def _rows(path: Path) -> list[list[str]]:
    try:
        data = read_plain(path, LARGEST_FILE)
        _require_bounded(data, path.name)
        return _sheet(data, path.name)
    except TooLargeError as error:
        raise TableError(_("{name} is too large to be a table.").format(name=path.name)) from error
    except OSError as error:
        raise TableError(
            _("{name} cannot be opened: {why}.").format(name=path.name, why=error.strerror or error)
        ) from error
    except TableError:
        raise
    except Exception as error:
        raise TableError(_("{name} is no spreadsheet that can be read.").format(name=path.name)) from error


def _require_bounded(data: bytes, name: str) -> None:
    """Count what a spreadsheet holds before anything is built of it."""
    with zipfile.ZipFile(io.BytesIO(data)) as inside:
        if sum(info.file_size for info in inside.infolist()) > LARGEST_INSIDE:
            raise TableError(_("{name} is too large to be a table.").format(name=name))
        for info in inside.infolist():
            if info.filename.endswith("sharedStrings.xml") and info.file_size > LARGEST_STRINGS:
                raise TableError(_("{name} is too large to be a table.").format(name=name))
            if not info.filename.endswith(".xml"):
                continue
            cells = 0
            with inside.open(info) as file:
                while block := file.read(BLOCK):
                    cells += block.count(b"<c ") + block.count(b"<c>") + block.count(b"<si")
                    if cells > MOST_CELLS:
                        raise TableError(_("{name} has too many rows or columns.").format(name=name))


def _sheet(data: bytes, name: str) -> list[list[str]]:
    from openpyxl import load_workbook  # noqa: PLC0415  0.3 s, only for spreadsheets

    book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    try:
        sheet = book.worksheets[0]
        found: list[list[str]] = []
        for row in sheet.iter_rows(max_row=MOST_ROWS + 1, max_col=MOST_COLUMNS, values_only=True):
            if len(found) > MOST_ROWS:
                raise TableError(_("{name} has too many rows or columns.").format(name=name))
            found.append([_text(cell) for cell in row])
        return found
    finally:
        book.close()


def _text(cell: Any) -> str:
    if cell is None or isinstance(cell, bool):
        return "" if cell is None else str(cell)
    if isinstance(cell, int | float):
        return f"{cell:.12g}"
    return " ".join(str(cell).split())
