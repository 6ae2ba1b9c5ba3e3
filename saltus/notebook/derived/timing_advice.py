"""The result of what was timed on a take: which it is, what limits it, and what would help most."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.budget import budget, expanded_if
from saltus.core.clock.cycles import Cycles
from saltus.core.planner import U_of_period
from saltus.core.sources import BETWEEN_FRAMES, CLOCK
from saltus.notebook.derived.advice import Limits, two_figures
from saltus.notebook.derived.times import count_value, interval_period, interval_value
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take
    from saltus.notebook.timing import Count


def timing_headline(take: Take) -> tuple[str, Quantity] | None:
    """Symbol and value of the last period counted, else of the last interval kept; None without either."""
    for count in reversed(take.timing.counts):
        made = count_value(take, count)
        if isinstance(made, Cycles) and made.period is not None:
            return "T", made.period
    for interval in reversed(take.timing.intervals):
        several = interval.cycles > 1
        found = interval_period(take, interval) if several else interval_value(take, interval)
        if not isinstance(found, str):
            return ("T" if several else "Δt"), found
    return None


def timing_limits(take: Take) -> Limits | None:
    """What limits that result; None while there is none."""
    found = timing_headline(take)
    if found is None:
        return None
    value = found[1]
    lines = budget(value)
    items = tuple((line.label, line.kind, line.share) for line in lines)
    return Limits(say("timing.what-limits-time"), items, _help(take, value))


def _help(take: Take, value: Quantity) -> str:
    lines = budget(value)
    if not lines:
        return say("advice.no-uncertainty-stated")
    for count in reversed(take.timing.counts):
        made = count_value(take, count)
        if isinstance(made, Cycles) and made.period is not None:
            return _more_cycles(count, made, value)
    if CLOCK in lines[0].causes:
        what = say("timing.checking-clock-twice-well")
    elif lines[0].causes & BETWEEN_FRAMES:
        what = say("timing.filming-twice-frame-rate")
    else:
        what = say("timing.knowing-twice-well", source=lines[0].label)
    after = expanded_if(value, lines[0], 0.5)
    return _said(what, value, after)


def _more_cycles(count: Count, made: Cycles, value: Quantity) -> str:
    n, by_line = max(made.count, 1), count.how != "frames"
    gain = U_of_period(2 * n, 1.0, by_line=by_line) / U_of_period(n, 1.0, by_line=by_line)
    common = value.u_from("scale")
    after = value.U95 * max(gain, float(common) / float(value.u) if float(value.u) else 1.0)
    return _said(say("timing.timing-cycles-instead", n=2 * n, now=n), value, after)


def _said(what: str, value: Quantity, after: float) -> str:
    return say(
        "advice.gain",
        what=what,
        before=two_figures(value.U95),
        after=two_figures(after),
        unit=value.unit.text,
    )
