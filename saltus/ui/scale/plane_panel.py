"""A plane or a line seen at an angle, and a motion that does not lie in the plane of the scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from saltus.core.statement import to_figures
from saltus.core.units import METRE
from saltus.core.wording import _
from saltus.core.written import WrittenError, quantity_of
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.edits import geometry as edits
from saltus.ui.desk.placing_u import PlacingU
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Card, Field, Group, button, clear_layout, label, row
from saltus.ui.picture.laid_handles import lay
from saltus.ui.scale.typed_row import TypedRow

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


class PlanePanel(Group):
    """Cards for the rectangle or board, the marks along a line, and the offset of the motion.

    Signals
    -------
    wanted(mode)
        The tool that lays something is to be taken up; ``board``: one is to be looked for.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.column.addWidget(self._rectangle())
        self.column.addWidget(self._line())
        self.column.addWidget(self._offset())
        self.column.addStretch(1)

    def _rectangle(self) -> Card:
        card = Card(padding=10)
        self.remove = button(_("Remove"), lambda: self._change(plane=None), "link")
        card.column.addLayout(row(label(_("Plane seen at an angle"), "heading"), self.remove, stretch=1))
        self.words = label("", "note", wrap=True)
        card.add(self.words)
        self.width_row = TypedRow(_("Width, first to second corner"), _("such as 60 cm"), "1 mm")
        self.height_row = TypedRow(_("Height, second to third corner"), _("such as 40 cm"), "1 mm")
        self.width_row.typed.connect(lambda typed: self._size("width", typed))
        self.height_row.typed.connect(lambda typed: self._size("height", typed))
        self.placing = PlacingU(self._desk, _("Placing a corner"), 84)
        self.placing.given.connect(self._place_corners)
        self.u_corner = self.placing.field
        name = label(_("Each corner, u"), "note")
        card.add(self.width_row, self.height_row)
        card.column.addLayout(row(name, self.placing, stretch=2))
        corners = button(_("Click four corners"), lambda: self.wanted.emit("plane"), "link")
        board = button(_("Find a printed board"), lambda: self.wanted.emit("board"), "link")
        card.column.addLayout(row(corners, board, stretch=2))
        return card

    def _line(self) -> Card:
        card = Card(padding=10)
        self.remove_track = button(_("Remove"), lambda: self._change(track=None), "link")
        card.column.addLayout(row(label(_("Line seen at an angle"), "heading"), self.remove_track, stretch=1))
        self.track_words = label("", "note", wrap=True)
        card.add(self.track_words)
        self._marks = QVBoxLayout()
        card.column.addLayout(self._marks)
        self.mark_fields: list[Field] = []
        card.column.addLayout(
            row(button(_("Click marks along it"), lambda: self.wanted.emit("track"), "link"), stretch=1)
        )
        return card

    def _offset(self) -> Card:
        card = Card(padding=10)
        card.add(label(_("Is the motion in that plane?"), "heading"))
        self.nearer = TypedRow(
            _("Nearer to the camera by (− if farther)"), _("such as 2 cm"), "1 mm", signed=True
        )
        self.distance = TypedRow(_("From camera to plane, square to it"), _("such as 2 m"), "5 cm")
        self.nearer.typed.connect(lambda typed: self._change(nearer=typed))
        self.distance.typed.connect(lambda typed: self._change(distance=typed))
        self.offset_words = label("", "note", wrap=True)
        card.add(self.nearer, self.distance, self.offset_words)
        return card

    # -- edits ---------------------------------------------------------------------------------------

    def _change(self, **changes: object) -> None:
        take = self._desk.take
        if take is not None:
            notebook = edits.change_geometry(self._desk.notebook, take.id, **changes)
            lay(self._desk, _("change the plane"), notebook)
            self.show_take(self._desk.take)

    def _size(self, which: str, typed: object) -> None:
        take = self._desk.take
        if take is None or take.geometry.plane is None:
            self._desk.said.emit(_("Click the four corners of a rectangle first, or find a board."), "note")
            return
        self._change(plane=take.geometry.plane.but(**{which: typed}))

    def _place_corners(self, u_px: float, _dof: object) -> None:
        take = self._desk.take
        if take is not None and take.geometry.plane is not None:
            self._change(plane=take.geometry.plane.but(u_px=u_px))

    def _type_mark(self, number: int, text: str) -> None:
        take = self._desk.take
        track = take.geometry.track if take is not None else None
        if track is None or number >= len(track.marks):
            return
        try:
            distance = (
                quantity_of(text, METRE, default_unit="m", example="0.250 m").si if text.strip() else None
            )
        except WrittenError as error:
            self.mark_fields[number].mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        made = track.marks[number].but(distance=distance)
        marks = (*track.marks[:number], made, *track.marks[number + 1 :])
        self._change(track=track.but(marks=marks))

    # -- showing -------------------------------------------------------------------------------------

    def show_take(self, take: Take | None) -> None:
        """Show plane, line and offset of a take."""
        geometry = take.geometry if take is not None else None
        plane = geometry.plane if geometry is not None else None
        found = geometry_of(take) if take is not None else None
        self.remove.setVisible(plane is not None)
        self.width_row.show_typed(plane.width if plane else None)
        self.height_row.show_typed(plane.height if plane else None)
        self.placing.show_u(plane.u_px if plane else None)
        for part in (self.width_row, self.height_row):
            part.setEnabled(plane is not None)
        if plane is None:
            words = _("Not used. A camera that looks askew needs four corners of a rectangle of known size, "
                      "clicked in order round it.")  # fmt: skip
        elif found is not None and "plane" in found.problems:
            words = found.problems["plane"]
        elif plane.width is None or plane.height is None:
            words = _("Type how wide and how high it is: then positions are taken from it.")
        else:
            residual = getattr(found.base.ground, "residual_px", None) if found is not None else None
            words = _("Positions are taken from the plane; the length is held against it.")
            if residual is not None:
                words += " " + _("{n} points fit to {px} px.").format(
                    n=len(plane.seen), px=to_figures(residual, 2)
                )
        self.words.setText(words)
        self._show_marks(take)
        self._show_offset(take)

    def _show_marks(self, take: Take | None) -> None:
        track = take.geometry.track if take is not None else None
        self.remove_track.setVisible(track is not None)
        problem = geometry_of(take).problems.get("track") if take is not None else None
        words = _("Not used. For a motion along one line: three or more marks on it at known distances.")
        if track is not None:
            words = problem or _("Type how far along the line each mark lies.")
        self.track_words.setText(words)
        marks = track.marks if track is not None else ()
        if len(marks) != len(self.mark_fields):
            clear_layout(self._marks)
            self.mark_fields = []
            for n in range(len(marks)):
                field = Field(_("Distance of mark {n}").format(n=n + 1), 96)
                field.entered.connect(lambda text, k=n: self._type_mark(k, text))
                name = label(_("Mark {n}").format(n=n + 1), "note")
                name.setFixedWidth(scaled(70))
                self._marks.addLayout(row(name, field, stretch=2))
                self.mark_fields.append(field)
        for field, mark in zip(self.mark_fields, marks, strict=True):
            field.show_text(f"{mark.distance:g} m" if mark.distance is not None else "")

    def _show_offset(self, take: Take | None) -> None:
        geometry = take.geometry if take is not None else None
        self.nearer.show_typed(geometry.nearer if geometry else None)
        self.distance.show_typed(geometry.distance if geometry else None)
        words = ""
        if take is not None and geometry is not None:
            found = geometry_of(take)
            words = found.problems.get("offset", "")
            ratio = found.mapping.per_px / found.base.per_px if found.mapping.scaled else 1.0
            if not words and abs(ratio - 1) > 1e-9:
                change = to_figures(100 * abs(ratio - 1), 2)
                words = _("Lengths come out {percent} % longer than in the plane of the scale.")
                if ratio < 1:
                    words = _("Lengths come out {percent} % shorter than in the plane of the scale.")
                words = words.format(percent=change)
            if geometry.distance is None and found.by_distance is not None and float(found.by_distance) > 0:
                metres = to_figures(1 / float(found.by_distance), 3)
                words += " " + _("By the two references the camera is {m} m away.").format(m=metres)
        self.offset_words.setText(words.strip())
        self.offset_words.setVisible(bool(words.strip()))
