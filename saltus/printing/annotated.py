"""Marks of a motion on a picture: trail, arrows with their scale, numbered places, gates, angles, time."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from saltus.printing.crowd import draw_long_trail
from saltus.printing.fonts import sans
from saltus.printing.marks import HALO, ON_STAGE, PLATE, draw_plate, shape_path
from saltus.printing.pictures import draw_geometry
from saltus.printing.tokens import look

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

    from saltus.exchange.picture_marks import Angle, Arrow, ArrowScale, PictureMarks

USUAL_HIGH, SMALLEST = 720.0, 0.8
"""Marks and words grow with a picture higher than this, and shrink to so much of their size."""
HEAD, WIDE = 11.0, 4.2
TAKEN_OFF, BESIDE = 7.0, 8.0
ARC_PX = 54.0


def mark_size(height: float) -> float:
    """Enlargement of marks and words on a picture so high, px."""
    return max(height / USUAL_HIGH, SMALLEST)


def draw_annotated(
    painter: QPainter, box: QRectF, picture: QImage, marks: PictureMarks, frame: int, *, strobe: bool = False
) -> None:
    """Draw a frame of a take and what is wanted on it into a box, as large as it fits.

    Parameters
    ----------
    painter : QPainter
    box : QRectF
    picture : QImage
        Of the take's size.
    marks : PictureMarks
    frame : int
        Readings up to it are drawn.
    strobe : bool
        The picture shows the body at all numbers: arrows stand at each, and it has no time of its own.
    """
    facts = marks.take.facts
    zoom = min(box.width() / facts.width, box.height() / facts.height)
    width, height = facts.width * zoom, facts.height * zoom
    target = QRectF(box.center().x() - width / 2, box.center().y() - height / 2, width, height)
    painter.save()
    painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(target, picture)
    painter.setClipRect(target)
    _Drawing(painter, target, marks, zoom, marks.numbered_frames() if strobe else [frame]).draw()
    painter.restore()


class _Drawing:
    """One frame being drawn."""

    def __init__(
        self, painter: QPainter, target: QRectF, marks: PictureMarks, zoom: float, frames: list[int]
    ) -> None:
        self._painter, self._target, self._marks, self._zoom = painter, target, marks, zoom
        self._frames = frames
        self._size = mark_size(target.height())

    def _at(self, x: float, y: float) -> QPointF:
        return QPointF(
            self._target.left() + (x + 0.5) * self._zoom, self._target.top() + (y + 0.5) * self._zoom
        )

    def draw(self) -> None:
        marks, wanted, last = self._marks, self._marks.wanted, self._frames[-1]
        if wanted.geometry:
            draw_geometry(self._painter, marks.take, self._at, self._zoom, 0.16 * self._target.width(), last)
        for line in marks.gates(last) if wanted.gates else ():
            self._line(QLineF(self._at(*line.start), self._at(*line.end)), ON_STAGE, 1.4)
        if wanted.trail:
            self._trails(last)
        for angle in marks.angles(last) if wanted.angles else ():
            self._angle(angle)
        for frame in self._frames:
            self._arrows(marks.arrows(frame))
        if wanted.numbers:
            self._numbers(last)
        self._words()

    def _trails(self, frame: int) -> None:
        left, top, zoom = self._target.left(), self._target.top(), self._zoom
        for body in self._marks.bodies:
            x, y = self._marks.trail(body, frame)
            seen_x, seen_y = left + (x + 0.5) * zoom, top + (y + 0.5) * zoom
            draw_long_trail(self._painter, look(body.look), seen_x, seen_y, 5 * self._size)

    def _numbers(self, frame: int) -> None:
        """Places at equal times; where their numbers would lie on each other, the earlier one is written."""
        written: list[QRectF] = []
        for body in self._marks.bodies:
            for number, x, y in self._marks.numbered(body, frame):
                self._number(number, self._at(x, y), body.look, written)

    def _line(self, line: QLineF, colour: QColor, width: float) -> None:
        for tint, wide in ((HALO, width + 3), (colour, width)):
            self._painter.setPen(QPen(tint, wide * self._size))
            self._painter.drawLine(line)

    def _arrows(self, arrows: list[Arrow]) -> None:
        for arrow in arrows:
            start, end = self._at(*arrow.start), self._at(*arrow.end)
            if arrow.kind == "acceleration":
                start, end = _beside(start, end, BESIDE * self._size)
            draw_arrow(self._painter, start, end, arrow.kind, QColor(look(arrow.look).stage), self._size)

    def _number(self, number: int, at: QPointF, number_of_look: int, written: list[QRectF]) -> None:
        """The body's shape filled, and its number on a plate beside it where there is room."""
        style = look(number_of_look)
        self._painter.setPen(QPen(HALO, 3 * self._size))
        self._painter.setBrush(QColor(style.stage))
        self._painter.drawPath(shape_path(style, at, 9 * self._size))
        font = sans(12 * self._size, 600)
        metrics = QFontMetricsF(font)
        wide, high = metrics.horizontalAdvance(str(number)) + 6 * self._size, metrics.height()
        away = 8 * self._size
        right = at.x() + away + wide < self._target.right()
        plate = QRectF(at.x() + (away if right else -away - wide), at.y() - high - away / 2, wide, high)
        if any(plate.intersects(other) for other in written):
            return
        written.append(plate)
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(PLATE)
        self._painter.drawRoundedRect(plate, 3, 3)
        self._painter.setPen(QColor(style.stage))
        self._painter.setFont(font)
        self._painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, str(number))

    def _angle(self, angle: Angle) -> None:
        middle, reach = self._at(*angle.middle), ARC_PX * self._size
        colour = QColor(look(angle.look).stage)
        box = QRectF(middle.x() - reach, middle.y() - reach, 2 * reach, 2 * reach)
        ends = [angle.start, angle.start + angle.span]
        for direction in ends:
            to = middle + QPointF(math.cos(direction), -math.sin(direction)) * reach * 1.35
            self._line(QLineF(middle, to), ON_STAGE if direction == ends[0] else colour, 1.2)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        for tint, wide in ((HALO, 4.5), (colour, 1.8)):
            self._painter.setPen(QPen(tint, wide * self._size))
            self._painter.drawArc(
                box, round(16 * math.degrees(angle.start)), round(16 * math.degrees(angle.span))
            )
        halfway = angle.start + angle.span / 2
        place = middle + QPointF(math.cos(halfway), -math.sin(halfway)) * (reach + 26 * self._size)
        draw_plate(self._painter, place, angle.words, sans(13 * self._size, 600))

    def _words(self) -> None:
        """The scale of the arrows, the spacing of the numbers and the time, along the foot of the picture."""
        marks, wanted = self._marks, self._marks.wanted
        font, high = sans(13 * self._size, 600), 30 * self._size
        x, y = self._target.left() + 10 * self._size, self._target.bottom() - 20 * self._size
        for scale in marks.scales:
            x = self._scale(scale, QPointF(x, y)) + 10 * self._size
        if wanted.numbers and marks.bodies:
            plate = draw_plate(self._painter, QPointF(x, y), marks.number_words(), font, "left")
            if plate.right() > self._target.right():
                draw_plate(self._painter, QPointF(x, y - high), marks.number_words(), font, "left")
        if wanted.clock and len(self._frames) == 1:
            at = QPointF(self._target.right() - 10 * self._size, self._target.top() + 20 * self._size)
            draw_plate(self._painter, at, marks.clock_words(self._frames[0]), font, "right")

    def _scale(self, scale: ArrowScale, at: QPointF) -> float:
        """An arrow as long as its value is drawn, with the value; gives where it ends."""
        font = sans(13 * self._size, 600)
        metrics = QFontMetricsF(font)
        long = scale.length * self._zoom
        wide = long + metrics.horizontalAdvance(scale.words) + 30 * self._size
        high = metrics.height() + 6
        plate = QRectF(at.x(), at.y() - high / 2, wide, high)
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(PLATE)
        self._painter.drawRoundedRect(plate, 4, 4)
        start = QPointF(at.x() + 9 * self._size, at.y())
        draw_arrow(self._painter, start, start + QPointF(long, 0), scale.kind, ON_STAGE, self._size, off=0)
        self._painter.setPen(ON_STAGE)
        self._painter.setFont(font)
        words = plate.adjusted(long + 18 * self._size, 0, 0, 0)
        self._painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, scale.words)
        return plate.right()


def _beside(start: QPointF, end: QPointF, away: float) -> tuple[QPointF, QPointF]:
    """Both ends moved to the side: an acceleration along a velocity would hide it."""
    long = math.hypot(end.x() - start.x(), end.y() - start.y())
    if not long:
        return start, end
    side = QPointF((end.y() - start.y()) / long * away, -(end.x() - start.x()) / long * away)
    return start + side, end + side


def draw_arrow(
    painter: QPainter, start: QPointF, end: QPointF, kind: str, colour: QColor, size: float,
    off: float = TAKEN_OFF,
) -> None:  # fmt: skip
    """Draw a velocity as a plain arrow, an acceleration as one with a double shaft and an open head.

    Parameters
    ----------
    painter : QPainter
    start, end : QPointF
    kind : str
        ``velocity`` or ``acceleration``.
    colour : QColor
    size : float
        Enlargement of the marks.
    off : float
        How much at its start is left free for the body, px at size 1; the tip stays where it is.
    """
    long = math.hypot(end.x() - start.x(), end.y() - start.y())
    head = min(HEAD * size, 0.6 * long)
    if long < 2 * size:
        return
    ux, uy = (end.x() - start.x()) / long, (end.y() - start.y()) / long
    free = min(off * size, 0.3 * long)
    begin = QPointF(start.x() + ux * free, start.y() + uy * free)
    neck = QPointF(end.x() - ux * head, end.y() - uy * head)
    wide = WIDE * size * head / (HEAD * size)
    tip = QPolygonF(
        [
            end,
            QPointF(neck.x() - uy * wide, neck.y() + ux * wide),
            QPointF(neck.x() + uy * wide, neck.y() - ux * wide),
        ]
    )
    shafts = [QLineF(begin, neck)]
    if kind == "acceleration":
        side = QPointF(1.9 * size * uy, -1.9 * size * ux)
        shafts = [QLineF(begin + side, neck + side), QLineF(begin - side, neck - side)]
    outline = QPainterPath()
    outline.addPolygon(tip)
    outline.closeSubpath()
    for tint, more in ((HALO, 3.0), (colour, 0.0)):
        pen = QPen(tint, (1.5 if kind == "acceleration" else 2.2) * size + more * size)
        painter.setPen(pen)
        painter.drawLines(*shafts)
        painter.setBrush(tint if kind == "velocity" else Qt.BrushStyle.NoBrush)
        pen.setWidthF((1.2 + more) * size)
        painter.setPen(pen)
        painter.drawPath(outline)
