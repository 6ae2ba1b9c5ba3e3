"""Recorded series: mean and slope of a stretch with honest uncertainty, zeroing, steady stretches, peaks."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.quantities import exact, family, measured
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.units import Unit

    Array = NDArray[np.float64]

SURE_SPLIT, FAR = 6.0, 3.0
"""Two parts differ: standard uncertainties, allowing for the places tried, and in their scatter."""
ENOUGH, SPLITS, BETTER = 2000, 40, 2.0
"""Values looked at, places at which a rest may end, and by how many times less scatter there must then be."""
WINDOW = 5.0
"""The autocorrelation is summed over so many times the correlation time (Sokal 1997)."""


class SeriesError(ValueError):
    """A stretch that says nothing, and what to choose instead."""


@dataclass(frozen=True)
class Stretch:
    """What a stretch of a record says.

    Attributes
    ----------
    value : Quantity or None
        Mean, or slope against time; None where no uncertainty can be given.
    sd : float or None
        Of the values about it, in their unit.
    n : int
    effective_n : float or None
        How many independent values are worth as much.
    """

    value: Quantity | None
    sd: float | None
    standard_error: float | None
    n: int
    effective_n: float | None


def effective_count(off: Array, taken: int = 1) -> float:
    """Give how many independent values are worth as much as these deviations from a mean or line.

    Parameters
    ----------
    off : (n,) ndarray
        Deviations at equal spacing in time.
    taken : int
        How many parameters were fitted and taken off: 1 for a mean, 2 for a line.

    Notes
    -----
    n/τ with τ = 1 + 2Σρ, the sum cut off self-consistently at five times τ (Sokal 1997,
    doi:10.1007/978-1-4899-0319-8_6), or that of a first-order process where this is longer: a short record
    hides the far end of its memory. What was taken off makes ρ too small by about (1 + 3ρ)/n for each
    parameter (Kendall 1954, doi:10.1093/biomet/41.3-4.403).
    """
    n = len(off)
    power = float(off @ off)
    if n < 4 or power <= 0:
        return float(n)
    size = 1 << (2 * n - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(off, size)) ** 2
    rho = np.fft.irfft(spectrum, size)[: n // 2] / power
    lag = np.arange(len(rho))
    rho = rho * n / (n - lag)
    rho = rho + (1 + 3 * rho) * taken / n
    first = min(max(float(rho[1]), 0.0), 1 - 2 / n)
    tau = 1 + 2 * np.cumsum(rho[1:])
    inside = np.flatnonzero(lag[1:] >= WINDOW * tau)
    best = float(tau[inside[0]]) if len(inside) else float(tau[-1])
    longest = max(best, (1 + first) / (1 - first))
    return float(min(max(n / longest, 1.0), n))


@dataclass(frozen=True)
class Recorded:
    """Where values come from: channel of which log, and the number of their first sample in it."""

    log: str = "record"
    channel: str = "value"
    first: int = 0


def _linear(value: float, u: float, unit: Unit, weights: Array, of: Recorded, dof: float) -> Quantity:
    """A weighted sum of samples whose noise brings u: two stretches share the samples they have in common."""
    source = sources.record_noise(of.log, of.channel, dof)
    whole = float(np.linalg.norm(weights))
    noise = family(np.zeros(len(weights)), 1.0, unit, source, of.first + np.arange(len(weights)))
    return noise.weighed(weights * u / whole).moved_to(value) if u > 0 and whole > 0 else exact(value, unit)


def mean(values: Array, unit: Unit, of: Recorded | None = None, resolution: float = 0.0) -> Stretch:
    """Give the mean of a stretch.

    Parameters
    ----------
    values : (n,) ndarray
        At equal spacing in time, SI.
    unit : Unit
    of : Recorded, optional
        Names its source.
    resolution : float
        Step of the last digit recorded, SI: it stands in where all values are alike.

    Raises
    ------
    SeriesError
        If there is no value.
    """
    n, of = len(values), of or Recorded()
    if n == 0:
        raise SeriesError(say("series.no-value-lies-stretch"))
    middle = float(np.mean(values))
    if n < 2:
        return Stretch(None, None, None, n, None)
    off = values - middle
    plain = float(off @ off)
    if plain <= (1e-12 * abs(middle)) ** 2 * n:
        source = sources.record_resolution(of.log, of.channel)
        u = resolution / math.sqrt(12)
        return Stretch(measured(middle, u, unit, source) if u else None, 0.0, u or None, n, 1.0)
    count = effective_count(off)
    sd = math.sqrt(plain / (n - 1))
    # the mean took part of a slow drift with it
    whole = sd * math.sqrt((n - 1) / n / max(1 - 1 / count, 1 / n)) if count > 1 else sd
    u, dof = whole / math.sqrt(count), max(count - 1, 1.0)
    return Stretch(_linear(middle, u, unit, np.ones(n), of, dof), sd, u, n, count)


def slope(t: Array, values: Array, unit: Unit, of: Recorded | None = None) -> Stretch:
    """Give the slope of a stretch against time.

    Parameters
    ----------
    t, values : (n,) ndarray
        s, SI.
    unit : Unit
        Of the slope.
    of : Recorded, optional
        Names its source.

    Raises
    ------
    SeriesError
        If there are fewer than two different times.
    """
    n = len(t)
    if n < 2 or np.ptp(t) <= 0:
        raise SeriesError(say("series.slope-needs-values-two"))
    tau = t - np.mean(t)
    below = float(tau @ tau)
    value = float(tau @ values) / below
    if n < 3:
        return Stretch(None, None, None, n, None)
    off = values - np.mean(values) - value * tau
    count = effective_count(off, 2)
    sd = math.sqrt(float(off @ off) / (n - 2))
    u = sd / math.sqrt(below) * math.sqrt(n / count)
    made = _linear(value, u, unit, tau, of or Recorded(), max(count - 2, 1.0))
    return Stretch(made, sd, u, n, count)


def rest_at_an_end(values: Array) -> int | None:
    """Find where a stretch at rest ends, or begins, that a mean should not hold.

    Parameters
    ----------
    values : (n,) ndarray
        At equal spacing in time.

    Returns
    -------
    int or None
        The place that splits the values best in two, where the parts differ beyond chance (p < 10⁻⁴ after
        allowing for every place tried and for memory) and by far more than they scatter.
    """
    n = len(values)
    if n < 20:
        return None
    before = np.cumsum(values)[:-1]
    k = np.arange(1, n)
    gap = before / k - (before[-1] + values[-1] - before) / (n - k)
    gain = gap**2 * k * (n - k) / n
    inner = slice(n // 20, n - 1 - n // 20)
    at = int(np.argmax(gain[inner])) + inner.start
    one, other = values[: at + 1], values[at + 1 :]
    sd = math.sqrt((float(np.var(one)) * len(one) + float(np.var(other)) * len(other)) / n)
    apart = abs(float(gap[at]))
    if sd == 0:
        return at + 1 if apart > 0 else None
    share = effective_count(np.concatenate([one - one.mean(), other - other.mean()]), 2) / n
    z = apart / (sd * math.sqrt((1 / len(one) + 1 / len(other)) / share))
    return at + 1 if z > SURE_SPLIT and apart > FAR * sd else None


def rest_in_slope(t: Array, values: Array) -> float | None:
    """Find where a stretch at rest ends, or begins, that a slope should not hold.

    Parameters
    ----------
    t, values : (n,) ndarray
        s; of any unit.

    Returns
    -------
    float or None
        The time that parts rest and motion, s, where a constant and a line describe the stretch far better
        than a line, and better than a curve that begins at rest.
    """
    # so many values are enough to see where a rest ends
    step = max(len(t) // ENOUGH, 1)
    t, values = t[::step], values[::step]
    n = len(t)
    if n < 20:
        return None
    tau = (t - t[0]) / float(t[-1] - t[0])
    line, curve = (_squares(tau, values, degree) for degree in (1, 2))
    best, at = line, 0
    for k in np.unique(np.linspace(n // 10, n - 1 - n // 10, SPLITS).astype(int)):
        for rest, moving in ((slice(0, k), slice(k, n)), (slice(k, n), slice(0, k))):
            off = values[rest] - np.mean(values[rest])
            squares = float(off @ off) + _squares(tau[moving], values[moving], 1)
            if squares < best:
                best, at = squares, int(k)
    if not at or best * BETTER > min(line, curve):
        return None
    noise = math.sqrt(best / (n - 4))
    return float(t[at]) if np.ptp(values) > FAR * SURE_SPLIT * noise else None


def _squares(tau: Array, values: Array, degree: int) -> float:
    """Sum of squares about a polynomial."""
    design = np.vander(tau, degree + 1)
    off = values - design @ np.linalg.lstsq(design, values, rcond=None)[0]
    return float(off @ off)


def resting_ends(t: Array, values: Array) -> int:
    """Count readings at the ends of a free flight in which nothing moves yet, or no more.

    Parameters
    ----------
    t, values : (n,) ndarray
        s; positions of any unit.

    Returns
    -------
    int
        Of the longer rest: at least three readings that stay put, to which a parabola through all others does
        not lead (by far more than chance explains); else 0.
    """
    forwards = _rest_before(t, values)
    return max(forwards, _rest_before(-t[::-1], values[::-1]))


def _rest_before(t: Array, values: Array) -> int:
    n = len(t)
    size = float(np.ptp(t))
    if n < 10 or size <= 0:
        return 0
    tau = (t - t[0]) / size
    for k in range(n - 6, 2, -1):
        design = np.vander(tau[k:], 3)
        inverse = np.linalg.pinv(design.T @ design)
        coefficients = inverse @ design.T @ values[k:]
        sd = float(np.std(values[k:] - design @ coefficients, ddof=3))
        sd = max(sd, 1e-9 * float(np.max(np.abs(values))))
        early = np.vander(tau[:k], 3)
        off = np.abs(values[:k] - early @ coefficients)
        u = sd * np.sqrt(1 + np.einsum("ij,jk,ik->i", early, inverse, early))
        if float(np.std(values[:k])) < FAR * sd and np.all(off[: k - 1] > SURE_SPLIT * u[: k - 1]):
            return k
    return 0


def zeroed(values: Array, quiet: slice) -> Array:
    """Take the mean of a quiet stretch off a record.

    Parameters
    ----------
    values : (n,) ndarray
        Of any unit.
    quiet : slice
        The stretch.

    Raises
    ------
    SeriesError
        If the stretch is empty.
    """
    rest = values[quiet]
    if not len(rest):
        raise SeriesError(say("series.no-value-lies-quiet"))
    return np.asarray(values - np.mean(rest))


def steady_stretch(values: Array, level: float, tolerance: float) -> slice | None:
    """Find the longest stretch in which a record stays within a tolerance of a level; None without one.

    Parameters
    ----------
    values : (n,) ndarray
    level, tolerance : float
        In the unit of the values.
    """
    near = np.abs(values - level) <= tolerance
    edges = np.flatnonzero(np.diff(np.concatenate([[0], near.astype(int), [0]])))
    if not len(edges):
        return None
    starts, stops = edges[::2], edges[1::2]
    best = int(np.argmax(stops - starts))
    return slice(int(starts[best]), int(stops[best]))


def peaks(t: Array, values: Array, height: float) -> Array:
    """Times of the highest point of each stretch above a height, s, from a parabola through the top.

    Parameters
    ----------
    t, values : (n,) ndarray
    height : float
        In the unit of the values.
    """
    above = values > height
    edges = np.flatnonzero(np.diff(np.concatenate([[0], above.astype(int), [0]])))
    found = []
    for start, stop in zip(edges[::2], edges[1::2], strict=True):
        if start == 0 or stop == len(values):
            continue  # cut off: its top may lie outside
        top = values[start:stop]
        cut = height + 0.5 * (float(top.max()) - height)
        high = start + np.flatnonzero(top >= cut)
        if len(high) < 3 or np.ptp(t[high]) <= 0:
            found.append(float(t[start + int(np.argmax(top))]))
            continue
        middle = float(np.mean(t[high]))
        c = np.polyfit(t[high] - middle, values[high], 2)
        place = -c[1] / (2 * c[0]) if c[0] < 0 else 0.0
        inside = abs(place) <= float(np.ptp(t[high]))
        found.append(middle + (float(place) if inside else 0.0))
    return np.array(found)
