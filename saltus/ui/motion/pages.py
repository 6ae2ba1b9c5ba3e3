"""The pages of Motion that take the place of the lanes: a graph of any quantities, the picture with marks."""

from __future__ import annotations

from operator import is_not
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.core.motion.graphed import ENERGIES
from saltus.core.wording import _
from saltus.exchange.motion_graph import graphed_bodies, motion_chart
from saltus.ui.motion.graph_panel import GraphPanel
from saltus.ui.motion.graph_view import MotionGraphView
from saltus.ui.motion.picture_panel import PicturePanel
from saltus.ui.motion.picture_view import PictureView

if TYPE_CHECKING:
    from saltus.exchange.chart import Chart
    from saltus.exchange.motion_graph import GraphedBody, MotionGraph
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


class MotionPages(QWidget):
    """Shows one of the pages; the panels that choose what is on them stand in the column.

    Signals
    -------
    said(words)
        What to do next, when something else was chosen.

    Attributes
    ----------
    panels : dict of str to QWidget
        ``graph`` and ``picture``.
    """

    said = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._mode, self._window = "graph", 0
        self.graph, self.picture = GraphPanel(desk), PicturePanel(desk)
        self.graph_view, self.picture_view = MotionGraphView(), PictureView(desk)
        self.panels: dict[str, QWidget] = {"graph": self.graph, "picture": self.picture}
        page = QVBoxLayout(self)
        page.setContentsMargins(16, 12, 14, 12)
        page.addWidget(self.graph_view)
        page.addWidget(self.picture_view)
        self.graph.chosen.connect(self._again)
        self.picture.chosen.connect(self._again)
        self.graph_view.frameClicked.connect(self._go_to)
        self._wanted: MotionGraph | None = None
        self._of: list[Take | None] = []
        self._bodies: list[GraphedBody] = []
        self._troubles: list[str] = []
        self._chart: Chart | None = None

    def _again(self) -> None:
        self.said.emit(self.show_for(self._mode, self._window))

    def _go_to(self, number: int, frame: int) -> None:
        take_id = self._bodies[number].of.take
        if take_id != self._desk.take_id:
            self._desk.go_to_take(take_id)
        self._desk.go_to_frame(frame)

    def show_for(self, mode: str, window: int) -> str:
        """Show a page; gives what to do next.

        Parameters
        ----------
        mode : str
        window : int
            Readings a local parabola takes.
        """
        self._mode, self._window = mode, window
        self.graph_view.setVisible(mode == "graph")
        self.picture_view.setVisible(mode == "picture")
        if mode == "picture":
            take = self._desk.take
            self.picture.show_for(take)
            self.picture_view.show_marks(self.picture.marks(take), self.picture.strobe)
            return _("Go to the frame you want. The scale of the arrows stands at the foot of the picture.")
        return self._show_graph(window)

    def _show_graph(self, window: int) -> str:
        desk = self._desk
        self.graph.window_of_readings = window
        anew = self.graph.show_for(desk.notebook, desk.take)
        wanted = self.graph.wanted()
        takes = [desk.notebook.take(one.take) for one in wanted.shown]
        if wanted != self._wanted or len(takes) != len(self._of) or any(map(is_not, takes, self._of)):
            # only what moves is worked out from frame to frame
            self._bodies, self._troubles = graphed_bodies(desk.notebook, wanted)
            self._chart = motion_chart(self._bodies, wanted) if self._bodies else None
            self._wanted, self._of, anew = wanted, takes, True
        bodies, troubles, chart = self._bodies, self._troubles, self._chart
        if anew:
            self.graph.show_swatches(bodies, troubles)
        empty = _("Tick a body that was read in a few frames.")
        self.graph_view.show_graph(chart, bodies, self._now(bodies), " ".join(troubles) or empty)
        if not bodies:
            return empty
        if {wanted.x, wanted.y} & set(ENERGIES) - {"kinetic"}:
            return _("Heights are taken along the vertical of the picture, with g = 9.81 m/s².")
        return _(
            "Choose what stands against what. Point at a reading for its values; click it for its frame."
        )

    def _now(self, bodies: list[GraphedBody]) -> tuple[int, int] | None:
        """The point of the frame in hand."""
        for i, body in enumerate(bodies):
            at = np.flatnonzero(body.frames == self._desk.frame)
            if body.of.take == self._desk.take_id and len(at):
                return i, int(at[0])
        return None
