"""Edits of the notebook's head and of whole takes."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.model import Notebook, Take, TakeFacts

if TYPE_CHECKING:
    from saltus.footage.facts import FilmFacts
    from saltus.notebook.model import FilmRef


def with_take(notebook: Notebook, take: Take) -> Notebook:
    """Put a changed take in the place of the one with its id."""
    return notebook.but(takes=tuple(take if t.id == take.id else t for t in notebook.takes))  # type: ignore[no-any-return]


def change_take(notebook: Notebook, take_id: str, **changes: Any) -> Notebook:
    """Change fields of one take.

    Raises
    ------
    KeyError
        If there is no such take.
    """
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return with_take(notebook, take.but(**changes))


def change_set_up(notebook: Notebook, take_id: str, **changes: Any) -> Notebook:
    """Change scale, axes or clock of a take, and of all takes its camera was not moved for.

    Raises
    ------
    KeyError
        If there is no such take.
    """
    notebook = change_take(notebook, take_id, **changes)
    take = notebook.take(take_id)
    assert take is not None
    for other in takes_of_camera(notebook, take):
        notebook = with_take(notebook, other.but(**changes))
    return notebook


def takes_of_camera(notebook: Notebook, take: Take) -> list[Take]:
    """The other takes that share scale, axes and clock with a take."""
    camera = take.camera or take.id
    return [t for t in notebook.takes if t.id != take.id and (t.camera or t.id) == camera]


def apart(notebook: Notebook, take_id: str) -> Notebook:
    """Let a take have scale, axes and clock of its own: its camera was moved."""
    notebook, camera = new_id(notebook, "camera", (t.camera for t in notebook.takes if t.camera))
    return change_take(notebook, take_id, camera=camera)


def add_take(
    notebook: Notebook, film: FilmRef, facts: FilmFacts, name: str | None = None, *, simulated: bool = False
) -> tuple[Notebook, str]:
    """Add a film as a new take; gives the notebook and the take's id."""
    notebook, take_id = new_id(notebook, "take", (t.id for t in notebook.takes))
    title = name or re.sub(r"[_\s]+", " ", film.name.rsplit(".", 1)[0]).strip() or film.name
    take = Take(id=take_id, name=title[:200], film=film, facts=TakeFacts.of(facts), simulated=simulated)
    return notebook.but(takes=(*notebook.takes, take)), take_id


def set_facts(notebook: Notebook, take_id: str, facts: TakeFacts) -> Notebook:
    """Take over what a complete check of the film found.

    Where the check found other frames than readings were placed on, only its warnings are taken over.
    """
    take = notebook.take(take_id)
    if take is None:
        return notebook
    kept = [s.last for s in take.segments] + [b.readings.last_frame for b in take.bodies]
    kept += [take.kept[1]] if take.kept else []
    fits = facts.ticks == take.facts.ticks[: len(facts.ticks)] and max(kept, default=-1) < len(facts.ticks)
    untouched = not any(len(b.readings) for b in take.bodies) and take.kept is None
    if not fits and not untouched:
        facts = take.facts.but(warnings=facts.warnings, checked=True)
    return change_take(notebook, take_id, facts=facts)


def remove_take(notebook: Notebook, take_id: str) -> Notebook:
    """Take a take out of the notebook; its film stays where it is."""
    return notebook.but(takes=tuple(t for t in notebook.takes if t.id != take_id))  # type: ignore[no-any-return]


def rename_take(notebook: Notebook, take_id: str, name: str) -> Notebook:
    """Name a take."""
    return change_take(notebook, take_id, name=name)


def set_step(notebook: Notebook, take_id: str, step: int) -> Notebook:
    """Set by how many frames the picture advances after a reading."""
    return change_take(notebook, take_id, step=step)


def keep_part(notebook: Notebook, take_id: str, first: int, last: int) -> Notebook:
    """Keep the useful part of a take, both frames included; the whole of it counts as not trimmed."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    end = len(take.facts.ticks) - 1
    first, last = sorted((min(max(first, 0), end), min(max(last, 0), end)))
    return change_take(notebook, take_id, kept=None if (first, last) == (0, end) else (first, last))


def set_clock(notebook: Notebook, take_id: str, capture_rate: float | None, U95_percent: float) -> Notebook:
    """State the rate at which the camera took frames (None: as played) and how uncertain the clock is.

    Parameters
    ----------
    notebook : Notebook
    take_id : str
    capture_rate : float or None
        Frames per second.
    U95_percent : float
        Relative expanded uncertainty of the rate, per cent.
    """
    return change_set_up(notebook, take_id, capture_rate=capture_rate, clock_U95_percent=U95_percent)


def set_title(notebook: Notebook, title: str) -> Notebook:
    """Name the notebook."""
    return notebook.but(title=title)  # type: ignore[no-any-return]


def set_who(notebook: Notebook, who: str) -> Notebook:
    """Say who made the measurement, for the sheet."""
    return notebook.but(who=who)  # type: ignore[no-any-return]


def set_remarks(notebook: Notebook, remarks: str) -> Notebook:
    """Set the remarks printed on the sheet."""
    return notebook.but(remarks=remarks)  # type: ignore[no-any-return]
