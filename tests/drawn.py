"""Drawn scenes for following: a body with known sub-pixel places, turned, grown, hidden, crossed and smeared.

Bodies are drawn eight times finer than the picture and averaged down, so that every place is exact; the truth
is for checking and is never seen by what follows.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]
    Fine = NDArray[np.float32]

FINE = 8
"""Parts of a pixel a body is drawn with."""
LENS_PX = 0.5
"""Blur of the lens, standard deviation."""


@dataclass(frozen=True)
class DrawnBody:
    """A body: how large, how marked, where it is in each frame.

    Attributes
    ----------
    path : (N, 2) ndarray
        Places of its centre, px; x right, y down.
    size : float
        Diameter, px.
    contrast : float
        Grey levels between its darkest and brightest mark.
    level : float
        Mean grey level.
    seed : int
        Of its marks.
    angle : (N,) ndarray, optional
        Turned clockwise as seen, rad.
    growth : (N,) ndarray, optional
        Times its size.
    plain : bool
        One grey without marks: seen by its rim alone.
    changed : (N,) ndarray, optional
        How far its face has changed into another, 0 to 1, as when it turns about an upright axis.
    """

    path: Array
    size: float = 48.0
    contrast: float = 120.0
    level: float = 120.0
    seed: int = 1
    angle: Array | None = None
    growth: Array | None = None
    plain: bool = False
    changed: Array | None = None


@dataclass(frozen=True)
class DrawnScene:
    """What is drawn, frame by frame.

    Attributes
    ----------
    bodies : tuple of DrawnBody
        Later ones in front of earlier ones.
    width, height : int
        px
    noise : float
        Standard deviation of the grey levels of each pixel.
    ground, ground_contrast : float
        Mean grey level of the background, and the standard deviation of its texture.
    flicker : float
        Relative standard deviation of the brightness of whole frames.
    exposure : float
        Share of the time between frames in which the shutter is open.
    posts : tuple of (left, right)
        Upright posts in front of everything, px.
    seed : int
    """

    bodies: tuple[DrawnBody, ...]
    width: int = 640
    height: int = 360
    noise: float = 2.0
    ground: float = 170.0
    ground_contrast: float = 0.0
    flicker: float = 0.0
    exposure: float = 0.0
    posts: tuple[tuple[float, float], ...] = ()
    seed: int = 1
    rate: float = 60.0

    @property
    def frames(self) -> int:
        """How many frames there are."""
        return len(self.bodies[0].path)

    def pictures(self) -> Iterator[Picture]:
        """Draw the frames one by one, (H, W) uint8 each."""
        rng = np.random.default_rng(self.seed)
        ground = self._ground(rng)
        faces = [_face(body) for body in self.bodies]
        others = [
            _face(replace(body, seed=body.seed + 500))[0] if body.changed is not None else None
            for body in self.bodies
        ]
        for i in range(self.frames):
            canvas = ground.copy()
            for body, (face, cover), other in zip(self.bodies, faces, others, strict=True):
                share = 0.0 if other is None else float(body.changed[i])
                seen = (1 - share) * face + share * other if share else face
                _lay(canvas, body, (seen, cover), i, self.exposure)
            for left, right in self.posts:
                canvas[:, max(math.ceil(left), 0) : max(math.floor(right) + 1, 0)] = 60.0
            canvas *= 1 + self.flicker * rng.standard_normal()
            canvas += self.noise * rng.standard_normal(canvas.shape)
            # rounded and kept within what a byte holds, in one pass
            yield cv2.add(canvas, 0.0, dtype=cv2.CV_8U)

    def _ground(self, rng: np.random.Generator) -> Array:
        grain = cv2.GaussianBlur(rng.standard_normal((self.height, self.width)), (0, 0), 2.5)
        grain *= self.ground_contrast / max(float(grain.std()), 1e-9)
        return np.asarray(self.ground + grain, dtype=np.float64)

    def in_sight(self, which: int = 0) -> Array:
        """Share of a body that is in the picture and not behind a post or another body, (N,)."""
        body = self.bodies[which]
        out = np.ones(self.frames)
        yy, xx = np.mgrid[-1:1:41j, -1:1:41j]
        inside = xx**2 + yy**2 <= 1
        for i, (x, y) in enumerate(body.path):
            radius = body.size / 2 * (1.0 if body.growth is None else float(body.growth[i]))
            px, py = x + radius * xx[inside], y + radius * yy[inside]
            seen = (px >= -0.5) & (px <= self.width - 0.5) & (py >= -0.5) & (py <= self.height - 0.5)
            for left, right in self.posts:
                seen &= (px < left) | (px > right)
            for other in self.bodies[which + 1 :]:
                ox, oy = other.path[i]
                seen &= np.hypot(px - ox, py - oy) > other.size / 2
            out[i] = float(np.mean(seen))
        return out

    def film(self, path: Path, crf: float = 23.0, preset: str = "medium") -> None:
        """Write the scene as H.264 in MP4."""
        import av  # noqa: PLC0415  loads the encoder

        with av.open(str(path), "w", format="mp4") as container:
            stream = container.add_stream(
                "libx264", rate=Fraction(self.rate).limit_denominator(1001),
                options={"crf": f"{crf:g}", "preset": preset},
            )  # fmt: skip
            stream.width, stream.height, stream.pix_fmt = self.width, self.height, "yuv420p"
            for picture in self.pictures():
                frame = av.VideoFrame.from_ndarray(cv2.cvtColor(picture, cv2.COLOR_GRAY2RGB), format="rgb24")
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))


def _face(body: DrawnBody) -> tuple[Fine, Fine]:
    """Grey levels times cover, and cover (0 to 1), of a body at rest, drawn fine, through the lens."""
    side = math.ceil(body.size * 1.5) * FINE
    half = (side - 1) / 2
    yy, xx = np.mgrid[:side, :side]
    radius = np.hypot(xx - half, yy - half) / FINE
    cover = (radius <= body.size / 2).astype(np.float32)
    grain = np.random.default_rng(1000 + body.seed).standard_normal((int(body.size * 1.5),) * 2)
    marks = cv2.resize(grain.astype(np.float32), (side, side), interpolation=cv2.INTER_CUBIC)
    marks = cv2.GaussianBlur(marks, (0, 0), 2.0 * FINE)
    inside = marks[cover > 0]
    low, high = np.percentile(inside, [2, 98])
    face = np.zeros_like(marks) if body.plain else np.clip((marks - low) / (high - low), 0, 1) - 0.5
    face = (body.level + body.contrast * face).astype(np.float32) * cover
    lens = (0, 0), LENS_PX * FINE
    # what lies farther out is empty, and costs as much to be laid
    reach = min(math.ceil((body.size / 2 + 6 * LENS_PX) * FINE), side // 2)
    drawn = slice(side // 2 - reach, side // 2 + reach)
    return cv2.GaussianBlur(face, *lens)[drawn, drawn], cv2.GaussianBlur(cover, *lens)[drawn, drawn]


def _put(canvas: Fine, fine: Fine, at: tuple[float, float], angle: float, growth: float) -> None:
    """Add a fine drawing, with its centre at a place, to a fine canvas."""
    half, side = (len(fine) - 1) / 2, math.ceil(len(fine) * max(growth, 1.0)) + 2
    left, top = (math.floor(along - side / 2) for along in at)
    x, y = at[0] - left, at[1] - top
    c, s = growth * math.cos(angle), growth * math.sin(angle)
    matrix = np.array([[c, -s, x - c * half + s * half], [s, c, y - s * half - c * half]])
    canvas[top : top + side, left : left + side] += cv2.warpAffine(
        fine, matrix, (side, side), flags=cv2.INTER_LINEAR
    )


def _lay(canvas: Array, body: DrawnBody, drawings: tuple[Fine, Fine], i: int, exposure: float) -> None:
    """Lay a face and its cover over the picture."""
    path = body.path
    step = path[min(i + 1, len(path) - 1)] - path[max(i - 1, 0)]
    way = exposure * step / (2 if 0 < i < len(path) - 1 else 1)
    moments = max(1, math.ceil(2 * float(np.hypot(*way)))) if exposure else 1
    angle = 0.0 if body.angle is None else float(body.angle[i])
    growth = 1.0 if body.growth is None else float(body.growth[i])
    reach = math.ceil(len(drawings[0]) / FINE / 2 * max(growth, 1.0) + float(np.hypot(*way)) / 2) + 3
    left, top = math.floor(path[i][0]) - reach, math.floor(path[i][1]) - reach
    wide = 2 * reach + 1
    laid = [np.zeros((wide * FINE,) * 2, np.float32) for _drawing in drawings]
    for m in range(moments):
        x, y = path[i] + way * ((m + 0.5) / moments - 0.5)
        at = ((x - left) * FINE + (FINE - 1) / 2, (y - top) * FINE + (FINE - 1) / 2)
        for fine, drawing in zip(laid, drawings, strict=True):
            _put(fine, drawing, at, angle, growth)
    paint, covered = (cv2.resize(f / moments, (wide, wide), interpolation=cv2.INTER_AREA) for f in laid)
    height, width = canvas.shape
    rows = slice(max(top, 0), min(top + wide, height))
    columns = slice(max(left, 0), min(left + wide, width))
    if rows.start >= rows.stop or columns.start >= columns.stop:
        return
    part = (slice(rows.start - top, rows.stop - top), slice(columns.start - left, columns.stop - left))
    canvas[rows, columns] = canvas[rows, columns] * (1 - covered[part]) + paint[part]
