"""Menus from lists of entries, opened under what asked for them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable


@dataclass(frozen=True)
class Entry:
    """A line of a menu.

    Attributes
    ----------
    words : str
    act : callable
        What happens when it is chosen; takes nothing.
    possible : bool
        False shows it without letting it be chosen.
    keys : str
        The shortcut that does the same, for the eye only.
    """

    words: str
    act: Callable[[], object]
    possible: bool = True
    keys: str = ""


def add_entry(menu: QMenu, entry: Entry | None) -> None:
    """Put a line into a menu; None is a line between groups."""
    if entry is None:
        menu.addSeparator()
        return
    action = menu.addAction(f"{entry.words}\t{entry.keys}" if entry.keys else entry.words)
    assert action is not None
    action.setEnabled(entry.possible)
    action.triggered.connect(lambda _on=False: entry.act())


def menu_of(parent: QWidget, entries: Iterable[Entry | None]) -> QMenu:
    """Make a menu whose parent is a widget."""
    menu = QMenu(parent)
    for entry in entries:
        add_entry(menu, entry)
    return menu


def open_under(menu: QMenu, widget: QWidget) -> None:
    """Open a menu under the widget that asked for it."""
    menu.exec(widget.mapToGlobal(QPoint(0, widget.height())))
