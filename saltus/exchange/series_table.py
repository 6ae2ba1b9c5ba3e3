"""Recorded series from a table: which column is time, zeroing, sign, and a stretch of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import series
from saltus.core.units import ONE, SECOND, Unit
from saltus.core.wording import _
from saltus.core.written import WrittenError, digits, last_place

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.series import Stretch
    from saltus.exchange.tables import Table

    Array = NDArray[np.float64]

TIMES = ("time", "t", "Time", "T", "zeit")
NEXT_TO = 1e-9


@dataclass(frozen=True)
class Record:
    """One signal of a record: times in s, values in SI, the step of their last digit."""

    t: Array
    values: Array
    unit: Unit
    resolution: float


def read_series(
    table: Table, name: str, time_name: str | None = None, *, zero: tuple[float, float] | None = None,
    reverse: bool = False,
) -> Record:  # fmt: skip
    """Take a signal from a table.

    Parameters
    ----------
    table : Table
    name : str
        The column of the signal.
    time_name : str, optional
        The column of time; otherwise the first named time or t.
    zero : (float, float), optional
        From and to, s: the mean of this stretch is taken off.
    reverse : bool
        Reverse the sign.

    Raises
    ------
    TableError
        If a column is missing or cannot be read.
    """
    time_name = time_name or next((n for n in table.columns if n in TIMES), "time")
    stamps = table.columns.get(time_name)
    # a log that says nothing of its time counts seconds
    t = table.numbers(time_name, ONE if stamps is not None and not stamps.unit else SECOND)
    factor, unit = table.unit_of(name)
    column = table.columns[name]
    values = table.numbers(name, unit)
    good = np.isfinite(t) & np.isfinite(values)
    order = np.argsort(t[good], kind="stable")
    t, values = t[good][order], values[good][order]
    if zero is not None:
        low, high = np.searchsorted(t, [zero[0] - NEXT_TO, zero[1] + NEXT_TO])
        values = series.zeroed(values, slice(int(low), int(high)))
    return Record(t, -values if reverse else values, unit, resolution_of(column.cells) * factor)


def resolution_of(cells: tuple[str, ...]) -> float:
    """Step of the last digit of the cells, in their unit; 0 where it cannot be told."""
    steps = []
    for cell in cells[:200]:
        try:
            if digits(cell):
                steps.append(last_place(cell))
        except WrittenError:
            continue
    return min(steps, default=0.0)


def _stretch(record: Record, start: float | None, stop: float | None) -> tuple[Array, Array]:
    use = np.ones(len(record.t), dtype=bool)
    if start is not None:
        use &= record.t >= start - NEXT_TO
    if stop is not None:
        use &= record.t <= stop + NEXT_TO
    return record.t[use], record.values[use]


def _warnings(t: Array, found: Stretch) -> list[str]:
    out = []
    spacing = np.diff(t)
    if len(spacing) > 2 and float(np.max(spacing)) > 1.5 * float(np.median(spacing)):
        out.append(_("Values are missing in this stretch: it was taken as evenly spaced."))
    if found.value is None:
        out.append(_("There are too few values for an uncertainty: choose a longer stretch."))
    return out


def series_mean(record: Record, start: float | None, stop: float | None) -> tuple[Stretch, list[str]]:
    """Mean of a stretch, and warnings."""
    t, values = _stretch(record, start, stop)
    if not len(values):
        return series.Stretch(None, None, None, 0, None), [
            _("No value lies in this stretch: choose a longer one.")
        ]
    found = series.mean(values, record.unit, resolution=record.resolution)
    warnings = _warnings(t, found)
    split = series.rest_at_an_end(values)
    if split is not None:
        words = _(
            "The record changes at {t:.3g} s: a phase at rest may be in this mean. Choose the steady stretch."
        )
        warnings.append(words.format(t=float(t[split])))
    return found, warnings


def series_slope(record: Record, start: float | None, stop: float | None) -> tuple[Stretch, list[str]]:
    """Slope of a stretch against time, and warnings."""
    t, values = _stretch(record, start, stop)
    if len(t) < 2 or np.ptp(t) <= 0:
        words = _("A slope needs values at two times at least: choose a longer stretch.")
        return series.Stretch(None, None, None, len(t), None), [words]
    found = series.slope(t, values, record.unit / SECOND)
    warnings, split = _warnings(t, found), series.rest_in_slope(t, values)
    if split is not None:
        words = _("At {t:.3g} s rest and motion meet: the slope holds both. Choose the stretch that moves.")
        warnings.append(words.format(t=split))
    return found, warnings
