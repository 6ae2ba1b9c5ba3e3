"""Edits of what is measured in the picture beside bodies."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.readings import change_body, require_take
from saltus.notebook.edits.takes import change_take
from saltus.notebook.measuring import EyeTest, FilmedScale, Measure, MovingFrame, PointerPlace, Steadying

if TYPE_CHECKING:
    from saltus.notebook.geometry import Typed
    from saltus.notebook.measuring import BackgroundRecord
    from saltus.notebook.model import Notebook
    from saltus.notebook.part import Place


def fix_point(notebook: Notebook, take_id: str, body_id: str, *, fixed: bool) -> Notebook:
    """Say that a body stands still, and shows how the camera moved; or that it does not."""
    take = require_take(notebook, take_id)
    notebook = change_body(notebook, take_id, body_id, fixed=fixed)
    if fixed and take.steadying is None:
        notebook = change_take(notebook, take_id, steadying=Steadying())
    return notebook


def steady_by(notebook: Notebook, take_id: str, **changes: Any) -> Notebook:
    """Say by what the motion of the camera is taken out, and whether it zooms."""
    steadying = require_take(notebook, take_id).steadying or Steadying()
    return change_take(notebook, take_id, steadying=steadying.but(**changes))


def steady_no_more(notebook: Notebook, take_id: str) -> Notebook:
    """Take the camera as one that stood still; fixed points stay as bodies."""
    return change_take(notebook, take_id, steadying=None)


def steady_by_background(notebook: Notebook, take_id: str, record: BackgroundRecord) -> Notebook:
    """Take the motion of the camera out by what its background showed."""
    return steady_by(notebook, take_id, by="background", background=record)


def add_measure(
    notebook: Notebook, take_id: str, kind: str, places: tuple[Place, ...], frame: int, **more: Any
) -> tuple[Notebook, str]:
    """Lay a measure over the picture; gives the notebook and its id."""
    take = require_take(notebook, take_id)
    notebook, measure_id = new_id(notebook, "measure", (m.id for m in take.measures))
    made = Measure(id=measure_id, kind=kind, places=places, frame=frame, **more)
    return change_take(notebook, take_id, measures=(*take.measures, made)), measure_id


def change_measure(notebook: Notebook, take_id: str, measure_id: str, **changes: Any) -> Notebook:
    """Change a measure."""
    take = require_take(notebook, take_id)
    measures = tuple(m.but(**changes) if m.id == measure_id else m for m in take.measures)
    return change_take(notebook, take_id, measures=measures)


def remove_measure(notebook: Notebook, take_id: str, measure_id: str) -> Notebook:
    """Take a measure away; givens that have their value from it keep what it last gave."""
    take = require_take(notebook, take_id)
    return change_take(notebook, take_id, measures=tuple(m for m in take.measures if m.id != measure_id))


def add_scale(notebook: Notebook, take_id: str, kind: str, **more: Any) -> tuple[Notebook, str]:
    """Begin a filmed scale, straight or round; gives the notebook and its id."""
    take = require_take(notebook, take_id)
    notebook, scale_id = new_id(notebook, "scale", (s.id for s in take.filmed_scales))
    made = FilmedScale(id=scale_id, kind=kind, **more)
    return change_take(notebook, take_id, filmed_scales=(*take.filmed_scales, made)), scale_id


def change_scale(notebook: Notebook, take_id: str, scale_id: str, **changes: Any) -> Notebook:
    """Change a filmed scale."""
    take = require_take(notebook, take_id)
    scales = tuple(s.but(**changes) if s.id == scale_id else s for s in take.filmed_scales)
    return change_take(notebook, take_id, filmed_scales=scales)


def remove_scale(notebook: Notebook, take_id: str, scale_id: str) -> Notebook:
    """Take a filmed scale away; cells that have their value from it keep what it last gave."""
    take = require_take(notebook, take_id)
    kept = tuple(s for s in take.filmed_scales if s.id != scale_id)
    return change_take(notebook, take_id, filmed_scales=kept)


def read_pointer(
    notebook: Notebook, take_id: str, scale_id: str, frame: int, place: Place
) -> tuple[Notebook, str]:
    """Note down where the pointer of a scale is seen in a frame, once a frame; gives the id of that place."""
    take = require_take(notebook, take_id)
    scale = take.filmed_scale(scale_id)
    if scale is None:
        raise KeyError(scale_id)
    there = next((p for p in scale.pointers if p.frame == frame), None)
    if there is not None:
        moved = tuple(p.but(place=place) if p is there else p for p in scale.pointers)
        return change_scale(notebook, take_id, scale_id, pointers=moved), there.id
    known = (p.id for s in take.filmed_scales for p in s.pointers)
    notebook, pointer_id = new_id(notebook, "pointer", known)
    made = PointerPlace(id=pointer_id, frame=frame, place=place)
    return change_scale(notebook, take_id, scale_id, pointers=(*scale.pointers, made)), pointer_id


def read_no_more(notebook: Notebook, take_id: str, scale_id: str, pointer_id: str) -> Notebook:
    """Take a reading of a filmed scale away."""
    scale = require_take(notebook, take_id).filmed_scale(scale_id)
    kept = tuple(p for p in scale.pointers if p.id != pointer_id) if scale is not None else ()
    return change_scale(notebook, take_id, scale_id, pointers=kept)


def set_mass(notebook: Notebook, take_id: str, body_id: str, mass: Typed | None) -> Notebook:
    """Give the mass of a body."""
    return change_body(notebook, take_id, body_id, mass=mass)


def add_moving_frame(
    notebook: Notebook, take_id: str, name: str, bodies: tuple[str, ...]
) -> tuple[Notebook, str]:
    """Let an origin ride on the centre of mass of bodies; gives the notebook and the id of the frame."""
    take = require_take(notebook, take_id)
    notebook, frame_id = new_id(notebook, "moving", (f.id for f in take.moving_frames))
    made = MovingFrame(id=frame_id, name=name, bodies=bodies)
    return change_take(notebook, take_id, moving_frames=(*take.moving_frames, made)), frame_id


def remove_moving_frame(notebook: Notebook, take_id: str, frame_id: str) -> Notebook:
    """Take a moving frame away with the segments and points seen from it."""
    take = require_take(notebook, take_id)
    about = f"@{frame_id}"
    return change_take(
        notebook, take_id,
        moving_frames=tuple(f for f in take.moving_frames if f.id != frame_id),
        segments=tuple(s for s in take.segments if not s.of.endswith(about)),
        points=tuple(p for p in take.points if not p.of.endswith(about)),
    )  # fmt: skip


def keep_eye(
    notebook: Notebook, name: str, when: str, first: tuple[Place, ...], again: tuple[Place, ...],
    u_first_px: float | None = None,
) -> tuple[Notebook, str]:  # fmt: skip
    """Keep a repeat check; gives the notebook and its id."""
    notebook, eye_id = new_id(notebook, "eye", (e.id for e in notebook.eyes))
    made = EyeTest(id=eye_id, name=name, when=when, first=first, again=again, u_first_px=u_first_px)
    return notebook.but(eyes=(*notebook.eyes, made)), eye_id
