"""What a follower looks at, and what one look gives."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.patch import smoothed
from saltus.core.following.prediction import Predicted, Way

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.alignment import Alignment
    from saltus.core.following.patch import Patch
    from saltus.core.following.search import Spot
    from saltus.core.following.sighting import Doubt, State

    Picture = NDArray[np.uint8]
    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Other:
    """A body that may stand in front: where it is expected and how large it is, px."""

    x: float
    y: float
    size: float


@dataclass(frozen=True)
class Look:
    """What one look at a picture gave.

    ``over``: the body was laid over the ground behind it; ``smeared``: it was drawn out along its way.
    """

    state: State
    doubts: tuple[Doubt, ...] = ()
    found: Alignment | None = None
    second: Spot | None = None
    laid: tuple[Patch, Array] | None = None
    over: bool = False
    smeared: bool = False


@dataclass
class Doubted:
    """What is remembered while it is doubted where a body is.

    Attributes
    ----------
    velocity : (x, y)
        As it went before, px/s.
    trial : Way
        Places of what may be it again.
    looks : list
        Number of the picture and what was seen, of those.
    """

    velocity: tuple[float, float]
    trial: Way = field(default_factory=Way)
    looks: list[tuple[int, Look]] = field(default_factory=list)


def to_be_seen(
    shape: tuple[int, ...], corner: tuple[int, int], frame: tuple[int, ...], others: tuple[Other, ...]
) -> tuple[NDArray[np.float32] | None, bool]:
    """0 for pixels outside the frame or under another body (None: all is to be seen); whether one is."""
    ys, xs = np.arange(shape[0]) + corner[1], np.arange(shape[1]) + corner[0]
    outside = xs[0] < 0 or ys[0] < 0 or xs[-1] >= frame[1] or ys[-1] >= frame[0]
    reach_x, reach_y = len(xs) / 2, len(ys) / 2
    near = [o for o in others if abs(o.x - xs.mean()) < 0.6 * o.size + reach_x]
    near = [o for o in near if abs(o.y - ys.mean()) < 0.6 * o.size + reach_y]
    if not outside and not near:
        return None, False
    seen = np.outer((ys >= 0) & (ys < frame[0]), (xs >= 0) & (xs < frame[1])).astype(np.float32)
    for other in near:
        seen[np.hypot(ys[:, None] - other.y, xs[None, :] - other.x) < 0.55 * other.size + 1] = 0.0
    return seen, bool(near)


def noise_of(part: Picture) -> float:
    """Standard deviation of the noise of a smoothed grey level, from one picture.

    Parameters
    ----------
    part : (H, W) ndarray of uint8

    Returns
    -------
    float
        Grey levels. Median of what is left when the mean of the four neighbours is taken off; texture adds to
        it, so it is an upper value at the start.
    """
    grey = smoothed(part)
    rest = grey[1:-1, 1:-1] - 0.25 * (grey[:-2, 1:-1] + grey[2:, 1:-1] + grey[1:-1, :-2] + grey[1:-1, 2:])
    return max(1.4826 * float(np.median(np.abs(rest))), 0.3)


def apart(found: Alignment, expected: Predicted) -> float:
    """How far a place is from the one expected.

    Parameters
    ----------
    found : Alignment
    expected : Predicted

    Returns
    -------
    float
        px
    """
    return math.hypot(found.x - expected.x, found.y - expected.y)


def better(one: Look, other: Look) -> bool:
    """Whether one look says more than another."""
    rank = {"found": 2, "weak": 1, "lost": 0}
    if rank[one.state] != rank[other.state] or one.state == "lost":
        return rank[one.state] > rank[other.state]
    assert one.found is not None
    assert other.found is not None
    return one.state == "weak" and one.found.likeness > other.found.likeness
