"""Edits of what lies just before and just after an event."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.before_after import BeforeAfter
from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_take

if TYPE_CHECKING:
    from saltus.notebook.before_after import Side
    from saltus.notebook.model import Notebook


def add_event(
    notebook: Notebook, take_id: str, *, name: str, of: str, sides: tuple[Side, ...]
) -> tuple[Notebook, str]:
    """Put an event between segments of one body or of several."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    notebook, event_id = new_id(notebook, "event", (e.id for e in take.events))
    made = BeforeAfter.model_validate({"id": event_id, "name": name, "of": of, "sides": sides})
    return change_take(notebook, take_id, events=(*take.events, made)), event_id


def change_event(notebook: Notebook, take_id: str, event_id: str, **changes: Any) -> Notebook:
    """Change the name, the level side, or the sides of an event."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    events = tuple(e.but(**changes) if e.id == event_id else e for e in take.events)
    return change_take(notebook, take_id, events=events)


def change_side(notebook: Notebook, take_id: str, event_id: str, body_id: str, **changes: Any) -> Notebook:
    """Change the segments, or the mass, of one body at an event."""
    take = notebook.take(take_id)
    event = next((e for e in take.events if e.id == event_id), None) if take is not None else None
    if event is None:
        raise KeyError(event_id)
    sides = tuple(s.but(**changes) if s.body == body_id else s for s in event.sides)
    return change_event(notebook, take_id, event_id, sides=sides)


def remove_event(notebook: Notebook, take_id: str, event_id: str) -> Notebook:
    """Take an event away; its segments stay."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return change_take(notebook, take_id, events=tuple(e for e in take.events if e.id != event_id))
