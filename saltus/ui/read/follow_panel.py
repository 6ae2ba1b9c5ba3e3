"""The column of Read while bodies are followed: what is looked for, how it goes, what is in doubt."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt

from saltus.core.coverage import NORMAL_95
from saltus.core.following.followed import METHODS
from saltus.core.statement import value_and_uncertainty
from saltus.core.wording import _
from saltus.notebook.derived.following import counts, renewed_words
from saltus.notebook.derived.geometry import mapping_of
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.widgets import CheckLine, Group, button, clear_layout, label, row, yielding
from saltus.ui.read.doubts import Doubts
from saltus.ui.read.follow_parts import AlignedStrip, Progress, StateCounts
from saltus.ui.read.follow_start import FollowStart
from saltus.ui.read.why_so_sure import WhySoSure

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage
    from PyQt6.QtWidgets import QWidget

    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.view import PictureView
    from saltus.ui.read.follow_setup import FollowSetup

STRIP = 5
PATCHED = ("auto", "pattern")
"""Methods that look for a patch."""


def method_words(method: str) -> str:
    """What a method goes by."""
    return {
        "auto": _("what suits it best"),
        "pattern": _("pattern of the patch"),
        "colour": _("its colour"),
        "spot": _("bright or dark spot"),
        "edge": _("its outline"),
    }[method]


def good_for(method: str) -> str:
    """What a method is good at."""
    return {
        "auto": _("Saltus chooses by what is in the box."),
        "pattern": _("Good for a mark or grain, in steady or changing light."),
        "colour": _("Good for one coloured thing on anything else."),
        "spot": _("Good for a lamp, a hole, a dot on plain ground."),
        "edge": _("Good for a plain round body: shine and shade do not pull it."),
    }[method]


class FollowPanel(Group):
    """How bodies are followed.

    Parameters
    ----------
    desk : Desk
    view : PictureView
    setup : FollowSetup
    """

    def __init__(self, desk: Desk, view: PictureView, setup: FollowSetup) -> None:
        super().__init__()
        self._desk, self._view, self._setup = desk, view, setup
        self._swatch_of: int | None = None
        self._swatch = row()
        self._name, self._by = yielding("", "heading"), label("", "note")
        self._method = chooser(_("How it is followed"), self._chosen)
        head = row(self._name, self._by)
        head.insertLayout(0, self._swatch)
        head.setStretch(1, 1)
        self.column.addLayout(head)
        self._how = Group(gap=4)
        by = row(label(_("Follow by"), "note"), self._method)
        by.setStretch(1, 1)
        self._how.column.addLayout(by)
        self._good = label("", "note", wrap=True)
        self._how.column.addWidget(self._good)
        self._renewed = CheckLine(_("Renew the patch when it turns or the light changes"))
        self._renewed.box.toggled.connect(self._choose_renewed)
        self._how.column.addWidget(self._renewed)
        self.column.addWidget(self._how)
        self.start = FollowStart(desk, setup)
        self.column.addWidget(self.start)
        self._build_way()

    def _build_way(self) -> None:
        self._way = Group()
        self.strip = AlignedStrip()
        self.strip.chosen.connect(self._desk.go_to_frame)
        self._found_to, self._in_world = label("", "value"), yielding("", "note")
        self._in_world.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.why = WhySoSure(self._desk, self._view)
        self.counts = StateCounts()
        self.doubts = Doubts(self._desk)
        self._keys = label("", "note", wrap=True)
        self._keys.setStyleSheet(sized("font-size: 12.5px"))
        column = self._way.column
        column.addWidget(self.strip)
        found = row(self._found_to, self._in_world)
        found.setStretch(1, 1)
        column.addLayout(found)
        self._anew = label("", "note", wrap=True)
        column.addWidget(self._anew)
        column.addWidget(self.why)
        column.addWidget(self.counts)
        column.addWidget(self.doubts)
        column.addWidget(self._keys)
        self._build_run()
        self.column.addWidget(self._way)

    def _build_run(self) -> None:
        self.controls = Group(gap=8)
        self._rate, self._decodes = label("", "heading"), yielding("", "note")
        self._decodes.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        rates = row(self._rate, self._decodes)
        rates.setStretch(1, 1)
        self.progress = Progress()
        now = self._desk.following
        self.pause = button(_("Pause"), now.pause, "main")
        self.stop = button(_("Stop, keep these"), now.stop)
        buttons = row(self.pause, self.stop)
        buttons.setStretch(1, 1)
        column = self.controls.column
        column.addLayout(rates)
        column.addWidget(self.progress)
        column.addLayout(buttons)
        self.on = button(_("Follow on from here…"), self._setup.begin)
        self.done = button(_("Read by hand"), lambda: None, "link")
        self.after = Group()
        self.after.column.addLayout(row(self.on, self.done, stretch=1))

    def first_control(self) -> QWidget:
        """What has the keys when they come to the column."""
        if self._setup.open:
            return self.start.go if self.start.go.isEnabled() else self.start.cancel
        return self.pause if self._desk.following.run is not None else self.on

    def _chosen(self) -> None:
        body = self._desk.body
        if body is not None:
            self._setup.choose_method(body, self._method.currentData())

    def _choose_renewed(self, checked: bool) -> None:
        body = self._desk.body
        if body is not None:
            self._setup.choose_renewed(body, renewed=checked)

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show how it is."""
        take, body = self._desk.take, self._desk.body
        if take is None or body is None:
            return
        drawing = self._setup.open
        self._show_head(body, drawing=drawing)
        self.start.setVisible(drawing)
        self._way.setVisible(not drawing)
        if drawing:
            self.start.refresh(take, body)
            return
        now = self._desk.following
        self.strip.show_cuts(self._cuts(take, body), self._desk.frame)
        self._show_found(take, body)
        words = renewed_words(body, self._desk.frame)
        self._anew.setText(words)
        self._anew.setVisible(bool(words))
        self.why.refresh(take, body)
        of_all = [counts(b) for b in take.bodies if b.runs]
        self.counts.show_counts({s: sum(c[s] for c in of_all) for s in ("found", "weak", "lost")})
        running = now.run is not None
        self.doubts.refresh(newest_first=running)
        self._keys.setText(
            _("N next · Enter take it · X leave out · click: correct, and follow on from there")
        )
        self._keys.setVisible(bool(self.doubts.all))
        self._show_run()

    def _show_head(self, body: Body, *, drawing: bool) -> None:
        if self._swatch_of != body.look:
            self._swatch_of = body.look
            clear_layout(self._swatch)
            self._swatch.addWidget(BodySwatch(body.look))
        self._name.setText(body.name)
        self._name.setToolTip(plain(body.name))
        drawn = self._setup.drawn.get(body.id)
        method = (
            drawn.method if drawing and drawn is not None else body.runs[-1].method if body.runs else "auto"
        )
        self._how.setVisible(drawing and drawn is not None)
        self._by.setText("" if drawing else _("by {method}").format(method=method_words(method)))
        self._by.setToolTip(good_for(method))
        fill(self._method, [(method_words(m), m) for m in METHODS], method)
        self._good.setText(good_for(method))
        self._renewed.setVisible(method in PATCHED)
        with QSignalBlocker(self._renewed.box):
            self._renewed.box.setChecked(drawn is None or drawn.renewed)

    def _cuts(self, take: Take, body: Body) -> list[tuple[int, QImage]]:
        """Cuts of the run under way; else of frames spread over what was found."""
        now = self._desk.following
        if now.take_id == take.id and body.id in now.strip:
            return now.strip[body.id]
        used = body.readings.used
        found = used.only(used.followed)
        if not len(found.frame) or not body.runs:
            return []
        side = max(body.runs[-1].box[2:])
        chosen = dict.fromkeys(round(i * (len(found.frame) - 1) / (STRIP - 1)) for i in range(STRIP))
        places = ((int(found.frame[i]), (float(found.x[i]), float(found.y[i]))) for i in chosen)
        cuts = ((frame, now.cut(take, body.id, frame, place, side)) for frame, place in places)
        return [(frame, image) for frame, image in cuts if image is not None]

    def _show_found(self, take: Take, body: Body) -> None:
        reading = body.readings.at(self._desk.frame)
        if reading is None or reading.u is None:
            self._found_to.setText(_("not read in this frame") if reading is None else _("read by hand"))
            self._in_world.setText("")
            return
        U = NORMAL_95 * max(reading.u, reading.u_y or 0.0)
        words = _("proposed, ± {U} px") if reading.status == "weak" else _("found to ± {U} px")
        self._found_to.setText(words.format(U=value_and_uncertainty(0.0, U)[1]))
        mapping = mapping_of(take)
        if mapping.scaled:
            in_mm = value_and_uncertainty(0.0, 1000 * U * mapping.per_px)[1]
            self._in_world.setText(_("95 %, ± {U} mm").format(U=in_mm))
        else:
            self._in_world.setText("95 %")

    def _show_run(self) -> None:
        now = self._desk.following
        if now.run is None:
            return
        self.progress.show_share(now.run.done / (len(now.run.frames) - 1))
        rate = now.rate
        self._rate.setText(_("{n:.0f} frames/s").format(n=rate) if rate else "…")
        words = _("film decodes at {n:.0f}").format(n=now.decodes_at) if now.decodes_at else ""
        self._decodes.setText(words)
        self.pause.setText(_("Go on") if now.paused else _("Pause"))
        self.stop.setEnabled(not now.run.steering.stopped)
