"""Edits by which a film gets the set-up of a template take: scale, axes, bodies, segments, gates."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.readings import require_take
from saltus.notebook.edits.takes import add_take, change_take
from saltus.notebook.measuring import MovingFrame, Steadying
from saltus.notebook.model import Body, Segment

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.footage.facts import FilmFacts
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.model import FilmRef, Notebook, Take

    Ids = Mapping[str, str]
    Stretches = Mapping[str, tuple[int, int]]


def take_like(
    notebook: Notebook, template: Take, film: FilmRef, facts: FilmFacts
) -> tuple[Notebook, str, dict[str, str]]:
    """Add a film with scale, axes, clock and bodies of a template; nothing is read in it yet.

    Returns
    -------
    notebook, take_id : Notebook, str
    bodies : dict of str to str
        Id of each body by the id of the template's.
    """
    notebook, take_id = add_take(notebook, film, facts, simulated=template.simulated)
    notebook, bodies = set_up_like(notebook, template, take_id)
    return notebook, take_id, bodies


def set_up_like(notebook: Notebook, template: Take, take_id: str) -> tuple[Notebook, dict[str, str]]:
    """Give a take in which nothing is read yet scale, axes, clock and bodies of a template.

    Returns
    -------
    notebook : Notebook
    bodies : dict of str to str
        Id of each body and moving frame by the id of the template's.
    """
    made: list[Body] = []
    ids: dict[str, str] = {}
    for body in template.bodies:
        notebook, ids[body.id] = new_id(notebook, "body", (b.id for b in template.bodies))
        made.append(
            Body(
                id=ids[body.id],
                name=body.name,
                look=body.look,
                u_px=body.u_px,
                u_dof=body.u_dof,
                u_from=body.u_from,
                fixed=body.fixed,
                mass=body.mass,
            )  # fmt: skip
        )
    frames: list[MovingFrame] = []
    for frame in template.moving_frames:
        notebook, ids[frame.id] = new_id(notebook, "moving", (f.id for f in template.moving_frames))
        frames.append(frame.but(id=ids[frame.id], bodies=tuple(ids[b] for b in frame.bodies)))
    timing, last = template.timing, len(require_take(notebook, take_id).facts.ticks) - 1
    reference = template.reference
    changes: dict[str, Any] = {
        "step": template.step,
        "capture_rate": template.capture_rate,
        "clock_U95_percent": template.clock_U95_percent,
        "reference": reference and reference.but(frame=min(reference.frame, last)),
        "axes": template.axes,
        "geometry": template.geometry,
        "camera": template.camera or template.id,
        "bodies": tuple(made),
        "moving_frames": tuple(frames),
        # how its own camera moved, its own fixed points tell once they are read
        "steadying": Steadying(zooms=template.steadying.zooms) if template.steadying is not None else None,
        "timing": type(timing)(
            sound=timing.sound, shutter=timing.shutter, repeats_left_out=timing.repeats_left_out
        ),
    }
    return change_take(notebook, take_id, **changes), ids


def parts_like(
    notebook: Notebook, template: Take, take_id: str, bodies: Ids, stretches: Stretches
) -> tuple[Notebook, dict[str, str]]:
    """Add the segments, gates, counted passings and events of a template to a take.

    Parameters
    ----------
    notebook, template, take_id
    bodies : mapping of str to str
        Id of each body of the take by the id of the template's.
    stretches : mapping of str to (int, int)
        First and last frame of each segment that is there, by the id of the template's.

    Returns
    -------
    notebook : Notebook
    ids : dict of str to str
        Id of each part by the id of the template's.
    """
    segments: list[Segment] = []
    ids: dict[str, str] = {}
    for one in template.segments:
        if one.id in stretches and one.body in bodies:
            notebook, ids[one.id] = new_id(notebook, "segment", (s.id for s in template.segments))
            first, last = stretches[one.id]
            of = coordinate_like(one.of, bodies)
            segments.append(one.but(id=ids[one.id], body=bodies[one.body], of=of, first=first, last=last))
    notebook, timing = _timing_like(notebook, template, bodies, ids)
    events = []
    for event in template.events:
        made = _event_like(event, bodies, ids)
        if made is not None:
            notebook, ids[event.id] = new_id(notebook, "event", (e.id for e in template.events))
            events.append(made.but(id=ids[event.id]))
    old = require_take(notebook, take_id).timing
    changed = change_take(
        notebook, take_id, segments=tuple(segments), headline=ids.get(template.headline or ""),
        timing=old.but(**timing), events=tuple(events),
    )  # fmt: skip
    return changed, ids


def coordinate_like(of: str, bodies: Ids) -> str:
    """A coordinate of the template as one of the take: about another body, about the one like it."""
    kind, about, body = of.partition("@")
    return f"{kind}{about}{bodies.get(body, body)}" if about else of


def _timing_like(
    notebook: Notebook, template: Take, bodies: Ids, ids: dict[str, str]
) -> tuple[Notebook, dict[str, Any]]:
    """Gates and passings that are found from readings; what was marked in frames belongs to those frames."""
    parts: dict[str, Any] = {}
    timing = template.timing
    for kind, stem, those in (
        ("counts", "count", tuple(c for c in timing.counts if c.how == "readings")),
        ("gates", "gates", timing.gates),
    ):
        made = []
        for one in those:
            if one.body is not None and one.body in bodies:
                notebook, ids[one.id] = new_id(notebook, stem, (p.id for p in getattr(timing, kind)))
                made.append(one.but(id=ids[one.id], body=bodies[one.body]))
        parts[kind] = tuple(made)
    return notebook, parts


def _event_like(event: BeforeAfter, bodies: Ids, ids: Ids) -> BeforeAfter | None:
    """The same event where all its segments are there."""
    if event.instant is not None or any(s not in ids for s in event.segments()):
        return None
    if any(side.body not in bodies for side in event.sides):
        return None
    sides = tuple(
        side.but(
            body=bodies[side.body],
            before=ids.get(side.before or ""),
            after=ids.get(side.after or ""),
        )
        for side in event.sides
    )
    like: BeforeAfter = event.but(sides=sides)
    return like
