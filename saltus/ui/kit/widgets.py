"""Small parts every stage is made of."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QHelpEvent, QImage, QPainter, QPen
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from saltus.core.wording import _
from saltus.ui.kit.icons import icon
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled, sized
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PyQt6.QtGui import QPaintEvent


KEY_FOCUS = (
    Qt.FocusReason.TabFocusReason,
    Qt.FocusReason.BacktabFocusReason,
    Qt.FocusReason.ShortcutFocusReason,
)
"""Ways the keyboard brings focus: then it is outlined. A click needs no outline to say where it went."""
_MORE_PIXELS = 2.0
FEWEST_LETTERS = 10
"""Of a line that is shortened so many are shown, or none."""


GAP = 10
"""Between the things of a column, px."""


class KeyFocus:
    """Mixin for widgets that paint themselves: remembers whether the keyboard brought the focus."""

    by_keys = False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)  # type: ignore[misc]
        self.by_keys = event is not None and event.reason() in KEY_FOCUS

    def paint_focus(self, painter: QPainter, colour: QColor, radius: float = 0) -> None:
        """Outline the widget when the keyboard brought the focus here."""
        if not (self.by_keys and self.hasFocus()):  # type: ignore[attr-defined]
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 2))
        whole = painter.worldTransform().inverted()[0].mapRect(QRectF(self.rect()))  # type: ignore[attr-defined]
        painter.drawRoundedRect(whole.adjusted(1, 1, -1, -1), radius, radius)


def draw_covering(painter: QPainter, box: QRectF, image: QImage) -> None:
    """Fill a box with the middle of a picture, made smaller without jagged edges."""
    if image.isNull() or box.isEmpty():
        return
    size = (box.size() * _MORE_PIXELS).toSize()
    whole = QSize(image.width(), image.height()).scaled(size, Qt.AspectRatioMode.KeepAspectRatioByExpanding)
    if whole.width() < image.width():
        image = image.scaled(
            whole, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
    zoom = min(image.width() / box.width(), image.height() / box.height())
    source = QRectF(0, 0, box.width() * zoom, box.height() * zoom)
    source.moveCenter(QRectF(image.rect()).center())
    painter.drawImage(box, image, source)


def label(text: str = "", kind: str = "", *, wrap: bool = False) -> QLabel:
    """A label; kind is heading, title, note, value or warn. Text from people is never taken for markup."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if kind:
        made.setObjectName(kind)
    made.setWordWrap(wrap)
    return made


class Yielding(QLabel):
    """A line that is shortened rather than push others aside; its tip holds the whole."""

    def __init__(self, text: str, kind: str) -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setObjectName(kind)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def shown(self) -> str:
        """What there is room for; nothing where it would be a letter or two."""
        room = self.contentsRect().width()
        if super().sizeHint().width() <= self.width():
            return self.text()
        letters = self.fontMetrics()
        if room < FEWEST_LETTERS * letters.averageCharWidth():
            return ""
        return letters.elidedText(self.text(), Qt.TextElideMode.ElideRight, room)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        shown, style = self.shown(), self.style()
        if shown == self.text() or style is None:
            super().paintEvent(event)
            return
        painter = QPainter(self)
        flags = int(self.alignment().value)
        role = self.foregroundRole()
        style.drawItemText(painter, self.contentsRect(), flags, self.palette(), self.isEnabled(), shown, role)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and not self.toolTip():
            whole = plain(self.text()) if self.shown() != self.text() else ""
            QToolTip.showText(event.globalPos(), whole, self)
            return True
        return super().event(event)


def yielding(text: str = "", kind: str = "") -> Yielding:
    """A line that is shortened rather than push others aside; kind as of :func:`label`."""
    return Yielding(text, kind)


def rich(text: str = "", kind: str = "") -> QLabel:
    """A label with markup of our own making."""
    made = label("", kind)
    made.setTextFormat(Qt.TextFormat.RichText)
    made.setText(text)
    return made


def button(text: str, clicked: Callable[[], object], kind: str = "", name: str = "") -> QPushButton:
    """A button; kind is main, link or quiet."""
    made = QPushButton(text)
    if kind:
        made.setObjectName(kind)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.clicked.connect(lambda _checked=False: clicked())
    if name:
        made.setAccessibleName(name)
    return made


def icon_button(name: str, tip: str, clicked: Callable[[], object], tint: str = "ink") -> QPushButton:
    """A button that shows only an icon; its tip is also its accessible name."""
    made = button("", clicked, "quiet", tip)
    made.setIcon(icon(name, theme.colour(tint)))
    made.setIconSize(QSize(20, 20))
    made.setToolTip(plain(tip))
    return made


class Card(QFrame):
    """A card with a column of things in it."""

    def __init__(self, kind: str = "card", padding: int = 12, gap: int = 6) -> None:
        super().__init__()
        self.setObjectName(kind)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(padding + 2, padding, padding + 2, padding)
        self.column.setSpacing(gap)

    def add(self, *things: QWidget) -> None:
        """Add widgets below each other."""
        for thing in things:
            self.column.addWidget(thing)


class NextCard(Card):
    """Says what the next step is."""

    def __init__(self) -> None:
        super().__init__("next")
        self._title = label(_("Next"), "nexttitle")
        self._words = label(wrap=True)
        self.buttons = QHBoxLayout()
        self.add(self._title, self._words)
        self.column.addLayout(self.buttons)

    def say(self, words: str) -> None:
        """Show a sentence."""
        self._words.setText(words)

    def text(self) -> str:
        """The sentence shown."""
        return self._words.text()


class Group(QWidget):
    """Things of a column that belong together, one under the other.

    Attributes
    ----------
    column : QVBoxLayout
        Where they go.
    """

    def __init__(self, gap: int = GAP) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(gap)


def rule() -> QFrame:
    """A hairline."""
    made = QFrame()
    made.setObjectName("rule")
    return made


def row(*things: QWidget | str, stretch: int | None = None) -> QHBoxLayout:
    """Put things beside each other; ``stretch`` names the place of the space that grows."""
    made = QHBoxLayout()
    made.setSpacing(8)
    for i, thing in enumerate(things):
        if stretch == i:
            made.addStretch(1)
        made.addWidget(label(thing) if isinstance(thing, str) else thing)
        if not isinstance(thing, str) and thing.objectName() in ("quiet", "link", "name"):
            # otherwise the lowest button sets the height of all
            made.setAlignment(thing, Qt.AlignmentFlag.AlignVCenter)
    if stretch == len(things):
        made.addStretch(1)
    return made


LONG_NAME, LONG_VALUE = 30, 20


class Facts(QWidget):
    """Rows of a name and a value."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(1, 1)

    def show_rows(self, rows: Sequence[tuple[str, ...]]) -> None:
        """Show rows anew; the last cell stands bold at the right."""
        while (item := self._grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for i, cells in enumerate(rows):
            left = label(cells[0], wrap=len(cells[0]) > LONG_NAME)
            left.setObjectName("note")
            right = label(cells[-1], wrap=len(cells[-1]) > LONG_VALUE)
            right.setStyleSheet(sized("font-weight: 600; font-size: 13px"))
            right.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            right.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._grid.addWidget(left, i, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(right, i, 1)


class Field(QLineEdit):
    """A line to type in; says its text when it is done, and shows when it cannot be used."""

    entered = pyqtSignal(str)

    def __init__(self, name: str, width: int = 0) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._shown = ""
        if width:
            self.setFixedWidth(scaled(width))
        self.editingFinished.connect(self._done)

    def show_text(self, text: str) -> None:
        """Show a value, unless the person is typing in it."""
        self._shown = text
        if not (self.hasFocus() and self.isModified()):
            self.setText(text)
            self.mark_wrong("")

    def mark_wrong(self, sentence: str) -> None:
        """Mark the text as unusable and say why; empty takes the mark away."""
        marked = "true" if sentence else "false"
        if self.property("wrong") == marked and self.toolTip() == sentence:
            return
        self.setProperty("wrong", marked)
        self.setToolTip(plain(sentence))
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)

    def _done(self) -> None:
        if self.text() != self._shown:
            self.setModified(False)
            self.entered.emit(self.text())


class Stepper(QWidget):
    """A whole number with a button for one less and one more."""

    stepped = pyqtSignal(int)

    def __init__(self, name: str, low: int, high: int) -> None:
        super().__init__()
        self._low, self._high = low, high
        self.value = low
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.field = Field(name, 46)
        self.field.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.field.entered.connect(self._typed)
        less = button("−", lambda: self._step(-1), "quiet", _("{name}: one less").format(name=name))
        more = button("+", lambda: self._step(1), "quiet", _("{name}: one more").format(name=name))
        for part in (less, self.field, more):
            layout.addWidget(part)

    def show_value(self, value: int) -> None:
        """Show a value."""
        self.value = value
        self.field.show_text(str(value))

    def _step(self, by: int) -> None:
        self._set(self.value + by)

    def _typed(self, text: str) -> None:
        if text.strip().isdigit():
            self._set(int(text))
        else:
            self.field.show_text(str(self.value))

    def _set(self, value: int) -> None:
        value = min(max(value, self._low), self._high)
        changed = value != self.value
        self.show_value(value)
        if changed:
            self.stepped.emit(value)


class CheckLine(QWidget):
    """A box to tick with a sentence that may need several lines; the sentence can be clicked too."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.box = QCheckBox()
        self.box.setAccessibleName(text)
        self._words = label(text, wrap=True)
        layout = row(self.box, self._words)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setStretch(1, 1)
        layout.setAlignment(self.box, Qt.AlignmentFlag.AlignTop)
        self.setLayout(layout)

    def say(self, text: str) -> None:
        """Show another sentence."""
        self._words.setText(text)
        self.box.setAccessibleName(text)

    def mousePressEvent(self, event: object) -> None:
        self.box.toggle()


def clear_layout(layout: QVBoxLayout | QHBoxLayout | QGridLayout) -> None:
    """Take everything out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        if (old := item.widget()) is not None:
            old.hide()
            old.deleteLater()
        elif (inner := item.layout()) is not None:
            clear_layout(inner)  # type: ignore[arg-type]
