"""What is graphed of a motion: quantities, bodies, seen from where, from when on; and the ways out."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from saltus.core.motion.graphed import KINDS
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.wording import _
from saltus.exchange.motion_graph import (
    FILM,
    IMPACT,
    RELEASE,
    MotionGraph,
    ShownBody,
    graphed_bodies,
    kind_words,
    motion_chart,
    motion_columns,
)
from saltus.exchange.tables import write_table
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.columns import scrolling_list
from saltus.ui.kit.file_dialogs import ask_where_to_save, file_stem
from saltus.ui.kit.marks import BodySwatch
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import button, clear_layout, label, row

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.exchange.motion_graph import GraphedBody
    from saltus.notebook.model import Notebook, Take
    from saltus.ui.desk.desk import Desk

LIST_HIGH = 190


class GraphPanel(QWidget):
    """Chooses a graph of motion.

    Signals
    -------
    chosen
        Something else is to be graphed.
    """

    chosen = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.window_of_readings = DEFAULT_WINDOW
        self.shown: set[ShownBody] = set()
        self._of_take: str | None = None
        self._listed: tuple[tuple[str, str, str, str, int], ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.up, self.along = (
            chooser(name, self.chosen.emit, fewest=14) for name in (_("Upright axis"), _("Level axis"))
        )
        kinds = [(kind_words(kind), kind) for kind in KINDS]
        fill(self.up, kinds, "x")
        fill(self.along, kinds, "t")
        column.addLayout(row(label(_("Upright"), "note"), self.up, stretch=0))
        column.addLayout(row(label(_("against"), "note"), self.along, stretch=0))
        self.begin = chooser(_("Times begin"), self.chosen.emit, fewest=14)
        column.addLayout(row(label(_("Times begin"), "note"), self.begin, stretch=0))
        self.seen_from = chooser(_("Seen from"), self.chosen.emit, fewest=14)
        column.addLayout(row(label(_("Seen from"), "note"), self.seen_from, stretch=0))
        self.models = QCheckBox(_("Models of the segments"))
        self.models.setChecked(True)
        self.models.clicked.connect(lambda _on: self.chosen.emit())
        column.addWidget(self.models)
        column.addLayout(
            row(label(_("Bodies"), "heading"), button(_("All takes"), self._all, "link"),
                button(_("This take"), self._only_this, "link"), stretch=3)
        )  # fmt: skip
        column.addWidget(self._list())
        self.troubles = label("", "note", wrap=True)
        column.addWidget(self.troubles)
        self.out = [button(_("Save picture…"), self.save_picture), button(_("Save table…"), self.save_table)]
        column.addLayout(row(*self.out, stretch=2))

    def _list(self) -> QWidget:
        scroll, self._rows = scrolling_list(_("Bodies that are shown"), 4, 2)
        scroll.setFixedHeight(scaled(LIST_HIGH))
        return scroll

    # -- what is chosen ------------------------------------------------------------------------------

    def wanted(self) -> MotionGraph:
        """The graph as it is chosen."""
        other = self.seen_from.currentData()
        shown: list[ShownBody] = []
        for take in self._desk.notebook.takes:
            named = _same_named(self._desk.take, take, other) if other else None
            if other and named is None:
                continue
            here = [b.id for b in take.bodies if ShownBody(take.id, b.id) in self.shown and b.id != named]
            shown += [ShownBody(take.id, body_id, named) for body_id in here]
        return MotionGraph(
            self.along.currentData() or "t", self.up.currentData() or "x", tuple(shown),
            self.begin.currentData() or FILM, self.models.isChecked(), self.window_of_readings,
        )  # fmt: skip

    def _toggle(self, one: ShownBody, *, on: bool) -> None:
        (self.shown.add if on else self.shown.discard)(one)
        self.chosen.emit()

    def _all(self) -> None:
        self.shown = {
            ShownBody(t.id, b.id) for t in self._desk.notebook.takes for b in t.bodies if len(b.readings)
        }
        self._listed = ()
        self.chosen.emit()

    def show_all(self, along: str, up: str, begin: str) -> None:
        """Show all takes in a graph of these quantities, times begun with an event."""
        for box, value in ((self.along, along), (self.up, up), (self.begin, begin)):
            box.setCurrentIndex(max(box.findData(value), 0))
        self._all()

    def _only_this(self) -> None:
        take = self._desk.take
        self.shown = (
            {ShownBody(take.id, b.id) for b in take.bodies if len(b.readings)} if take is not None else set()
        )
        self._listed = ()
        self.chosen.emit()

    # -- showing -------------------------------------------------------------------------------------

    def show_for(self, notebook: Notebook, take: Take | None) -> bool:
        """Offer what there is in the notebook; gives whether the list of bodies was made anew.

        Another take in hand is shown alone at first.
        """
        if take is not None and take.id != self._of_take:
            self._of_take = take.id
            if len({one.take for one in self.shown}) <= 1:
                self.shown = {ShownBody(take.id, b.id) for b in take.bodies if len(b.readings)}
                self._listed = ()
        events = {i.event for t in notebook.takes for i in t.timing.instants if i.event}
        named = [(e.name, e.id) for e in notebook.events if e.id in events]
        begins: list[tuple[str, object]] = [(_("with the film"), FILM), (_("when it is let go"), RELEASE)]
        begins += [(_("at the event"), IMPACT)] if any(t.events for t in notebook.takes) else []
        fill(self.begin, [*begins, *named], self.begin.currentData() or FILM)
        others: list[tuple[str, object]] = (
            [(b.name, b.id) for b in take.bodies if len(b.readings)] if take is not None else []
        )
        fill(self.seen_from, [(_("the axes"), None), *others], self.seen_from.currentData())
        self.seen_from.setEnabled(len(others) > 1)
        return self._show_list(notebook)

    def _show_list(self, notebook: Notebook) -> bool:
        entries = [(t, b) for t in notebook.takes for b in t.bodies if len(b.readings)]
        listed = tuple((t.id, b.id, t.name, b.name, b.look) for t, b in entries)
        if listed == self._listed:
            return False
        self._listed = listed
        clear_layout(self._rows)
        several = len({t.id for t, _b in entries}) > 1
        for take, body in entries:
            one = ShownBody(take.id, body.id)
            box = QCheckBox(f"{take.name}, {body.name}" if several else body.name)
            box.setChecked(one in self.shown)
            box.clicked.connect(lambda on, one=one: self._toggle(one, on=on))
            line = row(box)
            line.setStretch(0, 1)
            self._rows.addLayout(line)
        self._rows.addStretch(1)
        return True

    def show_swatches(self, bodies: list[GraphedBody], troubles: list[str]) -> None:
        """Put the colour and shape of each graphed body beside its name, and say what is not shown."""
        looks = {(body.of.take, body.of.body): body.look for body in bodies}
        for i, key in enumerate(entry[:2] for entry in self._listed):
            line = self._rows.itemAt(i)
            layout = line.layout() if line is not None else None
            if layout is None:
                continue
            while layout.count() > 1:
                item = layout.takeAt(1)
                gone = item.widget() if item is not None else None
                if gone is not None:
                    gone.deleteLater()
            if key in looks:
                layout.addWidget(BodySwatch(looks[key], 18))
        self.troubles.setText(" ".join(troubles))
        self.troubles.setVisible(bool(troubles))
        for one in self.out:
            one.setEnabled(bool(bodies))

    # -- ways out ------------------------------------------------------------------------------------

    def _suggestion(self, ending: str) -> Path:
        take = self._desk.take
        name = file_stem(take.name if take is not None else "", "motion")
        kinds = f"{self.up.currentData()}-{self.along.currentData()}"
        return (self._desk.folder or Path.home()) / f"{name} {kinds}{ending}"

    def save_picture(self) -> None:
        """Ask where to, and write the graph as a picture."""
        path = ask_where_to_save(
            self, self._suggestion(".png"), _("Save the graph"), "PNG, SVG (*.png *.svg)"
        )
        if path is None:
            return
        wanted = self.wanted()
        bodies, _troubles = graphed_bodies(self._desk.notebook, wanted)

        def act() -> None:
            from saltus.printing.figures import write_figure  # noqa: PLC0415  start-up time
            from saltus.printing.motion_figure import motion_figure  # noqa: PLC0415  start-up time

            write_figure(motion_figure(motion_chart(bodies, wanted)), path)

        self._write(path, act)

    def save_table(self) -> None:
        """Ask where to, and write what is graphed as a table."""
        path = ask_where_to_save(
            self, self._suggestion(".csv"), _("Save the table"), "CSV, Excel (*.csv *.xlsx)"
        )
        if path is None:
            return
        wanted = self.wanted()
        bodies, _troubles = graphed_bodies(self._desk.notebook, wanted)
        self._write(path, lambda: write_table(path, *motion_columns(bodies, wanted)))

    def _write(self, path: Path, act: Callable[[], object]) -> None:
        def written(done: Path) -> None:
            self._desk.said.emit(_("Written: {name}.").format(name=done.name), "note")

        self._desk.tasks.write_file(_("Writing {name}").format(name=path.name), path, act, written)


def _same_named(here: Take | None, take: Take, body_id: str) -> str | None:
    """The body of a take that is called like one of the take in hand."""
    one = here.body(body_id) if here is not None else None
    found = next((b.id for b in take.bodies if one is not None and b.name == one.name), None)
    return found if take is not here else body_id
