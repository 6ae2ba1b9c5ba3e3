"""Rounding and wording of results. Rounding happens only here, on display."""

from __future__ import annotations

import math
from decimal import ROUND_HALF_UP, Decimal
from typing import TYPE_CHECKING, Any

from saltus.core.units import ONE, Unit

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity

TURNED_AT_MOST = Decimal("0.05")
"""One figure is enough where rounding to it changes an uncertainty by no more than this part."""
NOTHING = 1e-12
"""An uncertainty smaller than this part of the value is that of the arithmetic."""
TOO_LARGE = 1e6
"""From here on numbers are written with a power of ten."""
MINUS = "\u2212"
_POWERS = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def rounded_uncertainty(U: float) -> Decimal:
    """Round an expanded uncertainty for display.

    To the nearest: two significant figures when the first is 1 or 2, or when one figure would change it by
    more than 5 %; otherwise one.

    Parameters
    ----------
    U : float
        Positive and finite, in any unit.

    Returns
    -------
    Decimal
        Its exponent is the place to which the value is rounded.
    """
    exact = Decimal(repr(float(U)))
    first = exact.adjusted()
    one, two = (exact.quantize(Decimal(1).scaleb(first - k), rounding=ROUND_HALF_UP) for k in (0, 1))
    if int(exact.scaleb(-first)) <= 2 or abs(one - exact) > TURNED_AT_MOST * exact:
        # 0.0996 to two figures is 0.100: these are three
        return two if two.adjusted() == first else two.quantize(Decimal(1).scaleb(first), ROUND_HALF_UP)
    # 0.096 to one figure is 0.1, whose first is 1: two figures of it, 0.10
    return one if one.adjusted() == first else one.quantize(Decimal(1).scaleb(first), ROUND_HALF_UP)


def value_and_uncertainty(value: float, U: float | None) -> tuple[str, str | None]:
    """Write a value to the place of its expanded uncertainty, both in one unit.

    Parameters
    ----------
    value : float
    U : float or None
        95 % half-width; 0 for an exact value, None when it cannot be stated.

    Returns
    -------
    value, uncertainty : str, str or None
        Without unit; the minus sign is U+2212.
    """
    if not math.isfinite(value):
        return "–", None
    if U is not None and 0 < U < abs(value) * NOTHING:
        return written_number(value, 12), None
    if U is None or U == 0 or not math.isfinite(U):
        return written_number(value, 10 if U == 0 else 4), None
    shown = rounded_uncertainty(U)
    place = Decimal(1).scaleb(int(shown.as_tuple().exponent))
    number = Decimal(repr(value)).quantize(place, rounding=ROUND_HALF_UP)
    return _signed(_plain(number)), _plain(shown)


def written_number(value: float, figures: int = 4) -> str:
    """Write a number to some significant figures, without zeros at its end; tiny and huge ones as ×10ⁿ.

    Parameters
    ----------
    value : float
        In the unit it is shown in.
    figures : int
    """
    if not math.isfinite(value):
        return "–"
    written = f"{value:.{figures}g}"
    if "e" not in written or 1e-4 <= abs(value) < TOO_LARGE:
        return _signed(_plain(Decimal(written)))
    number, power = written.split("e")
    return f"{_signed(number)}×10{str(int(power)).translate(_POWERS)}"


def stated(value: float, U: float | None, unit: Unit = ONE) -> str:
    """Write a result such as ``9.79 ± 0.06 m/s²``, uncertainty at 95 %.

    Parameters
    ----------
    value : float
        In the SI unit.
    U : float or None
        95 % half-width; None when it cannot be stated.
    unit : Unit
    """
    return stated_in(value, U, unit.text)


def stated_in(value: float, U: float | None, unit_text: str) -> str:
    """Write a result with a unit already in words, such as ``1.61 ± 0.01 mm``.

    Parameters
    ----------
    value : float
        In that unit.
    U : float or None
        Expanded uncertainty, in that unit; None where none can be stated.
    unit_text : str
    """
    size = max(abs(value), U or 0.0)
    tail = unit_tail(unit_text)
    if U and math.isfinite(size) and size > 0 and not 1e-4 <= size < TOO_LARGE:
        power = math.floor(math.log10(size))
        number, spread = value_and_uncertainty(value / 10.0**power, U / 10.0**power)
        return f"({number} ± {spread})×10{str(power).translate(_POWERS)}{tail}"
    number, spread = value_and_uncertainty(value, U)
    return f"{number} ± {spread}{tail}" if spread else f"{number}{tail}"


def unit_tail(unit_text: str) -> str:
    """What follows a number: the unit after a space, the sign of a degree without one."""
    return f" {unit_text}" if unit_text and unit_text != "°" else unit_text


def to_figures(value: float, figures: int) -> str:
    """Write a value to a fixed number of significant figures, as some schools want it.

    Parameters
    ----------
    value : float
        In the unit it is shown in.
    figures : int
        At least one.
    """
    if not math.isfinite(value) or value == 0:
        return "–" if value else "0"
    exact = Decimal(repr(value))
    return _signed(_plain(exact.quantize(Decimal(1).scaleb(exact.adjusted() - figures + 1), ROUND_HALF_UP)))


def to_places(value: float, places: int) -> str:
    """Write a value to the places after the point with which the data were read.

    Parameters
    ----------
    value : float
        In the unit it is shown in.
    places : int
        Zero or more.
    """
    return _signed(f"{Decimal(repr(value)).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP):f}")


def stated_percent(relative: float) -> str:
    """Write a relative expanded uncertainty such as ``± 0.41 %``.

    Parameters
    ----------
    relative : float
        Dimensionless, 95 %.
    """
    return f"± {_plain(rounded_uncertainty(100 * relative))} %" if relative > 0 else "± 0 %"


def as_json(q: Quantity | None) -> dict[str, Any] | None:
    """Describe a single quantity in the shape every headless command uses.

    Parameters
    ----------
    q : Quantity or None

    Returns
    -------
    dict or None
        None when there is no quantity or its value is not a finite number; without an uncertainty where that
        is not known.
    """
    if q is None or not math.isfinite(float(q)):
        return None
    cover = q.coverage
    if not math.isfinite(cover.U95):
        words = stated(float(q), None, q.unit)
        return {
            "value": float(q),
            "u": None,
            "U95": None,
            "k": None,
            "dof": None,
            "unit": q.unit.ascii,
            "text": words,
        }
    return {
        "value": float(q),
        "u": float(q.u),
        "U95": cover.U95,
        "k": cover.k,
        "dof": cover.dof if math.isfinite(cover.dof) else None,
        "unit": q.unit.ascii,
        "text": stated(float(q), cover.U95, q.unit),
    }


def _plain(number: Decimal) -> str:
    return f"{number:f}" if int(number.as_tuple().exponent) <= 0 else f"{int(number)}"


def _signed(written: str) -> str:
    if written.startswith("-"):
        return written[1:] if not written.strip("-0.") else MINUS + written[1:]
    return written
