"""Ways in: file dialogs, and what a dropped thing is."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from saltus.core.wording import _
from saltus.footage.facts import PICTURE_ENDINGS
from saltus.footage.opening import FILM_ENDINGS, SOUND_ENDINGS
from saltus.notebook.packing import ENDING as PACK
from saltus.notebook.storage import ENDING

if TYPE_CHECKING:
    from PyQt6.QtCore import QMimeData, QUrl


def ask_for_film(parent: QWidget) -> list[Path]:
    """Ask for films to open."""
    kinds = " ".join(f"*{e} *{e.upper()}" for e in (*FILM_ENDINGS, *SOUND_ENDINGS))
    names, _kind = QFileDialog.getOpenFileNames(
        parent, _("Open a film"), str(Path.home()), _("Films ({kinds});;All files (*)").format(kinds=kinds)
    )
    return [Path(n) for n in names]


def ask_for_pictures(parent: QWidget) -> tuple[Path, float] | None:
    """Ask for a folder of numbered pictures and how many were taken per second."""
    folder = QFileDialog.getExistingDirectory(parent, _("Folder of numbered pictures"), str(Path.home()))
    rate = ask_rate(parent) if folder else None
    return (Path(folder), rate) if rate is not None else None


def ask_rate(parent: QWidget) -> float | None:
    """Ask how many pictures were taken per second."""
    rate, done = QInputDialog.getDouble(
        parent, _("Folder of pictures"), _("Pictures taken per second"), 30.0, 0.001, 1_000_000.0, 3
    )
    return rate if done else None


def ask_for_still(parent: QWidget) -> tuple[Path, float, int] | None:
    """Ask for a strobe picture, its flash rate in Hz, and how many exposures there are to read."""
    kinds = " ".join(f"*{e} *{e.upper()}" for e in PICTURE_ENDINGS)
    name, _kind = QFileDialog.getOpenFileName(
        parent, _("Strobe picture"), str(Path.home()), _("Pictures ({kinds})").format(kinds=kinds)
    )
    asked = ask_flashes(parent) if name else None
    return (Path(name), *asked) if asked is not None else None


def ask_flashes(parent: QWidget) -> tuple[float, int] | None:
    """Ask for the flash rate of a strobe picture, Hz, and how many exposures there are to read."""
    title = _("Strobe picture")
    rate, done = QInputDialog.getDouble(parent, title, _("Flashes per second"), 10.0, 0.001, 1_000_000.0, 3)
    if not done:
        return None
    exposures, done = QInputDialog.getInt(
        parent, title, _("Exposures to read (more do no harm)"), 24, 2, 1000
    )
    return (rate, exposures) if done else None


def ask_for_notebook(parent: QWidget) -> Path | None:
    """Ask for a notebook to open."""
    kinds = _("Saltus notebooks and packs (*{e} *{p})").format(e=ENDING, p=PACK)
    name, _kind = QFileDialog.getOpenFileName(parent, _("Open a notebook"), str(Path.home()), kinds)
    return Path(name) if name else None


def file_stem(title: str, otherwise: str) -> str:
    """A title as the name of a file may hold it; another word where nothing of it is left."""
    return "".join(c if c.isalnum() or c in " -_" else "-" for c in title).strip()[:80] or otherwise


def ask_where_to_save(parent: QWidget, suggestion: Path, words: str, kinds: str) -> Path | None:
    """Ask for a file to write; the ending of the suggestion is added where none is typed."""
    name, _kind = QFileDialog.getSaveFileName(parent, words, str(suggestion), kinds)
    if not name:
        return None
    path = Path(name)
    return path if path.suffix else path.with_name(path.name + suggestion.suffix)


def dropped_paths(data: QMimeData | None) -> list[Path]:
    """Local files and folders in what is being dropped."""
    urls: list[QUrl] = data.urls() if data is not None and data.hasUrls() else []
    return [Path(u.toLocalFile()) for u in urls if u.isLocalFile()]
