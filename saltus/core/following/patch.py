"""The patch that is looked for: pixels in and round a box, smoothed, with the point that is read."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.spline import RIM, coefficients, shifted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Image = NDArray[np.float32]
    Array = NDArray[np.float64]

SMOOTHING_PX = 0.6
"""Both picture and patch are smoothed before everything: without it a place locks to whole pixels through the
noise of the patch; from 1.3 px on it costs accuracy."""
MARGIN_PX, MARGIN_SHARE = 3.0, 0.15
"""Ground kept round the box, so that the rim of the body counts."""
SMALLEST_PX = 3.0
MIDDLE = 0.75
OF_CONTRAST, OF_SLOPE_PX = 0.25, 0.35
"""What a pixel may miss the patch by before it counts less: parts of the contrast, px times the slope. A
tolerance in noise alone throws good edges away."""
GROUND = 0.15
"""How much the ground round a body counts until it is known what stays behind."""


@dataclass(frozen=True)
class Box:
    """A box round a body: its top-left corner and its size, picture coordinates, px."""

    x: float
    y: float
    width: float
    height: float

    @property
    def centre(self) -> tuple[float, float]:
        """The point that is read unless another is chosen, px."""
        return self.x + self.width / 2, self.y + self.height / 2

    @property
    def size(self) -> float:
        """The longer side, px."""
        return max(self.width, self.height)


@dataclass(frozen=True)
class Patch:
    """What is looked for.

    Attributes
    ----------
    values : (h + 2·RIM, w + 2·RIM) ndarray of float32
        Smoothed grey levels, with a rim.
    point : (x, y)
        The point that is read, in pixels of the patch without its rim; (0, 0) is the first one's centre.
    inside : (h, w) ndarray of bool
        Pixels in the box itself, as against the ground round it.
    known : (h, w) ndarray of float32
        0 where the patch was cut off by the edge of its picture, else 1.
    trust : (h, w) ndarray of float32
        How far each pixel belongs to the body, 0 to 1: the ground behind it stays when it moves.
    prior : (h, w) ndarray of float32
        The same before anything moved.
    through : (h + 2·RIM, w + 2·RIM) ndarray of float32 or None
        How far the ground behind shows through, 0 to 1; the values are then the body's own light.
    plain : Patch or None
        The patch it was before that was known.
    """

    values: Image
    point: tuple[float, float]
    inside: NDArray[np.bool_]
    known: Image
    trust: Image
    prior: Image
    through: Image | None = None
    plain: Patch | None = None

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width without the rim, px."""
        return self.inside.shape

    @cached_property
    def size(self) -> float:
        """The longer side of the box, px."""
        return float(max(self.inside.any(axis=0).sum(), self.inside.any(axis=1).sum()))

    @cached_property
    def spline(self) -> Image:
        """Coefficients of the spline through the values."""
        return coefficients(self.values)

    @cached_property
    def middle(self) -> Image:
        """1 well inside the ellipse of the box, where no ground is seen, else 0."""
        down, across = (np.flatnonzero(self.inside.any(axis=side)) for side in (1, 0))
        rows, columns = (
            (np.arange(n) - at.mean()) / (0.5 * len(at))
            for n, at in zip(self.shape, (down, across), strict=True)
        )
        far = np.hypot(rows[:, None], columns[None, :])
        return np.where(far < MIDDLE, 1.0, 0.0).astype(np.float32)

    @cached_property
    def through_spline(self) -> Image | None:
        """Coefficients of the spline through what shows through."""
        return coefficients(self.through) if self.through is not None else None

    @cached_property
    def inner(self) -> Image:
        """Values without the rim, (h, w)."""
        return np.ascontiguousarray(self.values[RIM:-RIM, RIM:-RIM])

    @cached_property
    def contrast(self) -> float:
        """Grey levels between its dark and its bright parts: 5th to 95th percentile."""
        if self.plain is not None:
            return self.plain.contrast
        low, high = np.percentile(self.inner[self.known > 0], [5, 95])
        return float(high - low)

    @cached_property
    def slope(self) -> Image:
        """Length of the slope at each pixel, grey levels per px."""
        if self.plain is not None:
            return self.plain.slope
        _values, along, down = shifted(self.spline, 0.0, 0.0)
        return np.asarray(np.hypot(along, down), dtype=np.float32)

    @cached_property
    def information(self) -> float:
        """Sum of the squared slopes over the known pixels, grey levels² per px²."""
        return float(np.sum(self.counted * self.slope**2))

    @cached_property
    def total(self) -> float:
        """How many pixels count from the start."""
        return float(self.counted.sum())

    @cached_property
    def tolerance(self) -> Image:
        """Square of what a pixel may miss it by before it counts less, but for noise, grey levels²."""
        return np.asarray(
            (OF_CONTRAST * self.contrast) ** 2 + (OF_SLOPE_PX * self.slope) ** 2, dtype=np.float32
        )

    @cached_property
    def counted(self) -> Image:
        """How much each pixel counts from the start: what is known of the body, and of the ground with it."""
        if self.through is not None:
            covers = 1 - self.through[RIM:-RIM, RIM:-RIM]
            return np.asarray(self.known * (GROUND + (1 - GROUND) * covers), dtype=np.float32)
        return self.known * self.trust

    def found_to(self, noise: float) -> float:
        """How well it can be found in a picture, before anything is tried: the Cramér–Rao bound.

        Parameters
        ----------
        noise : float
            Standard deviation of the grey levels of a pixel, before smoothing.

        Returns
        -------
        float
            Standard uncertainty of the worse direction, px; infinite where nothing holds it.

        Notes
        -----
        u² = σ²·(JᵀJ)⁻¹, J the slopes along x and y beside a free gain and offset. Smoothing correlates the
        noise of neighbours; with slopes that change slowly what it takes off the noise it adds in
        correlation.
        """
        values, along, down = shifted(self.spline, 0.0, 0.0)
        weight = np.sqrt(self.counted).ravel()
        jacobian = np.column_stack(
            [part.ravel() * weight for part in (along, down, values, np.ones_like(values))]
        )
        normal = jacobian.T.astype(np.float64) @ jacobian
        scale = np.sqrt(np.maximum(np.diag(normal), 1e-30))
        if np.linalg.matrix_rank(normal / np.outer(scale, scale), tol=1e-6) < 4:
            return math.inf
        inverse = np.linalg.inv(normal)
        worst = float(np.linalg.eigvalsh(inverse[:2, :2])[-1])
        return noise * math.sqrt(worst)


def smoothed(picture: NDArray[np.uint8] | Image) -> Image:
    """Smooth grey levels as patch and picture are before they are compared.

    Parameters
    ----------
    picture : (H, W) ndarray
        Grey levels.

    Returns
    -------
    (H, W) ndarray of float32
        Grey levels.
    """
    grey = np.ascontiguousarray(picture, dtype=np.float32)
    return np.asarray(
        cv2.GaussianBlur(grey, (5, 5), SMOOTHING_PX, borderType=cv2.BORDER_REPLICATE), dtype=np.float32
    )


def cut(
    picture: NDArray[np.uint8], box: Box, point: tuple[float, float] | None = None
) -> tuple[Patch, int, int]:
    """Cut what is looked for out of a picture.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    box : Box
        At least partly inside.
    point : (x, y), optional
        The point that is read, picture coordinates, px; the centre of the box by default.

    Returns
    -------
    patch : Patch
    left, top : int
        Where its first pixel lies in the picture, px.
    """
    margin = math.ceil(max(MARGIN_PX, MARGIN_SHARE * box.size))
    left, top = math.ceil(box.x) - margin, math.ceil(box.y) - margin
    right, bottom = math.floor(box.x + box.width) + margin, math.floor(box.y + box.height) + margin
    height, width = picture.shape
    # two pixels more, so that smoothing does not see an edge that is none
    ring = RIM + 2
    rows = np.clip(np.arange(top - ring, bottom + ring + 1), 0, height - 1)
    columns = np.clip(np.arange(left - ring, right + ring + 1), 0, width - 1)
    values = np.ascontiguousarray(smoothed(picture[np.ix_(rows, columns)])[2:-2, 2:-2])
    ys, xs = np.arange(top, bottom + 1), np.arange(left, right + 1)
    inside = np.outer((ys >= box.y) & (ys <= box.y + box.height), (xs >= box.x) & (xs <= box.x + box.width))
    known = np.outer((ys >= 0) & (ys < height), (xs >= 0) & (xs < width)).astype(np.float32)
    px, py = point or box.centre
    trust = _ellipse(box, xs, ys)
    return Patch(values, (px - left, py - top), inside, known, trust, trust), left, top


def _ellipse(box: Box, xs: NDArray[np.int_], ys: NDArray[np.int_]) -> Image:
    """Most bodies fill the ellipse of their box; its corners and what is round it count little at first."""
    (x, y), rim = box.centre, 1.5
    across = (xs - x) / (box.width / 2 + rim)
    down = (ys - y) / (box.height / 2 + rim)
    far = np.hypot(across[None, :], down[:, None])
    return np.where(far <= 1, 1.0, GROUND).astype(np.float32)
