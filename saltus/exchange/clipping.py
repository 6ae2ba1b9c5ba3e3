"""Cells as spreadsheets put them on the clipboard: tabs between columns, a line for each row."""

from __future__ import annotations

import csv
import io
import re
from typing import TYPE_CHECKING

from saltus.core.written import digits

if TYPE_CHECKING:
    from collections.abc import Sequence

MOST_CELL = 200
_ORDINAL = re.compile(r"\d{1,2}(st|nd|rd|th)\b", re.IGNORECASE)


def grid_of(text: str) -> list[list[str]]:
    """Read copied cells.

    Parameters
    ----------
    text : str
        Tab-separated, quoted where a cell holds tabs, quotes or line breaks; one column without tabs.

    Returns
    -------
    list of list of str
        Rows of equal length, each cell in one line and of bounded length; empty where there is nothing.
    """
    whole = io.StringIO(text.replace("\r\n", "\n").replace("\r", "\n"))
    try:
        rows = list(csv.reader(whole, delimiter="\t"))
    except csv.Error:
        return []
    while rows and not any(cell.strip() for cell in rows[-1]):
        rows.pop()
    wide = max((len(row) for row in rows), default=0)
    return [[" ".join(cell.split())[:MOST_CELL] for cell in row] + [""] * (wide - len(row)) for row in rows]


def has_headers(grid: Sequence[Sequence[str]]) -> bool:
    """Whether the first row of copied cells names the columns: words, no numbers, and more rows below."""
    named = [cell.strip() for cell in grid[0] if cell.strip()] if grid else []
    read = any(digits(cell) and not _ORDINAL.match(cell) for cell in named)
    return len(grid) > 1 and len(named) > 1 and not read


def text_of(rows: Sequence[Sequence[str]]) -> str:
    """Write cells so that a spreadsheet takes them."""
    out = io.StringIO()
    csv.writer(out, delimiter="\t", lineterminator="\n").writerows(rows)
    return out.getvalue().rstrip("\n")
