"""Edits of segments and their models."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_take
from saltus.notebook.model import Segment

if TYPE_CHECKING:
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.model import Notebook


def add_segment(
    notebook: Notebook,
    take_id: str,
    body_id: str,
    *,
    of: str,
    frames: tuple[int, int],
    model: str = "constant-acceleration",
) -> tuple[Notebook, str]:
    """Choose a stretch of frames (both ends included) and a model; its result becomes the headline."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    notebook, segment_id = new_id(notebook, "segment", (s.id for s in take.segments))
    first, last = sorted(frames)
    made = Segment.model_validate(
        {"id": segment_id, "body": body_id, "of": of, "first": first, "last": last, "model": model}
    )
    changed = change_take(notebook, take_id, segments=(*take.segments, made), headline=segment_id)
    return changed, segment_id


def add_segments(
    notebook: Notebook, take_id: str, body_id: str, *, of: str, stretches: list[tuple[int, int, str]]
) -> tuple[Notebook, list[str]]:
    """Add several stretches of frames, each with its model; a headline that there is stays."""
    take = notebook.take(take_id)
    kept = take.headline if take is not None else None
    made: list[str] = []
    for first, last, model in stretches:
        notebook, segment_id = add_segment(
            notebook, take_id, body_id, of=of, frames=(first, last), model=model
        )
        made.append(segment_id)
    if made:
        notebook = choose_headline(notebook, take_id, kept or made[0])
    return notebook, made


def change_segment(notebook: Notebook, take_id: str, segment_id: str, **changes: Any) -> Notebook:
    """Change the stretch, the coordinate or the model of a segment."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    segments = tuple(s.but(**changes) if s.id == segment_id else s for s in take.segments)
    return change_take(notebook, take_id, segments=segments)


def remove_segment(notebook: Notebook, take_id: str, segment_id: str) -> Notebook:
    """Take a segment away; its readings stay."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return change_take(
        notebook,
        take_id,
        segments=tuple(s for s in take.segments if s.id != segment_id),
        events=tuple(_without(e, segment_id) for e in take.events),
        headline=None if take.headline == segment_id else take.headline,
    )


def _without(event: BeforeAfter, segment_id: str) -> BeforeAfter:
    """The same event where a segment is gone."""
    if segment_id not in event.segments():
        return event
    sides = tuple(
        s.but(
            before=None if s.before == segment_id else s.before,
            after=None if s.after == segment_id else s.after,
        )
        for s in event.sides
    )
    without: BeforeAfter = event.but(sides=sides)
    return without


def choose_headline(notebook: Notebook, take_id: str, segment_id: str) -> Notebook:
    """Let the result of a segment stand at the top of the window and of the sheet."""
    return change_take(notebook, take_id, headline=segment_id)
