"""Quantities with uncertainty as people write them: ``12.3(2) cm``, ``0.164 ± 0.001 kg``, ``3*30+12 cm``."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.coverage import NORMAL_95
from saltus.core.sentences import say
from saltus.core.units import ONE, Unit, UnitError, parse_unit, tells_turns
from saltus.core.written import LONGEST, WrittenError, last_place

if TYPE_CHECKING:
    from collections.abc import Iterator

LARGEST, SMALLEST = 1e12, 1e-50
MOST_PLACEMENTS = 1000
_PLAIN = r"(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+\u2212]?\d{1,3})?"
_NUMBER = rf"[-+\u2212]?{_PLAIN}"
_SUM = rf"{_NUMBER}(?:\s*[*×+]\s*{_PLAIN})*"
_RAISED = str.maketrans("⁻⁺⁰¹²³⁴⁵⁶⁷⁸⁹", "-+0123456789")
_UNIT = r"[A-Za-zµμ°%][A-Za-zµμ°0-9²³⁻¹^*/·.\-]*(?:\s[A-Za-z]+[0-9²³⁻¹^\-]*)*"
_SHAPE = re.compile(
    rf"\s*(?P<sum>{_SUM})(?:\((?P<last>\d{{1,4}})\))?(?P<power>[eE][-+\u2212]?\d{{1,2}}|\s*[×·*xX]\s*10(?:\^[-+\u2212]?\d{{1,2}}|[⁻⁺]?[⁰¹²³⁴⁵⁶⁷⁸⁹]{{1,2}}))?\s*(?P<unit>{_UNIT}|1/s)?\s*"
    rf"(?:(?:±|\+/-|\+-)\s*(?P<spread>{_PLAIN}(?:[eE][-+\u2212]?\d{{1,2}})?)\s*(?P<tail>{_UNIT}|1/s)?)?"
    r"\s*(?P<expanded>\(\s*95\s*%\s*\))?\s*"
)


@dataclass(frozen=True)
class Entry:
    """A quantity as written.

    Attributes
    ----------
    value : float
        In SI.
    u : float or None
        Standard uncertainty in SI; None when none was written.
    unit : Unit
        Its SI unit.
    placements : int
        How many times the instrument was laid on: 4 for ``3*30+12 cm``.
    last_place : float
        What one step of the last digit written is worth, SI.
    """

    value: float
    u: float | None
    unit: Unit
    placements: int = 1
    last_place: float = 0.0


def plain(text: str) -> float:
    """Read digits with a point or a decimal comma and any minus sign.

    Parameters
    ----------
    text : str

    Returns
    -------
    float
        In the unit it was written in.

    Raises
    ------
    ValueError
        If it is no number.
    """
    return float(text.replace(",", ".").replace("\u2212", "-"))


def entry(text: str, wanted: Unit | None = None, *, default_unit: str = "", where: str = "") -> Entry:
    """Read a quantity.

    Parameters
    ----------
    text : str
        A number, a sum of placements such as ``3*30+12``, digits of uncertainty in brackets, ``±`` with a
        number, a quantity or per cent (a standard uncertainty, unless ``(95 %)`` follows), and a unit.
    wanted : Unit, optional
        The SI unit it must go with; an angular speed or a frequency in rpm is read as is wanted.
    default_unit : str
        Used where no unit is written.
    where : str
        Names the place in messages, such as ``line 3, “mass”``.

    Raises
    ------
    WrittenError
        Saying where, what was written and what was expected.

    Notes
    -----
    The uncertainty written with a sum of placements is that of one placement; placements are independent,
    so it counts √n times.
    """
    text = " ".join(text.split()) if len(text) <= LONGEST else text
    found = _SHAPE.fullmatch(text[:LONGEST])
    if found is None or len(text) > LONGEST:
        raise WrittenError(say("entry.unreadable", where=f"{where}: " if where else "", text=text[:40]))
    value, placements = _added(found["sum"])
    power = _power(found["power"])
    value *= power
    unit_text, spread_unit = found["unit"], found["tail"]
    percent = (spread_unit or "").startswith("%")
    unit_text = unit_text or ((spread_unit or "")[1:].strip() if percent else spread_unit)
    factor, unit = _unit(unit_text if unit_text is not None else default_unit, wanted, text, where)
    step = last_place(found["sum"]) * power if placements == 1 else 0.0
    if found["last"]:
        u: float | None = int(found["last"]) * step * factor
    elif found["spread"] and percent:
        u = abs(value) * factor * plain(found["spread"]) / 100
    elif found["spread"]:
        own = _unit(spread_unit, wanted, text, where)[0] if spread_unit else factor
        u = plain(found["spread"]) * own * math.sqrt(placements)
    else:
        u = None
    u = u / NORMAL_95 if u is not None and found["expanded"] else u
    _check_size((abs(value * factor), u or 0.0), text, where)
    return Entry(value * factor, u, unit, placements, step * factor)


def _check_size(sizes: tuple[float, ...], text: str, where: str) -> None:
    """Refuse what is too large or too small to be a measurement, and to be squared and divided."""
    for size in sizes:
        if size and not SMALLEST <= size <= LARGEST:
            words = "entry.too-small-meant" if size < SMALLEST else "entry.too-large-meant"
            raise WrittenError(say(words, where=f"{where}: " if where else "", text=text[:40]))


def _added(written: str) -> tuple[float, int]:
    """Value of a sum of placements, and how many there are."""
    value, placements = 0.0, 0
    for sign, term in _terms(written):
        numbers = [plain(n) for n in re.split(r"\s*[*×]\s*", term)]
        value += sign * math.prod(numbers)
        counts = [n for n in numbers[:-1] if n == int(n) and 0 < n <= MOST_PLACEMENTS]
        placements += round(math.prod(counts)) if len(counts) == len(numbers) - 1 else 1
    return value, max(placements, 1)


def _power(written: str | None) -> float:
    """A power of ten behind the brackets: ``6.00(3)e-3``, ``6.00(3)·10^-3``."""
    if not written:
        return 1.0
    raised = re.sub(r"^\s*[×·*xX]\s*10\^?|^[eE]", "", written).translate(_RAISED)
    return 10.0 ** int(raised.replace("\u2212", "-"))


def _terms(written: str) -> Iterator[tuple[int, str]]:
    written = written.strip()
    sign = -1 if written[0] in "-\u2212" else 1
    written = written.lstrip("+-\u2212")
    for i, term in enumerate(re.split(r"(?<![eE])\s*\+\s*", written)):
        yield (sign if i == 0 else 1), term


def _unit(name: str, wanted: Unit | None, text: str, where: str) -> tuple[float, Unit]:
    try:
        factor, unit = parse_unit(name)
    except UnitError as error:
        raise WrittenError(f"{where}: {error}" if where else str(error)) from error
    if wanted is None:
        return factor, unit
    factor = in_wanted(name, factor, wanted)
    if not unit.goes_with(wanted):
        raise WrittenError(
            say(
                "entry.wrong-unit",
                where=f"{where}: " if where else "",
                text=text[:40],
                unit=name or "1",
                wanted=wanted.ascii if wanted != ONE else say("entry.plain-number"),
            )
        )
    return factor, wanted


def in_wanted(name: str, factor: float, wanted: Unit) -> float:
    """Give the factor of a unit for what is wanted: turns a minute as a frequency, or as an angular speed.

    Parameters
    ----------
    name : str
        The unit as written.
    factor : float
        SI units in one of it.
    wanted : Unit

    Returns
    -------
    float
        SI units in one of it, where 2π rad a turn are counted if an angular speed is wanted.
    """
    return factor * 2 * math.pi if tells_turns(name) and wanted.exponents[-1] == 1 else factor


def given(text: str) -> tuple[str, str]:
    """Split ``name=VALUE`` of the command line.

    Raises
    ------
    WrittenError
        If there is no name or no value.
    """
    name, equals, value = text.partition("=")
    if not equals or not name.strip() or not value.strip():
        raise WrittenError(say("entry.no-given", text=text[:40]))
    return name.strip(), value.strip()
