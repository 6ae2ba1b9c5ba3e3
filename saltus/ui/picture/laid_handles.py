"""What is laid over a picture and can be taken hold of: where it is, and the notebook when it is moved."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QPointF

from saltus.core.wording import _
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.geometry_words import new_problem
from saltus.notebook.edits import geometry as laid_edits
from saltus.notebook.edits import scale as edits

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook, Take
    from saltus.ui.desk.desk import Desk

_T = TypeVar("_T")
ARM_SHARE = 0.16


def lay(desk: Desk, words: str, notebook: Notebook, group: str = "") -> bool:
    """Take over an edit, unless something laid could not be used then: that is said, and nothing changes."""
    problem = new_problem(desk.take, notebook.take(desk.take_id))
    if problem is not None:
        desk.said.emit(problem, "warn")
        return False
    desk.edit(words, notebook, *([group] if group else []))
    return True


def arm_of(take: Take | None) -> float:
    """Length of the x arm in picture px."""
    return ARM_SHARE * take.facts.width if take else 100.0


def handles_of(take: Take) -> dict[str, QPointF]:
    """All that can be taken hold of, in the order of Tab; picture coordinates."""
    out: dict[str, QPointF] = {}
    if take.reference is not None:
        out |= {"start": QPointF(*take.reference.start), "end": QPointF(*take.reference.end)}
    if take.axes is not None:
        mapping = mapping_of(take)
        origin = mapping.origin
        out["origin"] = QPointF(*origin)
        if take.axes.line is None:
            along, arm = mapping.headings(*origin)[0], arm_of(take)
            out["turn"] = QPointF(origin[0] + arm * along[0], origin[1] + arm * along[1])
        else:
            out |= {f"line:{n}": QPointF(*place) for n, place in enumerate(take.axes.line)}
    geometry = take.geometry
    for other in geometry.others:
        out |= {f"{other.id}:start": QPointF(*other.start), f"{other.id}:end": QPointF(*other.end)}
    if geometry.plane is not None and len(geometry.plane.seen) == 4:
        out |= {f"plane:{n}": QPointF(*place) for n, place in enumerate(geometry.plane.seen)}
    if geometry.track is not None:
        out |= {f"track:{n}": QPointF(*mark.place) for n, mark in enumerate(geometry.track.marks)}
    if geometry.edges is not None:
        for e, edge in enumerate(geometry.edges.edges):
            out |= {f"edge:{e}:{n}": QPointF(*place) for n, place in enumerate(edge)}
    return out


def moved(notebook: Notebook, take_id: str, handle: str, at: QPointF) -> Notebook:
    """The notebook with what is held by a handle at another place of the picture."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    place = (round(at.x(), 2), round(at.y(), 2))
    if handle in ("start", "end"):
        return edits.move_reference_end(notebook, take_id, "start" if handle == "start" else "end", place)
    if handle == "origin":
        return edits.place_origin(notebook, take_id, place)
    if handle == "turn":
        return _turned(notebook, take, at)
    kind, *which = handle.split(":")
    if kind == "line" and take.axes is not None and take.axes.line is not None:
        line = _with(take.axes.line, int(which[0]), place)
        by = "plumb" if take.axes.by == "plumb" else "points"
        return laid_edits.direct_axes(notebook, take_id, (line[0], line[1]), by, take.axes.u_line_px)  # type: ignore[arg-type]
    if kind == "plane" and take.geometry.plane is not None:
        plane = take.geometry.plane
        made = plane.but(seen=_with(plane.seen, int(which[0]), place))
        return laid_edits.change_geometry(notebook, take_id, plane=made)
    if kind == "track" and take.geometry.track is not None:
        track = take.geometry.track
        mark = track.marks[int(which[0])].but(place=place)
        made = track.but(marks=_with(track.marks, int(which[0]), mark))
        return laid_edits.change_geometry(notebook, take_id, track=made)
    if kind == "edge" and take.geometry.edges is not None:
        edges, e, n = take.geometry.edges, int(which[0]), int(which[1])
        made = edges.but(edges=_with(edges.edges, e, _with(edges.edges[e], n, place)))
        return laid_edits.change_geometry(notebook, take_id, edges=made)
    return laid_edits.change_length(notebook, take_id, kind, **{which[0]: place})


def _with(of: tuple[_T, ...], at: int, value: _T) -> tuple[_T, ...]:
    return (*of[:at], value, *of[at + 1 :])


def _turned(notebook: Notebook, take: Take, at: QPointF) -> Notebook:
    """With the axes turned so that x points to a place."""
    origin = mapping_of(take).origin
    dx, dy = at.x() - origin[0], origin[1] - at.y()
    reach = max(math.hypot(dx, dy), 1.0)
    if mapping_of(take).ground is not None:
        line = (origin, (round(at.x(), 2), round(at.y(), 2)))
        return laid_edits.direct_axes(notebook, take.id, line, "points", 1.0)
    # both ends of the arm are placed to about one px
    u_angle = math.degrees(math.sqrt(2) / max(reach, arm_of(take)))
    angle = round(math.degrees(math.atan2(dy, dx)), 3)
    return edits.turn_axes(notebook, take.id, angle, round(u_angle, 3))


def words_for(handle: str) -> str:
    """What moving a handle is called among the steps that can be undone."""
    if handle in ("start", "end"):
        return _("lay the reference length")
    kind = handle.partition(":")[0]
    return {
        "origin": _("place the axes"),
        "turn": _("place the axes"),
        "line": _("place the axes"),
        "plane": _("place a corner"),
        "track": _("place a mark"),
        "edge": _("place a mark"),
    }.get(kind, _("place the end of a length"))
