"""Can I trust my scale? What is checked, what is not, how much each could do, and what to check next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from saltus.core.statement import stated, to_figures
from saltus.core.wording import _
from saltus.exchange.motion_words import symbol_of
from saltus.notebook.derived.geometry_words import (
    checked_words,
    fault_words,
    next_check,
    usual_words,
    verdict_words,
)
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.geometry import UsualFaults
from saltus.notebook.part import PartError
from saltus.printing.fonts import sans
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import Card, Field, Group, button, clear_layout, label, row

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.derived.trust import Effect, Trust
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

TOOLS = {
    "plane": "plane",
    "perspective": "plane",
    "lens": "lens",
    "reference": "length",
    "direction": "axes",
    "camera": "camera",
}
"""Which page of the column checks what; the clock is checked on the Film stage."""
USUAL = (
    ("tilt_deg", _("Camera askew"), "°", 1.0),
    ("offset_m", _("Motion off the plane"), "cm", 100.0),
    ("distance_m", _("Camera away"), "m", 1.0),
    ("k1", _("Lens, at the corner"), "%", 100.0),
    ("clock_percent", _("Clock"), "%", 1.0),
    ("reference_percent", _("Reference"), "%", 1.0),
    ("direction_deg", _("Direction"), "°", 1.0),
    ("camera_px", _("Camera drifts"), "px", 1.0),
)


class EffectRow(Scaled, QAbstractButton):
    """One thing: its name, what it could do in per cent with a bar, why, and that in the result's unit."""

    def __init__(self, effect: Effect, trust: Trust, words: str, *, first: bool) -> None:
        super().__init__()
        self._effect, self._words, self._first = effect, words, first
        self._most = max((e.percent or 0.0 for e in trust.unchecked), default=0.0)
        self._stated = trust.stated_percent
        self._change = _change_words(effect, trust.value)
        self.setFixedHeight(scaled(48))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        percent = _percent(effect)
        self.setAccessibleName(f"{fault_words(effect.what)}: {percent}. {words}. {self._change}")
        self.setToolTip(plain(_("Check this")))

    def sizeHint(self) -> QSize:
        return QSize(scaled(250), scaled(48))

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = theme.colour
        wide, warn = self.wide, self._first
        ink = colour("warn") if warn else colour("ink")
        text = self.area.adjusted(2, 0, -2, 0)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
        painter.setFont(sans(13.5, 600))
        painter.setPen(colour("ink"))
        painter.drawText(text, Qt.AlignmentFlag.AlignTop, fault_words(self._effect.what))
        painter.setPen(ink)
        painter.drawText(text, right, _percent(self._effect))
        bar = QRectF(2, 20, wide - 4, 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("line"))
        painter.drawRoundedRect(bar, 3, 3)
        share = min((self._effect.percent or 0.0) / self._most, 1.0) if self._most else 0.0
        painter.setBrush(colour("warn") if warn else colour("accent"))
        painter.drawRoundedRect(
            QRectF(bar.left(), bar.top(), max(bar.width() * share, 3.0), bar.height()), 3, 3
        )
        if self._most and 0 < self._stated <= self._most:
            x = bar.left() + bar.width() * self._stated / self._most
            painter.setPen(QPen(colour("ink"), 2))
            painter.drawLine(QPointF(x, bar.top() - 3), QPointF(x, bar.bottom() + 3))
        painter.setFont(sans(12))
        painter.setPen(colour("ink2"))
        below = text.adjusted(0, 29, 0, 0)
        painter.drawText(below, Qt.AlignmentFlag.AlignTop, self._words)
        painter.drawText(below, right, self._change)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour("accent"), 2))
            painter.drawRoundedRect(self.area.adjusted(1, 1, -1, -1), 4, 4)


def _percent(effect: Effect) -> str:
    if effect.percent is None:
        return "–"
    return f"{to_figures(effect.percent, 2) if effect.percent >= 0.01 else '< 0.01'} %"


def _change_words(effect: Effect, value: Quantity | None) -> str:
    if effect.change is None or value is None:
        return ""
    return f"{to_figures(effect.change, 2)} {value.unit.text}" if effect.change >= 1e-6 else ""


class TrustPanel(Group):
    """The panel behind the question.

    Signals
    -------
    wanted(page)
        A page of the column that checks something; ``film`` is another stage.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__(6)
        self._desk = desk
        self.words = label("", wrap=True)
        self.column.addWidget(label(_("Can I trust my scale?"), "title"))
        self.column.addWidget(self.words)
        self.head = label("", "note")
        self.unchecked_head = QWidget()
        unchecked = row(label(_("Not checked"), "heading"), self.head, stretch=1)
        unchecked.setContentsMargins(0, 0, 0, 0)
        self.unchecked_head.setLayout(unchecked)
        self.column.addWidget(self.unchecked_head)
        self._unchecked = self._list()
        self.stated = label("", "note", wrap=True)
        self.column.addWidget(self.stated)
        self.checked_head = QWidget()
        head = row(label(_("Checked"), "heading"), label(_("ignored, it would cost"), "note"), stretch=1)
        head.setContentsMargins(0, 0, 0, 0)
        self.checked_head.setLayout(head)
        self.column.addWidget(self.checked_head)
        self._checked = self._list()
        self.next = Card("next", padding=12)
        self._effort, self._to_do = label("", "note"), label("", wrap=True)
        self.act = button("", self._act, "main")
        self.next.add(label(_("Cheapest next check"), "nexttitle"), self._to_do)
        self.next.column.addLayout(row(self.act, self._effort, stretch=2))
        self.column.addWidget(self.next)
        self._what = ""
        self.more = button(_("Sizes that are assumed"), self._toggle, "link")
        self.column.addLayout(row(self.more, stretch=1))
        self.usual = self._assumed()
        self.usual.hide()
        self.column.addWidget(self.usual)
        self.begin = button(_("Lay a reference length"), lambda: self.wanted.emit("length"), "main")
        self.column.addLayout(row(self.begin, stretch=1))
        self.column.addStretch(1)

    def _list(self) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setSpacing(2)
        self.column.addLayout(rows)
        return rows

    def _assumed(self) -> Card:
        card = Card(padding=10)
        card.add(
            label(_("Usual sizes of what nobody checked: assumptions, not measurements."), "note", wrap=True)
        )
        self.fields: dict[str, Field] = {}
        for key, words, unit, factor in USUAL:
            field = Field(words, 64)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.entered.connect(lambda text, k=key, f=factor: self._type(k, text, f))
            self.fields[key] = field
            name = label(words, "note")
            name.setFixedWidth(scaled(140))
            card.column.addLayout(row(name, field, label(unit, "note"), stretch=3))
        return card

    def _toggle(self) -> None:
        self.usual.setVisible(not self.usual.isVisible())

    def _type(self, key: str, text: str, factor: float) -> None:
        take = self._desk.take
        if take is None:
            return
        try:
            number = float(text.replace(",", "."))
            usual = take.geometry.usual.but(**{key: number / factor})
        except (ValueError, PartError):
            words = _("“{text}” is no size such a fault can have: type a number, such as {example:g}.")
            example = getattr(UsualFaults(), key) * factor
            self.fields[key].mark_wrong(words.format(text=text[:20], example=example))
            self._desk.said.emit(words.format(text=text[:20], example=example), "warn")
            return
        notebook = edits.change_geometry(self._desk.notebook, take.id, usual=usual)
        self._desk.edit(_("change an assumed size"), notebook)

    def _act(self) -> None:
        self.wanted.emit(TOOLS.get(self._what, "film"))

    def show_take(self, take: Take | None) -> None:
        """Show what is known of the scale of a take."""
        clear_layout(self._unchecked)
        clear_layout(self._checked)
        trust = trust_of(take) if take is not None else None
        segment = take.headline_segment if take is not None else None
        length = trust is None or trust.name == "length" or segment is None
        symbol = _("a length") if length else symbol_of(trust.name, segment)  # type: ignore[union-attr,arg-type]
        self.words.setText(verdict_words(take, symbol) if take is not None else _("Open a film first."))
        for part in (self.unchecked_head, self.stated, self.next, self.checked_head, self.more):
            part.setVisible(trust is not None)
        self.begin.setVisible(trust is None and take is not None)
        if trust is None or take is None:
            return
        self.head.setText(_("could change {symbol} by").format(symbol=symbol))
        for n, effect in enumerate(trust.unchecked):
            warn = n == 0 and effect in trust.doubtful
            made = EffectRow(effect, trust, usual_words(take, effect.what), first=warn)
            made.clicked.connect(lambda _on, what=effect.what: self.wanted.emit(TOOLS.get(what, "film")))
            self._unchecked.addWidget(made)
        self._show_stated(trust)
        self.checked_head.setVisible(bool(trust.checked))
        for effect in trust.checked:
            self._checked.addWidget(self._checked_row(take, effect))
        told = next_check(take)
        self.next.setVisible(told is not None)
        if told is not None:
            self._what, effort, words = told
            self._effort.setText(effort)
            self._to_do.setText(words)
            self.act.setText(_("Go to Film") if self._what == "clock" else _("Do it"))
        for key, _words, _unit, factor in USUAL:
            self.fields[key].show_text(f"{getattr(take.geometry.usual, key) * factor:g}")

    def _show_stated(self, trust: Trust) -> None:
        if trust.value is None:
            self.stated.setText("")
            return
        value = stated(float(trust.value), trust.value.U95, trust.value.unit)
        self.stated.setText(
            _(
                "❘ the stated uncertainty, ± {percent} %: {value} (95 %). What is not checked is not in it."
            ).format(percent=to_figures(trust.stated_percent, 2), value=value)
        )

    def _checked_row(self, take: Take, effect: Effect) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        mark = "✓" if effect.agrees is not False else "!"
        column.addLayout(
            row(label(f"{mark}  {fault_words(effect.what)}"), label(_percent(effect), "value"), stretch=1)
        )
        words = label(checked_words(take, effect), "warn" if effect.agrees is False else "note", wrap=True)
        column.addWidget(words)
        return made
