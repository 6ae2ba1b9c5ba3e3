"""A point off the line through the others, and an end that bends away."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.lines.straight import Line

    Array = NDArray[np.float64]

FALSE_ALARMS = 0.003
"""Part of honest tables in which a point, and as many in which a bend, may be named."""
REJECTED_BELOW = 0.01
FEWEST, FEWEST_SCATTER = 4, 5
"""Points from which on one is held against the others: by what is stated, by their scatter."""
ALONE = 1e-12
"""A leverage this near to 1: without the point there is no line."""
FEWEST_LEFT = 4
"""A bend leaves at least so many points straight."""


@dataclass(frozen=True)
class OffTheLine:
    """A point held against the line through the others.

    Attributes
    ----------
    point : int
        Its place.
    off : float
        How far it lies off, in the unit of y.
    u : float
        Standard uncertainty of that: its own and that of the line through the others, in the unit of y.
    in_u, limit : float
        How many of its u, and how many chance explains.
    """

    point: int
    off: float
    u: float
    in_u: float
    limit: float


@dataclass(frozen=True)
class Bend:
    """An end that bends away from the line.

    Attributes
    ----------
    points : tuple of int
        Places of the shortest stretch at an end without which the rest is straight; empty without one.
    straight : (2,) tuple of float
        Smallest and largest x of the rest, in its unit.
    in_u : float
        Quadratic term in its standard uncertainty.
    """

    points: tuple[int, ...]
    straight: tuple[float, float]
    in_u: float


def own_spread(line: Line) -> tuple[Array, float]:
    """Give what each point has for itself, in the unit of y, and how many degrees of freedom tell that.

    Parameters
    ----------
    line : Line

    Returns
    -------
    sigma : (N,) ndarray
        Above zero; where nothing is known of its size, up to a common factor.
    dof : float
        Infinite for what is stated; 0 where only the scatter about the line tells the factor.
    """
    there = bool(np.all(line.u_residuals > 0))
    alike = np.full(len(line.residuals), float(np.ptp(line.y.value)) or 1.0)
    return (line.u_residuals, line.own_dof) if there else (alike, 0.0)


@dataclass(frozen=True)
class _Polynomial:
    """A polynomial through some points, all held against it.

    Attributes
    ----------
    off, spread : (N,) ndarray
        y minus polynomial, and the standard uncertainty of the polynomial there, in the unit of y.
    chi2, dof : float, int
        Of the points it goes through.
    last_in_u : float
        Its highest coefficient in standard uncertainties.
    """

    off: Array
    spread: Array
    chi2: float
    dof: int
    last_in_u: float


def _polynomial(x: Array, y: Array, sigma: Array, degree: int, keep: NDArray[np.bool_]) -> _Polynomial:
    """Lay a polynomial through the points that are kept, each weighed by its sigma."""
    design = np.vander(x / (float(np.max(np.abs(x))) or 1.0), degree + 1)
    part = design[keep] / sigma[keep, None]
    inverse = np.linalg.pinv(part.T @ part)
    coefficients = inverse @ part.T @ (y[keep] / sigma[keep])
    off = y - design @ coefficients
    spread = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", design, inverse, design), 0.0))
    chi2 = float(np.sum((off[keep] / sigma[keep]) ** 2))
    u_last = math.sqrt(max(float(inverse[0, 0]), 0.0))
    last = abs(float(coefficients[0])) / u_last if u_last > 0 else 0.0
    return _Polynomial(off, spread, chi2, int(keep.sum()) - degree - 1, last)


def off_the_line(line: Line) -> OffTheLine | None:
    """Find the point that lies off the line through the others farther than chance explains.

    Parameters
    ----------
    line : Line
        At least four points, five where nothing is stated and nothing was repeated.

    Returns
    -------
    OffTheLine or None

    Notes
    -----
    The deviation from the line through the others over its own u: the stated one of both coordinates
    (normal), else that of pooled repeats (Student). Where the others scatter more than that explains (χ²,
    1 %), or nothing else is there, their scatter about their line stands for it (Student, n − 3). Corrected
    for looking at all.
    """
    off, u, limit = _against_others(line)
    with np.errstate(all="ignore"):
        beyond = np.nan_to_num(np.abs(off) / u / limit, nan=0.0)
    worst = int(np.argmax(beyond)) if len(beyond) else 0
    return against_others(line, worst) if len(beyond) and beyond[worst] > 1 else None


def against_others(line: Line, i: int) -> OffTheLine | None:
    """Hold one point against the line through the others, see :func:`off_the_line`.

    Parameters
    ----------
    line : Line
    i : int
        Its place.

    Returns
    -------
    OffTheLine or None
        None where there are too few others.
    """
    off, u, limit = _against_others(line)
    if not len(off) or not (math.isfinite(u[i]) and u[i] > 0):
        return None
    return OffTheLine(i, float(off[i]), float(u[i]), abs(float(off[i])) / float(u[i]), float(limit[i]))


def _against_others(line: Line) -> tuple[Array, Array, Array]:
    """Of every point (N,): how far it lies off the line through the others, the u of that, and its limit.

    Cook and Weisberg 1982: with h its leverage, a point lies r/(1 − h) off the line through the others, with
    u² = σ²/(1 − h). Empty where there are too few points; u is NaN of one without which there is no line.
    """
    sigma, dof = own_spread(line)
    n, p = len(line.x), 1 if line.through_origin else 2
    nothing = np.zeros(0)
    if n < (FEWEST if dof else FEWEST_SCATTER):
        return nothing, nothing, nothing
    x = line.x.value / (float(np.max(np.abs(line.x.value))) or 1.0)
    design = (x[:, None] if p == 1 else np.stack([np.ones(n), x], axis=1)) / sigma[:, None]
    root = np.linalg.qr(design)[0]
    y = line.y.value / sigma
    leverage = np.sum(root**2, axis=1)
    left = np.where(leverage < 1 - ALONE, 1 - leverage, math.nan)
    residual = y - root @ (root.T @ y)
    chi2 = np.maximum(residual @ residual - residual**2 / left, 0.0)
    factors = [_factor(float(c), n - 1 - p, dof) for c in chi2]
    limits = {
        known: _student(FALSE_ALARMS / (2 * n), known) for known in {k for _f, k in factors} if known > 0
    }
    factor = np.array([f if f > 0 else math.nan for f, _known in factors])
    limit = np.array([limits.get(known, math.nan) for _f, known in factors])
    return residual / left * sigma, factor * sigma / np.sqrt(left), limit


def _factor(chi2: float, left: int, dof: float) -> tuple[float, float]:
    """By what to multiply the sigmas, and its degrees of freedom: they hold, or the scatter does."""
    from scipy.special import chdtrc, fdtrc  # noqa: PLC0415  start-up time

    if left < 1:
        return (1.0, dof) if dof else (math.nan, 0.0)
    if dof:
        explained = float(chdtrc(left, chi2)) if math.isinf(dof) else float(fdtrc(left, dof, chi2 / left))
        if explained >= REJECTED_BELOW:
            return 1.0, dof
    return (math.sqrt(chi2 / left), float(left)) if left > 1 else (math.nan, 0.0)


def _student(tail: float, dof: float) -> float:
    """Standard deviations beyond which so small a part lies on one side."""
    from scipy.special import ndtri, stdtrit  # noqa: PLC0415  start-up time

    return -float(ndtri(tail)) if math.isinf(dof) else -float(stdtrit(dof, tail))


def bend(line: Line, among: NDArray[np.bool_] | None = None) -> Bend | None:
    """Find out whether the points bend, and which end does.

    Parameters
    ----------
    line : Line
        At least five points.
    among : (N,) ndarray of bool, optional
        Only these points are looked at.

    Returns
    -------
    Bend or None
        None where the quadratic term is not told from zero (p < 0.003).
    """
    order = np.argsort(line.x.value, kind="stable")
    if among is not None:
        order = order[among[order]]
    x, y = line.x.value[order], line.y.value[order]
    sigma, dof = own_spread(line)
    n = len(x)
    if n < (FEWEST_LEFT + 1 if dof else FEWEST_LEFT + 2):
        return None
    sigma = sigma[order]
    whole = np.ones(n, dtype=bool)
    in_u = _curved(x, y, sigma, dof, whole)
    if in_u is None:
        return None
    # what is left must be straight within what is stated; without any of that, not bent
    for strict in (True, False):
        keep = _longest_straight(x, y, sigma, dof, strict=strict) if dof or not strict else None
        if keep is not None:
            points = tuple(int(order[i]) for i in np.flatnonzero(~keep))
            return Bend(points, (float(x[keep].min()), float(x[keep].max())), in_u)
    return Bend((), (float(x.min()), float(x.max())), in_u)


def _longest_straight(
    x: Array, y: Array, sigma: Array, dof: float, *, strict: bool
) -> NDArray[np.bool_] | None:
    """The points left straight by leaving out the shortest end that bends away; None without one."""
    n = len(x)
    for count in range(1, n - FEWEST_LEFT + 1):
        ends = [np.arange(n) < n - count, np.arange(n) >= count]
        lines = [_polynomial(x, y, sigma, 1, keep) for keep in ends]
        straight = [
            i for i, keep in enumerate(ends)
            if _curved(x, y, sigma, dof, keep) is None
            and _away(x, y, sigma, dof, keep)
            and (not strict or _factor(lines[i].chi2, lines[i].dof, dof)[0] == 1.0)
        ]  # fmt: skip
        if straight:
            return ends[min(straight, key=lambda i: lines[i].chi2)]
    return None


def _curved(x: Array, y: Array, sigma: Array, dof: float, keep: NDArray[np.bool_]) -> float | None:
    """The quadratic term of some points in its u where it is told from zero, else None."""
    if len(np.unique(x[keep])) < 3:
        return None
    laid = _polynomial(x, y, sigma, 2, keep)
    factor, known = _factor(laid.chi2, laid.dof, dof)
    if not math.isfinite(factor) or factor <= 0:
        return None
    in_u = laid.last_in_u / factor
    return in_u if in_u > _student(FALSE_ALARMS / 2, known) else None


def _away(x: Array, y: Array, sigma: Array, dof: float, keep: NDArray[np.bool_]) -> bool:
    """Whether each point that is left out does lie away from the line through the rest."""
    laid = _polynomial(x, y, sigma, 1, keep)
    factor, _known = _factor(laid.chi2, laid.dof, dof)
    if not math.isfinite(factor) or factor <= 0:
        return False
    u = factor * np.hypot(sigma, laid.spread)
    return bool(np.all(np.abs(laid.off[~keep]) > 2 * u[~keep]))
