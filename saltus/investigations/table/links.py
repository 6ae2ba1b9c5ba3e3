"""What cells can be linked to: segments of takes, stretches of logs, results of other notebooks."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core import sources as causes
from saltus.core.clock.brackets import InstantError, bracketed
from saltus.core.clock.clock import with_rate
from saltus.core.entry import entry
from saltus.core.motion.segment import SegmentFit
from saltus.core.quantities import measured
from saltus.core.series import SeriesError
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.sentences import say
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.log_points import log_points
from saltus.notebook.derived.measures import measured_values
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.derived.points import chosen_point
from saltus.notebook.derived.times import (
    between_frames,
    count_value,
    gate_values,
    interval_period,
    interval_value,
)
from saltus.notebook.edits.trials import retext_givens, retext_links
from saltus.notebook.logs import Log, stretch_mean, stretch_slope
from saltus.notebook.memory import remembered, remembered_last

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Notebook, Segment, Take
    from saltus.notebook.timing import HandTest
    from saltus.notebook.trials import Link, TrialTable


POINT_PARTS = ("time", "position", "velocity", "acceleration")
DURATION = "duration"
"""Part of a segment that is no parameter of its model: how long it lasted."""


@dataclass(frozen=True)
class Sources:
    """What cells may rest on: takes, logs, and measured hands on a stopwatch."""

    takes: tuple[Take, ...] = ()
    logs: tuple[Log, ...] = ()
    hands: tuple[HandTest, ...] = ()


def linked(sources: Sources, link: Link, text: str = "") -> Quantity | str:
    """Give what a link leads to now, or a sentence that says why it leads nowhere.

    Parameters
    ----------
    sources : Sources
    link : Link
    text : str
        What stands in the cell: a result of another notebook is as it was when it was last looked up.
    """
    q = _found(sources, link, text)
    if isinstance(q, str):
        return q
    return -q if link.size and float(q) < 0 else q


def _found(sources: Sources, link: Link, text: str) -> Quantity | str:
    if link.kind in ("log", "log-point"):
        return (_log if link.kind == "log" else _log_point)(sources, link)
    if link.kind not in _OF_TAKE:
        return _written(link, text)
    take = next((t for t in sources.takes if t.id == link.source), None)
    if take is None:
        return say("link.broken-link-take-not")
    return _OF_TAKE[link.kind](take, link)


def _segment(take: Take, link: Link) -> Quantity | str:
    segment = take.segment(link.place)
    if segment is None:
        return say("link.broken-link-segment-gone", take=take.name)
    if link.part == DURATION:
        return duration(take, segment)
    fit = segment_fit(take, segment)
    q = fit.parameters.get(link.part) if isinstance(fit, SegmentFit) else None
    if q is None:
        return say("link.segment-gives-no-now", take=take.name, part=link.part)
    return q


def _interval(take: Take, link: Link) -> Quantity | str:
    interval = take.timing.interval(link.place)
    if interval is None:
        return say("link.broken-link-interval-gone", take=take.name)
    return (interval_period if link.part == "period" else interval_value)(take, interval)


def _cycles(take: Take, link: Link) -> Quantity | str:
    count = take.timing.count(link.place)
    if count is None:
        return say("link.broken-link-count-gone", take=take.name)
    made = count_value(take, count)
    if isinstance(made, str):
        return made
    found = {
        "period": made.period,
        "period from ends": made.period_from_ends,
        "time": made.passings[-1] - made.passings[0] if made.count else None,
    }.get(link.part)
    return found if found is not None else say("link.count-gives-no-period", take=take.name)  # fmt: skip


def _gate(take: Take, link: Link) -> Quantity | str:
    """``part``: ``time`` or ``speed`` and the number of the crossing, as in ``time 3``."""
    gates = take.timing.gate_set(link.place)
    if gates is None:
        return say("link.broken-link-gates-gone", take=take.name)
    found, _told = gate_values(take, gates)
    what, _space, number = link.part.partition(" ")
    if not number.isdecimal() or int(number) >= len(found) or what not in ("time", "speed"):
        return say("link.gate-not-crossed-now", take=take.name)
    crossing = found[int(number)].crossing
    return crossing.time if what == "time" else crossing.velocity


def duration(take: Take, segment: Segment) -> Quantity | str:
    """Give the time from the event before a segment to the one after it, s.

    The release fell between the frame before its first and that frame, the end between its last frame and the
    one after; the rate of the clock is common.
    """
    last = min(segment.last, len(take.facts.ticks) - 1)
    if segment.first < 1 or last + 1 >= len(take.facts.ticks):
        return say("link.segment-reaches-end-film")
    ends = causes.segment_ends(take.id, segment.body)
    try:
        # frames that repeat the one before are passed over where they are left out
        begun, ended = (bracketed(*between_frames(take, n), ends, n - 1) for n in (segment.first, last + 1))
    except InstantError as error:
        return str(error)
    return with_rate(ended - begun, clock_of(take))


def _log(sources: Sources, link: Link) -> Quantity | str:
    log = next((one for one in sources.logs if one.id == link.source), None)
    if log is None:
        return say("link.broken-link-log-not")
    stretch = log.stretch(link.place)
    if stretch is None or log.channel(stretch.channel) is None:
        return say("link.broken-link-stretch-gone", log=log.name)
    try:
        found = stretch_slope(log, stretch) if link.part == "slope" else stretch_mean(log, stretch)
    except SeriesError as error:
        return str(error)
    if found.value is None or not math.isfinite(float(found.value.u)):
        return say("link.stretch-too-short-uncertainty", log=log.name)
    return found.value


def _log_point(sources: Sources, link: Link) -> Quantity | str:
    """``place`` is the channel, ``part`` kind, number among those and what of it, as in ``taut 0 time``."""
    log = next((one for one in sources.logs if one.id == link.source), None)
    if log is None or log.channel(link.place) is None:
        return say("link.broken-link-log-not")
    kind, _space, rest = link.part.partition(" ")
    number, _space, what = rest.partition(" ")
    of_kind = [p for p in log_points(log, link.place).points if p.kind == kind]
    if what not in POINT_PARTS or not number.isdecimal() or int(number) >= len(of_kind):
        return say("link.point-gives-no-now", take=log.name)
    q = getattr(of_kind[int(number)], what)
    return q if q is not None else say("link.point-gives-no-now", take=log.name)


def _written(link: Link, text: str) -> Quantity | str:
    """A result of another notebook: one source for all cells that use it."""
    try:
        read = entry(text)
    except (WrittenError, UnitError) as error:
        return str(error)
    return measured(read.value, read.u or 0.0, read.unit, causes.other_notebook(link.source, link.part))


def _event(take: Take, link: Link) -> Quantity | str:
    event = next((e for e in take.events if e.id == link.place), None)
    if event is None:
        return say("link.broken-link-event-gone", take=take.name)
    found = event_found(take, event).values().get(link.part)
    return found if found is not None else say("link.event-gives-no-now", take=take.name)


def _point(take: Take, link: Link) -> Quantity | str:
    chosen = next((p for p in take.points if p.id == link.place), None)
    if chosen is None:
        return say("link.broken-link-point-gone", take=take.name)
    point = chosen_point(take, chosen)
    q = getattr(point, link.part, None) if link.part in POINT_PARTS and point is not None else None
    return q if q is not None else say("link.point-gives-no-now", take=take.name)


def _measure(take: Take, link: Link) -> Quantity | str:
    measure = take.measure(link.place)
    if measure is None:
        return say("link.broken-link-measure-gone", take=take.name)
    found = measured_values(take, measure)
    if isinstance(found, str):
        return found
    return found[link.part] if link.part in found else say("link.measure-gives-no-now", take=take.name)


def _filmed_scale(take: Take, link: Link) -> Quantity | str:
    scale = take.filmed_scale(link.place)
    if scale is None:
        return say("link.broken-link-scale-gone", take=take.name)
    found = scale_found(take, scale)
    if found.problem:
        return found.problem
    reading = found.reading(link.part)
    return reading.value if reading is not None else say("link.broken-link-reading-gone", take=take.name)


_OF_TAKE = {
    "measure": _measure,
    "filmed-scale": _filmed_scale,
    "event": _event,
    "point": _point,
    "segment": _segment,
    "interval": _interval,
    "cycles": _cycles,
    "gate": _gate,
}


@remembered
def _reached(table: TrialTable) -> frozenset[str]:
    """Ids of what the cells and comparisons of a table are linked to."""
    links = [link for trial in table.trials for link in trial.links.values()]
    links += [one.link for one in table.against if one.link is not None]
    links += table.given_links.values()
    return frozenset(link.source for link in links)


def linked_sources(notebook: Notebook, table: TrialTable) -> Sources:
    """Give the takes and logs that a table is linked to, and all hands: what it rests on, and no more."""
    wanted = _reached(table)
    return Sources(
        tuple(t for t in notebook.takes if t.id in wanted),
        tuple(log for log in notebook.logs if log.id in wanted),
        notebook.hands,
    )


def linked_in(notebook: Notebook, link: Link, text: str = "") -> Quantity | str:
    """Give what a link of a notebook leads to now; see :func:`linked`."""
    return linked(Sources(notebook.takes, notebook.logs, notebook.hands), link, text)


def link_text(q: Quantity) -> str:
    """Write what a link gives as it is kept in the cell: twelve digits, standard uncertainty, unit."""
    unit = "" if q.unit.ascii == "1" else f" {q.unit.ascii}"
    return f"{float(q):.12g} ± {float(q.u):.6g}{unit}"


def links_followed(notebook: Notebook) -> Notebook:
    """Write down what all linked cells give now, where that is another value than before."""
    table = notebook.trials
    if table is None:
        return notebook
    reached = linked_sources(notebook, table)
    texts = _moved_texts(table, reached.takes, reached.logs, reached.hands)
    return retext_givens(retext_links(notebook, texts), _moved_givens(table, reached))


def linked_givens(table: TrialTable, sources: Sources) -> dict[str, Quantity]:
    """What the links of givens lead to now, where they lead somewhere; others stay as they were written."""
    found = {name: linked(sources, link) for name, link in table.given_links.items()}
    return {name: q for name, q in found.items() if not isinstance(q, str)}


def _moved_givens(table: TrialTable, sources: Sources) -> dict[str, str]:
    now = {name: link_text(q) for name, q in linked_givens(table, sources).items()}
    return {name: text for name, text in now.items() if text != table.givens.get(name)}


@remembered_last
def _moved_texts(
    table: TrialTable, takes: tuple[Take, ...], logs: tuple[Log, ...], hands: tuple[HandTest, ...]
) -> dict[tuple[str, str], str]:
    """Texts of linked cells that are not what their sources give, by trial and column."""
    sources = Sources(takes, logs, hands)
    texts = {}
    for trial in table.trials:
        for column, link in trial.links.items():
            q = linked(sources, link, trial.cells.get(column, ""))
            if not isinstance(q, str) and link_text(q) != trial.cells.get(column):
                texts[trial.id, column] = link_text(q)
    return texts
