"""A camera that does not look square-on: what it does to the picture, to see what ignoring it costs."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.components import projected, projected_derivative

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

HORIZON = 0.05


@dataclass(frozen=True)
class Tilt:
    """A pinhole camera turned about the middle of its picture, which it keeps in sight.

    Attributes
    ----------
    pan, pitch : float
        By how much the plane is turned away about the upright and the level, rad.
    centre : (x, y)
        Middle of the picture, px.
    focal : float
        Distance of the pinhole, px.
    """

    pan: float
    pitch: float
    centre: tuple[float, float]
    focal: float

    @cached_property
    def _away(self) -> Array:
        """From the plane, in px about its middle, to the picture about its middle, (3, 3)."""
        (c, s), (k, h) = ((math.cos(a), math.sin(a)) for a in (self.pan, self.pitch))
        right, down = np.array([c, 0.0, s]), np.array([s * h, k, -c * h])
        focal = self.focal
        rows = np.column_stack([right, down, [0.0, 0.0, focal]])
        return np.asarray(np.diag([focal, focal, 1.0]) @ rows)

    @cached_property
    def _back(self) -> Array:
        inverse = np.linalg.inv(self._away)
        return np.asarray(inverse / inverse[2, 2])

    def tilted(self, square: Array) -> Array:
        """Where places of a picture taken square-on are seen, (2, N) px.

        Parameters
        ----------
        square : (2, N) ndarray
            px.
        """
        return np.asarray(projected(self._away, square - self._middle)[0] + self._middle)

    @property
    def _middle(self) -> Array:
        return np.array(self.centre)[:, None]

    def straight(self, seen: Array) -> Array:
        """Where places as seen would be in a picture taken square-on, (2, N) px.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        return projected(self._back, seen - self._middle)[0] + self._middle

    def straightened(self, seen: Array) -> tuple[Array, Array]:
        """Give places as taken square-on, (2, N) px, and by how much they move with those seen, (2, 2, N).

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        there, depth = projected(self._back, seen - self._middle)
        return there + self._middle, projected_derivative(self._back, there, depth)

    def reaches(self, seen: Array) -> NDArray[np.bool_]:
        """Whether places as seen, (2, N) px, lie on this side of the horizon, (N,).

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        return np.asarray(projected(self._back, seen - self._middle)[1] > HORIZON)
