"""Origin, direction and signs of the axes."""

from __future__ import annotations

import math
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal

from saltus.core.coverage import NORMAL_95
from saltus.core.geometry.way import direction_of_way
from saltus.core.units import PIXEL, RADIAN
from saltus.core.wording import _
from saltus.core.written import WrittenError, quantity_of
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.edits import geometry as geometry_edits
from saltus.notebook.edits import scale as edits
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Card, Field, Group, button, label, row

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

BY = {
    "typed": _("as typed or dragged"),
    "points": _("by two places"),
    "plumb": _("by a plumb line"),
    "path": _("along the way of a body"),
}


class AxesPanel(Group):
    """Fields for origin and direction, ways to find the direction, and which way is positive.

    Signals
    -------
    wanted(mode)
        The tool that lays something is to be taken up.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        column = self.column
        card = Card(padding=10)
        card.add(label(_("Origin and axes"), "heading"))
        self.words = label("", "note", wrap=True)
        card.add(self.words)
        self.fields: dict[str, Field] = {}
        for key, words, unit in (
            ("x", _("Origin, right"), "px"),
            ("y", _("Origin, down"), "px"),
            ("angle", _("x anticlockwise by"), "°"),
            ("u_angle", _("known to ± (95 %)"), "°"),
        ):
            field = Field(words, 76)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.entered.connect(lambda text, k=key: self._type(k, text))
            self.fields[key] = field
            name = label(words, "note")
            name.setFixedWidth(scaled(118))
            card.column.addLayout(row(name, field, label(unit, "note"), stretch=3))
        column.addWidget(card)
        ways = Card(padding=10)
        ways.add(label(_("Find the direction"), "heading"))
        for words, mode in (
            (_("Drag along a plumb line"), "plumb"),
            (_("Drag from place to place along x"), "points"),
        ):
            ways.column.addLayout(row(button(words, partial(self.wanted.emit, mode), "link"), stretch=1))
        self.path = button(_("Along the way of the body"), self._along_path, "link")
        ways.column.addLayout(row(self.path, stretch=1))
        self.signs = chooser(_("Which way is positive"), self._choose_sign, 12)
        ways.column.addLayout(row(label(_("Positive y"), "note"), self.signs, stretch=2))
        column.addWidget(ways)

    def _type(self, key: str, text: str) -> None:
        take = self._desk.take
        if take is None:
            return
        angular = key in ("angle", "u_angle")
        try:
            typed = quantity_of(text, RADIAN if angular else PIXEL, default_unit="deg" if angular else "px",
                                example="5 deg" if angular else "120 px")  # fmt: skip
            value = math.degrees(typed.si) if angular else typed.si
            if abs(value) > (360 if angular else 1e5) or (key == "u_angle" and value < 0):
                raise WrittenError(_("“{text}” is outside what makes sense here.").format(text=text))
        except WrittenError as error:
            self.fields[key].mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        placed, mapping = take.axes, mapping_of(take)
        origin = mapping.origin
        angle = math.degrees(mapping.axes.angle)
        u_angle = placed.u_angle_deg if placed else 0.0
        notebook = self._desk.notebook
        if key in ("x", "y"):
            steady = (value, origin[1]) if key == "x" else (origin[0], value)
            place, frame = geometry_of(take).camera.origin_to_lay(steady, placed)
            notebook = edits.place_origin(notebook, take.id, place, frame)
        elif key == "angle":
            notebook = edits.turn_axes(notebook, take.id, value, u_angle)
        else:
            notebook = edits.turn_axes(notebook, take.id, angle, value / NORMAL_95)
        self._desk.edit(_("place the axes"), notebook)

    def _along_path(self) -> None:
        """Let x point along the way of the body in hand, in the direction in which it moves."""
        take, body = self._desk.take, self._desk.body
        if take is None or body is None or len(body.readings.used.frame) < 3:
            self._desk.said.emit(
                _("Read a body at three places of its way first, on the Read stage."), "note"
            )
            return
        used = body.readings.used
        camera = geometry_of(take).camera
        seen = camera.all_seen(used.x, used.y, used.frame, camera.steady_frame)
        found = direction_of_way(mapping_of(take), np.stack(seen), body.u_px)
        if found is None:
            words = _("“{name}” does not move along a line far enough to tell a direction.")
            self._desk.said.emit(words.format(name=body.name), "warn")
            return
        angle, u_angle = (math.degrees(a) for a in found)
        notebook = geometry_edits.direct_by_path(
            self._desk.notebook, take.id, round(angle, 4), round(u_angle, 4)
        )
        self._desk.edit(_("place the axes"), notebook)

    def _choose_sign(self) -> None:
        take = self._desk.take
        if take is None:
            return
        down = bool(self.signs.currentData())
        if down != (take.axes is not None and take.axes.y_down):
            notebook = geometry_edits.positive_down(self._desk.notebook, take.id, down)
            self._desk.edit(_("choose what is positive"), notebook)

    def show_take(self, take: Take | None) -> None:
        """Show the axes of a take."""
        placed = take.axes if take else None
        for field in self.fields.values():
            field.setEnabled(take is not None)
        down = placed is not None and placed.y_down
        fill(self.signs, [(_("points up"), False), (_("points down"), True)], down)
        if placed is None or take is None:
            own = take is not None and mapping_of(take).ground is not None
            self.words.setText(
                _("Not placed: the first corner of the plane counts as the origin.")
                if own
                else _("Not placed: the lower left corner counts as the origin.")
            )
            for field in self.fields.values():
                field.show_text("")
            return
        mapping = mapping_of(take)
        words = _("Drag in the picture, or type. Direction: {by}.")
        self.words.setText(words.format(by=BY[placed.by]))
        self.fields["x"].show_text(f"{mapping.origin[0]:.2f}")
        self.fields["y"].show_text(f"{mapping.origin[1]:.2f}")
        self.fields["angle"].show_text(f"{math.degrees(mapping.axes.angle):.2f}")
        self.fields["u_angle"].show_text(f"{NORMAL_95 * math.degrees(mapping.axes.u_angle):.2g}")
