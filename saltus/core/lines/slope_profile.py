"""The interval of a slope from its profile, where x is very uncertain."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import student_95
from saltus.core.sentences import say
from saltus.core.with_uncertainty import widened

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.fitting.judgement import Judgement
    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]


WIDE = 0.1
"""With u(x) above this part of the range of x the interval of the slope comes from its profile."""


def profiled_slope(
    slope: Quantity, x: Quantity, y: Quantity, variances: tuple[Array, Array, Array], values: Array, p: int,
    found: Judgement,
) -> tuple[Quantity, tuple[str, ...]]:  # fmt: skip
    """Where x is very uncertain, widen the slope to the interval in which χ² rises by no more than t².

    Parameters
    ----------
    slope : Quantity
        As the weighted fit gives it.
    x, y : Quantity
        (N,) of any units.
    variances : tuple of (N,) ndarray
        Of x, of y, and the covariance of both, in the squares of their units.
    values : (2,) ndarray
        Intercept and slope of the fit.
    p : int
        Parameters fitted: 1 through the origin, 2 with an intercept.
    found : Judgement
        Of the residuals.

    Returns
    -------
    Quantity, tuple of str
        The slope, as it was where x is known well, and warnings.

    Notes
    -----
    Profile of χ²(b) with the intercept at its best: the interval holds where the linear one is too narrow.
    """
    var_x, var_y, cov = variances
    reach = float(np.ptp(x.value)) if p == 2 else float(np.max(np.abs(x.value)))
    if float(np.sqrt(np.mean(var_x))) <= WIDE * reach:
        return slope, ()

    def chi2(b: float) -> float:
        w = 1 / (var_y + b**2 * var_x - 2 * b * cov)
        rest = y.value - b * x.value
        a = float(w @ rest / w.sum()) if p == 2 else 0.0
        return float(w @ (rest - a) ** 2)

    scale = found.spread**2 if found.basis == "enlarged" and found.spread else 1.0
    rise = scale * student_95(found.spread_dof if found.basis == "enlarged" else math.inf) ** 2
    least, b0, u = chi2(values[1]), float(values[1]), float(slope.u)
    edges = [_edge(chi2, b0, sign * u, least + rise) for sign in (-1, 1)]
    words = say("line.uncertainty-x-large-range")
    half = max(abs(e - b0) for e in edges)
    if slope.U95 <= 0 or not math.isfinite(half):
        return slope, (words,)
    return widened(slope, max(half / slope.U95, 1.0)), (words,)


def _edge(chi2: Callable[[float], float], b0: float, step: float, level: float) -> float:
    """Where χ² reaches a level, going out from its least; far out it may never."""
    near, far = b0, b0 + step
    for _step in range(40):
        if chi2(far) >= level:
            break
        near, far = far, b0 + 1.5 * (far - b0)
    else:
        return far
    for _step in range(60):
        middle = 0.5 * (near + far)
        near, far = (middle, far) if chi2(middle) < level else (near, middle)
    return far
