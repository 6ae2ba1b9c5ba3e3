"""Times in words and as a graph: drift of a period, hand against film, too few frames a cycle."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.aliasing import FEWEST_FRAMES, too_few_frames
from saltus.core.compare import compare
from saltus.core.coverage import student_95
from saltus.core.planner import cycles_for
from saltus.core.statement import stated, to_figures, value_and_uncertainty
from saltus.core.wording import _, plural
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.notebook.derived.frame_clock import rhythm

if TYPE_CHECKING:
    from saltus.core.clock.cycles import Cycles
    from saltus.core.clock.hand import Hand
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take
    from saltus.notebook.timing import Count


def quantity_words(q: Quantity) -> str:
    """A quantity with its 95 % uncertainty and unit."""
    return stated(float(q), q.U95, q.unit)


def against_film(hand: Quantity, film: Quantity) -> str:
    """A timing by hand held against the frame-by-frame time."""
    made = compare(hand, film, measured=True)
    longer = float(made.difference) >= 0
    size = made.difference if longer else -made.difference
    told = {True: _("they agree"), False: _("they do not agree"), None: _("cannot tell yet")}[made.agree]
    words = (
        _("From the film {film}. The hand is longer by {size}, {u:.1f} u: {told}.")
        if longer
        else _("From the film {film}. The hand is shorter by {size}, {u:.1f} u: {told}.")
    )
    return words.format(film=quantity_words(film), size=quantity_words(size), u=made.apart or 0, told=told)


def way_words(delay: Quantity) -> str:
    """How late a sound comes, ms."""
    value, spread = value_and_uncertainty(1000 * float(delay), 1000 * delay.U95)
    if not spread:
        value = to_figures(1000 * float(delay), 3)
        return _("Heard {value} ms after it happened; taken off.").format(value=value)
    return _("Heard {value} ± {U} ms after it happened; taken off.").format(value=value, U=spread)


def hand_words(hand: Hand) -> str:
    """Scatter and lateness of a hand."""
    if not hand.measured:
        return _("Not measured: u = {u:.1f} s for each press is assumed.").format(u=hand.u)
    value, spread = value_and_uncertainty(abs(hand.lateness), student_95(hand.dof) * hand.u_lateness)
    late = _("late") if hand.lateness >= 0 else _("early")
    words = _("Scatter u = {u} s each press; {value} ± {spread} s {late}.")
    return words.format(u=to_figures(hand.u, 2), value=value, spread=spread, late=late)


def drift_words(made: Cycles) -> str:
    """Whether the period changes along the record."""
    drift = made.drift
    if drift is None:
        return _("Drift: not yet, four passings are needed.")
    if abs(float(drift)) <= drift.U95:
        return _("No drift seen: {drift} for each cycle.").format(drift=quantity_words(drift))
    longer = float(drift) > 0
    words = (
        _("The period drifts: each cycle is {size} longer than the one before.")
        if longer
        else _("The period drifts: each cycle is {size} shorter than the one before.")
    )
    return words.format(size=quantity_words(drift if longer else -drift))


def drift_chart(made: Cycles) -> Chart | None:
    """Each passing minus the even beat of the period, ms, with 95 % bars; None under three passings."""
    if made.period is None or len(made.passings) < 3:
        return None
    numbers = np.array(made.numbers, dtype=float)
    times = np.array([float(q) for q in made.passings])
    U = np.array([q.U95 for q in made.passings])
    beat = float(made.period)
    off = times - beat * numbers
    off = 1000 * (off - off.mean())
    points = Points(numbers, off, 1000 * U, 0, _("passing"))
    level = Curve(numbers[[0, -1]], np.zeros(2), "dotted")
    x, y = Label(_("number of the passing")), Label("δ", "ms")
    return Chart(x, y, (points,), (level,), named_x=True)


def frames_warning(take: Take, made: Cycles) -> str:
    """That a cycle has too few frames to be told from a faster one; empty where it has enough."""
    beat = rhythm(take).spacing_s
    if made.period is None or not beat or float(made.period) <= 0:
        return ""
    if not too_few_frames(1 / float(made.period), 1 / beat):
        return ""
    words = _("Fewer than {n:.0f} frames a cycle: a faster motion would look the same.")
    return words.format(n=FEWEST_FRAMES)


def cycles_wanted(made: Cycles, count: Count, percent: float) -> str:
    """How many cycles would give the period to so many per cent."""
    if made.period is None:
        return _("Count two passings first.")
    U = float(np.median([q.U95 for q in made.passings]))
    n = cycles_for(percent / 100, float(made.period), U, by_line=count.how != "frames")
    if n is None:
        return _("More than can be counted.")
    return plural("{n} cycle", "{n} cycles", n)
