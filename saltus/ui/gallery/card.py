"""A card of the gallery: set-up drawing, what one finds out, what it needs, how it is measured."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QWidget

from saltus.core.wording import _
from saltus.investigations.recipe.drawing import shapes
from saltus.printing.fonts import sans
from saltus.printing.setup_painter import SetUpPainter
from saltus.ui.kit.icons import paint_icon
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from PyQt6.QtGui import QFocusEvent, QKeyEvent

    from saltus.investigations.recipe.recipe import Recipe

HIGH, DRAWING = 130, 92


def method_words(method: str) -> str:
    """Words for a way to measure."""
    return {
        "film": _("film"),
        "stopwatch": _("stopwatch"),
        "sensor": _("sensor log"),
        "table": _("typed table"),
    }[method]


def capital(text: str) -> str:
    """Begin with a capital, unless a symbol stands there, such as g."""
    return text if text[1:2] in (",", " ") else text[:1].upper() + text[1:]


def wrapped(painter: QPainter, box: QRectF, text: str, lines: int) -> float:
    """Write text in at most so many lines, the last one cut with dots; gives the y below it."""
    metrics = QFontMetricsF(painter.font())
    words, row, y = text.split(), "", box.top() + metrics.ascent()
    for place in range(lines):
        row = ""
        while words and metrics.horizontalAdvance(f"{row} {words[0]}".strip()) <= box.width():
            row = f"{row} {words.pop(0)}".strip()
        if place == lines - 1 and words:
            row = metrics.elidedText(
                f"{row} {' '.join(words)}".strip(), Qt.TextElideMode.ElideRight, box.width()
            )
        painter.drawText(QPointF(box.left(), y), row)
        y += metrics.height()
        if not words:
            break
    return y - metrics.ascent()


class SetUpDrawing(Scaled, QWidget):
    """The set-up drawing of an investigation, alone."""

    def __init__(self, height: int = 150) -> None:
        super().__init__()
        self._recipe: Recipe | None = None
        self.setFixedHeight(scaled(height))

    def show_recipe(self, recipe: Recipe) -> None:
        """Show the drawing of an investigation."""
        self._recipe = recipe
        self.setAccessibleName(_("Drawing of the set-up: {title}").format(title=recipe.title))
        self.update()

    def paintEvent(self, event: object) -> None:
        if self._recipe is not None:
            place = self.area.adjusted(12, 10, -12, -10)
            drawn = SetUpPainter(self.painter(), place, theme.tokens, dark=theme.dark)
            drawn.draw(shapes(self._recipe.drawing, self._recipe.id))


class InvestigationCard(Scaled, QAbstractButton):
    """One investigation; focus or a click chooses it, Enter goes on."""

    focused = pyqtSignal(str)
    moved = pyqtSignal(str, int)
    entered = pyqtSignal(str)

    def __init__(self, recipe: Recipe) -> None:
        super().__init__()
        self.recipe = recipe
        self.chosen = False
        self._shapes = shapes(recipe.drawing, recipe.id)
        self.setFixedHeight(scaled(HIGH))
        self.setMinimumWidth(scaled(200))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        words = ", ".join(map(method_words, recipe.methods))
        self.setAccessibleName(f"{recipe.title}: {recipe.finds}; {words}; {recipe.minutes} min")
        self.clicked.connect(lambda: self.focused.emit(recipe.id))

    def sizeHint(self) -> QSize:
        return QSize(scaled(229), scaled(HIGH))

    def show_chosen(self, chosen: bool) -> None:
        """Show whether its details are shown."""
        if chosen != self.chosen:
            self.chosen = chosen
            self.update()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit(self.recipe.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -3, Qt.Key.Key_Down: 3}
        if event is not None and event.key() in steps:
            self.moved.emit(self.recipe.id, steps[Qt.Key(event.key())])
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit(self.recipe.id)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.area.adjusted(1, 1, -1, -1)
        painter.setBrush(theme.colour("card"))
        line = "accent" if self.hasFocus() else "ink" if self.chosen else "line"
        strong = self.chosen or self.hasFocus()
        painter.setPen(QPen(theme.colour(line), 1.8 if strong else 1))
        painter.drawRoundedRect(box, 8, 8)
        painter.setPen(theme.colour("line"))
        painter.drawLine(QPointF(DRAWING + 3, box.top() + 1), QPointF(DRAWING + 3, box.bottom() - 1))
        place = QRectF(5, 14, DRAWING - 5, box.height() - 26)
        SetUpPainter(painter, place, theme.tokens, dark=theme.dark).draw(self._shapes)
        words = QRectF(DRAWING + 13, 9, box.width() - DRAWING - 22, 80)
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(14, 600))
        below = wrapped(painter, words, self.recipe.title, 2)
        painter.setFont(sans(13))
        below = wrapped(
            painter, QRectF(words.left(), below + 1, words.width(), 40), capital(self.recipe.finds), 2
        )
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(12))
        equipment = capital(", ".join(self.recipe.texts["instruments"]))
        wrapped(painter, QRectF(words.left(), below + 3, words.width(), 20), equipment, 1)
        self._foot(painter, box)

    def _foot(self, painter: QPainter, box: QRectF) -> None:
        x = DRAWING + 12.0
        for method in self.recipe.methods:
            paint_icon(painter, method, QRectF(x, box.bottom() - 23, 16, 16), theme.colour("ink2"), 1.6)
            x += 22
        painter.setPen(theme.colour("ink2"))
        painter.setFont(sans(12))
        time = _("{n} min").format(n=self.recipe.minutes)
        flags = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        painter.drawText(QRectF(x, box.bottom() - 24, box.right() - 10 - x, 18), flags, time)
