"""What following leaves a person to decide: doubtful readings and stretches in which nothing was seen."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout

from saltus.core.wording import _, plural
from saltus.notebook.derived.following import Doubtful, doubtful, why
from saltus.notebook.edits import following as edits
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Group, button, clear_layout, label, row, yielding
from saltus.ui.read.follow_parts import Thumb

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QPushButton

    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

SHOWN = 4
"""So many stand in the list at once; the others come as these are decided, or by going on to them."""


class Doubts(Group):
    """The list, and what its keys do."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(gap=6)
        self._desk = desk
        self._shown: tuple[object, ...] = ()
        self.all: list[Doubtful] = []
        self._title, self._count = label("", "heading"), label("", "note")
        self.column.addLayout(row(self._title, self._count, stretch=1))
        self._rows = Group(gap=4)
        self.column.addWidget(self._rows)
        self._more = label("", "note", wrap=True)
        self.column.addWidget(self._more)

    def refresh(self, *, newest_first: bool) -> None:
        """Show what is to be decided; while a run goes on the newest stands first."""
        take, following = self._desk.take, self._desk.following
        self.all = doubtful(take) if take is not None else []
        ordered = self.all[::-1] if newest_first else self._from_here()
        shown = tuple(ordered[:SHOWN])
        cuts = (
            tuple(following.cuts.get((take.id, d.body, d.frame)) is not None for d in shown) if take else ()
        )
        now = (shown, cuts, self.here())
        self._title.setText(_("To decide"))
        weak = sum(not d.lost for d in self.all)
        self._count.setText(plural("{n} weak reading", "{n} weak readings", weak) if weak else "")
        more = len(self.all) - len(shown)
        self._more.setText(plural("{n} more", "{n} more", more) if more > 0 else "")
        self._more.setVisible(more > 0)
        self.setVisible(bool(self.all))
        if now == self._shown or take is None:
            return
        self._shown = now
        layout = self._rows.column
        clear_layout(layout)
        for one in shown:
            layout.addWidget(self._row(take, one))

    def _from_here(self) -> list[Doubtful]:
        """In order of time, so far on that the one in hand is to be seen."""
        here = self.here()
        at = self.all.index(here) if here is not None else 0
        first = min(max(at - 1, 0), max(len(self.all) - SHOWN, 0))
        return self.all[first:]

    def _row(self, take: Take, one: Doubtful) -> QPushButton:
        body = take.body(one.body)
        assert body is not None
        words = why(one)
        line = button("", partial(self.go_to, one), "body", f"{body.name}, {one.frame}: {words}")
        line.setCheckable(True)
        line.setChecked(one == self.here())
        inner = QHBoxLayout(line)
        inner.setContentsMargins(4, 2, 8, 2)
        inner.setSpacing(6)
        reading = body.readings.at(one.frame)
        cut = None
        if reading is not None and body.runs:
            side = max(body.runs[-1].box[2:])
            cut = self._desk.following.cut(take, body.id, one.frame, (reading.x, reading.y), side)
        inner.addWidget(Thumb(cut, lost=one.lost))
        inner.addWidget(BodySwatch(body.look, 16))
        frame = label(str(one.frame))
        frame.setStyleSheet("font-weight: 600")
        inner.addWidget(frame)
        reason = yielding(words)
        reason.setToolTip(plain(words))
        inner.addWidget(reason, 1)
        line.setMinimumHeight(scaled(38))
        line.setToolTip(plain(words))
        return line

    # -- deciding ------------------------------------------------------------------------------------

    def here(self) -> Doubtful | None:
        """The one in hand: of the body in hand, in the frame in hand."""
        body, frame = self._desk.body, self._desk.frame
        mine = (d for d in self.all if body is not None and d.body == body.id)
        return next((d for d in mine if d.frame <= frame <= d.last and (d.lost or d.frame == frame)), None)

    def go_to(self, one: Doubtful) -> None:
        """Take one in hand."""
        self._desk.choose_body(one.body)
        self._desk.go_to_frame(one.frame)

    def next(self) -> bool:
        """Take the next one in hand; the first again after the last. False where there is none."""
        if not self.all:
            return False
        here, body = self._desk.frame, self._desk.body
        key = (here, body.id if body is not None else "")
        later = [d for d in self.all if (d.frame, d.body) > key and d != self.here()]
        self.go_to(later[0] if later else self.all[0])
        return True

    def decide(self, *, use: bool) -> bool:
        """Take the proposal in hand, or leave it out, and go on to the next; False where there is none."""
        one, take = self.here(), self._desk.take
        if one is None or one.lost or take is None:
            return False
        notebook = edits.decide(self._desk.notebook, take.id, one.body, one.frame, use=use)
        self._desk.edit(_("take a doubtful reading") if use else _("leave a doubtful reading out"), notebook)
        self.all = [d for d in self.all if d != one]
        self.next()
        return True
