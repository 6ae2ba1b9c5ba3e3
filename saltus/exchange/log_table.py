"""A recorded log from a table: which column is time, which are signals."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.units import ONE, SECOND, Unit, UnitError
from saltus.core.wording import _
from saltus.exchange.series_table import TIMES, resolution_of
from saltus.exchange.tables import TableError, named
from saltus.notebook.logs import MOST_SAMPLES, Channel

if TYPE_CHECKING:
    from saltus.exchange.tables import Table

MOST_SIGNALS = 32


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
                table=table.name, all=named(table.columns)
            )
        )
    stamps = table.columns[time_name]
    # a log that says nothing of its time counts seconds
    t = table.numbers(time_name, ONE if not stamps.unit else SECOND)
    others = [n for n in table.columns if n != time_name and not n.startswith("u(")]
    signals = [n for n in others if not _unusable(table, n)]
    if not signals or not len(t):
        words = _("{table} has no column of numbers beside its time.").format(table=table.name)
        raise TableError(" ".join([words, *unused(table)]))
    columns = {n: table.numbers(n, _own_unit(table, n)) / table.unit_of(n)[0] for n in signals[:MOST_SIGNALS]}
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


def unused(table: Table) -> tuple[str, ...]:
    """Say of each column that no log is made of what keeps it out.

    Parameters
    ----------
    table : Table

    Returns
    -------
    tuple of str
        A sentence each; empty columns and uncertainties are not named.
    """
    others = [n for n in table.columns if n not in TIMES and not n.startswith("u(")]
    reasons = {n: _unusable(table, n) for n in others}
    beyond = [n for n, reason in reasons.items() if not reason][MOST_SIGNALS:]
    told = [reason for n, reason in reasons.items() if reason and any(map(str.strip, table.columns[n].cells))]
    if beyond:
        words = _("A log holds {most} signals: {all} are left out.")
        told.append(words.format(most=MOST_SIGNALS, all=named(beyond)))
    return tuple(told)


def _unusable(table: Table, name: str) -> str:
    """Why a column is no signal; empty where it is one."""
    try:
        table.numbers(name, _own_unit(table, name))
    except (UnitError, TableError) as error:
        return str(error)
    return "" if any(c.strip() for c in table.columns[name].cells) else _("It is empty.")
