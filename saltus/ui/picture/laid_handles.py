"""What is laid over a picture and can be taken hold of: where it is, and the notebook when it is moved."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QPointF

from saltus.core.wording import _
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.geometry_words import new_problem
from saltus.notebook.edits import geometry as laid_edits
from saltus.notebook.edits import scale as edits
from saltus.ui.picture.measured_handles import MEASURED, measured_handles, measured_moved

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.part import Place
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


def handles_of(take: Take, frame: int) -> dict[str, QPointF]:
    """All that can be taken hold of in a frame, in the order of Tab; picture coordinates."""
    camera, geometry = geometry_of(take).camera, take.geometry
    out: dict[str, QPointF] = {}

    def add(places: Sequence[Place], laid_in: int, names: Iterable[str]) -> None:
        seen = camera.seen(places, laid_in, frame)
        out.update((name, QPointF(*place)) for name, place in zip(names, seen, strict=True))

    if take.reference is not None:
        add((take.reference.start, take.reference.end), take.reference.frame, ("start", "end"))
    if take.axes is not None:
        mapping = mapping_of(take).in_frame(frame)
        origin = mapping.origin
        out["origin"] = QPointF(*origin)
        if take.axes.line is None:
            along, arm = mapping.headings(*origin)[0], arm_of(take)
            out["turn"] = QPointF(origin[0] + arm * along[0], origin[1] + arm * along[1])
        else:
            add(take.axes.line, take.axes.frame, ("line:0", "line:1"))
    for other in geometry.others:
        add((other.start, other.end), other.frame, (f"{other.id}:start", f"{other.id}:end"))
    if geometry.plane is not None and len(geometry.plane.seen) == 4:
        add(geometry.plane.seen, geometry.plane.frame, (f"plane:{n}" for n in range(4)))
    if geometry.track is not None:
        marks = geometry.track.marks
        add([m.place for m in marks], geometry.track.frame, (f"track:{n}" for n in range(len(marks))))
    if geometry.edges is not None:
        for e, edge in enumerate(geometry.edges.edges):
            out |= {f"edge:{e}:{n}": QPointF(*place) for n, place in enumerate(edge)}
    out |= measured_handles(take, frame)
    return out


def moved(notebook: Notebook, take_id: str, handle: str, at: QPointF, frame: int) -> Notebook:
    """The notebook with what is held by a handle at another place of the picture of a frame."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    place = (round(at.x(), 2), round(at.y(), 2))
    kind, *which = handle.split(":")
    if kind in MEASURED:
        return measured_moved(notebook, take, handle, place, frame)
    camera = geometry_of(take).camera
    place = camera.laid(place, frame, _laid_in(take, handle, frame))
    if handle in ("start", "end"):
        return edits.move_reference_end(notebook, take_id, "start" if handle == "start" else "end", place)
    if handle == "origin":
        return edits.place_origin(notebook, take_id, place, frame)
    if handle == "turn":
        return _turned(notebook, take, at, frame)
    if kind == "line" and take.axes is not None and take.axes.line is not None:
        line = _with(take.axes.line, int(which[0]), place)
        by = "plumb" if take.axes.by == "plumb" else "points"
        return laid_edits.direct_axes(notebook, take_id, (line[0], line[1]), by, take.axes.u_line_px)  # type: ignore[arg-type]
    if kind in ("plane", "track", "edge"):
        return _part_moved(notebook, take, kind, [int(n) for n in which], place)
    return laid_edits.change_length(notebook, take_id, kind, **{which[0]: place})


def _laid_in(take: Take, handle: str, frame: int) -> int:
    """The frame in which what a handle holds was laid."""
    kind, geometry = handle.partition(":")[0], take.geometry
    laid: object = {
        "start": take.reference, "end": take.reference, "origin": take.axes, "line": take.axes,
        "plane": geometry.plane, "track": geometry.track, "edge": geometry.edges,
    }.get(kind, geometry.other(kind))  # fmt: skip
    return int(getattr(laid, "frame", frame))


def _part_moved(notebook: Notebook, take: Take, kind: str, which: list[int], place: Place) -> Notebook:
    """With a corner, a mark along a line or one on an edge at another place."""
    plane, track, edges = take.geometry.plane, take.geometry.track, take.geometry.edges
    changed: dict[str, object] = {}
    if kind == "plane" and plane is not None:
        changed["plane"] = plane.but(seen=_with(plane.seen, which[0], place))
    elif kind == "track" and track is not None:
        mark = track.marks[which[0]].but(place=place)
        changed["track"] = track.but(marks=_with(track.marks, which[0], mark))
    elif kind == "edge" and edges is not None:
        e, n = which
        changed["edges"] = edges.but(edges=_with(edges.edges, e, _with(edges.edges[e], n, place)))
    return laid_edits.change_geometry(notebook, take.id, **changed)


def _with(of: tuple[_T, ...], at: int, value: _T) -> tuple[_T, ...]:
    return (*of[:at], value, *of[at + 1 :])


def _turned(notebook: Notebook, take: Take, at: QPointF, frame: int) -> Notebook:
    """With the axes turned so that x points to a place of the picture of a frame."""
    camera = geometry_of(take).camera
    at = QPointF(*camera.moved([(at.x(), at.y())], frame, None)[0])
    origin = mapping_of(take).origin
    dx, dy = at.x() - origin[0], origin[1] - at.y()
    reach = max(math.hypot(dx, dy), 1.0)
    if mapping_of(take).ground is not None:
        laid_in = take.axes.frame if take.axes is not None else 0
        first, second = camera.moved(
            [origin, (round(at.x(), 2), round(at.y(), 2))], None, None if camera.shared else laid_in
        )
        line = (first, second)
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
        "measure": _("move a measure"),
        "division": _("place a division"),
        "middle": _("place a division"),
        "pointer": _("read a filmed scale"),
    }.get(kind, _("place the end of a length"))
