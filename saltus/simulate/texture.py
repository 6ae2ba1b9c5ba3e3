"""Surfaces of the made-up workshop: wood, dusk behind the bench, a rule with its marks.

Static parts are painted three times finer and averaged down, so that edges lie where they should to a few
hundredths of a pixel.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Canvas = NDArray[np.float32]
    Point = tuple[float, float]

FINE = 3
"""How much finer the static parts are painted."""
_SHIFT = 6


def fine_points(points: list[Point]) -> NDArray[np.int32]:
    """Picture coordinates (pixel centres at whole numbers) as fixed-point coordinates of the fine canvas."""
    places = (np.asarray(points, dtype=float) + 0.5) * FINE - 0.5
    return np.asarray(np.rint(places * 2**_SHIFT), dtype=np.int32)


def polygon(canvas: Canvas, points: list[Point], colour: Point | tuple[float, float, float]) -> None:
    """Fill a polygon given in picture coordinates, px."""
    cv2.fillPoly(canvas, [fine_points(points)], colour, cv2.LINE_AA, _SHIFT)


def averaged_down(canvas: Canvas) -> Canvas:
    """Average a fine canvas down to the picture's size."""
    size = (canvas.shape[1] // FINE, canvas.shape[0] // FINE)
    return np.asarray(cv2.resize(canvas, size, interpolation=cv2.INTER_AREA), dtype=np.float32)


def dusk(width: int, height: int, seed: int) -> Canvas:
    """A dark workshop far out of focus: a gradient with soft discs of light. Fine canvas, 0 to 255 RGB."""
    rng = np.random.default_rng(seed)
    canvas = np.zeros((height, width, 3), np.float32)
    fall = np.linspace(1.0, 0.42, height, dtype=np.float32)[:, None]
    canvas[:] = fall[..., None] * np.array([46, 60, 68], np.float32)
    lights = np.zeros_like(canvas)
    for _light in range(11):
        centre = (int(rng.uniform(0, width)), int(rng.uniform(0, 0.5 * height)))
        radius = int(rng.uniform(0.02, 0.055) * width)
        tone = rng.uniform(20, 46)
        cv2.circle(lights, centre, radius, (tone, tone * 0.97, tone * 0.86), -1)
    canvas += cv2.GaussianBlur(lights, (0, 0), width / 320)
    speckle = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 3)
    canvas += (speckle * 9)[..., None]
    fine = cv2.resize(canvas, (width * FINE, height * FINE), interpolation=cv2.INTER_LINEAR)
    return np.asarray(fine, dtype=np.float32)


@lru_cache(maxsize=2)
def wood(width: int, height: int, seed: int, tone: tuple[float, float, float] = (124, 92, 62)) -> Canvas:
    """Planed wood with its grain along the width, (height, width, 3), 0 to 255 RGB."""
    rng = np.random.default_rng(seed)
    grain = np.zeros((height, width), np.float32)
    for along, across, weight in ((140, 1.3, 26), (60, 0.8, 12), (320, 7.0, 60), (5, 0.7, 3)):
        layer = _blurred(rng.normal(0, 1, (height, width)).astype(np.float32), along, across)
        grain += weight * layer / max(1e-6, float(layer.std())) * 0.16
    light = np.linspace(1.12, 0.88, width, dtype=np.float32)[None, :, None]
    colour = np.array(tone, np.float32) + grain[..., None] * np.array([1.0, 0.86, 0.66], np.float32)
    planed = np.asarray(colour * light, dtype=np.float32)
    planed.flags.writeable = False
    return planed


def lay(canvas: Canvas, surface: Canvas, place: Callable[[float, float], Point], size_m: Point) -> None:
    """Lay a flat surface on the canvas.

    Parameters
    ----------
    canvas : Canvas
        Fine canvas, changed in place.
    surface : Canvas
    place : callable
        From metres along and across the surface to picture coordinates, px; affine.
    size_m : (float, float)
        Size of the surface, m.
    """
    w, h = size_m
    corners = [place(0, h), place(w, h), place(w, 0)]
    source = np.array([[0, 0], [surface.shape[1], 0], [surface.shape[1], surface.shape[0]]], np.float32)
    target = np.array([((x + 0.5) * FINE - 0.5, (y + 0.5) * FINE - 0.5) for x, y in corners], np.float32)
    matrix = cv2.getAffineTransform(source - 0.5, target)
    cv2.warpAffine(
        surface,
        matrix,
        (canvas.shape[1], canvas.shape[0]),
        dst=canvas,
        flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_TRANSPARENT,
    )


def rule(canvas: Canvas, place: Callable[[float, float], Point], length_m: float, width_m: float) -> None:
    """Paint a rule with centimetre marks, every fifth and tenth longer, numbers every 10 cm.

    Parameters
    ----------
    canvas : Canvas
        Fine canvas, changed in place.
    place : callable
        From metres along the rule and across it to picture coordinates, px.
    length_m, width_m : float
        Its marks run from 0 to ``length_m``; the stick is 1 cm longer at each end.
    """
    spare = 0.01
    outline = [(-spare, 0.0), (length_m + spare, 0.0), (length_m + spare, width_m), (-spare, width_m)]
    polygon(canvas, [place(a, b) for a, b in outline], (214, 196, 140))
    ink = (44, 38, 28)
    pixel = 1.0 / math.dist(place(0, 0), place(1, 0))
    for mark in range(round(length_m * 100) + 1):
        at = mark / 100
        long = 0.62 if mark % 10 == 0 else 0.42 if mark % 5 == 0 else 0.26
        half = pixel * (0.75 if mark % 10 == 0 else 0.5)
        bar = [(at - half, 0.0), (at + half, 0.0), (at + half, long * width_m), (at - half, long * width_m)]
        polygon(canvas, [place(a, b) for a, b in bar], ink)
    size = FINE * width_m / pixel / 62
    mask = np.zeros(canvas.shape[:2], np.uint8)
    for ten in range(1, round(length_m * 10)):
        x, y = fine_points([place(ten / 10 + 4 * pixel, width_m * 0.5)])[0] / 2**_SHIFT
        cv2.putText(
            mask, f"{ten * 10}", (int(x), int(y)), cv2.FONT_HERSHEY_SIMPLEX, size, 255, 2, cv2.LINE_AA
        )
    opaque = (mask.astype(np.float32) / 255)[..., None]
    canvas *= 1 - opaque
    canvas += opaque * np.array(ink, np.float32)


def _blurred(layer: Canvas, along: float, across: float) -> Canvas:
    """Blur by standard deviations in px; the wide one along the rows by spectra, as its kernel is long."""
    kernel = cv2.getGaussianKernel(round(8 * along) | 1, along, cv2.CV_32F)[:, 0]
    half = len(kernel) // 2
    padded = np.pad(layer, ((0, 0), (half, half)), mode="reflect")
    spectrum = np.fft.rfft(padded) * np.fft.rfft(kernel, padded.shape[1])
    wide = np.fft.irfft(spectrum, padded.shape[1])[:, 2 * half : 2 * half + layer.shape[1]].astype(np.float32)
    return np.asarray(cv2.GaussianBlur(wide, (1, 0), sigmaX=1, sigmaY=across), dtype=np.float32)
