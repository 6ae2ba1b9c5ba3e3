"""Placing, typing and nudging the reading of the body in hand, each as an edit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.readings import Reading

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


def place_reading(desk: Desk, x: float, y: float, *, origin: str = "hand", merge: str | None = None) -> None:
    """Place the reading of the body in hand in the frame in hand."""
    take, body = desk.take, desk.body
    if take is None or body is None:
        return
    before = body.readings.at(desk.frame)
    # how well following saw it says nothing of where a person puts it
    own = before.u if before is not None and before.origin != "followed" else None
    reading = Reading(desk.frame, round(x, 3), round(y, 3), own, origin)
    name = _("move a reading") if before else _("place a reading")
    desk.edit(name, reading_edits.place_reading(desk.notebook, take.id, body.id, reading), merge)


def type_coordinate(desk: Desk, axis: str, value: float) -> str:
    """Set one coordinate of the reading in hand, px; gives a sentence where that cannot be."""
    take, body = desk.take, desk.body
    reading = body.readings.at(desk.frame) if body is not None else None
    if take is None or reading is None:
        words = _("Place a reading first, then type its coordinates.")
        desk.said.emit(words, "note")
        return words
    size = (take.facts.width, take.facts.height)[axis == "y"]
    if not -0.5 <= value <= size - 0.5:
        words = _("{axis} must lie in the picture: 0 to {last} px.").format(axis=axis, last=size - 1)
        desk.said.emit(words, "warn")
        return words
    x, y = (value, reading.y) if axis == "x" else (reading.x, value)
    place_reading(desk, x, y, origin="typed")
    return ""


def nudge(desk: Desk, dx: float, dy: float) -> None:
    """Move the reading in hand by some px; nudges in a row are one step of undo."""
    body = desk.body
    reading = body.readings.at(desk.frame) if body else None
    if body is not None and reading is not None:
        merge = f"nudge/{desk.take_id}/{body.id}/{reading.frame}"
        place_reading(desk, reading.x + dx, reading.y + dy, merge=merge)
