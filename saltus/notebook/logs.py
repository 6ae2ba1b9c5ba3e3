"""Recorded logs of sensors: values as recorded, what was chosen on them, and what stretches of them say."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import numpy as np
from pydantic import Field, model_validator

from saltus.core import series, sources
from saltus.core.units import SECOND, Unit, UnitError, parse_unit
from saltus.core.with_uncertainty import in_one
from saltus.notebook.part import Id, Name, NotNegative, Part

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

MOST_SAMPLES = 500_000
Finite = Annotated[float, Field(ge=-1e15, le=1e15, allow_inf_nan=False)]
Seconds = Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)]
Samples = Annotated[tuple[Finite, ...], Field(max_length=MOST_SAMPLES)]


class Channel(Part):
    """One signal of a log, in the unit it was recorded in; ``resolution`` is the step of its last digit.

    ``zero`` is a quiet stretch, s, whose mean counts as nothing; ``turned``: the sign is reversed.
    """

    name: Name
    unit: Annotated[str, Field(max_length=40)] = ""
    values: Samples
    resolution: NotNegative = 0.0
    zero: tuple[Seconds, Seconds] | None = None
    turned: bool = False


class LogStretch(Part):
    """A stretch of one channel, s, of which mean and slope are told."""

    id: Id
    channel: Name
    first: Seconds
    last: Seconds


class Log(Part):
    """A recorded log: times in s, signals, stretches, and the take it is laid over.

    ``shift`` is added to its times to put it on the time axis of the take.
    """

    id: Id
    name: Name
    times: Samples
    channels: Annotated[tuple[Channel, ...], Field(min_length=1, max_length=32)]
    stretches: Annotated[tuple[LogStretch, ...], Field(max_length=200)] = ()
    take: Id | None = None
    shift: Seconds = 0.0
    simulated: bool = False

    @model_validator(mode="after")
    def _consistent(self) -> Log:
        if any(len(c.values) != len(self.times) for c in self.channels):
            raise ValueError("a channel has not as many values as there are times")
        if len({c.name for c in self.channels}) != len(self.channels):
            raise ValueError("two channels have the same name")
        if np.any(np.diff(np.asarray(self.times)) < 0):
            raise ValueError("the times of a log must be in order")
        return self

    def channel(self, name: str) -> Channel | None:
        """Find a channel by name."""
        return next((c for c in self.channels if c.name == name), None)

    def stretch(self, stretch_id: str | None) -> LogStretch | None:
        """Find a stretch by id."""
        return next((s for s in self.stretches if s.id == stretch_id), None)


def unit_of(channel: Channel) -> tuple[float, Unit]:
    """Factor to SI and SI unit of a channel; a unit nobody knows counts as a plain number."""
    try:
        return parse_unit(channel.unit)
    except UnitError:
        return parse_unit("")


def values_of(log: Log, channel: Channel) -> Array:
    """Values of a channel in SI, zeroed and turned, (N,)."""
    factor, _unit = unit_of(channel)
    values = np.asarray(channel.values, dtype=float) * factor
    if channel.zero is not None:
        quiet = _inside(log, *channel.zero)
        if quiet.stop > quiet.start:
            values = series.zeroed(values, quiet)
    return -values if channel.turned else values


def _inside(log: Log, first: float, last: float) -> slice:
    low, high = np.searchsorted(np.asarray(log.times), [first - 1e-9, last + 1e-9])
    return slice(int(low), int(high))


def _recorded(log: Log, channel: Channel, part: slice) -> series.Recorded:
    return series.Recorded(log.id, channel.name, part.start)


def stretch_mean(log: Log, stretch: LogStretch) -> series.Stretch:
    """Mean of a stretch; the mean of the quiet stretch is as uncertain as it is, for all stretches alike.

    Raises
    ------
    SeriesError
        If no value lies in the stretch.
    """
    channel = log.channel(stretch.channel)
    assert channel is not None
    factor, unit = unit_of(channel)
    part = _inside(log, stretch.first, stretch.last)
    values = values_of(log, channel)[part]
    found = series.mean(values, unit, _recorded(log, channel, part), channel.resolution * factor)
    zero = _zero_of(log, channel)
    if zero is None or found.value is None:
        return found
    sign = 1.0 if channel.turned else -1.0
    return series.Stretch(
        found.value + zero * sign, found.sd, found.standard_error, found.n, found.effective_n
    )


def _zero_of(log: Log, channel: Channel) -> Quantity | None:
    """What the quiet stretch leaves uncertain: nothing, as sure as its mean."""
    if channel.zero is None:
        return None
    factor, unit = unit_of(channel)
    part = _inside(log, *channel.zero)
    rest = np.asarray(channel.values, dtype=float)[part] * factor
    if len(rest) < 2:
        return None
    found = series.mean(rest, unit, _recorded(log, channel, part), channel.resolution * factor).value
    if found is None:
        return None
    return in_one(found, float(found.u), sources.record_zero(log.id, channel.name)).moved_to(0.0)


def stretch_slope(log: Log, stretch: LogStretch) -> series.Stretch:
    """Slope of a stretch against time.

    Raises
    ------
    SeriesError
        If fewer than two times lie in it.
    """
    channel = log.channel(stretch.channel)
    assert channel is not None
    _factor, unit = unit_of(channel)
    part = _inside(log, stretch.first, stretch.last)
    t = np.asarray(log.times, dtype=float)[part]
    return series.slope(t, values_of(log, channel)[part], unit / SECOND, _recorded(log, channel, part))


def rest_beside_slope(log: Log, stretch: LogStretch) -> float | None:
    """When rest and motion meet within a stretch, s: it would spoil the slope; None where they do not."""
    channel = log.channel(stretch.channel)
    assert channel is not None
    part = _inside(log, stretch.first, stretch.last)
    return series.rest_in_slope(np.asarray(log.times, dtype=float)[part], values_of(log, channel)[part])


def rest_within(log: Log, stretch: LogStretch) -> float | None:
    """When a phase at rest ends or begins within a stretch, s: it would spoil the mean; None without one."""
    channel = log.channel(stretch.channel)
    assert channel is not None
    part = _inside(log, stretch.first, stretch.last)
    split = series.rest_at_an_end(values_of(log, channel)[part])
    return float(log.times[part.start + split]) if split is not None else None
