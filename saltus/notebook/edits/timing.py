"""Edits of what was timed on a take, and of hands on a stopwatch."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_take
from saltus.notebook.timing import ByHand, Count, Event, Gates, HandTest, Instant, Interval, Onset

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook, Take

Kind = Literal["instants", "intervals", "counts", "gates"]


def _take(notebook: Notebook, take_id: str) -> Take:
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return take


def change_timing(notebook: Notebook, take_id: str, **changes: Any) -> Notebook:
    """Change fields of what was timed on a take."""
    return change_take(notebook, take_id, timing=_take(notebook, take_id).timing.but(**changes))


# -- events ------------------------------------------------------------------------------------------


def add_event(notebook: Notebook, name: str, words: str = "") -> tuple[Notebook, str]:
    """Define an event; gives the notebook and its id."""
    notebook, event_id = new_id(notebook, "event", (e.id for e in notebook.events))
    made = Event(id=event_id, name=name[:200] or event_id, words=words[:500])
    return notebook.but(events=(*notebook.events, made)), event_id


def change_event(notebook: Notebook, event_id: str, **changes: Any) -> Notebook:
    """Name an event, or write what counts as one."""
    events = tuple(e.but(**changes) if e.id == event_id else e for e in notebook.events)
    return notebook.but(events=events)  # type: ignore[no-any-return]


def remove_event(notebook: Notebook, event_id: str) -> Notebook:
    """Take a definition away; instants that were marked by it stay, without a name."""
    out = notebook.but(events=tuple(e for e in notebook.events if e.id != event_id))
    for take in notebook.takes:
        if any(i.event == event_id for i in take.timing.instants):
            instants = tuple(i.but(event=None) if i.event == event_id else i for i in take.timing.instants)
            out = change_timing(out, take.id, instants=instants)
    return out  # type: ignore[no-any-return]


# -- instants and intervals --------------------------------------------------------------------------


def mark_instant(notebook: Notebook, take_id: str, **fields: Any) -> tuple[Notebook, str]:
    """Mark an instant; gives the notebook and its id. The same one twice is one."""
    timing = _take(notebook, take_id).timing
    made = Instant(id="instant", **fields)
    same = next((i for i in timing.instants if i.but(id=made.id) == made), None)
    if same is not None:
        return notebook, same.id
    notebook, instant_id = new_id(notebook, "instant", (i.id for i in timing.instants))
    instants = (*timing.instants, made.but(id=instant_id))
    return change_timing(notebook, take_id, instants=instants), instant_id


def add_interval(
    notebook: Notebook, take_id: str, start: str, stop: str, name: str, cycles: int = 1
) -> tuple[Notebook, str]:
    """Keep the time between two instants; gives the notebook and its id."""
    timing = _take(notebook, take_id).timing
    notebook, interval_id = new_id(notebook, "interval", (i.id for i in timing.intervals))
    made = Interval(id=interval_id, name=name[:200] or interval_id, start=start, stop=stop, cycles=cycles)
    return change_timing(notebook, take_id, intervals=(*timing.intervals, made)), interval_id


def remove(notebook: Notebook, take_id: str, kind: Kind, part_id: str) -> Notebook:
    """Take an instant, interval, count or set of gates away; intervals of an instant go with it."""
    timing = _take(notebook, take_id).timing
    changes: dict[str, Any] = {kind: tuple(p for p in getattr(timing, kind) if p.id != part_id)}
    if kind == "instants":
        changes["intervals"] = tuple(i for i in timing.intervals if part_id not in (i.start, i.stop))
    return change_timing(notebook, take_id, **changes)


def change(notebook: Notebook, take_id: str, kind: Kind, part_id: str, **changes: Any) -> Notebook:
    """Change an instant, interval, count or set of gates."""
    parts = getattr(_take(notebook, take_id).timing, kind)
    return change_timing(
        notebook, take_id, **{kind: tuple(p.but(**changes) if p.id == part_id else p for p in parts)}
    )


def add_by_hand(notebook: Notebook, take_id: str, made: ByHand) -> Notebook:
    """Keep a timing by hand of a take that played."""
    timing = _take(notebook, take_id).timing
    return change_timing(notebook, take_id, by_hand=(*timing.by_hand, made))


# -- counts and gates --------------------------------------------------------------------------------


def add_count(notebook: Notebook, take_id: str, **fields: Any) -> tuple[Notebook, str]:
    """Begin to count passings; gives the notebook and the id."""
    timing = _take(notebook, take_id).timing
    notebook, count_id = new_id(notebook, "count", (c.id for c in timing.counts))
    made = Count(id=count_id, **fields)
    return change_timing(notebook, take_id, counts=(*timing.counts, made)), made.id


def count_frame(notebook: Notebook, take_id: str, count_id: str, frame: int) -> Notebook:
    """Count a passing in a frame; the same frame again takes it back."""
    count = _take(notebook, take_id).timing.count(count_id)
    assert count is not None
    frames = set(count.frames) ^ {frame}
    return change(notebook, take_id, "counts", count_id, frames=tuple(sorted(frames)))


def count_onset(notebook: Notebook, take_id: str, count_id: str, at: float, half: float) -> Notebook:
    """Count a sound; the same again takes it back."""
    count = _take(notebook, take_id).timing.count(count_id)
    assert count is not None
    made = Onset(at=at, half=half)
    onsets = [o for o in count.onsets if o != made] + ([] if made in count.onsets else [made])
    return change(notebook, take_id, "counts", count_id, onsets=tuple(sorted(onsets, key=lambda o: o.at)))


def switch_aside(notebook: Notebook, take_id: str, count_id: str, number: int) -> Notebook:
    """Set a passing aside without renumbering the others, or put it back."""
    count = _take(notebook, take_id).timing.count(count_id)
    assert count is not None
    aside = tuple(sorted(set(count.aside) ^ {number}))
    return change(notebook, take_id, "counts", count_id, aside=aside)


def add_gates(notebook: Notebook, take_id: str, **fields: Any) -> tuple[Notebook, str]:
    """Lay gates; gives the notebook and their id."""
    timing = _take(notebook, take_id).timing
    notebook, gates_id = new_id(notebook, "gates", (g.id for g in timing.gates))
    made = Gates(id=gates_id, **fields)
    return change_timing(notebook, take_id, gates=(*timing.gates, made)), made.id


# -- hands -------------------------------------------------------------------------------------------


def add_hand(notebook: Notebook, name: str) -> tuple[Notebook, str]:
    """Add a person's hand that is to be measured; gives the notebook and its id."""
    notebook, hand_id = new_id(notebook, "hand", (h.id for h in notebook.hands))
    made = HandTest(id=hand_id, name=name[:200] or hand_id)
    return notebook.but(hands=(*notebook.hands, made)), hand_id


def set_presses(
    notebook: Notebook, hand_id: str, kind: Literal["predicted", "seen"], presses: tuple[float, ...]
) -> Notebook:
    """Write down the presses of a reaction test, press minus true moment, s."""
    hands = tuple(h.but(**{kind: presses}) if h.id == hand_id else h for h in notebook.hands)
    return notebook.but(hands=hands)  # type: ignore[no-any-return]
