"""Sources of people and instruments."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.sources.source import (
    Source,
    SourceId,
    scatter_source,
)
from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.core.sources.source import Kind


def hand_presses(timing: str, dof: float) -> Source:
    """Scatter of the two presses of one timing."""
    return scatter_source("hand-presses", (timing,), "reaction", _("Reaction of the hand"), dof)


def watch_digits(timing: str) -> Source:
    """The last digit of the watch in one timing: a family, keyed by start and stop."""
    return Source(SourceId("watch-digits", (timing,)), "timing", _("Last digit of the watch"), "uniform")


def hand_lateness(hand: str) -> Source:
    """How late the presses of a person come."""
    return Source(SourceId("hand-lateness", (hand,)), "reaction", _("Lateness of the hand"))


def runs() -> Source:
    """Scatter of live runs timed by hand: a family, keyed by their number."""
    return Source(SourceId("runs"), "reaction", "runs")


def timed_column(column: str) -> Source:
    """Presses behind the cells of a column timed by hand: a family, keyed by row."""
    return Source(SourceId("column", (column,)), "reaction", _("Reaction of the hand"))


def instrument_reading(column: str, kind: Kind) -> Source:
    """Readings of an instrument, by its resolution: a family, keyed by row."""
    label = _("Reading of {name}").format(name=column)
    return Source(SourceId("instrument-reading", (column,)), kind, label, "uniform")


def instrument_zero(column: str, kind: Kind) -> Source:
    """What an instrument shows for nothing, common to all its readings."""
    return Source(SourceId("instrument-zero", (column,)), kind, _("Zero of {name}").format(name=column))


def instrument_accuracy(column: str, kind: Kind) -> Source:
    """The accuracy of an instrument, common to all its readings."""
    label = _("Accuracy of {name}").format(name=column.replace("_", " "))
    return Source(SourceId("instrument-accuracy", (column,)), kind, label, "uniform")
