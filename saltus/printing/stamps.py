"""Trails and rings of readings on the screen, stamped from small images made once."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from saltus.printing.marks import HALO, OPACITIES, draw_ring, shape_path

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.printing.tokens import Look

    Array = NDArray[np.float64]

PHASES = 8
"""A mark lies true to so many parts of a pixel of the screen, each way."""
PHASES_OF_RINGS = 4
LARGEST = 60.0
"""Larger rings are rare, and would fill the memory."""
SIZE = 6.0
REACH = 8
"""Half the width of a stamp: the largest shape with its halo, and a part of a pixel."""


def stamp_trail(painter: QPainter, look: Look, x: Array, y: Array, opacity: Array) -> None:
    """Draw older readings as :func:`saltus.printing.marks.draw_trail` does, for a screen that is not turned.

    Parameters
    ----------
    painter : QPainter
        Its transform shifts and nothing else.
    look : Look
    x, y : (N,) ndarray
        Where each lies, px.
    opacity : (N,) ndarray
        0 to 1.
    """
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    fine = PHASES * ratio
    (right, part_right), (down, part_down) = (
        np.divmod(np.rint(fine * v).astype(int), PHASES) for v in (x, y)
    )
    phases = part_right * PHASES + part_down
    left, top = right / ratio - REACH, down / ratio - REACH
    levels = np.ceil(opacity * OPACITIES).astype(int)
    # the faintest lie under the others
    order = np.argsort(levels, kind="stable")
    rows = zip(*(v[order].tolist() for v in (left, top, levels, phases)), strict=True)
    for at_x, at_y, level, phase in rows:
        painter.drawImage(QPointF(at_x, at_y), _stamp(look, ratio, level, phase))


@lru_cache(maxsize=4096)
def _stamp(look: Look, ratio: float, level: int, phase: int) -> QImage:
    right, down = divmod(phase, PHASES)
    image, painter = _blank(REACH, ratio)
    painter.setOpacity(level / OPACITIES)
    part = PHASES * ratio
    shape = shape_path(look, QPointF(REACH + right / part, REACH + down / part), SIZE)
    for pen in (QPen(HALO, 3.2), QPen(QColor(look.stage), 1.4)):
        painter.setPen(pen)
        painter.drawPath(shape)
    painter.end()
    return image


def stamp_ring(painter: QPainter, at: QPointF, radius: float, colour: QColor, *, ghost: bool = False) -> None:
    """Draw the ring of a reading as :func:`saltus.printing.marks.draw_ring` does, see :func:`stamp_trail`."""
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    if radius > LARGEST:
        draw_ring(painter, at, radius, colour, ghost=ghost)
        return
    reach = math.ceil(radius) + 10
    parts = (round(PHASES_OF_RINGS * ratio * v) for v in (at.x(), at.y()))
    (x, right), (y, down) = (divmod(part, PHASES_OF_RINGS) for part in parts)
    stamp = _ring_stamp(radius, colour.rgb(), ratio, right, down, ghost=ghost)
    painter.drawImage(QPointF(x / ratio - reach, y / ratio - reach), stamp)


@lru_cache(maxsize=128)
def _ring_stamp(radius: float, rgb: int, ratio: float, right: int, down: int, *, ghost: bool) -> QImage:
    reach, part = math.ceil(radius) + 10, PHASES_OF_RINGS * ratio
    image, painter = _blank(reach, ratio)
    draw_ring(painter, QPointF(reach + right / part, reach + down / part), radius, QColor(rgb), ghost=ghost)
    painter.end()
    return image


def _blank(reach: int, ratio: float) -> tuple[QImage, QPainter]:
    """An empty stamp, and what paints it."""
    side = round(2 * reach * ratio)
    image = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    return image, painter
