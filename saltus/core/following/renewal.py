"""A patch that is renewed: made anew from the last pictures, once the body no longer looks as it did.

A body that turns away, or on which the light moves, looks less and less like its patch: places drift, and in
the end it is lost. The new patch is laid where the old one was found: what that was off by goes on.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from statistics import median
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.patch import smoothed
from saltus.core.following.search import padded
from saltus.core.following.spline import RIM
from saltus.core.following.uncertainty import Residuals, covariance

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.alignment import Alignment
    from saltus.core.following.patch import Image, Patch

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]
    Point = tuple[float, float]

PICTURES, FEWEST, LATEST = 4, 6, 3
"""A new patch is the mean of so many pictures; how alike a body looked is known from so many, how it looks
now from so few."""
MORE_LEFT, AT_LEAST = 1.6, 0.02
"""It looks otherwise when its likeness leaves so many times as much unexplained, and so much of all more."""
LITTLE_OF_IT, MOST_OF_IT = 0.15, 0.75
"""A patch is made anew only of what is hidden less and seen more."""
SMEARED_OF_SIZE = 0.15
"""A body that goes so many of its sizes between two pictures may only be smeared."""
TAPERED = 1.5
"""What looks otherwise is of the size of the marks: the taper of its correlation takes so much off u."""


@dataclass(frozen=True)
class Renewal:
    """When a patch was made anew, and what all places from there on have in common by it.

    Attributes
    ----------
    number : int
        Of the first picture read with it, from the start.
    u : (2,) ndarray
        Standard uncertainty along x and y, px.
    """

    number: int
    u: Array


@dataclass(frozen=True)
class _Seen:
    """A part of a picture about the body, where it begins, where the point lies, how the body is turned."""

    region: Image
    corner: tuple[int, int]
    place: Point
    matrix: Array
    gain: float
    offset: float


@dataclass
class Fading:
    """Watches how alike a body looks to its patch.

    Attributes
    ----------
    first, last : list, deque of float
        Likenesses since the patch was made, and the latest.
    """

    first: list[float] = field(default_factory=list)
    last: deque[float] = field(default_factory=lambda: deque(maxlen=LATEST))
    _seen: deque[_Seen] = field(default_factory=lambda: deque(maxlen=PICTURES))
    _residuals: Residuals = field(default_factory=Residuals)
    _found: Alignment | None = None

    def fades(self) -> bool:
        """Whether it looks otherwise than when the patch was made."""
        if len(self.first) < FEWEST or len(self.last) < LATEST:
            return False
        return self.faded(median(self.last))

    def faded(self, likeness: float) -> bool:
        """Whether it looks otherwise where it looks so much alike, −1 to 1."""
        before = median(self.first)
        return 1 - likeness**2 > MORE_LEFT * (1 - before**2) + AT_LEAST

    def add(self, likeness: float) -> None:
        """Take in how alike it looked where it was found, −1 to 1."""
        if len(self.first) < FEWEST:
            self.first.append(likeness)
        self.last.append(likeness)

    def look(self, picture: Picture, patch: Patch, found: Alignment, place: Point, matrix: Array) -> None:
        """Keep a picture in which the body looks otherwise.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        patch : Patch
            As drawn.
        found : Alignment
        place : (x, y)
            Where the point is read, px.
        matrix : (2, 2) ndarray
            How the patch is turned.
        """
        if not self._seen:
            self._residuals = Residuals()
        h, w = patch.values.shape
        around = math.ceil(float(np.linalg.norm(matrix, 2)) * math.hypot(h, w) / 2) + 3
        left, top = math.floor(place[0]) - around, math.floor(place[1]) - around
        region = smoothed(padded(picture, left, top, 2 * around + 1, 2 * around + 1))
        self._seen.append(_Seen(region, (left, top), place, matrix, found.gain, found.offset))
        self._residuals.add(found)
        self._found = found

    def forget(self) -> None:
        """Let go of the pictures kept: they were not in a row."""
        self._seen.clear()

    @property
    def full(self) -> bool:
        """Whether there are pictures enough for a new patch."""
        return len(self._seen) == PICTURES

    def made_anew(self, patch: Patch) -> tuple[Patch, Array]:
        """Make the patch anew from the pictures kept.

        Parameters
        ----------
        patch : Patch
            As drawn.

        Returns
        -------
        patch : Patch
            With the same point.
        u : (2,) ndarray
            How far it may lie off by what the old one was off in these pictures, px.

        Notes
        -----
        What looks otherwise pulls at the place in all pictures alike, so their mean is as far off as each:
        see :func:`saltus.core.following.uncertainty.covariance`, with the correlation of these pictures.
        """
        values = np.mean([_turned_back(seen, patch) for seen in self._seen], axis=0, dtype=np.float32)
        assert self._found is not None
        u = TAPERED * np.sqrt(np.diag(covariance(self._found, self._residuals.correlation())))
        new = replace(patch, values=np.asarray(values, dtype=np.float32), through=None, plain=None)
        self.first, self.last = [], deque(maxlen=LATEST)
        self._seen.clear()
        return new, u


def _turned_back(seen: _Seen, patch: Patch) -> Image:
    """What lies under a patch in a picture, as it was drawn: turned back, and of the patch's brightness."""
    h, w = patch.values.shape
    matrix = np.asarray(seen.matrix, dtype=float)
    # from a pixel of the patch to one of the region
    first = np.array([seen.place[0] - seen.corner[0], seen.place[1] - seen.corner[1]])
    first = first - matrix @ (np.array(patch.point) + RIM)
    how = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    back = np.column_stack([matrix, first])
    there = cv2.warpAffine(seen.region, back, (w, h), flags=how, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray((there - seen.offset) / (seen.gain or 1.0), dtype=np.float32)
