"""A body smeared by its motion while the shutter was open: its patch drawn out along its way."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from statistics import median
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.following.over_ground import RISE, RISE_WIDE
from saltus.core.following.spline import RIM

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.patch import Image, Patch

    Vector = tuple[float, float]

OF_SIZE = 0.15
"""A smear of so much of the body's size is drawn; a shorter one hardly changes where the body is found."""
SHARES = (0.95, 0.65, 0.4)
"""Parts of the way between two pictures that are tried while the exposure is not known."""
FROM_REST = (0.5, 1.0)
"""Of its size a body may be smeared at once by a blow: tried in four directions."""
LONGEST = 2.0
"""A smear of more than so many sizes is not looked for."""
BESIDE = 0.95
"""Beside a body so much of the ground shows."""
SURE_PX = 4.0
"""A way so long tells the exposure."""
FEWEST = 3
"""So many smears tell it well enough to look for no other."""


@dataclass
class Exposure:
    """How long the shutter was open, as far as smears tell.

    Attributes
    ----------
    seen : deque of float
        Estimates from single pictures, s.
    """

    seen: deque[float] = field(default_factory=lambda: deque(maxlen=25))

    @property
    def seconds(self) -> float | None:
        """The exposure, s; None while no smear told it."""
        return median(self.seen) if self.seen else None

    @property
    def sure(self) -> bool:
        """Whether enough smears told it."""
        return len(self.seen) >= FEWEST

    def add(self, length: float, speed: float, dt: float) -> None:
        """Take in a smear.

        Parameters
        ----------
        length : float
            px
        speed : float
            px/s
        dt : float
            Since the picture before, s.
        """
        if speed * abs(dt) >= SURE_PX:
            self.seen.append(min(length / speed, abs(dt)))

    def smear(self, velocity: Vector) -> Vector:
        """The smear at a velocity; none while the exposure is not known.

        Parameters
        ----------
        velocity : (x, y)
            px/s
        """
        seconds = self.seconds or 0.0
        return velocity[0] * seconds, velocity[1] * seconds

    def tried(
        self, velocity: Vector, dt: float, size: float, turned: tuple[float, ...] = (0.0,)
    ) -> list[Vector]:
        """Smears to look for, px: one where the exposure is known, else several.

        Parameters
        ----------
        velocity : (x, y)
            px/s
        dt : float
            Since the picture before, s.
        size : float
            Of the body, px.
        turned : tuple of float
            By how much the way may be turned, rad.
        """
        way = velocity[0] * dt, velocity[1] * dt
        if self.sure:
            x, y = self.smear(velocity)
            smears = [(x * math.cos(a) - y * math.sin(a), x * math.sin(a) + y * math.cos(a)) for a in turned]
        elif math.hypot(*way) > OF_SIZE * size:
            smears = [(share * way[0], share * way[1]) for share in SHARES]
        else:
            turns = [k * math.pi / 4 for k in range(4)]
            smears = [(f * size * math.cos(a), f * size * math.sin(a)) for f in FROM_REST for a in turns]
        return [s for s in smears if OF_SIZE * size < math.hypot(*s) < LONGEST * size]


def over_level(patch: Patch, behind: Image | None = None) -> tuple[Patch, float]:
    """Take a patch for a body that fills the ellipse of its box, over the ground behind it.

    Parameters
    ----------
    patch : Patch
    behind : (h + 2·RIM, w + 2·RIM) ndarray of float32, optional
        What lay behind it; one grey level by default.

    Returns
    -------
    body : Patch
        With its own light and what shows through; its plain patch is the one given.
    level : float
        Of the ground.
    """
    if patch.through is not None:
        plain = patch.plain or patch
        return patch, _level(plain.values, patch.through)
    h, w = patch.values.shape
    down, across = (np.flatnonzero(patch.inside.any(axis=side)) for side in (1, 0))
    rows, columns = (
        (np.arange(n) - RIM - at.mean()) / (0.5 * len(at))
        for n, at in zip((h, w), (down, across), strict=True)
    )
    far = np.hypot(rows[:, None], columns[None, :])
    through = np.clip((far - RISE) / RISE_WIDE, 0.0, 1.0).astype(np.float32)
    level = _level(patch.values, through)
    ground = np.float32(level) if behind is None else behind
    return replace(patch, values=patch.values - through * ground, through=through, plain=patch), level


def _level(values: Image, through: Image) -> float:
    beside = through >= BESIDE
    return float(np.median(values[beside])) if beside.any() else 0.0


def drawn_out(body: Patch, level: float, smear: Vector, rim: tuple[int, int]) -> Patch:
    """Draw a body out along its way.

    Parameters
    ----------
    body : Patch
        Its own light and what shows through, see :func:`over_level`.
    level : float
        Of the ground, for what is looked for.
    smear : (x, y)
        px; either direction.
    rim : (x, y)
        Pixels to be added at each side: half the smear and one at least.

    Returns
    -------
    Patch
        Larger by the rim; its plain patch is what is seen of it over the ground.
    """
    (rx, ry), through = rim, body.through
    assert through is not None
    beside = ((ry, ry), (rx, rx))
    kernel = _line(smear, rim)

    def drawn(part: Image) -> Image:
        wide = np.pad(part, beside)
        return np.asarray(cv2.filter2D(wide, cv2.CV_32F, kernel, borderType=cv2.BORDER_CONSTANT))

    own, shows = drawn(body.values), 1 - drawn(1 - through)
    seen = replace(
        body, values=own + np.float32(level) * shows, through=None, plain=None,
        inside=np.pad(body.inside, beside),
        point=(body.point[0] + rx, body.point[1] + ry), known=np.pad(body.known, beside, constant_values=1.0),
        trust=np.pad(body.trust, beside), prior=np.pad(body.prior, beside),
    )  # fmt: skip
    return replace(seen, values=own, through=shows, plain=seen)


def rim_for(smear: Vector) -> tuple[int, int]:
    """Pixels to be added at each side for a smear, px."""
    return math.ceil(abs(smear[0]) / 2) + 1, math.ceil(abs(smear[1]) / 2) + 1


def _line(smear: Vector, rim: tuple[int, int]) -> NDArray[np.float32]:
    """Weights (2·ry + 1, 2·rx + 1) of the moments of an exposure, shared out among the nearest pixels."""
    (rx, ry), count = rim, max(1, math.ceil(4 * math.hypot(*smear)))
    kernel = np.zeros((2 * ry + 1, 2 * rx + 1))
    part = (np.arange(count) + 0.5) / count - 0.5
    x, y = rx + part * smear[0], ry + part * smear[1]
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = x - left, y - top
    for dx, dy, weight in (
        (0, 0, (1 - fx) * (1 - fy)),
        (1, 0, fx * (1 - fy)),
        (0, 1, (1 - fx) * fy),
        (1, 1, fx * fy),
    ):
        np.add.at(kernel, (np.minimum(top + dy, 2 * ry), np.minimum(left + dx, 2 * rx)), weight / count)
    return kernel.astype(np.float32)
