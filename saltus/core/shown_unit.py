"""The unit values are shown in: what people work with, beside the SI unit they are computed in."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.formulas import Call, Name, Number
from saltus.core.statement import stated_in, unit_tail, value_and_uncertainty, written_number
from saltus.core.units import ONE, UnitError, parse_unit

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.formulas import Node
    from saltus.core.quantity import Quantity
    from saltus.core.units import Unit

_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_OTHERWISE = {"deg": "°", "1": ""}
_TWICE = {"m": "m²", "cm": "cm²", "mm": "mm²", "s": "s²", "kg": "kg²", "g": "g²", "N": "N²", "m/s": "m²/s²",
          "cm/s": "cm²/s²", "rad/s": "rad²/s²", "Hz": "Hz²"}  # fmt: skip
"""Squares of units that may stand on an axis; any other is shown in SI."""
_OVER = {"m": "1/m", "cm": "1/cm", "s": "1/s", "kg": "1/kg", "g": "1/g"}


@dataclass(frozen=True)
class ShownUnit:
    """A unit as it is written, and what one of it is in SI."""

    text: str
    factor: float = 1.0

    def stated(self, value: float, U: float | None = None) -> str:
        """Write a value and its 95 % half width with this unit.

        Parameters
        ----------
        value, U : float
            SI; no U where it is not known.
        """
        return stated_in(value / self.factor, U / abs(self.factor) if U is not None else None, self.text)

    def words(self, value: float, U: float | None = None) -> tuple[str, str]:
        """Give value and 95 % half width as numbers of this unit; no second where it is not known.

        Parameters
        ----------
        value, U : float
            SI.
        """
        text, spread = value_and_uncertainty(
            value / self.factor, U / abs(self.factor) if U is not None and math.isfinite(U) else None
        )
        return text, spread or ""

    def u(self, u: float) -> str:
        """Write a standard uncertainty with two figures and this unit.

        Parameters
        ----------
        u : float
            SI.
        """
        return written_number(u / abs(self.factor), 2) + unit_tail(self.text) if math.isfinite(u) else "–"

    def of(self, q: Quantity) -> str:
        """Write a quantity with its 95 % half width.

        Parameters
        ----------
        q : Quantity
            A single value of a unit that goes with this one.
        """
        return self.stated(float(q), q.U95 if math.isfinite(q.U95) else None)


def pretty_unit(written: str) -> str:
    """Write a unit as it was typed with raised powers and signs: ``m/s^2`` is m/s², ``deg`` is °."""
    raised = re.sub(r"\^(-?\d+)", lambda m: m[1].translate(_RAISED), written).replace("*", "·")
    return _OTHERWISE.get(raised, raised)


def shown_in(written: str, unit: Unit) -> ShownUnit:
    """Give the unit written down, where values in ``unit`` can be shown in it; else the SI unit."""
    try:
        factor, wanted = parse_unit(written)
    except UnitError:
        return si(unit)
    return (
        ShownUnit(pretty_unit(written), factor) if written and factor and wanted.goes_with(unit) else si(unit)
    )


def si(unit: Unit) -> ShownUnit:
    """The SI unit; nothing for a pure number."""
    return ShownUnit("" if unit.goes_with(ONE) and unit.plain else unit.text)


def shown_on_axis(tree: Node, unit: Unit, of: Callable[[str], ShownUnit | None]) -> ShownUnit:
    """Give the unit of what a formula gives, in the units its names are shown in, where that is a plain one.

    Parameters
    ----------
    tree : Node
    unit : Unit
        SI unit of what it gives.
    of : callable
        Gives the unit a name is shown in.
    """
    found = _carried(tree, of)
    if found is None or not found.text:
        return si(unit)
    try:
        factor, wanted = parse_unit(found.text)
    except UnitError:
        return si(unit)
    same = wanted.goes_with(unit) and abs(factor - found.factor) <= 1e-9 * factor
    return found if same else si(unit)


def _carried(node: Node, of: Callable[[str], ShownUnit | None]) -> ShownUnit | None:
    if isinstance(node, Name):
        return of(node.name)
    if not isinstance(node, Call):
        return None
    if node.name == "^" and node.parts[1] == Number(2.0, ONE):
        base = _carried(node.parts[0], of)
        return (
            ShownUnit(_TWICE[base.text], base.factor**2) if base is not None and base.text in _TWICE else None
        )
    if node.name == "/" and isinstance(node.parts[0], Number):
        base = _carried(node.parts[1], of)
        return (
            ShownUnit(_OVER[base.text], 1 / base.factor) if base is not None and base.text in _OVER else None
        )
    return None


def quotient(above: ShownUnit, below: ShownUnit, unit: Unit) -> ShownUnit:
    """Give the unit of a slope: one over the other where that is easily read, else the SI unit."""
    if above.factor == below.factor == 1.0 or "/" in below.text or "·" in below.text or not below.text:
        plain = not below.text and above.text
        return above if plain and below.factor == 1.0 else si(unit)
    return ShownUnit(f"{above.text or '1'}/{below.text}", above.factor / below.factor)
