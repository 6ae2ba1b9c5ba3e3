"""Instants that fell between two times, and the intervals between them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.quantities import measured
from saltus.core.sentences import say
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source


class InstantError(ValueError):
    """Two times that are no bracket, or instants in the wrong order."""


def bracketed(first: float, last: float, source: Source, key: int | str) -> Quantity:
    """Give an instant that fell somewhere between two times.

    Parameters
    ----------
    first, last : float
        s; last not before first.
    source : Source
        A family of instants.
    key : int or str
        Which of them.

    Raises
    ------
    InstantError
        If the times are not in order.

    Notes
    -----
    Uniform between them: u = Δ/√12, U95 = 0.475 Δ (GUM 4.3.7).
    """
    if not (math.isfinite(first) and math.isfinite(last)) or last < first:
        raise InstantError(say("instant.no-bracket", first=f"{first:g}", last=f"{last:g}"))
    middle = 0.5 * (first + last)
    return measured(middle, (last - first) / math.sqrt(12), SECOND, source, key)


def interval(start: tuple[float, float], stop: tuple[float, float]) -> Quantity:
    """Give the time from one bracketed instant to another.

    Parameters
    ----------
    start, stop : (float, float)
        Brackets, s.

    Raises
    ------
    InstantError
        If a bracket is not in order, or the stop comes before the start.

    Notes
    -----
    The convolution of the two uniforms: for equal Δ u = Δ/√6, U95 = (1 − √0.05) Δ.
    """
    marked = sources.instants("interval")
    begun, ended = bracketed(*start, marked, "start"), bracketed(*stop, marked, "stop")
    if float(ended) <= float(begun):
        raise InstantError(say("instant.stop-before-start"))
    return ended - begun


def period(whole: Quantity, cycles: int) -> Quantity:
    """Divide an interval by the number of cycles in it.

    Parameters
    ----------
    whole : Quantity
        A single time, s.
    cycles : int
        At least one.

    Raises
    ------
    InstantError
        If there is not at least one cycle.
    """
    if cycles < 1:
        raise InstantError(say("instant.no-cycle"))
    return whole / float(cycles)
