"""An unknown from a calibration line: read across from its reading, and down to the axis."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantities import measured
from saltus.core.quantity import Quantity
from saltus.core.with_uncertainty import unsure

if TYPE_CHECKING:
    from saltus.core.lines.straight import Line
    from saltus.core.sources import Source


def inverse_prediction(line: Line, reading: Quantity) -> Quantity | None:
    """Give x of a new reading of y; it carries the uncertainty of the line and of the reading.

    Parameters
    ----------
    line : Line
    reading : Quantity
        A single y.

    Returns
    -------
    Quantity or None
        None where the line has no uncertainty to give, or no slope that is told from zero.

    Notes
    -----
    x = (y − intercept)/slope, linearised; slope and intercept keep their correlation by shared sources.
    """
    if line.slope is None or line.no_effect or float(line.slope) == 0:
        return None
    rest = reading if line.intercept is None else reading - line.intercept
    return rest / line.slope


def with_scatter_of_line(line: Line, reading: Quantity, source: Source, repeats: float = 1.0) -> Quantity:
    """Give a new reading the scatter of the points about the line, where it has no uncertainty of its own.

    Parameters
    ----------
    line : Line
    reading : Quantity
        A single y.
    source : Source
        Of that scatter.
    repeats : float
        How many times as many readings it is the mean of as a point of the line is.

    Returns
    -------
    Quantity
        Its u unknown (NaN) where the line has no points to spare that would tell.
    """
    if float(reading.u) > 0:
        return reading
    sd = line.residual_sd
    if sd is None:
        return unsure(reading, source)
    return reading + measured(0.0, sd / math.sqrt(repeats), reading.unit, source, 0)


def is_outside(line: Line, x: Quantity) -> bool:
    """Whether a place x lies beyond the points of a line by more than its U95, where nobody knows it."""
    room = x.U95 if math.isfinite(x.U95) else 0.0
    low, high = float(np.min(line.x.value)), float(np.max(line.x.value))
    return float(x) + room < low or float(x) - room > high


def band(line: Line, x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Give the line and its standard uncertainty at places x (K,), for drawing its band."""
    y = line.values[0] + line.values[1] * x
    if line.slope is None:
        return y, np.full(len(x), np.nan)
    slope = line.slope * Quantity(x, line.x.unit)
    whole = slope if line.intercept is None else slope + line.intercept
    return y, whole.u
