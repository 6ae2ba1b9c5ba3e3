"""A model that can be laid through a segment, as a card to choose."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from saltus.core.motion.models import MODELS
from saltus.exchange.motion_words import coordinate_symbol
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled, sized
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import button, label, rich, row


class ModelGlyph(Scaled, QWidget):
    """Position against time of a model, as a small drawing."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self.setFixedSize(scaled(30), scaled(30))
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("ink2"), 1.8))
        places = [QPointF(3 + 24 * x, 26 - 24.4 * y) for x, y in MODELS[self._name].glyph]
        path = QPainterPath(places[0])
        if len(places) == 3:
            path.quadTo(places[1], places[2])
        else:
            for place in places[1:]:
                path.lineTo(place)
        painter.drawPath(path)


class ModelCard(QWidget):
    """One model: name, equation, and whether it fits."""

    def __init__(self, name: str, choose: object) -> None:
        super().__init__()
        assert callable(choose)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._button = button("", lambda: choose(name), "body", MODELS[name].title)
        self._button.setCheckable(True)
        self._button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFixedHeight(scaled(58))
        across = QHBoxLayout(self._button)
        across.setContentsMargins(10, 4, 12, 4)
        across.setSpacing(10)
        across.addWidget(ModelGlyph(name))
        inner = QVBoxLayout()
        inner.setSpacing(0)
        across.addLayout(inner, 1)
        self._verdict = label()
        self._equation = rich()
        self._name = label(MODELS[name].title)
        for thing in (self._verdict, self._equation, self._name):
            thing.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        inner.addLayout(row(self._name, self._verdict, stretch=1))
        inner.addWidget(self._equation)
        layout.addWidget(self._button)

    def explain(self, words: str) -> None:
        """Say in the tip what the verdict rests on."""
        self._button.setToolTip(plain(words))

    def show_model(
        self, name: str, axis: str, verdict: str, token: str, *, chosen: bool, possible: bool
    ) -> None:
        """Show the model for an axis with its verdict."""
        self._button.setChecked(chosen)
        self._button.setEnabled(possible)
        self._name.setStyleSheet(f"font-weight: {600 if chosen else 400}")
        self._verdict.setText(verdict)
        self._verdict.setStyleSheet(sized(f"font-size: 13px; color: {theme.tokens[token]}; font-weight: 600"))
        style = sized("font-family: 'Source Serif 4'; font-size: 13px")
        equation = MODELS[name].equation.format(s=coordinate_symbol(axis))
        self._equation.setText(f'<span style="{style}">{equation}</span>')
