"""The column of Motion for an event: velocities just before and just after it, momentum and energy."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from saltus.core.statement import stated, value_and_uncertainty
from saltus.core.wording import _
from saltus.investigations.table.event_columns import sent_together, together
from saltus.notebook.derived.before_after import Balance, EventFound, event_found
from saltus.notebook.derived.event_sides import sides_about
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.edits import before_after as edits
from saltus.notebook.trials import Link
from saltus.ui.desk.sending import link_actions, or_what_is_missing
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.widgets import Card, Field, Group, button, label, row
from saltus.ui.motion.balance_bars import BalanceBars, BarPart

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.table.sending import Offer
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.derived.before_after import SideFound
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

LEVELS = (None, "before", "after", "both")


class EventPanel(Group):
    """The events of the take in hand along the coordinate in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._of = "x"
        self._event_id: str | None = None
        self._shape: tuple[str, ...] = ()
        self._unit = label()
        self._cells: dict[tuple[str, str], QLabel] = {}
        self._fields: dict[str, Field] = {}
        self._which = chooser(_("Event"), self._choose, fewest=10)
        self._title = label("", "heading", wrap=True)
        self._instant = label("", "note", wrap=True)
        self._empty = label(wrap=True)
        self._make = button(_("Carry both sides to the event"), self._add, "main")
        self._values = Card(padding=10)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        self._values.column.addLayout(self._grid)
        self._level = chooser(_("Which side coasts level"), self._set_level, fewest=10)
        self._at = chooser(_("When it happened"), self._set_instant, fewest=12)
        self._at_row = QWidget()
        self._at_row.setLayout(row(label(_("At"), "note"), self._at, stretch=1))
        self._level_row = QWidget()
        self._level_row.setLayout(row(label(_("Coasts level"), "note"), self._level, stretch=1))
        self.momentum, self.energy = _BalanceCard(), _BalanceCard()
        self._advice = Card("advice", 9)
        self._advice_words = label(wrap=True)
        self._advice.add(self._advice_words)
        self.send = button(_("Send to the table…"), self._send)
        self._remove = button(_("Remove event"), self._take_away, "link")
        self._actions = QWidget()
        self._actions.setLayout(row(self.send, self._remove, stretch=2))
        for thing in (
            self._which, self._title, self._instant, self._empty, self._make, self._values, self._at_row,
            self._level_row, self.momentum, self.energy, self._advice, self._actions,
        ):  # fmt: skip
            self.column.addWidget(thing)
        self.column.addStretch(1)

    # -- edits ---------------------------------------------------------------------------------------

    def in_hand(self) -> BeforeAfter | None:
        """The event in hand."""
        take = self._desk.take
        shown = [e for e in take.events if e.of == self._of] if take is not None else []
        return next((e for e in shown if e.id == self._event_id), shown[-1] if shown else None)

    def _choose(self) -> None:
        self._event_id = self._which.currentData()
        self._desk.changed.emit()

    def _add(self) -> None:
        take = self._desk.take
        sides = sides_about(take, self._of, self._desk.segment_id) if take is not None else ()
        if take is None or not sides:
            return
        name = _("Event {n}").format(n=len(take.events) + 1)
        made, self._event_id = edits.add_event(
            self._desk.notebook, take.id, name=name, of=self._of, sides=sides
        )
        self._desk.edit(_("carry to an event"), made)

    def _set_level(self) -> None:
        take, event = self._desk.take, self.in_hand()
        if take is not None and event is not None:
            made = edits.change_event(self._desk.notebook, take.id, event.id, level=self._level.currentData())
            self._desk.edit(_("say which side coasts level"), made)

    def _set_instant(self) -> None:
        take, event = self._desk.take, self.in_hand()
        if take is not None and event is not None:
            made = edits.change_event(self._desk.notebook, take.id, event.id, instant=self._at.currentData())
            self._desk.edit(_("say when it happened"), made)

    def _show_instants(self, take: Take, event: BeforeAfter) -> None:
        """Where the segments meet, or an instant that was marked on Time."""
        names = {e.id: e.name for e in self._desk.notebook.events}
        t = frame_times(take)
        marked = [
            (_("{event}, frame {n}").format(event=names.get(i.event or "", _("instant")), n=i.frame), i.id)
            for i in take.timing.instants
            if i.how != "sound" and i.frame < len(t)
        ]
        self._at_row.setVisible(bool(marked))
        fill(self._at, [(_("where the segments meet"), None), *marked])
        self._at.setCurrentIndex(max(self._at.findData(event.instant), 0) if event.instant else 0)

    def _type_inertia(self, body_id: str, text: str) -> None:
        take, event = self._desk.take, self.in_hand()
        if take is not None and event is not None:
            made = edits.change_side(
                self._desk.notebook, take.id, event.id, body_id, inertia=text.strip()[:60]
            )
            self._desk.edit(_("type a mass"), made)

    def _take_away(self) -> None:
        take, event = self._desk.take, self.in_hand()
        if take is not None and event is not None:
            self._desk.edit(_("remove an event"), edits.remove_event(self._desk.notebook, take.id, event.id))

    def _send(self) -> None:
        take, event = self._desk.take, self.in_hand()
        if take is None or event is None:
            return
        entries: list[Entry] = []
        wanted = together(self._desk.notebook, take, event) if self._desk.notebook.trials is not None else []
        if len(wanted) > 1:
            columns = ", ".join(offer.title for offer in wanted)
            words = _("All into one row → {columns}").format(columns=columns)
            entries.append(Entry(words, partial(self._send_together, wanted)))
        for name, q in event_found(take, event).values().items():
            link = Link(kind="event", source=take.id, place=event.id, part=name)
            entries += link_actions(self._desk, link, q, self._words_of(take, name))
        open_under(menu_of(self, or_what_is_missing(self._desk, entries)), self.send)

    def _send_together(self, wanted: list[Offer]) -> None:
        notebook, _trial = sent_together(self._desk.notebook, wanted)
        self._desk.edit(_("send an event to the table"), notebook)
        self._desk.said.emit(
            _("All values are sent to one row. They follow when the segments change."), "note"
        )

    def _words_of(self, take: Take, name: str) -> str:
        what, _space, body_id = name.partition(" ")
        words = {
            "before": _("just before"), "after": _("just after"), "change": _("change"),
            "slope_before": _("slope before"), "slope_after": _("slope after"),
            "momentum_before": _("momentum before"), "momentum_after": _("momentum after"),
            "energy_before": _("energy before"), "energy_after": _("energy after"),
            "energy_lost": _("part of the energy lost"),
        }[what]  # fmt: skip
        body = take.body(body_id) if body_id else None
        return f"{body.name}, {words}" if body is not None else words

    # -- showing -------------------------------------------------------------------------------------

    def show_events(self, take: Take | None, of: str) -> None:
        """Show the event in hand, or how to make one."""
        self._of = of
        event = self.in_hand()
        shown = [e for e in take.events if e.of == of] if take is not None else []
        self._which.setVisible(len(shown) > 1)
        fill(self._which, [(e.name, e.id) for e in shown], event.id if event is not None else None)
        there = take is not None and event is not None
        for thing in (
            self._title, self._instant, self._values, self._at_row, self._level_row, self._actions,
        ):  # fmt: skip
            thing.setVisible(there)
        self._empty.setVisible(not there)
        self._make.setVisible(not there and take is not None and bool(self._sides(take)))
        for card in (self.momentum, self.energy, self._advice):
            card.hide()
        if take is None or event is None:
            self._empty.setText(self._empty_words(take))
            return
        found = event_found(take, event)
        self._title.setText(_("{name}, before and after").format(name=event.name))
        self._instant.setText(_instant_words(found))
        self._show_values(take, event, found)
        self._show_instants(take, event)
        levels = (_("no side"), _("before"), _("after"), _("both sides"))
        fill(self._level, list(zip(levels, LEVELS, strict=True)))
        self._level.setCurrentIndex(LEVELS.index(event.level))
        self._show_balances(take, event, found)
        self._show_warnings(found)

    def next_words(self) -> str:
        """What to do next with an event."""
        take, event = self._desk.take, self.in_hand()
        if take is None or event is None:
            return _("Lay a segment on each side of the event, or let Saltus propose them under Segment.")
        found = event_found(take, event)
        if found.momentum is None and found.values():
            return _("Type what each body weighs: momentum and energy before and after follow.")
        return _("Send the values to the table of trials. They follow when the segments change.")

    def _sides(self, take: Take) -> tuple[object, ...]:
        return sides_about(take, self._of, self._desk.segment_id) if self._of in ("x", "y", "angle") else ()

    def _empty_words(self, take: Take | None) -> str:
        if self._of not in ("x", "y", "angle"):
            return _("Events are taken along x, along y, or in the angle: choose one of these above.")
        if take is not None and self._sides(take):
            return _(
                "There are segments on both sides of a gap. Their velocities can be carried to the instant "
                "at which they meet: just before it and just after it."
            )
        return _(
            "Lay a segment before the event and one after it, and leave the impact itself out. Saltus "
            "carries the velocities of both to its instant."
        )

    def _show_values(self, take: Take, event: BeforeAfter, found: EventFound) -> None:
        shape = (event.id, event.of, *(side.body for side in event.sides))
        if shape != self._shape:
            # fields stay while the bodies do: a person may be on the way from one to the next
            self._shape = shape
            self._build_values(take, event)
        unit = next((q.unit.text for q in found.values().values()), "m/s")
        self._unit.setText(unit)
        for side in found.sides:
            for name in ("before", "after", "change"):
                self._cells[side.side.body, name].setText(_value_words(side, name))
            field = self._fields[side.side.body]
            field.show_text(side.side.inertia)
            field.mark_wrong(side.problem if side.inertia is None and side.side.inertia else "")

    def _build_values(self, take: Take, event: BeforeAfter) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self._cells.clear()
        self._fields.clear()
        self._unit = label("", "note")
        self._grid.addWidget(self._unit, 0, 0)
        for column, words in enumerate((_("just before"), _("just after"), _("change")), 1):
            self._grid.addWidget(label(words, "note"), 0, column)
        turns = event.of == "angle"
        for i, side in enumerate(event.sides):
            body = take.body(side.body)
            self._grid.addWidget(BodySwatch(body.look if body is not None else 0), 2 * i + 1, 0)
            for column, name in enumerate(("before", "after", "change"), 1):
                self._cells[side.body, name] = value = label()
                value.setStyleSheet(sized("font-weight: 600; font-size: 13px"))
                self._grid.addWidget(value, 2 * i + 1, column)
            name = body.name if body is not None else ""
            said = _("Moment of inertia of {body}") if turns else _("Mass of {body}")
            self._fields[side.body] = field = Field(said.format(body=name), 130)
            field.setPlaceholderText("0.00060(2) kg m^2" if turns else "0.182(2) kg")
            field.entered.connect(partial(self._type_inertia, side.body))
            words = _("its moment of inertia") if turns else _("its mass")
            self._grid.addWidget(label(words, "note"), 2 * i + 2, 1)
            self._grid.addWidget(field, 2 * i + 2, 2, 1, 2)

    def _show_balances(self, take: Take, event: BeforeAfter, found: EventFound) -> None:
        if found.momentum is None or found.energy is None:
            return
        turns = event.of == "angle"
        heading = _("Angular momentum") if turns else _("Momentum")
        verdict = {
            True: _("Agree within 95 %: after − before = {difference}."),
            False: _("They differ: after − before = {difference}."),
            None: _("Cannot tell yet: after − before = {difference}."),
        }[found.momentum.compared.agree]
        said = _difference(found.momentum)
        words = verdict.format(difference=said)
        if len(found.sides) == 1:
            # what one body gains came from outside: nothing is to agree
            words = _("Impulse it was given: {difference}.").format(difference=said)
        self.momentum.show_balance(heading, found.momentum, _parts(take, found.momentum), words)
        lost = found.energy_lost
        words = ""
        if lost is not None:
            value, spread = value_and_uncertainty(100 * float(lost), 100 * lost.U95)
            words = _("Energy lost: {value} ± {spread} %").format(value=value, spread=spread)
        self.energy.show_balance(_("Kinetic energy"), found.energy, _parts(take, found.energy), words)

    def _show_warnings(self, found: EventFound) -> None:
        told = [w for side in found.sides if side.event is not None for w in side.event.warnings]
        told += [side.problem for side in found.sides if side.problem and side.event is None]
        self._advice.setVisible(bool(told))
        self._advice_words.setText("\n".join(dict.fromkeys(told)))


class _BalanceCard(Card):
    """A sum before and after, with what follows from it."""

    def __init__(self) -> None:
        super().__init__(padding=10)
        self._heading, self._unit = label("", "heading"), label("", "note")
        self.bars = BalanceBars()
        self.verdict = label("", wrap=True)
        self.verdict.setStyleSheet(sized("font-weight: 600"))
        self.column.addLayout(row(self._heading, self._unit, stretch=1))
        self.add(self.bars, self.verdict)

    def show_balance(
        self, heading: str, balance: Balance, parts: tuple[list[BarPart], list[BarPart]], words: str
    ) -> None:
        """Show a balance whose parts are in SI."""
        self.show()
        factor, unit = _fine(balance.before)
        scaled = [[BarPart(p.look, factor * p.value) for p in side] for side in parts]
        self._heading.setText(heading)
        self._unit.setText(unit)
        self.bars.show_balance((scaled[0], balance.before), (scaled[1], balance.after), factor)
        self.verdict.setText(words)
        self.verdict.setVisible(bool(words))


def _value_words(side: SideFound, name: str) -> str:
    q: Quantity | None = getattr(side.event, name) if side.event is not None else None
    if q is None:
        return "–"
    if float(q) == 0 and q.U95 == 0:
        return _("at rest")
    value, spread = value_and_uncertainty(float(q), q.U95)
    return f"{value}\n± {spread}"


def _instant_words(found: EventFound) -> str:
    if found.at is None:
        return _("The segments before and after do not meet at an instant yet.")
    at = stated(float(found.at), found.at.U95, found.at.unit)
    return _("at {at} (95 %); what lies between the segments is left out").format(at=at)


def _parts(take: Take, balance: Balance) -> tuple[list[BarPart], list[BarPart]]:
    """What each body brings before and after, SI, in its colour."""
    looks = {body.id: body.look for body in take.bodies}
    return (
        [BarPart(looks.get(p.body, 0), p.before) for p in balance.parts],
        [BarPart(looks.get(p.body, 0), p.after) for p in balance.parts],
    )


def _fine(q: Quantity) -> tuple[float, str]:
    """A factor and a unit in which a sum of a school's bodies is a handy number."""
    small = 0 < abs(float(q)) < 1
    names = {"kg·m/s": ("kg·m/s", "g·m/s"), "N·m": ("J", "mJ")}
    usual, fine = names.get(q.unit.text, (q.unit.text, f"10⁻³ {q.unit.text}"))
    return (1000.0, fine) if small else (1.0, usual)


def _difference(balance: Balance) -> str:
    factor, unit = _fine(balance.before)
    q = balance.compared.difference
    value, spread = value_and_uncertainty(factor * float(q), factor * q.U95)
    # the unit stays on one line
    return f"{value} ± {spread} {unit}".replace("/", "\u2060/\u2060").replace(" ", "\u00a0")
