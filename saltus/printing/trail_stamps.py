"""The trail of readings on the screen, stamped from small images made once."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from saltus.printing.marks import HALO, OPACITIES, shape_path

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.printing.tokens import Look

    Array = NDArray[np.float64]

PHASES = 8
"""A mark lies true to so many parts of a pixel of the screen, each way."""
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
    levels = np.ceil(opacity * OPACITIES) / OPACITIES
    for level in np.unique(levels).tolist():
        some = levels == level
        laid = [QPointF(*at) for at in zip(left[some].tolist(), top[some].tolist(), strict=True)]
        painter.setOpacity(level)
        for stamps in _stamps(look, ratio):
            for corner, phase in zip(laid, phases[some].tolist(), strict=True):
                painter.drawImage(corner, stamps[phase])
    painter.setOpacity(1.0)


@cache
def _stamps(look: Look, ratio: float) -> tuple[list[QImage], list[QImage]]:
    """Halo and outline of a look, at each phase to the right and down."""
    pens = QPen(HALO, 3.2), QPen(QColor(look.stage), 1.4)
    steps = [(right, down) for right in range(PHASES) for down in range(PHASES)]
    halos, lines = ([_stamp(look, pen, ratio, *step) for step in steps] for pen in pens)
    return halos, lines


def _stamp(look: Look, pen: QPen, ratio: float, right: int, down: int) -> QImage:
    side = round(2 * REACH * ratio)
    image = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(pen)
    part = PHASES * ratio
    painter.drawPath(shape_path(look, QPointF(REACH + right / part, REACH + down / part), SIZE))
    painter.end()
    return image
