"""Numbers and quantities as people type them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING

from saltus.core.sentences import say
from saltus.core.units import UnitError, parse_unit

if TYPE_CHECKING:
    from saltus.core.units import Unit

_NUMBER = re.compile(
    r"^\s*(?:±|\+/-)?\s*([-+\u2212]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d{1,3})?)\s*(.*?)\s*$"
)
LONGEST = 200


class WrittenError(ValueError):
    """Text that cannot be read as the quantity asked for."""


@dataclass(frozen=True)
class Written:
    """A number as typed and its unit.

    Attributes
    ----------
    value : float
        In the unit as typed.
    unit_text : str
        The unit as typed; empty for none.
    factor : float
        What one of this unit is in SI.
    unit : Unit
        The SI unit.
    """

    value: float
    unit_text: str
    factor: float
    unit: Unit

    @property
    def si(self) -> float:
        """The value in SI."""
        return self.value * self.factor


def _no_number(text: str) -> WrittenError:
    return WrittenError(say("number.no-number", text=text[:40]))


def number(text: str) -> float:
    """Read a plain number; a decimal comma is understood.

    Parameters
    ----------
    text : str

    Raises
    ------
    WrittenError
        If it is not a finite number.
    """
    found = _NUMBER.match(text[:LONGEST])
    if not found or found[2]:
        raise _no_number(text)
    return float(found[1].replace(",", ".").replace("\u2212", "-"))


def digits(text: str) -> str:
    """Give the number at the start of a text with the digits as typed, decimal comma included.

    Parameters
    ----------
    text : str

    Returns
    -------
    str
        With a real minus; empty when there is no number.
    """
    found = _NUMBER.match(text[:LONGEST])
    return found[1].replace("-", "\u2212") if found else ""


def last_place(text: str) -> float:
    """Give what one step of the last digit typed is worth: 0.001 for ``1.000 m``, 1 for ``30``.

    Parameters
    ----------
    text : str

    Raises
    ------
    WrittenError
        If there is no number.
    """
    written = digits(text)
    if not written:
        raise _no_number(text)
    exact = Decimal(written.replace(",", ".").replace("\u2212", "-"))
    return float(Decimal(1).scaleb(int(exact.as_tuple().exponent)))


def quantity_of(text: str, wanted: Unit, *, default_unit: str, example: str) -> Written:
    """Read a number with a unit of a wanted dimension.

    Parameters
    ----------
    text : str
        Such as ``1.000 m``, ``30,5 cm``.
    wanted : Unit
        The SI unit the quantity must go with.
    default_unit : str
        Used when no unit is typed.
    example : str
        Shown when the text cannot be read.

    Raises
    ------
    WrittenError
        Saying what was typed, what was expected, and an example.
    """
    found = _NUMBER.match(text[:LONGEST])
    if not found:
        raise WrittenError(say("number.no-quantity", text=text[:40], example=example))
    value = float(found[1].replace(",", ".").replace("\u2212", "-"))
    name = found[2] or default_unit
    try:
        factor, unit = parse_unit(name)
    except UnitError as error:
        raise WrittenError(str(error)) from error
    if not unit.goes_with(wanted):
        raise WrittenError(
            say(
                "number.wrong-unit",
                text=text[:40],
                unit=name,
                wanted=wanted.text or "a plain number",
                example=example,
            )
        )
    if abs(value * factor) > 1e12:
        raise WrittenError(say("number.too-large-meant", text=text[:40]))
    return Written(value, name, factor, unit)
