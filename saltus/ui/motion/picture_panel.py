"""What is drawn on the picture, and the ways out: a still, a film, an animated picture, a strobe picture."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from saltus.core.wording import _
from saltus.exchange.picture_marks import MarksWanted, PictureMarks
from saltus.notebook.films import find
from saltus.ui.kit.choices import tick
from saltus.ui.kit.file_dialogs import ask_where_to_save, file_stem
from saltus.ui.kit.widgets import Stepper, button, label, row

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

    from saltus.core.progress import Steps
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk

MOST_APART = 999


class PicturePanel(QWidget):
    """Chooses the marks on the picture of a take.

    Signals
    -------
    chosen
        Something else is to be drawn.
    """

    chosen = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.wanted = MarksWanted()
        self.strobe: QImage | None = None
        self._strobe_of: tuple[object, ...] = ()
        self._kept: tuple[Take, MarksWanted, PictureMarks] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.boxes: dict[str, QCheckBox] = {}
        for name, words in (
            ("trail", _("Trail")),
            ("velocity", _("Velocity arrows")),
            ("acceleration", _("Acceleration arrows, double shaft")),
            ("numbers", _("Numbers at equal times")),
            ("gates", _("Gates")),
            ("angles", _("Angles about the origin")),
            ("geometry", _("Reference length and axes")),
            ("clock", _("Time")),
        ):
            box = QCheckBox(words)
            box.setChecked(bool(getattr(self.wanted, name)))
            box.clicked.connect(lambda on, name=name: self._want(name, on))
            self.boxes[name] = box
            column.addWidget(box)
        self.every = Stepper(_("Frames from number to number"), 1, MOST_APART)
        self.every.stepped.connect(lambda n: self._want("every", n))
        column.addLayout(
            row(label(_("A number every"), "note"), self.every, label(_("frames"), "note"), stretch=3)
        )
        self.lay = QCheckBox(_("Lay these frames over each other"))
        self.lay.clicked.connect(lambda on: self._lay_over(on=on))
        column.addWidget(self.lay)
        self._ways(column)

    def _ways(self, column: QVBoxLayout) -> None:
        self.ways = [
            button(_("Save still…"), self.save_still),
            button(_("Save film…"), self.save_film),
            button(_("Save animated picture…"), self.save_animated),
            button(_("Strobe picture as a take…"), self.strobe_as_take),
        ]
        column.addLayout(row(*self.ways[:2], stretch=2))
        for one in self.ways[2:]:
            column.addLayout(row(one, stretch=1))
        words = _(
            "The film keeps its frame times; the animated picture, for a sheet, is smaller and has fewer."
        )
        column.addWidget(label(words, "note", wrap=True))

    # -- what is chosen ------------------------------------------------------------------------------

    def _want(self, name: str, value: Any) -> None:
        self.wanted = replace(self.wanted, **{name: value})
        if name == "every" and self.lay.isChecked():
            self._lay_over(on=True)
        self.chosen.emit()

    def marks(self, take: Take | None) -> PictureMarks | None:
        """The marks of a take as they are chosen; None where it has no readings."""
        if take is None or not any(len(b.readings.used.frame) for b in take.bodies):
            return None
        if self._kept is None or self._kept[0] is not take or self._kept[1] != self.wanted:
            self._kept = take, self.wanted, PictureMarks(take, self.wanted)
        return self._kept[2]

    def show_for(self, take: Take | None) -> None:
        """Show how far numbers are apart, and what can be written."""
        marks = self.marks(take)
        if marks is not None:
            self.every.show_value(marks.every)
            self.boxes["gates"].setVisible(bool(take is not None and take.timing.gates))
        for one in (*self.ways, self.every, self.lay):
            one.setEnabled(marks is not None)
        if self.strobe is not None and (take is None or self._strobe_of[:1] != (take.id,)):
            self.strobe = None
            tick(self.lay, False)

    # -- strobe --------------------------------------------------------------------------------------

    def _lay_over(self, *, on: bool) -> None:
        take, desk = self._desk.take, self._desk
        marks = self.marks(take)
        if not on or take is None or marks is None:
            self.strobe = None
            self.chosen.emit()
            return
        frames, folder = marks.numbered_frames(), desk.folder

        def work() -> Steps[Any]:
            from saltus.printing.annotated_film import strobe_picture  # noqa: PLC0415  start-up time

            return (yield from strobe_picture.steps(take, find(take.film, folder), frames))

        def join(picture: Any) -> None:
            from saltus.printing.pictures import as_image  # noqa: PLC0415  start-up time

            self.strobe, self._strobe_of = as_image(picture), (take.id, *frames)
            self.chosen.emit()

        words = _("Laying {n} frames over each other").format(n=len(frames))
        desk.run(words, work, join, lambda _why: tick(self.lay, False), for_any=True)

    # -- ways out ------------------------------------------------------------------------------------

    def _ask(self, tail: str, words: str, kinds: str) -> Path | None:
        take = self._desk.take
        name = file_stem(take.name if take is not None else "", "take")
        return ask_where_to_save(self, (self._desk.folder or Path.home()) / f"{name}{tail}", words, kinds)

    def _said(self, path: Path) -> None:
        self._desk.said.emit(_("Written: {name}.").format(name=path.name), "note")

    def save_still(self) -> None:
        """Write the picture as it is shown, in the size of the film."""
        desk, marks = self._desk, self.marks(self._desk.take)
        shown = desk.shown
        picture = self.strobe or (shown[2] if shown is not None else None)
        path = self._ask(f" frame {desk.frame}.png", _("Save the picture"), "PNG (*.png)")
        if path is None or marks is None or picture is None:
            return
        frame, strobe = desk.frame, self.strobe is not None

        def act() -> None:
            from saltus.printing.annotated_film import write_still  # noqa: PLC0415  start-up time

            write_still(picture, marks, frame, path, strobe=strobe)

        desk.tasks.write_file(_("Writing {name}").format(name=path.name), path, act, self._said)

    def save_film(self) -> None:
        """Write the film with its marks, in the background."""
        path = self._ask(_(" annotated") + ".mp4", _("Save the film"), _("Films (*.mp4)"))
        if path is not None:
            self._write("write_annotated_film", path)

    def save_animated(self) -> None:
        """Write the kept part as an animated picture, in the background."""
        path = self._ask(".webp", _("Save the animated picture"), _("Animated pictures (*.webp *.gif)"))
        if path is not None:
            self._write("write_animated_picture", path)

    def _write(self, how: str, path: Path) -> None:
        desk, take, wanted = self._desk, self._desk.take, self.wanted
        if take is None:
            return
        folder = desk.folder

        def work() -> Steps[Path]:
            from saltus.files.writing import keep_inputs  # noqa: PLC0415  start-up time
            from saltus.printing import annotated_film  # noqa: PLC0415  start-up time

            film = find(take.film, folder)
            keep_inputs(path, [film])
            yield from getattr(annotated_film, how).steps(take, film, path, wanted)
            return path

        desk.run(_("Writing {name}").format(name=path.name), work, self._said, for_any=True)

    def strobe_as_take(self) -> None:
        """Write the strobe picture without marks, and open it as a take with the rate of its frames."""
        desk, take = self._desk, self._desk.take
        marks = self.marks(take)
        path = self._ask(_(" strobe") + ".png", _("Save the strobe picture"), "PNG (*.png)")
        if path is None or take is None or marks is None:
            return
        frames, folder = marks.numbered_frames(), desk.folder
        rate = marks.strobe_rate()

        def work() -> Steps[Path]:
            from saltus.printing.annotated_film import strobe_picture, write_picture  # noqa: PLC0415

            picture = yield from strobe_picture.steps(take, find(take.film, folder), frames)
            write_picture(picture, path)
            return path

        def join(done: Path) -> None:
            desk.open_film(done, rate, simulated=take.simulated, exposures=max(len(frames), 2))

        desk.run(_("Writing {name}").format(name=path.name), work, join)
