"""Units: SI exponents inside, names people type at the edges."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any

from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable

LONGEST = 40
BASES = ("kg", "m", "s", "A", "K", "px", "rad")
_ONE_OF_EACH: dict[Fraction, Fraction] = {}
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

    def __post_init__(self) -> None:
        # what is one object is alike at a glance, and units are compared all the time
        object.__setattr__(self, "exponents", tuple(_ONE_OF_EACH.setdefault(e, e) for e in self.exponents))

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash(self.exponents)

    # the same few units meet again and again, and fractions take their time
    @lru_cache(maxsize=4096)  # noqa: B019  units are few, and values
    def __mul__(self, other: Unit) -> Unit:
        return Unit(tuple(a + b for a, b in zip(self.exponents, other.exponents, strict=True)))

    def __truediv__(self, other: Unit) -> Unit:
        return self * other**-1

    @lru_cache(maxsize=4096)  # noqa: B019  units are few, and values
    def __pow__(self, power: Fraction | float) -> Unit:
        exact = Fraction(power).limit_denominator(64)
        return Unit(tuple(a * exact for a in self.exponents))

    def goes_with(self, other: Unit) -> bool:
        """Whether the two may be added: radians count as a plain number."""
        return self is other or self.exponents[:-1] == other.exponents[:-1]

    @property
    def plain(self) -> bool:
        """Whether this is a pure number (radians included)."""
        return not any(self.exponents[:-1])

    def _sides(self) -> tuple[list[tuple[str, Fraction]], list[tuple[str, Fraction]]]:
        # a torque over an angular acceleration is a moment of inertia, kg·m²
        exponents = (*self.exponents[:-1], Fraction(0)) if self.exponents[0] else self.exponents
        pairs = list(zip(BASES, exponents, strict=True))
        return [(b, e) for b, e in pairs if e > 0], [(b, -e) for b, e in pairs if e < 0]

    def _joined(self, power: str, product: str) -> str:
        def side(items: Iterable[tuple[str, Fraction]]) -> str:
            return product.join(b if e == 1 else power.format(b, e) for b, e in items)

        for known, name in _SHORTER.items():
            if self.exponents[:-1] == known.exponents[:-1]:
                return product.join(name.split())
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


_SHORTER = {
    unit(kg=1, m=1, s=-2): "N",
    unit(kg=1, s=-2): "N/m",
    unit(kg=1, m=2, s=-2): "N m",
}
"""Units with a name of their own; a torque, not an energy, is what stands in results here."""
ONE = unit()
METRE = unit(m=1)
KILOGRAM = unit(kg=1)
SECOND = unit(s=1)
PIXEL = unit(px=1)
RADIAN = unit(rad=1)
VELOCITY = unit(m=1, s=-1)
ACCELERATION = unit(m=1, s=-2)

# What students type; nothing here needs a units library and so no wait for its registry.
_TURN = 6.283185307179586
_NAMES: dict[str, tuple[float, Unit]] = {
    "px": (1.0, PIXEL),
    "m": (1.0, METRE),
    "g": (0.001, unit(kg=1)),
    "s": (1.0, SECOND),
    "min": (60.0, SECOND),
    "h": (3600.0, SECOND),
    "A": (1.0, unit(A=1)),
    "K": (1.0, unit(K=1)),
    "N": (1.0, unit(kg=1, m=1, s=-2)),
    "J": (1.0, unit(kg=1, m=2, s=-2)),
    "W": (1.0, unit(kg=1, m=2, s=-3)),
    "Pa": (1.0, unit(kg=1, m=-1, s=-2)),
    "Hz": (1.0, unit(s=-1)),
    "L": (0.001, unit(m=3)),
    "l": (0.001, unit(m=3)),
    "t": (1000.0, unit(kg=1)),
    "rad": (1.0, RADIAN),
    "deg": (_TURN / 360, RADIAN),
    "°": (_TURN / 360, RADIAN),
    "rpm": (1 / 60, unit(s=-1)),
    "rps": (1.0, unit(s=-1)),
    "%": (0.01, ONE),
}
_WITH_PREFIX = ("m", "g", "s", "A", "N", "J", "W", "Pa", "Hz", "L", "l", "rad")
_PREFIXES = {"k": 1e3, "M": 1e6, "d": 1e-1, "c": 1e-2, "m": 1e-3, "µ": 1e-6, "μ": 1e-6, "u": 1e-6, "n": 1e-9}
_WORDS = {
    "sec": "s", "secs": "s", "second": "s", "seconds": "s", "metre": "m", "metres": "m", "meter": "m",
    "meters": "m", "kilogram": "kg", "kilograms": "kg", "gram": "g", "grams": "g", "newton": "N",
    "newtons": "N", "degree": "deg", "degrees": "deg", "radian": "rad", "radians": "rad", "hertz": "Hz",
    "gr": "g", "gm": "g", "gms": "g", "Kg": "kg", "KG": "kg", "kgs": "kg", "Kgs": "kg", "cms": "cm",
    "CM": "cm", "mtr": "m", "mts": "m", "RPM": "rpm", "Rpm": "rpm", "hz": "Hz", "HZ": "Hz", "Sec": "s",
    "SEC": "s", "Nm": "N m", "kgm^2": "kg m^2", "kgm²": "kg m^2", "Kgm^2": "kg m^2", "kgm2": "kg m^2",
    "gcm^2": "g cm^2", "gcm²": "g cm^2", "ms-1": "m/s", "ms^-1": "m/s", "ms⁻¹": "m/s", "ms-2": "m/s^2",
    "ms^-2": "m/s^2", "ms⁻²": "m/s^2", "rads-1": "rad/s", "rads^-1": "rad/s", "rads⁻¹": "rad/s",
    "rads-2": "rad/s^2", "rads^-2": "rad/s^2",
    "turns/min": "rpm", "rev/min": "rpm", "r/min": "rpm", "revs/min": "rpm", "turns per minute": "rpm",
    "RPS": "rps", "rev/s": "rps", "revs/s": "rps", "turns/s": "rps", "turn/s": "rps", "cycles/s": "rps",
    "cycle/s": "rps", "r/s": "rps", "turns per second": "rps", "1": "", "-": "", "–": "",
}  # fmt: skip
_TURNS = ("rpm", "rps")
_TWO_MEANINGS = {"ms2": ("m/s^2", "ms^2"), "ms²": ("m/s^2", "(ms)^2"), "ms^2": ("m/s^2", "(ms)^2"),
                 "mS": ("ms", "S"), "cms2": ("cm/s^2", "(cm s)^2"), "cms^2": ("cm/s^2", "(cm s)^2"),
                 "M": ("m", "Mm")}  # fmt: skip
"""Spellings with two sensible meanings: nobody is read as meaning one of them."""
_TIMES_POWER = re.compile(r"[x×·*]?\s*10\^?([-+]?\d{1,2})\s*[·*]?\s*(?=\D|$)(.*)")
_FACTOR = re.compile(r"([A-Za-zµμ°%]+|1)(?:\^?\(?([-+]?\d)\)?)?")
_RAISED = str.maketrans("⁻⁺⁰¹²³⁴⁵⁶⁷⁸⁹", "-+0123456789")
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


def _named(name: str) -> tuple[float, Unit] | None:
    name = _WORDS.get(name, name)
    if name in _NAMES:
        return _NAMES[name]
    if name[:1] in _PREFIXES and name[1:] in _WITH_PREFIX:
        factor, one = _NAMES[name[1:]]
        return _PREFIXES[name[0]] * factor, one
    return None


def _product(written: str) -> tuple[float, Unit] | None:
    """Read names with powers, times and over each other; None where a name is not ours."""
    name = _WORDS.get(written, written).translate(_RAISED)
    if not name:
        return 1.0, ONE
    factor, made = 1.0, ONE
    for i, side in enumerate(re.split(r"\s*/\s*", name)):
        inner = side.strip().removeprefix("(").removesuffix(")") if i else side.strip()
        for part in re.split(r"[\s*·.]+", inner):
            found = _FACTOR.fullmatch(part)
            known = (1.0, ONE) if found and found[1] == "1" else _named(found[1]) if found else None
            if found is None or known is None:
                return None
            power = int(found[2] or 1) * (-1 if i else 1)
            factor, made = factor * known[0] ** power, made * known[1] ** power
    return factor, made


def tells_turns(written: str) -> bool:
    """Whether a unit counts turns in a time: as an angular speed each of them is 2π rad."""
    name = _WORDS.get(written.strip(), written.strip())
    return name in _TURNS or (name.endswith("Hz") and _named(name) is not None)


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
    if name in _TWO_MEANINGS:
        one, other = _TWO_MEANINGS[name]
        raise UnitError(say("units.two-meanings", unit=name, one=one, other=other))
    powered = _TIMES_POWER.fullmatch(name.translate(_RAISED)) if len(name) <= LONGEST else None
    if powered is not None and powered[1]:
        factor, rest = parse_unit(powered[2])
        return 10.0 ** int(powered[1]) * factor, rest
    name = name.removesuffix(".")
    ours = _product(name) if len(name) <= LONGEST else None
    if ours is not None:
        return ours
    sentence = say("units.unknown", unit=name[:40])
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
