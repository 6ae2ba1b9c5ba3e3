"""Following by the edge of a round body: a circle fitted to its outline, whatever shines inside."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.nearby import NearbyFollower, Place
from saltus.core.following.patch import Box, smoothed

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.sighting import Doubt, State

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

RAYS = 72
STEP_PX = 0.5
INNER, OUTER = 0.55, 1.5
"""Between these parts of the radius an edge is looked for."""
SEEN, WEAK_SEEN = 0.6, 0.35
"""Share of the outline that must be seen."""
OFF_PX = 1.5
"""An edge so far from the circle belongs to something else."""
GROWS = 0.15
FLOOR_PX = 0.01
CLEAR_EDGE = 4.0
"""Grey levels per px an outline must have to begin with."""


@dataclass(frozen=True)
class Circle(Place):
    """A circle through an outline; ``alike``: the share of it that is seen.

    Attributes
    ----------
    radius : float
        px
    strength : float
        Mean slope of its edge, grey levels per px.
    """

    radius: float
    strength: float


@dataclass(kw_only=True)
class OutlineFollower(NearbyFollower[Circle]):
    """Fits a circle to the outline near where the body is expected.

    Attributes
    ----------
    radius : float
        px
    sign : float
        1 where the body is darker than the ground, −1 where it is brighter.
    """

    radius: float
    sign: float
    strengths: deque[float] = field(default_factory=lambda: deque(maxlen=30))

    @classmethod
    def start(
        cls, picture: Picture, box: Box, t: float, point: tuple[float, float] | None = None
    ) -> OutlineFollower | None:
        """Begin with a box in a picture; None where no round outline is in it.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        box : Box
            Round the body; half its mean side is the radius looked for, px.
        t : float
            s
        point : (x, y), optional
            The point that is read, px; the centre of the box by default.
        """
        best: tuple[OutlineFollower, Circle] | None = None
        for sign in (1.0, -1.0):
            made = cls(radius=(box.width + box.height) / 4, sign=sign)
            found = made._fitted(picture, *box.centre, free=True)
            if found is None or found.alike < SEEN or found.strength < CLEAR_EDGE:
                continue
            if best is None or found.alike * found.strength > best[1].alike * best[1].strength:
                best = (made, found)
        if best is None:
            return None
        made, found = best
        made.radius = found.radius
        made.begin(found, t, point or box.centre)
        return made

    @property
    def reach(self) -> float:
        """The farthest an edge is looked for, px."""
        return OUTER * self.radius

    def learn(self, found: Circle) -> None:
        """Take in the radius, a little at a time, and the strength of the edge."""
        self.radius += 0.1 * (found.radius - self.radius)
        self.strengths.append(found.strength)

    def doubted(self, found: Circle, shape: tuple[int, ...]) -> tuple[State, tuple[Doubt, ...]]:
        """Judge by how much of the outline is seen, its radius and its edge."""
        grown = abs(found.radius / self.radius - 1) > GROWS
        doubts: list[Doubt] = []
        if found.alike < SEEN:
            doubts.append("hidden")
        if grown:
            doubts.append("likeness")
        if found.strength < 0.4 * float(np.median(self.strengths)):
            doubts.append("brightness")
        if not (0 <= found.x < shape[1] and 0 <= found.y < shape[0]):
            doubts.append("edge")
        if not doubts:
            return "found", ()
        weak = found.alike >= WEAK_SEEN and not grown and "edge" not in doubts
        return ("weak" if weak else "lost"), tuple(doubts)

    def seen_about(self, picture: Picture, x: float, y: float) -> Circle | None:
        """The circle near a place, px, of about the radius that is known."""
        return self._fitted(picture, x, y, free=False)

    def _fitted(self, picture: Picture, x: float, y: float, *, free: bool) -> Circle | None:
        """The circle about a place; ``free``: of any radius."""
        edges = self._edges(picture, x, y)
        if edges is None:
            return None
        px, py, strength = edges
        use = strength > 0.3 * float(np.percentile(strength, 80))
        centre = (x, y, self.radius)
        for tolerance in (6.0, 3.0, OFF_PX, OFF_PX):
            off = np.hypot(px - centre[0], py - centre[1]) - centre[2]
            limit = tolerance * max(1.0, self.radius / 20)
            keep = use & (np.abs(off - np.median(off[use])) < limit) if use.any() else use
            if keep.sum() < 8:
                return None
            centre = _circle(px[keep], py[keep], None if free else self.radius)
        off = np.hypot(px - centre[0], py - centre[1]) - centre[2]
        keep = use & (np.abs(off) < OFF_PX * max(1.0, self.radius / 20))
        share = float(keep.mean())
        if keep.sum() < 8:
            return None
        nx, ny = (px[keep] - centre[0]) / centre[2], (py[keep] - centre[1]) / centre[2]
        design = np.column_stack([nx, ny, np.ones(int(keep.sum()))])
        # neighbouring rays see the same pixels: one of them counts for each pixel of the outline
        apart = max(RAYS / max(2 * math.pi * centre[2], 1.0), 1.0)
        variance = float(np.mean(off[keep] ** 2)) * apart
        spread = np.linalg.pinv(design.T @ design)[:2, :2] * variance + FLOOR_PX**2 * np.eye(2)
        return Circle(centre[0], centre[1], spread, share, centre[2], float(np.mean(strength[keep])))

    def _edges(self, picture: Picture, x: float, y: float) -> tuple[Array, Array, Array] | None:
        """Where the grey level changes most along each ray: x, y (K,) px; by how much, grey levels per px."""
        height, width = picture.shape
        reach = OUTER * self.radius + 3
        left, top = max(math.floor(x - reach) - 2, 0), max(math.floor(y - reach) - 2, 0)
        part = picture[
            top : min(math.ceil(y + reach) + 3, height), left : min(math.ceil(x + reach) + 3, width)
        ]
        if min(part.shape) < 6:
            return None
        grey = smoothed(part)
        angle = np.arange(RAYS) * 2 * math.pi / RAYS
        r = np.arange(INNER * self.radius, OUTER * self.radius + STEP_PX, STEP_PX)
        xs = (x + np.cos(angle)[:, None] * r - left).astype(np.float32)
        ys = (y + np.sin(angle)[:, None] * r - top).astype(np.float32)
        profile = cv2.remap(grey, xs, ys, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        slope = self.sign * np.gradient(profile, STEP_PX, axis=1)
        best = np.argmax(slope[:, 1:-1], axis=1) + 1
        rows = np.arange(RAYS)
        before, top_, after = slope[rows, best - 1], slope[rows, best], slope[rows, best + 1]
        bend = before - 2 * top_ + after
        shift = np.where(bend < 0, 0.5 * (before - after) / np.where(bend < 0, bend, -1.0), 0.0)
        at = r[best] + np.clip(shift, -0.5, 0.5) * STEP_PX
        ex, ey = x + np.cos(angle) * at, y + np.sin(angle) * at
        inside = (ex >= 0) & (ex <= width - 1) & (ey >= 0) & (ey <= height - 1)
        return ex.astype(float), ey.astype(float), np.where(inside, np.maximum(top_, 0), 0).astype(float)


def _circle(x: Array, y: Array, radius: float | None) -> tuple[float, float, float]:
    """Circle through points by least squares of their distances; with a radius given it is held near it."""
    cx, cy = float(x.mean()), float(y.mean())
    design = np.column_stack([2 * (x - cx), 2 * (y - cy), np.ones(len(x))])
    a, b, c = np.linalg.lstsq(design, (x - cx) ** 2 + (y - cy) ** 2, rcond=None)[0]
    cx, cy, r = cx + float(a), cy + float(b), math.sqrt(max(float(c + a**2 + b**2), 1e-9))
    for _round in range(5):
        distance = np.hypot(x - cx, y - cy)
        jacobian = np.column_stack([(cx - x) / distance, (cy - y) / distance, -np.ones(len(x))])
        rest = r - distance
        if radius is not None:
            jacobian = np.vstack([jacobian, [0, 0, -math.sqrt(len(x)) / 2]])
            rest = np.append(rest, math.sqrt(len(x)) / 2 * (r - radius))
        step = np.linalg.lstsq(jacobian, rest, rcond=None)[0]
        cx, cy, r = cx + float(step[0]), cy + float(step[1]), r + float(step[2])
    return cx, cy, r
