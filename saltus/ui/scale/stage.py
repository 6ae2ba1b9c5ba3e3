"""Scale: known lengths, axes, a plane, the lens, and whether the scale can be trusted."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.exchange.geometry_charts import camera_shift, edge_bend, lengths_compared, scale_along
from saltus.exchange.time_base import headline_finding, spacing_chart
from saltus.notebook.derived.geometry import geometry_of
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.chart_view import ChartView
from saltus.ui.kit.columns import over
from saltus.ui.kit.scaling import column_width, scaled, sized
from saltus.ui.kit.widgets import Group, label, row
from saltus.ui.picture.loupe import Loupe
from saltus.ui.picture.measured_clicks import CLICKED, SCALE_MODES
from saltus.ui.picture.scale_tool import ScaleTool
from saltus.ui.picture.view import PictureView
from saltus.ui.scale.axes_panel import AxesPanel
from saltus.ui.scale.boards import lay_ball, lay_board
from saltus.ui.scale.camera_panel import CameraPanel
from saltus.ui.scale.filmed_scale_panel import FilmedScalePanel
from saltus.ui.scale.length_panel import LengthPanel
from saltus.ui.scale.lens_panel import LensPanel
from saltus.ui.scale.measure_panel import MeasurePanel
from saltus.ui.scale.next_words import next_words
from saltus.ui.scale.plane_panel import PlanePanel
from saltus.ui.scale.sure_panel import SurePanel
from saltus.ui.scale.trust_panel import TrustPanel

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk

COLUMN = 316
NARROW = 560
PAGES = ("length", "axes", "plane", "lens", "camera", "measure", "dial", "trust")
PAGE_OF = {
    "reference": "length",
    "check": "length",
    "again": "length",
    "ball": "length",
    "plumb": "axes",
    "points": "axes",
    "track": "plane",
    "edge": "lens",
    "fixed": "camera",
    **{mode: "measure" for mode in CLICKED if mode.startswith("measure-")},
    **dict.fromkeys(SCALE_MODES, "dial"),
}
"""Page of the column on which something is laid, where that is not its own name."""


class ScaleStage(Stage):
    """Picture with all that is laid over it; the column has a page for each tool.

    Signals
    -------
    wanted(stage)
        Another stage on which something is checked.
    followWanted
        The body in hand, a point that stands still, is to be followed.
    """

    wanted = pyqtSignal(str)
    followWanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.view = PictureView(desk, ScaleTool)
        tool = self.view.tool
        assert isinstance(tool, ScaleTool)
        self.tool = tool
        self.beside(over(self.view, self._below(), (480, 220)), COLUMN)
        self._build_column()
        self._build_tools()
        tool.movedHandle.connect(self._follow_handle)
        tool.laid.connect(self._ask_length)
        tool.placed.connect(self._placed)
        self.listen()
        self._fit_page()

    def _build_tools(self) -> None:
        self._buttons = {
            name: self.view.add_tool(name, tip, partial(self._taken, name), on=name == "length")
            for name, tip in (
                ("length", _("Reference length: drag along a known length")),
                ("axes", _("Axes: click the origin, drag the end of x")),
                ("plane", _("Plane seen at an angle: click four corners of a rectangle, in order")),
                ("lens", _("Bend of the lens: click places along a straight edge")),
                ("camera", _("Does the camera move? Fixed points, or the background")),
                ("measure", _("Measure a length, an angle, a circle (M)")),
                ("dial", _("Read a scale in the picture: a rule, a dial")),
                ("trust", _("Can I trust my scale?")),
                ("hand", _("Move the picture (or middle button)")),
            )
        }
        zoom = self.view.add_tool(
            "zoom", _("Zoom in (+, wheel)"), lambda _on: self.view.set_zoom(self.view.zoom() * 1.5)
        )
        fit = self.view.add_tool("fit", _("Whole picture (0)"), lambda _on: self.view.set_zoom(None))
        zoom.setCheckable(False)
        fit.setCheckable(False)

    def _taken(self, name: str, _on: bool) -> None:
        self.take_up(name)

    def take_up(self, what: str) -> None:
        """Take up a tool, or show what checks something: its page of the column comes with it."""
        if what in ("board", "board-lens"):
            lay_board(self._desk, as_plane=what == "board")
            self.refresh()
            return
        if what == "film":
            self.wanted.emit("film")
            return
        if what == "follow":
            self.followWanted.emit()
            return
        if what == "new-edge":
            self.tool.new_edge, what = True, "edge"
        page = PAGE_OF.get(what, what)
        self.tool.choose(
            {"lens": "edge", "trust": self.tool.mode, "hand": "pan", "dial": "pointer"}.get(what, what)
        )
        self.view.panning = what == "hand"
        for name, made in self._buttons.items():
            made.setChecked(name == ("hand" if what == "hand" else page))
        if page in PAGES:
            self.pages.setCurrentIndex(PAGES.index(page))
            self._fit_page()
        self.refresh()

    def _below(self) -> QWidget:
        below = QWidget()
        below.setObjectName("panel")
        layout = QHBoxLayout(below)
        layout.setContentsMargins(16, 10, 16, 10)
        layout.setSpacing(20)
        self.charts: dict[str, ChartView] = {}
        self._groups: dict[str, QWidget] = {}
        self._times_words = label("", "note", wrap=True)
        for key, title, note in (
            ("along", _("Scale along x"), _("mm per pixel, band 95 %")),
            ("lengths", _("Known lengths"), _("too long by, bars 95 %")),
            ("edge", _("Lens"), _("bend of the edge; hollow: as filmed")),
            ("camera", _("Camera"), _("shift, px: \u25a0 right, \u25cf down")),
            ("times", _("Time base"), _("ms from frame to frame")),
        ):
            group = QWidget()
            column = QVBoxLayout(group)
            column.setContentsMargins(0, 0, 0, 0)
            column.addLayout(row(label(title, "heading"), label(note, "note"), stretch=1))
            self.charts[key] = ChartView(title, 120)
            column.addWidget(self.charts[key], 1)
            if key == "times":
                column.addWidget(self._times_words)
            layout.addWidget(group, 1)
            self._groups[key] = group
        return below

    def _build_column(self) -> None:
        self.loupe = Loupe(self.view)
        self.loupe.rings = False
        self.lengths, self.axes = LengthPanel(self._desk, self.tool), AxesPanel(self._desk)
        self.plane, self.lens = PlanePanel(self._desk), LensPanel(self._desk)
        self.trust, self.sure = TrustPanel(self._desk), SurePanel()
        self.loupe.resting = self.lengths.laid_ends
        self.loupe.setFixedHeight(scaled(140))
        self._column.addWidget(self.loupe)
        self.pages = QStackedWidget()
        first = Group()
        first.column.addWidget(self.lengths)
        first.column.addWidget(self.sure)
        self.camera, self.measures = CameraPanel(self._desk), MeasurePanel(self._desk, self.tool)
        self.dial = FilmedScalePanel(self._desk, self.tool)
        for page in (first, *self._later_pages().values()):
            self.pages.addWidget(page)
        for panel in (self.lengths, *self._later_pages().values()):
            panel.wanted.connect(self.take_up)
        self._column.addWidget(self.pages)
        self._keys = label(
            _("Tab next mark · Alt+arrows 1 px, with Ctrl 0.1, with Shift 20 · Enter lays what is missing"),
            "note",
            wrap=True,
        )
        self._keys.setStyleSheet(sized("font-size: 12.5px"))
        self._column.addWidget(self._keys)
        self._column.addStretch(1)

    def _later_pages(self) -> dict[str, Any]:
        """The pages but the first, by name, in their order."""
        return {
            "axes": self.axes, "plane": self.plane, "lens": self.lens, "camera": self.camera,
            "measure": self.measures, "dial": self.dial, "trust": self.trust,
        }  # fmt: skip

    def _fit_page(self) -> None:
        """Let the column be as long as the page that is shown, not as the longest."""
        for n in range(self.pages.count()):
            page = self.pages.widget(n)
            assert page is not None
            policy = page.sizePolicy()
            shown = n == self.pages.currentIndex()
            policy.setVerticalPolicy(policy.Policy.Preferred if shown else policy.Policy.Ignored)
            policy.setHorizontalPolicy(policy.Policy.Preferred if shown else policy.Policy.Ignored)
            page.setSizePolicy(policy)
            if shown:
                page.adjustSize()
        trusting = PAGES[self.pages.currentIndex()] == "trust"
        self.loupe.setVisible(not trusting)
        self._keys.setVisible(not trusting)
        self.next.setVisible(not trusting)

    def resizeEvent(self, event: object) -> None:
        # in a low window the loupe leaves room to what it serves
        self.loupe.setFixedHeight(min(scaled(140), self.height() // 5))
        self._show_groups()

    def _show_groups(self) -> None:
        """Show the graphs there is room for: what says nothing yet gives way first."""
        shown = [key for key in ("along", "lengths", "camera", "edge") if self.charts[key].chart is not None]
        wanted = ["along", *[k for k in ("camera", "lengths", "edge") if k in shown]]
        if len(wanted) < 3:
            wanted.append("times")
        room = self.width() - column_width(COLUMN)
        most = 1 if room <= scaled(NARROW) else 2 if room <= scaled(NARROW + 260) else 3
        for key, group in self._groups.items():
            group.setVisible(key in wanted[:most])

    def _ask_length(self) -> None:
        """Put the keyboard where the length is typed."""
        self.take_up("length")
        self.lengths.length.setFocus(Qt.FocusReason.OtherFocusReason)
        self.lengths.length.selectAll()

    def _placed(self) -> None:
        if self.tool.mode == "ball" and self.tool.ball is not None:
            lay_ball(self._desk, self.tool)
            self._ask_length()
        self.lengths.count_again()
        self.next.say(next_words(self._desk.take, self.tool))

    def _follow_handle(self, place: QPointF | None) -> None:
        self.loupe.look_at(place)
        self.view.update()

    def show_now(self) -> None:
        """Show the scale as it is."""
        take = self._desk.take
        page = PAGES[self.pages.currentIndex()]
        self.lengths.show_take(take)
        self.sure.show_take(take)
        if page in self._later_pages():
            self._later_pages()[page].show_take(take)
        nothing = _("Lay a scale first.") if take is None or not geometry_of(take).mapping.scaled else ""
        self.charts["along"].show_chart(scale_along(take) if take else None, nothing)
        self.charts["lengths"].show_chart(lengths_compared(take) if take else None)
        self.charts["edge"].show_chart(edge_bend(take) if take else None)
        self.charts["camera"].show_chart(camera_shift(take) if take else None)
        self.charts["times"].show_chart(
            spacing_chart(take) if take else None, _("One frame has no time base.") if take else ""
        )
        self._times_words.setText(headline_finding(take)[1] if take else "")
        self._show_groups()
        self.next.say(next_words(take, self.tool))
