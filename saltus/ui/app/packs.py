"""Packing a notebook with its films from the window, and taking one apart."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.notebook import packing
from saltus.ui.kit.file_dialogs import ask_where_to_save

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from PyQt6.QtWidgets import QWidget

    from saltus.ui.desk.desk import Desk


def unpack(parent: QWidget, desk: Desk, path: Path, then: Callable[[Path], None]) -> None:
    """Ask for a new folder, unpack into it in the background; ``then`` takes the notebook there."""
    suggestion = path.with_name(path.name.removesuffix(packing.ENDING))
    folder = ask_where_to_save(parent, suggestion, _("Unpack into a new folder"), _("Folders (*)"))
    if folder is not None:
        words = _("Unpacking {name}").format(name=path.name)
        desk.run(words, lambda: packing.unpack.steps(path, folder), then, for_any=True)


def pack(parent: QWidget, desk: Desk) -> None:
    """Put the notebook, as it is in its file, and its films into one file, in the background."""
    notebook = desk.path
    if notebook is None:
        return
    suggestion = notebook.with_name(notebook.stem + packing.ENDING)
    kinds = _("Saltus packs (*{e})").format(e=packing.ENDING)
    target = ask_where_to_save(parent, suggestion, _("Pack the notebook with its films"), kinds)
    if target is None:
        return
    if not target.name.endswith(packing.ENDING):
        target = target.with_name(target.name.removesuffix(".zip") + packing.ENDING)

    def packed(_outcome: object) -> None:
        desk.said.emit(_("Packed as {name}.").format(name=target.name), "note")

    words = _("Packing {name}").format(name=target.name)
    desk.run(words, lambda: packing.pack.steps(notebook, target), packed, for_any=True)
