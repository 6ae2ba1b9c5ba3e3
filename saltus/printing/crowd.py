"""Points so many that they lie on each other: what can be told apart is drawn, and no outlier is missed."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap

from saltus.printing.marks import HALO, draw_shape, draw_shapes, draw_trail, shape_path

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.printing.tokens import Look

    Array = NDArray[np.float64]
    Indices = NDArray[np.int_]

FROM = 400
"""Fewer points are drawn one by one, as large as they are on paper."""
CELL_PX = 0.75
"""Marks nearer to each other than this, across and down, are one."""
MOST, COARSER = 5000, 1.4
"""Where more are left, what is a little farther apart is one, too."""


def told_apart(*places: Array) -> Indices:
    """Choose one of all points that lie on each other.

    Parameters
    ----------
    *places : (N,) ndarray
        Coordinates on the screen, px; for a bar its place, its low and its high end.

    Returns
    -------
    (M,) ndarray of int
        Increasing. Every point is within a mark's width of one that is chosen, so that single ones stay.
    """
    finite = np.all([np.isfinite(p) & (np.abs(p) < 1e6) for p in places], axis=0)
    chosen = np.flatnonzero(finite)
    cell = CELL_PX
    while len(chosen):
        cells = np.stack([np.floor(p[chosen] / cell) for p in places]).astype(np.int64)
        _unique, first = np.unique(_keys(cells), return_index=True)
        chosen = chosen[np.sort(first)]
        if len(chosen) <= MOST:
            break
        cell *= COARSER
    return chosen


def _keys(cells: NDArray[np.int64]) -> NDArray[np.int64]:
    """One number for each cell."""
    low = cells.min(axis=1, keepdims=True)
    sizes = (cells - low).max(axis=1) + 1
    key = np.zeros(cells.shape[1], dtype=np.int64)
    for part, size in zip(cells - low, sizes, strict=True):
        key = key * size + part
    return key


def draw_bars(painter: QPainter, x: Array, low: Array, high: Array) -> None:
    """Draw upright bars in the painter's pen; all in px."""
    chosen = told_apart(x, low, high)
    rows = zip(x[chosen].tolist(), low[chosen].tolist(), high[chosen].tolist(), strict=True)
    _draw_lines(painter, [QLineF(a, b, a, c) for a, b, c in rows])


def draw_bars_across(painter: QPainter, y: Array, left: Array, right: Array) -> None:
    """Draw level bars in the painter's pen; all in px."""
    chosen = told_apart(y, left, right)
    rows = zip(y[chosen].tolist(), left[chosen].tolist(), right[chosen].tolist(), strict=True)
    _draw_lines(painter, [QLineF(b, a, c, a) for a, b, c in rows])


def _draw_lines(painter: QPainter, lines: list[QLineF]) -> None:
    if lines:
        painter.drawLines(lines[0], *lines[1:])


def draw_crowd(
    painter: QPainter, look: Look, x: Array, y: Array, size: float, colour: QColor, *, hollow: bool = False
) -> None:
    """Draw a body's shape at many places, px."""
    if len(x) < FROM:
        places = zip(x.tolist(), y.tolist(), strict=True)
        draw_shapes(painter, look, (QPointF(*at) for at in places), size, colour, hollow=hollow)
        return
    draw_stamps(
        painter, x, y, size, lambda on: draw_shape(on, look, QPointF(0, 0), size, colour, hollow=hollow)
    )


def draw_long_trail(painter: QPainter, look: Look, x: Array, y: Array, size: float) -> None:
    """Draw readings over a picture as small open shapes, each with its halo; all in px."""
    if len(x) < FROM:
        places = zip(x.tolist(), y.tolist(), strict=True)
        draw_trail(painter, look, [(QPointF(a, b), 1.0) for a, b in places], size)
        return
    shape = shape_path(look, QPointF(0, 0), size)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(HALO, 3.2), QPen(QColor(look.stage), 1.4)):

        def draw(on: QPainter, pen: QPen = pen) -> None:
            on.setPen(pen)
            on.drawPath(shape)

        draw_stamps(painter, x, y, size + 4, draw)


def draw_stamps(painter: QPainter, x: Array, y: Array, size: float, draw: Callable[[QPainter], None]) -> None:
    """Draw one mark at many places, those that can be told apart; it is drawn once, about the origin.

    Parameters
    ----------
    painter : QPainter
    x, y : (N,) ndarray
        px
    size : float
        How far across the mark is, px.
    draw : callable
    """
    chosen = told_apart(x, y)
    if not len(chosen):
        return
    device = painter.device()
    ratio = (device.devicePixelRatioF() if device is not None else 1.0) * painter.transform().m11()
    side = math.ceil((1.4 * size + 4) * ratio) | 1
    stamp = QPixmap(side, side)
    stamp.fill(Qt.GlobalColor.transparent)
    on = QPainter(stamp)
    on.setRenderHint(QPainter.RenderHint.Antialiasing)
    on.translate(side / 2, side / 2)
    on.scale(ratio, ratio)
    draw(on)
    on.end()
    source, factor = QRectF(0, 0, side, side), 1 / ratio
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    fragment = QPainter.PixmapFragment.create
    places = zip(x[chosen].tolist(), y[chosen].tolist(), strict=True)
    fragments: Any = [fragment(QPointF(a, b), source, factor, factor) for a, b in places]
    painter.drawPixmapFragments(fragments, stamp)
    painter.restore()
