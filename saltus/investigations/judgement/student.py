"""What is left to the student: typed values are checked against the student's own data, nothing is told."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Literal

from saltus.core.coverage import NORMAL_95
from saltus.core.entry import entry
from saltus.core.statement import rounded_uncertainty
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity

CLOSE = 0.01
"""A typed value may be off by so much of the value: by rounding on the way."""
CUT_FROM = 0.6
"""What is missing of the last digit, from which on a value was cut off, not rounded."""
TYPED_AS = 0.06
"""Two figures of an uncertainty may be off by so much."""
FIGURES = 2
"""Figures a value should keep where its uncertainty is not known."""
Verdict = Literal["", "agrees", "differs"]
_SLIPS = ((10.0, "10"), (100.0, "100"), (1000.0, "1000"), (2.0, "2"), (60.0, "60"))


def checked(text: str, wanted: Quantity, unit: str = "") -> tuple[Verdict, str]:
    """Hold a typed value against what the data give.

    Parameters
    ----------
    text : str
        As typed; empty is neither right nor wrong.
    wanted : Quantity
        What follows from the student's own data.
    unit : str
        Unit of the column, used where none is typed.

    Returns
    -------
    verdict : {"", "agrees", "differs"}
    words : str
        What to look at, without the value itself.
    """
    if not text.strip() or not math.isfinite(float(wanted)):
        return "", ""
    try:
        default = unit or ("" if wanted.unit.ascii == "1" else wanted.unit.ascii)
        read = entry(text, wanted.unit, default_unit=default)
    except (WrittenError, UnitError) as error:
        return "differs", str(error)
    value, true = read.value, float(wanted)
    off, half_step = abs(value - true), max(read.last_place, 0.0) / 2 * (1 + 1e-9)
    rounded = off <= half_step
    if off <= CLOSE * abs(true) or (rounded and 2 * half_step <= 1.01 * _place(wanted)):
        return "agrees", say("check.follows")
    if math.isfinite(float(wanted.u)) and off <= float(wanted.u):
        return "agrees", say("check.follows-within-uncertainty")
    if rounded and value:
        return "differs", say("check.rounded-too-far")
    return "differs", _hint(value, true)


def cut_off(value: float, step: float, true: float) -> bool:
    """Whether a value was cut off behind its last digit instead of rounded.

    Parameters
    ----------
    value, true : float
        As typed and as it follows, in one unit.
    step : float
        What one step of the last digit typed is worth, in the same unit.
    """
    if step <= 0 or not math.isfinite(true):
        return False
    missing = (abs(true) - abs(value)) / step
    return value * true > 0 and CUT_FROM <= missing < 1


def is_cut_off(text: str, wanted: Quantity, unit: str = "") -> bool:
    """Whether a typed value was cut off instead of rounded; False where it cannot be read."""
    try:
        read = entry(text, wanted.unit, default_unit=unit or wanted.unit.ascii.removeprefix("1"))
    except (WrittenError, UnitError):
        return False
    return cut_off(read.value, read.last_place, float(wanted))


def uncertainty_slip(
    text: str, wanted: Quantity, rms: float | None, unit: str = ""
) -> tuple[str, str] | None:
    """Recognise what was typed as the uncertainty of a result instead of it.

    Parameters
    ----------
    text : str
        A value with ± as typed.
    wanted : Quantity
        What follows from the student's own data.
    rms : float, optional
        rms of the residuals of the line it comes from, in the SI unit of y.
    unit : str
        Unit used where none is typed.

    Returns
    -------
    (slip, words) or None
    """
    try:
        read = entry(text, wanted.unit, default_unit=unit)
    except (WrittenError, UnitError):
        return None
    u = float(wanted.u)
    if not read.u or not math.isfinite(u) or u <= 0:
        return None
    if rms and _near(read.u, rms) and not _near(read.u, u) and not _near(read.u, wanted.U95):
        return "rms-for-slope-u", say("check.rms-for-slope-u")
    if "95" in text and _near(read.u * NORMAL_95, u):
        return "not-doubled", say("check.not-doubled")
    return None


def _near(a: float, b: float) -> bool:
    return b > 0 and abs(a / b - 1) <= TYPED_AS


def _place(wanted: Quantity) -> float:
    """The place to which a value is worth stating: that of its uncertainty, else two figures, in its unit."""
    U = wanted.U95
    if math.isfinite(U) and U > 0:
        return float(10.0 ** int(rounded_uncertainty(U).as_tuple().exponent))
    size = abs(float(wanted))
    return float(10.0 ** (math.floor(math.log10(size)) - FIGURES + 1)) if size > 0 else 0.0


def _hint(value: float, true: float) -> str:
    if true and value:
        ratio = value / true
        if abs(ratio + 1) <= CLOSE:
            return say("check.wrong-sign")
        for factor, words in _SLIPS:
            for off, way in ((ratio, say("check.too-large")), (1 / ratio, say("check.too-small"))):
                if abs(off / factor - 1) <= CLOSE:
                    return say("check.factor", n=words, way=way)
    return say("check.does-not-follow")
