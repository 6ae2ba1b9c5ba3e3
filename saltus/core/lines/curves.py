"""Curves: quadratic, power and exponential, fitted to the values themselves (not to their logarithms)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.fitting.judgement import carried, judge_scatter, judge_stated
from saltus.core.fitting.least_squares import gain_of, least_squares
from saltus.core.lines.straight import NoLine, Residuals
from saltus.core.quantity import Quantity
from saltus.core.sentences import say
from saltus.core.units import ONE

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable

    from numpy.typing import NDArray

    from saltus.core.units import Unit

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Shape:
    """A family of curves y = f(x; parameters).

    Attributes
    ----------
    name : str
    parameters : tuple of str
    value, jacobian, slope : callable
        (x (N,), parameters (P,)) to values (N,), derivatives by the parameters (N, P), derivative by x (N,).
    start : callable
        (x, y) to parameters to begin with; raises ValueError where the curve cannot go through the points.
    units : callable
        (unit of x, unit of y) to the units of the parameters.
    """

    name: str
    parameters: tuple[str, ...]
    value: Callable[[Array, Array], Array]
    jacobian: Callable[[Array, Array], Array]
    slope: Callable[[Array, Array], Array]
    start: Callable[[Array, Array], Array]
    units: Callable[[Unit, Unit], tuple[Unit, ...]]


def _start_power(x: Array, y: Array) -> Array:
    if np.any(x <= 0):
        raise ValueError(say("curve.power-needs-x-above-zero"))
    sign = 1.0 if np.median(y) >= 0 else -1.0
    use = sign * y > 0
    if use.sum() < 2:
        raise ValueError(say("curve.power-needs-y"))
    slope, low = np.polyfit(np.log(x[use]), np.log(sign * y[use]), 1)
    return np.array([sign * math.exp(low), slope])


def _start_exponential(x: Array, y: Array) -> Array:
    sign = 1.0 if np.median(y) >= 0 else -1.0
    use = sign * y > 0
    if use.sum() < 2:
        raise ValueError(say("curve.exponential-needs-y"))
    slope, low = np.polyfit(x[use], np.log(sign * y[use]), 1, w=np.abs(y[use]))
    return np.array([sign * math.exp(min(low, 700.0)), slope])


CURVES = {
    # y = c0 + c1·x + c2·x²
    "quadratic": Shape(
        "quadratic",
        ("c0", "c1", "c2"),
        lambda x, c: c[0] + c[1] * x + c[2] * x**2,
        lambda x, c: np.column_stack([np.ones_like(x), x, x**2]),
        lambda x, c: c[1] + 2 * c[2] * x,
        lambda x, y: np.zeros(3),
        lambda x, y: (y, y / x, y / x**2),
    ),
    # y = coefficient·x^exponent, x > 0
    "power": Shape(
        "power",
        ("coefficient", "exponent"),
        lambda x, c: c[0] * x ** c[1],
        lambda x, c: np.column_stack([x ** c[1], c[0] * x ** c[1] * np.log(x)]),
        lambda x, c: c[0] * c[1] * x ** (c[1] - 1),
        _start_power,
        lambda x, y: (y, ONE),
    ),
    # y = coefficient·e^(rate·x)
    "exponential": Shape(
        "exponential",
        ("coefficient", "rate"),
        lambda x, c: c[0] * np.exp(c[1] * x),
        lambda x, c: np.column_stack([np.exp(c[1] * x), c[0] * x * np.exp(c[1] * x)]),
        lambda x, c: c[0] * c[1] * np.exp(c[1] * x),
        _start_exponential,
        lambda x, y: (y, ONE / x),
    ),
}


@dataclass(frozen=True)
class Curve(Residuals):
    """A fitted curve; fields as in :class:`saltus.core.lines.straight.Line`, by parameter name."""

    shape: Shape
    parameters: dict[str, Quantity | None]
    values: Array
    covariance: Array | None
    chi2: float | None
    dof: int
    birge: float | None
    u_stated: dict[str, float]
    u_scatter: dict[str, float]
    residuals: Array
    x: Quantity
    y: Quantity
    warnings: tuple[str, ...] = ()


def fit_curve(
    shape: Shape, x: Quantity, y: Quantity, of: Hashable = "curve", weights: Array | None = None
) -> Curve | NoLine:
    """Fit a curve by weighted least squares, with the uncertainty of x carried over by the slope there.

    Parameters
    ----------
    shape : Shape
    x, y : Quantity
        (N,) each.
    of : hashable
        Which curve: names the source that stands for scatter.
    weights : (N,) ndarray, optional
        How many readings each point stands for, used where nothing is stated.

    Returns
    -------
    Curve or NoLine
        NoLine (falsy) where the points do not determine it.

    Notes
    -----
    Levenberg 1944, doi:10.1090/qam/10666, with effective variance u²(y) + f′(x)²·u²(x); basis of the
    uncertainty as for a straight line.
    """
    need = len(shape.parameters)
    if np.unique(x.value).size < need:
        return NoLine(say("curve.curve-needs-least-different", n=need))
    own_x, common_x = x.split(2)
    own_y, common_y = y.split(2)
    try:
        c = shape.start(x.value, y.value)
    except ValueError as error:
        return NoLine(str(error))
    stated = bool(np.all(own_x.u**2 + own_y.u**2 > 0))
    sigma = np.ones(len(x)) if weights is None else 1 / np.sqrt(weights)
    with np.errstate(all="ignore"):
        settled = _settled(shape, (x.value, y.value), (own_x.u, own_y.u) if stated else None, sigma, c)
        if settled is None:
            return NoLine(say("curve.cannot-be-laid"))
        c, sigma = settled
        jacobian = shape.jacobian(x.value, c)
    gain = gain_of(jacobian, sigma)
    residuals = y.value - shape.value(x.value, c)
    if not (np.all(np.isfinite(gain)) and np.all(np.isfinite(residuals))):
        return NoLine(say("curve.cannot-be-laid"))
    slope = shape.slope(x.value, c)
    own = own_y - own_x * Quantity(slope, y.unit / x.unit)
    common = common_y - common_x * Quantity(slope, y.unit / x.unit)
    return _curve(shape, (x, y), c, (gain, sigma, residuals), (own, common), stated=stated, of=of)


def _settled(
    shape: Shape, xy: tuple[Array, Array], u: tuple[Array, Array] | None, sigma: Array, c: Array
) -> tuple[Array, Array] | None:
    """Parameters and the effective uncertainty they were weighed by, gone round until neither changes."""
    x, y = xy
    for _round in range(8 if u is not None else 1):
        found = least_squares(shape.value, shape.jacobian, x, y, sigma, c)
        if found is None:
            return None
        c, before = found, sigma
        if u is not None:
            sigma = np.sqrt(u[1] ** 2 + (shape.slope(x, c) * u[0]) ** 2)
        if np.array_equal(sigma, before):
            break
    if u is None:
        return c, sigma
    last = least_squares(shape.value, shape.jacobian, x, y, sigma, c)
    return (c if last is None else last), sigma


def _curve(
    shape: Shape, xy: tuple[Quantity, Quantity], c: Array, parts: tuple[Array, Array, Array],
    apart: tuple[Quantity, Quantity], *, stated: bool, of: Hashable,
) -> Curve:  # fmt: skip
    gain, sigma, residuals = parts
    own, common = apart
    dof = len(residuals) - len(c)
    chi2 = float(np.sum((residuals / sigma) ** 2))
    judged = judge_stated(chi2, dof) if stated else judge_scatter(chi2, dof)
    spread = math.sqrt(chi2 / dof) if dof else None
    scatter = (gain * sigma**2) @ gain.T * spread**2 if spread is not None else None
    whole = carried(gain, own, common, judged, sources.curve_scatter(of, max(dof, 1)), sigma)
    warnings: tuple[str, ...] = ()
    if judged.basis == "enlarged":
        warnings = (say("curve.points-scatter-times-more", ratio=spread),)
    elif whole is None:
        words = say("line.no-uncertainty")
        warnings = (words,)
    units = shape.units(xy[0].unit, xy[1].unit)
    placed = whole.moved_to(c) if whole is not None else None
    names = shape.parameters
    u_scatter = np.sqrt(np.diag(scatter)) if scatter is not None else np.zeros(0)
    return Curve(
        shape=shape,
        parameters={
            n: placed[i].with_unit(units[i]) if placed is not None else None for i, n in enumerate(names)
        },
        values=c,
        covariance=own.weighed(gain).covariance() if stated else scatter,
        chi2=chi2 if stated else None,
        dof=dof,
        birge=spread if stated else None,
        u_stated=dict(zip(names, map(float, (own + common).weighed(gain).u), strict=True)) if stated else {},
        u_scatter=dict(zip(names, map(float, u_scatter), strict=False)),
        residuals=residuals,
        x=xy[0],
        y=xy[1],
        warnings=warnings,
    )
