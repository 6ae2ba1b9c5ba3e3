"""Units: SI exponents inside, names people type at the edges."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Iterable

BASES = ("kg", "m", "s", "A", "K", "px", "rad")
_SUPERSCRIPTS = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


class UnitError(ValueError):
    """Two quantities whose units do not go together, or a unit that is not known."""


@dataclass(frozen=True)
class Unit:
    """A product of powers of the SI base units, of pixels and of radians.

    Attributes
    ----------
    exponents : tuple of Fraction
        Powers of kg, m, s, A, K, px and rad, in that order.
    """

    exponents: tuple[Fraction, ...]

    def __mul__(self, other: Unit) -> Unit:
        return Unit(tuple(a + b for a, b in zip(self.exponents, other.exponents, strict=True)))

    def __truediv__(self, other: Unit) -> Unit:
        return self * other**-1

    def __pow__(self, power: Fraction | float) -> Unit:
        exact = Fraction(power).limit_denominator(64)
        return Unit(tuple(a * exact for a in self.exponents))

    def goes_with(self, other: Unit) -> bool:
        """Whether the two may be added: radians count as a plain number."""
        return self.exponents[:-1] == other.exponents[:-1]

    @property
    def plain(self) -> bool:
        """Whether this is a pure number (radians included)."""
        return not any(self.exponents[:-1])

    def _sides(self) -> tuple[list[tuple[str, Fraction]], list[tuple[str, Fraction]]]:
        pairs = list(zip(BASES, self.exponents, strict=True))
        return [(b, e) for b, e in pairs if e > 0], [(b, -e) for b, e in pairs if e < 0]

    def _joined(self, power: str, product: str) -> str:
        def side(items: Iterable[tuple[str, Fraction]]) -> str:
            return product.join(b if e == 1 else power.format(b, e) for b, e in items)

        above, below = self._sides()
        if not above and not below:
            return "1"
        bottom = side(below)
        return side(above or [("1", Fraction(1))]) + (
            f"/({bottom})" if len(below) > 1 else f"/{bottom}" if below else ""
        )

    @property
    def ascii(self) -> str:
        """The unit for files and JSON, such as ``m/s^2``; ``1`` for a pure number."""
        return self._joined("{}^{}", "*")

    @property
    def text(self) -> str:
        """The unit for people, such as ``m/s²``; empty for a pure number."""
        if self.plain and not self.exponents[-1]:
            return ""
        written = self._joined("{}^{}", "·")
        out, raised = "", False
        for letter in written:
            if letter == "^":
                raised = True
            elif raised and (letter.isdigit() or letter == "-"):
                out += letter.translate(_SUPERSCRIPTS)
            else:
                raised = False
                out += letter
        return out


def unit(**powers: float) -> Unit:
    """Make a unit from powers of the base units, ``unit(m=1, s=-2)``.

    Parameters
    ----------
    **powers : float
        Powers by base-unit name.

    Raises
    ------
    KeyError
        If a name is not a base unit.
    """
    unknown = set(powers) - set(BASES)
    if unknown:
        raise KeyError(sorted(unknown))
    return Unit(tuple(Fraction(powers.get(base, 0)).limit_denominator(64) for base in BASES))


ONE = unit()
METRE = unit(m=1)
SECOND = unit(s=1)
PIXEL = unit(px=1)
RADIAN = unit(rad=1)
VELOCITY = unit(m=1, s=-1)
ACCELERATION = unit(m=1, s=-2)

# The lengths students type most; these need no units library and so no wait for its registry.
_COMMON: dict[str, tuple[float, Unit]] = {
    "": (1.0, ONE),
    "1": (1.0, ONE),
    "px": (1.0, PIXEL),
    "m": (1.0, METRE),
    "dm": (0.1, METRE),
    "cm": (0.01, METRE),
    "mm": (0.001, METRE),
    "µm": (1e-6, METRE),
    "km": (1000.0, METRE),
    "s": (1.0, SECOND),
    "ms": (0.001, SECOND),
    "rad": (1.0, RADIAN),
    "deg": (0.017453292519943295, RADIAN),
    "°": (0.017453292519943295, RADIAN),
    "kg": (1.0, unit(kg=1)),
    "g": (0.001, unit(kg=1)),
    "m/s": (1.0, VELOCITY),
    "m/s^2": (1.0, ACCELERATION),
    "m/s²": (1.0, ACCELERATION),
}
_SPELLING = re.compile(r"(?=.{1,40}$)[A-Za-zµμΩ°%]+(?:\^-?\d|[²³])?(?:[*/·][A-Za-zµμΩ°%]+(?:\^-?\d|[²³])?)*")
"""Names with small powers, times or over each other: nothing else goes to the units library."""
_PINT_BASES = {
    "[mass]": "kg",
    "[length]": "m",
    "[time]": "s",
    "[current]": "A",
    "[temperature]": "K",
}


@lru_cache(maxsize=1)
def _registry() -> Any:
    import pint  # noqa: PLC0415  0.4 s: only for units that are not common

    return pint.UnitRegistry()


@lru_cache(maxsize=512)
def parse_unit(written: str) -> tuple[float, Unit]:
    """Read a unit as people write it.

    Parameters
    ----------
    written : str
        Such as ``cm``, ``m/s^2``, ``g``; empty for a pure number.

    Returns
    -------
    factor : float
        What one of this unit is in SI.
    unit : Unit
        Its SI unit.

    Raises
    ------
    UnitError
        If the unit is not known, with what to type instead.
    """
    name = written.strip()
    if name in _COMMON:
        return _COMMON[name]
    sentence = _("“{unit}” is not a unit Saltus knows. Write for example m, cm or mm.").format(unit=name[:40])
    if not _SPELLING.fullmatch(name):
        raise UnitError(sentence)
    try:
        one = _registry().Quantity(1, name).to_base_units()
        powers = {_PINT_BASES[d]: float(p) for d, p in one.dimensionality.items()}
        return float(one.magnitude), unit(**powers)
    except (
        ValueError,
        TypeError,
        AssertionError,
        AttributeError,
        SyntaxError,
        ArithmeticError,
        LookupError,
    ) as error:
        raise UnitError(sentence) from error
