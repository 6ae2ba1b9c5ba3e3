"""The bend of a lens from marks along lines that are known to be straight."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.fitting.judgement import judge_stated
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FEWEST, STEPS, TRIED, SETTLED = 3, 40, 1e-4, 1e-9
SHOWS_NOTHING = 0.1
"""Lines that would leave k1 unsure by more than this show nothing: lenses bend less."""
STRONGEST = 0.6
"""No lens of this model bends more."""
APART = 1.0


@dataclass(frozen=True)
class BendFit:
    """What straight lines say of a lens.

    Attributes
    ----------
    lens : Lens
    seen : tuple of (M,) ndarray
        How far the marks of each line are off the chord of its ends as filmed, px.
    left : tuple of (M,) ndarray
        How far they are off a straight line when straightened, px.
    enlarged : float
        By how much the stated uncertainty of a mark was enlarged, as they scatter more; 1 else.
    """

    lens: Lens
    seen: tuple[Array, ...]
    left: tuple[Array, ...]
    enlarged: float = 1.0

    @property
    def bend_px(self) -> float:
        """The greatest distance of a mark from the chord of its line as filmed, px."""
        return max(float(np.max(np.abs(off))) for off in self.seen)

    @property
    def left_px(self) -> float:
        """What is left of the bend, root mean square over the marks, px."""
        return float(np.sqrt(np.mean(np.concatenate(self.left) ** 2)))


def off_line(places: Array) -> Array:
    """How far places are off the straight line that fits them best.

    Parameters
    ----------
    places : (M, 2) ndarray
        px.

    Returns
    -------
    (M,) ndarray
        px; the sign says on which side.
    """
    away = places - places.mean(axis=0)
    _u, _s, axes = np.linalg.svd(away, full_matrices=False)
    normal = np.array([-axes[0, 1], axes[0, 0]])
    # one side for all k1 tried, whatever the signs of the decomposition
    sign = 1.0 if normal[np.argmax(np.abs(normal))] > 0 else -1.0
    return np.asarray(sign * (away @ normal))


def off_chord(places: Array) -> Array:
    """How far places are off the chord from the first to the last, (M,) px.

    Parameters
    ----------
    places : (M, 2) ndarray
        px, in order along the line.
    """
    along = places[-1] - places[0]
    size = float(np.hypot(*along))
    return np.asarray(((places - places[0]) @ np.array([-along[1], along[0]])) / size)


def fit_bend(
    lines: Sequence[Array], centre: tuple[float, float], radius: float, u_px: float, camera: str
) -> BendFit:
    """Find the bend under which marked lines become straight.

    Parameters
    ----------
    lines : sequence of (M, 2) ndarray
        Marks along each line in order, as seen, px; one line is enough.
    centre : (x, y)
        Of the bend, px: usually the middle of the picture.
    radius : float
        R, px.
    u_px : float
        Standard uncertainty of a mark across its line, px. Enlarged where the marks scatter more about the
        lines than it says (χ², p < 0.05), with their degrees of freedom.
    camera : str
        Names the source.

    Raises
    ------
    GeometryError
        If a line has fewer than three marks, marks lie on each other, or the lines show no bend because they
        pass through the centre or are too short.

    Notes
    -----
    Least squares of the distances across the lines, after Gauss and Newton; u(k1) = u_px/√Σ(∂off/∂k1)².
    """
    _require_lines(lines)

    def off(k1: float) -> Array:
        lens = Lens(k1, centre, radius)
        if not all(lens.reaches(line.T).all() for line in lines):
            raise GeometryError(say("lens.too-strong"))
        return np.concatenate([off_line(lens.straight(line.T).T) for line in lines])

    def slope(k1: float) -> Array:
        return (off(k1 + TRIED) - off(k1 - TRIED)) / (2 * TRIED)

    if not u_px / max(float(np.linalg.norm(slope(0.0))), 1e-12) < SHOWS_NOTHING:
        raise GeometryError(say("lens.through-the-centre"))
    k1 = _least_bent(off, slope)
    left = off(k1)
    dof = len(left) - 2 * len(lines) - 1
    judged = judge_stated(float(np.sum((left / u_px) ** 2)), dof)
    u_k1 = (judged.spread or 1.0) * u_px / float(np.linalg.norm(slope(k1)))
    lens = Lens(k1, centre, radius, u_k1, float(dof) if judged.spread else math.inf, camera)
    parts = np.split(left, np.cumsum([len(line) for line in lines])[:-1])
    return BendFit(lens, tuple(map(off_chord, lines)), tuple(parts), judged.spread or 1.0)


def _require_lines(lines: Sequence[Array]) -> None:
    if not lines or min(map(len, lines)) < FEWEST:
        raise GeometryError(say("lens.two-marks"))
    if min(float(np.min(np.hypot(*np.diff(line, axis=0).T))) for line in lines) < APART:
        raise GeometryError(say("lens.marks-together"))


def _least_bent(off: Callable[[float], Array], slope: Callable[[float], Array]) -> float:
    """The k1 with the least sum of squares of what is off the lines."""
    k1 = 0.0
    for _step in range(STEPS):
        by = slope(k1)
        change = -float(by @ off(k1)) / float(by @ by)
        k1 = float(np.clip(k1 + change, -STRONGEST, STRONGEST))
        if abs(change) < SETTLED:
            break
    if abs(k1) >= STRONGEST:
        raise GeometryError(say("lens.too-strong"))
    return k1
