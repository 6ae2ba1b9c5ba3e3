"""A set formula as a widget, and as a picture for tips."""

from __future__ import annotations

import base64
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QIODevice, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.notation.line import as_text
from saltus.printing.formula_painter import formula_image, lay
from saltus.ui.kit.plain_text import escaped
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.core.notation.boxes import Box

SIZE = 16.0


class FormulaLabel(Scaled, QWidget):
    """Shows a formula, smaller where there is no room for it."""

    def __init__(self) -> None:
        super().__init__()
        self._box: Box | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setVisible(False)

    def show_formula(self, box: Box | None) -> None:
        """Show a formula; None shows nothing."""
        self._box = box
        self.setVisible(box is not None)
        words = as_text(box) if box is not None else ""
        self.setAccessibleName(words)
        self.setToolTip(escaped(words))
        self.updateGeometry()
        self.update()

    def text(self) -> str:
        """The formula along one line."""
        return as_text(self._box) if self._box is not None else ""

    def sizeHint(self) -> QSize:
        if self._box is None:
            return QSize(0, 0)
        laid = lay(self._box, SIZE)
        return QSize(scaled(min(laid.wide + 4, 60)), scaled(laid.up + laid.down + 8))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: object) -> None:
        if self._box is None:
            return
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("ink"))
        laid = lay(self._box, SIZE)
        fits = min(1.0, self.wide / max(laid.wide + 2, 1.0))
        painter.scale(fits, fits)
        laid.paint(painter, 0.0, 4 + laid.up)


def formula_tip(words: str, box: Box | None) -> str:
    """A tip with words and, below them, a set formula as a picture."""
    if box is None:
        return f"<p>{escaped(words)}</p>"
    image, laid = formula_image(box, SIZE, theme.colour("ink"))
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    data = base64.b64encode(bytes(buffer.data().data())).decode()
    wide, high = round(laid.wide) + 4, round(laid.up + laid.down) + 4
    size = f"width='{wide}' height='{high}' alt='{escaped(as_text(box))}'"
    picture = f"<img src='data:image/png;base64,{data}' {size}/>"
    return f"<p>{escaped(words)}</p><p>{picture}</p>"
