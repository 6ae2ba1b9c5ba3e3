"""What is drawn on a sheet: the frame with its marks, the graph, where the result lies; and as SVG or PNG."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QIODevice, QLineF, QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen
from PyQt6.QtSvg import QSvgGenerator

from saltus.core.statement import unit_tail, written_number
from saltus.files.writing import write_whole
from saltus.printing.chart_painter import draw_chart
from saltus.printing.chart_style import PAPER
from saltus.printing.fonts import sans
from saltus.printing.pictures import draw_marked_frame

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from saltus.exchange.sheet_data import Sheet, Span
    from saltus.notebook.model import Take

WIDE = 658.0
"""Of the figures of a sheet, px at 96 dots per inch."""
GRAPH_HIGH, RESIDUALS_HIGH, SPAN_HIGH, PICTURE_HIGH = 230.0, 104.0, 54.0, 285.0
_DPI = 96


@dataclass(frozen=True)
class Drawn:
    """Something drawn: its size in px at 96 dots per inch, how to paint it, and words in its place."""

    size: QSizeF
    paint: Callable[[QPainter, QRectF], None]
    raster: bool = False
    words: str = ""


def figures(sheet: Sheet, take: Take | None, picture: QImage | None) -> dict[str, Drawn]:
    """Give the figures of a sheet by name; ``picture`` is its frame of the film, where it is at hand."""
    made: dict[str, Drawn] = {}
    if take is not None and picture is not None and sheet.picture_frame is not None:
        frame = sheet.picture_frame
        height = min(WIDE * picture.height() / picture.width(), PICTURE_HIGH)
        made["picture"] = Drawn(
            QSizeF(WIDE, height),
            lambda p, box: draw_marked_frame(p, box, picture, take, frame),
            raster=True,
            words=sheet.picture_words,
        )
    graph = graph_figure(sheet)
    if graph is not None:
        made["graph"] = graph
    span = sheet.span
    if span is not None:
        made["range"] = Drawn(QSizeF(WIDE, SPAN_HIGH), lambda p, box: draw_span(p, box, span))
    return made


def graph_figure(sheet: Sheet) -> Drawn | None:
    """Graph of a sheet, and what stands under it, as one figure."""
    chart, below = sheet.chart, sheet.residuals
    if chart is None:
        return None
    share = 0.5 if sheet.alike else RESIDUALS_HIGH / (GRAPH_HIGH + RESIDUALS_HIGH)
    whole = GRAPH_HIGH + (RESIDUALS_HIGH if below is not None else 0.0) + (60.0 if sheet.alike else 0.0)

    def paint(painter: QPainter, box: QRectF) -> None:
        if below is None:
            draw_chart(painter, box, chart, PAPER)
            return
        high = box.height() * (1 - share)
        draw_chart(painter, QRectF(box.left(), box.top(), box.width(), high - 2), chart, PAPER)
        under = QRectF(box.left(), box.top() + high, box.width(), box.height() - high)
        draw_chart(painter, under, below, PAPER, time_axis=sheet.alike)

    return Drawn(QSizeF(WIDE, whole), paint, words=sheet.chart_words)


def draw_span(
    painter: QPainter, box: QRectF, span: Span, ink: QColor | None = None, accent: QColor | None = None
) -> None:
    """Draw where a result lies between what it could be: a bar with both ends named, the value with its ±."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    ink = ink or QColor("#15201F")
    left, right, y = box.left() + 8, box.right() - 8, box.top() + 13
    low, high = min(span.low, span.value - span.half), max(span.high, span.value + span.half)

    def at(value: float) -> float:
        return left + (value - low) / ((high - low) or 1.0) * (right - left)

    bar = QRectF(QPointF(at(span.low), y - 4), QPointF(at(span.high), y + 4))
    accent = accent or QColor("#0F5C63")
    shade = QColor(accent)
    shade.setAlphaF(0.18)
    painter.fillRect(bar, shade)
    painter.setPen(QPen(accent, 2.2))
    painter.drawLine(QLineF(at(span.value - span.half), y, at(span.value + span.half), y))
    painter.setBrush(accent)
    painter.drawEllipse(QPointF(at(span.value), y), 4.5, 4.5)
    painter.setFont(sans(12))
    metrics = QFontMetricsF(painter.font())
    painter.setPen(ink)
    for value, words, end in ((span.low, span.words[0], "left"), (span.high, span.words[1], "right")):
        number = written_number(value, 3) + unit_tail(span.unit)
        for line, text in enumerate((number, words)):
            wide = metrics.horizontalAdvance(text)
            x = at(value) if end == "left" else at(value) - wide
            painter.drawText(QPointF(x, y + 20 + 15 * line), text)
    painter.restore()


def figure_image(figure: Drawn, factor: float) -> QImage:
    """Paint a figure as a picture, ``factor`` times its size at 96 dpi."""
    image = QImage((figure.size * factor).toSize(), QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    painter.scale(factor, factor)
    figure.paint(painter, QRectF(0, 0, figure.size.width(), figure.size.height()))
    painter.end()
    return image


def png_of(figure: Drawn, factor: float) -> bytes:
    """Paint a figure as PNG, ``factor`` times its size at 96 dpi."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    figure_image(figure, factor).save(buffer, "PNG")
    return bytes(buffer.data().data())


def svg_of(figure: Drawn) -> bytes:
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


def write_figure(figure: Drawn, path: Path) -> None:
    """Write a figure as SVG or, by the ending, as PNG of 300 dots per inch.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    write_whole(path, svg_of(figure) if path.suffix.lower() == ".svg" else png_of(figure, 300 / _DPI))
