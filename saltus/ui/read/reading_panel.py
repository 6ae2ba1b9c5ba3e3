"""The column of Read while a person reads: the place in hand, the bodies and the frames read."""

from __future__ import annotations

import operator
from functools import partial
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QSizePolicy, QVBoxLayout, QWidget

from saltus.core.coverage import NORMAL_95
from saltus.core.statement import value_and_uncertainty
from saltus.core.units import PIXEL
from saltus.core.wording import _, plural
from saltus.core.written import WrittenError, number, quantity_of
from saltus.notebook.derived.following import counts
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.edits import measuring as measuring_edits
from saltus.notebook.edits import readings as edits
from saltus.notebook.edits import takes as take_edits
from saltus.ui.desk.eyes import EyeButton
from saltus.ui.desk.placing import type_coordinate
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.scaling import scaled, sized
from saltus.ui.kit.widgets import Card, Field, Group, Stepper, button, clear_layout, label, rich, row
from saltus.ui.picture.loupe import Loupe
from saltus.ui.read.frame_cells import FrameCells

if TYPE_CHECKING:
    from saltus.notebook.measuring import EyeTest
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.view import PictureView


class ReadingPanel(Group):
    """Loupe, coordinates, bodies and frames.

    Parameters
    ----------
    desk : Desk
    view : PictureView
        The picture that is read.
    """

    def __init__(self, desk: Desk, view: PictureView) -> None:
        super().__init__()
        self._desk = desk
        self.view = view
        self._build()

    def _build(self) -> None:
        self.loupe = Loupe(self.view)
        self.column.addWidget(self.loupe)
        self.column.addWidget(self._coordinates())
        self._bodies_shown: tuple[object, str | None] | None = None
        self._shown_of: tuple[object, ...] = ()
        self._bodies = QVBoxLayout()
        self._bodies.setSpacing(4)
        self.add = button(_("+ Add body"), self.add_body, "link")
        self.column.addLayout(row(label(_("Bodies"), "heading"), self.add, stretch=1))
        self.column.addLayout(self._bodies)
        self.follow = button(_("Follow…  F"), lambda: None, "main")
        self.follow.setToolTip(_("Draw a box round the body: it is then read in every frame"))
        self.review = button("", lambda: None, "link")
        self.column.addLayout(row(self.follow, self.review, stretch=2))
        self._count = label("", "note")
        self.switch = button("", lambda: None, "link")
        self.column.addLayout(row(label(_("Frames read"), "heading"), self._count, self.switch, stretch=2))
        self.cells = FrameCells(self._desk)
        self.column.addWidget(self.cells)
        self._step = Stepper(_("Frames to advance after a reading"), 1, 1000)
        self._step.stepped.connect(self._set_step)
        self.column.addLayout(row(label(_("Advance by, frames"), "note"), self._step, stretch=1))
        keys = _("← → frame · Space play · Enter place, then on · Alt+arrows 1 px, with Ctrl 0.1, with "
                 "Shift 20 · Tab body · F follow · X set aside · Del delete · Z loupe")  # fmt: skip
        words = label(keys, "note", wrap=True)
        words.setStyleSheet(sized("font-size: 12.5px"))
        self.column.addWidget(words)

    def _coordinates(self) -> Card:
        """Where the body is in this frame, in the world and in the picture, and how surely."""
        coordinates = Card(padding=9, gap=4)
        self._world = {axis: rich(kind="value") for axis in ("x", "y")}
        for words in self._world.values():
            # rather two lines than a unit cut off
            words.setWordWrap(True)
        self._typed = {axis: Field(_("{axis} in px").format(axis=axis), 56) for axis in ("x", "y")}
        for axis in ("x", "y"):
            self._typed[axis].setAlignment(Qt.AlignmentFlag.AlignRight)
            # four digits before the point find room beside a value with its sign
            self._typed[axis].setStyleSheet(sized("padding-left: 2px; padding-right: 3px"))
            self._typed[axis].entered.connect(lambda text, a=axis: self._type(a, text))
            coordinates.column.addLayout(row(self._world[axis], self._typed[axis], "px", stretch=1))
        self._ring_words = label("", "note")
        self._u_field = Field(_("Standard uncertainty of a reading in px"), 52)
        self._u_field.entered.connect(self._type_u)
        self._u_field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._u_field.setToolTip(_("How well you can place this body: standard uncertainty in px"))
        coordinates.column.addLayout(row(self._ring_words, self._u_field, "px", stretch=1))
        self.check = button(_("How well do you read?"), lambda: None, "link")
        self.check.setToolTip(_("Read five frames again without seeing the first readings"))
        self.eye = EyeButton(self._desk, _("Reading uncertainty"))
        self.eye.chosen.connect(self._take_eye)
        coordinates.column.addLayout(row(self.check, self.eye, stretch=2))
        return coordinates

    def first_control(self) -> QWidget:
        """What has the keys when they come to the column."""
        return self._typed["x"] if self._typed["x"].isEnabled() else self.add

    # -- what a person does --------------------------------------------------------------------------

    def add_body(self) -> None:
        """Ask for a name and add a body."""
        take = self._desk.take
        if take is None:
            return
        suggestion = _("Body {n}").format(n=len(take.bodies) + 1)
        name, done = QInputDialog.getText(self, _("Add body"), _("What is read?"), text=suggestion)
        if done and name.strip():
            notebook, body_id = edits.add_body(self._desk.notebook, take.id, name.strip())
            self._desk.edit(_("add a body"), notebook)
            self._desk.choose_body(body_id)
            self.view.setFocus()

    def _body_menu(self, body_id: str, line: QWidget, at: QPoint) -> None:
        take = self._desk.take
        body = take.body(body_id) if take else None
        if take is None or body is None:
            return
        menu = QMenu(self)
        rename, remove = menu.addAction(_("Rename…")), menu.addAction(_("Remove with its readings"))
        still = _("It moves: take it as a body") if body.fixed else _("It stands still: a fixed point")
        switch = menu.addAction(still)
        chosen = menu.exec(line.mapToGlobal(at))
        if chosen is rename:
            name, done = QInputDialog.getText(self, _("Rename"), _("Name"), text=body.name)
            if done and name.strip():
                notebook = edits.rename_body(self._desk.notebook, take.id, body_id, name.strip())
                self._desk.edit(_("rename a body"), notebook)
        elif chosen is switch:
            made = measuring_edits.fix_point(self._desk.notebook, take.id, body_id, fixed=not body.fixed)
            self._desk.edit(_("place a fixed point"), made)
        elif chosen is remove:
            notebook = edits.remove_body(self._desk.notebook, take.id, body_id)
            self._desk.edit(_("remove a body"), notebook)

    def _set_step(self, step: int) -> None:
        take = self._desk.take
        if take is not None and take.step != step:
            self._desk.edit(
                _("set the step"), take_edits.set_step(self._desk.notebook, take.id, step), "step"
            )

    def _type(self, axis: str, text: str) -> None:
        field = self._typed[axis]
        try:
            value = number(text)
        except WrittenError as error:
            field.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        words = type_coordinate(self._desk, axis, value)
        if words:
            field.mark_wrong(words)

    def _type_u(self, text: str) -> None:
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        try:
            value = quantity_of(text, PIXEL, default_unit="px", example="0.8 px").si
            if not 0.01 <= value <= 1000:
                raise WrittenError(_("A reading uncertainty lies between 0.01 and 1000 px."))
        except WrittenError as error:
            self._u_field.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        notebook = edits.set_reading_uncertainty(self._desk.notebook, take.id, body.id, value)
        self._desk.edit(_("state the reading uncertainty"), notebook)

    def _take_eye(self, eye: EyeTest) -> None:
        take, body = self._desk.take, self._desk.body
        if take is not None and body is not None:
            made = edits.read_with_eye(self._desk.notebook, take.id, body.id, eye)
            self._desk.edit(_("state the reading uncertainty"), made)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self, *, as_score: bool) -> None:
        """Show the take as it is; ``as_score`` says what stands below the picture."""
        take, body = self._desk.take, self._desk.body
        self._show_coordinates()
        self.cells.refresh()
        now = (self._desk.notebook, take, body, as_score)
        if len(now) == len(self._shown_of) and all(map(operator.is_, now, self._shown_of)):
            # another frame alone: while a film is played that is sixty times a second
            return
        self._shown_of = now
        self._show_bodies()
        weak = sum(counts(b)["weak"] for b in take.bodies if b.runs) if take else 0
        followed = take is not None and any(b.runs for b in take.bodies)
        self.follow.setEnabled(body is not None)
        self.check.setEnabled(body is not None and len(body.readings) > 0)
        self.eye.refresh()
        self.review.setVisible(followed)
        self.review.setText(
            plural("{n} doubtful", "{n} doubtful", weak) if weak else _("how it was followed")
        )
        read = len(body.readings) if body else 0
        total = len(take.kept_frames[:: take.step]) if take else 0
        self.switch.setText(_("as a table") if as_score else _("as a score"))
        self._count.setText(_("{read} of {total}").format(read=read, total=total))
        if take is not None:
            self._step.show_value(take.step)

    def _show_coordinates(self) -> None:
        take, body = self._desk.take, self._desk.body
        reading = body.readings.at(self._desk.frame) if body else None
        for axis in ("x", "y"):
            self._typed[axis].setEnabled(reading is not None)
            self._typed[axis].show_text(f"{getattr(reading, axis):.2f}" if reading else "")
        self._u_field.setEnabled(body is not None)
        self._u_field.show_text(f"{body.u_px:.3g}" if body else "")
        whose = body.u_from if body is not None else ""
        self._u_field.setToolTip(
            _("As a repeat check gave it: {who}").format(who=whose)
            if whose
            else _("How well you can place this body: standard uncertainty in px")
        )
        words = _("not read in this frame")
        texts = {"x": "–", "y": "–"}
        if take is not None and body is not None and reading is not None and reading.used:
            motion = body_motion(take, body)
            i = int(motion.frames.searchsorted(reading.frame))
            in_mm = mapping_of(take).scaled
            for axis in ("x", "y"):
                q = motion.of(axis)
                value, U = float(q.value[i]), NORMAL_95 * float(q.u_own[i])
                number_text, spread = value_and_uncertainty(value, U)
                texts[axis] = f"{number_text} ±\u00a0{spread}\u00a0{'m' if in_mm else 'px'}"
            words = _("95 %, reading; u =")
        elif reading is not None:
            words = _("doubtful; u =") if reading.status == "weak" else _("set aside; u =")
        elif body is not None:
            words = _("reading, u =")
        for axis in ("x", "y"):
            symbol = f"<span style=\"font-family:'Source Serif 4'; font-style: italic\">{axis}</span>"
            self._world[axis].setText(f"{symbol}&nbsp;&thinsp;{escape(texts[axis])}")
        self._ring_words.setText(words)

    def _show_bodies(self) -> None:
        take, chosen = self._desk.take, self._desk.body
        now = (take.bodies if take else (), chosen.id if chosen else None)
        if (
            self._bodies_shown is not None
            and self._bodies_shown[0] is now[0]
            and self._bodies_shown[1] == now[1]
        ):
            return
        self._bodies_shown = now
        clear_layout(self._bodies)
        for body in take.bodies if take else ():
            line = button("", partial(self._desk.choose_body, body.id), "body", body.name)
            line.setCheckable(True)
            line.setChecked(self._desk.body is not None and self._desk.body.id == body.id)
            inner = QHBoxLayout(line)
            inner.setContentsMargins(10, 0, 10, 0)
            name = label(body.name)
            name.setStyleSheet(f"font-weight: {600 if line.isChecked() else 400}")
            inner.addWidget(BodySwatch(body.look))
            # a long name gives way to how often it was read
            name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            inner.addWidget(name, 1)
            inner.addWidget(label(_("{n} read").format(n=len(body.readings)), "note"))
            line.setMinimumHeight(scaled(34))
            line.setToolTip(_("Right click to rename or remove, or to say that it stands still"))
            line.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            line.customContextMenuRequested.connect(partial(self._body_menu, body.id, line))
            self._bodies.addWidget(line)
