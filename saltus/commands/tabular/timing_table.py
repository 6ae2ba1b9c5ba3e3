"""Cycles and gate crossings of a motion table, in the shapes of the headless commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.commands.tabular.segment_table import common_of, motion_of, was_followed
from saltus.core.clock.clock import Clock
from saltus.core.clock.cycles import Cycles, cycles
from saltus.core.clock.gates import Crossed, Crossing, crossings
from saltus.core.statement import as_json
from saltus.core.wording import _
from saltus.exchange.tables import TableError

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.exchange.tables import Table


def motion_and_clock(table: Table, of: str, body: str | None) -> tuple[NDArray[np.float64], Quantity, Clock]:
    """Times, positions and the clock."""
    t, position = motion_of(table, of, body=body)
    if np.any(np.diff(t) <= 0):
        words = _("{name} has two readings at one time: give one body with --body.")
        raise TableError(words.format(name=table.name))
    return t, position, Clock(0.0, common_of(table, "u_rate", body), "table")


def cycles_of(table: Table, of: str, *, body: str | None = None, level: float | None = None) -> Cycles:
    """Find the passings of a body through a level in a motion table.

    Parameters
    ----------
    table : Table
    of : {"x", "y", "angle"}
    body : str, optional
        Needed when the table holds several.
    level : float, optional
        m; where the swing rests by default.

    Raises
    ------
    TableError
    """
    t, position, clock = motion_and_clock(table, of, body)
    return cycles(t, position, level, clock, Crossed("table", axis=of, followed=was_followed(table)))


def gates_of(
    table: Table, of: str, lines: tuple[float, ...], *, body: str | None = None
) -> tuple[list[Crossing], list[str]]:
    """Find when a body crosses lines, m, in a motion table; in the order of the lines, then of time.

    Raises
    ------
    TableError
    """
    t, position, clock = motion_and_clock(table, of, body)
    found: list[Crossing] = []
    warnings: list[str] = []
    for n, line in enumerate(lines):
        of_line = Crossed("table", axis=of, line=n, followed=was_followed(table))
        made, told = crossings(t, position, line, clock, of_line)
        found += made
        warnings += told
    return found, list(dict.fromkeys(warnings))


def cycles_json(made: Cycles) -> dict[str, Any]:
    """Describe cycles in the shape of the ``cycles`` command."""
    return {
        "passings": [as_json(q) for q in made.passings],
        "cycles": made.count,
        "period": as_json(made.period),
        "period_from_ends": as_json(made.period_from_ends),
        "drift": as_json(made.drift),
        "warnings": list(made.warnings),
    }


def gates_json(found: list[Crossing], warnings: list[str]) -> dict[str, Any]:
    """Describe crossings in the shape of the ``gate`` command; a speed has no sign."""
    return {
        "crossings": [crossing_json(c, c.line) for c in found],
        "warnings": warnings,
    }


def crossing_json(crossing: Crossing, line: float) -> dict[str, Any]:
    """Describe one crossing of a line; its speed has no sign."""
    velocity = crossing.velocity
    speed = -velocity if float(velocity) < 0 else velocity
    return {"line": line, "time": as_json(crossing.time), "speed": as_json(speed)}
