"""A plane with its grid, further lengths, marks along a line and bent edges, drawn over a picture."""

from __future__ import annotations

import textwrap
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from saltus.core.statement import stated, to_figures
from saltus.core.units import METRE
from saltus.core.wording import _
from saltus.exchange.chart import ticks
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.geometry_words import reference_name
from saltus.notebook.derived.lengths import checked_lengths
from saltus.printing.fonts import sans
from saltus.printing.marks import HALO, ON_STAGE, draw_dimension, draw_plate

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.notebook.model import Take

    Placed = Callable[[float, float], QPointF]

BENT, OFF = QColor("#7FD3E6"), QColor("#FFAA7A")
DIFFERENCE = 4
GRID_LINES, GRID_STEPS = 12, 24
GREATEST_BEND = 60.0
"""A bend is drawn so many times larger that it is about as many px high, by 1, 5, 10, 20 or 50."""


def draw_laid(painter: QPainter, take: Take, place: Placed, frame: int = 0) -> None:
    """Draw all that is laid over a frame of a take beside the first length and the axes.

    Parameters
    ----------
    painter : QPainter
    take : Take
    place : callable
        From picture coordinates to the painter's.
    frame : int
        Where the camera moves, everything lies where it is seen then.
    """
    found = geometry_of(take)

    def steady(x: float, y: float) -> QPointF:
        return place(*found.camera.moved([(x, y)], None, frame)[0])

    if found.base.ground is not None:
        draw_grid(painter, take, steady)
    _draw_track(painter, take, place, frame)
    _draw_edges(painter, take, place)
    checked = {c.laid.id: c for c in checked_lengths(take)}
    _draw_differences(painter, take, steady)
    for other in take.geometry.others:
        laid = found.camera.seen((other.start, other.end), other.frame, frame)
        ends = place(*laid[0]), place(*laid[1])
        if not other.check:
            draw_dimension(painter, *ends, other.length.words if other.length is not None else "")
            continue
        _dashed(painter, *ends)
        name = textwrap.shorten(reference_name(take, other.id), 18, placeholder="…")
        words = name if other.length is None else f"{name}  {other.length.words}"
        if other.id in checked:
            q = checked[other.id].measured
            words += f" \u2192 {stated(float(q), q.U95, METRE)}"
        draw_plate(painter, 0.5 * (ends[0] + ends[1]) + QPointF(0, 18), words, sans(12.5, 600))
    if take.axes is not None and take.axes.line is not None:
        line = found.camera.seen(take.axes.line, take.axes.frame, frame)
        _dashed(painter, place(*line[0]), place(*line[1]))


def _draw_differences(painter: QPainter, take: Take, place: Placed) -> None:
    """Past the end of each reference length by how much it is off, drawn larger, where they do not agree."""
    together = geometry_of(take).together
    differing = together.each if together is not None and together.agree is False else ()
    worst = max(differing, key=lambda a: a.apart or 0.0, default=None)
    for against in differing:
        start, end = (np.array(at) for at in against.reference.placed)
        percent = -(against.percent or 0.0)
        off = np.clip(percent / 100 * DIFFERENCE, -0.5, 0.5) * (end - start)
        ends = place(*map(float, end)), place(*map(float, end + off))
        for pen in (QPen(HALO, 7), QPen(OFF, 4)):
            painter.setPen(pen)
            painter.drawLine(*ends)
        if against is not worst:
            continue
        words = (
            _("looks {percent} % longer, drawn {n} times")
            if percent > 0
            else _("looks {percent} % shorter, drawn {n} times")
        )
        words = words.format(percent=to_figures(abs(percent), 2), n=DIFFERENCE)
        draw_plate(painter, 0.5 * (ends[0] + ends[1]) + QPointF(0, 22), words, sans(12, 600))


def draw_corners(painter: QPainter, corners: list[QPointF]) -> None:
    """Draw the corners that were clicked so far, with their numbers, px of the painter."""
    for pen in (QPen(HALO, 4), QPen(ON_STAGE, 1.6, Qt.PenStyle.DashLine)):
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(corners))
    for n, at in enumerate(corners, 1):
        painter.setPen(QPen(HALO, 3))
        painter.setBrush(ON_STAGE)
        painter.drawEllipse(at, 5.5, 5.5)
        draw_plate(painter, at + QPointF(14, -12), str(n), sans(12.5, 600))


def draw_grid(painter: QPainter, take: Take, place: Placed) -> None:
    """Draw a grid at round metres over the plane, with what one square is worth.

    The lines run as the picture has them, through lens and plane, so that the eye can check.
    """
    found = geometry_of(take)
    ground, base = found.base.ground, found.base
    assert ground is not None
    corners = ground.places(ground.straight)
    (left, low), (right, high) = corners.min(axis=1), corners.max(axis=1)
    if high - low < 1e-6:
        return
    steps = ticks(0.0, max(right - left, high - low), GRID_LINES)
    step = steps[1] - steps[0] if len(steps) > 1 else max(right - left, high - low)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    lines = [np.stack([np.full(GRID_STEPS, x), np.linspace(low, high, GRID_STEPS)])
             for x in np.arange(np.ceil(left / step - 1e-9), right / step + 1e-9) * step]  # fmt: skip
    lines += [np.stack([np.linspace(left, right, GRID_STEPS), np.full(GRID_STEPS, y)])
              for y in np.arange(np.ceil(low / step - 1e-9), high / step + 1e-9) * step]  # fmt: skip
    pens = (QPen(QColor(10, 16, 20, 90), 2.6), QPen(QColor(255, 255, 255, 150), 1.1))
    for line in lines:
        straight = ground.picture(line)
        seen = base.lens.bent(straight) if base.lens is not None else straight
        way = QPolygonF([place(float(x), float(y)) for x, y in seen.T])
        for pen in pens:
            painter.setPen(pen)
            painter.drawPolyline(way)
    top = max((place(float(x), float(y)) for x, y in ground.seen), key=lambda at: at.x() - at.y())
    words = _("{step:g} m grid on the plane").format(step=step)
    draw_plate(painter, top + QPointF(-70, -20), words, sans(12.5, 600))


def _dashed(painter: QPainter, start: QPointF, end: QPointF) -> None:
    for pen in (QPen(HALO, 4), QPen(ON_STAGE, 1.6, Qt.PenStyle.DashLine)):
        painter.setPen(pen)
        painter.drawLine(start, end)


def _draw_track(painter: QPainter, take: Take, place: Placed, frame: int) -> None:
    track = take.geometry.track
    if track is None:
        return
    camera = geometry_of(take).camera
    spots = [place(*p) for p in camera.seen([m.place for m in track.marks], track.frame, frame)]
    if len(spots) > 1:
        _dashed(painter, spots[0], spots[-1])
    for mark, spot in zip(track.marks, spots, strict=True):
        words = f"{mark.distance:g} m" if mark.distance is not None else "?"
        draw_plate(painter, spot + QPointF(0, -18), words, sans(12.5, 600))


def _draw_edges(painter: QPainter, take: Take, place: Placed) -> None:
    """Each straight edge with its chord and its marks, the bend drawn larger, by a factor that is told."""
    edges = take.geometry.edges
    for edge in edges.edges if edges is not None else ():
        spots = np.array(edge)
        if len(spots) < 2:
            continue
        _dashed(painter, place(*edge[0]), place(*edge[-1]))
        off, factor = _exaggerated(spots)
        way = QPolygonF([place(float(x), float(y)) for x, y in off])
        for pen in (QPen(HALO, 4), QPen(BENT, 1.8)):
            painter.setPen(pen)
            painter.drawPolyline(way)
        if factor > 1:
            words = _("bend drawn {n} times").format(n=factor)
            draw_plate(painter, place(*map(float, off[len(off) // 2])) + QPointF(0, 18), words, sans(12, 600))


def _exaggerated(spots: NDArray[np.float64]) -> tuple[NDArray[np.float64], int]:
    """Marks with their distance from the chord made larger, (M, 2) px, and how many times."""
    along = spots[-1] - spots[0]
    normal = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-9)
    off = (spots - spots[0]) @ normal
    most = float(np.max(np.abs(off)))
    factor = next((f for f in (50, 20, 10, 5) if f * most <= GREATEST_BEND), 1) if most > 0 else 1
    return spots + np.outer((factor - 1) * off, normal), factor
