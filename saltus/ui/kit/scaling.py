"""Text size, 100 to 200 %: what paints itself is painted larger, style sheets get larger type."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from saltus.printing.fonts import sans

if TYPE_CHECKING:
    from PyQt6.QtGui import QFont, QMouseEvent

LEAST, MOST = 100, 200
_IN_PX = re.compile(r"(?<=font-size: )([\d.]+)px")
_now = {"factor": 1.0}


def set_text_size(percent: float) -> None:
    """Set the size of text for windows made from now on, per cent of the usual."""
    _now["factor"] = min(max(percent, LEAST), MOST) / 100


def text_factor() -> float:
    """How much larger than usual text is."""
    return _now["factor"]


def scaled(length: float) -> int:
    """Give a length in px that goes with text, as it must be now."""
    return round(length * text_factor())


def column_width(width: float) -> int:
    """Give the width of a column of text, which grows less than its text: the picture needs room too."""
    return round(width * (1 + 0.8 * (text_factor() - 1)))


def sized(style: str) -> str:
    """Give a style sheet with its type sizes as they must be now."""
    return _IN_PX.sub(lambda m: f"{float(m[1]) * text_factor():g}px", style)


def plate_font(size: float, weight: int = 400) -> QFont:
    """Give a font for text on pictures, which are not painted larger themselves."""
    return sans(size * text_factor(), weight)


class Scaled:
    """Mixin for widgets that paint themselves in the lengths of usual text."""

    def painter(self) -> QPainter:
        """Give a painter that enlarges everything by the text factor."""
        made: QPainter = QPainter(self)  # type: ignore[call-overload]
        made.scale(text_factor(), text_factor())
        return made

    @property
    def wide(self) -> float:
        """Width in the lengths of usual text."""
        return float(self.width()) / text_factor()  # type: ignore[attr-defined]

    @property
    def high(self) -> float:
        """Height in the lengths of usual text."""
        return float(self.height()) / text_factor()  # type: ignore[attr-defined]

    @property
    def area(self) -> QRectF:
        """The whole widget in the lengths of usual text."""
        return QRectF(0, 0, self.wide, self.high)

    def spot(self, event: QMouseEvent) -> QPointF:
        """Where a mouse event is, in the lengths of usual text."""
        return event.position() / text_factor()
