"""The column of Motion for a segment: which model fits, what it gives, and how it was worked out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import NoFit, SegmentFit
from saltus.core.statement import stated, written_number
from saltus.core.wording import _, plural
from saltus.exchange.motion_words import (
    coordinate_scale,
    families,
    family_of,
    family_words,
    parameter_words,
    symbol_of,
)
from saltus.exchange.sheet import shown_coordinate
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.motion import motion_in, segment_fit, segment_mask
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as edits
from saltus.ui.desk.sending import sendings
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.menus import menu_of, open_under
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.widgets import Card, Group, button, clear_layout, label, rich, row, rule
from saltus.ui.motion.model_card import ModelCard
from saltus.ui.motion.swing_card import SwingCard

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Segment, Take
    from saltus.ui.desk.desk import Desk

SYMBOL = "<span style=\"font-family:'Source Serif 4'; font-style:italic\">{}</span>"


class SegmentPanel(Group):
    """Models, parameters and actions of the segment in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._trials: dict[tuple[int, str], tuple[Segment, Segment]] = {}
        self._segment: Segment | None = None
        self._axis = "x"
        self._title = QHBoxLayout()
        self.column.addLayout(self._title)
        self._family = chooser(_("What the motion is like"), self._choose_family, fewest=9)
        self.column.addLayout(row(label(_("Which model fits?"), "note"), self._family, stretch=1))
        self.models = {name: ModelCard(name, self._choose_model) for name in MODELS}
        for card in self.models.values():
            self.column.addWidget(card)
        self.swing = SwingCard(desk)
        self.column.addWidget(self.swing)
        self._card = Card(padding=10)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(5)
        self._card.column.addLayout(self._rows)
        self.column.addWidget(self._card)
        self._advice = Card("advice", 9)
        self._advice_words = label(wrap=True)
        self._advice.add(self._advice_words)
        self._note = label("", "note", wrap=True)
        for thing in (self._advice, self._note):
            self.column.addWidget(thing)
        self._headline = button(_("Show as the result"), self._make_headline)
        self._remove = button(_("Remove segment"), self.remove, "link")
        self.column.addLayout(row(self._headline, self._remove, stretch=2))
        self.pivot = button(_("Put the origin at its centre"), self._centre)
        self.pivot.setToolTip(_("Angles and distances then count about the centre of this circle"))
        self.column.addWidget(self.pivot)
        self.send = button(_("Send to the table…"), self._send)
        self.send.setToolTip(
            _("Put a parameter of this segment into a cell of the table of trials; it follows")
        )
        self.column.addWidget(self.send)
        self.column.addStretch(1)

    # -- edits ---------------------------------------------------------------------------------------

    def _choose_family(self) -> None:
        """Show another family of models; nothing is chosen by that."""
        self._show_models(self._desk.take, self._segment, self._family.currentData())

    def _choose_model(self, name: str) -> None:
        take, segment = self._desk.take, self._segment
        if take is not None and segment is not None:
            of = self._coordinate_for(segment, name)
            made = edits.change_segment(self._desk.notebook, take.id, segment.id, model=name, of=of)
            self._desk.segment_id = segment.id
            self._desk.edit(_("choose a model"), made)

    def _coordinate_for(self, segment: Segment, name: str) -> str:
        """The coordinate a segment has with another model."""
        if MODELS[name].together:
            return "xy"
        return self._axis if segment.of == "xy" else segment.of

    def _make_headline(self) -> None:
        take, segment = self._desk.take, self._segment
        if take is not None and segment is not None:
            made = edits.choose_headline(self._desk.notebook, take.id, segment.id)
            self._desk.edit(_("choose the result"), made)

    def remove(self) -> None:
        """Take the segment in hand away."""
        take, segment = self._desk.take, self._segment
        if take is not None and segment is not None:
            self._desk.segment_id = None
            made = edits.remove_segment(self._desk.notebook, take.id, segment.id)
            self._desk.edit(_("remove a segment"), made)

    def _centre(self) -> None:
        """Place the origin at the centre of the circle that was fitted, as surely as it is known."""
        take, segment = self._desk.take, self._segment
        fit = segment_fit(take, segment) if take is not None and segment is not None else None
        if take is None or not isinstance(fit, SegmentFit):
            return
        x, y = fit.parameters.get("centre_x"), fit.parameters.get("centre_y")
        if x is None or y is None:
            return
        mapping = mapping_of(take)
        along, down = mapping.picture(np.array([float(x)]), np.array([float(y)]))
        u_px = max(float(x.u_from("reading")), float(y.u_from("reading"))) / mapping.per_px
        steady = (float(along[0]), float(down[0]))
        place, frame = geometry_of(take).camera.origin_to_lay(steady, take.axes)
        made = scale_edits.origin_at(self._desk.notebook, take.id, place, u_px, frame)
        self._desk.edit(_("move the origin"), made)

    def _send(self) -> None:
        take, segment = self._desk.take, self._segment
        if take is not None and segment is not None:
            open_under(menu_of(self, sendings(self._desk, take, segment)), self.send)

    # -- showing -------------------------------------------------------------------------------------

    def show_segment(self, take: Take | None, body: Body | None, segment: Segment | None, axis: str) -> None:
        """Show a segment of a body along an axis, or that there is none."""
        other = self._segment is None or segment is None or segment.id != self._segment.id
        changed = self._segment is None or segment is None or segment.model != self._segment.model
        self._segment, self._axis = segment, axis
        family = self._family.currentData()
        known = families(axis)
        if other or changed or family not in known:
            family = family_of(segment.model) if segment is not None else "steady"
        fill(self._family, [(family_words(f), f) for f in known], family if family in known else "steady")
        self._show_title(take, body, segment)
        self._show_models(take, segment, self._family.currentData())
        self._show_parameters(take, segment)

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

    def _show_models(self, take: Take | None, segment: Segment | None, family: str) -> None:
        """Only the models of one family are fitted: the others would cost time that nobody asked for."""
        shown = families(self._axis).get(family, [])
        simplest = True
        for name, card in self.models.items():
            card.setVisible(name in shown)
        for name in shown:
            card = self.models[name]
            if take is None or segment is None:
                card.show_model(name, self._axis, "", "ink2", chosen=False, possible=False)
                continue
            fit, fit_model = segment_fit(take, self._as_model(segment, name)), MODELS[name]
            if isinstance(fit, NoFit):
                few = self._readings(take, segment) * (1 + fit_model.together) < fit_model.free
                words = _("too few readings") if few else _("cannot be laid")
                verdict, token, tip = words, "ink2", fit.reason
            elif fit.fits:
                verdict, token = (_("fits, simplest"), "good") if simplest else (_("fits too"), "ink2")
                simplest = False
                tip = self._told_by(fit)
            else:
                verdict, token, tip = _("does not fit"), "warn", self._told_by(fit)
            card.show_model(name, self._axis, verdict, token, chosen=name == segment.model, possible=True)
            card.explain(tip)

    def _readings(self, take: Take, segment: Segment) -> int:
        body = take.body(segment.body)
        return 0 if body is None else int(segment_mask(motion_in(take, body, segment.of), segment).sum())

    def _told_by(self, fit: SegmentFit) -> str:
        """How many parameters, and what χ² says."""
        words = plural("{n} parameter", "{n} parameters", fit.model.free)
        if fit.chi2 is None:
            return words
        return words + _("; χ² = {chi2:.3g} with {dof} degrees of freedom").format(chi2=fit.chi2, dof=fit.dof)

    def _as_model(self, segment: Segment, name: str) -> Segment:
        if segment.model == name:
            return segment
        key = (id(segment), name)
        if key not in self._trials:
            if len(self._trials) > 32:
                self._trials.clear()
            self._trials[key] = (segment, segment.but(model=name, of=self._coordinate_for(segment, name)))
        return self._trials[key][1]

    def _show_parameters(self, take: Take | None, segment: Segment | None) -> None:
        clear_layout(self._rows)
        fit = segment_fit(take, segment) if take is not None and segment is not None else None
        self._card.setVisible(fit is not None)
        self.swing.show_segment(take, segment, fit)
        there = take is not None and segment is not None and bool(sendings(self._desk, take, segment))
        self.send.setVisible(there)
        self.pivot.setVisible(isinstance(fit, SegmentFit) and fit.model.name == "circle")
        self._headline.setVisible(segment is not None)
        self._remove.setVisible(segment is not None)
        self._advice.hide()
        self._note.hide()
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
            value = label(text)
            value.setStyleSheet(sized("font-weight: 600; font-size: 14px"))
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            words = rich(f"{parameter_words(name)} {SYMBOL.format(symbol_of(name, segment))}")
            self._rows.addLayout(row(words, value, stretch=1))
        self._rows.addWidget(rule())
        self._fit_rows(take, segment, fit)
        self._show_words(take, segment, fit)

    def _fit_rows(self, take: Take, segment: Segment, fit: SegmentFit) -> None:
        scale = coordinate_scale(take, segment.of)
        rms = f"{written_number(scale.fine * fit.rms_residual, 2)} {scale.fine_unit}"
        rows = [(_("Values used"), f"{len(fit.residuals)}"), (_("rms of residuals"), rms)]
        if fit.birge is not None:
            rows.append((_("Scatter"), _("{ratio:.2f} × stated").format(ratio=fit.birge)))
        for name, value in rows:
            self._rows.addLayout(row(label(name, "note"), label(value), stretch=1))

    def _show_words(self, take: Take, segment: Segment, fit: SegmentFit) -> None:
        """What is wrong stands on a card; what is only to be known, below it."""
        wrong = [words for words in fit.warnings if words not in fit.notes]
        self._note.setVisible(bool(fit.notes))
        self._note.setText(" ".join(fit.notes))
        if wrong:
            self._advice.show()
            self._advice_words.setText(" ".join(wrong) + self._worst(take, segment, fit))

    def _worst(self, take: Take, segment: Segment, fit: SegmentFit) -> str:
        body = take.body(segment.body)
        if body is None or fit.basis != "enlarged":
            return ""
        motion = motion_in(take, body, segment.of)
        frames = motion.frames[segment_mask(motion, segment)]
        residuals, u = fit.residuals_of(shown_coordinate(segment))
        worst = abs(residuals / u).argsort()[::-1][:3]
        return " " + _("Look at frames {frames}.").format(
            frames=", ".join(str(int(frames[i])) for i in sorted(worst))
        )
