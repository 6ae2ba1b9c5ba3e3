"""Rules and dials in the picture: their known divisions, their pointer, and what they show."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from saltus.core.units import UnitError, parse_unit
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.measured_words import reading_words, scale_law_words
from saltus.notebook.derived.filmed_scales import name_of, scale_found
from saltus.notebook.edits import geometry as geometry_edits
from saltus.notebook.edits import measuring as edits
from saltus.notebook.trials import Link
from saltus.ui.desk.placing_u import PlacingU
from saltus.ui.desk.sending import filling_actions, given_actions, link_actions, or_what_is_missing
from saltus.ui.kit.choices import chooser, fill, growing
from saltus.ui.kit.menus import menu_of, open_under
from saltus.ui.kit.widgets import Card, Field, Group, button, clear_layout, label, row
from saltus.ui.scale.typed_row import TypedRow

if TYPE_CHECKING:
    from saltus.notebook.derived.filmed_scales import ScaleFound
    from saltus.notebook.geometry import Typed
    from saltus.notebook.measuring import FilmedScale
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.scale_tool import ScaleTool

MOST_SHOWN = 8


class FilmedScalePanel(Group):
    """The filmed scale in hand.

    Signals
    -------
    wanted(mode)
        What a click on the picture does from now on.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, tool: ScaleTool) -> None:
        super().__init__()
        self._desk, self._tool = desk, tool
        self.column.addWidget(label(_("Read a scale in the picture"), "heading"))
        self.straight = button(_("A straight one"), partial(self._begin, "straight"), "filter")
        self.round = button(_("A dial"), partial(self._begin, "round"), "filter")
        self.column.addLayout(row(self.straight, self.round, stretch=2))
        self.scales = growing(chooser(_("Filmed scale in hand"), self._choose), 190)
        self.remove = button(_("Remove"), self._remove, "link")
        self.column.addLayout(row(self.scales, self.remove))
        self.card = Card(padding=10)
        self._build_divisions()
        self._build_parallax()
        self.readings = Card(padding=10)
        self._build_readings()
        self.column.addWidget(self.readings)
        self.column.addWidget(self.card)
        words = _("A rule, a force meter, a watch: mark two known divisions or more, then click where its "
                  "pointer stands. It gives the reading with its uncertainty, in any frame.")  # fmt: skip
        self.empty = label(words, "note", wrap=True)
        self.column.addWidget(self.empty)
        self.column.addStretch(1)

    def _build_divisions(self) -> None:
        card = self.card
        self.name, self.unit = Field(_("Name of the scale"), 110), Field(_("Unit of the scale"), 56)
        self.name.setPlaceholderText(_("such as rule"))
        self.name.entered.connect(lambda text: self._change(name=text.strip()[:200]))
        self.unit.entered.connect(self._type_unit)
        card.column.addLayout(row(self.name, label(_("in"), "note"), self.unit, stretch=3))
        self.u = PlacingU(self._desk, _("Each place"))
        self.u.given.connect(lambda u, dof: self._change(u_px=u, u_dof=dof))
        card.column.addLayout(row(label(_("Each place, u"), "note"), self.u, stretch=2))
        self._divisions = QVBoxLayout()
        self._divisions.setSpacing(2)
        card.column.addLayout(self._divisions)
        self.divide = button(_("Click divisions"), lambda: self.wanted.emit("division"), "filter")
        self.centre = button(_("Click the pivot"), lambda: self.wanted.emit("middle"), "filter")
        for made in (self.divide, self.centre):
            made.setCheckable(True)
        card.column.addLayout(row(self.divide, self.centre, stretch=2))
        self.law = label("", "note", wrap=True)
        card.add(self.law)

    def _build_parallax(self) -> None:
        card = self.card
        card.add(label(_("Does the pointer lie on the scale?"), "heading"))
        self.on = button(_("It lies on it"), lambda: self._change(parallax="on-scale"), "filter")
        self.off = button(_("It stands off"), lambda: self._change(parallax="stands-off"), "filter")
        for made in (self.on, self.off):
            made.setCheckable(True)
        card.column.addLayout(row(self.on, self.off, stretch=2))
        self.gap = TypedRow(_("How far it stands off"), _("such as 5 mm"), "1 mm")
        self.gap.typed.connect(lambda typed: self._change(gap=typed))
        self.away = TypedRow(_("How far the camera is from the scale"), _("such as 60 cm"), "1 cm")
        self.away.typed.connect(self._type_distance)
        card.add(self.gap, self.away)

    def _build_readings(self) -> None:
        card = self.readings
        self.point = button(_("Click the pointer"), lambda: self.wanted.emit("pointer"), "main")
        card.column.addLayout(row(self.point, stretch=1))
        follower = chooser(_("Body whose readings are those of the pointer"), self._choose_body)
        self.follower = growing(follower, 170)
        card.column.addLayout(row(label(_("or follow it as"), "note"), self.follower))
        self.warn = label("", "warn", wrap=True)
        card.add(self.warn)
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        card.column.addLayout(self._list)
        self.send = button(_("To the table…"), self._send, "main")
        card.column.addLayout(row(self.send, stretch=1))

    # -- what a person does --------------------------------------------------------------------------

    def _scale(self) -> FilmedScale | None:
        """The scale in hand: the one chosen, else the first."""
        take = self._desk.take
        if take is None:
            return None
        if take.filmed_scale(self._tool.scale_id) is None:
            self._tool.scale_id = take.filmed_scales[0].id if take.filmed_scales else None
        return take.filmed_scale(self._tool.scale_id)

    def _begin(self, kind: str) -> None:
        take = self._desk.take
        if take is None:
            return
        notebook, self._tool.scale_id = edits.add_scale(
            self._desk.notebook,
            take.id,
            kind,
            unit="cm" if kind == "straight" else "s",
            frame=self._desk.frame,
        )
        self._desk.edit(_("begin a filmed scale"), notebook)
        self.wanted.emit("division")

    def _choose(self) -> None:
        self._tool.scale_id = self.scales.currentData()
        self.show_take(self._desk.take)

    def _change(self, **changes: Any) -> None:
        take, scale = self._desk.take, self._scale()
        if take is not None and scale is not None:
            made = edits.change_scale(self._desk.notebook, take.id, scale.id, **changes)
            self._desk.edit(_("change a filmed scale"), made)

    def _type_distance(self, typed: Typed) -> None:
        take = self._desk.take
        if take is not None:
            made = geometry_edits.change_geometry(self._desk.notebook, take.id, distance=typed)
            self._desk.edit(_("type the distance of the camera"), made)

    def _remove(self) -> None:
        take, scale = self._desk.take, self._scale()
        if take is not None and scale is not None:
            made = edits.remove_scale(self._desk.notebook, take.id, scale.id)
            self._desk.edit(_("remove a filmed scale"), made)

    def _type_unit(self, text: str) -> None:
        try:
            parse_unit(text.strip())
        except UnitError as error:
            self.unit.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        self._change(unit=text.strip()[:40])

    def _type_value(self, n: int, field: Field, text: str) -> None:
        scale = self._scale()
        if scale is None:
            return
        try:
            value = number(text)
        except WrittenError as error:
            field.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        changed = scale.divisions[n].but(value=value, text=text.strip()[:40])
        self._change(divisions=(*scale.divisions[:n], changed, *scale.divisions[n + 1 :]))

    def _drop(self, n: int) -> None:
        scale = self._scale()
        if scale is not None:
            self._change(divisions=(*scale.divisions[:n], *scale.divisions[n + 1 :]))

    def _choose_body(self) -> None:
        self._change(body=self.follower.currentData() or None)

    def _send(self) -> None:
        take, scale = self._desk.take, self._scale()
        if take is None or scale is None:
            return
        entries = filling_actions(self._desk, take, scale)
        for reading in scale_found(take, scale).readings:
            if reading.frame == self._desk.frame:
                link = Link(kind="filmed-scale", source=take.id, place=scale.id, part=reading.part)
                entries += link_actions(self._desk, link, reading.value, _("this one:"))
                entries += given_actions(self._desk, link, reading.value, _("this one:"))
        open_under(menu_of(self, or_what_is_missing(self._desk, entries)), self.send)

    # -- showing -------------------------------------------------------------------------------------

    def show_take(self, take: Take | None) -> None:
        """Show the filmed scales of a take."""
        scale = self._scale()
        every = take.filmed_scales if take is not None else ()
        fill(self.scales, [(f"{name_of(s)} ({s.unit})", s.id) for s in every], scale.id if scale else None)
        for part in (self.scales, self.remove, self.card, self.readings):
            part.setVisible(scale is not None)
        self.empty.setVisible(scale is None)
        if take is not None and scale is not None:
            # what is read comes first once there is something to read it by
            self.readings.setVisible(scale_found(take, scale).law is not None)
        if take is None or scale is None:
            return
        found, mode = scale_found(take, scale), self._tool.mode
        self.name.show_text(scale.name)
        self.unit.show_text(scale.unit)
        self.u.show_u(scale.u_px)
        self.divide.setChecked(mode == "division")
        self.centre.setChecked(mode == "middle")
        self.centre.setVisible(scale.kind == "round")
        self._show_divisions(scale)
        self.law.setText(found.problem or scale_law_words(found))
        self.on.setChecked(scale.parallax == "on-scale")
        self.off.setChecked(scale.parallax == "stands-off")
        self.gap.setVisible(scale.parallax == "stands-off")
        self.gap.show_typed(scale.gap)
        self.away.setVisible(scale.parallax == "stands-off")
        self.away.show_typed(take.geometry.distance)
        fill(
            self.follower,
            [(_("nothing"), ""), *((b.name, b.id) for b in take.bodies if not b.fixed)],
            scale.body or "",
        )
        self._show_readings(scale, found)

    def _show_divisions(self, scale: FilmedScale) -> None:
        clear_layout(self._divisions)
        for n, division in enumerate(scale.divisions):
            field = Field(_("Value at division {n}").format(n=n + 1), 80)
            field.setPlaceholderText(_("value"))
            field.show_text(division.text or ("" if division.value is None else f"{division.value:g}"))
            field.entered.connect(partial(self._type_value, n, field))
            drop = button("×", partial(self._drop, n), "link", _("Remove division {n}").format(n=n + 1))
            name = label(_("Division {n}").format(n=n + 1), "note")
            self._divisions.addLayout(row(name, field, label(scale.unit, "note"), drop, stretch=4))

    def _show_readings(self, scale: FilmedScale, found: ScaleFound) -> None:
        clear_layout(self._list)
        near = sorted(found.readings, key=lambda r: abs(r.frame - self._desk.frame))[:MOST_SHOWN]
        for reading in sorted(near, key=lambda r: r.frame):
            words = reading_words(scale, reading.value)
            line = button(
                _("frame {n}  {value}").format(n=reading.frame, value=words),
                partial(self._desk.go_to_frame, reading.frame),
                "body",
            )
            line.setCheckable(True)
            line.setChecked(reading.frame == self._desk.frame)
            if reading.beyond:
                line.setToolTip(_("Beyond the known divisions: mark one farther out."))
            self._list.addWidget(line)
        self.send.setEnabled(bool(found.readings))
        told = []
        if found.readings and scale.parallax == "unasked":
            told.append(_("Say whether the pointer lies on the scale: until then parallax is not counted."))
        beyond = [r for r in found.readings if r.beyond]
        if beyond:
            told.append(_("Frame {n}: beyond the known divisions.").format(n=beyond[0].frame))
        self.warn.setText(" ".join(told))
        self.warn.setVisible(bool(told))
