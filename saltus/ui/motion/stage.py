"""Motion: lanes over one time axis, segments with their models, graphs, and marks on the picture."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from saltus.core.motion.segment import NoFit
from saltus.core.progress import Progress, Steps
from saltus.core.wording import _, plural
from saltus.exchange.motion_words import (
    coordinate_choice,
    coordinates_of,
    families,
    point_words,
    quantity_words,
)
from saltus.exchange.sheet import shown_coordinate
from saltus.notebook.derived.motion import body_motion, coordinate_kind, moving_frame_problem, segment_fit
from saltus.notebook.derived.points import points_found, points_known
from saltus.notebook.derived.proposals import proposed
from saltus.notebook.edits import segments as edits
from saltus.notebook.model import Body, Segment, Take
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.choices import chooser, fill, tick
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import button, label, row, yielding
from saltus.ui.motion.event_panel import EventPanel
from saltus.ui.motion.lanes import MotionLanes
from saltus.ui.motion.pages import MotionPages
from saltus.ui.motion.points_panel import PointsPanel
from saltus.ui.motion.points_table import PointsTable
from saltus.ui.motion.seen_from import SeenFrom
from saltus.ui.motion.segment_panel import SegmentPanel
from saltus.ui.motion.strobe_strip import StrobeStrip
from saltus.ui.motion.swing_charts import SwingCharts
from saltus.ui.motion.window_chooser import WindowChooser

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent, QResizeEvent

    from saltus.ui.desk.desk import Desk


NARROW = 980
"""Of the stage at normal text, px."""
MOST_TOLD = 4
MOST_AT_ONCE = 1500
"""Points of longer records take longer to find than a person should wait for."""


class MotionStage(Stage):
    """Strobe strip, lanes, and the column of models, events or points; ``wanted`` names another stage."""

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.mode = "segment"
        self._looking: Body | None = None
        left = QVBoxLayout()
        left.setSpacing(0)
        self.strip = StrobeStrip(desk)
        left.addWidget(self.strip)
        self.lanes = MotionLanes(desk)
        self.lanes.stretched.connect(self._stretched)
        self.lanes.segmentMoved.connect(self._moved)
        self.lanes.segmentClicked.connect(self._clicked)
        self.lanes.marked.connect(self._marked)
        self._head = QWidget()
        self._head.setLayout(self._lane_head())
        left.addWidget(self._head)
        left.addWidget(self.lanes, 1)
        self.pages = MotionPages(desk)
        left.addWidget(self.pages, 1)
        self.swing_charts = SwingCharts()
        left.addWidget(self.swing_charts)
        self.points_table = PointsTable(desk)
        below = QVBoxLayout()
        below.setContentsMargins(16, 4, 14, 10)
        below.addWidget(self.points_table)
        left.addLayout(below)
        holder = QWidget()
        holder.setObjectName("panel")
        holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        holder.setLayout(left)
        left.setContentsMargins(0, 0, 0, 0)
        self.beside(holder, 332)
        self._build_column()
        self.pages.said.connect(self.next.say)
        self.listen()

    def _lane_head(self) -> QHBoxLayout:
        self._bodies = chooser(
            _("Body"), lambda: self._desk.choose_body(self._bodies.currentData()), fewest=6
        )
        self._axis = chooser(_("Coordinate"), self._choose_axis, fewest=7)
        self.seen_from = SeenFrom(self._desk)
        self.seen_from.chosen.connect(self._seen_from)
        words = yielding(_("Drag over the readings to choose a segment."), "note")
        self._window = WindowChooser()
        self._window.chosen.connect(self._choose_window)
        self._proposing = button(_("Propose segments"), self._propose, "link")
        self._proposing.setToolTip(_("Part the motion where it changes: rest, release, impact, flight"))
        self._lanes_title = label(_("Lanes"), "heading")
        self._lanes_title.hide()
        made = row(self._lanes_title, self._bodies, self._axis, self.seen_from, words)
        made.addWidget(self._window)
        made.addWidget(self._proposing)
        made.setStretch(4, 1)
        made.setContentsMargins(16, 8, 14, 6)
        return made

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # where there is little room it goes to what can be chosen; a page may be wider than its room
        room = self.parentWidget() or self
        self._lanes_title.setVisible(room.width() >= scaled(NARROW))

    def _build_column(self) -> None:
        titles = {
            "segment": _("Segment"), "event": _("Before and after"), "points": _("Points"),
            "graph": _("Graph"), "picture": _("On the picture"),
        }  # fmt: skip
        self._modes = {m: button(titles[m], partial(self.choose, m), "filter") for m in titles}
        for one in self._modes.values():
            one.setCheckable(True)
        modes = list(self._modes.values())
        self._column.addLayout(row(*modes[:3], stretch=3))
        self._column.addLayout(row(*modes[3:], stretch=2))
        self.segment_panel = SegmentPanel(self._desk)
        self.event_panel = EventPanel(self._desk)
        self.points_panel = PointsPanel(self._desk, self)
        self.points_panel.wanted.connect(self.wanted)
        self._panels: dict[str, QWidget] = {
            "segment": self.segment_panel, "event": self.event_panel, "points": self.points_panel,
            **self.pages.panels,
        }  # fmt: skip
        for panel in self._panels.values():
            self._column.addWidget(panel)
        self._column.addStretch(1)
        self.choose("segment")

    def choose(self, mode: str) -> None:
        """Show another side of the motion: segments, events or points."""
        self.mode = mode
        for name, one in self._modes.items():
            tick(one, name == mode)
            self._panels[name].setVisible(name == mode)
        self.points_table.setVisible(mode == "points")
        elsewhere = mode in self.pages.panels
        for part in (self.strip, self._head, self.lanes, self.swing_charts):
            part.setVisible(not elsewhere)
        self.pages.setVisible(elsewhere)
        self.lanes.mode = mode
        self.refresh()

    # -- what is in hand -----------------------------------------------------------------------------

    def _segment(self) -> Segment | None:
        shown = self.lanes.segments()
        chosen = next((s for s in shown if s.id == self._desk.segment_id), None)
        return chosen or (shown[-1] if shown else None)

    def _choose_axis(self) -> None:
        self.lanes.axis = self._axis.currentData()
        self._desk.choose_segment(None)

    def _as_axis(self) -> None:
        """Let the motion be seen from where the coordinate in hand is."""
        kind, _at, about = self.lanes.axis.partition("@")
        self.seen_from.about = about if kind in ("x", "y", "path") else ""

    def _seen_from(self, _about: str) -> None:
        """Show the motion as it is seen from elsewhere."""
        self._desk.choose_segment(None)
        problem = None
        if self._desk.take is not None and self._desk.body is not None:
            of = f"x@{self.seen_from.about}" if self.seen_from.about else "x"
            problem = moving_frame_problem(self._desk.take, of, self._desk.body.id)
        if problem is not None:
            self._desk.said.emit(problem, "warn")
        self.refresh()

    def _choose_window(self, count: int) -> None:
        self.lanes.fit_window = count
        self.lanes.update()

    def _best_axis(self, take: Take, body: Body) -> str:
        """The axis of the headline; without segments the one along which the body moves most."""
        own = [s for s in take.segments if s.body == body.id]
        if own:
            head = take.headline_segment
            return shown_coordinate(head if head in own and head is not None else own[-1])
        motion = body_motion(take, body)
        if not len(motion.t):
            return "x"
        spans = [float(q.value.max() - q.value.min()) for q in (motion.x, motion.y)]
        return "x" if spans[0] >= spans[1] else "y"

    # -- edits ---------------------------------------------------------------------------------------

    def _stretched(self, first: int, last: int) -> None:
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        used = body.readings.used.frame
        inside = used[(used >= first) & (used <= last)].tolist()
        if len(inside) < 2:
            self._desk.said.emit(_("A segment needs at least two readings: drag over more of them."), "note")
            return
        ends = (inside[0], inside[-1])
        made, segment_id = edits.add_segment(
            self._desk.notebook,
            take.id,
            body.id,
            of=self.lanes.axis,
            frames=ends,
            model=self._simplest(take, body, ends),
        )
        self._desk.segment_id = segment_id
        self._desk.edit(_("choose a segment"), made)

    def _simplest(self, take: Take, body: Body, ends: tuple[int, int]) -> str:
        """The simplest steady model the readings allow; the last one when none fits."""
        names = families(self.lanes.axis)["steady"]
        data = {"id": "trial", "body": body.id, "of": self.lanes.axis, "first": ends[0], "last": ends[1]}
        for name in names:
            fit = segment_fit(take, Segment.model_validate({**data, "model": name}))
            if isinstance(fit, NoFit):
                break
            if fit.fits:
                return name
        return names[-1]

    def _propose(self) -> None:
        """Part the motion into segments where it changes, as one step that can be undone."""
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        found = proposed(take, body, self.lanes.axis)
        if not found:
            self._desk.said.emit(_("Too few readings for a proposal: read more frames."), "note")
            return
        made, ids = edits.add_segments(
            self._desk.notebook, take.id, body.id, of=self.lanes.axis, stretches=found
        )
        self._desk.segment_id = ids[-1]
        self._desk.edit(_("propose segments"), made)
        words = plural(
            "{n} stretch was found: move its ends, or remove it.",
            "{n} stretches were found: move their ends, or remove what does not belong.",
            len(ids),
        )
        parts = self._parting(take, body)
        self._desk.said.emit(f"{words} {parts}".strip(), "note")

    def _parting(self, take: Take, body: Body) -> str:
        """When the motion changes, with its uncertainty, where the points of the motion tell it."""
        if len(body.readings) > MOST_AT_ONCE:
            return ""
        found = points_found(take, body, self.lanes.axis).points
        told = [p for p in found if p.kind in ("contact", "rest") and p.time.U95][:MOST_TOLD]
        said = [f"{point_words(p.kind)} {quantity_words(p.time)}" for p in told]
        return "; ".join(said) + "." if said else ""

    def _moved(self, segment_id: str, first: int, last: int) -> None:
        take = self._desk.take
        if take is not None:
            made = edits.change_segment(self._desk.notebook, take.id, segment_id, first=first, last=last)
            self._desk.segment_id = segment_id
            self._desk.edit(_("change a segment"), made)

    def _marked(self, frame: int) -> None:
        if self.mode == "points":
            self.points_panel.mark_frame(frame)

    def _clicked(self, segment_id: str) -> None:
        self._desk.choose_segment(segment_id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in steps:
            self._desk.go_to_frame(self._desk.frame + steps[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # without a mouse: the whole record is the first segment
            body = self._desk.body
            if body is not None and not self.lanes.segments():
                self._stretched(0, body.readings.last_frame)
        elif event.key() == Qt.Key.Key_Delete:
            self.segment_panel.remove()
        else:
            super().keyPressEvent(event)

    # -- showing -------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        take, body = self._desk.take, self._desk.body
        if take is not None and body is not None:
            self.lanes.axis = self._best_axis(take, body)
            self._as_axis()
            if self._desk.segment_id is None and take.headline_segment is not None:
                self._desk.segment_id = take.headline_segment.id
        self.refresh()

    def show_now(self) -> None:
        """Show the segments as they are."""
        take, body, segment = self._desk.take, self._desk.body, self._segment()
        if self.mode in self.pages.panels:
            self.next.say(self.pages.show_for(self.mode, self.lanes.fit_window))
            return
        moving = [b for b in take.bodies if not b.fixed or b is body] if take else []
        fill(self._bodies, [(b.name, b.id) for b in moving], body.id if body else None)
        self._bodies.setVisible(self._bodies.count() > 0)
        self.seen_from.show_for(take, body)
        known = coordinates_of(take, body, self.seen_from.about)
        if self.lanes.axis not in known:
            kind = coordinate_kind(self.lanes.axis)
            self.lanes.axis = next((of for of in known if coordinate_kind(of) == kind), known[0])
        fill(self._axis, [(coordinate_choice(of, take), of) for of in known], self.lanes.axis)
        self._window.show_for(take, body, self.lanes.axis, self.lanes.fit_window)
        self._proposing.setVisible(body is not None and self.mode == "segment")
        if self.mode == "segment":
            self.segment_panel.show_segment(take, body, segment, self.lanes.axis)
        elif self.mode == "event":
            self.event_panel.show_events(take, self.lanes.axis)
        else:
            self._show_points(take, body)
        self.swing_charts.show_segment(take, segment if self.mode == "segment" else None)
        self.next.say(self._next_words(take, body, segment))
        self.lanes.update()

    def _show_points(self, take: Take | None, body: Body | None) -> None:
        """Show the points; those of a long record are looked for in the background first."""
        of = self.lanes.axis
        long = body is not None and len(body.readings) > MOST_AT_ONCE
        if take is not None and body is not None and long and not points_known(take, body, of):
            self._look_for_points(take, body, of)
            take = body = None
        self.points_table.show_points(take, body, of)
        self.points_panel.show_points(take, body, of)

    def _look_for_points(self, take: Take, body: Body, of: str) -> None:
        if self._looking is body:
            return
        self._looking = body

        def work() -> Steps[object]:
            yield Progress(0, 1)
            return points_found(take, body, of)

        def join(_found: object) -> None:
            self._looking = None
            self.refresh()

        self._desk.run(_("Finding the points of {body}").format(body=body.name), work, join)

    def _next_words(self, take: Take | None, body: Body | None, segment: Segment | None) -> str:
        if take is None:
            return _("Open a film first, on the Film stage.")
        if body is None or len(body.readings) < 3:
            return _("Read a body in at least three frames, on the Read stage.")
        if self.mode == "points":
            return _("Tick the points you need. They stand on the sheet, and can be sent to Trials.")
        if self.mode == "event":
            return self.event_panel.next_words()
        if segment is None:
            return _(
                "Drag over the readings where the motion is steady: leave out the hand, the impact, the stop."
            )
        return _(
            "Drag the ends of the bar to leave out what does not belong. Then print the sheet in Findings."
        )
