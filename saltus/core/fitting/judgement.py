"""What the residuals of a fit say of the uncertainties that were stated, and what the parameters rest on."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.with_uncertainty import with_correlated

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source

    Array = NDArray[np.float64]

Basis = Literal["stated", "enlarged", "repeats", "scatter"]
REJECTED_BELOW, MISSED_BELOW = 0.05, 0.01
"""χ² probability under which stated uncertainties, and F probability under which repeats, do not explain."""


@dataclass(frozen=True)
class Judgement:
    """Where the uncertainty of the parameters comes from.

    Attributes
    ----------
    basis : {"stated", "enlarged", "repeats", "scatter"}
        Stated parts, these enlarged by the Birge ratio, repeats of the points, or scatter about the fit.
    dof : int
        Points minus parameters.
    chi2 : float or None
        None without stated uncertainties.
    spread : float or None
        By what the stated uncertainties are multiplied, or, without any, the standard deviation of a point of
        weight 1, in its unit. None where none is needed, or none can be given.
    spread_dof : int
        Degrees of freedom of the spread.
    """

    basis: Basis
    dof: int
    chi2: float | None = None
    spread: float | None = None
    spread_dof: int = 0

    @property
    def birge(self) -> float | None:
        """√(χ²/dof), dimensionless; None without stated uncertainties or degrees of freedom."""
        return math.sqrt(self.chi2 / self.dof) if self.chi2 is not None and self.dof else None

    @property
    def known(self) -> bool:
        """Whether an uncertainty can be given."""
        return self.basis in ("stated", "repeats") or self.spread is not None


def judge_stated(
    chi2: float, dof: int, *, repeats: float = math.inf, rejected_below: float | None = None
) -> Judgement:
    """Judge residuals against stated uncertainties.

    Parameters
    ----------
    chi2 : float
        Sum of the squares of the residuals over their standard uncertainties.
    dof : int
        Points minus parameters.
    repeats : float
        Degrees of freedom of these uncertainties, where they come from repeats.
    rejected_below : float, optional
        Probability under which they are rejected: 0.05, and 0.01 where they come from repeats.

    Notes
    -----
    Birge 1932, doi:10.1103/PhysRev.40.207: where χ² rejects what is stated, u is enlarged by √(χ²/ν), with
    t(ν).
    """
    if dof == 0:
        return Judgement("stated", dof, chi2)
    from scipy.special import chdtrc, fdtrc  # noqa: PLC0415  start-up time

    stated = math.isinf(repeats)
    probability = float(chdtrc(dof, chi2)) if stated else float(fdtrc(dof, repeats, chi2 / dof))
    if probability >= (rejected_below or (REJECTED_BELOW if stated else MISSED_BELOW)):
        return Judgement("stated" if stated else "repeats", dof, chi2)
    return Judgement("enlarged", dof, chi2, math.sqrt(chi2 / dof), dof)


def judge_scatter(squares: float, dof: int, within: tuple[float, int] = (0.0, 0)) -> Judgement:
    """Judge residuals where nothing is stated: they are all there is.

    Parameters
    ----------
    squares : float
        Weighted sum of the squares of the residuals.
    dof : int
        Points minus parameters.
    within : (float, int)
        Further sum of squares and its degrees of freedom, of repeats about their points.
    """
    degrees = dof + within[1]
    if degrees == 0:
        return Judgement("scatter", dof)
    return Judgement("scatter", dof, spread=math.sqrt((squares + within[0]) / degrees), spread_dof=degrees)


def carried(
    gain: Array, own: Quantity, common: Quantity, judged: Judgement, source: Source,
    sigma: Array | None = None,
) -> Quantity | None:  # fmt: skip
    """Carry the uncertainty of points to the parameters; None where none can be given.

    Parameters
    ----------
    gain : (P, N) ndarray
        From points to parameters.
    own, common : Quantity
        (N,) points with what each has for itself, and with what many share.
    judged : Judgement
    source : Source
        Stands for scatter, where the parameters rest on it.
    sigma : (N,) ndarray, optional
        What the spread of the judgement multiplies; by default what each point has for itself.

    Returns
    -------
    Quantity or None
        (P,), its values those of the points carried by the gain.
    """
    if judged.basis in ("stated", "repeats"):
        return own.weighed(gain) + common.weighed(gain).moved_to(np.zeros(len(gain)))
    if judged.spread is None:
        return None
    root = gain * sigma if sigma is not None else None
    covariance = own.weighed(gain).covariance() if root is None else root @ root.T
    return with_correlated(common.weighed(gain), covariance * judged.spread**2, source)
