"""Laying a patch over a picture to a fraction of a pixel: shift, gain and offset by robust least squares."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.spline import shifted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

    Array = NDArray[np.float64]

STEPS, REST_PX = 12, 0.002
FARTHEST_PX = 3.0
"""A place that drifts so far from where the search saw it is not the same place."""
OF_CONTRAST, OF_SLOPE_PX, OF_NOISE = 0.25, 0.35, 4.0
"""What a pixel may miss the patch by before it counts less: parts of the contrast, px times the slope, times
the noise. A tolerance in noise alone throws good edges away."""
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


def align(
    picture: Image, corner: tuple[int, int], patch: Patch, start: tuple[float, float], noise: float,
    seen: Image | None = None, ground: Image | None = None,
) -> Alignment | None:  # fmt: skip
    """Lay a patch over a picture, beginning near its place.

    Parameters
    ----------
    picture : (H, W) ndarray of float32
        Smoothed grey levels of a part of the frame.
    corner : (x, y)
        Where that part begins in the frame, px.
    patch : Patch
    start : (x, y)
        Where the patch's first pixel may lie, px of the frame.
    noise : float
        Standard deviation of a smoothed grey level.
    seen : (H, W) ndarray of float32, optional
        0 where something known stands in front, else 1.
    ground : (H, W) ndarray of float32, optional
        What lies behind, for a patch that says how far it shows through.

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
    x, y = start
    for step in range(STEPS):
        if not laid.put(x, y):
            return None
        move = laid.move()
        if move is None:
            return None
        size = math.hypot(move[0], move[1])
        scale = min(1.0, 1.0 / size) if size else 1.0
        x, y = x + scale * float(move[0]), y + scale * float(move[1])
        if math.hypot(x - start[0], y - start[1]) > FARTHEST_PX:
            return None
        if size < REST_PX and step:
            break
    return laid.alignment(x, y)


class _Laid:
    """A patch on its way over a picture."""

    def __init__(
        self, patch: Patch, picture: Image, corner: tuple[int, int], noise: float, seen: Image | None,
        ground: Image | None,
    ) -> None:  # fmt: skip
        self._ground = ground
        self._behind: Image | None = None
        self._patch, self._picture, self._corner, self._seen = patch, picture, corner, seen
        self._tolerance = (
            (OF_NOISE * noise) ** 2 + (OF_CONTRAST * patch.contrast) ** 2 + (OF_SLOPE_PX * patch.slope) ** 2
        )
        self._at: tuple[int, int] | None = None
        self._levels: tuple[float, float] | None = None
        self._values = self._known = patch.counted

    def put(self, x: float, y: float) -> bool:
        """Put its first pixel somewhere; False where too little of it is in the picture."""
        at = math.floor(x + 0.5), math.floor(y + 0.5)
        if at != self._at:
            self._at = at
            left, top = at[0] - self._corner[0], at[1] - self._corner[1]
            h, w = self._patch.shape
            cut = _part(self._picture, left, top, h, w)
            if cut is None:
                return False
            self._values, there = cut
            if self._ground is not None:
                behind = _part(self._ground, left, top, h, w)
                self._behind = behind[0] if behind is not None else None
            self._known = there * self._patch.counted
            covered = _part(self._seen, left, top, h, w) if self._seen is not None else None
            if covered is not None:
                self._known = self._known * covered[0]
            if float(np.sum(self._known * self._patch.slope**2)) < LEAST_SEEN * self._patch.information:
                return False
        self._model, self._along, self._down = shifted(self._patch.spline, x - at[0], y - at[1])
        if self._behind is not None and self._patch.through_spline is not None:
            through = shifted(self._patch.through_spline, x - at[0], y - at[1])
            self._model, self._along, self._down = (
                own + share * self._behind
                for own, share in zip((self._model, self._along, self._down), through, strict=True)
            )
        if self._levels is None:
            self._levels = _levels(self._values, self._model, self._known)
        gain, offset = self._levels
        self._residual = self._values - (gain * self._model + offset)
        self._weights = self._known / np.square(1 + self._residual**2 / self._tolerance)
        return True

    def move(self) -> Array | None:
        """Change (4,) of place, gain and offset that fits best here; the levels take theirs at once."""
        gain, offset = self._levels or (1.0, 0.0)
        jacobian = _jacobian(gain, self._model, self._along, self._down)
        weighed = jacobian * self._weights.reshape(1, -1)
        try:
            normal = (weighed @ jacobian.T).astype(float)
            move = np.linalg.solve(normal, (weighed @ self._residual.ravel()).astype(float))
        except np.linalg.LinAlgError:
            return None
        if not np.all(np.isfinite(move)):
            return None
        self._levels = gain + float(move[2]), offset + float(move[3])
        return np.asarray(move)

    def alignment(self, x: float, y: float) -> Alignment:
        """Say what came of it."""
        patch, (gain, offset) = self._patch, self._levels or (1.0, 0.0)
        residual = self._values - (gain * self._model + offset)
        weights = np.asarray(self._known / np.square(1 + residual**2 / self._tolerance), dtype=np.float32)
        jacobian = _jacobian(gain, self._model, self._along, self._down)
        weighed = jacobian * weights.reshape(1, -1)
        to_place = (_inverse((weighed @ jacobian.T).astype(float))[:2] @ weighed).astype(np.float32)
        total, counted, shape = float(patch.counted.sum()), patch.counted, self._model.shape
        hidden = float(np.sum((weights < HIDDEN_BELOW * counted) * counted)) / total if total else 1.0
        seen = float(np.sum(weights * patch.slope**2)) / max(patch.information, 1e-12)
        alike = _likeness(self._values, self._model, weights)
        return Alignment(
            x, y, gain, offset, alike, hidden, seen, residual, weights,
            to_place[0].reshape(shape), to_place[1].reshape(shape),
        )  # fmt: skip


def _inverse(normal: Array) -> Array:
    try:
        return np.asarray(np.linalg.inv(normal), dtype=np.float64)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.pinv(normal), dtype=np.float64)


def _jacobian(gain: float, model: Image, along: Image, down: Image) -> Image:
    """Derivatives (4, N) of the levels by shift right, shift down, gain and offset."""
    out = np.empty((4, model.size), dtype=np.float32)
    np.multiply(along, -gain, out=out[0].reshape(model.shape))
    np.multiply(down, -gain, out=out[1].reshape(model.shape))
    out[2] = model.ravel()
    out[3] = 1.0
    return out


def _part(picture: Image, left: int, top: int, h: int, w: int) -> tuple[Image, Image] | None:
    """The part of a picture under the patch, and 1 where it is in it; None where it is not at all."""
    height, width = picture.shape
    if left >= 0 and top >= 0 and left + w <= width and top + h <= height:
        return picture[top : top + h, left : left + w], np.ones((h, w), dtype=np.float32)
    rows, columns = np.arange(top, top + h), np.arange(left, left + w)
    there = np.outer((rows >= 0) & (rows < height), (columns >= 0) & (columns < width))
    if not there.any():
        return None
    part = picture[np.ix_(np.clip(rows, 0, height - 1), np.clip(columns, 0, width - 1))]
    return part, there.astype(np.float32)


def _levels(values: Image, model: Image, known: Image) -> tuple[float, float]:
    """Gain and offset that bring the patch nearest to the picture, without regard to outliers."""
    total = max(float(known.sum()), 1e-9)
    mean_v, mean_m = float((known * values).sum()) / total, float((known * model).sum()) / total
    spread = float((known * (model - mean_m) ** 2).sum())
    gain = float((known * (model - mean_m) * (values - mean_v)).sum()) / spread if spread > 0 else 1.0
    gain = min(max(gain, 0.4), 2.5)
    return gain, mean_v - gain * mean_m


def _likeness(values: Image, model: Image, known: Image) -> float:
    total = max(float(known.sum()), 1e-9)
    v = values - float((known * values).sum()) / total
    m = model - float((known * model).sum()) / total
    below = math.sqrt(float((known * v * v).sum()) * float((known * m * m).sum()))
    return float((known * v * m).sum()) / below if below > 0 else 0.0
