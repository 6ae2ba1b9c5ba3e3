"""The folder where a phone saves its films: watched while Film is open, nothing is taken unasked."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QFileSystemWatcher, QTimer
from PyQt6.QtWidgets import QFileDialog, QSizePolicy

from saltus.core.wording import _, plural
from saltus.footage.opening import FILM_ENDINGS
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.settings import set_setting, setting
from saltus.ui.kit.widgets import Card, button, label, row

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk

SETTLE_MS = 700
"""Films arrive in pieces: the folder is looked at when it has been quiet for so long."""
MOST = 50


def new_films(folder: Path, known: set[tuple[str, int]]) -> list[Path]:
    """Films in a folder that are no takes yet, oldest first.

    Parameters
    ----------
    folder : Path
    known : set of (name, size)
        Films of the notebook.
    """
    found = []
    try:
        for path in folder.iterdir():
            if path.suffix.lower() in FILM_ENDINGS and path.is_file():
                about = path.stat()
                if about.st_size and (path.name, about.st_size) not in known:
                    found.append((about.st_mtime, path))
    except OSError:
        return []
    return [path for _when, path in sorted(found)][-MOST:]


class PhoneFolder(Card):
    """Says what is new in the phone folder and takes it in."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(padding=10, gap=3)
        self._desk = desk
        self.setFixedHeight(scaled(86))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._change = button(_("Change…"), self.choose, "link")
        self.column.addLayout(row(label(_("Phone folder"), "heading"), self._change, stretch=1))
        self._words = label("", "note")
        self._words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._words.setWordWrap(True)
        self.take_in = button(_("Take them in"), self._take_in)
        line = row(self._words, self.take_in)
        line.setStretch(0, 1)
        self.column.addLayout(line)
        self._watcher = QFileSystemWatcher()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(SETTLE_MS)
        self._later.timeout.connect(self.refresh)
        desk.changed.connect(self._changed)
        self._watcher.directoryChanged.connect(lambda _path: self._later.start())

    def _changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def folder(self) -> Path | None:
        """The folder, once it was chosen."""
        chosen = setting("phone_folder")
        return Path(chosen) if chosen else None

    def choose(self) -> None:
        """Ask for the folder."""
        start = str(self.folder() or Path.home())
        chosen = QFileDialog.getExistingDirectory(self, _("Where does your phone save its films?"), start)
        if chosen:
            set_setting("phone_folder", chosen)
            self._watch()
            self.refresh()

    def films(self) -> list[Path]:
        """Films there that are no takes yet."""
        folder = self.folder()
        known = {(take.film.name, take.film.size) for take in self._desk.notebook.takes}
        return new_films(folder, known) if folder is not None else []

    def _take_in(self) -> None:
        for path in self.films():
            self._desk.open_film(path)

    def _watch(self) -> None:
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())
        folder = self.folder()
        if folder is not None and folder.is_dir():
            self._watcher.addPath(str(folder))

    def showEvent(self, event: object) -> None:
        self._watch()
        self.refresh()

    def hideEvent(self, event: object) -> None:
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())

    def refresh(self) -> None:
        """Say what is there."""
        folder = self.folder()
        found = self.films()
        self.take_in.setVisible(folder is not None)
        self.take_in.setEnabled(bool(found))
        self._change.setText(_("Change…") if folder is not None else _("Choose it…"))
        if folder is None:
            words = _("Where your phone saves its films.")
        elif not folder.is_dir():
            words = _("{name} is not here: connect it.").format(name=folder.name)
        else:
            count = plural("{n} new film", "{n} new films", len(found))
            words = _("{count} in {name}").format(count=count, name=folder.name)
        self._words.setText(words)
        self._words.setToolTip(plain(str(folder or "")))
