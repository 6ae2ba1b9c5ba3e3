"""A motion along a straight line seen at an angle: marks at known distances along it say how far things are.

What is seen of a line is a projective picture of it: distance = (a + b·τ)/(1 + c·τ), τ being px along it.
Three marks give a, b and c; more are fitted by least squares in the picture.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.components import by_component, chained
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import straight_marks
from saltus.core.geometry.plane import HORIZON
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.lens import Lens
    from saltus.core.sources import Source

    Array = NDArray[np.float64]
    Shared = list[tuple[Source, Array]]

FEWEST, STEPS = 3, 30
OFF_LINE_PX, OFF_LINE_U = 3.0, 4.0
"""A mark farther than this from the line through the others, in px and in u, is not on it."""


@dataclass(frozen=True, eq=False)
class Track:
    """Marks along a line.

    Attributes
    ----------
    seen : (M, 2) ndarray
        px, as filmed.
    distance : (M,) ndarray
        Along the line, m.
    u_px : float
        Standard uncertainty of placing a mark along the line, px.
    u_distance : float
        Standard uncertainty of each distance, m.
    lens : Lens or None
    take : str
        Names the sources.
    """

    seen: Array
    distance: Array
    u_px: float
    u_distance: float = 0.0
    lens: Lens | None = None
    take: str = ""

    def __post_init__(self) -> None:
        if len(self.seen) < FEWEST:
            raise GeometryError(say("track.too-few-marks"))
        tau = self._along(self.straight)
        order = np.argsort(self.distance)
        if np.min(np.abs(np.diff(np.sort(tau)))) < 1.0 or np.min(np.diff(self.distance[order])) <= 0:
            raise GeometryError(say("track.marks-together"))
        if not (np.all(np.diff(tau[order]) > 0) or np.all(np.diff(tau[order]) < 0)):
            raise GeometryError(say("track.out-of-order"))
        off = self._off(self.straight)
        if np.max(np.abs(off)) > max(OFF_LINE_PX, OFF_LINE_U * self.u_px):
            raise GeometryError(say("track.off-the-line"))
        if not np.all(self._depth(tau) > HORIZON):
            raise GeometryError(say("track.no-line"))

    @cached_property
    def straight(self) -> Array:
        """Its marks without the bend of the lens, (2, M) px."""
        return straight_marks(self.seen, self.lens)

    @cached_property
    def _line(self) -> tuple[Array, Array]:
        """A point of the line and its direction, towards greater distances, px."""
        middle = self.straight.mean(axis=1)
        _u, _s, axes = np.linalg.svd(self.straight.T - middle, full_matrices=False)
        most, least = np.argmax(self.distance), np.argmin(self.distance)
        ahead = self.straight[:, most] - self.straight[:, least]
        return middle, axes[0] * np.sign(axes[0] @ ahead)

    def _along(self, straight: Array) -> Array:
        return np.asarray(self._line[1] @ (straight - self._line[0][:, None]))

    def _off(self, straight: Array) -> Array:
        """How far above the line, as its direction has it, places are, (N,) px."""
        return np.asarray(self._across @ (straight - self._line[0][:, None]))

    @property
    def _across(self) -> Array:
        return np.array([self._line[1][1], -self._line[1][0]])

    @cached_property
    def _parameters(self) -> Array:
        """A (m), b (m/px), c (1/px)."""
        tau, s = self._along(self.straight), self.distance
        size = float(np.ptp(tau))
        rows = np.column_stack([np.ones_like(tau), tau / size, -s * tau / size])
        found = np.linalg.lstsq(rows, s, rcond=None)[0] / np.array([1.0, size, size])
        for _step in range(STEPS if len(s) > FEWEST else 0):
            expected, by = self._expected(found)
            change = np.linalg.lstsq(by, tau - expected, rcond=None)[0]
            found = found + change
            if np.max(np.abs(by @ change)) < 1e-9:
                break
        return np.asarray(found)

    def _expected(self, parameters: Array) -> tuple[Array, Array]:
        """Where the marks would be seen, (M,) px, and by how much that moves with the parameters, (M, 3)."""
        a, b, c = parameters
        under = b - c * self.distance
        tau = (self.distance - a) / under
        return tau, np.column_stack([-1 / under, -tau / under, tau * self.distance / under])

    def _depth(self, tau: Array) -> Array:
        return np.asarray(1 + self._parameters[2] * tau)

    def reaches(self, straight: Array) -> NDArray[np.bool_]:
        """Whether places, (2, N) px, lie on this side of where the line vanishes, (N,).

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        """
        return np.asarray(self._depth(self._along(straight)) > HORIZON)

    def _slope(self, tau: Array) -> Array:
        """Metres per px along the line, (N,)."""
        a, b, c = self._parameters
        return np.asarray((b - a * c) / self._depth(tau) ** 2)

    def places(self, straight: Array) -> Array:
        """Distance along the line and, as the scale along it has it, off it, (2, N) m.

        Parameters
        ----------
        straight : (2, N) ndarray
            px. The motion is taken to lie on the line: what is off it is told, and rests on nothing.
        """
        tau = self._along(straight)
        a, b, _c = self._parameters
        return np.stack([(a + b * tau) / self._depth(tau), self._off(straight) * self._slope(tau)])

    def picture(self, world: Array) -> Array:
        """Where in the straightened picture places are seen, (2, N) m to (2, N) px.

        Parameters
        ----------
        world : (2, N) ndarray
            m.
        """
        a, b, c = self._parameters
        tau = (world[0] - a) / (b - c * world[0])
        up = world[1] / self._slope(tau)
        return np.asarray(self._line[0][:, None] + np.outer(self._line[1], tau) + np.outer(self._across, up))

    def derivative(self, straight: Array, turned: Array) -> Array:
        """By how much places, turned, move with those in the straightened picture, (2, 2, N) m/px.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        turned : (2, 2) ndarray
            What turns places of the line into the axes they are wanted in.
        """
        tau = self._along(straight)
        slope = self._slope(tau)
        steeper = -2 * self._parameters[2] * slope / self._depth(tau) * self._off(straight)
        along, across = self._line[1][:, None], self._across[:, None]
        by = np.stack([slope * along, slope * across + steeper * along])
        return chained(turned[:, :, None], by)

    @cached_property
    def _ways(self) -> Array:
        """Three independent changes of the parameters that the marks leave open, (3, 3)."""
        _tau, by = self._expected(self._parameters)
        a, b, c = self._parameters
        # a distance that is off is like a mark placed off by that much
        u = np.hypot(self.u_px, self.u_distance * (b - a * c) / (b - c * self.distance) ** 2)
        pull = np.linalg.pinv(by) * u
        values, vectors = np.linalg.eigh(pull @ pull.T)
        return np.asarray((vectors * np.sqrt(np.maximum(values, 0.0))).T)

    def shared(self, straight: Array, turned: Array) -> Shared:
        """What places have in common: of each source, sensitivity × u, (2, N) m, fresh arrays.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        turned : (2, 2) ndarray
            What turns places of the line into the axes they are wanted in.
        """
        if not (self.u_px or self.u_distance):
            return []
        tau = self._along(straight)
        return [
            (sources.ground_points(self.take, n, track=True), np.outer(turned[:, 0], moved))
            for n, moved in enumerate(self._by_parameters(tau, self._ways))
        ]

    def by_lens(self, straight: Array) -> Array:
        """By how much places move with k1, as the marks are straightened with it, (2, N) m.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        """
        if self.lens is None:
            return np.zeros_like(straight)
        moves = self._line[1] @ self.lens.straightened(by_component(self.seen))[2]
        change = np.linalg.pinv(self._expected(self._parameters)[1]) @ moves
        moved = self._by_parameters(self._along(straight), change[None])[0]
        return np.stack([moved, np.zeros_like(moved)])

    def _by_parameters(self, tau: Array, ways: Array) -> Array:
        a, b, _c = self._parameters
        depth = self._depth(tau)
        by = np.stack([1 / depth, tau / depth, -(a + b * tau) * tau / depth**2])
        return np.asarray(ways @ by)

    @property
    def upright(self) -> bool:
        """Its y is taken to lie anticlockwise of it as seen."""
        return True

    @property
    def residual_px(self) -> float | None:
        """How well more than three marks fit, root mean square px; None for three."""
        if len(self.seen) == FEWEST:
            return None
        off = self._along(self.straight) - self._expected(self._parameters)[0]
        return float(np.sqrt(np.sum(off**2) / (len(off) - FEWEST)))
