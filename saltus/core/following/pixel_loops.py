"""Loops over the pixels of a patch, compiled when they are first used: following spends its time here.

Numpy goes over a patch once for each operation; what is asked of a picture takes a hundred of them. Compiled,
all that a pixel tells is taken in one go, and other threads go on meanwhile.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Image = NDArray[np.float32]

Loop = TypeVar("Loop", bound="Callable[..., Any]")

RIM = 4
"""Pixels kept round what is evaluated: a shift of less than one and the spline's own reach stay inside."""
POLE = math.sqrt(3.0) - 2.0
"""Of the recursion that makes coefficients of a cubic spline (Unser 1999, doi:10.1109/79.799930)."""
HORIZON = 24
"""Pixels after which a recursion has forgotten: the pole to this power is below what a float32 tells."""

HOW: dict[str, Any] = {"nogil": True, "fastmath": {"nsz", "arcp", "contract", "afn", "reassoc"}}
"""Sums may be taken in any order; what is not a number stays one."""


def compiled(loop: Loop) -> Loop:
    """Compile a loop when it is first called; what is made is kept where there is a place for it."""
    try:
        made: Loop = njit(cache=True, **HOW)(loop)
    except RuntimeError:
        made = njit(**HOW)(loop)
    return made


@compiled
def spline_coefficients(values: Image) -> Image:
    """Give the coefficients of the cubic B-spline through all pixels, mirrored at the edges.

    Parameters
    ----------
    values : (H, W) ndarray of float32
        At least 2 × 2.
    """
    out = values.copy()
    _recursion_down(out)
    _recursion_along(out)
    return out


@compiled
def _recursion_down(out: Image) -> None:
    """One sixth of the coefficients down each column, in place."""
    rows, columns = out.shape
    pole = np.float32(POLE)
    end = pole / (pole * pole - np.float32(1.0))
    period, first = 2 * rows - 2, np.zeros(columns, np.float32)
    for k in range(min(HORIZON, period)):
        weight, line = np.float32(POLE**k / (1 - POLE**period)), out[k if k < rows else period - k]
        for x in range(columns):
            first[x] += weight * line[x]
    out[0] = first
    for y in range(1, rows):
        line, before = out[y], out[y - 1]
        for x in range(columns):
            line[x] += pole * before[x]
    line, before = out[rows - 1], out[rows - 2]
    for x in range(columns):
        line[x] = end * (line[x] + pole * before[x])
    for y in range(rows - 2, -1, -1):
        line, after = out[y], out[y + 1]
        for x in range(columns):
            line[x] = pole * (after[x] - line[x])


@compiled
def _recursion_along(out: Image) -> None:
    """The same along each row, and the six of both ways."""
    rows, columns = out.shape
    pole, gain = np.float32(POLE), np.float32(36.0)
    end = pole / (pole * pole - np.float32(1.0))
    period = 2 * columns - 2
    for y in range(rows):
        line, last = out[y], np.float32(0.0)
        for k in range(min(HORIZON, period)):
            last += np.float32(POLE**k / (1 - POLE**period)) * line[k if k < columns else period - k]
        line[0] = last
        for x in range(1, columns):
            last = line[x] + pole * last
            line[x] = last
        last = end * (line[columns - 1] + pole * line[columns - 2])
        line[columns - 1] = gain * last
        for x in range(columns - 2, -1, -1):
            last = pole * (last - line[x])
            line[x] = gain * last


@compiled
def taps(g: float) -> tuple[Image, Image, int]:
    """Weights (4,) of neighbours at a place g from a pixel, those of slopes, and the offset of the first."""
    base = math.floor(g)
    t = g - base
    rest, square = 1 - t, t * t
    value, slope = np.empty(4, np.float32), np.empty(4, np.float32)
    value[0], value[3] = rest**3 / 6, t**3 / 6
    value[1] = (3 * t - 6) * square / 6 + 2 / 3
    value[2] = (-3 * t + 3) * square / 6 + t / 2 + 1 / 6
    slope[0], slope[3] = -rest * rest / 2, square / 2
    slope[1], slope[2] = 1.5 * square - 2 * t, -1.5 * square + t + 0.5
    return value, slope, base - 1


@compiled
def spline_at(spline: Image, fx: float, fy: float, values: Image, along: Image, down: Image) -> None:
    """Evaluate a spline at whole pixels after it was moved right by fx and down by fy, each within ±1 px.

    Parameters
    ----------
    spline : (h + 2·RIM, w + 2·RIM) ndarray of float32
        Coefficients.
    fx, fy : float
        px
    values, along, down : (h, w) ndarray of float32
        Filled with grey levels and their slopes along x and y per px.
    """
    h, w = values.shape
    kx, dx, left = taps(-fx)
    ky, dy, top = taps(-fy)
    wide = w + 3
    level, slope = np.empty(wide, np.float32), np.empty(wide, np.float32)
    for y in range(h):
        first, at = y + RIM + top, RIM + left
        r0, r1, r2, r3 = (
            spline[first, at:],
            spline[first + 1, at:],
            spline[first + 2, at:],
            spline[first + 3, at:],
        )
        for x in range(wide):
            a, b, c, d = r0[x], r1[x], r2[x], r3[x]
            level[x] = ky[0] * a + ky[1] * b + ky[2] * c + ky[3] * d
            slope[x] = dy[0] * a + dy[1] * b + dy[2] * c + dy[3] * d
        v, gx, gy = values[y], along[y], down[y]
        for x in range(w):
            a, b, c, d = level[x], level[x + 1], level[x + 2], level[x + 3]
            v[x] = kx[0] * a + kx[1] * b + kx[2] * c + kx[3] * d
            gx[x] = dx[0] * a + dx[1] * b + dx[2] * c + dx[3] * d
            gy[x] = kx[0] * slope[x] + kx[1] * slope[x + 1] + kx[2] * slope[x + 2] + kx[3] * slope[x + 3]


@compiled
def over_behind(
    model: Image, along: Image, down: Image, through: Image, through_along: Image, through_down: Image,
    behind: Image,
) -> None:  # fmt: skip
    """Add to a body's own light, and its slopes, in place, what shows through it of what lies behind."""
    h, w = model.shape
    for y in range(h):
        b, m, a, d = behind[y], model[y], along[y], down[y]
        t, ta, td = through[y], through_along[y], through_down[y]
        for x in range(w):
            m[x] += t[x] * b[x]
            a[x] += ta[x] * b[x]
            d[x] += td[x] * b[x]


@compiled
def moments(values: Image, model: Image, known: Image) -> tuple[float, float, float, float, float]:
    """Weighed means of both, and the sums of their squares and products about them."""
    total, of_values, of_model = 0.0, 0.0, 0.0
    h, w = values.shape
    for y in range(h):
        k, v, m = known[y], values[y], model[y]
        t0 = t1 = t2 = np.float32(0.0)
        for x in range(w):
            t0 += k[x]
            t1 += k[x] * v[x]
            t2 += k[x] * m[x]
        total += t0
        of_values += t1
        of_model += t2
    total = max(total, 1e-9)
    mean_v, mean_m = np.float32(of_values / total), np.float32(of_model / total)
    vv, mm, vm = 0.0, 0.0, 0.0
    for y in range(h):
        k, v, m = known[y], values[y], model[y]
        t0 = t1 = t2 = np.float32(0.0)
        for x in range(w):
            a, b = v[x] - mean_v, m[x] - mean_m
            t0 += k[x] * a * a
            t1 += k[x] * b * b
            t2 += k[x] * a * b
        vv += t0
        mm += t1
        vm += t2
    return mean_v, mean_m, vv, mm, vm


@compiled
def weigh(
    values: Image, model: Image, known: Image, tolerance: Image, gain: float, offset: float, residual: Image,
    weights: Image,
) -> None:  # fmt: skip
    """Fill in what is left of the picture, and how much each pixel then counts: 1/(1 + (r/tolerance)²)²."""
    g, o, one = np.float32(gain), np.float32(offset), np.float32(1.0)
    h, w = values.shape
    for y in range(h):
        v, m, k, t, r, u = values[y], model[y], known[y], tolerance[y], residual[y], weights[y]
        for x in range(w):
            left = v[x] - (g * m[x] + o)
            by = one + left * left / t[x]
            r[x] = left
            u[x] = k[x] / (by * by)


@compiled
def normal_equations(
    model: Image, along: Image, down: Image, residual: Image, weights: Image, gain: float
) -> NDArray[np.float64]:
    """Sums (5, 4) of what moves, gain and offset do to each pixel: JᵀWJ, and below it JᵀWr.

    Derivatives are by shift right, shift down, gain and offset; weighed by ``weights``.
    """
    h, w = model.shape
    sums = np.zeros(13)
    for y in range(h):
        m, a, d, r, k = model[y], along[y], down[y], residual[y], weights[y]
        s0 = s1 = s2 = s3 = s4 = s5 = s6 = s7 = s8 = s9 = s10 = s11 = s12 = np.float32(0.0)
        for x in range(w):
            wa, wd, wm, wk = k[x] * a[x], k[x] * d[x], k[x] * m[x], k[x]
            s0 += wa * a[x]
            s1 += wa * d[x]
            s2 += wa * m[x]
            s3 += wa
            s4 += wd * d[x]
            s5 += wd * m[x]
            s6 += wd
            s7 += wm * m[x]
            s8 += wm
            s9 += wk
            s10 += wa * r[x]
            s11 += wd * r[x]
            s12 += wm * r[x]
        for i, s in enumerate((s0, s1, s2, s3, s4, s5, s6, s7, s8, s9, s10, s11, s12)):
            sums[i] += s
    left = 0.0
    for y in range(h):
        t = np.float32(0.0)
        for x in range(w):
            t += weights[y, x] * residual[y, x]
        left += t
    g = -gain
    out = np.empty((5, 4))
    out[0] = g * g * sums[0], g * g * sums[1], g * sums[2], g * sums[3]
    out[1] = out[0, 1], g * g * sums[4], g * sums[5], g * sums[6]
    out[2] = out[0, 2], out[1, 2], sums[7], sums[8]
    out[3] = out[0, 3], out[1, 3], out[2, 3], sums[9]
    out[4] = g * sums[10], g * sums[11], sums[12], left
    return out


@compiled
def last_of_fit(
    model: Image, along: Image, down: Image, residual: Image, weights: Image, known: Image, tolerance: Image,
    gain: float, inverse: NDArray[np.float64], move: NDArray[np.float64], gain_x: Image, gain_y: Image,
) -> None:  # fmt: skip
    """Say what a fit came to after its last move: residuals and weights in place, and what each pixel does.

    Parameters
    ----------
    model, along, down, residual, weights, known, tolerance, gain
        As the last move was found with.
    inverse : (4, 4) ndarray
        Of the normal equations.
    move : (4,) ndarray
        The last change of place, gain and offset.
    gain_x, gain_y : (h, w) ndarray of float32
        Filled with the px by which the place moves for each grey level of a pixel.
    """
    g, one = np.float32(-gain), np.float32(1.0)
    p = inverse[:2].astype(np.float32)
    c = move.astype(np.float32)
    h, w = model.shape
    for y in range(h):
        m, a, d, r, u, k, t = model[y], along[y], down[y], residual[y], weights[y], known[y], tolerance[y]
        to_x, to_y = gain_x[y], gain_y[y]
        for x in range(w):
            ja, jd = g * a[x], g * d[x]
            to_x[x] = u[x] * (p[0, 0] * ja + p[0, 1] * jd + p[0, 2] * m[x] + p[0, 3])
            to_y[x] = u[x] * (p[1, 0] * ja + p[1, 1] * jd + p[1, 2] * m[x] + p[1, 3])
            left = r[x] - (c[0] * ja + c[1] * jd + c[2] * m[x] + c[3])
            by = one + left * left / t[x]
            r[x] = left
            u[x] = k[x] / (by * by)


@compiled
def seen_of(weights: Image, counted: Image, slope: Image, hidden_below: float) -> tuple[float, float]:
    """How much of what counts is hidden, and how much of the slopes is seen: sums over the pixels.

    Parameters
    ----------
    weights, counted, slope : (h, w) ndarray of float32
        Weights of the pixels now and from the start; grey levels per px.
    hidden_below : float
        A pixel is hidden whose weight is less than this share of what it counted from the start.
    """
    below, zero = np.float32(hidden_below), np.float32(0.0)
    h, w = weights.shape
    hidden, seen = 0.0, 0.0
    for y in range(h):
        u, k, s = weights[y], counted[y], slope[y]
        a = b = np.float32(0.0)
        for x in range(w):
            a += k[x] if u[x] < below * k[x] else zero
            b += u[x] * s[x] * s[x]
        hidden += a
        seen += b
    return hidden, seen
