"""Lengths, angles, circles, filmed scales and fixed points, drawn over a picture."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from saltus.core.geometry.circle import middle_of
from saltus.core.geometry.components import by_component
from saltus.core.geometry.divisions import Dial
from saltus.core.geometry.geometry_error import GeometryError
from saltus.exchange.measured_words import leading_words, reading_words
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.geometry import geometry_of
from saltus.printing.fonts import sans
from saltus.printing.marks import HALO, ON_STAGE, draw_dimension, draw_plate

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from saltus.notebook.measuring import FilmedScale, Measure
    from saltus.notebook.model import Take

    Placed = Callable[[float, float], QPointF]

MEASURED, POINTED = QColor("#7FD3E6"), QColor("#FFB54A")
ARC_PX = 46.0
PIN_PX = 11.0


def draw_measures(painter: QPainter, take: Take, place: Placed, frame: int, chosen: str | None) -> None:
    """Draw what was measured in the picture, with its value.

    Parameters
    ----------
    painter : QPainter
    take : Take
    place : callable
        From picture coordinates to the painter's.
    frame : int
        Where the camera moves, everything lies where it is seen then.
    chosen : str or None
        Id of the one in hand.
    """
    camera = geometry_of(take).camera
    for measure in take.measures:
        spots = [place(*p) for p in camera.seen(measure.places, measure.frame, frame)]
        words = leading_words(take, measure)
        if measure.kind == "length":
            draw_dimension(painter, spots[0], spots[1], words, 18.0)
            continue
        tint = POINTED if measure.id == chosen else MEASURED
        _draw_other(painter, measure, spots, tint, words)


def _draw_other(painter: QPainter, measure: Measure, spots: list[QPointF], tint: QColor, words: str) -> None:
    if measure.kind == "circle":
        at = _draw_circle(painter, spots, tint)
    elif measure.kind == "height":
        corner = QPointF(spots[0].x(), spots[1].y())
        _lines(painter, [spots[0], corner], tint, Qt.PenStyle.SolidLine)
        _lines(painter, [corner, spots[1]], tint, Qt.PenStyle.DotLine)
        at = 0.5 * (spots[0] + corner)
    elif measure.kind == "slope":
        _lines(painter, spots, tint, Qt.PenStyle.SolidLine)
        at = 0.5 * (spots[0] + spots[1])
    else:
        _lines(painter, spots, tint, Qt.PenStyle.SolidLine)
        at = _draw_arc(painter, spots, tint)
    draw_plate(painter, at + QPointF(0, -20), words, sans(12.5, 600))


def _lines(painter: QPainter, spots: Sequence[QPointF], tint: QColor, style: Qt.PenStyle) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(HALO, 4), QPen(tint, 1.8, style)):
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(spots))


def _draw_arc(painter: QPainter, spots: list[QPointF], tint: QColor) -> QPointF:
    """An arc at the vertex between both arms; gives where its words go."""
    end, vertex, other = spots
    angles = [math.degrees(math.atan2(vertex.y() - p.y(), p.x() - vertex.x())) for p in (end, other)]
    span = math.remainder(angles[1] - angles[0], 360.0)
    box = QRectF(vertex.x() - ARC_PX, vertex.y() - ARC_PX, 2 * ARC_PX, 2 * ARC_PX)
    for pen in (QPen(HALO, 4), QPen(tint, 1.8)):
        painter.setPen(pen)
        painter.drawArc(box, round(16 * angles[0]), round(16 * span))
    middle = math.radians(angles[0] + span / 2)
    return vertex + 1.5 * ARC_PX * QPointF(math.cos(middle), -math.sin(middle))


def _draw_circle(painter: QPainter, spots: list[QPointF], tint: QColor) -> QPointF:
    try:
        middle, radius = middle_of(by_component([(p.x(), p.y()) for p in spots]))
    except GeometryError:
        _lines(painter, spots, tint, Qt.PenStyle.DashLine)
        return spots[0]
    centre = QPointF(*map(float, middle))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(HALO, 4), QPen(tint, 1.8)):
        painter.setPen(pen)
        painter.drawEllipse(centre, radius, radius)
        painter.drawLine(centre + QPointF(-6, 0), centre + QPointF(6, 0))
        painter.drawLine(centre + QPointF(0, -6), centre + QPointF(0, 6))
    return centre


def draw_scales(painter: QPainter, take: Take, place: Placed, frame: int, chosen: str | None) -> None:
    """Draw the known divisions of filmed scales, and where the pointer of each is in a frame.

    Parameters
    ----------
    painter, take, place, frame
        As of :func:`draw_measures`.
    chosen : str or None
        Id of the scale in hand: its divisions carry their values.
    """
    for scale in take.filmed_scales:
        _draw_scale(painter, take, scale, place, frame, named=scale.id == chosen)


def _draw_scale(
    painter: QPainter, take: Take, scale: FilmedScale, place: Placed, frame: int, *, named: bool
) -> None:
    camera, found = geometry_of(take).camera, scale_found(take, scale)
    spots = [place(*p) for p in camera.seen([d.place for d in scale.divisions], scale.frame, frame)]
    if isinstance(found.law, Dial):
        _draw_circle(painter, spots, MEASURED) if len(spots) > 2 and scale.middle is None else None
    elif len(spots) > 1:
        _lines(painter, _outer(spots), MEASURED, Qt.PenStyle.SolidLine)
    for division, spot in zip(scale.divisions, spots, strict=True):
        _cross(painter, spot, MEASURED)
        if named:
            words = division.text or ("?" if division.value is None else f"{division.value:g}")
            draw_plate(painter, spot + QPointF(0, -16), words, sans(12, 600))
    middle = None
    if scale.kind == "round" and scale.middle is not None:
        middle = place(*camera.seen([scale.middle], scale.frame, frame)[0])
        _cross(painter, middle, MEASURED)
    for reading in found.readings:
        if reading.frame != frame:
            continue
        at = place(*reading.place)
        if isinstance(found.law, Dial) and middle is not None:
            _lines(painter, [middle, at], POINTED, Qt.PenStyle.SolidLine)
        _cross(painter, at, POINTED)
        draw_plate(painter, at + QPointF(0, 36), reading_words(scale, reading.value), sans(13, 600))


def _outer(spots: list[QPointF]) -> list[QPointF]:
    """The two of several places that lie farthest apart."""
    at = np.array([(p.x(), p.y()) for p in spots])
    first = int(np.argmax(np.hypot(*(at - at.mean(axis=0)).T)))
    second = int(np.argmax(np.hypot(*(at - at[first]).T)))
    return [spots[first], spots[second]]


def _cross(painter: QPainter, at: QPointF, tint: QColor) -> None:
    for pen in (QPen(HALO, 4.5), QPen(tint, 2)):
        painter.setPen(pen)
        painter.drawLine(at + QPointF(-6, -6), at + QPointF(6, 6))
        painter.drawLine(at + QPointF(-6, 6), at + QPointF(6, -6))


def draw_pins(painter: QPainter, take: Take, place: Placed, frame: int) -> None:
    """Draw the points that stand still, where they were read in a frame: a ring about a dot."""
    for body in take.fixed_points:
        reading = body.readings.at(frame)
        if reading is None:
            continue
        at = place(reading.x, reading.y)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(HALO, 4.5), QPen(ON_STAGE, 2)):
            painter.setPen(pen)
            painter.drawEllipse(at, PIN_PX, PIN_PX)
        painter.setBrush(ON_STAGE)
        painter.setPen(QPen(HALO, 2))
        painter.drawEllipse(at, 3.5, 3.5)
        draw_plate(painter, at + QPointF(PIN_PX + 6, 0), body.name, sans(12.5, 600), "left")
