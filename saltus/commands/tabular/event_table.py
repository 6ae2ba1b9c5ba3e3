"""Just before and just after an event in a motion table, in the shape of the headless command."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.commands.tabular.segment_table import NEXT_TO, was_followed
from saltus.commands.tabular.timing_table import motion_and_clock
from saltus.core.motion.events import Event, Level, Sides, event_of
from saltus.core.motion.segment import Fitted
from saltus.core.quantities import exact
from saltus.core.statement import as_json
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from saltus.exchange.tables import Table

QUANTITIES = ("before", "after", "change", "slope_before", "slope_after")


def event_in(
    table: Table, of: str, at: float, stretches: tuple[tuple[float, float], tuple[float, float]], *,
    body: str | None = None, level: Level | None = None,
) -> Event:  # fmt: skip
    """Carry the velocities of two stretches of a motion table to an event.

    Parameters
    ----------
    table : Table
    of : {"x", "y", "angle"}
    at : float
        The instant, s.
    stretches : ((float, float), (float, float))
        From and to of the readings before and after it, s, inclusive.
    body : str, optional
        Needed when the table holds several.
    level : {"before", "after", "both"}, optional
        Which side coasts level.

    Raises
    ------
    TableError, EventError
    """
    t, position, clock = motion_and_clock(table, of, body)
    before, after = ((t >= low - NEXT_TO) & (t <= high + NEXT_TO) for low, high in stretches)
    named = Fitted("body", of, followed=was_followed(table))
    found = event_of(t, position, Sides(before, after, level), exact(at, SECOND), clock, named)
    assert found is not None  # an instant is given
    return found


def event_json(event: Event) -> dict[str, Any]:
    """Describe an event in the shape of the ``event`` command."""
    told: dict[str, Any] = {}
    for name in QUANTITIES:
        q = getattr(event, name)
        told[name] = as_json(q) if q is not None else None
    return {**told, "warnings": list(event.warnings)}
