"""What a longer stretch would bring: the uncertainty of a parameter if the same motion were read on."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.fitting.least_squares import gain_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.segment import SegmentFit

    Array = NDArray[np.float64]


def u_if_longer(fit: SegmentFit, t: Array, parameter: str, times: float) -> float:
    """Give the reading part of the uncertainty of a parameter for a stretch so many times as long.

    Parameters
    ----------
    fit : SegmentFit
        Of one coordinate.
    t : (N,) ndarray
        The times that were fitted, s; they go on in their rhythm.
    parameter : str
    times : float
        Dimensionless, above zero.

    Returns
    -------
    float
        Standard uncertainty in the unit of the parameter; what scale and clock have in common is not in it.
    """
    count = max(round(times * len(t)), fit.model.free)
    spacing = float(np.median(np.diff(t)))
    tau = np.concatenate([t - t[0], (t[-1] - t[0]) + spacing * np.arange(1, max(count - len(t), 0) + 1)])
    u = np.full(count, float(np.sqrt(np.mean(fit.u_residuals**2))))
    if not np.all(u > 0):
        u = np.full(count, fit.rms_residual)
    gain = gain_of(fit.model.derivative(tau[:count], fit.variables), u)
    weights = fit.model.told(fit.variables)[1][fit.model.parameters.index(parameter)] @ gain
    return math.sqrt(float(np.sum((weights * u) ** 2)))
