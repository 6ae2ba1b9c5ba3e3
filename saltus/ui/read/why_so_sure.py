"""Why so sure: what is looked for beside the surface of likeness about the place in hand."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cv2

from saltus.core.following.evidence import likeness_about
from saltus.core.wording import _
from saltus.printing.pictures import as_array
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Group, button, label, row
from saltus.ui.read.follow_parts import LookedFor, SurfaceView

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

    from saltus.core.following.evidence import Surface
    from saltus.notebook.following import FollowedRun
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.view import PictureView


class WhySoSure(Group):
    """Opens below its title."""

    def __init__(self, desk: Desk, view: PictureView) -> None:
        super().__init__(gap=4)
        self._desk, self._view = desk, view
        self.open = False
        self._of: object = None
        self.title = button("", self.switch, "flat", _("Why so sure?"))
        self.column.addWidget(self.title)
        self.inside = Group(gap=2)
        self.patch, self.surface = LookedFor(88), SurfaceView()
        left = Group(gap=2)
        left.column.addWidget(self.patch)
        left.column.addWidget(label(_("looked for"), "note"))
        left.column.addStretch(1)
        self._best, self._second = label("", "note", wrap=True), label("", "note", wrap=True)
        right = Group(gap=4)
        right.column.addWidget(label(_("likeness"), "note"))
        right.column.addWidget(self._best)
        right.column.addWidget(self._second)
        right.column.addStretch(1)
        both = row(left, self.surface, right)
        both.setSpacing(scaled(4))
        both.setStretch(2, 1)
        self.inside.column.addLayout(both)
        self.column.addWidget(self.inside)
        self._say_title()

    def switch(self) -> None:
        """Open it, or close it."""
        self.open = not self.open
        self._say_title()
        self.inside.setVisible(self.open)
        self._of = None
        self._desk.lookedElsewhere.emit()

    def _say_title(self) -> None:
        self.title.setText(_("Why so sure?") + ("  ▾" if self.open else "  ▸"))

    def refresh(self, take: Take, body: Body) -> None:
        """Show it for the place in hand, while its picture is at hand."""
        reading = body.readings.at(self._desk.frame)
        run = body.run(reading.run) if reading is not None else None
        there = reading is not None and run is not None
        self.setVisible(bool(body.runs))
        if not self.open or not there or reading is None or run is None or not self._view.ready():
            self.inside.setVisible(self.open and there)
            return
        image = self._looked_for(take, body, run)
        now = (id(image) if image is not None else None, self._desk.shown and self._desk.shown[:2], reading)
        self.inside.setVisible(True)
        if now == self._of or image is None or self._desk.shown is None:
            return
        self._of = now
        self.patch.show_image(image)
        seen = run.record.at(reading.frame)
        alike = seen.likeness if seen is not None else None
        if run.method in ("auto", "pattern"):
            grey, looked = (
                cv2.cvtColor(as_array(i), cv2.COLOR_RGB2GRAY) for i in (self._desk.shown[2], image)
            )
            (left, top, wide, high), (px, py) = run.box, run.point
            middle = reading.x + left + wide / 2 - px, reading.y + top + high / 2 - py
            self._show(likeness_about(grey, looked, *middle), alike)
        else:
            self._show(None, alike)

    def _looked_for(self, take: Take, body: Body, run: FollowedRun) -> QImage | None:
        left, top, wide, high = run.box
        middle = (left + wide / 2, top + high / 2)
        return self._desk.following.looked_for(take, body, run, middle)

    def _show(self, surface: Surface | None, alike: float | None) -> None:
        self.surface.show_surface(surface)
        self.surface.setVisible(surface is not None)
        self._best.setText(f"○ {alike:.2f}" if alike is not None else "")
        second = surface.second if surface is not None else None
        if second is None:
            self._second.setText(_("no other place") if surface is not None else "")
        else:
            far = (second[0] ** 2 + second[1] ** 2) ** 0.5
            self._second.setText(_("× {likeness:.2f}\n{far:.0f} px off").format(likeness=second[2], far=far))
