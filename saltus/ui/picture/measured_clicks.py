"""Clicks that measure: ends of lengths and angles, divisions and pointers of scales, fixed points."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from saltus.core.wording import _
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.measuring import FEWEST_PLACES, Division
from saltus.notebook.readings import Reading

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.notebook.part import Place
    from saltus.ui.desk.desk import Desk

MEASURES = ("length", "height", "slope", "angle", "circle")
SCALE_MODES = ("division", "middle", "pointer")
CLICKED = (*(f"measure-{kind}" for kind in MEASURES), *SCALE_MODES, "fixed")
"""Modes in which a click does something of these."""


class Clicking(Protocol):
    """What the clicks need to know of the tool, and leave there."""

    mode: str
    corners: list[Place]
    measure_id: str | None
    scale_id: str | None


def clicked(tool: Clicking, desk: Desk, take: Take, place: Place) -> None:
    """Do what a click on the picture means in the mode of the tool."""
    if tool.mode == "fixed":
        _fix(desk, take, place)
    elif tool.mode in SCALE_MODES:
        _on_scale(tool, desk, take, place)
    else:
        _measure(tool, desk, take, place)


def _fix(desk: Desk, take: Take, place: Place) -> None:
    """A new point that stands still, read in this frame."""
    name = _("Fixed point {n}").format(n=len(take.fixed_points) + 1)
    chosen = desk.body
    notebook, body_id = reading_edits.add_body(desk.notebook, take.id, name)
    notebook = reading_edits.place_reading(notebook, take.id, body_id, Reading(desk.frame, *place))
    notebook = edits.fix_point(notebook, take.id, body_id, fixed=True)
    desk.edit(_("place a fixed point"), notebook)
    if chosen is not None:
        desk.choose_body(chosen.id)


def _measure(tool: Clicking, desk: Desk, take: Take, place: Place) -> None:
    kind = tool.mode.removeprefix("measure-")
    chosen = take.measure(tool.measure_id)
    if kind == "circle" and not tool.corners and chosen is not None and chosen.kind == "circle":
        # a further place on the rim of the circle in hand
        laid = geometry_of(take).camera.laid(place, desk.frame, chosen.frame)
        made = edits.change_measure(desk.notebook, take.id, chosen.id, places=(*chosen.places, laid))
        desk.edit(_("measure in the picture"), made)
        return
    tool.corners.append(place)
    if len(tool.corners) < FEWEST_PLACES[kind]:
        return
    places, tool.corners = tuple(tool.corners), []
    notebook, tool.measure_id = edits.add_measure(desk.notebook, take.id, kind, places, desk.frame)
    desk.edit(_("measure in the picture"), notebook)


def _on_scale(tool: Clicking, desk: Desk, take: Take, place: Place) -> None:
    scale = take.filmed_scale(tool.scale_id)
    if scale is None:
        desk.said.emit(_("Begin a filmed scale first: a straight or a round one."), "note")
        return
    if tool.mode == "pointer":
        notebook, _pointer = edits.read_pointer(desk.notebook, take.id, scale.id, desk.frame, place)
        desk.edit(_("read a filmed scale"), notebook)
        return
    notebook = desk.notebook
    if not scale.divisions and scale.middle is None:
        notebook = edits.change_scale(notebook, take.id, scale.id, frame=desk.frame)
        laid = place
    else:
        laid = geometry_of(take).camera.laid(place, desk.frame, scale.frame)
    if tool.mode == "middle":
        notebook = edits.change_scale(notebook, take.id, scale.id, middle=laid)
    else:
        divisions = (*scale.divisions, Division(place=laid))
        notebook = edits.change_scale(notebook, take.id, scale.id, divisions=divisions)
    desk.edit(_("place a division"), notebook)
