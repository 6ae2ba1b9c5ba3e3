"""The findings sheet on paper and as a file: pages, PDF, HTML, ODT."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF
from PyQt6.QtGui import QPagedPaintDevice, QPageLayout, QPageSize, QPainter, QPdfWriter

from saltus.core.wording import _
from saltus.exchange.report import report_of
from saltus.files.writing import write_whole
from saltus.printing.figures import figures
from saltus.printing.fonts import load_fonts
from saltus.printing.report_html import html_of
from saltus.printing.report_odt import odt_of
from saltus.printing.report_pages import PAGE, pages_of

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtGui import QImage

    from saltus.exchange.sheet_data import Sheet
    from saltus.notebook.model import Take
    from saltus.printing.report_pages import Pages

_DPI = 96


def sheet_pages(sheet: Sheet, take: Take | None, picture: QImage | None) -> Pages:
    """Lay a sheet out on A4 pages, everything drawn as vectors.

    Parameters
    ----------
    sheet : Sheet
    take : Take or None
    picture : QImage or None
        The frame the sheet shows, where the film is at hand.
    """
    load_fonts()
    drawn = figures(sheet, take, picture)
    return pages_of(report_of(sheet, set(drawn)), drawn)


class Paged(Protocol):
    """Pages that can be drawn one by one, 794 × 1123 px each."""

    def count(self) -> int:
        """How many there are."""

    def draw(self, painter: QPainter, page: int) -> None:
        """Draw one page at the painter's origin."""


def write_pdf(pages: Paged, path: Path, title: str) -> None:
    """Write pages as PDF.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(_DPI)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)
        )
    )
    writer.setTitle(title)
    writer.setCreator("Saltus")
    painter = QPainter()
    if not painter.begin(writer):
        raise OSError(_("{name} cannot be written.").format(name=path.name))
    for page in range(pages.count()):
        if page:
            writer.newPage()
        pages.draw(painter, page)
    painter.end()
    write_whole(path, bytes(buffer.data().data()))


def print_pages(pages: Paged, device: QPagedPaintDevice) -> bool:
    """Draw the pages on a printer; False where it takes nothing."""
    painter = QPainter()
    if not painter.begin(device):
        return False
    paper = device.pageLayout().fullRectPixels(device.logicalDpiX())
    for page in range(pages.count()):
        if page:
            device.newPage()
        painter.save()
        painter.scale(paper.width() / PAGE.width(), paper.height() / PAGE.height())
        pages.draw(painter, page)
        painter.restore()
    painter.end()
    return True


def write_html(sheet: Sheet, take: Take | None, picture: QImage | None, path: Path) -> None:
    """Write the sheet as one self-contained HTML file, graphs as vectors.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    load_fonts()
    drawn = figures(sheet, take, picture)
    write_whole(path, html_of(report_of(sheet, set(drawn)), drawn))


def write_odt(sheet: Sheet, take: Take | None, picture: QImage | None, path: Path) -> None:
    """Write the sheet as ODT, figures as pictures of 300 dots per inch.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    load_fonts()
    drawn = figures(sheet, take, picture)
    write_whole(path, odt_of(report_of(sheet, set(drawn)), drawn))
