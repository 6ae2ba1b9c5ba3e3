"""What an instrument can resolve: from a reading and its rule to a quantity with sources."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from saltus.core import sources
from saltus.core.quantities import family, measured
from saltus.core.quantity import Quantity, UncertaintyError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import ArrayLike

    from saltus.core.sources import Kind
    from saltus.core.units import Unit

Rule = Literal["digital", "divided", "vernier", "percent"]


@dataclass(frozen=True)
class Instrument:
    """What a quantity is read with.

    Attributes
    ----------
    name : str
        Stable; names its sources.
    rule : {"digital", "divided", "vernier", "percent"}
        A digital display shows the nearest step; between divisions half a division can be told; a vernier is
        read to its step; ``percent`` is an accuracy in per cent of the reading.
    resolution : float
        Step of the last digit, smallest division, or step of the vernier, SI.
    zero, u_zero : float
        What it shows for nothing, and the standard uncertainty of that, SI: common to all its readings.
    percent : float
        Accuracy in per cent of the reading, as limits, common to all its readings.
    kind : Kind
        The group of the limit bar.
    """

    name: str
    rule: Rule = "digital"
    resolution: float = 0.0
    zero: float = 0.0
    u_zero: float = 0.0
    percent: float = 0.0
    kind: Kind = "instruments"

    @property
    def u_reading(self) -> float:
        """Standard uncertainty of one reading from the resolution, SI: limits ± half a step, uniform."""
        return self.resolution / math.sqrt(12)

    def read(self, shown: ArrayLike, unit: Unit, *, placements: int = 1) -> Quantity:
        """Turn what it showed into quantities.

        Parameters
        ----------
        shown : (N,) array_like or float
            SI.
        unit : Unit
        placements : int
            How often it was laid on for one value; each reading error counts once for each.

        Raises
        ------
        UncertaintyError
            If a resolution or accuracy is negative or not finite.

        Notes
        -----
        Uniform limits, GUM 4.3.7: half a step either way, √n for n placements; per cent of the reading /√3.
        """
        for size in (self.resolution, self.u_zero, self.percent):
            if not (math.isfinite(size) and size >= 0):
                raise UncertaintyError(say("quantity.negative-uncertainty"))
        step = sources.instrument_reading(self.name, self.kind)
        spread = self.u_reading * math.sqrt(placements)
        values = Quantity(shown, unit)
        out = (
            family(values.value, spread, unit, step)
            if values.value.ndim
            else measured(float(values), spread, unit, step, 0)
        )
        if self.zero or self.u_zero:
            out = out - measured(self.zero, self.u_zero, unit, sources.instrument_zero(self.name, self.kind))
        if self.percent:
            accuracy = sources.instrument_accuracy(self.name, self.kind)
            out = out.with_source(accuracy, values.value * self.percent / 100 / math.sqrt(3))
        return out


def weighed_together(whole: Quantity, count: int) -> Quantity:
    """Give the mean mass of alike things weighed together; its uncertainty divides too.

    Parameters
    ----------
    whole : Quantity
        Mass of all, kg.
    count : int
        How many, at least one.

    Raises
    ------
    UncertaintyError
        If the count is below 1.
    """
    if count < 1:
        raise UncertaintyError(say("instruments.nothing-weighed"))
    return whole / float(count)
