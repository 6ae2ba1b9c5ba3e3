"""The column of gates: lines across the path of a body, and when and how fast it crosses them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.sheet import length_unit
from saltus.exchange.timing_words import quantity_words
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.derived.times import gate_values
from saltus.notebook.edits import timing as edits
from saltus.notebook.trials import Link
from saltus.ui.desk.panel import TimePanel
from saltus.ui.desk.sending import link_actions
from saltus.ui.kit.choices import chooser
from saltus.ui.kit.widgets import Field, Stepper, button, icon_button, label, row
from saltus.ui.time.lines import Lines
from saltus.ui.timeline.lane import lane_axis

if TYPE_CHECKING:
    from PyQt6.QtCore import QPointF

    from saltus.notebook.timing import Gates
    from saltus.ui.desk.desk import Desk
    from saltus.ui.kit.menus import Entry

WIDE = 86


class GatesPanel(TimePanel):
    """Gates of the take in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.gates_id: str | None = None
        self._sets = chooser(_("Gates in hand"))
        self._sets.activated.connect(self._choose)
        self._new = button(_("Lay gates"), self.lay)
        top = row(self._sets, self._new, icon_button("trash", _("Remove these gates"), self._drop))
        top.setStretch(0, 1)
        self.column.addWidget(label(_("Gates across the path"), "heading"))
        self.column.addLayout(top)
        words = _("Click in the picture where the first gate lies; drag to move it.")
        self._how = label(words, "note", wrap=True)
        self.column.addWidget(self._how)
        self._build_part()
        self.column.addStretch(1)

    def _build_part(self) -> None:
        """What is shown once there are gates."""
        self._part = QWidget()
        part = QVBoxLayout(self._part)
        part.setContentsMargins(0, 0, 0, 0)
        part.setSpacing(7)
        self._body, self._of = chooser(_("Body that crosses")), chooser(_("Axis"))
        for box, key in ((self._body, "body"), (self._of, "of")):
            box.activated.connect(lambda _i, b=box, k=key: self._set(**{k: b.currentData()}))
        self._of.setMinimumContentsLength(6)
        self._of.addItem(_("along x"), "x")
        self._of.addItem(_("along y"), "y")
        line = row(self._body, self._of)
        line.setStretch(0, 1)
        part.addLayout(line)
        self._spacing = Field(_("Spacing of the gates"), WIDE)
        self._spacing.entered.connect(self._type_spacing)
        self._unit = label("m", "note")
        part.addLayout(row(label(_("Spacing"), "note"), self._spacing, self._unit, stretch=3))
        self._number = Stepper(_("Number of gates"), 1, 200)
        self._number.stepped.connect(lambda n: self._set(number=n))
        part.addLayout(row(label(_("Number of gates"), "note"), self._number, stretch=1))
        self.lines = Lines(_("Crossings"), (_("gate"), _("t / s, 95 %"), _("speed")), 8)
        self.lines.wanted.connect(self._go_to)
        part.addWidget(self.lines)
        self._told = label("", "warn", wrap=True)
        part.addWidget(self._told)
        self._send = button(_("Send to the table…"), self._ask_send)
        self._copy = button(_("Copy"), self.copy)
        self._copy.setToolTip(_("Copy the crossings as a table for a spreadsheet"))
        part.addLayout(row(self._send, self._copy, stretch=2))
        self.column.addWidget(self._part)

    def gates(self) -> Gates | None:
        """The gates in hand; the last where none were chosen."""
        take = self.desk.take
        if take is None or not take.timing.gates:
            return None
        return take.timing.gate_set(self.gates_id) or take.timing.gates[-1]

    # -- actions -------------------------------------------------------------------------------------

    def lay(self) -> None:
        """Lay a gate across the middle of the path of the body in hand."""
        take, body = self.desk.take, self.desk.body
        if take is None or body is None or not len(body.readings.used.frame):
            self.desk.said.emit(_("Read a body on Read first: gates are crossed by its readings."), "note")
            return
        used = body.readings.used
        middle = len(used.frame) // 2
        seen, frame = (float(used.x[middle]), float(used.y[middle])), int(used.frame[middle])
        (place,) = geometry_of(take).camera.moved([seen], frame, None)
        made, self.gates_id = edits.add_gates(
            self.desk.notebook, take.id, body=body.id, of=lane_axis(take, body), place=place
        )
        self.desk.edit(_("lay a gate"), made)
        self.looked.emit()

    def lay_at(self, at: QPointF) -> None:
        """Move the first gate to a place of the picture, px."""
        if self.gates() is None:
            self.lay()
        if self.gates() is not None:
            take = self.desk.take
            assert take is not None
            # gates stand in the steady picture, wherever the camera looks in this frame
            x, y = geometry_of(take).camera.moved([(at.x(), at.y())], self.desk.frame, None)[0]
            self._set(place=(round(x, 2), round(y, 2)))

    def _choose(self, _index: int) -> None:
        self.gates_id = self._sets.currentData()
        self.refresh()
        self.looked.emit()

    def _drop(self) -> None:
        take, gates = self.desk.take, self.gates()
        if take is not None and gates is not None:
            self.desk.edit(_("remove gates"), edits.remove(self.desk.notebook, take.id, "gates", gates.id))

    def _set(self, **changes: object) -> None:
        take, gates = self.desk.take, self.gates()
        if take is not None and gates is not None:
            made = edits.change(self.desk.notebook, take.id, "gates", gates.id, **changes)
            self.desk.edit(_("move gates"), made, f"gates/{take.id}/{gates.id}")

    def _type_spacing(self, text: str) -> None:
        try:
            spacing = number(text) if text.strip() else 0.0
            if abs(spacing) > 1e4:
                raise WrittenError(_("Gates stand within 10 km of each other."))
        except WrittenError as error:
            self._spacing.mark_wrong(str(error))
            self.desk.said.emit(str(error), "warn")
            return
        self._set(spacing=spacing)

    def _go_to(self, place: str) -> None:
        take, gates = self.desk.take, self.gates()
        if take is not None and gates is not None:
            found, _told = gate_values(take, gates)
            self.timeWanted.emit(float(found[int(place)].crossing.time))

    def copy(self) -> None:
        """Copy the crossings for a spreadsheet."""
        take, gates = self.desk.take, self.gates()
        board = QGuiApplication.clipboard()
        if take is None or gates is None or board is None:
            return
        unit = length_unit(take)
        rows = [f"gate\tplace [{unit}]\tt [s]\tu(t) [s]\tv [{unit}/s]\tu(v) [{unit}/s]"]
        for passed in gate_values(take, gates)[0]:
            t, v = passed.crossing.time, passed.crossing.velocity
            cells = (passed.place, float(t), float(t.u), float(v), float(v.u))
            rows.append("\t".join([str(passed.gate), *(f"{c:.9g}" for c in cells)]))
        board.setText("\n".join(rows))
        self.desk.said.emit(_("Copied: paste it into a spreadsheet or the table of trials."), "note")

    def _ask_send(self) -> None:
        take, gates = self.desk.take, self.gates()
        if take is None or gates is None:
            return
        found, _told = gate_values(take, gates)
        place = int(self.lines.chosen() or 0)
        entries: list[Entry] = []
        if place < len(found):
            for part, q in (("time", found[place].crossing.time), ("speed", found[place].crossing.velocity)):
                link = Link(kind="gate", source=take.id, place=gates.id, part=f"{part} {place}")
                words = _("time at gate {n}") if part == "time" else _("speed at gate {n}")
                entries += link_actions(self.desk, link, q, words.format(n=found[place].gate))
        self.ask_to_send(entries, self._send)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the gates of the take in hand."""
        take, gates = self.desk.take, self.gates()
        self._sets.clear()
        for n, one in enumerate(take.timing.gates if take is not None else (), 1):
            body = take.body(one.body) if take is not None else None
            self._sets.addItem(f"{n}: {body.name if body is not None else '–'}", one.id)
        if gates is None:
            self._sets.addItem(_("nothing yet"), None)
        else:
            self._sets.setCurrentIndex(self._sets.findData(gates.id))
        there = take is not None and gates is not None
        self._part.setVisible(there)
        self._sets.setEnabled(there)
        self._told.setText("")
        if take is None or gates is None:
            return
        self._body.clear()
        for body in take.bodies:
            self._body.addItem(body.name, body.id)
        self._body.setCurrentIndex(self._body.findData(gates.body))
        self._of.setCurrentIndex(self._of.findData(gates.of))
        self._spacing.show_text(f"{gates.spacing:g}" if gates.spacing else "")
        self._number.show_value(gates.number)
        self._unit.setText(length_unit(take))
        found, told = gate_values(take, gates)
        several = gates.number > 1 and not gates.spacing
        if several:
            told = (*told, _("Type the spacing of the gates."))
        self._told.setText(" ".join(told))
        self._told.setVisible(bool(told))
        rows = []
        for i, passed in enumerate(found):
            t, v = passed.crossing.time, passed.crossing.velocity
            speed = -v if float(v) < 0 else v
            rows.append(
                (str(i), (str(passed.gate), stated(float(t), t.U95).strip(), quantity_words(speed)), False)
            )
        self.lines.show_rows(rows)

    def has_readings(self) -> bool:
        """Whether a body of the take was read."""
        take = self.desk.take
        return take is not None and any(len(body_motion(take, b).t) for b in take.bodies)
