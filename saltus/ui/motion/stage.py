"""Motion: lanes over one time axis, segments with their models, what limits the result."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import NoFit, SegmentFit
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.sheet import parameter_words, symbol_of
from saltus.notebook.derived.motion import body_motion, frame_times, segment_fit, segment_mask
from saltus.notebook.edits import segments as edits
from saltus.notebook.model import Body, Segment, Take
from saltus.ui.desk.sending import sendings
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.choices import fill
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.menus import menu_of, open_under
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.widgets import Card, button, clear_layout, label, rich, row, rule
from saltus.ui.motion.lanes import MotionLanes
from saltus.ui.motion.model_card import ModelCard
from saltus.ui.motion.strobe_strip import StrobeStrip

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.ui.desk.desk import Desk

SYMBOL = "<span style=\"font-family:'Source Serif 4'; font-style:italic\">{}</span>"


class MotionStage(Stage):
    """Strobe strip, lanes, and the column of models and parameters."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._trials: dict[tuple[int, str], tuple[Segment, Segment]] = {}
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(StrobeStrip(desk))
        self.lanes = MotionLanes(desk)
        self.lanes.stretched.connect(self._stretched)
        self.lanes.segmentMoved.connect(self._moved)
        self.lanes.segmentClicked.connect(self._clicked)
        left.addLayout(self._lane_head())
        left.addWidget(self.lanes, 1)
        holder = QWidget()
        holder.setObjectName("panel")
        holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        holder.setLayout(left)
        left.setContentsMargins(0, 0, 0, 0)
        self.beside(holder, 332)
        self._build_column()
        self.listen()

    def _lane_head(self) -> QHBoxLayout:
        self._bodies = QComboBox()
        self._bodies.setAccessibleName(_("Body"))
        self._bodies.activated.connect(lambda i: self._desk.choose_body(self._bodies.itemData(i)))
        self._axis = QComboBox()
        self._axis.setAccessibleName(_("Direction"))
        for axis in ("x", "y"):
            self._axis.addItem(_("along {axis}").format(axis=axis), axis)
        self._axis.activated.connect(self._choose_axis)
        words = label(_("Drag over the readings to choose a segment."), "note")
        words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        made = row(label(_("Lanes"), "heading"), self._bodies, self._axis, words)
        made.setStretch(3, 1)
        made.setContentsMargins(16, 8, 14, 6)
        return made

    def _build_column(self) -> None:
        self._title = QHBoxLayout()
        self._column.addLayout(self._title)
        self._question = label(_("Which model fits the readings?"), "note")
        self._column.addWidget(self._question)
        self._models = {name: ModelCard(name, self._choose_model) for name in MODELS}
        for card in self._models.values():
            self._column.addWidget(card)
        self._card = Card(padding=10)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(5)
        self._card.column.addLayout(self._rows)
        self._column.addWidget(self._card)
        self._advice = Card("advice", 9)
        self._advice_words = label(wrap=True)
        self._advice.add(self._advice_words)
        self._column.addWidget(self._advice)
        self._headline = button(_("Show as the result"), self._make_headline)
        self._remove = button(_("Remove segment"), self._remove_segment, "link")
        actions = row(self._headline, self._remove, stretch=2)
        self._column.addLayout(actions)
        self.send = button(_("Send to the table…"), self._send)
        self.send.setToolTip(
            _("Put a parameter of this segment into a cell of the table of trials; it follows")
        )
        self._column.addWidget(self.send)
        self._column.addStretch(1)

    # -- what is in hand -----------------------------------------------------------------------------

    def _segment(self) -> Segment | None:
        shown = self.lanes.segments()
        chosen = next((s for s in shown if s.id == self._desk.segment_id), None)
        return chosen or (shown[-1] if shown else None)

    def _choose_axis(self, index: int) -> None:
        self.lanes.axis = self._axis.itemData(index)
        self._desk.choose_segment(None)

    def _best_axis(self, take: Take, body: Body) -> str:
        """The axis of the headline; without segments the one along which the body moves most."""
        own = [s for s in take.segments if s.body == body.id]
        if own:
            head = take.headline_segment
            return head.of if head in own and head is not None else own[-1].of
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
        """The simplest model the readings allow; the last one when none fits."""
        names = list(MODELS)
        for name in names:
            trial = Segment.model_validate(
                {
                    "id": "trial",
                    "body": body.id,
                    "of": self.lanes.axis,
                    "first": ends[0],
                    "last": ends[1],
                    "model": name,
                }
            )
            fit = segment_fit(take, trial)
            if isinstance(fit, NoFit):
                break
            if fit.fits:
                return name
        return names[-1]

    def _moved(self, segment_id: str, first: int, last: int) -> None:
        take = self._desk.take
        if take is not None:
            made = edits.change_segment(self._desk.notebook, take.id, segment_id, first=first, last=last)
            self._desk.segment_id = segment_id
            self._desk.edit(_("change a segment"), made)

    def _clicked(self, segment_id: str) -> None:
        self._desk.choose_segment(segment_id)

    def _choose_model(self, name: str) -> None:
        take, segment = self._desk.take, self._segment()
        if take is not None and segment is not None:
            made = edits.change_segment(self._desk.notebook, take.id, segment.id, model=name)
            self._desk.segment_id = segment.id
            self._desk.edit(_("choose a model"), made)
        self.refresh()

    def _make_headline(self) -> None:
        take, segment = self._desk.take, self._segment()
        if take is not None and segment is not None:
            made = edits.choose_headline(self._desk.notebook, take.id, segment.id)
            self._desk.edit(_("choose the result"), made)

    def _remove_segment(self) -> None:
        take, segment = self._desk.take, self._segment()
        if take is not None and segment is not None:
            self._desk.segment_id = None
            made = edits.remove_segment(self._desk.notebook, take.id, segment.id)
            self._desk.edit(_("remove a segment"), made)

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
            self._remove_segment()
        else:
            super().keyPressEvent(event)

    # -- showing -------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        take, body = self._desk.take, self._desk.body
        if take is not None and body is not None:
            self.lanes.axis = self._best_axis(take, body)
            if self._desk.segment_id is None and take.headline_segment is not None:
                self._desk.segment_id = take.headline_segment.id
        self.refresh()

    def show_now(self) -> None:
        """Show the segments as they are."""
        take, body, segment = self._desk.take, self._desk.body, self._segment()
        fill(self._bodies, [(b.name, b.id) for b in take.bodies] if take else [], body.id if body else None)
        self._bodies.setVisible(self._bodies.count() > 0)
        self._axis.setCurrentIndex(0 if self.lanes.axis == "x" else 1)
        self._show_title(take, body, segment)
        self._show_models(take, segment)
        self._show_parameters(take, segment)
        self.next.say(self._next_words(take, body, segment))
        self.lanes.update()

    def _show_title(self, take: Take | None, body: Body | None, segment: Segment | None) -> None:
        clear_layout(self._title)
        if take is None or body is None or segment is None:
            self._title.addWidget(label(_("No segment yet"), "heading"))
            return
        t = frame_times(take)
        self._title.addWidget(BodySwatch(body.look))
        words = _("{body}, {a:.3f} – {b:.3f} s").format(
            body=body.name, a=t[segment.first], b=t[min(segment.last, len(t) - 1)]
        )
        self._title.addWidget(label(words, "heading", wrap=True), 1)

    def _show_models(self, take: Take | None, segment: Segment | None) -> None:
        simplest = True
        for name, card in self._models.items():
            if take is None or segment is None:
                card.show_model(name, self.lanes.axis, "", "ink2", chosen=False, possible=False)
                continue
            fit = segment_fit(take, self._as_model(segment, name))
            if isinstance(fit, NoFit):
                verdict, token = _("too few readings"), "ink2"
            elif fit.fits:
                verdict, token = (_("fits, simplest"), "good") if simplest else (_("fits too"), "ink2")
                simplest = False
            else:
                verdict, token = _("does not fit"), "warn"
            card.show_model(name, segment.of, verdict, token, chosen=name == segment.model, possible=True)

    def _as_model(self, segment: Segment, name: str) -> Segment:
        if segment.model == name:
            return segment
        key = (id(segment), name)
        if key not in self._trials:
            if len(self._trials) > 32:
                self._trials.clear()
            self._trials[key] = (segment, segment.but(model=name))
        return self._trials[key][1]

    def _send(self) -> None:
        take, segment = self._desk.take, self._segment()
        if take is None or segment is None:
            return
        open_under(menu_of(self, sendings(self._desk, take, segment)), self.send)

    def _show_parameters(self, take: Take | None, segment: Segment | None) -> None:
        clear_layout(self._rows)
        fit = segment_fit(take, segment) if take is not None and segment is not None else None
        self._card.setVisible(fit is not None)
        there = take is not None and segment is not None and bool(sendings(self._desk, take, segment))
        self.send.setVisible(there)
        self._headline.setVisible(segment is not None)
        self._remove.setVisible(segment is not None)
        self._advice.hide()
        if take is None or segment is None or fit is None:
            return
        head = take.headline_segment
        self._headline.setVisible(head is not None and head.id != segment.id)
        if isinstance(fit, NoFit):
            self._rows.addWidget(label(fit.reason, "note", wrap=True))
            return
        self._rows.addLayout(
            row(label(_("At the start of the segment"), "note"), label("95 %", "note"), stretch=1)
        )
        for name, q in fit.parameters.items():
            text = stated(float(q), q.U95, q.unit) if q is not None else _("not yet")
            symbol = SYMBOL.format(symbol_of(name, segment))
            value = label(text)
            value.setStyleSheet(sized("font-weight: 600; font-size: 15px"))
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._rows.addLayout(row(rich(f"{parameter_words(name)} {symbol}"), value, stretch=1))
        self._rows.addWidget(rule())
        self._fit_rows(take, segment, fit)
        if fit.warnings:
            self._advice.show()
            self._advice_words.setText(" ".join(fit.warnings) + self._worst(take, segment, fit))

    def _fit_rows(self, take: Take, segment: Segment, fit: SegmentFit) -> None:
        in_m = fit.parameters["position"] is not None and fit.parameters["position"].unit.ascii == "m"
        rms = f"{1000 * fit.rms_residual:.2g} mm" if in_m else f"{fit.rms_residual:.2g} px"
        count = len(fit.residuals)
        self._rows.addLayout(row(label(_("Readings used"), "note"), label(f"{count}"), stretch=1))
        self._rows.addLayout(row(label(_("rms of residuals"), "note"), label(rms), stretch=1))
        if fit.birge is not None:
            words = _("{ratio:.2f} × stated").format(ratio=fit.birge)
            self._rows.addLayout(row(label(_("Scatter"), "note"), label(words), stretch=1))

    def _worst(self, take: Take, segment: Segment, fit: SegmentFit) -> str:
        body = take.body(segment.body)
        if body is None:
            return ""
        motion = body_motion(take, body)
        frames = motion.frames[segment_mask(motion, segment)]
        worst = abs(fit.residuals / fit.u_residuals).argsort()[::-1][:3]
        return " " + _("Look at frames {frames}.").format(
            frames=", ".join(str(int(frames[i])) for i in sorted(worst))
        )

    def _next_words(self, take: Take | None, body: Body | None, segment: Segment | None) -> str:
        if take is None:
            return _("Open a film first, on the Film stage.")
        if body is None or len(body.readings) < 3:
            return _("Read a body in at least three frames, on the Read stage.")
        if segment is None:
            return _(
                "Drag over the readings where the motion is steady: leave out the hand, the impact, the stop."
            )
        return _(
            "Drag the ends of the bar to leave out what does not belong. Then print the sheet in Findings."
        )
