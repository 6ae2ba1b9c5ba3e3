"""A blank table on paper: ruled cells to write in, away from the screen."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QTextDocument

from saltus.core.wording import _
from saltus.printing.fonts import load_fonts, serif
from saltus.printing.report_pages import MARGIN, PAGE
from saltus.printing.sheet_document import write_pdf

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

_STYLE = (
    "h1{font-size:21px;font-weight:600;margin:0}p{margin:0 0 6px 0}"
    "th{font-size:12.5px;font-weight:600;padding:5px}td{font-size:14px;padding:9px 6px}"
)


def write_blank(
    path: Path, title: str, question: str, head: Sequence[str], rows: Sequence[Sequence[str]]
) -> None:
    """Write a blank table as PDF.

    Parameters
    ----------
    path : Path
    title, question : str
    head : sequence of str
    rows : sequence of sequence of str
        What is known already; empty cells are for writing.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    load_fonts()
    cells = "".join(f"<th>{escape(h)}</th>" for h in head)
    lines = "".join(
        "<tr>" + "".join(f"<td>{escape(c) or '&nbsp;'}</td>" for c in row) + "</tr>" for row in rows
    )
    names = _("Who: ______________________   Date: ______________   Instruments: ______________________")
    document = QTextDocument()
    document.setDefaultFont(serif(14))
    document.setDocumentMargin(MARGIN)
    document.setHtml(
        f"<html><head><style>{_STYLE}</style></head><body><h1>{escape(title)}</h1><p>{escape(question)}</p>"
        f"<p>{names}</p><table width='100%' border='1' cellspacing='0'><tr>{cells}</tr>{lines}</table>"
        "</body></html>"
    )
    document.setPageSize(PAGE)
    write_pdf(_OfDocument(document), path, title)


class _OfDocument:
    """The pages of a text document."""

    def __init__(self, document: QTextDocument) -> None:
        self._document = document

    def count(self) -> int:
        """How many there are."""
        return self._document.pageCount()

    def draw(self, painter: QPainter, page: int) -> None:
        """Draw one page at the painter's origin."""
        clip = QRectF(0, page * PAGE.height(), PAGE.width(), PAGE.height())
        painter.save()
        painter.translate(0, -clip.top())
        self._document.drawContents(painter, clip)
        painter.restore()
