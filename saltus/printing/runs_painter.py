"""Painting a formula along one line: italic symbols, upright words, high and low letters."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QFont, QFontMetricsF

from saltus.printing.fonts import sans, serif

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PyQt6.QtGui import QPainter

    from saltus.core.notation.line import Run

    Family = Callable[[float, int], QFont]

SMALLER = 0.72
RAISED, LOWERED = 0.36, 0.2
"""How far high and low letters stand off the line, parts of the size."""


def _font(run: Run, size: float, weight: int, family: Family) -> QFont:
    size = size * (SMALLER if run.shift else 1)
    return serif(size, weight, italic=True) if run.italic else family(size, weight)


def runs_width(runs: Sequence[Run], size: float, weight: int = 400, *, family: Family = sans) -> float:
    """How wide runs of letters are, px."""
    return sum(QFontMetricsF(_font(run, size, weight, family)).horizontalAdvance(run.text) for run in runs)


def draw_runs(
    painter: QPainter,
    at: QPointF,
    runs: Sequence[Run],
    size: float,
    weight: int = 400,
    *,
    family: Family = sans,
) -> float:
    """Paint runs of letters from a point of the base line on; gives where they end."""
    x = at.x()
    for run in runs:
        font = _font(run, size, weight, family)
        painter.setFont(font)
        up = {1: RAISED * size, -1: -LOWERED * size}.get(run.shift, 0.0)
        painter.drawText(QPointF(x, at.y() - up), run.text)
        x += QFontMetricsF(font).horizontalAdvance(run.text)
    return x
