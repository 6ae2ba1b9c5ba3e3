"""What the window offers for sending measured values into the table of trials."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from saltus.core.motion.segment import SegmentFit
from saltus.core.statement import stated
from saltus.core.wording import _, plural
from saltus.exchange.measured_words import value_words
from saltus.exchange.motion_words import parameter_words
from saltus.investigations.table.links import DURATION, duration
from saltus.investigations.table.sending import given_offers, given_sent, offers, sent, sent_all
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.trials import Link
from saltus.ui.kit.menus import Entry

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.table.sending import GivenOffer, Offer
    from saltus.notebook.measuring import FilmedScale
    from saltus.notebook.model import Segment, Take
    from saltus.ui.desk.desk import Desk


def sendings(desk: Desk, take: Take, segment: Segment) -> list[Entry]:
    """Words and actions for every parameter of a segment that a column can take."""
    if desk.notebook.trials is None:
        return []
    fit = segment_fit(take, segment)
    found = list(fit.parameters.items()) if isinstance(fit, SegmentFit) else []
    out: list[Entry] = []
    for name, q in reversed(found):
        if q is not None:
            link = Link(source=take.id, place=segment.id, part=name)
            out += link_actions(desk, link, q, parameter_words(name))
    lasted = duration(take, segment)
    if not isinstance(lasted, str):
        link = Link(source=take.id, place=segment.id, part=DURATION)
        out += link_actions(desk, link, lasted, _("time from before it to after it"))
    return out


def link_actions(desk: Desk, link: Link, q: Quantity, words: str) -> list[Entry]:
    """Words and actions for a value that can be linked to."""
    said = stated(float(q), q.U95, q.unit)
    return [
        Entry(
            _("{words} {value} → {column}").format(words=words, value=said, column=offer.title),
            partial(send, desk, offer),
        )
        for offer in offers(desk.notebook, link, q)
    ]


def given_actions(desk: Desk, link: Link, q: Quantity, words: str) -> list[Entry]:
    """Words and actions for the givens of the investigation that a value can become."""
    return [
        Entry(
            _("{words} {value} → given “{given}”").format(
                words=words, value=value_words(q), given=offer.title
            ),
            partial(_give, desk, offer),
        )
        for offer in given_offers(desk.notebook, link, q)
    ]


def _give(desk: Desk, offer: GivenOffer) -> None:
    desk.edit(_("take a given from the picture"), given_sent(desk.notebook, offer))
    words = _("“{given}” on Trials has its value from here now. It follows when this is moved.")
    desk.said.emit(words.format(given=offer.title), "note")


def filling_actions(desk: Desk, take: Take, scale: FilmedScale) -> list[Entry]:
    """Words and actions for columns that take all readings of a filmed scale, one below the other."""
    readings = scale_found(take, scale).readings
    if not readings or desk.notebook.trials is None:
        return []
    links = [
        Link(kind="filmed-scale", source=take.id, place=scale.id, part=reading.part) for reading in readings
    ]
    out = []
    for offer in offers(desk.notebook, links[0], readings[0].value):
        if offer.link.size:
            continue
        words = plural("{n} reading → {column}", "{n} readings → {column}", len(links), column=offer.title)
        out.append(Entry(words, partial(_fill_column, desk, offer, links)))
    return out


def _fill_column(desk: Desk, offer: Offer, links: list[Link]) -> None:
    desk.edit(_("fill a column from a filmed scale"), sent_all(desk.notebook, offer.column, links))
    one = "{n} reading stands in “{column}” of Trials."
    many = "{n} readings stand in “{column}” of Trials."
    desk.said.emit(plural(one, many, len(links), column=offer.title), "note")


def or_what_is_missing(desk: Desk, entries: list[Entry]) -> list[Entry]:
    """The entries, or, where there are none, one that says what is missing for it."""
    if entries:
        return entries
    words = _("Choose an investigation on Trials first: its table takes the values.")
    if desk.notebook.trials is not None:
        words = _("No column of the table takes these values.")
    return [Entry(words, lambda: None, possible=False)]


def send(desk: Desk, offer: Offer) -> None:
    """Send a value into the table and say where it went."""
    notebook, trial_id = sent(desk.notebook, offer)
    desk.edit(_("send a value to the table"), notebook)
    table = desk.notebook.trials
    place = (
        next((i for i, t in enumerate(table.trials, 1) if t.id == trial_id), 0) if table is not None else 0
    )
    words = _("Sent to “{column}”, row {n} of Trials. It follows when the readings change.")
    desk.said.emit(words.format(column=offer.title, n=place), "note")
