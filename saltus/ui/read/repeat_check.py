"""The repeat check: reading frames again without seeing the first readings, and what that says."""

from __future__ import annotations

import math
from datetime import date
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from saltus.core.reading_check import CheckError, check_readings
from saltus.core.wording import _
from saltus.exchange.eye_words import check_words
from saltus.notebook.derived.eyes import frames_to_read_again, readings_to_check
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.ui.desk.eyes import keep_for_person, known_eyes
from saltus.ui.kit.widgets import Card, Field, Group, button, label, row
from saltus.ui.picture.loupe import Loupe

if TYPE_CHECKING:
    from PyQt6.QtCore import QPointF

    from saltus.core.reading_check import ReadingCheck
    from saltus.notebook.part import Place
    from saltus.notebook.readings import Reading
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.read_tool import ReadTool
    from saltus.ui.picture.view import PictureView

TIMES = 5
"""So many frames are read again."""


class RepeatCheck(Group):
    """Takes a person through the check, and tells what came of it.

    Signals
    -------
    changed
        It began, went on, or is over.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk, view: PictureView, tool: ReadTool) -> None:
        super().__init__()
        self._desk, self._tool = desk, tool
        # as one reads with the loupe, one reads again with it; it shows no ring of the first readings
        self.loupe = Loupe(view)
        self.loupe.rings = False
        self.column.addWidget(self.loupe)
        self._body: str | None = None
        self._frames: list[int] = []
        self._first: list[Reading] = []
        self._again: list[Place] = []
        self._came_from = 0
        card = Card()
        card.add(label(_("How well do you read?"), "heading"))
        self.words = label("", wrap=True)
        card.add(self.words)
        self.name = Field(_("Your name"), 150)
        self.name.setPlaceholderText(_("whose eye it is"))
        self._name_row = label(_("Whose eye"), "note")
        card.column.addLayout(row(self._name_row, self.name, stretch=2))
        self.keep = button(_("Keep it, and use it from now on"), self._keep, "main")
        card.add(self.keep)
        self.stop = button(_("Stop"), self.close_check, "link")
        card.column.addLayout(row(self.stop, stretch=1))
        self.column.addWidget(card)

    @property
    def open(self) -> bool:
        """Whether a check is under way, or its outcome is shown."""
        return self._body is not None

    def begin(self) -> None:
        """Choose frames of the body in hand, and hide what was read in them."""
        body = self._desk.body
        if body is None:
            return
        self._first = readings_to_check(body)
        frames = [r.frame for r in self._first]
        seed = int(sum(frames)) + len(self._desk.notebook.eyes)
        self._frames = frames_to_read_again(frames, TIMES, seed)
        if len(self._frames) < TIMES:
            self._desk.said.emit(
                _(
                    "Read {n} frames first: they are then read again without seeing the first readings."
                ).format(n=TIMES),
                "note",
            )
            return
        self._body, self._again, self._came_from = body.id, [], self._desk.frame
        self._tool.blind, self._tool.blind_at = self._clicked, self.loupe.look_at
        self._go_on()

    def let_go(self) -> None:
        """Forget the check: the stage is left, or the window ends."""
        self._tool.blind = self._body = None

    def close_check(self) -> None:
        """Show what was read again."""
        was_open = self.open
        self.let_go()
        if was_open:
            self._desk.go_to_frame(self._came_from)
        self.changed.emit()

    def _go_on(self) -> None:
        if len(self._again) < len(self._frames):
            self._desk.go_to_frame(self._frames[len(self._again)])
        else:
            self._tool.blind = None
        self.changed.emit()

    def _clicked(self, place: QPointF) -> None:
        self._again.append((round(place.x(), 2), round(place.y(), 2)))
        self._go_on()

    # -- what came of it -----------------------------------------------------------------------------

    def _pairs(self) -> tuple[tuple[Place, ...], float | None]:
        """First readings in the order of the frames, and their u where they were followed, px."""
        by_frame = {r.frame: r for r in self._first}
        chosen = [by_frame[n] for n in self._frames]
        followed = [r.u or 0.0 for r in chosen if r.origin == "followed"]
        u = math.sqrt(sum(v * v for v in followed) / len(followed)) if len(followed) == len(chosen) else None
        return tuple((r.x, r.y) for r in chosen), u or None

    def _found(self) -> ReadingCheck | None:
        first, u = self._pairs()
        try:
            return check_readings(first, self._again, u)  # type: ignore[arg-type]
        except CheckError:
            return None

    def _keep(self) -> None:
        desk, take, found = self._desk, self._desk.take, self._found()
        name = self.name.text().strip()[:200]
        if found is None or take is None or self._body is None:
            return
        if not name:
            self.name.mark_wrong(_("Type a name: what you keep is offered with it."))
            self.name.setFocus()
            return
        first, u = self._pairs()
        today = date.today().isoformat()  # noqa: DTZ011  the day where the person is
        notebook, eye_id = edits.keep_eye(desk.notebook, name, today, first, tuple(self._again), u)
        eye = notebook.eye(eye_id)
        assert eye is not None
        notebook = reading_edits.read_with_eye(notebook, take.id, self._body, eye)
        desk.edit(_("keep how well somebody reads"), notebook)
        keep_for_person(eye)
        desk.said.emit(
            _("Readings by hand of this body count with u = {u:.2f} px now.").format(u=found.u_px), "note"
        )
        self.close_check()

    def refresh(self) -> None:
        """Show how far it is, or what came of it."""
        take = self._desk.take
        body = take.body(self._body) if take is not None else None
        if self.open and body is None:
            self.let_go()
        if body is None:
            return
        done = len(self._again) >= len(self._frames)
        for part in (self.name, self._name_row, self.keep):
            part.setVisible(done)
        self.loupe.setVisible(not done)
        self.stop.setText(_("Let it go") if done else _("Stop"))
        if not done:
            words = _("Click “{body}” again in this frame, {n} of {all}. What you read before is hidden. "
                      "By keys: Enter, Alt+arrows, Enter.")  # fmt: skip
            self.words.setText(words.format(body=body.name, n=len(self._again) + 1, all=len(self._frames)))
            return
        found = self._found()
        self.words.setText(check_words(found, self._pairs()[1]) if found is not None else "")
        if not self.name.text():
            known = known_eyes(self._desk)
            self.name.setText(known[0].name if known else "")
