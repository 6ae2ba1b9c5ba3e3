"""The known lengths of a take: which there are, how each was typed, and how they agree."""

from __future__ import annotations

import math
import textwrap
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from saltus.core.statement import to_figures
from saltus.core.wording import _, plural
from saltus.core.written import WrittenError
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.geometry_words import disagreement, reference_name
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.edits import geometry as edits
from saltus.notebook.edits import takes as take_edits
from saltus.ui.desk.placing_u import PlacingU
from saltus.ui.kit.choices import tick
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Card, Field, Group, button, clear_layout, label, row
from saltus.ui.scale.typed_row import TypedRow, spread_text, typed_length, value_text

if TYPE_CHECKING:
    from saltus.notebook.geometry import Reference
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.scale_tool import ScaleTool

LETTERS = 20
"""Names of lengths are cut so long in the list; those who hear the screen hear them whole."""
TIMES = 5
"""So often both ends are placed again, unseen, to tell how well a person places them."""


class LengthPanel(Group):
    """Card of the length in hand, and a list of all.

    Signals
    -------
    wanted(mode)
        The tool that lays something is to be taken up.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, tool: ScaleTool) -> None:
        super().__init__()
        self._desk, self._tool = desk, tool
        column = self.column
        column.addWidget(self._card())
        self.words = label("", "warn", wrap=True)
        column.addWidget(self.words)
        self._all = QVBoxLayout()
        self._all.setSpacing(2)
        column.addLayout(self._all)
        more = row(
            button(_("Another length"), lambda: self.wanted.emit("reference"), "link"),
            button(_("A length to check by"), lambda: self.wanted.emit("check"), "link"),
            stretch=2,
        )
        column.addLayout(more)
        ball = button(_("The diameter of a ball, by its outline"), lambda: self.wanted.emit("ball"), "link")
        column.addLayout(row(ball, stretch=1))
        self.blind = label("", "note", wrap=True)
        column.addWidget(self.blind)

    def _card(self) -> Card:
        card = Card(padding=10)
        self._title, self._laid = label(_("Reference length"), "heading"), label("", "note")
        self.remove = button(_("Remove"), self._remove, "link")
        card.column.addLayout(row(self._title, self.remove, stretch=1))
        card.add(self._laid)
        self.length, self.spread = Field(_("Length"), 106), Field(_("Uncertainty, 95 %"), 106)
        self.placing = PlacingU(self._desk, _("Placing an end"), 106)
        self.ends = self.placing.field
        self.rule = Field(_("Measured with"), 138)
        self.length.setPlaceholderText(_("such as 1 m"))
        self.spread.setPlaceholderText(_("such as 1 mm"))
        self.rule.setPlaceholderText(_("such as metre rod"))
        for field in (self.length, self.spread):
            field.entered.connect(lambda _text: self._type_length())
        self.placing.given.connect(self._place_ends)
        self.rule.entered.connect(lambda text: self._change(instrument=text.strip()[:200]))
        lines: tuple[tuple[str, QWidget, str], ...] = (
            (_("Length"), self.length, _("typed")),
            (_("Uncertainty ±"), self.spread, "95 %"),
            (_("Each end, u"), self.placing, ""),
            (_("Measured with"), self.rule, ""),
        )
        for words, part, note in lines:
            name = label(words, "note")
            name.setFixedWidth(scaled(86))
            card.column.addLayout(row(name, part, label(note, "note"), stretch=3))
        self.again = button(_("Place both ends again, unseen"), self._begin_again, "link")
        card.column.addLayout(row(self.again, stretch=1))
        self.nearer = TypedRow(
            _("Nearer to the camera than the plane of the scale"), _("such as 2 cm"), "1 mm", signed=True
        )
        self.nearer.typed.connect(lambda typed: self._change(nearer=typed))
        card.add(self.nearer)
        self.with_motion = QCheckBox(_("Lies in the plane of the motion"))
        self.with_motion.clicked.connect(lambda on: self._change(with_motion=on))
        card.add(self.with_motion)
        self.wrong = label("", "warn", wrap=True)
        self.wrong.hide()
        card.add(self.wrong)
        self._shared = label("", "note", wrap=True)
        self.apart = button(_("Only this take: its camera was moved"), self._set_apart, "link")
        card.add(self._shared)
        card.column.addLayout(row(self.apart, stretch=1))
        return card

    # -- edits ---------------------------------------------------------------------------------------

    def in_hand(self, take: Take | None) -> Reference | None:
        """The length that is typed at: the one laid last or chosen, else the first."""
        if take is None:
            return None
        return take.geometry.other(self._tool.chosen) or take.reference

    def laid_ends(self) -> list[QPointF]:
        """The two ends of the length in hand, to be checked side by side."""
        laid = self.in_hand(self._desk.take)
        return [QPointF(*laid.start), QPointF(*laid.end)] if laid is not None else []

    def _change(self, **changes: object) -> None:
        take, laid = self._desk.take, self.in_hand(self._desk.take)
        if take is None or laid is None:
            self._desk.said.emit(_("Lay the reference length over the picture first."), "note")
            return
        notebook = edits.change_length(self._desk.notebook, take.id, laid.id, **changes)
        self._desk.edit(_("type the reference length"), notebook)

    def _remove(self) -> None:
        take, laid = self._desk.take, self.in_hand(self._desk.take)
        if take is not None and laid is not None:
            self._tool.chosen = None
            notebook = edits.remove_length(self._desk.notebook, take.id, laid.id)
            self._desk.edit(_("remove the reference length"), notebook)

    def _set_apart(self) -> None:
        take = self._desk.take
        if take is not None:
            self._desk.edit(
                _("give a take a scale of its own"), take_edits.apart(self._desk.notebook, take.id)
            )

    def _wrong_text(self, field: Field, error: WrittenError) -> None:
        field.mark_wrong(str(error))
        self.wrong.setText(str(error))
        self.wrong.show()

    def _type_length(self) -> None:
        if self._desk.take is None or not self.length.text().strip():
            return
        field = self.length
        try:
            typed_length(self.length.text(), "")
            field = self.spread
            typed = typed_length(self.length.text(), self.spread.text())
        except WrittenError as error:
            self._wrong_text(field, error)
            return
        self.wrong.hide()
        self._change(length=typed)

    def _place_ends(self, u_px: float, dof: float | None) -> None:
        take, laid = self._desk.take, self.in_hand(self._desk.take)
        if take is None or laid is None:
            return
        made = edits.change_length(self._desk.notebook, take.id, laid.id, u_end_px=u_px, u_end_dof=dof)
        self._desk.edit(_("state how well ends are placed"), made)

    def _begin_again(self) -> None:
        if self.in_hand(self._desk.take) is None:
            self._desk.said.emit(_("Lay the reference length over the picture first."), "note")
            return
        self.wanted.emit("again")
        self.count_again()

    def count_again(self) -> None:
        """Say how far placing the ends again has come; after the last time it is taken over."""
        placed, take = self._tool.again, self._desk.take
        laid = self.in_hand(take)
        if self._tool.mode != "again" or take is None or laid is None:
            return
        if len(placed) < 2 * TIMES:
            done, end = divmod(len(placed), 2)
            which = _("the end of the length") if end else _("its beginning")
            words = _("Unseen, {n} of {all} done: click {which}.")
            self.blind.setText(words.format(n=done, all=TIMES, which=which))
            self.blind.show()
            return
        pairs = tuple((placed[i], placed[i + 1]) for i in range(0, 2 * TIMES, 2))
        notebook = edits.placed_again(self._desk.notebook, take.id, laid.id, pairs)
        self.wanted.emit("length")
        self._desk.edit(_("place the ends again"), notebook)

    # -- showing -------------------------------------------------------------------------------------

    def show_take(self, take: Take | None) -> None:
        """Show the lengths of a take."""
        laid = self.in_hand(take)
        name = _("Reference length")
        if take is not None and laid is not None:
            name = reference_name(take, laid.id)
        self._title.setText(textwrap.shorten(name, LETTERS, placeholder="…"))
        self.remove.setVisible(laid is not None)
        self._laid.setText(
            _("{n:.1f} px long in frame {frame}").format(n=math.dist(laid.start, laid.end), frame=laid.frame)
            if laid
            else _("not laid yet")
        )
        typed = laid.length if laid else None
        self.length.show_text(value_text(typed))
        self.spread.show_text(spread_text(typed))
        self.placing.show_u(laid.u_end_px if laid else None)
        self.rule.show_text(laid.instrument if laid else "")
        self.nearer.show_typed(laid.nearer if laid else None)
        for field in (self.length, self.spread, self.ends, self.rule):
            field.setEnabled(laid is not None)
        several = take is not None and bool(take.geometry.others)
        self.with_motion.setVisible(several and laid is not None and not laid.check)
        tick(self.with_motion, laid is not None and laid.with_motion)
        self.nearer.setVisible(several and not (laid is not None and laid.with_motion))
        self.again.setEnabled(laid is not None)
        if self._tool.mode != "again":
            self.blind.setText(self._pointing_words(laid))
        self.blind.setVisible(bool(self.blind.text()))
        self._show_shared(take)
        self._show_all(take)

    def _pointing_words(self, laid: Reference | None) -> str:
        from saltus.core.geometry.reference import FEWEST_PLACEMENTS, pointing  # noqa: PLC0415  only then

        if laid is None or len(laid.placements) < FEWEST_PLACEMENTS:
            return ""
        u, dof = pointing(laid.placements)
        words = _("Placed {n} times unseen: you place an end to u = {u} px ({dof:g} degrees of freedom).")
        return words.format(n=len(laid.placements), u=to_figures(u, 2), dof=dof)

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

    def _show_all(self, take: Take | None) -> None:
        clear_layout(self._all)
        told = disagreement(take) if take is not None else []
        self.words.setText(" ".join(told))
        self.words.setVisible(bool(told))
        if take is None or not take.geometry.others:
            return
        percents = self._percents(take)
        for laid in ([take.reference] if take.reference is not None else []) + [*take.geometry.others]:
            name = reference_name(take, laid.id)
            short = textwrap.shorten(name, LETTERS, placeholder="…")
            choose = button(short, partial(self._choose, laid.id), "link", name)
            self._all.addLayout(row(choose, label(percents.get(laid.id, ""), "note"), stretch=1))

    def _percents(self, take: Take) -> dict[str | None, str]:
        """By how much each length differs, in words."""
        out: dict[str | None, str] = {}
        together = geometry_of(take).together
        told = [(a.reference.name or None, a.percent, a.agree) for a in (together.each if together else ())]
        told += [(c.laid.id, c.held.percent, c.held.agree) for c in checked_lengths(take)]
        for reference_id, percent, agree in told:
            if percent is None:
                continue
            verdict = {True: _("agrees"), False: _("differs"), None: _("cannot tell yet")}[agree]
            sign = "+" if percent > 0 else "\u2212"
            out[reference_id] = f"{sign}{to_figures(abs(percent), 2)} %, {verdict}"
        return out

    def _choose(self, reference_id: str | None) -> None:
        self._tool.chosen = reference_id
        self.show_take(self._desk.take)
        self.length.setFocus(Qt.FocusReason.OtherFocusReason)
