"""The column of cycles: passings counted by key, found from readings, or heard; period and drift."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from saltus.core.clock.cycles import Cycles
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.sheet import length_unit
from saltus.exchange.timing_words import (
    cycles_wanted,
    drift_chart,
    drift_words,
    frames_warning,
    quantity_words,
)
from saltus.notebook.derived.times import count_value, sound_problem
from saltus.notebook.edits import timing as edits
from saltus.notebook.timing import Onset
from saltus.notebook.trials import Link
from saltus.ui.desk.panel import TimePanel
from saltus.ui.desk.sending import link_actions
from saltus.ui.kit.chart_view import ChartView
from saltus.ui.kit.choices import chooser
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.widgets import Card, Field, button, icon_button, label, row
from saltus.ui.time.lines import Lines
from saltus.ui.time.rates import RatesDialog
from saltus.ui.timeline.lane import lane_axis

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.notebook.timing import Count
    from saltus.ui.desk.desk import Desk
    from saltus.ui.time.sounds import Sounds

SAME = 0.02
"""Two uncertainties so near to each other say the same."""


class CountingPanel(TimePanel):
    """Counts of the take in hand."""

    def __init__(self, desk: Desk, sounds: Sounds) -> None:
        super().__init__(desk)
        self._sounds = sounds
        self.count_id: str | None = None
        self._counts = chooser(_("Count in hand"))
        self._counts.activated.connect(self._choose)
        self._new = button(_("New…"), self._ask_new)
        top = row(self._counts, self._new, icon_button("trash", _("Remove this count"), self._drop))
        top.setStretch(0, 1)
        self.column.addWidget(label(_("What is counted"), "heading"))
        self.column.addLayout(top)
        self._build_how()
        self._build_period()
        self.lines = Lines(_("Passings"), (_("number"), _("t / s, 95 %")), 5)
        self.lines.wanted.connect(self._go_to)
        self.lines.switched.connect(self._switch)
        self.lines.removed.connect(self._switch)
        self.column.addWidget(self.lines)
        self._foot = label(_("X sets a passing aside; the others keep their numbers."), "note", wrap=True)
        self.column.addWidget(self._foot)
        self._rates = button(_("Does it really go that fast?…"), self._ask_rates, "link")
        self.column.addLayout(row(self._rates, stretch=1))
        self.column.addStretch(1)

    def _build_how(self) -> None:
        self._by_key = button(_("C  a passing here"), self.count_here, "main")
        self.column.addLayout(row(self._by_key, stretch=1))
        self._all = button(_("Count all onsets proposed"), self.count_all)
        self.column.addLayout(row(self._all, stretch=1))
        self._body, self._of = chooser(_("Body that is followed")), chooser(_("Axis"))
        self._way, self._per = chooser(_("Direction of the passings")), chooser(_("Passings in a cycle"))
        self._level = Field(_("Level of the passings"), 76)
        self._level.setPlaceholderText(_("at rest"))
        self._level.entered.connect(self._type_level)
        self._unit = label("m", "note")
        self._level_line = QWidget()
        line = row(label(_("Level"), "note"), self._level, self._unit, self._way)
        line.setStretch(3, 1)
        line.setContentsMargins(0, 0, 0, 0)
        self._level_line.setLayout(line)
        for box, key in (
            (self._body, "body"), (self._of, "of"), (self._way, "direction"), (self._per, "per_cycle"),
        ):  # fmt: skip
            box.activated.connect(lambda _i, b=box, k=key: self._set(k, b.currentData()))
        for words, key in (("x", "x"), ("y", "y")):
            self._of.addItem(words, key)
        for words, key in ((_("either way"), ""), (_("upwards"), "up"), (_("downwards"), "down")):
            self._way.addItem(words, key)
        for words, each in ((_("once a cycle"), 1), (_("twice a cycle"), 2)):
            self._per.addItem(words, each)
        self._where = row(self._body, self._of)
        self._where.setStretch(0, 1)
        self.column.addLayout(self._where)
        self.column.addWidget(self._level_line)
        self.column.addWidget(self._per)

    def _build_period(self) -> None:
        card = Card(padding=10)
        self._period, self._ends, self._drift = label("", "value"), label("", "note"), label("", "note")
        for one in (self._period, self._ends, self._drift):
            one.setWordWrap(True)
        self._warning = label("", "warn", wrap=True)
        card.add(self._period, self._ends, self._drift, self._warning)
        self._percent = Field(_("Wanted uncertainty of the period, per cent"), 52)
        self._percent.setText("0.5")
        self._percent.entered.connect(lambda _text: self._show_wanted())
        self._wanted = label("", "note")
        self._wanted_line = QWidget()
        line = row(label(_("For ±"), "note"), self._percent, label("%", "note"), self._wanted, stretch=4)
        line.setContentsMargins(0, 0, 0, 0)
        self._wanted_line.setLayout(line)
        card.add(self._wanted_line)
        self._send = button(_("Send to the table…"), self._ask_send)
        card.column.addLayout(row(self._send, stretch=1))
        self._card = card
        self.column.addWidget(card)
        self._chart_words = label(_("δ: passing minus the even beat"), "note")
        self.column.addWidget(self._chart_words)
        self.chart = ChartView(_("Passings minus the even beat"), 130)
        self.chart.setFixedHeight(150)
        self.column.addWidget(self.chart)

    # -- actions -------------------------------------------------------------------------------------

    def count(self) -> Count | None:
        """The count in hand; the last where none was chosen."""
        take = self.desk.take
        if take is None or not take.timing.counts:
            return None
        return take.timing.count(self.count_id) or take.timing.counts[-1]

    def _ask_new(self) -> None:
        take = self.desk.take
        entries = [
            Entry(words, partial(self.begin, how), possible)
            for how, words, possible in (
                ("frames", _("By key, a passing in a frame"), take is not None and take.facts.pictures),
                ("readings", _("From the readings of a body"), take is not None and bool(take.bodies)),
                ("sound", _("By ear, from the sound"), take is not None and sound_problem(take) is None),
            )
        ]
        open_under(menu_of(self, entries), self._new)

    def begin(self, how: str) -> None:
        """Begin a count."""
        take, body = self.desk.take, self.desk.body
        if take is None:
            return
        fields: dict[str, object] = {"how": how, "name": _("Passings")}
        if how == "readings" and body is not None:
            fields |= {"body": body.id, "of": lane_axis(take, body), "name": body.name}
        elif how == "sound":
            fields["name"] = _("Heard")
        made, self.count_id = edits.add_count(self.desk.notebook, take.id, **fields)
        self.desk.edit(_("begin to count"), made)
        self.looked.emit()

    def _choose(self, _index: int) -> None:
        self.count_id = self._counts.currentData()
        self.refresh()
        self.looked.emit()

    def _drop(self) -> None:
        take, count = self.desk.take, self.count()
        if take is not None and count is not None:
            self.desk.edit(_("remove a count"), edits.remove(self.desk.notebook, take.id, "counts", count.id))

    def _set(self, key: str, value: object) -> None:
        take, count = self.desk.take, self.count()
        if take is not None and count is not None and getattr(count, key) != value:
            made = edits.change(self.desk.notebook, take.id, "counts", count.id, **{key: value})
            self.desk.edit(_("say how passings are counted"), made)

    def _type_level(self, text: str) -> None:
        try:
            level = number(text) if text.strip() else None
        except WrittenError as error:
            self._level.mark_wrong(str(error))
            self.desk.said.emit(str(error), "warn")
            return
        self._set("level", level)

    def count_here(self) -> None:
        """Count a passing in the frame in hand; again takes it back."""
        take = self.desk.take
        if take is None:
            return
        count = self.count()
        if count is None or count.how != "frames":
            self.begin("frames")
            count = self.count()
        assert count is not None
        if self.desk.frame < 1:
            self.desk.said.emit(_("Before the first frame nothing was seen: go on to a later frame."), "note")
            return
        made = edits.count_frame(self.desk.notebook, take.id, count.id, self.desk.frame)
        self.desk.edit(_("count a passing"), made)

    def accept(self, at: float, half: float) -> None:
        """Count a sound; again takes it back."""
        take = self.desk.take
        if take is None:
            return
        count = self.count()
        if count is None or count.how != "sound":
            self.begin("sound")
            count = self.count()
        assert count is not None
        self.desk.edit(_("count a sound"), edits.count_onset(self.desk.notebook, take.id, count.id, at, half))

    def count_all(self) -> None:
        """Count every onset that the sound proposes."""
        take, count = self.desk.take, self.count()
        heard = self._sounds.of(take) if take is not None else None
        if take is None or count is None or heard is None:
            return
        onsets = tuple(Onset(at=at, half=half) for at, half, _strength in heard.onsets)
        made = edits.change(self.desk.notebook, take.id, "counts", count.id, onsets=onsets)
        self.desk.edit(_("count the sounds"), made)

    def _made(self) -> Cycles | str | None:
        take, count = self.desk.take, self.count()
        return count_value(take, count) if take is not None and count is not None else None

    def _go_to(self, number_text: str) -> None:
        made = self._made()
        if isinstance(made, Cycles) and int(number_text) in made.numbers:
            self.timeWanted.emit(float(made.passings[made.numbers.index(int(number_text))]))

    def _switch(self, number_text: str) -> None:
        take, count = self.desk.take, self.count()
        if take is not None and count is not None:
            made = edits.switch_aside(self.desk.notebook, take.id, count.id, int(number_text))
            self.desk.edit(_("set a passing aside"), made)

    def _ask_send(self) -> None:
        take, count, made = self.desk.take, self.count(), self._made()
        if take is None or count is None or not isinstance(made, Cycles) or made.period is None:
            return
        entries: list[Entry] = []
        whole = made.passings[-1] - made.passings[0]
        for part, q, words in (
            ("period", made.period, _("period")),
            ("time", whole, _("time of {n} cycles").format(n=made.count)),
        ):
            link = Link(kind="cycles", source=take.id, place=count.id, part=part)
            entries += link_actions(self.desk, link, q, words)
        self.ask_to_send(entries, self._send)

    def _ask_rates(self) -> None:
        made = self._made()
        period = made.period if isinstance(made, Cycles) else None
        RatesDialog(self, self.desk.take, 1 / float(period) if period is not None else None).exec()

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the counts of the take in hand."""
        take, count = self.desk.take, self.count()
        self._counts.clear()
        for one in take.timing.counts if take is not None else ():
            self._counts.addItem(f"{one.name}, {_how(one)}", one.id)
        self._counts.setEnabled(count is not None)
        if count is None:
            self._counts.addItem(_("nothing yet"), None)
        else:
            self._counts.setCurrentIndex(self._counts.findData(count.id))
        self._show_how(take, count)
        self._show_period(take, count)

    def _show_how(self, take: Take | None, count: Count | None) -> None:
        how = count.how if count is not None else "frames"
        self._by_key.setVisible(how == "frames")
        self._by_key.setEnabled(take is not None and take.facts.pictures)
        self._all.setVisible(how == "sound")
        heard = self._sounds.of(take) if take is not None else None
        self._all.setEnabled(heard is not None and bool(heard.onsets))
        for box in (self._body, self._of, self._way, self._level_line):
            box.setVisible(how == "readings")
        self._per.setVisible(count is not None and how != "readings")
        if take is None or count is None:
            return
        self._body.clear()
        for body in take.bodies:
            self._body.addItem(body.name, body.id)
        self._body.setCurrentIndex(self._body.findData(count.body))
        self._of.setCurrentIndex(self._of.findData(count.of))
        self._way.setCurrentIndex(self._way.findData(count.direction))
        self._per.setCurrentIndex(self._per.findData(count.per_cycle))
        self._level.show_text("" if count.level is None else f"{count.level:g}")
        self._unit.setText(length_unit(take))

    def _show_period(self, take: Take | None, count: Count | None) -> None:
        made = self._made()
        there = isinstance(made, Cycles)
        self._card.setVisible(made is not None)
        self.lines.setVisible(there)
        self._foot.setVisible(there)
        self.chart.setVisible(there)
        self._chart_words.setVisible(there)
        if take is None or count is None or made is None:
            return
        if isinstance(made, str):
            self._period.setText(made)
            for one in (self._ends, self._drift, self._warning):
                one.setText("")
            self._send.setEnabled(False)
            self._wanted_line.hide()
            return
        self._send.setEnabled(made.period is not None)
        self._wanted_line.setVisible(made.period is not None)
        if made.period is None:
            self._period.setText(_("Counting starts at zero: the next passing is {n}.").format(n=_next(made)))
            self._ends.setText("")
            self._drift.setText("")
        else:
            self._period.setText(f"T = {quantity_words(made.period)}")
            ends = made.period_from_ends
            words = _("{n} cycles, 95 %. The next passing is {next}.").format(n=made.count, next=_next(made))
            if ends is not None and abs(ends.U95 / made.period.U95 - 1) > SAME:
                words += " " + _("From first and last alone {value}.").format(value=quantity_words(ends))
            self._ends.setText(words)
            self._drift.setText(drift_words(made))
        # what is heard does not hang on frames
        few = frames_warning(take, made) if count.how != "sound" else ""
        told = [w for w in (*made.warnings, few) if w]
        self._warning.setText(" ".join(dict.fromkeys(told)))
        self._warning.setVisible(bool(told))
        self._show_wanted()
        self.chart.show_chart(drift_chart(made), _("The drift shows from three passings on."))
        kept = [(str(n), (str(n), _when(q)), False) for n, q in zip(made.numbers, made.passings, strict=True)]
        gone = [(str(n), (str(n), _("set aside")), True) for n in count.aside]
        self.lines.show_rows(sorted([*kept, *gone], key=lambda line: int(line[0])))

    def _show_wanted(self) -> None:
        made, count = self._made(), self.count()
        self._wanted.setText("")
        try:
            percent = number(self._percent.text().replace("%", "").strip())
        except WrittenError as error:
            self._percent.mark_wrong(str(error))
            return
        self._percent.mark_wrong("")
        if isinstance(made, Cycles) and count is not None and percent > 0:
            self._wanted.setText(_("on T: {n}").format(n=cycles_wanted(made, count, percent)))


def _next(made: Cycles) -> int:
    return made.numbers[-1] + 1 if made.numbers else 0


def _when(q: object) -> str:
    return stated(float(q), q.U95).strip()  # type: ignore[arg-type, attr-defined]


def _how(count: Count) -> str:
    return {"frames": _("by key"), "readings": _("as read"), "sound": _("by ear")}[count.how]
