"""The bar at the foot: what limits the result, and what would help most."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QToolTip, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.printing.tokens import SOURCES
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import button, label

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QMouseEvent

    from saltus.notebook.derived.advice import Limits

SMALL = 0.06
_HATCH = {
    "back": Qt.BrushStyle.BDiagPattern,
    "vertical": Qt.BrushStyle.VerPattern,
    "diagonal": Qt.BrushStyle.FDiagPattern,
    "dots": Qt.BrushStyle.Dense6Pattern,
}


class ShareBar(Scaled, QWidget):
    """Shares of the variance side by side: colour, hatching and name."""

    def __init__(self) -> None:
        super().__init__()
        self._items: tuple[tuple[str, str, float], ...] = ()
        self.setFixedHeight(scaled(32))
        self.setMinimumWidth(200)
        self.setMaximumWidth(430)
        self.setMouseTracking(True)
        self.setAccessibleName(_("no shares yet"))

    def show_items(self, items: tuple[tuple[str, str, float], ...]) -> None:
        """Show (label, group, share) items, largest first."""
        shown = tuple(i for i in items if i[2] >= 0.001)
        if shown == self._items:
            return
        self._items = shown
        words = ", ".join(f"{name} {share:.0%}" for name, _kind, share in self._items)
        self.setAccessibleName(words or _("no shares yet"))
        self.update()

    def _boxes(self) -> list[tuple[QRectF, tuple[str, str, float]]]:
        boxes, x = [], 0.0
        total = sum(i[2] for i in self._items) or 1.0
        for item in self._items:
            width = max(6.0, item[2] / total * self.wide)
            boxes.append((QRectF(x, 0, width - 2, 28), item))
            x += width
        return boxes

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._items:
            painter.setPen(QPen(theme.colour("line2"), 1, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(QRectF(0.5, 0.5, self.wide - 1, 27), 2, 2)
            return
        font = sans(13, 600)
        metrics = QFontMetricsF(font)
        painter.setFont(font)
        for i, (box, (name, kind, share)) in enumerate(self._boxes()):
            fill, hatch, ink = SOURCES[kind]
            path = QPainterPath()
            path.addRoundedRect(box, 2, 2)
            painter.fillPath(path, QColor(fill))
            if hatch in _HATCH:
                shade = QColor(ink)
                shade.setAlpha(70)
                painter.fillPath(path, QBrush(shade, _HATCH[hatch]))
            text = f"{name} {100 * share:.0f} %"
            if metrics.horizontalAdvance(text) + 14 > box.width():
                text = f"{100 * share:.0f} %"
            wide = metrics.horizontalAdvance(text)
            if share >= SMALL and wide + 10 <= box.width():
                plate = QRectF(box.left() + 4, 5, wide + 8, 18)
                painter.fillRect(plate, QColor(fill))
                painter.setPen(QColor(ink))
                painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)
            if i == 0:
                painter.fillRect(QRectF(box.left(), 30, box.width(), 2), theme.colour("ink"))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for box, (name, _kind, share) in self._boxes():
            if box.contains(QPointF(self.spot(event).x(), 10)):
                QToolTip.showText(
                    event.globalPosition().toPoint(), plain(f"{name} {100 * share:.1f} %"), self
                )


class LimitBar(QWidget):
    """Title, shares, one sentence, one action."""

    def __init__(self, show_how: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("limit")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumHeight(scaled(52))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(17, 4, 16, 4)
        layout.setSpacing(16)
        heads = QVBoxLayout()
        heads.setSpacing(0)
        self._title = label(kind="note")
        self._title.setStyleSheet("font-weight: 600")
        self._under = label(_("share of the variance"), "note")
        self._under.setStyleSheet(sized("font-size: 12.5px"))
        heads.addWidget(self._title)
        heads.addWidget(self._under)
        holder = QWidget()
        holder.setLayout(heads)
        heads.setContentsMargins(0, 2, 0, 2)
        holder.setFixedWidth(scaled(148))
        layout.addWidget(holder)
        self._bar = ShareBar()
        layout.addWidget(self._bar, 3)
        self._words = label(wrap=True)
        layout.addWidget(self._words, 5)
        self._how = button(_("Show how"), show_how)
        layout.addWidget(self._how)

    def show_limits(self, limits: Limits | None, otherwise: str) -> None:
        """Show what limits a result, or a sentence when there is none."""
        self._title.setText(limits.title if limits else _("What limits the result"))
        self._bar.show_items(limits.items if limits else ())
        self._words.setText(limits.sentence if limits else otherwise)
        self._how.setVisible(limits is not None)
