"""The bend of a lens: straight lines of the world that are curved in the picture.

r_seen = r·(1 + k1·(r/R)²) about the centre of the bend, r and R in px: the radial model of first order of
D. C. Brown, "Close-range camera calibration", Photogrammetric Engineering 37 (1971) 855. k1 < 0 is a barrel.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]

STEPS, ENOUGH = 12, 1e-12
AT_CENTRE, NO_BEND = 1e-12, 1e-12
INSIDE = 0.98
"""Of the greatest radius a barrel can be straightened from: beyond, a pixel stands for half the picture."""


@dataclass(frozen=True)
class Lens:
    """How a lens bends the picture.

    Attributes
    ----------
    k1 : float
        Share of the radius by which a place at the distance R is moved outwards, dimensionless.
    centre : (x, y)
        px.
    radius : float
        R, px.
    u_k1 : float
        Standard uncertainty of k1.
    dof : float
        Degrees of freedom of it; infinite where it is known.
    camera : str
        Whose lens: names the source.
    """

    k1: float
    centre: tuple[float, float]
    radius: float
    u_k1: float = 0.0
    dof: float = math.inf
    camera: str = ""

    @property
    def farthest(self) -> float:
        """Radius as seen, px, beyond which a place cannot be told; infinite for k1 ≥ 0."""
        if self.k1 > -NO_BEND:
            return math.inf
        turning = math.sqrt(-1 / (3 * self.k1))
        return INSIDE * self.radius * turning * (1 + self.k1 * turning**2)

    def reaches(self, seen: Array) -> NDArray[np.bool_]:
        """Whether places as seen, (2, N) px, can be told, (N,).

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        return np.asarray(np.hypot(seen[0] - self.centre[0], seen[1] - self.centre[1]) <= self.farthest)

    def _radii(self, seen: Array) -> tuple[Array, Array, Array]:
        """Offsets from the centre, their size as seen and straightened, in R."""
        away = seen - np.array(self.centre)[:, None]
        bent = np.hypot(away[0], away[1]) / self.radius
        straight = bent.copy()
        # from the side on which the tangent never leads past the root, see farthest
        for _step in range(STEPS):
            square = straight * straight
            change = (straight * (1 + self.k1 * square) - bent) / (1 + 3 * self.k1 * square)
            straight -= change
            if not change.size or float(np.max(np.abs(change))) < ENOUGH:
                break
        return away, bent, straight

    def straight(self, seen: Array) -> Array:
        """Where places would be seen without the bend.

        Parameters
        ----------
        seen : (2, N) ndarray
            px, within :attr:`farthest`.

        Returns
        -------
        (2, N) ndarray
            px.
        """
        return self.straightened(seen)[0]

    def straightened(self, seen: Array) -> tuple[Array, Array, Array]:
        """Give places without the bend, and by how much they move with the places as seen, and with k1.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.

        Returns
        -------
        straight : (2, N) ndarray
            px.
        by_place : (2, 2, N) ndarray
            Dimensionless.
        by_k1 : (2, N) ndarray
            px for k1 = 1.
        """
        away, bent, straight = self._radii(seen)
        across, along = _ratio(straight, bent), 1 / (1 + 3 * self.k1 * straight * straight)
        way = away / np.maximum(bent * self.radius, AT_CENTRE)
        by_place = np.empty((2, 2, len(bent)))
        outward = along - across
        by_place[0, 0] = across + outward * way[0] * way[0]
        by_place[1, 1] = across + outward * way[1] * way[1]
        by_place[0, 1] = by_place[1, 0] = outward * way[0] * way[1]
        by_k1 = way * (-self.radius * straight**2 * straight * along)
        return away * across + np.array(self.centre)[:, None], by_place, by_k1

    def bent(self, straight: Array) -> Array:
        """Where straightened places are seen.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.

        Returns
        -------
        (2, N) ndarray
            px.
        """
        away = straight - np.array(self.centre)[:, None]
        square = (away[0] ** 2 + away[1] ** 2) / self.radius**2
        if self.k1 <= -NO_BEND:
            # past its turning radius the model would fold the picture back
            square = np.minimum(square, -1 / (3 * self.k1))
        return np.asarray(away * (1 + self.k1 * square) + np.array(self.centre)[:, None])


def straight_marks(marks: ArrayLike, lens: Lens | None) -> Array:
    """Marks as they would be seen without the bend of a lens.

    Parameters
    ----------
    marks : (P, 2) array_like
        As filmed, px.
    lens : Lens or None

    Returns
    -------
    (2, P) ndarray
        px.

    Raises
    ------
    GeometryError
        If one lies where the lens shows nothing.
    """
    seen = by_component(marks)
    if lens is None:
        return seen
    if not lens.reaches(seen).all():
        raise GeometryError(say("plane.corner-beyond-lens"))
    return lens.straight(seen)


def _ratio(straight: Array, bent: Array) -> Array:
    return np.where(bent > AT_CENTRE, straight / np.maximum(bent, AT_CENTRE), 1.0)
