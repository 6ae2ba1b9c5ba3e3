"""The 95 % interval of a sum of independent parts of different shapes.

Rules: normal parts 1.96 u; type A parts Student t with their own degrees of freedom; few uniform parts by
convolution (GUM Supplement 1); mixtures by Welch–Satterthwaite when the effective degrees of freedom are 10
or more, by convolution below.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Literal

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray


Shape = Literal["normal", "uniform", "t"]
NORMAL_95 = 1.959963984540054
MANY_DEGREES = 10.0
SMALL_SHARE = 0.03
"""A uniform part with less than this share of the variance cannot be told from a normal one."""
TINY_SHARE = 1e-4
"""Nor can a type A part with less than this."""


@dataclass(frozen=True)
class Part:
    """One independent contribution: its standard uncertainty, shape and degrees of freedom."""

    u: float
    shape: Shape = "normal"
    dof: float = math.inf


@dataclass(frozen=True)
class Coverage:
    """The 95 % half-width of a distribution, k = U95/u, and the effective degrees of freedom."""

    U95: float
    k: float
    dof: float


def student_95(dof: float) -> float:
    """Give the two-sided 95 % factor of Student's t (Student 1908, doi:10.2307/2331554).

    Parameters
    ----------
    dof : float
        Degrees of freedom; infinite gives the factor of the normal distribution, below one counts as one.

    Returns
    -------
    float
        Dimensionless, 1.96 or more.
    """
    if math.isinf(dof):
        return NORMAL_95
    from scipy.special import stdtrit  # noqa: PLC0415  scipy only where it is needed: start-up time

    return float(stdtrit(max(dof, 1.0), 0.975))


def cover_95(parts: Sequence[Part]) -> Coverage:
    """Find the 95 % half-width of the sum of independent parts.

    Parameters
    ----------
    parts : sequence of Part
        All in one unit; parts with u = 0 do not count.

    Returns
    -------
    Coverage
        Zero width, k = 1.96 when nothing is uncertain; NaN where a part is not known.

    Notes
    -----
    Effective degrees of freedom: GUM G.4.1 (Welch–Satterthwaite) over the type A parts.
    """
    parts = [p for p in parts if not p.u <= 0]
    variance = sum(p.u**2 for p in parts)
    if variance == 0:
        return Coverage(0.0, NORMAL_95, math.inf)
    if not math.isfinite(variance):
        return Coverage(math.nan, math.nan, math.nan)
    u = math.sqrt(variance)
    type_a = [p for p in parts if math.isfinite(p.dof)]
    scale = sum((p.u / u) ** 4 / p.dof for p in type_a)
    dof = 1 / scale if scale > 0 else math.inf
    uniform = [p for p in parts if p.shape == "uniform" and p.u**2 >= SMALL_SHARE * variance]
    student = [p for p in type_a if p.u**2 >= TINY_SHARE * variance]
    alone = len(parts) == 1 and not uniform
    if not uniform and (alone or not type_a or dof >= MANY_DEGREES):
        k = student_95(dof)
    else:
        rest = variance - sum(p.u**2 for p in uniform) - sum(p.u**2 for p in student)
        gauss = math.sqrt(max(rest, 0.0) / variance)
        k = _convolved_factor(
            round(gauss, 6),
            tuple(round(p.u / u, 6) for p in uniform),
            tuple((round(p.u / u, 6), round(p.dof, 3)) for p in student),
        )
    return Coverage(k * u, k, dof)


@lru_cache(maxsize=4096)
def _convolved_factor(
    gauss: float, uniform: tuple[float, ...], student: tuple[tuple[float, float], ...]
) -> float:
    """Half-width of the 95 % interval of a unit-variance sum, by convolving cell probabilities."""
    from scipy.special import ndtr, stdtr  # noqa: PLC0415  start-up time

    reach = max([4.5, *(student_95(d) * 2.5 * s for s, d in student)])
    cells, length = 8191, 16384  # a power of two is transformed ten times as fast
    # every part is symmetric, so that half of its cumulative probability says the other
    edges = np.linspace(-reach, reach, cells + 1)[(cells + 1) // 2 :]
    step = 2 * edges[0]
    spectrum = np.ones(length // 2 + 1, dtype=complex)
    cumulative: list[NDArray[np.float64]] = []
    if gauss > step / 4:
        cumulative.append(np.asarray(ndtr(edges / gauss)))
    cumulative += [np.clip(edges / (2 * math.sqrt(3) * s) + 0.5, 0, 1) for s in uniform]
    cumulative += [np.asarray(stdtr(d, edges / s)) for s, d in student]
    for level in cumulative:
        # centred at index 0 of the circular transform, so the sum stays centred
        cell = np.zeros(length)
        cell[:cells] = np.diff(np.concatenate([1 - level[::-1], level]))
        spectrum *= np.fft.rfft(np.roll(cell, -(cells // 2)))
    density = np.fft.irfft(spectrum, length)
    half = length // 2
    inside = density[0] + np.concatenate([[0.0], np.cumsum(density[1:half] + density[-1:-half:-1])])
    return float(np.interp(0.95, inside, (np.arange(half) + 0.5) * step))
