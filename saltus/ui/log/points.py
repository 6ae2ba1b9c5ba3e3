"""The characteristic points of the signal in hand, as a part of the column of Log."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication

from saltus.core.wording import _, plural
from saltus.exchange.motion_words import direction_words, point_words, quantity_words
from saltus.exchange.point_rows import point_header, point_row
from saltus.exchange.tables import csv_text
from saltus.investigations.table.links import POINT_PARTS
from saltus.notebook.derived.log_points import log_points
from saltus.notebook.trials import Link
from saltus.ui.desk.sending import link_actions, or_what_is_missing
from saltus.ui.kit.menus import menu_of, open_under
from saltus.ui.kit.widgets import Card, Facts, Group, button, label, row

if TYPE_CHECKING:
    from saltus.core.motion.features import Point
    from saltus.notebook.logs import Log
    from saltus.ui.desk.desk import Desk
    from saltus.ui.kit.menus import Entry
    from saltus.ui.log.lanes import LogLanes

MOST = 60


class LogPointsPanel(Group):
    """Rest, free fall, cord taut, extreme values and passings through zero, found when asked for."""

    def __init__(self, desk: Desk, lanes: LogLanes) -> None:
        super().__init__(gap=7)
        self._desk = desk
        self._lanes = lanes
        self._log: Log | None = None
        self._open = False
        self.finding = button(_("Find its points"), self._toggle)
        self.finding.setToolTip(_("Rest, free fall, cord taut, extreme values, passings through zero"))
        self.send = button(_("Send a point to the table…"), self._send)
        self.copy = button(_("Copy as CSV"), self._copy, "link")
        self._count = label("", "note", wrap=True)
        self._advice = Card("advice", 9)
        self._advice_words = label(wrap=True)
        self._advice.add(self._advice_words)
        self._rows = Facts()
        self.column.addLayout(row(self.finding, self.copy, stretch=2))
        for thing in (self._count, self._advice, self._rows, self.send):
            self.column.addWidget(thing)

    @property
    def points(self) -> tuple[Point, ...]:
        """The points shown."""
        if not self._open or self._log is None:
            return ()
        return log_points(self._log, self._lanes.channel).points

    def show_log(self, log: Log | None) -> None:
        """Show the points of the channel in hand of a log, where they were asked for."""
        self._log = log
        self._refresh()

    def _toggle(self) -> None:
        self._open = not self._open
        self._refresh()

    def _refresh(self) -> None:
        self.finding.setText(_("Hide its points") if self._open else _("Find its points"))
        points = self.points
        self._lanes.show_points(points)
        told: tuple[str, ...] = ()
        if self._open and self._log is not None:
            told = log_points(self._log, self._lanes.channel).warnings
        self.copy.setVisible(bool(points))
        self.send.setVisible(bool(points))
        self._count.setVisible(self._open)
        self._count.setText(plural("{n} point found", "{n} points found", len(points)))
        self._advice.setVisible(bool(told))
        self._advice_words.setText("\n".join(told))
        self._rows.setVisible(bool(points))
        self._rows.show_rows([(point_words(p.kind), _said(p)) for p in points[:MOST]])

    def _send(self) -> None:
        """Offer every value of the points that a column takes; it follows zero and sign of the signal."""
        entries: list[Entry] = []
        numbers: dict[str, int] = {}
        for point in self.points[:MOST]:
            number = numbers.get(point.kind, 0)
            numbers[point.kind] = number + 1
            for part in POINT_PARTS:
                q = getattr(point, part)
                if self._log is None or q is None or not q.U95:
                    continue
                what = f"{point.kind} {number} {part}"
                link = Link(kind="log-point", source=self._log.id, place=self._lanes.channel, part=what)
                entries += link_actions(self._desk, link, q, f"{point_words(point.kind)} {number + 1}")
        open_under(menu_of(self, or_what_is_missing(self._desk, entries)), self.send)

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(csv_text(point_header(), [point_row(p) for p in self.points]))
            self._desk.said.emit(_("The points are copied as a table."), "note")


def _said(point: Point) -> str:
    """Time, values and direction of a point, below each other."""
    lines = [quantity_words(q) for q in (point.time, *point.values)]
    way = direction_words(point.direction, "x")
    return "\n".join([*lines, way] if way else lines)
