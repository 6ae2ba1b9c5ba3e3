"""Characteristic points of a motion table or of a recorded log, in the shape of the headless command."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.commands.tabular.segment_table import was_followed
from saltus.commands.tabular.timing_table import motion_and_clock
from saltus.core.motion.features import Points, points_of
from saltus.core.motion.recorded import points_of_log
from saltus.core.motion.segment import Fitted
from saltus.core.statement import as_json
from saltus.core.units import METRE
from saltus.core.wording import _
from saltus.exchange.series_table import TIMES, read_series
from saltus.exchange.tables import TableError

if TYPE_CHECKING:
    from saltus.exchange.tables import Table

OF_MOTION = ("x", "y", "angle")


def points_in(table: Table, of: str, body: str | None = None) -> Points:
    """Find the characteristic points of a coordinate of a motion table, or of a signal of a log.

    Parameters
    ----------
    table : Table
    of : str
        A coordinate, where the table holds bodies; else the name of a column.
    body : str, optional
        Needed when a motion table holds several.

    Raises
    ------
    TableError
    """
    if "body" in table.columns and of in OF_MOTION:
        t, position, clock = motion_and_clock(table, of, body)
        named = Fitted("body", of, "points", followed=was_followed(table))
        return points_of(t, position, clock, named, upright=of == "y")
    if of not in table.columns or of in TIMES:
        known = ", ".join(n for n in table.columns if n not in TIMES)
        words = _("{name} has no signal “{of}”: it has {all}.")
        raise TableError(words.format(name=table.name, of=of[:40], all=known[:200] or "–"))
    record = read_series(table, of)
    if len(record.t) and bool((record.t[1:] <= record.t[:-1]).any()):
        raise TableError(_("{name} has two values at one time.").format(name=table.name))
    if record.unit == METRE:
        from saltus.core.quantities import exact  # noqa: PLC0415  start-up time

        return points_of(
            record.t, exact(record.values, METRE), of=Fitted("log", of, "points"), upright=of == "y"
        )
    return points_of_log(record.t, record.values, record.unit, record.resolution)


def points_json(found: Points) -> dict[str, Any]:
    """Describe points in the shape of the ``points`` command."""
    return {
        "points": [
            {
                "kind": p.kind,
                **{
                    name: as_json(q) if q is not None else None
                    for name, q in (
                        ("time", p.time), ("position", p.position), ("velocity", p.velocity),
                        ("acceleration", p.acceleration),
                    )
                },
                "direction": p.direction,
            }
            for p in found.points
        ],
        "warnings": list(found.warnings),
    }  # fmt: skip
