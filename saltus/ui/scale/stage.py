"""Scale: a known length in the picture, the origin, the direction of the axes."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from saltus.core.budget import budget
from saltus.core.coverage import NORMAL_95
from saltus.core.statement import stated_percent, value_and_uncertainty
from saltus.core.units import METRE, PIXEL, RADIAN
from saltus.core.wording import _, plural
from saltus.core.written import Written, WrittenError, last_place, quantity_of
from saltus.exchange.time_base import headline_finding, spacing_chart
from saltus.notebook.derived.geometry import mapping_of, scale_problem
from saltus.notebook.edits import scale as edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.geometry import Typed
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.chart_view import ChartView
from saltus.ui.kit.columns import over
from saltus.ui.kit.scaling import column_width, scaled, sized
from saltus.ui.kit.widgets import Card, Field, button, clear_layout, label, row, rule
from saltus.ui.picture.loupe import Loupe
from saltus.ui.picture.scale_tool import ScaleTool
from saltus.ui.picture.view import PictureView

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


COLUMN = 312
NARROW = 560
WORTH_STATING = 0.02
"""A last digit worth more than this part of the length was not meant to say how well it is known."""


class ScaleStage(Stage):
    """Picture with the reference length and the axes; the column says how sure the scale is."""

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
        self.listen()

    def _build_tools(self) -> None:
        def choose(mode: str) -> None:
            self.tool.mode = mode
            self.view.panning = mode == "pan"
            for name, made in buttons.items():
                made.setChecked(name == mode)

        buttons = {
            "length": self.view.add_tool(
                "length",
                _("Reference length: drag along a known length"),
                lambda _on: choose("length"),
                on=True,
            ),
            "axes": self.view.add_tool(
                "axes", _("Axes: click the origin, drag the end of x"), lambda _on: choose("axes")
            ),
            "pan": self.view.add_tool(
                "hand", _("Move the picture (or middle button)"), lambda _on: choose("pan")
            ),
        }
        self._choose_tool = choose
        zoom = self.view.add_tool(
            "zoom", _("Zoom in (+, wheel)"), lambda _on: self.view.set_zoom(self.view.zoom() * 1.5)
        )
        fit = self.view.add_tool("fit", _("Whole picture (0)"), lambda _on: self.view.set_zoom(None))
        zoom.setCheckable(False)
        fit.setCheckable(False)

    def _below(self) -> QWidget:
        below = QWidget()
        below.setObjectName("panel")
        layout = QHBoxLayout(below)
        layout.setContentsMargins(16, 10, 16, 10)
        layout.setSpacing(20)
        axes = QVBoxLayout()
        axes.setSpacing(6)
        axes.addWidget(label(_("Origin and axes"), "heading"))
        self._axes_words = label("", "note", wrap=True)
        axes.addWidget(self._axes_words)
        self._axes_fields: dict[str, Field] = {}
        for key, words, unit in (
            ("x", _("Origin, right"), "px"),
            ("y", _("Origin, down"), "px"),
            ("angle", _("x axis turned"), _("° anticlockwise")),
            ("u_angle", _("known to ± (95 %)"), "°"),
        ):
            field = Field(words, 84)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.entered.connect(lambda text, k=key: self._type_axes(k, text))
            self._axes_fields[key] = field
            name = label(words, "note")
            name.setFixedWidth(scaled(118))
            axes.addLayout(row(name, field, label(unit, "note"), stretch=3))
        axes.addStretch(1)
        layout.addLayout(axes)
        self._time_base = QWidget()
        times = QVBoxLayout(self._time_base)
        times.setContentsMargins(0, 0, 0, 0)
        times.addLayout(
            row(label(_("Time base"), "heading"), label(_("ms from frame to frame"), "note"), stretch=1)
        )
        self._times = ChartView(_("Time base"), 130)
        times.addWidget(self._times, 1)
        self._times_words = label("", "note", wrap=True)
        times.addWidget(self._times_words)
        layout.addWidget(self._time_base, 1)
        return below

    def _build_column(self) -> None:
        self.loupe = Loupe(self.view)
        self.loupe.rings = False
        self.loupe.resting = self._ends
        self.loupe.setFixedHeight(scaled(150))
        self._column.addWidget(self.loupe)
        card = Card(padding=10)
        self._laid = label("", "note")
        self._remove = button(_("Remove"), self._remove_reference, "link")
        card.column.addLayout(row(label(_("Reference length"), "heading"), self._remove, stretch=1))
        card.add(self._laid)
        self.length = Field(_("Length"), 106)
        self.length.setPlaceholderText(_("such as 1 m"))
        self.length.entered.connect(lambda _text: self._type_length())
        self.spread = Field(_("Uncertainty, 95 %"), 106)
        self.spread.setPlaceholderText(_("such as 1 mm"))
        self.spread.entered.connect(lambda _text: self._type_length())
        self.ends = Field(_("Placing an end, standard uncertainty"), 106)
        self.ends.entered.connect(self._type_ends)
        for words, field, note in (
            (_("Length"), self.length, _("typed")),
            (_("Uncertainty ±"), self.spread, "95 %"),
            (_("Each end, u"), self.ends, ""),
        ):
            name = label(words, "note")
            name.setFixedWidth(scaled(92))
            card.column.addLayout(row(name, field, label(note, "note"), stretch=3))
        self._wrong = label("", "warn", wrap=True)
        self._wrong.hide()
        card.add(self._wrong)
        self._shared = label("", "note", wrap=True)
        self.apart = button(_("Only this take: its camera was moved"), self._set_apart, "link")
        card.add(self._shared)
        card.column.addLayout(row(self.apart, stretch=1))
        self._column.addWidget(card)
        self._column.addWidget(label(_("How sure is the scale?"), "heading"))
        self._sure = QVBoxLayout()
        self._sure.setSpacing(4)
        self._column.addLayout(self._sure)
        keys = label(
            _("Tab next mark · Alt+arrows 1 px, with Ctrl 0.1, with Shift 20 · Enter lays what is missing"),
            "note",
            wrap=True,
        )
        keys.setStyleSheet(sized("font-size: 12.5px"))
        self._column.addWidget(keys)
        self._column.addStretch(1)

    def resizeEvent(self, event: object) -> None:
        # beside large text in a small window the axes need the room
        self._time_base.setVisible(self.width() - column_width(COLUMN) > scaled(NARROW))

    def _ends(self) -> list[QPointF]:
        """The two ends of the reference length, to be checked side by side."""
        take = self._desk.take
        laid = take.reference if take is not None else None
        return [QPointF(*laid.start), QPointF(*laid.end)] if laid is not None else []

    # -- edits ---------------------------------------------------------------------------------------

    def _remove_reference(self) -> None:
        take = self._desk.take
        if take is not None:
            notebook = edits.remove_reference(self._desk.notebook, take.id)
            self._desk.edit(_("remove the reference length"), notebook)

    def _set_apart(self) -> None:
        take = self._desk.take
        if take is not None:
            self._desk.edit(
                _("give a take a scale of its own"), take_edits.apart(self._desk.notebook, take.id)
            )

    def _show_shared(self, take: Take | None) -> None:
        others = len(take_edits.takes_of_camera(self._desk.notebook, take)) if take is not None else 0
        self._shared.setVisible(others > 0)
        self.apart.setVisible(others > 0)
        words = plural(
            "Shared with {n} take of the same camera: what you change here holds for it, too.",
            "Shared with {n} takes of the same camera: what you change here holds for all.",
            others,
        )
        self._shared.setText(words)

    def _wrong_text(self, field: Field, error: WrittenError) -> None:
        field.mark_wrong(str(error))
        self._wrong.setText(str(error))
        self._wrong.show()

    def _type_length(self) -> None:
        take = self._desk.take
        if take is None or not self.length.text().strip():
            return
        field = self.length
        try:
            length = quantity_of(self.length.text(), METRE, default_unit="m", example="1.000 m")
            if not length.si > 0:
                raise WrittenError(_("The reference length must be longer than zero."))
            field = self.spread
            text = self.spread.text().strip() or self._from_last_digit(length)
            spread = quantity_of(text, METRE, default_unit=length.unit_text, example="0.001 m")
            if spread.si < 0 or spread.si > length.si:
                raise WrittenError(_("The uncertainty must lie between zero and the length itself."))
        except WrittenError as error:
            self._wrong_text(field, error)
            return
        self._wrong.hide()
        for each in (self.length, self.spread):
            each.mark_wrong("")
        typed = Typed(
            value=length.value,
            unit=length.unit_text,
            U95=spread.value,
            U95_unit=spread.unit_text,
            text=self.length.text().strip(),
            U95_text=text,
        )
        if take.reference is None:
            self._desk.said.emit(_("Lay the reference length over the picture first."), "note")
            return
        notebook = edits.set_reference_length(self._desk.notebook, take.id, typed)
        self._desk.edit(_("type the reference length"), notebook)

    def _from_last_digit(self, length: Written) -> str:
        """One step of the last digit typed, where that says how well the length was read; else nothing."""
        step = last_place(self.length.text())
        return f"{step:g} {length.unit_text}" if step <= WORTH_STATING * length.value else "0"

    def _type_ends(self, text: str) -> None:
        take = self._desk.take
        if take is None:
            return
        try:
            value = quantity_of(text, PIXEL, default_unit="px", example="1 px").si
            if not 0.01 <= value <= 1000:
                raise WrittenError(_("Placing an end is good to between 0.01 and 1000 px."))
        except WrittenError as error:
            self._wrong_text(self.ends, error)
            return
        self._wrong.hide()
        notebook = edits.set_end_uncertainty(self._desk.notebook, take.id, value)
        self._desk.edit(_("state how well ends are placed"), notebook)

    def _type_axes(self, key: str, text: str) -> None:
        take = self._desk.take
        if take is None:
            return
        angular = key in ("angle", "u_angle")
        try:
            typed = quantity_of(text, RADIAN if angular else PIXEL, default_unit="deg" if angular else "px",
                                example="5 deg" if angular else "120 px")  # fmt: skip
            value = math.degrees(typed.si) if angular else typed.si
            if abs(value) > (360 if angular else 1e5) or (key == "u_angle" and value < 0):
                raise WrittenError(_("“{text}” is outside what makes sense here.").format(text=text))
        except WrittenError as error:
            self._axes_fields[key].mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        placed = take.axes
        origin = placed.origin if placed else (0.0, take.facts.height - 1.0)
        angle = placed.angle_deg if placed else 0.0
        u_angle = placed.u_angle_deg if placed else 0.0
        notebook = self._desk.notebook
        if key == "x":
            notebook = edits.place_origin(notebook, take.id, (value, origin[1]))
        elif key == "y":
            notebook = edits.place_origin(notebook, take.id, (origin[0], value))
        elif key == "angle":
            notebook = edits.turn_axes(notebook, take.id, value, u_angle)
        else:
            notebook = edits.turn_axes(notebook, take.id, angle, value / NORMAL_95)
        self._desk.edit(_("place the axes"), notebook)

    # -- showing -------------------------------------------------------------------------------------

    def _ask_length(self) -> None:
        """Put the keyboard where the length is typed."""
        self.length.setFocus(Qt.FocusReason.OtherFocusReason)
        self.length.selectAll()

    def _follow_handle(self, place: QPointF | None) -> None:
        self.loupe.look_at(place)
        self.view.update()

    def show_now(self) -> None:
        """Show the scale as it is."""
        take = self._desk.take
        laid = take.reference if take else None
        self._remove.setVisible(laid is not None)
        self._laid.setText(
            _("{n:.1f} px long in frame {frame}").format(n=math.dist(laid.start, laid.end), frame=laid.frame)
            if laid
            else _("not laid yet")
        )
        typed = laid.length if laid else None
        self.length.show_text((typed.text or f"{typed.value:.10g} {typed.unit}") if typed else "")
        self.spread.show_text((typed.U95_text or f"{typed.U95:.10g} {typed.U95_unit}") if typed else "")
        self.ends.show_text(f"{laid.u_end_px:g} px" if laid else "")
        for field in (self.length, self.spread, self.ends):
            field.setEnabled(laid is not None)
        self._show_shared(take)
        self._show_sure()
        self._show_axes()
        self._times.show_chart(
            spacing_chart(take) if take else None, _("One frame has no time base.") if take else ""
        )
        self._times_words.setText(headline_finding(take)[1] if take else "")
        self.next.say(self._next_words())

    def _show_sure(self) -> None:
        clear_layout(self._sure)
        take = self._desk.take
        factor = mapping_of(take).scale if take else None
        if factor is None or take is None:
            words = (
                _("No scale yet: {what}.").format(what=scale_problem(take)) if take else _("No scale yet.")
            )
            self._sure.addWidget(label(words, "note", wrap=True))
            return
        lines = budget(factor)
        most = max((line.u for line in lines), default=1.0)
        for line in lines:
            relative = stated_percent(NORMAL_95 * line.u / float(factor))
            part = label(relative)
            part.setStyleSheet("font-weight: 600")
            self._sure.addLayout(row(label(line.label), part, stretch=1))
            bar = QProgressBar()
            bar.setRange(0, 1000)
            bar.setValue(round(1000 * line.u / most))
            bar.setTextVisible(False)
            bar.setAccessibleName(f"{line.label} {relative}")
            self._sure.addWidget(bar)
        self._sure.addWidget(rule())
        text, _rounded = value_and_uncertainty(float(factor) * 1000, factor.U95 * 1000)
        whole = label(_("1 px = {mm} mm").format(mm=text))
        whole.setStyleSheet("font-weight: 600")
        spread = label(stated_percent(factor.U95 / float(factor)), "value")
        self._sure.addLayout(row(whole, spread, stretch=1))

    def _show_axes(self) -> None:
        take = self._desk.take
        placed = take.axes if take else None
        for field in self._axes_fields.values():
            field.setEnabled(take is not None)
        if placed is None:
            self._axes_words.setText(_("Not placed: the lower left corner counts as the origin."))
            for field in self._axes_fields.values():
                field.show_text("")
            return
        self._axes_words.setText(_("Drag in the picture, or type."))
        self._axes_fields["x"].show_text(f"{placed.origin[0]:.2f}")
        self._axes_fields["y"].show_text(f"{placed.origin[1]:.2f}")
        self._axes_fields["angle"].show_text(f"{placed.angle_deg:.2f}")
        self._axes_fields["u_angle"].show_text(f"{NORMAL_95 * placed.u_angle_deg:.2g}")

    def _next_words(self) -> str:
        take = self._desk.take
        if take is None:
            return _("Open a film first, on the Film stage.")
        if take.reference is None:
            return _("Drag along something of known length in the plane of the motion: press at one end, "
                     "let go at the other.")  # fmt: skip
        if take.reference.length is None:
            return _("Type how long it is, with its unit, and how well you know it.")
        if not take.reference.length.U95:
            return _("State how well you know this length: until then it counts as exact.")
        if take.axes is None:
            return _(
                "Choose the axes tool and click where zero shall be. Then drag the end of x along the motion."
            )
        return _("Scale and axes are set. Go to Read and click the body, frame by frame.")
