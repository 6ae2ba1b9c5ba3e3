"""Marks on pictures and graphs: body shapes, rings, trails, dimension lines, axes, plates."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from saltus.printing.fonts import sans, serif
from saltus.printing.tokens import LIGHT, Look

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from PyQt6.QtGui import QFont

HALO = QColor(12, 16, 16, 165)
PLATE = QColor(12, 16, 16, 204)
ON_STAGE = QColor(LIGHT["onstage"])
OPACITIES = 6
"""Older marks fade in so many steps: those of one step are drawn in one go."""


def shape_path(look: Look, at: QPointF, size: float) -> QPainterPath:
    """Outline of a body's shape, ``size`` px across, centred on a point."""
    path = QPainterPath()
    r = size / 2
    if look.shape == "disc":
        path.addEllipse(at, r, r)
    elif look.shape == "square":
        path.addRect(QRectF(at.x() - r * 0.9, at.y() - r * 0.9, 1.8 * r, 1.8 * r))
    elif look.shape == "triangle":
        corners = [QPointF(at.x(), at.y() - r * 1.15), QPointF(at.x() + r * 1.1, at.y() + r * 0.8)]
        path.addPolygon(QPolygonF([*corners, QPointF(at.x() - r * 1.1, at.y() + r * 0.8)]))
        path.closeSubpath()
    else:
        path.addRect(QRectF(at.x() - r * 1.3, at.y() - r * 0.5, 2.6 * r, r))
    return path


def draw_shape(
    painter: QPainter, look: Look, at: QPointF, size: float, colour: QColor, *, hollow: bool = False
) -> None:
    """Draw a body's shape; open for hollow marks and for looks that repeat a colour."""
    _draw_path(painter, look, shape_path(look, at, size), colour, hollow=hollow)


def draw_shapes(
    painter: QPainter, look: Look, places: Iterable[QPointF], size: float, colour: QColor, *,
    hollow: bool = False,
) -> None:  # fmt: skip
    """Draw a body's shape at many places in one go, see :func:`draw_shape`."""
    _draw_path(painter, look, shapes_path(look, places, size), colour, hollow=hollow)


def _draw_path(painter: QPainter, look: Look, path: QPainterPath, colour: QColor, *, hollow: bool) -> None:
    if hollow or look.open:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.3))
    else:
        painter.setBrush(colour)
        painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPath(path)


def shapes_path(look: Look, places: Iterable[QPointF], size: float) -> QPainterPath:
    """Outlines of a body's shape at many places; where they overlap they are one."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.WindingFill)
    if look.shape == "disc":
        r = size / 2
        for at in places:
            path.addEllipse(at, r, r)
        return path
    shape = shape_path(look, QPointF(0, 0), size)
    for at in places:
        path.addPath(shape.translated(at))
    return path


def draw_ring(painter: QPainter, at: QPointF, radius: float, colour: QColor, *, ghost: bool = False) -> None:
    """Draw the ring of a reading: four 58° arcs with gaps at the axes, 6 px ticks outside, a dark halo."""
    ring, tint = _ring(radius).translated(at), QColor(colour)
    if ghost:
        tint.setAlpha(110)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(HALO, 4.5), QPen(tint, 2)):
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        painter.drawPath(ring)


@lru_cache(maxsize=64)
def _ring(radius: float) -> QPainterPath:
    """Arcs and ticks about the origin; the bodies of a take are mostly read alike well."""
    path, box = QPainterPath(), QRectF(-radius, -radius, 2 * radius, 2 * radius)
    for quarter in range(4):
        path.arcMoveTo(box, 90 * quarter + 16)
        path.arcTo(box, 90 * quarter + 16, 58)
    for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        path.moveTo(dx * (radius + 2), dy * (radius + 2))
        path.lineTo(dx * (radius + 8), dy * (radius + 8))
    return path


def draw_trail(
    painter: QPainter, look: Look, places: Sequence[tuple[QPointF, float]], size: float = 6.0
) -> None:
    """Draw older readings as small open shapes; each with its opacity, 0 to 1."""
    alike: dict[float, list[QPointF]] = {}
    for at, opacity in places:
        alike.setdefault(math.ceil(opacity * OPACITIES) / OPACITIES, []).append(at)
    for opacity, together in sorted(alike.items()):
        path = shapes_path(look, together, size)
        painter.setOpacity(opacity)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(HALO, 3.2))
        painter.drawPath(path)
        painter.setPen(QPen(QColor(look.stage), 1.4))
        painter.drawPath(path)
    painter.setOpacity(1.0)


def draw_plate(
    painter: QPainter, at: QPointF, text: str, font: QFont | None = None, anchor: str = "centre"
) -> QRectF:
    """Write light text on a dark plate; ``anchor`` says which point of the plate lies at ``at``.

    Returns
    -------
    QRectF
        The plate.
    """
    font = font or sans(13, 600)
    box = _plate(at, text, font, anchor)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(PLATE)
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(ON_STAGE)
    painter.setFont(font)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box


def draw_plates_below(painter: QPainter, named: Iterable[tuple[QPointF, str]], font: QFont) -> list[QRectF]:
    """Write names below places, on plates; one that would lie on another goes under it. Gives the plates."""
    laid: list[QRectF] = []
    for at, text in named:
        box = _plate(at, text, font, "below")
        while (other := next((o for o in laid if o.intersects(box)), None)) is not None:
            box.moveTop(other.bottom() + 2)
        laid.append(draw_plate(painter, QPointF(at.x(), box.top()), text, font, "below"))
    return laid


def _plate(at: QPointF, text: str, font: QFont, anchor: str) -> QRectF:
    metrics = QFontMetricsF(font)
    width, height = metrics.horizontalAdvance(text) + 16, metrics.height() + 6
    left = {
        "centre": at.x() - width / 2,
        "left": at.x(),
        "right": at.x() - width,
        "below": at.x() - width / 2,
    }
    return QRectF(left[anchor], at.y() if anchor == "below" else at.y() - height / 2, width, height)


def draw_dimension(
    painter: QPainter, a: QPointF, b: QPointF, text: str, offset: float = 26.0, *, ends: bool = True
) -> None:
    """Draw a dimension line beside the two ends: extension lines, slim arrows, the label on the line."""
    length = math.hypot(b.x() - a.x(), b.y() - a.y())
    if length < 2:
        return
    ux, uy = (b.x() - a.x()) / length, (b.y() - a.y()) / length
    if ux < -1e-9 or (abs(ux) < 1e-9 and uy > 0):
        a, b, ux, uy = b, a, -ux, -uy
    nx, ny = uy, -ux
    p, q = (QPointF(e.x() + nx * offset, e.y() + ny * offset) for e in (a, b))
    lines = [QLineF(p, q)]
    for end, foot in ((a, p), (b, q)):
        gap = 9 if ends else 2
        start = QPointF(end.x() + nx * gap, end.y() + ny * gap)
        lines.append(QLineF(start, QPointF(foot.x() + nx * 7, foot.y() + ny * 7)))
    arrows = QPainterPath()
    for tip, sign in ((p, 1.0), (q, -1.0)):
        back = QPointF(tip.x() + sign * 11 * ux, tip.y() + sign * 11 * uy)
        sides = [QPointF(back.x() + s * 3 * nx, back.y() + s * 3 * ny) for s in (1, -1)]
        arrows.addPolygon(QPolygonF([tip, *sides]))
        arrows.closeSubpath()
    for pen in (QPen(HALO, 4), QPen(ON_STAGE, 1.4)):
        painter.setPen(pen)
        painter.drawLines(*lines)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ON_STAGE)
    painter.drawPath(arrows)
    if text:
        painter.save()
        painter.translate((p.x() + q.x()) / 2, (p.y() + q.y()) / 2)
        painter.rotate(math.degrees(math.atan2(uy, ux)))
        draw_plate(painter, QPointF(0, 0), text)
        painter.restore()


def draw_axes(
    painter: QPainter,
    origin: QPointF,
    ways: Sequence[tuple[float, float]],
    arm: float,
    grades: Sequence[Sequence[tuple[float, str]]],
) -> None:
    """Draw the origin as a corner with graduated arms.

    Parameters
    ----------
    painter : QPainter
    origin : QPointF
    ways : two of (right, down)
        Directions of x and y on the screen, of unit length.
    arm : float
        Length of the arms, px.
    grades : two sequences of (float, str)
        Distance from the origin in px and label of each graduation of the x arm, and of the y arm.
    """
    (x_right, x_down), (y_right, y_down) = ways

    def at(along: float, across: float) -> QPointF:
        return QPointF(
            origin.x() + along * x_right + across * y_right, origin.y() + along * x_down + across * y_down
        )

    lines = [QLineF(at(0, 0), at(arm, 0)), QLineF(at(0, 0), at(0, 0.55 * arm))]
    lines += [QLineF(at(d, 0), at(d, 7)) for d, _label in grades[0] if 0 < d <= arm]
    lines += [QLineF(at(0, d), at(7, d)) for d, _label in grades[1] if 0 < d <= 0.55 * arm]
    for pen in (QPen(HALO, 5), QPen(ON_STAGE, 2)):
        painter.setPen(pen)
        painter.drawLines(*lines)
    painter.setBrush(QBrush(ON_STAGE))
    painter.setPen(QPen(HALO, 2))
    painter.drawEllipse(origin, 4, 4)
    draw_plate(painter, at(-24, -14), "0", sans(12.5, 600))
    if grades[0]:
        distance, label = grades[0][-1]
        draw_plate(painter, at(distance, -18), label, sans(12.5, 600))
    draw_plate(painter, at(arm + 8, 20), "x", _symbol_font())
    draw_plate(painter, at(-18, 0.55 * arm - 4), "y", _symbol_font())


def _symbol_font() -> QFont:
    return serif(14, italic=True)
