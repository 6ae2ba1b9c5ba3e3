"""Edits of bodies and their readings."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.derived.eyes import eye_check, signed
from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_take
from saltus.notebook.model import Body

if TYPE_CHECKING:
    from saltus.notebook.measuring import EyeTest
    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.readings import Reading


def change_body(notebook: Notebook, take_id: str, body_id: str, **changes: Any) -> Notebook:
    """Change fields of a body."""
    take = require_take(notebook, take_id)
    bodies = tuple(b.but(**changes) if b.id == body_id else b for b in take.bodies)
    return change_take(notebook, take_id, bodies=bodies)


def require_take(notebook: Notebook, take_id: str) -> Take:
    """Find a take that is known to be there."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return take


def add_body(notebook: Notebook, take_id: str, name: str) -> tuple[Notebook, str]:
    """Add a body with the next free colour and shape; gives the notebook and the body's id.

    It is read by the eye that was looked at last, if one was.
    """
    take = require_take(notebook, take_id)
    notebook, body_id = new_id(notebook, "body", (b.id for b in take.bodies))
    looks = {b.look for b in take.bodies}
    look = next(i for i in range(100) if i not in looks)
    body = Body(id=body_id, name=name[:200] or body_id, look=look)
    notebook = change_take(notebook, take_id, bodies=(*take.bodies, body))
    if notebook.eyes:
        notebook = read_with_eye(notebook, take_id, body_id, notebook.eyes[-1])
    return notebook, body_id


def rename_body(notebook: Notebook, take_id: str, body_id: str, name: str) -> Notebook:
    """Name a body."""
    return change_body(notebook, take_id, body_id, name=name)


def remove_body(notebook: Notebook, take_id: str, body_id: str) -> Notebook:
    """Take a body away with its readings, segments and points, and out of its events."""
    take = require_take(notebook, take_id)
    left = [(e, tuple(s for s in e.sides if s.body != body_id)) for e in take.events]
    about = f"@{body_id}"
    riding = [f"@{f.id}" for f in take.moving_frames if body_id in f.bodies]
    return change_take(
        notebook,
        take_id,
        bodies=tuple(b for b in take.bodies if b.id != body_id),
        segments=tuple(s for s in take.segments if s.body != body_id and not s.of.endswith((about, *riding))),
        events=tuple(e.but(sides=sides) for e, sides in left if sides),
        points=tuple(p for p in take.points if p.body != body_id and not p.of.endswith((about, *riding))),
        moving_frames=tuple(f for f in take.moving_frames if body_id not in f.bodies),
        filmed_scales=tuple(s.but(body=None) if s.body == body_id else s for s in take.filmed_scales),
    )


def set_reading_uncertainty(notebook: Notebook, take_id: str, body_id: str, u_px: float) -> Notebook:
    """State how well this body's place can be read: standard uncertainty in each direction, px."""
    return change_body(notebook, take_id, body_id, u_px=u_px, u_dof=None, u_from="")


def read_with_eye(notebook: Notebook, take_id: str, body_id: str, eye: EyeTest) -> Notebook:
    """Let readings of a body count with what a repeat check gave."""
    found = eye_check(eye)
    return change_body(
        notebook, take_id, body_id, u_px=found.u_px, u_dof=float(found.dof), u_from=signed(eye)
    )


def place_reading(notebook: Notebook, take_id: str, body_id: str, reading: Reading) -> Notebook:
    """Place a reading; one already in that frame gives way to it."""
    body = require_take(notebook, take_id).body(body_id)
    if body is None:
        return notebook
    return change_body(notebook, take_id, body_id, readings=body.readings.with_reading(reading))


def delete_reading(notebook: Notebook, take_id: str, body_id: str, frame: int) -> Notebook:
    """Take the reading in a frame away."""
    body = require_take(notebook, take_id).body(body_id)
    if body is None or body.readings.at(frame) is None:
        return notebook
    return change_body(notebook, take_id, body_id, readings=body.readings.without(frame))


def switch_aside(notebook: Notebook, take_id: str, body_id: str, frame: int) -> Notebook:
    """Set the reading in a frame aside, or put it back."""
    body = require_take(notebook, take_id).body(body_id)
    old = body.readings.at(frame) if body else None
    if old is None:
        return notebook
    changed = old.but(status="aside" if old.status != "aside" else "used")
    return place_reading(notebook, take_id, body_id, changed)
