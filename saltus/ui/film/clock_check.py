"""Checking at what rate a take was filmed: against a filmed watch, or against a body in free fall."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.exchange.timing_words import quantity_words
from saltus.notebook.derived.frame_clock import rhythm
from saltus.notebook.derived.times import checked_rate, shown_rate
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as edits
from saltus.notebook.timing import ClockCheck
from saltus.ui.kit.choices import chooser
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Field, button, label, row

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class ClockDialog(QDialog):
    """Stays open beside the window, so that frames can be looked at meanwhile."""

    def __init__(self, parent: QWidget, desk: Desk, take_id: str) -> None:
        super().__init__(parent)
        self._desk, self._take_id = desk, take_id
        take = desk.notebook.take(take_id)
        kept = take.timing.check if take is not None else None
        self.how = kept.how if kept is not None else "watch"
        self.frames = list(kept.frames) if kept is not None else [0, 0]
        self.setWindowTitle(_("Check the clock"))
        self.setMinimumWidth(scaled(440))
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        words = _(
            "A phone’s slow motion plays slower than it was taken. What the file says need not be the true "
            "rate: two ways tell it."
        )
        layout.addWidget(label(words, wrap=True))
        layout.addLayout(self._ways())
        self._watch, self._fall = self._watch_part(kept), self._fall_part(kept)
        layout.addWidget(self._watch)
        layout.addWidget(self._fall)
        self.answer = label("", "value", wrap=True)
        self._plays = label("", "note", wrap=True)
        layout.addWidget(self.answer)
        layout.addWidget(self._plays)
        self.use = button(_("Use this rate"), self._use, "main")
        layout.addLayout(row(self.use, button(_("Close"), self.reject), stretch=1))
        self.show_way(self.how)
        desk.changed.connect(self._follow)

    def _ways(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.ways: dict[str, QPushButton] = {}
        for way, words in (("watch", _("a filmed stopwatch")), ("fall", _("a body in free fall"))):
            one = button(words, partial(self.show_way, way), "filter")
            one.setCheckable(True)
            line.addWidget(one)
            self.ways[way] = one
        line.addStretch(1)
        return line

    def _watch_part(self, kept: ClockCheck | None) -> QWidget:
        part = QWidget()
        grid = QGridLayout(part)
        grid.setContentsMargins(0, 0, 0, 0)
        words = _("Go to an early and to a late frame, on Time, and type what the filmed watch shows there.")
        grid.addWidget(label(words, "note", wrap=True), 0, 0, 1, 4)
        self.shown: list[Field] = []
        self._frame_words = []
        for i, name in enumerate((_("first frame"), _("last frame"))):
            field = Field(_("What the watch shows in the {which}").format(which=name), 110)
            field.setPlaceholderText(_("such as 3.27"))
            field.setText(kept.shown[i] if kept is not None else "")
            field.textEdited.connect(lambda _text: self.work_out())
            told = label("", "note")
            grid.addWidget(label(name, "note"), i + 1, 0)
            grid.addWidget(told, i + 1, 1)
            grid.addWidget(button(_("Frame in hand"), partial(self.take_frame, i)), i + 1, 2)
            grid.addWidget(field, i + 1, 3)
            self.shown.append(field)
            self._frame_words.append(told)
        return part

    def _fall_part(self, kept: ClockCheck | None) -> QWidget:
        part = QWidget()
        column = QVBoxLayout(part)
        column.setContentsMargins(0, 0, 0, 0)
        words = _("Set the scale, read a falling body, fit constant acceleration on Motion; choose it here.")
        column.addWidget(label(words, "note", wrap=True))
        self.segment = chooser(_("Segment of the fall"))
        take = self._desk.notebook.take(self._take_id)
        for one in take.segments if take is not None else ():
            body = take.body(one.body) if take is not None else None
            name = body.name if body is not None else one.id
            self.segment.addItem(f"{name}, {one.of}", one.id)
        self.segment.activated.connect(lambda _i: self.work_out())
        self.g = Field(_("Free fall here, m/s²"), 110)
        self.g.setText(kept.g if kept is not None and kept.g else "9.81(1)")
        self.g.textEdited.connect(lambda _text: self.work_out())
        line = row(self.segment, label(_("g there"), "note"), self.g, label("m/s²", "note"))
        line.setStretch(0, 1)
        column.addLayout(line)
        return part

    def show_way(self, way: str) -> None:
        """Check by the watch or by the fall."""
        self.how = way  # type: ignore[assignment]
        for name, one in self.ways.items():
            one.setChecked(name == way)
        self._watch.setVisible(way == "watch")
        self._fall.setVisible(way == "fall")
        self.work_out()
        self.adjustSize()

    def take_frame(self, which: int) -> None:
        """Take the frame in hand as the first or the last."""
        if self._desk.take_id == self._take_id:
            self.frames[which] = self._desk.frame
            self.work_out()

    def check(self) -> ClockCheck:
        """The check as it is typed."""
        return ClockCheck(
            how=self.how, frames=(self.frames[0], self.frames[1]),
            shown=(self.shown[0].text()[:200], self.shown[1].text()[:200]),
            segment=self.segment.currentData(), g=self.g.text()[:200],
        )  # fmt: skip

    def work_out(self) -> None:
        """Show the rate that the check gives."""
        take = self._desk.notebook.take(self._take_id)
        for told, frame in zip(self._frame_words, self.frames, strict=True):
            told.setText(_("frame {n}").format(n=frame))
        if take is None:
            return
        found = checked_rate(take, self.check())
        self.use.setEnabled(not isinstance(found, str))
        if isinstance(found, str):
            self.answer.setText(found)
            self._plays.setText("")
            return
        self.answer.setText(_("Taken at {rate}").format(rate=quantity_words(found)))
        beat = rhythm(take.but(capture_rate=None)).spacing_s
        words = _("The file plays {plays:.4g} frames a second: {factor:.4g} times slower than life.")
        if beat:
            self._plays.setText(words.format(plays=1 / beat, factor=float(found) * beat))

    def _use(self) -> None:
        take = self._desk.notebook.take(self._take_id)
        found = checked_rate(take, self.check()) if take is not None else ""
        if take is None or isinstance(found, str):
            return
        made = edits.change_timing(self._desk.notebook, take.id, check=self.check())
        rate, percent = shown_rate(found)
        self._desk.edit(_("take the checked rate"), take_edits.set_clock(made, take.id, rate, percent))
        self.accept()

    def _follow(self) -> None:
        if self.isVisible():
            self.work_out()
