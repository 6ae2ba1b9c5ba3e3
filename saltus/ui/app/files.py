"""Notebooks and films of the window: begin, open, show, keep; and the menu that offers it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QMessageBox

from saltus.core.wording import _
from saltus.footage.facts import PICTURE_ENDINGS
from saltus.notebook import packing
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.model import Notebook
from saltus.notebook.storage import ENDING
from saltus.ui.app.packs import pack, unpack
from saltus.ui.desk.simulated import ask_to_film, open_demo
from saltus.ui.kit.file_dialogs import (
    ask_flashes,
    ask_for_film,
    ask_for_notebook,
    ask_for_pictures,
    ask_rate,
    ask_where_to_save,
    file_stem,
)
from saltus.ui.kit.plain_text import message_box

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QWidget

    from saltus.notebook.recovery import Left
    from saltus.ui.desk.desk import Desk


class Files:
    """What the window does with notebooks and films; it asks before work is lost."""

    def __init__(self, parent: QWidget, desk: Desk, go_to: Callable[[str], None]) -> None:
        self._parent, self._desk, self._go_to = parent, desk, go_to

    def rename(self) -> None:
        """Ask for the title of the notebook."""
        title, done = QInputDialog.getText(
            self._parent,
            _("Name the notebook"),
            _("Title, as printed on the sheet"),
            text=self._desk.notebook.title,
        )
        if done and title.strip():
            made = take_edits.set_title(self._desk.notebook, title.strip()[:200])
            self._desk.edit(_("name the notebook"), made)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved work; False to stay."""
        if not (self._desk.session.opened and self._desk.session.unsaved):
            return True
        box = message_box(
            self._parent, _("Keep the changes to “{title}”?").format(title=self._desk.notebook.title)
        )
        keep = box.addButton(_("Save"), QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton(_("Do not keep them"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(_("Stay here"), QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is keep:
            return self.save()
        return box.clickedButton() is drop

    def new_notebook(self) -> None:
        """Begin an empty notebook."""
        if self.may_leave():
            self._desk.start(Notebook())
            self._go_to("film")

    def open_notebook(self) -> None:
        """Ask for a notebook and open it."""
        path = ask_for_notebook(self._parent)
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a notebook, a pack, a film or a folder of pictures."""
        if path.name.endswith(packing.ENDING):
            unpack(self._parent, self._desk, path, self.open_path)
            return
        if path.suffix == ENDING:
            if self.may_leave() and self._desk.open_notebook(path):
                take = self._desk.take
                read = take is not None and any(len(b.readings) for b in take.bodies)
                self._go_to("motion" if take and take.segments else "read" if read else "film")
            return
        rate = None
        if path.is_dir():
            rate = ask_rate(self._parent)
            if rate is None:
                return
        if path.suffix.lower() in PICTURE_ENDINGS:
            flashes = ask_flashes(self._parent)
            if flashes is not None:
                self._desk.open_film(path, flashes[0], exposures=flashes[1])
            return
        self._desk.open_film(path, rate)

    def open_film(self) -> None:
        """Ask for films and open them."""
        for path in ask_for_film(self._parent):
            self._desk.open_film(path)

    def open_pictures(self) -> None:
        found = ask_for_pictures(self._parent)
        if found is not None:
            self._desk.open_film(*found)

    def show_demo(self, name: str = "open-day") -> None:
        """Open the demo as a copy."""
        if self.may_leave():
            stage = {"swings": "trials", "times": "time", "runs": "film", "motion": "motion"}.get(
                name, "read"
            )
            open_demo(self._desk, name, lambda: self._go_to(stage))

    def take_over(self, left: Left) -> None:
        self._desk.take_over(left)
        take = self._desk.take
        self._go_to("motion" if take and take.segments else "read" if take else "film")

    def simulate(self, scene: str) -> None:
        ask_to_film(self._parent, self._desk, scene)

    def save(self) -> bool:
        """Save the notebook where it lies, or ask where to."""
        if not self._desk.session.opened:
            return False
        path = self._desk.path
        return (
            self._desk.save(path) if path is not None and not self._desk.session.closed_to else self.save_as()
        )

    def save_as(self) -> bool:
        """Ask where to save the notebook."""
        if not self._desk.session.opened:
            return False
        title = file_stem(self._desk.notebook.title, "notebook")
        suggestion = (self._desk.folder or Path.home()) / f"{title}{ENDING}"
        kinds = _("Saltus notebooks (*{e})").format(e=ENDING)
        path = ask_where_to_save(self._parent, suggestion, _("Save the notebook"), kinds)
        return path is not None and self._desk.save(path)

    def pack(self) -> None:
        """Save, then put the notebook and its films into one file."""
        if self.save():
            pack(self._parent, self._desk)
