"""Following by what stands out, a colour or a bright or dark spot: its weighted centre is read.

Good for plain bodies on anything and for lamps and holes; what has the same colour beside it draws the centre
away.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from saltus.core.following.nearby import NearbyFollower, Place

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.following.patch import Box
    from saltus.core.following.sighting import Doubt, State

    Picture = NDArray[np.uint8]
    Weigh = Callable[[NDArray[np.uint8]], NDArray[np.float32]]

WINDOW = 1.7
"""The centre is taken over so many sizes of the box."""
LEAST_AREA, MOST_AREA = 0.6, 1.5
"""What stands out must be as large as at the start, between these parts of it."""
WEAK_AREA = 0.25
FLOOR_PX, OF_UNSURE = 0.01, 0.05
"""Standard uncertainty that stays, px, and the share of the variance of a half pixel that noise makes."""
SPREAD = 3.0
"""Colours within so many standard deviations of those in the box count."""


@dataclass(frozen=True)
class Centre(Place):
    """The centre of what stands out; ``area``: sum of its weights, px²."""

    area: float


@dataclass(kw_only=True)
class CentroidFollower(NearbyFollower[Centre]):
    """Reads the weighted centre of what stands out near where the body is expected.

    Attributes
    ----------
    weigh : callable
        Gives how far each pixel of a part of the picture belongs to the body, 0 to 1.
    size : (width, height)
        Of the box, px.
    areas : deque of float
        Of what was found lately, px².
    """

    weigh: Weigh
    size: tuple[float, float]
    areas: deque[float] = field(default_factory=lambda: deque(maxlen=30))

    @classmethod
    def start(
        cls, picture: Picture, box: Box, t: float, weigh: Weigh, point: tuple[float, float] | None = None
    ) -> CentroidFollower | None:
        """Begin with a box in a picture; None where nothing in it stands out.

        Parameters
        ----------
        picture : (H, W) or (H, W, 3) ndarray of uint8
        box : Box
        t : float
            s
        weigh : callable
            Gives how far each pixel belongs to the body, 0 to 1.
        point : (x, y), optional
            The point that is read, px; the centre of the box by default.
        """
        made = cls(weigh=weigh, size=(box.width, box.height))
        found = made.seen_about(picture, *box.centre)
        if found is None:
            return None
        made.begin(found, t, point or box.centre)
        return made

    @property
    def usual(self) -> float | None:
        """Area of what was found lately, px²; None before anything was."""
        return float(np.median(self.areas)) if self.areas else None

    @property
    def reach(self) -> float:
        """Half the longer side of the window that is weighed, px."""
        return WINDOW * max(self.size) / 2 + 2

    def learn(self, found: Centre) -> None:
        """Take in the area."""
        self.areas.append(found.area)

    def doubted(self, found: Centre, shape: tuple[int, ...]) -> tuple[State, tuple[Doubt, ...]]:
        """Judge by its area, and whether all of it is in the picture."""
        share = found.area / (self.usual or found.area)
        doubts: list[Doubt] = []
        if share < LEAST_AREA:
            doubts.append("hidden")
        if share > MOST_AREA:
            doubts.append("second")
        half_x, half_y = self.size[0] / 2, self.size[1] / 2
        if not (half_x - 1 <= found.x <= shape[1] - half_x and half_y - 1 <= found.y <= shape[0] - half_y):
            doubts.append("edge")
        if not doubts:
            return "found", ()
        return ("weak" if WEAK_AREA <= share < 2 * MOST_AREA else "lost"), tuple(doubts)

    def seen_about(self, picture: Picture, x: float, y: float) -> Centre | None:
        """The weighted centre in a window about a place, px; None where next to nothing weighs there."""
        reach_x, reach_y = WINDOW * self.size[0] / 2 + 2, WINDOW * self.size[1] / 2 + 2
        height, width = picture.shape[:2]
        left, right = max(math.ceil(x - reach_x), 0), min(math.floor(x + reach_x), width - 1)
        top, bottom = max(math.ceil(y - reach_y), 0), min(math.floor(y + reach_y), height - 1)
        if right - left < 2 or bottom - top < 2:
            return None
        weights = self.weigh(picture[top : bottom + 1, left : right + 1]).astype(np.float64)
        area = float(weights.sum())
        if area < max(4.0, 0.1 * (self.usual or 1.0)):
            return None
        xs, ys = np.arange(left, right + 1), np.arange(top, bottom + 1)
        cx, cy = float(weights.sum(axis=0) @ xs) / area, float(weights.sum(axis=1) @ ys) / area
        # a pixel that is half in it may as well be a little more or less in it
        unsure = weights * (1 - weights)
        ux = float(unsure.sum(axis=0) @ (xs - cx) ** 2) / area**2
        uy = float(unsure.sum(axis=1) @ (ys - cy) ** 2) / area**2
        spread = np.diag([OF_UNSURE * ux + FLOOR_PX**2, OF_UNSURE * uy + FLOOR_PX**2])
        usual = self.usual or area
        return Centre(cx, cy, spread, min(area / usual, usual / area), area)


def colour_weights(picture: NDArray[np.uint8], box: Box) -> Weigh | None:
    """Learn a range of colours from a box; None where its colours are those round it.

    Parameters
    ----------
    picture : (H, W, 3) ndarray of uint8
        RGB.
    box : Box

    Notes
    -----
    Mean and spread of the colours in the inner half of the box, in CIE L*a*b* with the lightness counted a
    third: shine and shade change it most.
    """
    lab = _lab(picture)
    inside, around = _inner(lab, box), _ring(lab, box)
    if len(inside) < 4:
        return None
    middle = np.median(inside, axis=0)
    spread = np.maximum(1.4826 * np.median(np.abs(inside - middle), axis=0), [6.0, 2.5, 2.5])
    far = np.sqrt(np.sum(((around - middle) / spread) ** 2, axis=1)) if len(around) else np.array([99.0])
    if float(np.median(far)) < 2 * SPREAD:
        return None

    def weigh(part: NDArray[np.uint8]) -> NDArray[np.float32]:
        distance = np.sqrt(np.sum(((_lab(part) - middle) / spread) ** 2, axis=2))
        return np.asarray(np.clip(1.5 - 0.5 * distance / SPREAD, 0, 1), dtype=np.float32)

    return weigh


def spot_weights(picture: NDArray[np.uint8], box: Box) -> Weigh | None:
    """Learn what is bright or dark in a box against the ground round it; None where nothing is.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
    box : Box
    """
    inside, around = _inner(picture, box).astype(float), _ring(picture, box).astype(float)
    if len(inside) < 4 or len(around) < 4:
        return None
    level, ground = float(np.median(inside)), float(np.median(around))
    noise = 1.4826 * float(np.median(np.abs(around - ground)))
    if abs(level - ground) < max(6 * noise, 8.0):
        return None

    def weigh(part: NDArray[np.uint8]) -> NDArray[np.float32]:
        share = (part.astype(np.float32) - ground) / (level - ground)
        # a quarter of the step is cut off at both ends: noise of ground and body then weighs nothing
        return np.asarray(np.clip((share - 0.25) / 0.5, 0, 1), dtype=np.float32)

    return weigh


def _lab(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    lab = cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2LAB)
    return np.asarray(lab * np.array([1 / 3, 1, 1], dtype=np.float32), dtype=np.float32)


def _inner(picture: NDArray[Any], box: Box) -> NDArray[Any]:
    """Pixels in the inner half of a box, (N,) or (N, 3)."""
    x, y = box.centre
    part = _cut(picture, x - box.width / 4, y - box.height / 4, x + box.width / 4, y + box.height / 4)
    return part.reshape(-1, *picture.shape[2:])


def _ring(picture: NDArray[Any], box: Box) -> NDArray[Any]:
    """Pixels round a box, (N,) or (N, 3)."""
    wide = max(3.0, 0.2 * box.size)
    left, top, right, bottom = box.x - wide, box.y - wide, box.x + box.width + wide, box.y + box.height + wide
    height, width = picture.shape[:2]
    mask = np.zeros((height, width), dtype=bool)
    mask[
        max(math.ceil(top), 0) : max(math.floor(bottom) + 1, 0),
        max(math.ceil(left), 0) : max(math.floor(right) + 1, 0),
    ] = True
    mask[max(math.ceil(box.y), 0) : max(math.floor(box.y + box.height) + 1, 0),
         max(math.ceil(box.x), 0) : max(math.floor(box.x + box.width) + 1, 0)] = False  # fmt: skip
    return picture[mask]


def _cut(picture: NDArray[Any], left: float, top: float, right: float, bottom: float) -> NDArray[Any]:
    return picture[
        max(math.ceil(top), 0) : max(math.floor(bottom) + 1, 0),
        max(math.ceil(left), 0) : max(math.floor(right) + 1, 0),
    ]
