"""A recorded log from a table: which column is time, which are signals."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.units import ONE, SECOND, Unit, UnitError, parse_unit
from saltus.core.wording import _
from saltus.exchange.series_table import TIMES, resolution_of
from saltus.exchange.tables import TableError
from saltus.notebook.logs import MOST_SAMPLES, Channel

if TYPE_CHECKING:
    from saltus.exchange.tables import Table


def log_of(table: Table) -> tuple[tuple[float, ...], tuple[Channel, ...]]:
    """Give times (s, from the first on in order) and channels of a table.

    Parameters
    ----------
    table : Table

    Raises
    ------
    TableError
        If there is no time, no signal, or a cell is no number.
    """
    time_name = next((n for n in table.columns if n in TIMES), None)
    if time_name is None:
        raise TableError(
            _("{table} has no column “time [s]”: it has {all}.").format(
                table=table.name, all=", ".join(list(table.columns)[:20])
            )
        )
    stamps = table.columns[time_name]
    # a log that says nothing of its time counts seconds
    t = table.numbers(time_name, ONE if not stamps.unit else SECOND)
    signals = [n for n in table.columns if n != time_name and not n.startswith("u(") and _is_signal(table, n)]
    if not signals or not len(t):
        raise TableError(_("{table} has no column of numbers beside its time.").format(table=table.name))
    columns = {n: table.numbers(n, _own_unit(table, n)) / table.unit_of(n)[0] for n in signals[:32]}
    good = np.isfinite(t) & np.all([np.isfinite(v) for v in columns.values()], axis=0)
    order = np.flatnonzero(good)[np.argsort(t[good], kind="stable")]
    if not len(order):
        raise TableError(_("{table} has no row with a time and all signals.").format(table=table.name))
    if len(order) > MOST_SAMPLES:
        raise TableError(
            _("{table} has {n} rows: a log may have {most}. Thin it out, or cut it.").format(
                table=table.name, n=len(order), most=MOST_SAMPLES
            )
        )
    channels = tuple(
        Channel(
            name=name[:200],
            unit=table.columns[name].unit,
            values=tuple(map(float, values[order])),
            resolution=resolution_of(table.columns[name].cells),
        )
        for name, values in columns.items()
    )
    return tuple(map(float, t[order])), channels


def _own_unit(table: Table, name: str) -> Unit:
    return table.unit_of(name)[1]


def _is_signal(table: Table, name: str) -> bool:
    """Whether a column holds numbers in a unit that is known."""
    try:
        parse_unit(table.columns[name].unit)
        table.numbers(name, _own_unit(table, name))
    except (UnitError, TableError):
        return False
    return any(c.strip() for c in table.columns[name].cells)
