"""A plane seen at an angle: from the picture to the plane by points whose places in it are known.

The mapping between two planes is a homography: R. Hartley, A. Zisserman, "Multiple View Geometry in Computer
Vision", 2nd edition, chapters 2 and 4. It is found by OpenCV; what is uncertain of it is worked out here.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.components import by_component, projected, projected_derivative
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import straight_marks
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.lens import Lens
    from saltus.core.sources import Source

    Array = NDArray[np.float64]
    Shared = list[tuple[Source, Array]]

FLAT_PX, FLAT_U = 2.0, 3.0
"""Four corners whose height over their longest side is less than so many px, or u, show no plane."""
CORNERS = 4
AXES: tuple[sources.Axis, ...] = ("x", "y")
HORIZON = 0.02
"""Depth below which a place is too near the horizon, where that of the middle of the points is 1."""


@dataclass(frozen=True, eq=False)
class Plane:
    """Points of a plane as seen, and where they lie in it.

    Attributes
    ----------
    seen : (P, 2) ndarray
        px, as filmed; four corners of a rectangle, in order round it, or more points.
    world : (P, 2) ndarray
        m.
    u_px : float
        Standard uncertainty of each coordinate of each point, px.
    u_size : (width, height)
        Relative standard uncertainties of what is known along x and along y.
    lens : Lens or None
        Bends the picture in which they were seen.
    take : str
        Names the sources.
    """

    seen: Array
    world: Array
    u_px: float
    u_size: tuple[float, float] = (0.0, 0.0)
    lens: Lens | None = None
    take: str = ""
    _homography: Array = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        _require_plane(self.seen, self.world, self.u_px)
        object.__setattr__(self, "_homography", _from_world(self.world, self.straight.T))
        # the horizon, beyond which nothing of the plane is seen, must not run through the points
        depth = projected(self._to_world, self.straight)[1]
        if not (np.all(depth > 0) or np.all(depth < 0)):
            raise GeometryError(say("plane.horizon-through-corners"))

    @cached_property
    def straight(self) -> Array:
        """Its points without the bend of the lens, (2, P) px."""
        return straight_marks(self.seen, self.lens)

    @cached_property
    def _to_world(self) -> Array:
        """(3, 3), picture to plane, positive where the plane is seen."""
        there = np.linalg.inv(self._homography)
        middle = np.append(self.straight.mean(axis=1), 1.0)
        return np.asarray(there / (there[2] @ middle))

    def reaches(self, straight: Array) -> NDArray[np.bool_]:
        """Whether places, (2, N) px, lie on this side of the horizon of the plane, (N,).

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        """
        return np.asarray(projected(self._to_world, straight)[1] > HORIZON)

    def places(self, straight: Array) -> Array:
        """Where in the plane places of the straightened picture are.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.

        Returns
        -------
        (2, N) ndarray
            m.
        """
        return projected(self._to_world, straight)[0]

    def picture(self, world: Array) -> Array:
        """Where in the straightened picture places of the plane are seen, (2, N) m to (2, N) px.

        Parameters
        ----------
        world : (2, N) ndarray
            m.
        """
        return projected(self._homography, world)[0]

    def derivative(self, straight: Array, turned: Array) -> Array:
        """By how much places, turned, move with those in the straightened picture, (2, 2, N) m/px.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        turned : (2, 2) ndarray
            What turns places of the plane into the axes they are wanted in.
        """
        whole = self._to_world.copy()
        whole[:2] = turned @ whole[:2]
        return projected_derivative(whole, *projected(whole, straight))

    def shared(self, straight: Array, turned: Array) -> Shared:
        """What places have in common: of each source, sensitivity × u, (2, N) m, fresh arrays.

        Four corners are two sources each, one along x and one along y of the picture; more points are the
        eight of their mapping.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        turned : (2, 2) ndarray
            What turns places of the plane into the axes they are wanted in.
        """
        places, depth = projected(self._to_world, straight)
        found: Shared = []
        if self.u_px:
            named, ways = self._ways
            found += zip(named, self._by_points(straight, places, depth, ways, turned), strict=True)
        for axis, u in enumerate(self.u_size):
            if u:
                off = np.outer(turned[:, axis] * u, places[axis])
                found.append((sources.plane_size(self.take, AXES[axis]), off))
        return found

    def by_lens(self, straight: Array) -> Array:
        """By how much places in the plane move with k1, as its points are straightened with it, (2, N) m.

        Parameters
        ----------
        straight : (2, N) ndarray
            px.
        """
        if self.lens is None:
            return np.zeros_like(straight)
        moves = self.lens.straightened(by_component(self.seen))[2].T.reshape(-1)
        there = projected(self._to_world, straight)
        return np.asarray(self._by_points(straight, *there, (self._pull @ moves)[None], np.eye(2))[0])

    @cached_property
    def _pull(self) -> Array:
        """By how much the mapping moves with each coordinate of a straightened point, (9, 2P)."""
        points = np.column_stack([self.world, np.ones(len(self.world))])
        over = points @ self._homography.T
        seen, depth = over[:, :2] / over[:, 2:], over[:, 2]
        by = np.zeros((len(points), 2, 3, 3))
        for axis in (0, 1):
            by[:, axis, axis] = points / depth[:, None]
            by[:, axis, 2] = -seen[:, axis : axis + 1] * points / depth[:, None]
        even = by.reshape(2 * len(points), 9) * self._sizes
        return np.asarray(np.linalg.pinv(even, rcond=1e-10) * self._sizes[:, None])

    @cached_property
    def _sizes(self) -> Array:
        """How large the nine numbers of the mapping are, by which rounding does not count."""
        extent, size = (float(np.ptp(p, axis=0).max()) for p in (self.straight.T, self.world))
        return np.outer([extent, extent, 1.0], [1 / size, 1 / size, 1.0]).reshape(9)

    @cached_property
    def _ways(self) -> tuple[tuple[Source, ...], Array]:
        """The sources of the mapping, and by how much it moves with each, (K, 9)."""
        pull = self._pull.reshape(9, -1, 2)
        each = pull
        if self.lens is not None:
            each = np.einsum("gpi,ijp->gpj", pull, self.lens.straightened(by_component(self.seen))[1])
        ways = self.u_px * each.reshape(9, -1).T
        if len(self.seen) == CORNERS:
            named = [sources.corner(self.take, n, axis) for n in range(CORNERS) for axis in AXES]
            return tuple(named), ways
        even = ways / self._sizes
        values, vectors = np.linalg.eigh(even.T @ even)
        ways = (vectors[:, 1:] * np.sqrt(np.maximum(values[1:], 0.0))).T * self._sizes
        return tuple(sources.ground_points(self.take, n) for n in range(len(ways))), ways

    def _by_points(self, straight: Array, places: Array, depth: Array, ways: Array, turned: Array) -> Array:
        """By how much turned places move with changes (K, 9) of the mapping from the plane, (K, 2, N) m."""
        # d(A⁻¹) = −A⁻¹ dA A⁻¹; what is left of the scale of a homography falls out below
        scale = self._homography @ self._to_world
        inner = -self._to_world @ ways.reshape(-1, 3, 3) @ self._to_world / scale[2, 2]
        inner[:, :2] = turned @ inner[:, :2]
        over = np.stack([straight[0] / depth, straight[1] / depth, 1 / depth])
        there = turned @ places
        out = np.empty((len(ways), 2, len(depth)))
        # one source after the other: what is worked on stays in the processor's cache
        for way, moved in zip(inner, out, strict=True):
            np.matmul(way[:2], over, out=moved)
            beside = way[2] @ over
            for axis in (0, 1):
                moved[axis] -= there[axis] * beside
        return out

    @property
    def residual_px(self) -> float | None:
        """How well more than four points fit one plane, root mean square px a coordinate; None for four."""
        if len(self.seen) == CORNERS:
            return None
        off = self.picture(by_component(self.world)) - self.straight
        return float(np.sqrt(np.sum(off**2) / (off.size - 8)))

    @property
    def upright(self) -> bool:
        """Whether its y lies anticlockwise of its x as seen; else it is seen mirrored."""
        return bool(
            np.linalg.det(self.derivative(self.straight.mean(axis=1)[:, None], np.eye(2))[:, :, 0]) < 0
        )


def _from_world(world: Array, straight: Array) -> Array:
    """The homography from the plane to the picture, (3, 3)."""
    import cv2  # noqa: PLC0415  start-up time

    centre, size = world.mean(axis=0), float(np.ptp(world, axis=0).max())
    middle, extent = straight.mean(axis=0), float(np.ptp(straight, axis=0).max())
    near, far = (world - centre) / size, (straight - middle) / extent
    if len(world) == CORNERS:
        rows = np.zeros((8, 8))
        for i, ((x, y), (u, v)) in enumerate(zip(near, far, strict=True)):
            rows[2 * i] = [x, y, 1, 0, 0, 0, -u * x, -u * y]
            rows[2 * i + 1] = [0, 0, 0, x, y, 1, -v * x, -v * y]
        found = np.append(np.linalg.solve(rows, far.reshape(-1)), 1.0).reshape(3, 3)
    else:
        found, _used = cv2.findHomography(near, far, 0)
        if found is None:
            raise GeometryError(say("plane.no-plane"))
    inwards = np.array([[1 / size, 0, -centre[0] / size], [0, 1 / size, -centre[1] / size], [0, 0, 1]])
    outwards = np.array([[extent, 0, middle[0]], [0, extent, middle[1]], [0, 0, 1]])
    return np.asarray(outwards @ found @ inwards)


def _require_plane(seen: Array, world: Array, u_px: float) -> None:
    """See that points can show a plane.

    Raises
    ------
    GeometryError
        If a size is not positive, or points lie on each other, on a line, cross, or are seen edge-on.
    """
    if not (np.all(np.ptp(world, axis=0) > 0) and np.all(np.isfinite(world))):
        raise GeometryError(say("plane.no-size"))
    apart = np.hypot(*(seen[:, None] - seen[None]).transpose(2, 0, 1))
    if np.min(apart + np.where(np.eye(len(seen)), np.inf, 0)) < 1.0:
        raise GeometryError(say("plane.corners-together"))
    least = max(FLAT_PX, FLAT_U * u_px)
    away = seen - seen.mean(axis=0)
    if float(np.ptp(away @ np.linalg.svd(away, full_matrices=False)[2][1])) < least:
        raise GeometryError(say("plane.edge-on"))
    if len(seen) != CORNERS:
        return
    sides = np.roll(seen, -1, axis=0) - seen
    turns = sides[:, 0] * np.roll(sides, -1, axis=0)[:, 1] - sides[:, 1] * np.roll(sides, -1, axis=0)[:, 0]
    longest = np.maximum(np.hypot(*sides.T), np.hypot(*np.roll(sides, -1, axis=0).T))
    if np.any(np.abs(turns) / longest < least):
        raise GeometryError(say("plane.three-on-a-line"))
    if not (np.all(turns > 0) or np.all(turns < 0)):
        raise GeometryError(say("plane.sides-cross" if turns.prod() > 0 else "plane.corner-inside"))
