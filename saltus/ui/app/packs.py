"""Packing a notebook with its films from the window, and taking one apart."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol, cast

from saltus.core.wording import _
from saltus.notebook import packing
from saltus.ui.kit.file_dialogs import ask_where_to_save

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtWidgets import QWidget

    from saltus.ui.desk.desk import Desk


class Host(Protocol):
    """What packing needs of the window."""

    desk: Desk

    def save(self) -> bool:
        """Save the notebook; whether it is in its file now."""

    def open_path(self, path: Path) -> None:
        """Open a notebook or film."""


def unpack(window: Host, path: Path) -> None:
    """Ask for a new folder, unpack into it in the background, and open the notebook there."""
    suggestion = path.with_name(path.name.removesuffix(packing.ENDING))
    folder = ask_where_to_save(
        cast("QWidget", window), suggestion, _("Unpack into a new folder"), _("Folders (*)")
    )
    if folder is not None:
        words = _("Unpacking {name}").format(name=path.name)
        window.desk.run(words, lambda: packing.unpack.steps(path, folder), window.open_path, for_any=True)


def pack(window: Host) -> None:
    """Save, then put the notebook and its films into one file, in the background."""
    if not window.save() or window.desk.path is None:
        return
    notebook = window.desk.path
    suggestion = notebook.with_name(notebook.stem + packing.ENDING)
    kinds = _("Saltus packs (*{e})").format(e=packing.ENDING)
    target = ask_where_to_save(
        cast("QWidget", window), suggestion, _("Pack the notebook with its films"), kinds
    )
    if target is None:
        return
    if not target.name.endswith(packing.ENDING):
        target = target.with_name(target.name.removesuffix(".zip") + packing.ENDING)

    def packed(_outcome: object) -> None:
        window.desk.said.emit(_("Packed as {name}.").format(name=target.name), "note")

    words = _("Packing {name}").format(name=target.name)
    window.desk.run(words, lambda: packing.pack.steps(notebook, target), packed, for_any=True)
