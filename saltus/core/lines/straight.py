"""Straight lines through points with uncertainties in both coordinates, in one, or in none."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.fitting.judgement import Basis, Judgement, carried, judge_scatter, judge_stated
from saltus.core.lines.slope_profile import profiled_slope
from saltus.core.quantity import Quantity
from saltus.core.sentences import say
from saltus.core.with_uncertainty import only

if TYPE_CHECKING:
    from collections.abc import Hashable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]

STEPS, CLOSE = 200, 1e-15
MOST_SHARED = 2000
"""With more points than this, neighbours that share a source are judged as if they did not."""
FEW = 2
"""A source that enters so many points (neighbours share an instant) still counts as theirs."""


@dataclass(frozen=True)
class NoLine:
    """A line that could not be laid, and why, in a sentence for people; falsy."""

    reason: str

    def __bool__(self) -> bool:
        return False


LARGEST = 1e150
"""What is larger cannot be squared."""


class Residuals:
    """What the residuals of a fit say of it, for lines and curves alike."""

    residuals: Array
    dof: int

    @property
    def rms_residual(self) -> float:
        """√(SSR/n), unit of y."""
        return float(np.sqrt(np.mean(self.residuals**2)))

    @property
    def residual_sd(self) -> float | None:
        """√(SSR/(n − p)), unit of y."""
        return math.sqrt(float(self.residuals @ self.residuals) / self.dof) if self.dof else None


@dataclass(frozen=True)
class Line(Residuals):
    """A straight line y = intercept + slope·x.

    Attributes
    ----------
    slope : Quantity or None
        None where no uncertainty can be given; its value is in ``values``.
    intercept : Quantity or None
        None also for a line through the origin.
    values : (2,) ndarray
        Intercept and slope.
    covariance : (2, 2) ndarray or None
        Of slope and intercept, in that order, from the stated uncertainties or, without any, from scatter;
        not enlarged. (1, 1) for a line through the origin.
    chi2, birge : float or None
        None without stated uncertainties.
    dof : int
        Points minus parameters.
    u_stated, u_scatter : dict of str to float
        Standard uncertainty of slope and intercept from what is stated (and shared), and from the scatter.
    residuals, u_residuals : (N,) ndarray
        Measured minus fitted, and the standard uncertainty of that from both coordinates, in the unit of y.
    basis : {"stated", "enlarged", "repeats", "scatter"}
        Where the uncertainty comes from.
    own_dof : float
        Degrees of freedom with which ``u_residuals`` are known; 0 where nothing is.
    """

    slope: Quantity | None
    intercept: Quantity | None
    values: Array
    covariance: Array | None
    chi2: float | None
    dof: int
    birge: float | None
    u_stated: dict[str, float]
    u_scatter: dict[str, float]
    residuals: Array
    u_residuals: Array
    basis: Basis
    through_origin: bool
    x: Quantity
    y: Quantity
    warnings: tuple[str, ...] = ()
    own_dof: float = 0.0

    @property
    def no_effect(self) -> bool:
        """Whether the slope lies within its 95 % uncertainty of zero."""
        return self.slope is not None and abs(float(self.slope)) < self.slope.U95


def fit_line(
    x: Quantity,
    y: Quantity,
    *,
    through_origin: bool = False,
    weights: Array | None = None,
    within: tuple[float, int] = (0.0, 0),
    of: Hashable = "line",
) -> Line | NoLine:
    """Lay a straight line through points.

    Parameters
    ----------
    x, y : Quantity
        (N,) each. What a point has for itself weighs it; what many points share is carried undiminished.
    through_origin : bool
        Fit y = slope·x.
    weights : (N,) ndarray, optional
        How many readings each point stands for, used where nothing is stated.
    within : (float, int)
        Sum of squares of the rows about their points and its degrees of freedom, in the unit of y: they count
        with the residuals where nothing is stated.
    of : hashable
        Which line: names the source that stands for scatter.

    Returns
    -------
    Line or NoLine
        NoLine (falsy) where the points do not determine it.

    Notes
    -----
    York, Evensen, Martínez and Delgado 2004, doi:10.1119/1.1632486, with correlated errors; without stated
    uncertainties ordinary least squares, residual standard deviation, Student's t. Where χ² rejects what is
    stated (p < 0.05), or the points miss the line by more than their repeats explain (F test, p < 0.01), u is
    enlarged by the Birge ratio √(χ²/ν) with t(ν).
    """
    p = 1 if through_origin else 2
    trouble = _trouble(x.value, p)
    if trouble:
        return NoLine(trouble)
    with np.errstate(all="ignore"):
        made = _laid(x, y, p, weights, within, of)
    known = [q for q in (made.slope, made.intercept) if q is not None]
    sizes = np.abs(np.concatenate([made.values, made.residuals]))
    if not (np.all(sizes < LARGEST) and all(math.isfinite(float(q.u)) for q in known)):
        return NoLine(say("line.numbers-too-far-apart"))
    return made


def _laid(
    x: Quantity, y: Quantity, p: int, weights: Array | None, within: tuple[float, int], of: Hashable
) -> Line:
    own_x, common_x = x.split(FEW)
    own_y, common_y = y.split(FEW)
    var_x, var_y, cov = own_x.u**2, own_y.u**2, own_x.covariance_with(own_y)
    stated, warnings = _stated(var_x, var_y)
    values, x_adjusted, w = _weighed(x.value, y.value, (var_x, var_y, cov), weights, p, stated=stated)
    gain = _gain(x_adjusted, w, p)
    residuals = y.value - values[0] - values[1] * x.value
    deviations = own_y - own_x * Quantity(values[1], y.unit / x.unit)
    found = _judge(residuals, deviations, w, stated, len(x) - p, within)
    own = deviations.weighed(gain)
    shared = common_y - common_x * Quantity(values[1], y.unit / x.unit)
    told = stated and found.basis != "scatter"
    spread = found.birge if told else None
    covariance = _covariance(own, gain, w, found, stated=stated)
    source = sources.line_scatter(of, max(found.spread_dof, 1))
    whole = carried(gain, deviations, shared, found, source, None if stated else 1 / np.sqrt(w))
    slope, intercept = _parameters(whole, values, x, y, p)
    warnings += _warnings(found, deviations, stated=stated)
    if told and slope is not None:
        slope, words = profiled_slope(slope, x, y, (var_x, var_y, cov), values, p, found)
        warnings += words
    common = shared.weighed(gain)
    ratio = math.sqrt(found.chi2 / found.dof) if found.dof and found.chi2 is not None else None
    return Line(
        slope=slope,
        intercept=intercept,
        values=values,
        covariance=None if covariance is None else covariance[::-1, ::-1] if p == 2 else covariance[1:, 1:],
        chi2=found.chi2 if told else None,
        dof=found.dof,
        birge=spread,
        u_stated=_named((own + common).u, p) if told else {},
        u_scatter=_named(own.u * ratio if stated and ratio is not None else _diagonal(covariance, stated), p),
        residuals=residuals,
        u_residuals=deviations.u,
        basis=found.basis,
        through_origin=p == 1,
        x=x,
        y=y,
        warnings=warnings,
        own_dof=_repeat_dof(deviations) if told else 0.0,
    )


def _trouble(x: Array, p: int) -> str:
    if len(x) < p or (len(x) < 2 and p == 2):
        return say("line.line-needs-least-points", n=p) + " " + say("line.there-are", n=len(x))
    size = float(np.max(np.abs(x)))
    if p == 2 and float(np.ptp(x)) <= 1e-12 * size:
        return say("line.all-x-alike")
    if size == 0:
        return say("line.all-x-zero")
    return ""


def _stated(var_x: Array, var_y: Array) -> tuple[bool, tuple[str, ...]]:
    both = var_x + var_y
    if np.all(both > 0):
        return True, ()
    if np.any(both > 0):
        words = say("line.some-points-state-no")
        return False, (words,)
    return False, ()


def _weighed(
    x: Array, y: Array, variances: tuple[Array, Array, Array], weights: Array | None, p: int, *, stated: bool
) -> tuple[Array, Array, Array]:
    """Intercept and slope, adjusted x, weights: by what is stated, else by how many readings a point has."""
    nothing = np.zeros(len(x))
    w = np.ones(len(x)) if weights is None or stated else weights
    plain = _york(x, y, nothing, 1 / w, nothing, p)
    return _york(x, y, *variances, p, float(plain[0][1])) if stated else plain


def _york(
    x: Array, y: Array, var_x: Array, var_y: Array, cov: Array, p: int, b: float = 0.0
) -> tuple[Array, Array, Array]:
    """Intercept and slope (2,), adjusted x (N,), weights (N,)."""
    tried = []
    b = np.float64(b)  # overflows to infinity, which is checked
    for _step in range(STEPS):
        w = 1 / (var_y + b**2 * var_x - 2 * b * cov)
        mean_x, mean_y = (0.0, 0.0) if p == 1 else (float(w @ x / w.sum()), float(w @ y / w.sum()))
        dx, dy = x - mean_x, y - mean_y
        beta = w * (dx * var_y + b * dy * var_x - (b * dx + dy) * cov)
        below = float(np.sum(w * beta * dx))
        new = np.float64(np.sum(w * beta * dy)) / below if below else b
        if not math.isfinite(new):
            break
        done = abs(new - b) <= CLOSE * abs(new)
        # a slope that jumps to and fro between two values lies between them
        tried.append(new)
        b = 0.5 * (new + b) if len(tried) > STEPS // 2 else new
        if done:
            break
    return np.array([mean_y - b * mean_x, b]), mean_x + beta, w


def _gain(x: Array, w: Array, p: int) -> Array:
    """Matrix (2, N) from deviations of y to intercept and slope."""
    if p == 1:
        return np.vstack([np.zeros(len(x)), w * x / float(w @ x**2)])
    mean = float(w @ x / w.sum())
    slope = w * (x - mean) / float(w @ (x - mean) ** 2)
    return np.vstack([w / w.sum() - mean * slope, slope])


def _judge(
    residuals: Array, deviations: Quantity, w: Array, stated: bool, dof: int, within: tuple[float, int]
) -> Judgement:
    if not stated:
        return judge_scatter(float(w @ residuals**2), dof, within)
    chi2 = _misfit(residuals, deviations, w)
    if any(source.cause == sources.UNSTATED_COLUMN for source in deviations.sources):
        # known only up to a factor, which the misfit itself tells
        return replace(judge_scatter(chi2, dof), chi2=chi2)
    return judge_stated(chi2, dof, repeats=_repeat_dof(deviations))


def _warnings(judged: Judgement, deviations: Quantity, *, stated: bool) -> tuple[str, ...]:
    """What is to be told of what the residuals say."""
    if not judged.known and not stated:
        return (say("line.no-uncertainty"),)
    if judged.basis != "enlarged":
        return ()
    alone = math.isinf(_repeat_dof(deviations))
    code = "line.points-scatter-times-more" if alone else "line.points-miss-line-times"
    return (say(code, ratio=judged.birge),)


def _misfit(residuals: Array, deviations: Quantity, w: Array) -> float:
    """χ² of the residuals; where neighbours share sources with the inverse of their covariance."""
    plain = float(w @ residuals**2)
    if len(w) > MOST_SHARED or all(deviations.independent(source) for source in deviations.sources):
        return plain
    covariance = deviations.covariance()
    off = covariance - np.diag(np.diag(covariance))
    if np.max(np.abs(off)) <= 1e-12 * np.max(covariance):
        return plain
    return float(residuals @ np.linalg.pinv(covariance) @ residuals)


def _repeat_dof(deviations: Quantity) -> float:
    """Effective degrees of freedom of the points' own variances (Welch–Satterthwaite over all of them)."""
    total = float(np.sum(deviations.u**2))
    fourth = 0.0
    for source in deviations.sources:
        if math.isfinite(source.dof):
            alone = only(deviations, source)
            fourth += (float(np.sum(alone.u**2)) / total) ** 2 / source.dof
    return 1 / fourth if fourth > 0 else math.inf


def _scattered(gain: Array, w: Array, spread: float | None) -> Array | None:
    return None if spread is None else spread**2 * (gain / w) @ gain.T


def _diagonal(matrix: Array | None, stated: bool) -> Array | None:
    return None if matrix is None or stated else np.sqrt(np.diag(matrix))


def _covariance(own: Quantity, gain: Array, w: Array, found: Judgement, *, stated: bool) -> Array | None:
    """Covariance of intercept and slope, not enlarged: as stated, up to its factor, or from scatter."""
    if not stated:
        return _scattered(gain, w, found.spread)
    if found.basis != "scatter":
        return own.covariance()
    return None if found.spread is None else own.covariance() * found.spread**2


def _named(u: Array | None, p: int) -> dict[str, float]:
    if u is None:
        return {}
    return {"slope": float(u[1])} | ({"intercept": float(u[0])} if p == 2 else {})


def _parameters(
    whole: Quantity | None, values: Array, x: Quantity, y: Quantity, p: int
) -> tuple[Quantity | None, Quantity | None]:
    if whole is None:
        return None, None
    placed = whole.moved_to(values)
    return placed[1].with_unit(y.unit / x.unit), placed[0].with_unit(y.unit) if p == 2 else None
