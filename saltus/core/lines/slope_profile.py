"""The interval of a slope from its profile, where x is very uncertain."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import student_95
from saltus.core.sentences import say

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
    """Where x is very uncertain, widen the slope to the interval in which χ² rises by no more than t²."""
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
    return slope.widened(max(half / slope.U95, 1.0)), (words,)


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
