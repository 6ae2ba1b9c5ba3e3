"""Where a result lies between what it could be, as a widget."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.statement import unit_tail, written_number
from saltus.core.wording import _
from saltus.printing.figures import SPAN_HIGH, draw_span
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.exchange.sheet_data import Span


class SpanView(Scaled, QWidget):
    """A bar with both ends named, and the result with its ± on it."""

    def __init__(self) -> None:
        super().__init__()
        self._span: Span | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(scaled(int(SPAN_HIGH)))
        self.setVisible(False)

    def show_span(self, span: Span | None) -> None:
        """Show where a result lies; None shows nothing."""
        self._span = span
        self.setVisible(span is not None)
        if span is not None:
            low, high = (written_number(v, 3) + unit_tail(span.unit) for v in (span.low, span.high))
            words = _("Between {low}, {what_low}, and {high}, {what_high}").format(
                low=low, high=high, what_low=span.words[0], what_high=span.words[1]
            )
            self.setAccessibleName(words)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(scaled(200), scaled(int(SPAN_HIGH)))

    def paintEvent(self, event: object) -> None:
        if self._span is not None:
            ink, accent = theme.colour("ink"), theme.colour("accent")
            draw_span(self.painter(), QRectF(0, 0, self.wide, self.high), self._span, ink, accent)
