"""Notebooks and films of the window: begin, open, show, keep; and the menu that offers it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QInputDialog, QMessageBox

from saltus.core.wording import _
from saltus.notebook import packing
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.model import Notebook
from saltus.notebook.storage import ENDING
from saltus.ui.app.crash import save_report
from saltus.ui.app.packs import pack, unpack
from saltus.ui.desk.simulated import ask_to_film, open_demo
from saltus.ui.kit.file_dialogs import (
    ask_for_film,
    ask_for_notebook,
    ask_for_pictures,
    ask_rate,
    ask_where_to_save,
)
from saltus.ui.kit.menus import Entry, menu_of
from saltus.ui.kit.settings import add_settings

if TYPE_CHECKING:
    from saltus.notebook.recovery import Left
    from saltus.ui.app.window import Window


class Files:
    """What the window does with notebooks and films; it asks before work is lost."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def menu(self) -> None:
        opened = self._window.desk.session.opened
        entries = [
            Entry(_("Name the notebook…"), self.rename, opened),
            None,
            Entry(_("New notebook"), self.new_notebook, keys="Ctrl+N"),
            Entry(_("Open a notebook…"), self.open_notebook, keys="Ctrl+O"),
            Entry(_("Open a film…"), self.open_film),
            Entry(_("Folder of pictures…"), self.open_pictures),
            None,
            Entry(_("Save"), self.save, opened, keys="Ctrl+S"),
            Entry(_("Save as…"), self.save_as, opened, keys="Ctrl+Shift+S"),
            Entry(_("Pack with its films…"), self.pack, opened),
            None,
            Entry(_("Start page"), lambda: self._window.go_to("start")),
            Entry(_("Guide"), self._window.show_guide, keys="F1"),
            Entry(_("Save a report of troubles…"), lambda: save_report(self._window)),
            Entry(_("Quit"), self._window.close, keys="Ctrl+Q"),
        ]
        menu = menu_of(self._window, entries)
        # once the menu is gone: what it hangs on is built anew
        add_settings(menu, lambda: self._window.dressing.start(0))
        menu.exec(self._window.strip.mapToGlobal(QPoint(12, self._window.strip.height())))

    def rename(self) -> None:
        title, done = QInputDialog.getText(
            self._window,
            _("Name the notebook"),
            _("Title, as printed on the sheet"),
            text=self._window.desk.notebook.title,
        )
        if done and title.strip():
            made = take_edits.set_title(self._window.desk.notebook, title.strip()[:200])
            self._window.desk.edit(_("name the notebook"), made)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved work; False to stay."""
        if not (self._window.desk.session.opened and self._window.desk.session.unsaved):
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle("Saltus")
        box.setText(_("Keep the changes to “{title}”?").format(title=self._window.desk.notebook.title))
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
            self._window.desk.start(Notebook())
            self._window.go_to("film")

    def open_notebook(self) -> None:
        """Ask for a notebook and open it."""
        path = ask_for_notebook(self._window)
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a notebook, a pack, a film or a folder of pictures."""
        if path.name.endswith(packing.ENDING):
            unpack(self._window, self._window.desk, path, self.open_path)
            return
        if path.suffix == ENDING:
            if self.may_leave() and self._window.desk.open_notebook(path):
                take = self._window.desk.take
                read = take is not None and any(len(b.readings) for b in take.bodies)
                self._window.go_to("motion" if take and take.segments else "read" if read else "film")
            return
        rate = None
        if path.is_dir():
            rate = ask_rate(self._window)
            if rate is None:
                return
        self._window.desk.open_film(path, rate)

    def open_film(self) -> None:
        """Ask for films and open them."""
        for path in ask_for_film(self._window):
            self._window.desk.open_film(path)

    def open_pictures(self) -> None:
        found = ask_for_pictures(self._window)
        if found is not None:
            self._window.desk.open_film(*found)

    def show_demo(self, name: str = "open-day") -> None:
        """Open the demo as a copy."""
        if self.may_leave():
            stage = {"swings": "trials", "times": "time"}.get(name, "read")
            open_demo(self._window.desk, name, lambda: self._window.go_to(stage))

    def take_over(self, left: Left) -> None:
        self._window.desk.take_over(left)
        take = self._window.desk.take
        self._window.go_to("motion" if take and take.segments else "read" if take else "film")

    def simulate(self, scene: str) -> None:
        ask_to_film(self._window, self._window.desk, scene)

    def save(self) -> bool:
        """Save the notebook where it lies, or ask where to."""
        if not self._window.desk.session.opened:
            return False
        path = self._window.desk.path
        return (
            self._window.desk.save(path)
            if path is not None and not self._window.desk.session.closed_to
            else self.save_as()
        )

    def save_as(self) -> bool:
        """Ask where to save the notebook."""
        if not self._window.desk.session.opened:
            return False
        title = (
            "".join(c if c.isalnum() or c in " -_" else "-" for c in self._window.desk.notebook.title).strip()
            or "notebook"
        )
        suggestion = (self._window.desk.folder or Path.home()) / f"{title}{ENDING}"
        kinds = _("Saltus notebooks (*{e})").format(e=ENDING)
        path = ask_where_to_save(self._window, suggestion, _("Save the notebook"), kinds)
        return path is not None and self._window.desk.save(path)

    def pack(self) -> None:
        """Save, then put the notebook and its films into one file."""
        if self.save():
            pack(self._window, self._window.desk)
