"""Ends of measures, divisions and pointers of filmed scales, as they can be taken hold of."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF

from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.edits import measuring as edits

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.part import Place

MEASURED = ("measure", "division", "middle", "pointer")


def measured_handles(take: Take, frame: int) -> dict[str, QPointF]:
    """What can be taken hold of in a frame: pointers only where they were read; picture coordinates."""
    camera = geometry_of(take).camera
    out: dict[str, QPointF] = {}
    for measure in take.measures:
        for n, place in enumerate(camera.seen(measure.places, measure.frame, frame)):
            out[f"measure:{measure.id}:{n}"] = QPointF(*place)
    for scale in take.filmed_scales:
        for n, place in enumerate(camera.seen([d.place for d in scale.divisions], scale.frame, frame)):
            out[f"division:{scale.id}:{n}"] = QPointF(*place)
        if scale.middle is not None and scale.kind == "round":
            out[f"middle:{scale.id}"] = QPointF(*camera.seen([scale.middle], scale.frame, frame)[0])
        for pointer in scale.pointers:
            if pointer.frame == frame:
                out[f"pointer:{scale.id}"] = QPointF(*pointer.place)
    return out


def measured_moved(notebook: Notebook, take: Take, handle: str, place: Place, frame: int) -> Notebook:
    """The notebook with what is held by a handle at another place of the picture of a frame."""
    kind, part_id, *number = handle.split(":")
    camera = geometry_of(take).camera
    if kind == "measure":
        measure = take.measure(part_id)
        if measure is None:
            return notebook
        places = list(measure.places)
        places[int(number[0])] = camera.laid(place, frame, measure.frame)
        return edits.change_measure(notebook, take.id, part_id, places=tuple(places))
    scale = take.filmed_scale(part_id)
    if scale is None:
        return notebook
    if kind == "pointer":
        return edits.read_pointer(notebook, take.id, part_id, frame, place)[0]
    laid = camera.laid(place, frame, scale.frame)
    if kind == "middle":
        return edits.change_scale(notebook, take.id, part_id, middle=laid)
    divisions = list(scale.divisions)
    divisions[int(number[0])] = divisions[int(number[0])].but(place=laid)
    return edits.change_scale(notebook, take.id, part_id, divisions=tuple(divisions))
