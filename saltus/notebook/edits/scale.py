"""Edits of the reference length and the axes, which takes of one camera have in common."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Literal

from saltus.notebook.edits.takes import change_set_up
from saltus.notebook.geometry import AxesPlace, Reference

if TYPE_CHECKING:
    from saltus.notebook.geometry import Typed
    from saltus.notebook.model import Notebook
    from saltus.notebook.part import Place


def lay_reference(notebook: Notebook, take_id: str, start: Place, end: Place, frame: int = 0) -> Notebook:
    """Lay the reference length over the picture, keeping a length already typed.

    Parameters
    ----------
    notebook : Notebook
    take_id : str
    start, end : (x, y)
        Picture coordinates, px.
    frame : int
        The frame in which it was laid.
    """
    take = notebook.take(take_id)
    before = take.reference if take else None
    made = (
        before.but(start=start, end=end, frame=frame)
        if before
        else Reference(start=start, end=end, frame=frame)
    )
    return change_set_up(notebook, take_id, reference=made)


def move_reference_end(
    notebook: Notebook, take_id: str, which: Literal["start", "end"], place: Place
) -> Notebook:
    """Move one end of the reference length."""
    take = notebook.take(take_id)
    if take is None or take.reference is None:
        return notebook
    return change_set_up(notebook, take_id, reference=take.reference.but(**{which: place}))


def set_reference_length(notebook: Notebook, take_id: str, length: Typed) -> Notebook:
    """Type the length that was laid, with its uncertainty."""
    take = notebook.take(take_id)
    if take is None or take.reference is None:
        return notebook
    return change_set_up(notebook, take_id, reference=take.reference.but(length=length))


def set_end_uncertainty(notebook: Notebook, take_id: str, u_px: float) -> Notebook:
    """State how well one end can be placed, standard uncertainty in px."""
    take = notebook.take(take_id)
    if take is None or take.reference is None:
        return notebook
    return change_set_up(notebook, take_id, reference=take.reference.but(u_end_px=u_px))


def remove_reference(notebook: Notebook, take_id: str) -> Notebook:
    """Take the reference length away: positions are in pixels again."""
    return change_set_up(notebook, take_id, reference=None)


def place_origin(notebook: Notebook, take_id: str, origin: Place, frame: int = 0) -> Notebook:
    """Place the origin, keeping the direction of the axes, and the frame in which they were first laid."""
    take = notebook.take(take_id)
    axes = take.axes if take else None
    made = axes.but(origin=origin) if axes else AxesPlace(origin=origin, frame=frame)
    return change_set_up(notebook, take_id, axes=made)


def origin_at(notebook: Notebook, take_id: str, origin: Place, u_px: float, frame: int = 0) -> Notebook:
    """Place the origin where something was found, as surely as that is known."""
    moved = place_origin(notebook, take_id, origin, frame)
    take = moved.take(take_id)
    axes = take.axes if take is not None else None
    return moved if axes is None else change_set_up(moved, take_id, axes=axes.but(u_origin_px=u_px))


def turn_axes(notebook: Notebook, take_id: str, angle_deg: float, u_angle_deg: float = 0.0) -> Notebook:
    """Turn the axes anticlockwise as seen on the picture.

    Parameters
    ----------
    notebook : Notebook
    take_id : str
    angle_deg, u_angle_deg : float
        Angle and its standard uncertainty, degrees.
    """
    take = notebook.take(take_id)
    if take is None:
        return notebook
    axes = take.axes or AxesPlace()
    turned = math.remainder(angle_deg, 360.0)
    made = axes.but(angle_deg=turned, u_angle_deg=u_angle_deg, by="typed", line=None)
    return change_set_up(notebook, take_id, axes=made)
