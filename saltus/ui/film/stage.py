"""Film: the takes of the notebook as strips, with their facts and what the check found."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from saltus.core.clock.checks import FASTEST, SLOWEST
from saltus.core.coverage import NORMAL_95
from saltus.core.units import ONE, SECOND
from saltus.core.wording import _, plural
from saltus.core.written import WrittenError, quantity_of
from saltus.exchange.sheet import take_facts
from saltus.exchange.time_base import findings
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.edits import takes as edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.timing import Shutter
from saltus.ui.desk.scene_words import SCENE_NAMES, scene_words
from saltus.ui.desk.stage import Stage
from saltus.ui.film.clock_check import ClockDialog
from saltus.ui.film.coming_strip import ComingStrip
from saltus.ui.film.many_films import ManyFilms
from saltus.ui.film.next_step import next_stage, next_words, opens_in
from saltus.ui.film.phone_folder import PhoneFolder
from saltus.ui.film.take_strip import TakeStrip
from saltus.ui.kit.drop_area import DropArea
from saltus.ui.kit.file_dialogs import ask_for_film, ask_for_pictures, ask_for_still
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.menus import Entry, add_entry, menu_of
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import (
    Card,
    Facts,
    Field,
    button,
    clear_layout,
    label,
    row,
)

if TYPE_CHECKING:
    from PyQt6.QtGui import QResizeEvent

    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


class FilmStage(Stage):
    """The wall of takes and the facts of the one in hand."""

    wanted = pyqtSignal(str)
    simulationWanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        wall = QVBoxLayout()
        wall.setContentsMargins(16, 12, 16, 14)
        wall.setSpacing(8)
        self._count = label("", "note")
        head = row(label(_("Takes"), "title"), self._count,
                   button(_("Many films…"), self.many_films),
                   button(_("Other sources…"), self._ask_source),
                          button(_("Open a film…"), self.open_film, "main"), stretch=2)  # fmt: skip
        wall.addLayout(head)
        inner = QWidget()
        self._strips = QVBoxLayout(inner)
        self._strips.setContentsMargins(0, 0, 4, 0)
        self._strips.setSpacing(7)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        inner.setStyleSheet("background: transparent")
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        wall.addWidget(scroll, 1)
        self._drop = drop = DropArea(_("Drop films here"), compact=True)
        drop.clicked.connect(self.open_film)
        self.phone = PhoneFolder(desk)
        foot = row(drop, self.phone)
        foot.setStretch(0, 5)
        foot.setStretch(1, 3)
        foot.setAlignment(self.phone, Qt.AlignmentFlag.AlignTop)
        wall.addLayout(foot)
        self._scroll, self._rest = scroll, QWidget()
        wall.addWidget(self._rest, 1)
        left = QWidget()
        left.setObjectName("desk")
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        left.setLayout(wall)
        self.beside(left, 312)
        self._build_column()
        self._shown: tuple[object, ...] = ()
        self._many: ManyFilms | None = None
        self.listen()
        desk.thumbArrived.connect(lambda _take: self._repaint())
        desk.filmFailed.connect(lambda *_failed: self.refresh())
        desk.opening.seen.connect(self.refresh)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Where there is little room, leave out what only says in words what the window does anyway."""
        roomy = self._scroll.width() > scaled(420)
        self._count.setVisible(roomy)
        self._drop.setVisible(roomy or not self._desk.notebook.takes)

    def _build_column(self) -> None:
        desk = self._desk
        self._name = Field(_("Name of the take"))
        self._name.entered.connect(self._rename)
        self._column.addWidget(self._name)
        self._facts = Facts()
        self._column.addWidget(self._facts)
        self._column.addWidget(label(_("What the check found"), "heading"))
        self._found = QVBoxLayout()
        self._found.setSpacing(5)
        self._column.addLayout(self._found)
        clock = Card(padding=10)
        clock.add(label(_("Clock"), "heading"))
        self._capture = Field(_("Taken at, frames per second"), 79)
        self._capture.setPlaceholderText(_("as played"))
        self._capture.entered.connect(lambda _text: self._type_clock())
        self._rate_U = Field(_("Uncertainty of the rate, per cent"), 79)
        self._rate_U.entered.connect(lambda _text: self._type_clock())
        for words, field, note in (
            (_("Taken at"), self._capture, _("frames/s")),
            (_("Uncertain by ±"), self._rate_U, _("%, 95 %")),
        ):
            name = label(words, "note")
            name.setFixedWidth(scaled(86))
            clock.column.addLayout(row(name, field, label(note, "note"), stretch=3))
        clock.setToolTip(_("For slow motion: the true rate at which the camera took the frames."))
        self.check = button(_("Check the clock…"), self.check_clock, "link")
        clock.column.addLayout(row(self.check, stretch=1))
        self._exposure = self._shutter_field(clock, _("Exposure"), _("How long a frame is exposed, s"))
        self._readout = self._shutter_field(clock, _("Read-out"), _("Sensor read from top to bottom, s"))
        self._skip = QCheckBox(_("Leave repeated frames out"))
        self._skip.setToolTip(_("Readings in frames that repeat the one before do not count"))
        self._skip.clicked.connect(self._leave_out)
        clock.add(self._skip)
        self._clock = clock
        self._column.addWidget(clock)
        self._go = button("", lambda: self.wanted.emit(next_stage(desk.take)), "main")
        self._find = button(_("Show where it is…"), self._find_film)
        self.next.buttons.addWidget(self._go)
        self.next.buttons.addWidget(self._find)
        self.next.buttons.addStretch(1)
        self._aside = button(_("Remove this take"), self._remove, "link")
        self._column.addLayout(row(self._aside, stretch=1))
        self._column.addStretch(1)

    def _shutter_field(self, card: Card, words: str, tip: str) -> Field:
        field = Field(tip, 79)
        field.setPlaceholderText(_("unknown"))
        field.setToolTip(plain(tip))
        field.entered.connect(lambda _text: self._type_shutter())
        name = label(words, "note")
        name.setFixedWidth(scaled(86))
        card.column.addLayout(row(name, field, label("s", "note"), stretch=3))
        return field

    # -- actions -------------------------------------------------------------------------------------

    def open_film(self) -> None:
        """Ask for films and open them."""
        for path in ask_for_film(self):
            self._desk.open_film(path)

    def open_pictures(self) -> None:
        """Ask for a folder of numbered pictures and its rate."""
        found = ask_for_pictures(self)
        if found is not None:
            self._desk.open_film(*found)

    def open_still(self) -> None:
        """Ask for a strobe picture, its flash rate and how many exposures there are to read."""
        found = ask_for_still(self)
        if found is not None:
            path, rate, exposures = found
            self._desk.open_film(path, rate, exposures=exposures)

    def many_films(self) -> None:
        """Follow many films as a take was; the window stays usable meanwhile."""
        self._many = self._many or ManyFilms(self.window() or self, self._desk)
        self._many.show()

    def _ask_source(self) -> None:
        """Offer a folder of pictures and the scenes of the virtual camera."""
        menu = menu_of(
            self,
            [
                Entry(_("Folder of numbered pictures…"), self.open_pictures),
                Entry(_("Strobe picture: one picture, several exposures…"), self.open_still),
            ],
        )
        menu.addSection(_("Film a simulated run"))
        for scene in SCENE_NAMES:
            title, words = scene_words(scene)
            add_entry(menu, Entry(f"{title} {words}…", partial(self.simulationWanted.emit, scene)))
        menu.exec(QCursor.pos())

    def _keep(self, take_id: str, first: int, last: int) -> None:
        made = edits.keep_part(self._desk.notebook, take_id, first, last)
        self._desk.edit(_("keep a part of a take"), made)
        self.refresh()

    def _go_along(self, step: int) -> None:
        """Take the next or previous take in hand, and keep the focus on its strip."""
        ids = [t.id for t in self._desk.notebook.takes]
        at = ids.index(self._desk.take_id) + step if self._desk.take_id in ids else 0
        if 0 <= at < len(ids):
            self._desk.go_to_take(ids[at])

    def _rename(self, name: str) -> None:
        take = self._desk.take
        if take is not None and name.strip():
            made = edits.rename_take(self._desk.notebook, take.id, name.strip()[:200])
            self._desk.edit(_("name a take"), made)

    def _remove(self) -> None:
        take = self._desk.take
        if take is not None:
            self._desk.edit(_("remove a take"), edits.remove_take(self._desk.notebook, take.id))
            self._desk.go_to_take(self._desk.take_id)
            self._desk.said.emit(
                _("The take was removed; Undo brings it back. Its film was not touched."), "note"
            )

    def _find_film(self) -> None:
        take = self._desk.take
        if take is None:
            return
        name, _kind = QFileDialog.getOpenFileName(self, _("Where is {name}?").format(name=take.film.name))
        if name:
            self._desk.show_film_again(take.id, Path(name))

    def _type_clock(self) -> None:
        take = self._desk.take
        if take is None:
            return
        field = self._capture
        try:
            text = self._capture.text().strip()
            rate = quantity_of(text, ONE, default_unit="", example="240").value if text else None
            if rate is not None and not SLOWEST <= rate <= FASTEST:
                words = _("The capture rate must be a number of frames per second, 0.001 to a million.")
                raise WrittenError(words)
            field = self._rate_U
            text = self._rate_U.text().strip() or "0"
            percent = quantity_of(text.removesuffix("%"), ONE, default_unit="", example="0.1").value
            if not 0 <= percent <= 100:
                raise WrittenError(_("The uncertainty of the rate lies between 0 and 100 %."))
        except WrittenError as error:
            field.mark_wrong(str(error))
            self._desk.said.emit(str(error), "warn")
            return
        made = edits.set_clock(self._desk.notebook, take.id, rate, percent)
        self._desk.edit(_("state the clock"), made)

    def _type_shutter(self) -> None:
        take = self._desk.take
        if take is None:
            return
        found = []
        for field, most in ((self._exposure, 10.0), (self._readout, 1.0)):
            try:
                text = field.text().strip()
                value = quantity_of(text, SECOND, default_unit="s", example="1 ms").si if text else 0.0
                if not 0 <= value <= most:
                    raise WrittenError(_("That time lies between 0 and {most:g} s.").format(most=most))
            except WrittenError as error:
                field.mark_wrong(str(error))
                self._desk.said.emit(str(error), "warn")
                return
            found.append(value)
        shutter = Shutter(exposure_s=found[0], readout_s=found[1])
        made = timing_edits.change_timing(self._desk.notebook, take.id, shutter=shutter)
        self._desk.edit(_("state the shutter"), made)

    def _leave_out(self, on: bool) -> None:
        take = self._desk.take
        if take is not None:
            made = timing_edits.change_timing(self._desk.notebook, take.id, repeats_left_out=on)
            self._desk.edit(_("leave repeated frames out"), made)

    def check_clock(self) -> None:
        """Open the two ways to tell the true rate; the window stays usable meanwhile."""
        take = self._desk.take
        if take is not None:
            ClockDialog(self.window() or self, self._desk, take.id).show()

    # -- showing -------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        self._shown = ()
        self.refresh()

    def _repaint(self) -> None:
        for i in range(self._strips.count()):
            item = self._strips.itemAt(i)
            if item is not None and (strip := item.widget()) is not None:
                strip.update()

    def show_now(self) -> None:
        """Show the takes as they are."""
        desk = self._desk
        coming = [(film.name, film.small) for film in desk.opening.coming.values()]
        now = (*map(id, desk.notebook.takes), desk.take_id, *desk.film_problems.items(), *coming)
        if now == self._shown:
            return
        self._shown = now
        had_focus = any(
            (item := self._strips.itemAt(i)) is not None and (w := item.widget()) is not None and w.hasFocus()
            for i in range(self._strips.count())
        )
        clear_layout(self._strips)
        self._count.setText(plural("{n} take", "{n} takes", len(desk.notebook.takes)))
        empty = not desk.notebook.takes and not coming
        self._drop.set_compact(not empty)
        self._scroll.setVisible(not empty)
        self._rest.setVisible(empty)
        self._fit()
        for take in desk.notebook.takes:
            strip = TakeStrip(desk, take, chosen=take.id == desk.take_id)
            strip.kept.connect(partial(self._keep, take.id))
            strip.clicked.connect(lambda _on, t=take.id: desk.go_to_take(t))
            strip.opened.connect(lambda t=take: self.wanted.emit(opens_in(t)))
            strip.neighbourWanted.connect(self._go_along)
            self._strips.addWidget(strip)
            if had_focus and take.id == desk.take_id:
                strip.setFocus()
        for name, image in coming:
            self._strips.addWidget(ComingStrip(name, image))
        self._strips.addStretch(1)
        self._show_column(desk.take)

    def _show_column(self, take: Take | None) -> None:
        for thing in (self._name, self._facts, self._clock, self._aside, self._go):
            thing.setVisible(take is not None)
        self._find.setVisible(take is not None and take.id in self._desk.film_problems)
        clear_layout(self._found)
        if take is None:
            self._found.addWidget(label(_("Nothing yet: open a film."), "note"))
            self.next.say(_("Open a film of the motion, or drop it anywhere in the window."))
            return
        self._name.show_text(take.name)
        self._facts.show_rows(take_facts(take).rows)
        for mark, words in findings(take):
            self._found.addWidget(MarkLabel(mark, words))
        self._capture.show_text(f"{take.capture_rate:g}" if take.capture_rate else "")
        self._rate_U.show_text(f"{100 * clock_of(take).u_rate * NORMAL_95:.3g}")
        shutter = take.timing.shutter
        self._exposure.show_text(f"{shutter.exposure_s:g}" if shutter.exposure_s else "")
        self._readout.show_text(f"{shutter.readout_s:g}" if shutter.readout_s else "")
        self._skip.setVisible(bool(take.facts.duplicates))
        self._skip.setChecked(take.timing.repeats_left_out)
        self.next.say(next_words(take, self._desk))
        self._go.setText(
            {
                "time": _("Time the sounds"),
                "scale": _("Set the scale"),
                "read": _("Read the bodies"),
                "motion": _("Look at the motion"),
            }[next_stage(take)]
        )
