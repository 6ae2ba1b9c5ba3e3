"""Where the window stands: within the free area of the screen, and where this user left it last."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QRect
from PyQt6.QtGui import QGuiApplication

from saltus.ui.kit.settings import set_setting, setting

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

USUAL = (1280, 800)
TITLE_BAR, EDGE = 38, 2
"""Room that the desktop's frame takes, px: it is known only once the window stands."""
MOST_KEPT = 12


def arrangement() -> str:
    """Name the screens that are there by their places and sizes."""
    areas = (screen.geometry() for screen in QGuiApplication.screens())
    return " ".join(f"{a.width()}x{a.height()}+{a.x()}+{a.y()}" for a in areas)


def free_areas() -> list[QRect]:
    """What panels leave free of each screen, the main one first."""
    main = QGuiApplication.primaryScreen()
    return [
        screen.availableGeometry()
        for screen in sorted(QGuiApplication.screens(), key=lambda one: one is not main)
    ]


def fitted(wanted: QRect, free: QRect) -> QRect:
    """The nearest place within a free area, with room for the frame; smaller where it must be."""
    room = free.adjusted(EDGE, TITLE_BAR, -EDGE, -EDGE)
    width, height = min(wanted.width(), room.width()), min(wanted.height(), room.height())
    x = min(max(wanted.x(), room.x()), room.x() + room.width() - width)
    y = min(max(wanted.y(), room.y()), room.y() + room.height() - height)
    return QRect(x, y, width, height)


def place(window: QWidget) -> None:
    """Put a window where it stood last with these screens; else in the middle of the main one."""
    areas = free_areas()
    if not areas:
        return
    kept = setting("windows").get(arrangement())
    if _is_place(kept):
        last = QRect(*kept[:4])
        free = next((area for area in areas if area.contains(last.center())), areas[0])
        window.setGeometry(fitted(last, free))
        if kept[4]:
            window.showMaximized()
        return
    usual = QRect(0, 0, *USUAL)
    usual.moveCenter(areas[0].center())
    window.setGeometry(fitted(usual, areas[0]))


def remember(window: QWidget) -> None:
    """Keep where a window stands, for the next time with these screens."""
    area = window.normalGeometry() if window.isMaximized() else window.geometry()
    here = {arrangement(): [area.x(), area.y(), area.width(), area.height(), int(window.isMaximized())]}
    others = {name: spot for name, spot in setting("windows").items() if name not in here}
    set_setting("windows", dict([*others.items()][1 - MOST_KEPT :]) | here)


def _is_place(kept: Any) -> bool:
    whole = isinstance(kept, list) and len(kept) == 5 and all(type(n) is int for n in kept)
    return whole and all(abs(n) < 100_000 for n in kept) and min(kept[2:4]) > 0
