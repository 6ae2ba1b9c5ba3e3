"""Mistakes that can be made with any quantity of a kind: how each is undone, and the words for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.formulas import parse

if TYPE_CHECKING:
    from saltus.core.formulas import Formula
    from saltus.core.units import Unit


@dataclass(frozen=True)
class Mistake:
    """A mistake made with one column or given.

    Attributes
    ----------
    slip : str
        Its id in warnings.
    undo : str
        What should stand in place of ``x``.
    back : str
        The other way round: what stands there with the mistake.
    seldom : float
        How much less likely it is than leaving out a unit; orders those that fit alike.
    bare : bool
        Whether a unit was left out: then all quantities of the kind may be bare together.
    """

    slip: str
    undo: str
    back: str
    seldom: float = 0.0
    bare: bool = False

    def undone(self, name: str) -> Formula:
        """The formula that undoes it in the column or given of this name."""
        return parse(self.undo.replace("x", name))


MISTAKES = {
    "grams-as-kilograms": Mistake("grams-as-kilograms", "x/1000", "x*1000", 0.0, bare=True),
    "centimetres-as-metres": Mistake("centimetres-as-metres", "x/100", "x*100", 0.0, bare=True),
    "millimetres-as-metres": Mistake("millimetres-as-metres", "x/1000", "x*1000", 0.1, bare=True),
    "rpm-as-hertz": Mistake("rpm-as-hertz", "x/60", "x*60", 0.1, bare=True),
    "rpm-as-radians": Mistake("rpm-as-hertz", "x*pi/30", "x*30/pi", 0.1, bare=True),
    "degrees-as-radians": Mistake("degrees-as-radians", "x*pi/180", "x*180/pi", 0.0, bare=True),
    "linear-density-per-gram": Mistake("linear-density-per-gram", "x/1000", "x*1000", 0.0, bare=True),
    "half-cycles": Mistake("half-cycles", "x/2", "2*x", 0.2),
    "counted-from-one": Mistake("counted-from-one", "x - 1", "x + 1", 0.2),
    "half-rate": Mistake("half-rate", "2*x", "x/2", 0.4),
    "twice-the-times": Mistake("half-rate", "x/2", "2*x", 0.4),
    "diameter-for-radius": Mistake("diameter-for-radius", "x/2", "2*x", 0.3),
    "whole-wavelength": Mistake("whole-wavelength", "x/2", "2*x", 0.3),
    "half-range": Mistake("half-range", "2*x", "x/2", 0.5),
    "ten-times-small": Mistake("ten-times", "x*10", "x/10", 0.6),
    "ten-times-large": Mistake("ten-times", "x/10", "x*10", 0.6),
    "kilograms-as-grams": Mistake("grams-as-kilograms", "x*1000", "x/1000", 0.0, bare=True),
    "metres-as-centimetres": Mistake("centimetres-as-metres", "x*100", "x/100", 0.0, bare=True),
    "metres-as-millimetres": Mistake("millimetres-as-metres", "x*1000", "x/1000", 0.1, bare=True),
}  # fmt: skip
TEN = ("ten-times-small", "ten-times-large")
BY_UNIT = {
    "kg": ("grams-as-kilograms", *TEN),
    "m": ("centimetres-as-metres", "millimetres-as-metres", *TEN),
    "1/s": ("rpm-as-hertz", "half-rate", *TEN),
    "rad/s": ("rpm-as-radians", "half-rate", *TEN),
    "rad": ("degrees-as-radians",),
    "kg/m": ("linear-density-per-gram", *TEN),
}
"""What is easily done with a quantity of such a unit; ten times off also with every other number."""


TYPED_IN = {"g": "kilograms-as-grams", "cm": "metres-as-centimetres", "mm": "metres-as-millimetres"}
"""What is easily typed into a column of such a unit: numbers of the SI unit."""


def usual(unit: Unit) -> tuple[str, ...]:
    """Give the mistakes that are easily made with a quantity of a unit.

    Parameters
    ----------
    unit : Unit
        In SI.
    """
    return BY_UNIT.get(unit.ascii, TEN)
