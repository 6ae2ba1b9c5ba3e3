"""Edits of what is laid over a picture beside the first reference length, for all takes of one camera."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_set_up
from saltus.notebook.geometry import AxesPlace, Reference

if TYPE_CHECKING:
    from typing import Literal

    from saltus.notebook.model import Notebook
    from saltus.notebook.part import Place


def change_geometry(notebook: Notebook, take_id: str, **changes: Any) -> Notebook:
    """Change parts of the geometry of a take.

    Raises
    ------
    KeyError
        If there is no such take.
    """
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return change_set_up(notebook, take_id, geometry=take.geometry.but(**changes))


def add_length(
    notebook: Notebook, take_id: str, start: Place, end: Place, *, check: bool, frame: int = 0
) -> tuple[Notebook, str]:
    """Lay a further reference length, or one to check by; gives the notebook and its id.

    How well an end is placed is taken over from the lengths that are there.
    """
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    stem = "check" if check else "reference"
    notebook, reference_id = new_id(notebook, stem, (o.id for o in take.geometry.others if o.id))
    u = take.reference.u_end_px if take.reference is not None else 1.0
    made = Reference(id=reference_id, start=start, end=end, frame=frame, check=check, u_end_px=u)
    others = (*take.geometry.others, made)
    return change_geometry(notebook, take_id, others=others), reference_id


def change_length(notebook: Notebook, take_id: str, reference_id: str | None, **changes: Any) -> Notebook:
    """Change a length of a take: the first, where no id is given."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    if reference_id is None:
        if take.reference is None:
            return notebook
        return change_set_up(notebook, take_id, reference=take.reference.but(**changes))
    others = tuple(o.but(**changes) if o.id == reference_id else o for o in take.geometry.others)
    return change_geometry(notebook, take_id, others=others)


def remove_length(notebook: Notebook, take_id: str, reference_id: str | None) -> Notebook:
    """Take a length away; if it was the first, the next reference length takes its place."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    others = take.geometry.others
    if reference_id is not None:
        return change_geometry(notebook, take_id, others=tuple(o for o in others if o.id != reference_id))
    following = next((o for o in others if not o.check), None)
    first = following.but(id=None) if following is not None else None
    rest = tuple(o for o in others if o is not following)
    notebook = change_set_up(notebook, take_id, reference=first)
    return change_geometry(notebook, take_id, others=rest)


def placed_again(
    notebook: Notebook, take_id: str, reference_id: str | None, placements: tuple[tuple[Place, Place], ...]
) -> Notebook:
    """Note down that the ends of a length were placed again, without seeing the earlier ones."""
    return change_length(notebook, take_id, reference_id, placements=placements)


def direct_axes(
    notebook: Notebook, take_id: str, line: tuple[Place, Place], by: Literal["points", "plumb"], u_px: float
) -> Notebook:
    """Give the direction of the axes by two places: along x, or along a plumb line."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    axes = take.axes or AxesPlace()
    return change_set_up(notebook, take_id, axes=axes.but(line=line, by=by, u_line_px=u_px))


def direct_by_path(notebook: Notebook, take_id: str, angle_deg: float, u_angle_deg: float) -> Notebook:
    """Let the axes point along the way of a body, as its readings have it."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    axes = take.axes or AxesPlace()
    made = axes.but(line=None, by="path", angle_deg=angle_deg, u_angle_deg=u_angle_deg)
    return change_set_up(notebook, take_id, axes=made)


def positive_down(notebook: Notebook, take_id: str, y_down: bool) -> Notebook:
    """Choose whether positive y points down, and restate everything."""
    take = notebook.take(take_id)
    if take is None:
        return notebook
    axes = take.axes or AxesPlace()
    return change_set_up(notebook, take_id, axes=axes.but(y_down=y_down))
