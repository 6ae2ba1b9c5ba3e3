"""The column of Motion for characteristic points: what they are, marking one, sending and copying them."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QApplication

from saltus.core.wording import Sentence, _, plural
from saltus.exchange.motion_words import point_words
from saltus.exchange.point_rows import point_header, point_row
from saltus.exchange.tables import csv_text
from saltus.investigations.table.links import POINT_PARTS
from saltus.notebook.derived.points import chosen_point, points_found
from saltus.notebook.edits import points as edits
from saltus.notebook.trials import Link
from saltus.ui.desk.sending import link_actions, or_what_is_missing
from saltus.ui.kit.menus import menu_of, open_under
from saltus.ui.kit.widgets import Card, Group, button, label, row

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.kit.menus import Entry
    from saltus.ui.motion.points_table import PointsTable


G_OFF = ("points.g-high", "points.g-low")


class PointsHost(Protocol):
    """Where the table of points stands."""

    points_table: PointsTable


class PointsPanel(Group):
    """What was found, and what can be done with it.

    Signals
    -------
    wanted(stage)
        Where what is said can be checked.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, host: PointsHost) -> None:
        super().__init__()
        self._desk = desk
        self._host = host
        self._of = "x"
        self._heading = label(_("Points of the motion"), "heading")
        self._words = label("", "note", wrap=True)
        self._count = label("", wrap=True)
        self._advice = Card("advice", 9)
        self._advice_words = label(wrap=True)
        self._advice.add(self._advice_words)
        self._checks = [
            button(_("Check the scale"), partial(self.wanted.emit, "scale"), "link"),
            button(_("Check the clock"), partial(self.wanted.emit, "time"), "link"),
        ]
        self._advice.column.addLayout(row(*self._checks, stretch=2))
        self.mark = button(_("Mark the frame at the cursor"), self._mark)
        self.send = button(_("Send to the table…"), self._send)
        self.copy = button(_("Copy as CSV"), self._copy, "link")
        self._words.setText(
            _(
                "Tick a point to keep it: it then stands on the sheet and can be sent to the table of "
                "trials. A double click in a lane marks a frame. Each point has its uncertainty (95 %)."
            )
        )
        for thing in (
            self._heading, self._words, self._count, self._advice, self.mark, self.send, self.copy,
        ):  # fmt: skip
            self.column.addWidget(thing)
        self.column.addStretch(1)

    def show_points(self, take: Take | None, body: Body | None, of: str) -> None:
        """Show how many points there are, and what is to be told with them."""
        self._of = of
        found = points_found(take, body, of) if take is not None and body is not None else None
        kept = take.points if take is not None and body is not None else ()
        chosen = [p for p in kept if body is not None and p.body == body.id and p.of == of]
        count = len(found.points) if found is not None else 0
        words = plural("{n} point found", "{n} points found", count) + ", "
        self._count.setText(words + _("{n} kept.").format(n=len(chosen)))
        told = found.warnings if found is not None else ()
        self._advice.setVisible(bool(told))
        self._advice_words.setText("\n".join(told))
        off = any(isinstance(w, Sentence) and w.code in G_OFF for w in told)
        for check in self._checks:
            check.setVisible(off)
        self.mark.setEnabled(body is not None)
        self.send.setEnabled(bool(chosen))
        self.copy.setEnabled(count > 0)

    def _mark(self) -> None:
        self.mark_frame(self._desk.frame)

    def mark_frame(self, wanted: int) -> None:
        """Keep the reading nearest to a frame as a point."""
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        frames = body.readings.used.frame
        if not len(frames):
            return
        frame = int(frames[abs(frames - wanted).argmin()])
        made, _id = edits.choose_point(self._desk.notebook, take.id, body.id, self._of, "marked", frame)
        self._desk.edit(_("mark a point"), made)

    def _send(self) -> None:
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        entries: list[Entry] = []
        names = {
            "time": _("time"), "position": _("position"), "velocity": _("velocity"),
            "acceleration": _("acceleration"),
        }  # fmt: skip
        for chosen in take.points:
            point = chosen_point(take, chosen)
            if point is None or chosen.body != body.id or chosen.of != self._of:
                continue
            for part in POINT_PARTS:
                q = getattr(point, part)
                if q is not None and q.U95 > 0:
                    link = Link(kind="point", source=take.id, place=chosen.id, part=part)
                    said = f"{point_words(chosen.kind)}, {names[part]}"
                    entries += link_actions(self._desk, link, q, said)
        open_under(menu_of(self, or_what_is_missing(self._desk, entries)), self.send)

    def _copy(self) -> None:
        rows = [point_row(row.point) for row in self._host.points_table.points.rows]
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(csv_text(point_header(), rows))
            self._desk.said.emit(_("The points are copied as a table."), "note")
