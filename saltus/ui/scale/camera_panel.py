"""Does the camera move? Points that stand still, or the background, take its motion out."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout

from saltus.core.wording import _
from saltus.exchange.measured_words import camera_words
from saltus.jobs.background import look_at_background
from saltus.notebook import films
from saltus.notebook.edits import measuring as edits
from saltus.notebook.measuring import Steadying
from saltus.ui.kit.choices import tick
from saltus.ui.kit.widgets import Card, Group, button, clear_layout, label, row, yielding

if TYPE_CHECKING:
    from saltus.core.progress import Steps
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk


class CameraPanel(Group):
    """Card of the camera.

    Signals
    -------
    wanted(mode)
        The tool that places a fixed point is to be taken up; ``follow``: the body in hand is to be followed.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        card = Card(padding=10)
        self.still = button(_("Take it as still"), self._take_as_still, "link")
        card.add(label(_("Does the camera move?"), "heading"))
        self.words = label("", wrap=True)
        card.add(self.words)
        card.column.addLayout(row(self.still, stretch=1))
        self.column.addWidget(card)
        points = Card(padding=10)
        points.add(label(_("By points that stand still"), "heading"))
        words = _("One shows how the picture shifts, a second one also how it turns. Choose them far apart, "
                  "near the plane of the motion, and read or follow each in every frame.")  # fmt: skip
        points.add(label(words, "note", wrap=True))
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        points.column.addLayout(self._list)
        self.place = button(_("Place a fixed point"), lambda: self.wanted.emit("fixed"), "main")
        points.column.addLayout(row(self.place, stretch=1))
        self.zooms = QCheckBox(_("The camera zooms"))
        self.zooms.clicked.connect(lambda on: self._steady(zooms=on))
        points.add(self.zooms)
        self.by_points = button(_("Use these points"), lambda: self._steady(by="points"), "link")
        points.column.addLayout(row(self.by_points, stretch=1))
        self.column.addWidget(points)
        whole = Card(padding=10)
        whole.add(label(_("By the background as a whole"), "heading"))
        words = _("For a scene with much to hold on to, which itself stands still.")
        whole.add(label(words, "note", wrap=True))
        self.look = button(_("Look at the background"), self._look, "link")
        whole.column.addLayout(row(self.look, stretch=1))
        self.column.addWidget(whole)
        self.column.addStretch(1)

    # -- what a person does --------------------------------------------------------------------------

    def _steady(self, **changes: Any) -> None:
        take = self._desk.take
        if take is not None:
            made = edits.steady_by(self._desk.notebook, take.id, **changes)
            self._desk.edit(_("take the motion of the camera out"), made)

    def _take_as_still(self) -> None:
        take = self._desk.take
        if take is not None:
            made = edits.steady_no_more(self._desk.notebook, take.id)
            self._desk.edit(_("take the camera as still"), made)

    def _loose(self, body_id: str) -> None:
        take = self._desk.take
        if take is not None:
            made = edits.fix_point(self._desk.notebook, take.id, body_id, fixed=False)
            self._desk.edit(_("take a fixed point as a body"), made)

    def _follow(self, body_id: str) -> None:
        self._desk.choose_body(body_id)
        self.wanted.emit("follow")

    def _look(self) -> None:
        """Look at the background of every frame, off the interface thread."""
        desk, take = self._desk, self._desk.take
        if take is None:
            return
        folder = desk.session.folder

        def work() -> Steps[Any]:
            return (yield from look_at_background.steps(films.find(take.film, folder), take))

        def found(record: Any) -> None:
            if desk.notebook.take(take.id) is not None:
                made = edits.steady_by_background(desk.notebook, take.id, record)
                desk.edit(_("take the motion of the camera out"), made)

        desk.run(_("Looking at the background"), work, found)

    # -- showing -------------------------------------------------------------------------------------

    def show_take(self, take: Take | None) -> None:
        """Show how the camera of a take moved."""
        clear_layout(self._list)
        for body in take.fixed_points if take is not None else ():
            self._add(body)
        steadying = take.steadying if take is not None else None
        self.words.setText(camera_words(take) if take is not None else "")
        self.still.setVisible(steadying is not None)
        shown = steadying or Steadying()
        tick(self.zooms, shown.zooms)
        points = bool(take is not None and take.fixed_points)
        self.zooms.setVisible(points)
        self.by_points.setVisible(points and (steadying is None or shown.by != "points"))
        self.look.setText(
            _("Look at it again")
            if steadying is not None and shown.by == "background"
            else _("Look at the background")
        )

    def _add(self, body: Body) -> None:
        name = yielding(body.name)
        name.setToolTip(body.name)
        count = label(_("{n} read").format(n=len(body.readings)), "note")
        follow = button(
            _("Follow…"), partial(self._follow, body.id), "link", _("Follow {name}").format(name=body.name)
        )
        loose = button(
            _("moves"),
            partial(self._loose, body.id),
            "link",
            _("{name} does not stand still").format(name=body.name),
        )
        loose.setToolTip(_("It does not stand still: take it as a body"))
        self._list.addLayout(row(name, count))
        self._list.addLayout(row(follow, loose, stretch=2))
