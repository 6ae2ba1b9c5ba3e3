"""The column of instants: what counts as an event, what was marked, and the time between."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.timing_words import against_film, quantity_words
from saltus.notebook.derived.times import by_hand_value, instant_value, interval_period, interval_value
from saltus.notebook.edits import timing as edits
from saltus.notebook.timing import Interval
from saltus.notebook.trials import Link
from saltus.ui.desk.panel import TimePanel
from saltus.ui.desk.sending import link_actions
from saltus.ui.kit.choices import chooser
from saltus.ui.kit.widgets import Card, Field, Stepper, button, icon_button, label, row
from saltus.ui.time.lines import Lines
from saltus.ui.time.way import WayOfSound

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.notebook.timing import Instant
    from saltus.ui.desk.desk import Desk
    from saltus.ui.kit.menus import Entry


def event_title(desk: Desk, instant: Instant) -> str:
    """Name of the event an instant marks, or its own number."""
    event = desk.notebook.event(instant.event)
    return event.name if event is not None else _("instant {n}").format(n=instant.id.rpartition("-")[2])


class InstantsPanel(TimePanel):
    """Events, instants and intervals of the take in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.event_id: str | None = None
        self._events = chooser(_("Event that is marked"))
        self._events.activated.connect(self._choose_event)
        new = icon_button("plus", _("Define an event"), self.add_event)
        self.column.addWidget(label(_("What is marked"), "heading"))
        top = row(self._events, new)
        top.setStretch(0, 1)
        self.column.addLayout(top)
        self._words = Field(_("What counts as this event"))
        self._words.setPlaceholderText(_("such as: lower edge touches the mat"))
        self._words.entered.connect(self._define)
        self.column.addWidget(self._words)
        words = _("I   just before this frame")
        self._between = button(words, lambda: self.mark("between"), "main")
        self._between.setToolTip(_("The event fell between the frame before and this one"))
        self._in = button(_("E   in this frame"), lambda: self.mark("in"))
        self._in.setToolTip(_("The event is seen exactly in this frame: half a frame either way"))
        for one in (self._between, self._in):
            one.setStyleSheet("text-align: left")
            self.column.addWidget(one)
        self.instants = Lines(_("Instants"), (_("event"), _("t / s, 95 %")))
        self.instants.wanted.connect(self._go_to)
        self.instants.removed.connect(partial(self._remove, "instants"))
        self.column.addWidget(self.instants)
        self._build_interval()
        self.column.addStretch(1)

    def _build_interval(self) -> None:
        card = Card(padding=10)
        names = (_("Start"), _("Stop"))
        self._ends = tuple(chooser(name) for name in names)
        for box, name in zip(self._ends, names, strict=True):
            box.activated.connect(lambda _i: self._show_interval())
            line = row(label(name, "note"), box)
            line.setStretch(1, 1)
            card.column.addLayout(line)
        self._cycles = Stepper(_("Cycles in the interval"), 1, 100_000)
        self._cycles.show_value(1)
        self._cycles.stepped.connect(lambda _n: self._show_interval())
        card.column.addLayout(row(label(_("Cycles in it"), "note"), self._cycles, stretch=1))
        self._value, self._period = label("", "value"), label("", "note")
        self._value.setWordWrap(True)
        self._keep = button(_("Keep this interval"), self.keep)
        card.add(self._value, self._period)
        card.column.addLayout(row(self._keep, stretch=1))
        self._card = card
        self.column.addWidget(label(_("Interval"), "heading"))
        self.column.addWidget(card)
        self.intervals = Lines(_("Intervals kept"), (_("interval"), _("time, 95 %")), 4)
        self.intervals.removed.connect(partial(self._remove, "intervals"))
        self.intervals.wanted.connect(self._choose_interval)
        self.column.addWidget(self.intervals)
        self._send = button(_("Send to the table…"), self._ask_send)
        self._hand = button(_("Time it by hand…"), self.handWanted.emit)
        self._hand.setToolTip(_("The take plays at true speed; press Space at the start and at the stop"))
        self.column.addLayout(row(self._send, stretch=1))
        self.column.addLayout(row(self._hand, stretch=1))
        self._by_hand = label("", "note", wrap=True)
        self.column.addWidget(self._by_hand)
        self.way = WayOfSound(self.desk)
        self.column.addWidget(self.way)

    # -- events --------------------------------------------------------------------------------------

    def add_event(self) -> None:
        """Ask for an event that is to be marked."""
        name, done = QInputDialog.getText(self, _("Define an event"), _("Name, such as contact"))
        if done and name.strip():
            notebook, self.event_id = edits.add_event(self.desk.notebook, name.strip()[:200])
            self.desk.edit(_("define an event"), notebook)
            self._words.setFocus()

    def _choose_event(self, _index: int) -> None:
        self.event_id = self._events.currentData()
        self.refresh()
        self.looked.emit()

    def _define(self, text: str) -> None:
        if self.event_id is not None:
            made = edits.change_event(self.desk.notebook, self.event_id, words=text.strip()[:500])
            self.desk.edit(_("write what counts as an event"), made)

    def plate(self) -> str:
        """What is being marked, for the picture."""
        event = self.desk.notebook.event(self.event_id)
        if event is None:
            return ""
        return f"{event.name}: {event.words}" if event.words else event.name

    # -- instants ------------------------------------------------------------------------------------

    def mark(self, how: str) -> None:
        """Mark the event in hand at the frame in hand."""
        take = self.desk.take
        if take is None:
            return
        if how == "between" and self.desk.frame < 1:
            self.desk.said.emit(_("Before the first frame nothing was seen: go on to a later frame."), "note")
            return
        self._add(take, how=how, frame=self.desk.frame)

    def accept(self, at: float, half: float) -> None:
        """Take an onset of the sound as the event in hand."""
        if self.desk.take is not None:
            self._add(self.desk.take, how="sound", at=at, half=half)

    def _add(self, take: Take, **fields: object) -> None:
        made, instant_id = edits.mark_instant(self.desk.notebook, take.id, event=self.event_id, **fields)
        self.desk.edit(_("mark an instant"), made)
        self._pick_newest(instant_id)
        self.instants.choose(instant_id)

    def _pick_newest(self, instant_id: str) -> None:
        """The stop is what was marked last; the start is the one marked before, where none was chosen."""
        start, stop = self._ends
        if stop.count() > 1:
            before = stop.currentData()
            stop.setCurrentIndex(stop.findData(instant_id))
            if start.currentData() == instant_id and before is not None:
                start.setCurrentIndex(start.findData(before))
            self._show_interval()

    def _go_to(self, instant_id: str) -> None:
        take = self.desk.take
        instant = take.timing.instant(instant_id) if take else None
        if take is None or instant is None:
            return
        value = instant_value(take, instant)
        if instant.how == "sound" and not isinstance(value, str):
            self.timeWanted.emit(float(value))
        elif instant.how != "sound":
            self.desk.go_to_frame(instant.frame)

    def _remove(self, kind: str, part_id: str) -> None:
        if self.desk.take is not None:
            made = edits.remove(self.desk.notebook, self.desk.take.id, kind, part_id)  # type: ignore[arg-type]
            words = _("remove an instant") if kind == "instants" else _("remove an interval")
            self.desk.edit(words, made)

    # -- intervals -----------------------------------------------------------------------------------

    def _interval(self) -> Interval | None:
        """The interval of the two ends chosen, as it would be kept."""
        start, stop = (box.currentData() for box in self._ends)
        if not start or not stop or start == stop:
            return None
        name = f"{self._ends[0].currentText()} → {self._ends[1].currentText()}"[:200]
        return Interval(id="interval-0", name=name, start=start, stop=stop, cycles=self._cycles.value)

    def keep(self) -> None:
        """Keep the interval between the two ends chosen."""
        take, made = self.desk.take, self._interval()
        if take is not None and made is not None:
            notebook, kept = edits.add_interval(
                self.desk.notebook, take.id, made.start, made.stop, made.name, made.cycles
            )
            self.desk.edit(_("keep an interval"), notebook)
            self.intervals.choose(kept)
            self._show_by_hand()

    def _choose_interval(self, _interval_id: str) -> None:
        self._show_by_hand()

    def chosen_interval(self) -> Interval | None:
        """The kept interval in hand; the last where none was chosen."""
        take = self.desk.take
        if take is None or not take.timing.intervals:
            return None
        return take.timing.interval(self.intervals.chosen()) or take.timing.intervals[-1]

    def _ask_send(self) -> None:
        take, interval = self.desk.take, self.chosen_interval()
        if take is None or interval is None:
            return
        entries: list[Entry] = []
        for part, found, words in (
            ("time", interval_value(take, interval), interval.name),
            ("period", interval_period(take, interval), _("period")),
        ):
            if isinstance(found, str) or (part == "period" and interval.cycles == 1):
                continue
            link = Link(kind="interval", source=take.id, place=interval.id, part=part)
            entries += link_actions(self.desk, link, found, words)
        self.ask_to_send(entries, self._send)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show what was timed on the take in hand."""
        take = self.desk.take
        if take is None:
            return
        self._show_events()
        order = sorted(take.timing.instants, key=lambda i: _order(take, i))
        rows = []
        for instant in order:
            value = instant_value(take, instant)
            words = value if isinstance(value, str) else stated(float(value), value.U95).removesuffix(" ")
            rows.append((instant.id, (event_title(self.desk, instant), words), False))
        self.instants.show_rows(rows)
        self.instants.setVisible(bool(rows))
        for i, box in enumerate(self._ends):
            kept = box.currentData()
            box.clear()
            for instant in order:
                value = instant_value(take, instant)
                when = "" if isinstance(value, str) else f"  {float(value):.3f} s"
                box.addItem(event_title(self.desk, instant) + when, instant.id)
            place = box.findData(kept)
            box.setCurrentIndex(place if place >= 0 else (0 if i == 0 else box.count() - 1))
        self._show_interval()
        shown = []
        for interval in take.timing.intervals:
            found = interval_value(take, interval)
            text = found if isinstance(found, str) else quantity_words(found)
            shown.append((interval.id, (interval.name, text), False))
        self.intervals.show_rows(shown)
        self.intervals.setVisible(bool(shown))
        self._send.setVisible(bool(shown))
        self._show_by_hand()
        self.way.refresh()

    def _show_events(self) -> None:
        events = self.desk.notebook.events
        if self.desk.notebook.event(self.event_id) is None:
            self.event_id = events[0].id if events else None
        self._events.clear()
        if not events:
            self._events.addItem(_("an event without a name"), None)
        for event in events:
            self._events.addItem(event.name, event.id)
        self._events.setCurrentIndex(max(self._events.findData(self.event_id), 0))
        chosen = self.desk.notebook.event(self.event_id)
        self._words.setEnabled(chosen is not None)
        self._words.show_text(chosen.words if chosen is not None else "")
        self._words.setCursorPosition(0)

    def _show_interval(self) -> None:
        take, made = self.desk.take, self._interval()
        self._card.setVisible(take is not None and len(take.timing.instants) > 1)
        self._keep.setEnabled(made is not None)
        if take is None or made is None:
            self._value.setText(_("Choose two instants."))
            self._period.setText("")
            return
        found = interval_value(take, made)
        self._keep.setEnabled(not isinstance(found, str))
        if isinstance(found, str):
            self._value.setText(found)
            self._period.setText("")
            return
        self._value.setText(quantity_words(found))
        each = interval_period(take, made)
        words = _("95 %, from frame to frame")
        if made.cycles > 1 and not isinstance(each, str):
            words = _("each cycle {value}").format(value=quantity_words(each))
        self._period.setText(words)

    def _show_by_hand(self) -> None:
        """The last timing by hand beside the frame-by-frame time of the same interval."""
        take, interval = self.desk.take, self.chosen_interval()
        made = take.timing.by_hand[-1] if take is not None and take.timing.by_hand else None
        self._by_hand.setVisible(made is not None)
        if take is None or made is None:
            return
        hand = by_hand_value(take, made, self.desk.notebook.hands)
        words = _("By hand {value}.").format(value=quantity_words(hand))
        mine = take.timing.interval(made.interval) or interval
        found = interval_value(take, mine) if mine is not None else ""
        if mine is not None and not isinstance(found, str):
            words += " " + against_film(hand, found)
        self._by_hand.setText(words)


def _order(take: Take, instant: Instant) -> float:
    value = instant_value(take, instant)
    return float("inf") if isinstance(value, str) else float(value)
