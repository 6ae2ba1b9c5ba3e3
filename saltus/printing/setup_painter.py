"""Painting set-up drawings: apparatus in ink, the body in its colour, what is varied as a dimension."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from saltus.investigations.recipe.drawing import BOX, Shape
from saltus.printing.fonts import serif
from saltus.printing.tokens import look

INK_WIDTH, LETTER = 1.6, 15.0
TURNS = 6


class SetUpPainter:
    """Paints the shapes of one drawing; lines keep their width at any scale.

    Parameters
    ----------
    painter : QPainter
    place : QRectF
        Where the drawing goes; it keeps its proportions.
    colours : dict of str to str
        By token.
    dark : bool
    """

    def __init__(self, painter: QPainter, place: QRectF, colours: dict[str, str], *, dark: bool) -> None:
        self._painter = painter
        self._zoom = min(place.width() / BOX[0], place.height() / BOX[1])
        self._left = place.center().x() - BOX[0] * self._zoom / 2
        self._top = place.center().y() - BOX[1] * self._zoom / 2
        self._colours = colours
        self._dark = dark

    def draw(self, shapes: tuple[Shape, ...]) -> None:
        """Paint all shapes in their order."""
        self._painter.save()
        self._painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for shape in shapes:
            self._ink()
            getattr(self, f"_{shape.kind}")(shape)
        self._painter.restore()

    # -- places and pens -----------------------------------------------------------------------------

    def _at(self, x: float, y: float) -> QPointF:
        return QPointF(self._left + x * self._zoom, self._top + y * self._zoom)

    def _points(self, shape: Shape) -> list[QPointF]:
        numbers = shape.numbers
        return [self._at(x, y) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]

    def _rect(self, shape: Shape) -> QRectF:
        x, y, wide, high = shape.numbers
        return QRectF(self._at(x, y), self._at(x + wide, y + high))

    def _pen(self, token: str, width: float = INK_WIDTH) -> QPen:
        return QPen(
            QColor(self._colours[token]), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap,
            Qt.PenJoinStyle.RoundJoin,
        )  # fmt: skip

    def _ink(self) -> None:
        self._painter.setPen(self._pen("ink"))
        self._painter.setBrush(Qt.BrushStyle.NoBrush)

    def _body_colour(self, word: str) -> QColor:
        chosen = look("AB".index(word or "A"))
        return QColor(chosen.stage if self._dark else chosen.paper)

    # -- shapes --------------------------------------------------------------------------------------

    def _line(self, shape: Shape) -> None:
        self._painter.drawPolyline(QPolygonF(self._points(shape)))

    def _dashed(self, shape: Shape) -> None:
        pen = self._pen("ink2", 1.2)
        pen.setStyle(Qt.PenStyle.DashLine)
        self._painter.setPen(pen)
        self._line(shape)

    def _dots(self, shape: Shape) -> None:
        self._painter.setPen(QPen(self._body_colour("A"), 1.4))
        for point in self._points(shape):
            self._painter.drawEllipse(point, 2.6, 2.6)

    def _fixed(self, shape: Shape) -> None:
        """A support: a line with hatching at its right hand."""
        a, b = self._points(shape)
        self._painter.drawLine(a, b)
        length = math.hypot(b.x() - a.x(), b.y() - a.y()) or 1.0
        ahead = QPointF((b.x() - a.x()) / length, (b.y() - a.y()) / length)
        aside = QPointF(-ahead.y(), ahead.x())
        self._painter.setPen(self._pen("ink2", 1.0))
        for step in range(int(length / 6) + 1):
            start = a + ahead * (step * 6.0)
            self._painter.drawLine(start, start + aside * 5 - ahead * 4)

    def _box(self, shape: Shape) -> None:
        self._painter.drawRect(self._rect(shape))

    def _circle(self, shape: Shape) -> None:
        x, y, r = shape.numbers
        self._painter.drawEllipse(self._at(x, y), r * self._zoom, r * self._zoom)

    def _arc(self, shape: Shape) -> None:
        x, y, r, start, stop = shape.numbers
        box = QRectF(self._at(x - r, y - r), self._at(x + r, y + r))
        self._painter.setPen(self._pen("accent", 1.4))
        self._painter.drawArc(box, int(start * 16), int((stop - start) * 16))

    def _spring(self, shape: Shape) -> None:
        x1, y1, x2, y2 = shape.numbers
        length = math.hypot(x2 - x1, y2 - y1) or 1.0
        side = ((y1 - y2) / length * 4.5, (x2 - x1) / length * 4.5)
        marks = [(0.0, 0), (0.12, 0)]
        marks += [(0.12 + 0.76 * (i + 0.5) / (2 * TURNS), 1 if i % 2 else -1) for i in range(2 * TURNS)]
        marks += [(0.88, 0), (1.0, 0)]
        self._painter.drawPolyline(
            QPolygonF(
                [
                    self._at(x1 + f * (x2 - x1) + s * side[0], y1 + f * (y2 - y1) + s * side[1])
                    for f, s in marks
                ]
            )
        )

    def _wave(self, shape: Shape) -> None:
        x1, y1, x2, y2, waves, height = shape.numbers
        path = QPainterPath(self._at(x1, y1))
        for i in range(1, 61):
            f = i / 60
            up = height * math.sin(2 * math.pi * waves * f)
            path.lineTo(self._at(x1 + f * (x2 - x1), y1 + f * (y2 - y1) - up))
        self._painter.setPen(QPen(self._body_colour("A"), INK_WIDTH))
        self._painter.drawPath(path)

    def _head(self, tip: QPointF, tail: QPointF) -> None:
        length = math.hypot(tip.x() - tail.x(), tip.y() - tail.y()) or 1.0
        ahead = QPointF((tip.x() - tail.x()) / length, (tip.y() - tail.y()) / length)
        aside = QPointF(-ahead.y(), ahead.x()) * 2.4
        self._painter.setBrush(self._painter.pen().color())
        self._painter.drawPolygon(QPolygonF([tip, tip - ahead * 6 + aside, tip - ahead * 6 - aside]))

    def _arrow(self, shape: Shape) -> None:
        tail, tip = self._points(shape)
        self._painter.drawLine(tail, tip)
        self._head(tip, tail)

    def _water(self, shape: Shape) -> None:
        self._painter.fillRect(self._rect(shape), QColor(self._colours["accsoft"]))
        self._painter.setPen(self._pen("accent", 1.2))
        box = self._rect(shape)
        self._painter.drawLine(box.topLeft(), box.topRight())

    def _body(self, shape: Shape) -> None:
        x, y, r = shape.numbers
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(self._body_colour(shape.word))
        self._painter.drawEllipse(self._at(x, y), r * self._zoom, r * self._zoom)

    def _block(self, shape: Shape) -> None:
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(self._body_colour(shape.word))
        self._painter.drawRoundedRect(self._rect(shape), 2, 2)

    def _dim(self, shape: Shape) -> None:
        """A dimension with heads at both ends and its letter beside its middle."""
        a, b = self._points(shape)
        self._painter.setPen(self._pen("accent", 1.4))
        self._painter.drawLine(a, b)
        self._head(a, b)
        self._head(b, a)
        steep = abs(b.y() - a.y()) > abs(b.x() - a.x())
        middle = (a + b) / 2
        self._written(middle + (QPointF(5, 5) if steep else QPointF(-4, -5)), shape.word)

    def _letter(self, shape: Shape) -> None:
        self._written(self._points(shape)[0], shape.word)

    def _written(self, at: QPointF, word: str) -> None:
        self._painter.setPen(QColor(self._colours["accent"]))
        self._painter.setFont(serif(LETTER, 600, italic=True))
        self._painter.drawText(at, word)
