"""How a graph looks, and where it lies once it is drawn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QColor

from saltus.printing.tokens import DARK, LIGHT, look

if TYPE_CHECKING:
    from PyQt6.QtCore import QPointF, QRectF


@dataclass(frozen=True)
class Style:
    """How a graph looks: colours by token, and text sizes in px."""

    colours: dict[str, str]
    tick_size: float = 12.0
    label_size: float = 13.0
    point_size: float = 6.0
    dark: bool = False
    paper: bool = False

    def body(self, number: int) -> QColor:
        """Colour of a body on this ground."""
        chosen = look(number)
        return QColor(chosen.stage if self.dark else chosen.paper)


PAPER = Style(LIGHT | {"card": "#FFFFFF"}, tick_size=12, label_size=13, point_size=5, paper=True)
SCREEN_LIGHT = Style(LIGHT)
SCREEN_DARK = Style(DARK, dark=True)


@dataclass(frozen=True)
class Plot:
    """Where a drawn graph lies: its plot area, the mapping from values to points, the label of its y axis."""

    area: QRectF
    x_range: tuple[float, float]
    y_range: tuple[float, float]
    label_at: QPointF | None = None

    def px(self, x: Any) -> Any:
        """Horizontal place of a value, or of an array of them."""
        low, high = self.x_range
        return self.area.left() + (x - low) * (self.area.width() / (high - low))

    def py(self, y: Any) -> Any:
        """Vertical place of a value, or of an array of them."""
        low, high = self.y_range
        return self.area.bottom() - (y - low) * (self.area.height() / (high - low))

    def value_x(self, px: float) -> float:
        """The value at a horizontal place."""
        low, high = self.x_range
        return low + (px - self.area.left()) / max(self.area.width(), 1e-9) * (high - low)
