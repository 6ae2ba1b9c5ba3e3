"""The mean of a body over its first pictures: a patch without the noise of the one it was drawn in."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import Alignment, align
from saltus.core.following.search import region_about
from saltus.core.following.spline import RIM, coefficients, values_shifted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

WANTED = 30
"""So many pictures make the mean; then it stays as it is."""
RENEWED_AT = (2, 4, 8, 16)
ROUNDS = 2
FEWEST_FOR_TRUST = 4
AT_REST, MOVED_PX = 8, 0.5
"""So many pictures are taken of a body at rest, then only those in which it moved on by so much."""


@dataclass(frozen=True)
class Crop:
    """A part of a picture round a place the body was found at.

    Attributes
    ----------
    index : int
        Which picture, counted from the one the box was drawn in.
    region : ndarray of float32
        Smoothed grey levels, with twice the rim round the patch.
    corner : (x, y)
        Where it begins in the picture, px.
    place : (x, y)
        Where the patch's first pixel lies, px.
    gain, offset : float
    """

    index: int
    region: Image
    corner: tuple[int, int]
    place: tuple[float, float]
    gain: float = 1.0
    offset: float = 0.0


@dataclass
class Averaging:
    """Gathers the first pictures of a body.

    Attributes
    ----------
    crops : list of Crop
        The first is the one the box was drawn in.
    """

    crops: list[Crop] = field(default_factory=list)

    def add(
        self, picture: NDArray[np.uint8], index: int, patch: Patch, found: Alignment | tuple[int, int]
    ) -> None:
        """Take in a picture in which the body was found, or where its box was drawn.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        index : int
            Its number from the start.
        patch : Patch
        found : Alignment or (x, y)
            Where it lies; of the picture the box was drawn in the patch's first pixel, px.
        """
        drawn = isinstance(found, tuple)
        x, y = found if isinstance(found, tuple) else (found.x, found.y)
        region, corner = region_about(picture, patch.shape, (x, y))
        levels = (1.0, 0.0) if isinstance(found, tuple) else (found.gain, found.offset)
        self.crops.append(Crop(index, region, corner, (x, y), *levels))
        assert drawn == (len(self.crops) == 1)

    def wants(self, found: Alignment) -> bool:
        """Whether a picture tells something new: at rest the ground behind the body seems to belong to it."""
        x, y = self.crops[-1].place
        return len(self.crops) < AT_REST or math.hypot(found.x - x, found.y - y) >= MOVED_PX

    @property
    def full(self) -> bool:
        """Whether there are pictures enough."""
        return len(self.crops) >= WANTED

    @property
    def due(self) -> bool:
        """Whether the mean is worth making anew now."""
        return len(self.crops) in RENEWED_AT

    def mean(self, patch: Patch) -> Patch:
        """Give the patch with the mean of all pictures, each shifted to it and brought to its brightness."""
        total = np.zeros(patch.values.shape, dtype=np.float64)
        squares = np.zeros_like(total)
        for crop in self.crops:
            nx, ny = math.floor(crop.place[0] + 0.5), math.floor(crop.place[1] + 0.5)
            fx, fy = crop.place[0] - nx, crop.place[1] - ny
            moved = values_shifted(coefficients(crop.region), -fx, -fy)
            level = (moved - crop.offset) / (crop.gain or 1.0)
            total += level
            squares += level**2
        mean = (total / len(self.crops)).astype(np.float32)
        return replace(patch, values=mean, trust=self._trust(patch, mean, squares / len(self.crops)))

    def _trust(self, patch: Patch, mean: Image, squares: NDArray[np.float64]) -> Image:
        """Pixels that keep their level belong to the body, not those that noise and shift cannot explain."""
        if len(self.crops) < FEWEST_FOR_TRUST:
            return patch.trust
        inner = (slice(RIM, -RIM), slice(RIM, -RIM))
        changing = np.maximum(squares[inner] - np.square(mean[inner], dtype=np.float64), 0.0)
        usual = float(np.median(changing[patch.inside]))
        allowed = 4 * usual + (0.1 * patch.slope) ** 2
        return np.asarray(
            patch.prior / (1 + np.square(changing / np.maximum(allowed, 1e-6))), dtype=np.float32
        )

    def settled(self, patch: Patch, noise: float) -> tuple[Patch, dict[int, Alignment]]:
        """Make the last mean, and lay it over all its pictures once more.

        Parameters
        ----------
        patch : Patch
        noise : float
            Standard deviation of a smoothed grey level.

        Returns
        -------
        patch : Patch
        found : dict of int to Alignment
            By the number of the picture; 0 is the one the box was drawn in.
        """
        found: dict[int, Alignment] = {}
        for _round in range(ROUNDS):
            patch = self.mean(patch)
            found, crops = {}, []
            for crop in self.crops:
                again = align(crop.region, crop.corner, patch, crop.place, noise)
                if again is not None:
                    found[crop.index] = again
                    place = (again.x, again.y)
                    crops.append(Crop(crop.index, crop.region, crop.corner, place, again.gain, again.offset))
            if len(crops) == len(self.crops):
                self.crops = crops
        return patch, found
