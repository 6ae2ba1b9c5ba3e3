"""An unknown from a calibration line: read across from its reading, and down to the axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantity import Quantity

if TYPE_CHECKING:
    from saltus.core.lines.straight import Line


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


def band(line: Line, x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Give the line and its standard uncertainty at places x (K,), for drawing its band."""
    y = line.values[0] + line.values[1] * x
    if line.slope is None:
        return y, np.full(len(x), np.nan)
    slope = line.slope * Quantity(x, line.x.unit)
    whole = slope if line.intercept is None else slope + line.intercept
    return y, whole.u
