"""The findings sheet as a paginated document, and its ways out: PDF, HTML, ODT."""

from __future__ import annotations

import base64
import re
from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QObject, QRectF, QSizeF, Qt, QUrl
from PyQt6.QtGui import (
    QImage,
    QPagedPaintDevice,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextCharFormat,
    QTextDocument,
    QTextDocumentWriter,
    QTextFormat,
    QTextObjectInterface,
)
from PyQt6.QtSvg import QSvgGenerator

from saltus.core.notation.line import as_html
from saltus.core.wording import _
from saltus.files.writing import write_whole
from saltus.printing.chart_painter import draw_chart
from saltus.printing.chart_style import PAPER
from saltus.printing.fonts import load_fonts, serif
from saltus.printing.pictures import draw_marked_frame

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from saltus.exchange.chart import Chart
    from saltus.exchange.sheet import Grid, Sheet
    from saltus.investigations.view.substitution import Worked
    from saltus.notebook.model import Take

PAGE = QSizeF(794, 1123)
"""A4 at 96 dots per inch."""
MARGIN = 68
WIDTH = PAGE.width() - 2 * MARGIN
_FIGURE = QTextFormat.ObjectTypes.UserObject + 1
_KEY = QTextFormat.Property.UserProperty + 1
_DPI = 96
_STYLE = (
    "body{font-family:'Source Serif 4';font-size:14px;color:#15201F}"
    "h1{font-size:23px;font-weight:600;margin:0 0 2px 0}"
    "h2{font-size:15px;font-weight:600;margin:14px 0 3px 0}"
    "p{margin:0 0 5px 0;line-height:128%}"
    ".by{color:#58655F}.big{font-size:22px;font-weight:600}.note{color:#58655F;font-size:12.5px}"
    "td,th{padding:1px 16px 1px 0;font-size:13px;text-align:left}th{font-weight:600}"
)


_IN_PX = re.compile(r"(?<=font-size:)([\d.]+)px")


@dataclass(frozen=True)
class Figure:
    """Something drawn on the sheet: its size in px at 96 dpi, and how to paint it."""

    size: QSizeF
    paint: Callable[[QPainter, QRectF], None]
    raster: bool = False


def figures(sheet: Sheet, take: Take | None, picture: QImage | None) -> dict[str, Figure]:
    """Give the figures of a sheet by name; ``picture`` is its frame of the film, where it is at hand."""
    made: dict[str, Figure] = {}
    if take is not None and picture is not None and sheet.picture_frame is not None:
        frame = sheet.picture_frame
        height = min(WIDTH * picture.height() / picture.width(), 285.0)
        made["picture"] = Figure(
            QSizeF(WIDTH, height), lambda p, box: draw_marked_frame(p, box, picture, take, frame), raster=True
        )
    graph = graph_figure(sheet)
    if graph is not None:
        made["graph"] = graph
    return made


def _painted(painter: QPainter, box: QRectF, chart: Chart) -> None:
    draw_chart(painter, box, chart, PAPER)


def sheet_html(sheet: Sheet, placed: Callable[[str], str], names: set[str], *, plain: bool = False) -> str:
    """Write the sheet as HTML.

    Parameters
    ----------
    sheet : Sheet
    placed : callable
        Gives the code that stands for a figure.
    names : set of str
        The figures there are.
    plain : bool
        For word processors, which drop tables within tables: blocks below each other, sizes in points.
    """
    side_by_side = _below if plain else _side_by_side
    parts = [f"<h1>{escape(sheet.title)}</h1><p class='by'>{escape(sheet.byline)}</p><hr/>"]
    if sheet.result is not None:
        r = sheet.result
        parts.append(
            f"<h2>{_('Result')}</h2><p class='big'><i>{escape(r.symbol)}</i> = {escape(r.text)}</p>"
            f"<p class='note'>{escape(r.words)}</p>"
        )
    else:
        missing = sheet.missing or _("No result yet: choose a segment in Motion.")
        parts.append(f"<h2>{_('Result')}</h2><p>{escape(missing)}</p>")
    if "picture" in names:
        parts.append(f"{_figure_line(placed('picture'))}<p class='note'>{escape(sheet.picture_words)}</p>")
    if "graph" in names:
        parts.append(f"<h2>{_('Graph')}</h2>{_figure_line(placed('graph'))}")
        parts.append(f"<p class='note'>{escape(sheet.chart_words)}</p>")
    # picture and graph fill a page: what follows them begins the next, its heading not left behind
    fresh = " style='page-break-before:always'" if {"picture", "graph"} <= names else ""
    parts.append(f"<h2{fresh}>{_('Method')}</h2><p>{escape(' '.join(sheet.method)) or '–'}</p>")
    facts = _block(_("The take") if sheet.take_id is not None else _("Given"), sheet.facts)
    limits = _block(_("What limits the result"), sheet.budget, sheet.limits)
    if sheet.take_id is None:
        parts.append(_block(_("Measured"), sheet.readings))
        parts.append(side_by_side(_block(_("The line"), sheet.parameters) + facts, limits))
    else:
        parts.append(side_by_side(_block(_("Parameters, 95 %"), sheet.parameters), facts))
        parts.append(side_by_side(_block(_("Readings"), sheet.readings), limits))
    for section in sheet.sections:
        lines = "".join(f"<p>{_line_html(line)}</p>" for line in section.lines)
        parts.append(f"<h2>{escape(section.heading)}</h2>{lines}")
    if sheet.remarks.strip():
        parts.append(f"<h2>{_('Remarks')}</h2><p>{escape(sheet.remarks).replace(chr(10), '<br/>')}</p>")
    style = _IN_PX.sub(lambda m: f"{float(m[1]) * 0.75:g}pt", _STYLE) if plain else _STYLE
    head = f"<head><meta charset='utf-8'/><style>{style}</style></head>"
    return f"<html>{head}<body>{''.join(parts)}</body></html>"


def _line_html(line: str | Worked) -> str:
    if isinstance(line, str):
        return escape(line)
    return f"{escape(line.words)}: {as_html(line.equation)}"


def _figure_line(code: str) -> str:
    return f"<p style='line-height:100%'>{code}</p>"


def _side_by_side(left: str, right: str) -> str:
    cell = "<td width='50%' style='padding:0'>"
    return f"<table width='100%' cellspacing='0'><tr>{cell}{left}</td>{cell}{right}</td></tr></table>"


def _below(first: str, second: str) -> str:
    return first + second


def _block(title: str, grid: Grid | None, words: str = "") -> str:
    if grid is None or not grid.rows:
        return ""
    tail = f"<p class='note'>{escape(words)}</p>" if words else ""
    return f"<h2>{title}</h2>{_grid_html(grid)}{tail}"


def _grid_html(grid: Grid) -> str:
    head = "".join(f"<th>{escape(h)}</th>" for h in grid.head)
    rows = "".join("<tr>" + "".join(f"<td>{escape(c)}</td>" for c in row) + "</tr>" for row in grid.rows)
    note = f"<p class='note'>{escape(grid.note)}</p>" if grid.note else ""
    return f"<table cellspacing='0'>{'<tr>' + head + '</tr>' if head else ''}{rows}</table>{note}"


class _FigureObject(QObject, QTextObjectInterface):
    """Lets a document draw figures as vectors."""

    def __init__(self, drawn: dict[str, Figure], parent: QTextDocument) -> None:
        super().__init__(parent)
        self._drawn = drawn

    def intrinsicSize(self, doc: QTextDocument | None, pos: int, fmt: QTextFormat) -> QSizeF:
        return self._drawn[fmt.property(_KEY)].size

    def drawObject(
        self, painter: QPainter | None, rect: QRectF, doc: QTextDocument | None, pos: int, fmt: QTextFormat
    ) -> None:
        if painter is not None:
            self._drawn[fmt.property(_KEY)].paint(painter, rect)


def sheet_document(sheet: Sheet, take: Take | None, picture: QImage | None) -> QTextDocument:
    """Lay a sheet out on A4 pages, figures drawn as vectors.

    Parameters
    ----------
    sheet : Sheet
    take : Take or None
    picture : QImage or None
        The frame the sheet shows, where the film is at hand.
    """
    load_fonts()
    drawn = figures(sheet, take, picture)
    document = QTextDocument()
    document.setDefaultFont(serif(14))
    document.setDocumentMargin(MARGIN)
    document.setHtml(sheet_html(sheet, lambda name: f"\u27e6{name}\u27e7", set(drawn)))
    layout = document.documentLayout()
    assert layout is not None
    handler = _FigureObject(drawn, document)
    layout.registerHandler(_FIGURE, handler)
    for name in drawn:
        cursor = document.find(f"\u27e6{name}\u27e7")
        if not cursor.isNull():
            fmt = QTextCharFormat()
            fmt.setObjectType(_FIGURE)
            fmt.setProperty(_KEY, name)
            cursor.insertText("\ufffc", fmt)
    document.setPageSize(PAGE)
    return document


def draw_page(painter: QPainter, document: QTextDocument, page: int) -> None:
    """Draw one page at the painter's origin, 794 × 1123 px, with its number at the foot."""
    painter.save()
    clip = QRectF(0, page * PAGE.height(), PAGE.width(), PAGE.height())
    painter.translate(0, -clip.top())
    document.drawContents(painter, clip)
    painter.restore()
    painter.setFont(serif(12))
    painter.setPen(Qt.GlobalColor.darkGray)
    foot = QRectF(0, PAGE.height() - 44, PAGE.width(), 20)
    words = _("{page} of {pages}").format(page=page + 1, pages=document.pageCount())
    painter.drawText(foot, Qt.AlignmentFlag.AlignCenter, words)


def write_pdf(document: QTextDocument, path: Path, title: str) -> None:
    """Write a document as PDF.

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
    for page in range(document.pageCount()):
        if page:
            writer.newPage()
        draw_page(painter, document, page)
    painter.end()
    write_whole(path, bytes(buffer.data().data()))


def print_document(document: QTextDocument, device: QPagedPaintDevice) -> bool:
    """Draw the pages on a printer; False where it takes nothing."""
    painter = QPainter()
    if not painter.begin(device):
        return False
    paper = device.pageLayout().fullRectPixels(device.logicalDpiX())
    for page in range(document.pageCount()):
        if page:
            device.newPage()
        painter.save()
        painter.scale(paper.width() / PAGE.width(), paper.height() / PAGE.height())
        draw_page(painter, document, page)
        painter.restore()
    painter.end()
    return True


def write_figure(figure: Figure, path: Path) -> None:
    """Write a figure as SVG or, by the ending, as PNG of 300 dots per inch.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    if path.suffix.lower() == ".svg":
        write_whole(path, svg_of(figure))
    else:
        write_whole(path, _png(figure, 300 / _DPI))


def write_html(sheet: Sheet, take: Take | None, picture: QImage | None, path: Path) -> None:
    """Write the sheet as one self-contained HTML file, graphs as vectors."""
    drawn = figures(sheet, take, picture)

    def placed(name: str) -> str:
        figure = drawn[name]
        if figure.raster:
            data = base64.b64encode(_png(figure, 2.0)).decode()
            return f"<img alt='{escape(name)}' width='{WIDTH:.0f}' src='data:image/png;base64,{data}'/>"
        svg = svg_of(figure).decode()
        return svg[svg.index("<svg") :]

    text = sheet_html(sheet, placed, set(drawn))
    page = f"body{{max-width:{WIDTH:.0f}px;margin:40px auto}}body{{font-family:'Source Serif 4',serif}}"
    write_whole(path, "<!doctype html>" + text.replace("</style>", page + "</style>"))


def write_odt(sheet: Sheet, take: Take | None, picture: QImage | None, path: Path) -> None:
    """Write the sheet as ODT, figures as pictures of 300 dots per inch.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    load_fonts()
    drawn = figures(sheet, take, picture)
    document = QTextDocument()
    for name, figure in drawn.items():
        image = QImage.fromData(_png(figure, 300 / _DPI))
        document.addResource(int(QTextDocument.ResourceType.ImageResource.value), QUrl(f"fig:{name}"), image)

    def placed(name: str) -> str:
        size = drawn[name].size
        return f"<img src='fig:{name}' width='{size.width():.0f}' height='{size.height():.0f}'/>"

    document.setHtml(sheet_html(sheet, placed, set(drawn), plain=True))
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QTextDocumentWriter(buffer, QByteArray(b"ODF"))
    if not writer.write(document):
        raise OSError(_("{name} cannot be written.").format(name=path.name))
    write_whole(path, bytes(buffer.data().data()))


def figure_image(figure: Figure, factor: float) -> QImage:
    """Paint a figure as a picture, ``factor`` times its size at 96 dpi."""
    image = QImage((figure.size * factor).toSize(), QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    painter.scale(factor, factor)
    figure.paint(painter, QRectF(0, 0, figure.size.width(), figure.size.height()))
    painter.end()
    return image


def _png(figure: Figure, factor: float) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    figure_image(figure, factor).save(buffer, "PNG")
    return bytes(buffer.data().data())


def svg_of(figure: Figure) -> bytes:
    """Paint a figure as SVG."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(figure.size.toSize())
    generator.setViewBox(QRectF(0, 0, figure.size.width(), figure.size.height()))
    generator.setResolution(_DPI)
    painter = QPainter(generator)
    figure.paint(painter, QRectF(0, 0, figure.size.width(), figure.size.height()))
    painter.end()
    return bytes(buffer.data().data())


def graph_figure(sheet: Sheet) -> Figure | None:
    """Graph and residuals of a sheet as one figure."""
    chart, residuals = sheet.chart, sheet.residuals
    if chart is None or residuals is None:
        return None

    def paint(painter: QPainter, box: QRectF) -> None:
        _painted(painter, QRectF(box.left(), box.top(), box.width(), 220), chart)
        _painted(painter, QRectF(box.left(), box.top() + 222, box.width(), 110), residuals)

    return Figure(QSizeF(WIDTH, 332), paint)
