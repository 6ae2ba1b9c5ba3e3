"""What the sheet says of events and chosen points of a take."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.statement import stated, value_and_uncertainty
from saltus.core.wording import _
from saltus.exchange.motion_words import (
    coordinate_words,
    direction_words,
    point_words,
    quantity_words,
)
from saltus.exchange.sheet_data import Section
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.log_points import log_points
from saltus.notebook.derived.points import chosen_point

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.core.quantity import Quantity
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.model import Notebook, Take

PARTS = 4


def motion_sections(take: Take) -> list[Section]:
    """A section for the events and one for the points of a take; those without lines say nothing."""
    events = [line for event in take.events for line in _event_lines(take, event)]
    return [
        Section(_("Before and after, 95 %"), tuple(events)),
        Section(_("Points of the motion, 95 %"), tuple(_point_lines(take))),
    ]


def log_section(notebook: Notebook) -> Section:
    """The points of recorded signals that went into the table, each once."""
    table = notebook.trials
    links = [link for trial in table.trials for link in trial.links.values()] if table is not None else []
    places = dict.fromkeys((k.source, k.place, *k.part.split()[:2]) for k in links if k.kind == "log-point")
    return Section(_("Points of recorded signals, 95 %"), tuple(_log_lines(notebook, list(places))))


def _log_lines(notebook: Notebook, places: list[tuple[str, ...]]) -> Iterator[str]:
    for log_id, channel, kind, number in (p for p in places if len(p) == PARTS):
        log = notebook.log(log_id)
        of_kind = [p for p in log_points(log, channel).points if p.kind == kind] if log is not None else []
        if log is None or not number.isdecimal() or int(number) >= len(of_kind):
            continue
        point = of_kind[int(number)]
        yield _("{log}, {channel}: {what} at {time}: {values}.").format(
            log=log.name,
            channel=channel,
            what=point_words(point.kind),
            time=quantity_words(point.time),
            values=", ".join(quantity_words(q) for q in point.values),
        )


def _said(q: Quantity) -> str:
    return stated(float(q), q.U95, q.unit) if q.U95 else _("at rest")


def _event_lines(take: Take, event: BeforeAfter) -> Iterator[str]:
    found = event_found(take, event)
    if found.at is None:
        return
    yield _("{name} at {at}, where the segments meet:").format(name=event.name, at=_said(found.at))
    for side in found.sides:
        body, made = take.body(side.side.body), side.event
        if body is None or made is None or made.before is None or made.after is None:
            continue
        yield _("{body}: just before {before}, just after {after}.").format(
            body=body.name, before=_said(made.before), after=_said(made.after)
        )
    if found.momentum is not None and len(found.sides) > 1:
        verdict = {
            True: _("they agree"),
            False: _("they differ"),
            None: _("it cannot be told yet whether they agree"),
        }[found.momentum.compared.agree]
        yield _("Momentum before {before}, after {after}: {verdict}.").format(
            before=_said(found.momentum.before), after=_said(found.momentum.after), verdict=verdict
        )
    if found.energy_lost is not None:
        value, spread = value_and_uncertainty(100 * float(found.energy_lost), 100 * found.energy_lost.U95)
        yield _("Kinetic energy lost: {value} ± {spread} %.").format(value=value, spread=spread)


def _point_lines(take: Take) -> Iterator[str]:
    for chosen in take.points:
        body, point = take.body(chosen.body), chosen_point(take, chosen)
        if body is None or point is None:
            continue
        told = [quantity_words(q) for q in point.values]
        way = direction_words(point.direction, chosen.of)
        yield _("{body}, {of}: {what} at {time}: {values}.").format(
            body=body.name,
            of=coordinate_words(chosen.of, take),
            what=point_words(point.kind),
            time=quantity_words(point.time),
            values=", ".join([*told, way] if way else told),
        )
