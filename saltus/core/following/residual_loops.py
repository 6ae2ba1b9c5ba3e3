"""Loops over the residuals of a patch, compiled like those over its pixels."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.pixel_loops import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Image = NDArray[np.float32]


@compiled
def products_by_lag(image: Image, most: int) -> NDArray[np.float64]:
    """Sums (2·most + 1, 2·most + 1) of the products of each pixel with those about it, by lag.

    Element (most + dy, most + dx) holds the products of pixels of which one lies dx right of the other and dy
    below it.
    """
    h, w = image.shape
    out = np.zeros((2 * most + 1, 2 * most + 1))
    for dy in range(most + 1):
        for y in range(h - dy):
            for dx in range(-most if dy else 0, most + 1):
                count = w - abs(dx)
                one, other = image[y, max(0, -dx) :], image[y + dy, max(0, dx) :]
                total = np.float32(0.0)
                for x in range(count):
                    total += one[x] * other[x]
                out[most + dy, most + dx] += total
    for dy in range(most + 1):
        for dx in range(-most if dy else 0, most + 1):
            out[most - dy, most - dx] = out[most + dy, most + dx]
    return out


@compiled
def forms_by_lag(a: Image, b: Image, rho: Image) -> tuple[float, float, float]:
    """Give aᵀCa, bᵀCb and aᵀCb, where C correlates pixels by how far they lie apart.

    Parameters
    ----------
    a, b : (h, w) ndarray of float32
    rho : (2m + 1, 2m + 1) ndarray of float32
        Correlation by lag, the same at a lag and its opposite.
    """
    h, w = a.shape
    most, wide = rho.shape[0] // 2, rho.shape[1]
    rim = wide // 2
    # four columns of the correlation at a time: what is summed up is loaded and kept a quarter as often
    weights = np.zeros((most + 1, (wide + 3) // 4 * 4), np.float32)
    weights[:, :wide] = rho[most:]
    pa, pb = np.zeros((h, w + 2 * rim + 3), np.float32), np.zeros((h, w + 2 * rim + 3), np.float32)
    pa[:, rim : rim + w] = a
    pb[:, rim : rim + w] = b
    ra, rb = np.empty(w, np.float32), np.empty(w, np.float32)
    aa, bb, ab = 0.0, 0.0, 0.0
    for dy in range(most + 1):
        both = 2.0 if dy else 1.0
        for y in range(h - dy):
            ra[:] = np.float32(0.0)
            rb[:] = np.float32(0.0)
            for k in range(0, wide, 4):
                w0, w1 = weights[dy, k], weights[dy, k + 1]
                w2, w3 = weights[dy, k + 2], weights[dy, k + 3]
                one, two = pa[y + dy, k:], pb[y + dy, k:]
                for x in range(w):
                    ra[x] += w0 * one[x] + w1 * one[x + 1] + w2 * one[x + 2] + w3 * one[x + 3]
                    rb[x] += w0 * two[x] + w1 * two[x + 1] + w2 * two[x + 2] + w3 * two[x + 3]
            one_a, one_b = a[y], b[y]
            s0 = s1 = s2 = s3 = np.float32(0.0)
            for x in range(w):
                s0 += one_a[x] * ra[x]
                s1 += one_b[x] * rb[x]
                s2 += one_a[x] * rb[x]
                s3 += one_b[x] * ra[x]
            aa += both * s0
            bb += both * s1
            ab += 0.5 * both * (s2 + s3)
    return aa, bb, ab


@compiled
def quarter_sums(gain: Image, residual: Image) -> NDArray[np.float64]:
    """Sums (4,) of the products of two images over the quarters of a patch."""
    h, w = gain.shape
    out = np.zeros(4)
    for y in range(h):
        g, r = gain[y], residual[y]
        left, right = np.float32(0.0), np.float32(0.0)
        for x in range(w // 2):
            left += g[x] * r[x]
        for x in range(w // 2, w):
            right += g[x] * r[x]
        below = 2 if y >= h // 2 else 0
        out[below] += left
        out[below + 1] += right
    return out
