"""Setting and painting a formula in two dimensions: fractions, powers, roots, on screen and paper.

The rules of distance are the usual ones of setting mathematics by hand: a fraction stands on the axis of the
line, a power is seven tenths of its base, a root has a stroke over all it covers.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPainterPath, QPen

from saltus.core.notation.boxes import Applied, Below, Fraction, Group, Mean, Power, Root, Row, Value, Word
from saltus.printing.fonts import serif

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.notation.boxes import Box

SMALLER, SMALLEST = 0.72, 8.0
"""A power against its base, and the smallest letters, px."""
AXIS, BAR, GAP = 0.26, 0.055, 0.14
"""Height of the axis of fractions, thickness of strokes and gap beside them, parts of the size."""


@dataclass(frozen=True)
class Laid:
    """A piece laid out: width, height above and depth below its base line, px, and how it is painted."""

    wide: float
    up: float
    down: float
    paint: Callable[[QPainter, float, float], None]


def lay(box: Box, size: float, weight: int = 400) -> Laid:
    """Lay a formula out.

    Parameters
    ----------
    box : Box
    size : float
        Of its letters, px.
    weight : int
    """
    return _Layer(weight).lay(box, size)


def formula_image(box: Box, size: float, colour: QColor, factor: float = 2.0) -> tuple[QImage, Laid]:
    """Paint a formula on a clear picture, ``factor`` points for each px; gives how it was laid, too."""
    laid = lay(box, size)
    air = 2.0
    wide, high = laid.wide + 2 * air, laid.up + laid.down + 2 * air
    image = QImage(
        max(1, round(wide * factor)), max(1, round(high * factor)), QImage.Format.Format_ARGB32_Premultiplied
    )
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(factor, factor)
    painter.setPen(colour)
    laid.paint(painter, air, air + laid.up)
    painter.end()
    return image, laid


class _Layer:
    def __init__(self, weight: int) -> None:
        self._weight = weight

    def lay(self, box: Box, size: float) -> Laid:  # noqa: C901, PLR0911  a case for each kind of piece
        match box:
            case Word(text, italic):
                return self._letters(text, size, italic=italic)
            case Value(text, unit):
                return self._letters(f"{text}\u2009{unit}" if unit not in ("", "°") else text + unit, size)
            case Row(parts):
                return self._row([self.lay(p, size) for p in parts])
            case Below(base, mark):
                return self._beside(self.lay(base, size), self._small(mark, size), -0.16 * size)
            case Power(base, power):
                laid = self.lay(base, size)
                lift = max(0.34 * size, laid.up - 0.42 * size)
                return self._beside(laid, self._small(power, size), lift)
            case Fraction(above, below):
                return self._fraction(self.lay(above, size), self.lay(below, size), size)
            case Root(inner):
                return self._root(self.lay(inner, size), size)
            case Mean(inner):
                return self._mean(self.lay(inner, size), size)
            case Applied(name, inner):
                gap = "" if isinstance(inner, Group) else "\u2009"
                return self._row([self._letters(name + gap, size), self.lay(inner, size)])
            case Group(inner, marks):
                return self._group(self.lay(inner, size), marks, size)

    def _small(self, box: Box, size: float) -> Laid:
        return self.lay(box, max(SMALLEST, SMALLER * size))

    def _font(self, size: float, *, italic: bool) -> QFont:
        return serif(size, self._weight, italic=italic)

    def _letters(self, text: str, size: float, *, italic: bool = False) -> Laid:
        font = self._font(size, italic=italic)
        metrics = QFontMetricsF(font)
        lean = 0.06 * size if italic and text.strip() else 0.0

        def paint(painter: QPainter, x: float, y: float) -> None:
            painter.setFont(font)
            painter.drawText(QPointF(x, y), text)

        ink = metrics.tightBoundingRect(text)
        up = max(-ink.top(), 0.48 * size) if text.strip() else 0.0
        return Laid(metrics.horizontalAdvance(text) + lean, up, max(ink.bottom(), 0.0), paint)

    def _row(self, laid: list[Laid]) -> Laid:
        def paint(painter: QPainter, x: float, y: float) -> None:
            for one in laid:
                one.paint(painter, x, y)
                x += one.wide

        return Laid(
            sum(one.wide for one in laid),
            max((one.up for one in laid), default=0.0),
            max((one.down for one in laid), default=0.0),
            paint,
        )

    def _beside(self, base: Laid, mark: Laid, lift: float) -> Laid:
        def paint(painter: QPainter, x: float, y: float) -> None:
            base.paint(painter, x, y)
            mark.paint(painter, x + base.wide, y - lift)

        return Laid(
            base.wide + mark.wide, max(base.up, mark.up + lift), max(base.down, mark.down - lift), paint
        )

    def _fraction(self, above: Laid, below: Laid, size: float) -> Laid:
        side, gap = 0.1 * size, GAP * size
        wide = max(above.wide, below.wide) + 2 * side
        axis, thick = AXIS * size, max(BAR * size, 0.8)

        def paint(painter: QPainter, x: float, y: float) -> None:
            above.paint(painter, x + (wide - above.wide) / 2, y - axis - gap - above.down)
            below.paint(painter, x + (wide - below.wide) / 2, y - axis + gap + below.up)
            _stroke(painter, QLineF(x + side / 2, y - axis, x + wide - side / 2, y - axis), thick)

        up = axis + gap + above.down + above.up
        return Laid(wide, up, gap + below.up + below.down - axis, paint)

    def _root(self, inner: Laid, size: float) -> Laid:
        gap, hook, thick = 0.12 * size, 0.55 * size, max(BAR * size, 0.8)

        def paint(painter: QPainter, x: float, y: float) -> None:
            top, foot = y - inner.up - gap, y + inner.down
            path = QPainterPath(QPointF(x + 0.06 * size, y - 0.3 * size))
            path.lineTo(x + 0.17 * size, y - 0.36 * size)
            path.lineTo(x + 0.32 * size, foot)
            path.lineTo(x + hook, top)
            path.lineTo(x + hook + inner.wide + 0.05 * size, top)
            pen = QPen(painter.pen().color(), thick)
            painter.save()
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            painter.restore()
            inner.paint(painter, x + hook + 0.03 * size, y)

        return Laid(inner.wide + hook + 0.1 * size, inner.up + gap + thick, inner.down, paint)

    def _mean(self, inner: Laid, size: float) -> Laid:
        gap, thick = 0.12 * size, max(BAR * size, 0.8)

        def paint(painter: QPainter, x: float, y: float) -> None:
            inner.paint(painter, x, y)
            top = y - inner.up - gap
            _stroke(painter, QLineF(x + 0.04 * size, top, x + inner.wide, top), thick)

        return Laid(inner.wide + 0.04 * size, inner.up + gap + thick, inner.down, paint)

    def _group(self, inner: Laid, marks: str, size: float) -> Laid:
        air, thick = 0.3 * size, max(BAR * size, 0.8)
        up, down = inner.up + 0.06 * size, inner.down + 0.1 * size

        def paint(painter: QPainter, x: float, y: float) -> None:
            inner.paint(painter, x + air, y)
            for left, at in ((True, x + 0.08 * size), (False, x + 2 * air + inner.wide - 0.08 * size)):
                if marks == "||":
                    _stroke(painter, QLineF(at, y - up, at, y + down), thick)
                else:
                    bow = 0.2 * size if left else -0.2 * size
                    _bracket(painter, QRectF(at, y - up, bow, up + down), thick)

        return Laid(inner.wide + 2 * air, up, down, paint)


def _stroke(painter: QPainter, line: QLineF, thick: float) -> None:
    painter.save()
    painter.setPen(QPen(painter.pen().color(), thick))
    painter.drawLine(line)
    painter.restore()


def _bracket(painter: QPainter, box: QRectF, thick: float) -> None:
    """A round bracket: ``box`` begins at its outermost place; its width is its bow, to the side it opens."""
    path = QPainterPath(QPointF(box.x() + box.width(), box.top()))
    middle = box.center().y()
    path.quadTo(QPointF(box.x(), box.top() + 0.22 * box.height()), QPointF(box.x(), middle))
    path.quadTo(
        QPointF(box.x(), box.top() + 0.78 * box.height()),
        QPointF(box.x() + box.width(), box.top() + box.height()),
    )
    painter.save()
    painter.setPen(QPen(painter.pen().color(), thick * 1.15))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
    painter.restore()
