"""Laying a patch over a picture to a fraction of a pixel: shift, gain and offset by robust least squares."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.pixel_loops import (
    last_of_fit,
    moments,
    normal_equations,
    over_behind,
    seen_of,
    spline_at,
    weigh,
)
from saltus.core.following.spline import shifted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

    Array = NDArray[np.float64]

STEPS, REST_PX = 12, 0.002
FARTHEST_PX = 3.0
"""A place that drifts so far from where the search saw it is not the same place."""
OF_NOISE = 4.0
"""So many times the noise a pixel may miss the patch by before it counts less."""
HIDDEN_BELOW = 0.5
LEAST_SEEN = 0.05
"""Share of its slopes that must be in the picture for a patch to be laid over it at all."""


@dataclass(frozen=True)
class Alignment:
    """A patch laid over a picture.

    Attributes
    ----------
    x, y : float
        Where the patch's first pixel lies, px of the picture.
    gain, offset : float
        Of the grey levels of the picture against those of the patch.
    likeness : float
        Correlation of patch and picture, 1 where they are alike but for brightness.
    hidden : float
        Share of the box that looks different, 0 to 1.
    information : float
        Share of the patch's slopes that are seen, 0 to 1.
    residuals : (h, w) ndarray
        Picture less patch, grey levels.
    weights : (h, w) ndarray
        How much each pixel counted, 0 to 1.
    gain_x, gain_y : (h, w) ndarray
        px by which the place moves for each grey level of a pixel.
    """

    x: float
    y: float
    gain: float
    offset: float
    likeness: float
    hidden: float
    information: float
    residuals: Image
    weights: Image
    gain_x: Image
    gain_y: Image

    @property
    def mean_square(self) -> float:
        """Of what is left, by the weights, grey levels²; infinite where nothing counts."""
        total = float(self.weights.sum())
        return float(np.sum(self.weights * self.residuals**2)) / total if total else math.inf


def align(
    picture: Image, corner: tuple[int, int], patch: Patch, start: tuple[float, float], noise: float,
    seen: Image | None = None, ground: Image | None = None, farthest: float = FARTHEST_PX,
) -> Alignment | None:  # fmt: skip
    """Lay a patch over a picture, beginning near its place.

    Parameters
    ----------
    picture : (H, W) ndarray of float32
        Smoothed grey levels of a part of the frame.
    corner, start : (x, y)
        Where that part begins, and where the patch's first pixel may lie, px of the frame.
    patch : Patch
    noise : float
        Standard deviation of a smoothed grey level.
    seen : (H, W) ndarray of float32, optional
        0 where something known stands in front, else 1.
    ground : (H, W) ndarray of float32, optional
        What lies behind a patch that says how far it shows through.
    farthest : float
        How far from the start it may come to rest, px.

    Returns
    -------
    Alignment or None
        None where it does not come to rest near the start, or not enough of it is in the picture.

    Notes
    -----
    Gauss and Newton's steps with Tukey-like weights 1/(1 + (r/tolerance)²)²; Baker and Matthews 2004,
    doi:10.1023/B:VISI.0000011205.11775.fd, the patch being shifted and never the picture.
    """
    laid = _Laid(patch, picture, corner, noise, seen, ground)
    (x, y), before = start, math.inf
    move: Array | None = None
    for step in range(STEPS):
        move = laid.move() if laid.put(x, y) else None
        if move is None:
            return None
        size = math.hypot(move[0], move[1])
        scale = min(1.0, 1.0 / size) if size else 1.0
        x, y = x + scale * float(move[0]), y + scale * float(move[1])
        if math.hypot(x - start[0], y - start[1]) > farthest:
            return None
        # the steps shrink by much the same share each: the next one need not be taken to know its size
        if step and size * min(size / before, 1.0) < REST_PX:
            return laid.alignment(x, y, move)
        before = size
    return laid.alignment(x, y, move) if move is not None else None


class _Laid:
    """A patch on its way over a picture."""

    def __init__(
        self, patch: Patch, picture: Image, corner: tuple[int, int], noise: float, seen: Image | None,
        ground: Image | None,
    ) -> None:  # fmt: skip
        self._ground = ground
        self._behind: Image | None = None
        self._patch, self._picture, self._corner, self._seen = patch, picture, corner, seen
        self._tolerance = patch.tolerance + np.float32((OF_NOISE * noise) ** 2)
        self._at: tuple[int, int] | None = None
        self._levels: tuple[float, float] | None = None
        self._values = self._known = patch.counted
        self._model, self._along, self._down, self._residual, self._weights = (
            np.empty(patch.shape, dtype=np.float32) for _part in range(5)
        )

    def put(self, x: float, y: float) -> bool:
        """Put its first pixel somewhere; False where too little of it is in the picture."""
        at = math.floor(x + 0.5), math.floor(y + 0.5)
        if at != self._at:
            self._at = at
            if not self._cut(at[0] - self._corner[0], at[1] - self._corner[1]):
                return False
        fx, fy = x - at[0], y - at[1]
        spline_at(self._patch.spline, fx, fy, self._model, self._along, self._down)
        if self._behind is not None and self._patch.through_spline is not None:
            through = shifted(self._patch.through_spline, fx, fy)
            over_behind(self._model, self._along, self._down, *through, self._behind)
        if self._levels is None:
            self._levels = _levels(self._values, self._model, self._known)
        weigh(
            self._values, self._model, self._known, self._tolerance, *self._levels, self._residual,
            self._weights,
        )  # fmt: skip
        return True

    def _cut(self, left: int, top: int) -> bool:
        """Cut out what lies under it; False where that is too little."""
        h, w = self._patch.shape
        cut = _part(self._picture, left, top, h, w)
        if cut is None:
            return False
        self._values, there = np.ascontiguousarray(cut[0]), cut[1]
        if self._ground is not None:
            behind = _part(self._ground, left, top, h, w)
            self._behind = np.ascontiguousarray(behind[0]) if behind is not None else None
        if there is None and self._seen is None:
            self._known = self._patch.counted
            return True
        self._known = self._patch.counted if there is None else there * self._patch.counted
        covered = _part(self._seen, left, top, h, w) if self._seen is not None else None
        if covered is not None:
            self._known = self._known * covered[0]
        return float(np.sum(self._known * self._patch.slope**2)) >= LEAST_SEEN * self._patch.information

    def move(self) -> Array | None:
        """Change (4,) of place, gain and offset that fits best here; the levels take theirs at once."""
        gain, offset = self._levels or (1.0, 0.0)
        sums = normal_equations(self._model, self._along, self._down, self._residual, self._weights, gain)
        self._gain, self._normal = gain, np.ascontiguousarray(sums[:4])
        solved, move = cv2.solve(self._normal, sums[4:].T.copy(), flags=cv2.DECOMP_LU)
        if not solved or not math.isfinite(float(move.sum())):
            return None
        self._levels = gain + float(move[2, 0]), offset + float(move[3, 0])
        return np.asarray(move[:, 0])

    def alignment(self, x: float, y: float, last: Array) -> Alignment:
        """Say what came of it after the last move: so small that what it changes is in proportion."""
        patch, (gain, offset) = self._patch, self._levels or (1.0, 0.0)
        gain_x, gain_y = (np.empty(patch.shape, dtype=np.float32) for _part in range(2))
        last_of_fit(
            self._model, self._along, self._down, self._residual, self._weights, self._known, self._tolerance,
            self._gain, _inverse(self._normal), last, gain_x, gain_y,
        )  # fmt: skip
        hidden, seen = seen_of(self._weights, patch.counted, patch.slope, HIDDEN_BELOW)
        alike = _likeness(self._values, self._model, self._weights)
        return Alignment(
            x, y, gain, offset, alike, hidden / patch.total if patch.total else 1.0,
            seen / max(patch.information, 1e-12), self._residual, self._weights, gain_x, gain_y,
        )  # fmt: skip


def _inverse(normal: Array) -> Array:
    found, inverse = cv2.invert(normal, flags=cv2.DECOMP_LU)
    return np.asarray(inverse if found else np.linalg.pinv(normal), dtype=np.float64)


def _part(picture: Image, left: int, top: int, h: int, w: int) -> tuple[Image, Image | None] | None:
    """The part of a picture under the patch, and 1 where it is in it (None: all is); None where none is."""
    height, width = picture.shape
    if left >= 0 and top >= 0 and left + w <= width and top + h <= height:
        return picture[top : top + h, left : left + w], None
    rows, columns = np.arange(top, top + h), np.arange(left, left + w)
    there = np.outer((rows >= 0) & (rows < height), (columns >= 0) & (columns < width))
    if not there.any():
        return None
    part = picture[np.ix_(np.clip(rows, 0, height - 1), np.clip(columns, 0, width - 1))]
    return part, there.astype(np.float32)


def _levels(values: Image, model: Image, known: Image) -> tuple[float, float]:
    """Gain and offset that bring the patch nearest to the picture, without regard to outliers."""
    mean_v, mean_m, _vv, mm, vm = moments(values, model, known)
    gain = vm / mm if mm > 0 else 1.0
    gain = min(max(gain, 0.4), 2.5)
    return gain, mean_v - gain * mean_m


def _likeness(values: Image, model: Image, known: Image) -> float:
    _mean_v, _mean_m, vv, mm, vm = moments(values, model, known)
    below = math.sqrt(vv * mm)
    return vm / below if below > 0 else 0.0
