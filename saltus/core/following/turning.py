"""A body that turns or grows: the patch is turned and stretched with it, once rigid shifting clearly fails.

Turned always, rigid bodies are followed worse; never, turning bodies are lost. So the turn is switched on
only after several pictures in a row show that it takes off much of the residuals.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.alignment import Alignment, align
from saltus.core.following.spline import RIM, shifted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

    Array = NDArray[np.float64]

CUTS, IN_A_ROW = 0.15, 3
"""The turn is switched on when it takes off so much of the residuals in so many pictures in a row."""
PLAIN_PX, LONGER = 2.5, 8
"""While it moves the rim of the body by less than so much it must do so in more pictures: compression bends a
body by a pixel, and keeps it bent from picture to picture."""
USUAL_TURN = 0.03
"""Turns and stretches are expected to differ from picture to picture by so much: a ridge in the fit."""
ROUNDS = 3
SMALL = 2e-4
MOST_GROWN = 2.5
LEAST_PX, ALIKE = 0.6, 0.5
"""A turn is of no account before it moves the rim of the body by so much; from picture to picture it goes on,
and does not differ by more than so much of itself."""
FREE, CHANCES = 4.0, 3.0
"""A turn and a stretch have four free numbers: so often is allowed what they take off by chance."""
UNLIKE = 0.8
"""While it looks more alike, only the middle of a body tells: at its edge other ground looks like a turn."""


@dataclass
class Turning:
    """How a body is turned and stretched against the picture its box was drawn in.

    Attributes
    ----------
    master : Patch
        As it was drawn.
    matrix : (2, 2) ndarray
        Takes a way from the point that is read, as drawn, to how it lies now.
    on : bool
    """

    master: Patch
    matrix: Array = field(default_factory=lambda: np.eye(2))
    on: bool = False
    streak: int = 0
    last: Array = field(default_factory=lambda: np.zeros((2, 2)))
    u_angle: float = math.nan

    @property
    def angle(self) -> float:
        """Turned clockwise as seen, rad."""
        m = self.matrix
        return math.atan2(m[1, 0] - m[0, 1], m[0, 0] + m[1, 1])

    def test(self, found: Alignment, patch: Patch, noise: float, correlation: Array) -> bool:
        """Take in a picture in which the body was found rigidly; True when turning is to be switched on.

        Parameters
        ----------
        found : Alignment
        patch : Patch
        noise : float
            Standard deviation of a smoothed grey level.
        correlation : (13, 13) ndarray
            Of the residuals, by lag: neighbours that go together are few, and a turn takes much off few.
        """
        part = found if found.likeness < UNLIKE else replace(found, weights=found.weights * patch.middle)
        step, cut, _spread = increment(part, patch, noise)
        apart = float(part.weights.sum()) / float(np.sum(correlation**2))
        by_chance = FREE / max(apart, FREE)
        size = float(np.linalg.norm(step, 2))
        goes_on = float(np.linalg.norm(step - self.last, 2)) < ALIKE * size if self.streak else True
        turned = cut > CUTS + CHANCES * by_chance and size * patch.size / 2 > LEAST_PX
        self.streak = self.streak + 1 if turned and goes_on else int(turned)
        self.last = step
        self.on |= self.streak >= (IN_A_ROW if size * patch.size / 2 > PLAIN_PX else LONGER)
        return self.on

    def refined(
        self, region: Image, corner: tuple[int, int], patch: Patch, found: Alignment, noise: float,
        seen: Image | None = None,
    ) -> tuple[Alignment, Patch, Array]:  # fmt: skip
        """Turn the patch until it lies best, beginning from where it was laid.

        Parameters
        ----------
        region : (H, W) ndarray of float32
            Smoothed grey levels of a part of the frame.
        corner : (x, y)
            Where that part begins, px.
        patch, found
            As it lies.
        noise : float
            Standard deviation of a smoothed grey level.
        seen : (H, W) ndarray, optional
            0 where something known stands in front.

        Returns
        -------
        found : Alignment
        patch : Patch
            Turned so.
        matrix : (2, 2) ndarray
        """
        matrix = self.matrix
        for _round in range(ROUNDS):
            step, _cut, spread = increment(found, patch, noise)
            tried = (np.eye(2) + step) @ matrix
            grown = math.sqrt(abs(float(np.linalg.det(tried))))
            if not 1 / MOST_GROWN < grown < MOST_GROWN:
                break
            turned = warped(self.master, tried)
            again = align(region, corner, turned, (found.x, found.y), noise, seen)
            if again is None or again.likeness < found.likeness - 0.02:
                break
            found, patch, matrix = again, turned, tried
            self.u_angle = spread
            if float(np.abs(step).max()) < SMALL:
                break
        return found, patch, matrix


def warped(master: Patch, matrix: Array) -> Patch:
    """Turn and stretch a patch about the point that is read.

    Parameters
    ----------
    master : Patch
    matrix : (2, 2) ndarray
        Dimensionless; takes a way from the point, in the patch as drawn, to how it lies then.
    """
    from scipy.ndimage import map_coordinates  # noqa: PLC0415  start-up time

    h, w = master.values.shape
    px, py = master.point[0] + RIM, master.point[1] + RIM
    back = np.linalg.inv(matrix)
    ys, xs = np.mgrid[:h, :w]
    dx, dy = xs - px, ys - py
    at_x, at_y = px + back[0, 0] * dx + back[0, 1] * dy, py + back[1, 0] * dx + back[1, 1] * dy
    values = map_coordinates(
        master.spline, [at_y, at_x], order=3, prefilter=False, mode="nearest", output=np.float32
    )
    inner = (slice(RIM, -RIM), slice(RIM, -RIM))
    map_x, map_y = (np.ascontiguousarray(part[inner] - RIM, dtype=np.float32) for part in (at_x, at_y))

    def moved(part: Image) -> Image:
        return np.asarray(
            cv2.remap(np.ascontiguousarray(part), map_x, map_y, cv2.INTER_LINEAR), dtype=np.float32
        )

    return replace(master, values=values, known=moved(master.known), trust=moved(master.trust))


def increment(found: Alignment, patch: Patch, noise: float) -> tuple[Array, float, float]:
    """How the patch would have to be turned and stretched to lie better.

    Parameters
    ----------
    found : Alignment
        Of the patch.
    patch : Patch
    noise : float
        Standard deviation of a smoothed grey level.

    Returns
    -------
    step : (2, 2) ndarray
        Dimensionless; added to the identity.
    cut : float
        Share of the weighed squares of the residuals that it takes off, 0 to 1.
    u_angle : float
        Standard uncertainty of its turn, rad, from the residuals.
    """
    nx, ny = math.floor(found.x + 0.5), math.floor(found.y + 0.5)
    model, along, down = shifted(patch.spline, found.x - nx, found.y - ny)
    h, w = patch.shape
    rx = np.arange(w, dtype=np.float32)[None, :] - np.float32(patch.point[0] + found.x - nx)
    ry = np.arange(h, dtype=np.float32)[:, None] - np.float32(patch.point[1] + found.y - ny)
    gx, gy = -found.gain * along, -found.gain * down
    parts = (gx * rx, gx * ry, gy * rx, gy * ry, gx, gy, model, np.ones((h, w), dtype=np.float32))
    jacobian = np.stack([part.ravel() for part in parts])
    weights = found.weights.ravel()
    weighed = jacobian * weights
    residual = found.residuals.ravel()
    normal = (weighed @ jacobian.T).astype(float)
    right = (weighed @ residual).astype(float)
    before = float(weights @ residual**2)
    ridge = np.zeros(8)
    ridge[:4] = noise**2 / USUAL_TURN**2
    try:
        inverse = np.linalg.inv(normal + np.diag(ridge) + 1e-9 * np.diag(np.diag(normal)))
    except np.linalg.LinAlgError:
        return np.zeros((2, 2)), 0.0, math.nan
    step = inverse @ right
    after = residual - step @ jacobian
    cut = 1 - float(weights @ after**2) / before if before > 0 else 0.0
    per_pixel = float(weights @ after**2) / max(float(weights.sum()) - 8, 1.0)
    # clockwise as seen: half of what x gains along y, taken from what y gains along x
    turn = np.array([0, -0.5, 0.5, 0, 0, 0, 0, 0])
    u_angle = math.sqrt(max(float(turn @ inverse @ turn) * per_pixel, 0.0))
    return step[:4].reshape(2, 2), cut, u_angle
