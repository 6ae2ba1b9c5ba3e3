"""What was timed on a take, in lines for the sheet and as rows of a table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.clock.cycles import Cycles
from saltus.core.wording import _
from saltus.exchange.sheet_data import Result, Section
from saltus.exchange.timing_words import against_film, drift_words, quantity_words
from saltus.notebook.derived.times import (
    by_hand_value,
    count_value,
    gate_values,
    interval_period,
    interval_value,
)
from saltus.notebook.derived.timing_advice import timing_headline

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook, Take

MOST_GATES = 12


def timing_section(notebook: Notebook, take: Take) -> Section:
    """Events as they were judged, intervals, periods and crossings of a take; without lines if none."""
    timing = take.timing
    used = {i.event for i in timing.instants}
    lines = [f"{e.name}: {e.words}" for e in notebook.events if e.id in used and e.words]
    for interval in timing.intervals:
        found = interval_value(take, interval)
        if isinstance(found, str):
            continue
        words = _("{name}: {value}").format(name=interval.name, value=quantity_words(found))
        each = interval_period(take, interval)
        if interval.cycles > 1 and not isinstance(each, str):
            words += _(" for {n} cycles, each {value}").format(n=interval.cycles, value=quantity_words(each))
        lines.append(words)
    for count in timing.counts:
        made = count_value(take, count)
        if isinstance(made, Cycles) and made.period is not None:
            words = _("{name}: period {value} from {n} cycles.").format(
                name=count.name, value=quantity_words(made.period), n=made.count
            )
            lines.append(f"{words} {drift_words(made)}" if made.drift is not None else words)
    for gates in timing.gates:
        body = take.body(gates.body)
        for passed in gate_values(take, gates)[0][:MOST_GATES]:
            words = _("{body} crosses gate {n} at {t} with {v}")
            t, v = passed.crossing.time, passed.crossing.velocity
            name = body.name if body is not None else "–"
            lines.append(words.format(body=name, n=passed.gate, t=quantity_words(t), v=quantity_words(v)))
    for by_hand in timing.by_hand:
        hand = by_hand_value(take, by_hand, notebook.hands)
        mine = timing.interval(by_hand.interval)
        film = interval_value(take, mine) if mine is not None else ""
        told = _("By hand {value}.").format(value=quantity_words(hand))
        lines.append(told if isinstance(film, str) else f"{told} {against_film(hand, film)}")
    return Section(_("Times"), tuple(lines))


def timing_result(take: Take) -> Result | None:
    """The period or interval as the headline of a sheet; None while there is none."""
    found = timing_headline(take)
    if found is None:
        return None
    words = _("95 %, timed on {take}").format(take=take.name)
    if take.simulated:
        words += _(", from a simulated film: not a measurement")
    return Result(found[0], quantity_words(found[1]), words)
