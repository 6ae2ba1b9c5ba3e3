"""Finding a body of one film in a picture of another: where a box is to be laid there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import align
from saltus.core.following.looking import noise_of
from saltus.core.following.patch import Box, cut, smoothed
from saltus.core.following.search import APART, Spot, likeness_of_body, padded, peaks_of
from saltus.core.following.uncertainty import Residuals, covariance

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.core.following.patch import Patch

    Picture = NDArray[np.uint8]

ALIKE, LEAD = 0.72, 0.1
"""A body looks at least so much like itself in another film, and more so than any other place by so much."""
ROUND = 8
NEAR_OF_SIZE = 1.5
"""Of places that look alike it is the one within so many sizes of where it was in the first film."""
MOST_PLACES = 8
ABSENT = 5.0
"""What it costs not to be found: more than any place lacks."""
OF_COLOUR = 2.0
"""How much a difference of colour counts beside one of marks."""


@dataclass(frozen=True)
class Elsewhere:
    """A body found in a picture of another film.

    Attributes
    ----------
    box : Box
        px
    point : (x, y)
        The point that is read, px.
    u : (x, y)
        Standard uncertainty of the point against that of the first film, px.
    likeness : float
    """

    box: Box
    point: tuple[float, float]
    u: tuple[float, float]
    likeness: float


@dataclass(frozen=True)
class Known:
    """A body as it was boxed in the first film.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
        Brightness of the picture the box was drawn in.
    colour : (H, W, 3) ndarray of uint8
        The same in colour.
    box : Box
    point : (x, y)
    """

    picture: Picture
    colour: Picture
    box: Box
    point: tuple[float, float]

    @cached_property
    def _cut(self) -> tuple[Patch, int, int]:
        return cut(self.picture, self.box, self.point)

    def middle(self, spot: Spot) -> tuple[float, float]:
        """The middle of its patch at a place, px."""
        h, w = self._cut[0].shape
        return spot.x + w / 2, spot.y + h / 2

    def is_near(self, spot: Spot) -> bool:
        """Whether a place is near where it was in the first film."""
        patch, left, top = self._cut
        return math.hypot(spot.x - left, spot.y - top) <= NEAR_OF_SIZE * patch.size

    def places_in(self, picture: Picture, colour: Picture) -> list[tuple[float, Spot]]:
        """Places in a picture that look like it, with what each lacks in likeness; the most alike first.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        colour : (H, W, 3) ndarray of uint8
        """
        patch = self._cut[0]
        if any(have < want for have, want in zip(picture.shape, patch.shape, strict=True)):
            return []
        spots = peaks_of(likeness_of_body(picture, patch), APART * patch.size, ALIKE - LEAD, MOST_PLACES)
        out = [(1 - s.likeness + OF_COLOUR * self._colour_apart(colour, s), s) for s in spots]
        return sorted(out, key=lambda one: one[0])

    def _colour_apart(self, colour: Picture, spot: Spot) -> float:
        """Mean difference of colour over the body, 0 to 1; brightness as a whole does not count."""
        patch, left, top = self._cut
        (h, w), body = patch.shape, patch.trust > 0.5
        parts = []
        for picture, x, y in ((self.colour, left, top), (colour, round(spot.x), round(spot.y))):
            part = np.stack([padded(picture[:, :, c], x, y, w, h)[body] for c in range(3)]).astype(np.float32)
            parts.append(part - part.mean())
        return float(np.mean(np.abs(parts[0] - parts[1]))) / 255

    def laid(self, picture: Picture, spot: Spot) -> Elsewhere | None:
        """Lay it over a picture about a place; None where it does not fit there.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        spot : Spot
        """
        patch, left, top = self._cut
        h, w = patch.shape
        corner = round(spot.x) - ROUND, round(spot.y) - ROUND
        around = padded(picture, *corner, w + 2 * ROUND, h + 2 * ROUND)
        found = align(smoothed(around), corner, patch, (spot.x, spot.y), noise_of(around))
        if found is None or found.likeness < ALIKE:
            return None
        moved = found.x - left, found.y - top
        residuals = Residuals()
        residuals.add(found)
        spread = covariance(found, residuals.correlation())
        u = tuple(math.sqrt(max(float(spread[k, k]), 0.0)) for k in (0, 1))
        box = Box(self.box.x + moved[0], self.box.y + moved[1], self.box.width, self.box.height)
        point = self.point[0] + moved[0], self.point[1] + moved[1]
        return Elsewhere(box, point, (u[0], u[1]), found.likeness)


def found_together(known: Sequence[Known], picture: Picture, colour: Picture) -> list[Elsewhere | None]:
    """Find bodies of one film in a picture of another, each at its own place; None where one is not told.

    Parameters
    ----------
    known : sequence of Known
    picture : (H, W) ndarray of uint8
        Brightness.
    colour : (H, W, 3) ndarray of uint8

    Notes
    -----
    All at once, so that the sum of what they lack in likeness is least. Of places that look alike the one
    near where the body was in the first film is taken; where none is, it cannot be told.
    """
    least = 0.5 * min(one.box.size for one in known)
    middles: list[tuple[float, float]] = []
    found: dict[tuple[int, int], tuple[float, Spot]] = {}
    for i, one in enumerate(known):
        for plain, spot in one.places_in(picture, colour):
            middle = one.middle(spot)
            k = next(
                (k for k, other in enumerate(middles) if math.dist(middle, other) <= least), len(middles)
            )
            middles += [middle] if k == len(middles) else []
            lack = plain - (LEAD if one.is_near(spot) else 0.0)
            found[i, k] = min(found.get((i, k), (ABSENT, spot)), (lack, spot), key=lambda pair: pair[0])
    lacks = np.full((len(known), len(middles) + len(known)), ABSENT)
    for place, (lack, _spot) in found.items():
        lacks[place] = lack
    taken = _with_least_lack(lacks)
    free = set(range(len(middles))) - set(taken)
    out: list[Elsewhere | None] = [None] * len(known)
    for i, k in enumerate(taken):
        if (i, k) not in found:
            continue
        lack, spot = found[i, k]
        if known[i].is_near(spot) or all(lacks[i, q] - lack >= LEAD for q in free):
            out[i] = known[i].laid(picture, spot)
    return out


def _with_least_lack(lacks: NDArray[np.float64]) -> list[int]:
    """Give each body (rows) a place of its own (columns), so that the sum of what they lack is least."""
    if len(lacks) == 1:
        return [int(np.argmin(lacks))]
    from scipy.optimize import linear_sum_assignment  # noqa: PLC0415  start-up time

    return [int(k) for k in linear_sum_assignment(lacks)[1]]
