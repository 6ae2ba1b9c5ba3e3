"""Lengths, heights, angles and circles measured in the picture, and what they are used for."""

from __future__ import annotations

import textwrap
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QVBoxLayout

from saltus.core.wording import _
from saltus.exchange.measured_words import leading_words, part_words, value_words
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.measures import measured_values, name_of
from saltus.notebook.edits import measuring as edits
from saltus.notebook.trials import Link
from saltus.ui.desk.placing_u import PlacingU
from saltus.ui.desk.sending import given_actions, link_actions
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.widgets import Card, Field, Group, button, clear_layout, label, row

if TYPE_CHECKING:
    from saltus.notebook.measuring import Measure
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.scale_tool import ScaleTool

LETTERS = 18


class MeasurePanel(Group):
    """What to measure, all that was, and the one in hand.

    Signals
    -------
    wanted(mode)
        The tool that measures something is to be taken up.
    """

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, tool: ScaleTool) -> None:
        super().__init__()
        self._desk, self._tool = desk, tool
        self.column.addWidget(label(_("Measure in the picture"), "heading"))
        kinds = QGridLayout()
        kinds.setSpacing(6)
        self.kinds = {}
        for n, (kind, words) in enumerate((
            ("length", _("Length")), ("height", _("Height")), ("circle", _("Circle")),
            ("slope", _("Angle above x")), ("angle", _("Angle between")),
        )):  # fmt: skip
            made = button(words, partial(self._begin, kind), "filter")
            made.setCheckable(True)
            self.kinds[kind] = made
            kinds.addWidget(made, *((0, n) if n < 3 else (1, n - 3)))
        self.column.addLayout(kinds)
        self.help = label("", "note", wrap=True)
        self.column.addWidget(self.help)
        self._all = QVBoxLayout()
        self._all.setSpacing(2)
        self.column.addLayout(self._all)
        self.column.addWidget(self._card())
        self.column.addStretch(1)

    def _card(self) -> Card:
        self.card = card = Card(padding=10)
        self._title = label("", "heading")
        card.column.addLayout(row(self._title, button(_("Remove"), self._remove, "link"), stretch=1))
        self._values = label("", "value", wrap=True)
        card.add(self._values)
        self.name, self.u = Field(_("Name"), 150), PlacingU(self._desk, _("Each place"))
        self.name.setPlaceholderText(_("such as drop"))
        self.name.entered.connect(lambda text: self._change(name=text.strip()[:200]))
        self.u.given.connect(lambda u, dof: self._change(u_px=u, u_dof=dof))
        card.column.addLayout(row(label(_("Name"), "note"), self.name, stretch=1))
        card.column.addLayout(row(label(_("Each place, u"), "note"), self.u, stretch=2))
        self.use = button(_("Use it as…"), self._use, "main")
        card.column.addLayout(row(self.use, stretch=1))
        return card

    # -- what a person does --------------------------------------------------------------------------

    def _begin(self, kind: str) -> None:
        self._tool.measure_id = None
        self.wanted.emit(f"measure-{kind}")

    def _chosen(self) -> Measure | None:
        take = self._desk.take
        return take.measure(self._tool.measure_id) if take is not None else None

    def _choose(self, measure_id: str) -> None:
        self._tool.measure_id = measure_id
        measure = self._chosen()
        if measure is not None:
            self.wanted.emit(f"measure-{measure.kind}")

    def _change(self, **changes: object) -> None:
        measure, take = self._chosen(), self._desk.take
        if measure is None or take is None:
            return
        made = edits.change_measure(self._desk.notebook, take.id, measure.id, **changes)
        self._desk.edit(_("change a measure"), made)

    def _remove(self) -> None:
        measure, take = self._chosen(), self._desk.take
        if measure is not None and take is not None:
            self._tool.measure_id = None
            made = edits.remove_measure(self._desk.notebook, take.id, measure.id)
            self._desk.edit(_("remove a measure"), made)

    def _use(self) -> None:
        measure, take = self._chosen(), self._desk.take
        found = measured_values(take, measure) if take is not None and measure is not None else ""
        if take is None or measure is None or isinstance(found, str):
            return
        entries: list[Entry] = []
        for part, q in found.items():
            link = Link(kind="measure", source=take.id, place=measure.id, part=part)
            entries += given_actions(self._desk, link, q, part_words(part))
            entries += link_actions(self._desk, link, q, part_words(part))
        if not entries:
            words = _("Choose an investigation on Trials first: its givens and its table take the values.")
            if self._desk.notebook.trials is not None:
                words = _("Neither a given nor a column of the table takes this.")
            if not mapping_of(take).scaled and "angle" not in found:
                words = _("This is in pixels: lay a known length first, then it can be used.")
            entries = [Entry(words, lambda: None, possible=False)]
        open_under(menu_of(self, entries), self.use)

    # -- showing -------------------------------------------------------------------------------------

    def show_take(self, take: Take | None) -> None:
        """Show what was measured in the picture of a take."""
        kind = self._tool.mode.removeprefix("measure-")
        for name, made in self.kinds.items():
            made.setChecked(name == kind and self._tool.mode.startswith("measure-"))
        self.help.setText(HELP().get(kind, _("Choose what to measure, then click its places.")))
        clear_layout(self._all)
        for one in take.measures if take is not None else ():
            value = leading_words(take, one) if take is not None else ""
            whole = f"{name_of(one)}  {value}"
            short = textwrap.shorten(name_of(one), LETTERS, placeholder="…")
            line = button(f"{short}  {value}", partial(self._choose, one.id), "body", whole)
            line.setToolTip(plain(whole))
            # a long line is cut off rather than make the column wider
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            line.setCheckable(True)
            line.setChecked(one.id == self._tool.measure_id)
            self._all.addWidget(line)
        measure = self._chosen()
        self.card.setVisible(measure is not None)
        if measure is None or take is None:
            return
        found = measured_values(take, measure)
        self._title.setText(textwrap.shorten(name_of(measure), LETTERS, placeholder="…"))
        self._values.setText(
            found
            if isinstance(found, str)
            else "\n".join(f"{part_words(part)}  {value_words(q)}" for part, q in found.items())
        )
        self.use.setEnabled(not isinstance(found, str))
        self.name.show_text(measure.name)
        self.u.show_u(measure.u_px)


def HELP() -> dict[str, str]:
    """What to click for each kind."""
    return {
        "length": _("Click both ends. The length is the one in the plane of the motion."),
        "height": _("Click two places: only how far apart they are along y counts."),
        "slope": _("Click two places along a slope: the angle above x, as for a launch."),
        "angle": _("Click an end, then the vertex, then the other end."),
        "circle": _("Click three places or more on the rim, spread round it."),
    }
