"""The only way from the picture of a take to its world, and back.

World position = scale × rotation(axes) × (straightened picture position − origin); picture y points down,
world y up. A plane or a track seen at an angle takes the place of the scale. Without either the world is in
pixels: whether it is, is decided here and nowhere else.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from saltus.core import sources
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.components import applied, by_component, chained
from saltus.core.geometry.seen import Seen, laid
from saltus.core.quantities import exact, members
from saltus.core.quantity import Quantity, require_valid
from saltus.core.shares import Elements, Single
from saltus.core.units import METRE, ONE, PIXEL, Unit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.lens import Lens
    from saltus.core.geometry.plane import Plane
    from saltus.core.geometry.tilt import Tilt
    from saltus.core.geometry.track import Track
    from saltus.core.shares import Share
    from saltus.core.sources import Source

    Array = NDArray[np.float64]

UP = np.array([[1.0], [-1.0]])
"""Picture y points down, world y up."""
PICTURE: tuple[sources.Axis, ...] = ("x", "y")


class _Step(NamedTuple):
    """Places on their way: straightened, (2, N) px, and in the axes; how these move, and with k1."""

    straight: Array
    places: Array
    by: Array
    by_k1: Array | None


@dataclass(frozen=True)
class Mapping:
    """From the picture of a take to its world.

    Attributes
    ----------
    take : str
        Names the sources of its readings.
    axes : Axes
    scale : Quantity or None
        m/px, of a picture seen square-on, in the plane of the motion; None where there is none.
    camera : str
        Take with which the set-up is shared, where the camera was not moved; empty: with none.
    lens : Lens or None
        Straightens the picture before anything else.
    ground : Plane or Track or None
        Seen at an angle; then there is no scale.
    nearer : Quantity or None
        (D − d)/D of a motion nearer by d than the ground, seen from D; dimensionless.
    supposed : Tilt or None
        A tilt of the camera that is only supposed, to see what it would do.
    """

    take: str
    axes: Axes = field(default_factory=Axes)
    scale: Quantity | None = None
    camera: str = ""
    lens: Lens | None = None
    ground: Plane | Track | None = None
    nearer: Quantity | None = None
    supposed: Tilt | None = None

    @property
    def set_up(self) -> str:
        """Names the sources that the set-up has."""
        return self.camera or self.take

    @property
    def scaled(self) -> bool:
        """Whether the world is in metres; in pixels otherwise."""
        return self.scale is not None or self.ground is not None

    @property
    def unit(self) -> Unit:
        """Unit of world positions."""
        return METRE if self.scaled else PIXEL

    @cached_property
    def per_px(self) -> float:
        """World lengths per px, m/px or 1; of a ground seen at an angle in the middle of its points."""
        if self.ground is None:
            return float(self.scale) if self.scale is not None else 1.0
        by = self.ground.derivative(self.ground.straight.mean(axis=1)[:, None], np.eye(2))[:, :, 0]
        return self._times * math.sqrt(abs(float(np.linalg.det(by))))

    @property
    def u_relative(self) -> float:
        """Relative standard uncertainty of the scale as one number, dimensionless; 0 without one.

        What comes from the lens or a plane that is off is not of one number, and stands beside.
        """
        if self.scale is None:
            return 0.0
        own = {s: share for s, share in self.scale.shares.items() if s.cause not in sources.BESIDE_SCALE}
        return float(self.scale.u_of(own)) / float(self.scale)

    @cached_property
    def origin(self) -> tuple[float, float]:
        """Where the origin is seen, px."""
        if self.axes.origin is not None:
            return self.axes.origin
        x, y = self.picture(np.zeros(1), np.zeros(1))
        return float(x[0]), float(y[0])

    def headings(self, x: float, y: float) -> Array:
        """Directions in which x and y grow at a place of the picture: (2, 2), a row of unit length each.

        Parameters
        ----------
        x, y : float
            Picture coordinates, px.
        """
        ways = np.linalg.inv(self.derivative(0, x, y)).T
        return np.asarray(ways / np.hypot(ways[:, :1], ways[:, 1:]))

    @property
    def tilt(self) -> float:
        """Angle of x above the level, rad, so that height is x·sin + y·cos also where y points down."""
        along = self.headings(*self.origin)[0]
        angle = self.axes.angle if self.ground is None else math.atan2(-along[1], along[0])
        return math.pi - angle if self.axes.y_down else angle

    def in_plane_nearer(self, factor: Quantity) -> Mapping:
        """The way into a plane nearer than that of the scale, by (D − d)/D, dimensionless.

        Parameters
        ----------
        factor : Quantity
            Dimensionless.
        """
        if self.scale is None:
            return replace(self, nearer=factor)
        return replace(self, scale=self.scale * factor)

    @property
    def _times(self) -> float:
        """By what positions on the ground are multiplied: 1 in its plane."""
        return 1.0 if self.nearer is None else float(self.nearer)

    # -- step by step --------------------------------------------------------------------------------

    def straightened(self, seen: Array) -> Array:
        """Places without the bend of the lens, (2, N) px to (2, N) px.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        places = seen if self.lens is None else self.lens.straight(seen)
        return np.asarray(places if self.supposed is None else self.supposed.straight(places))

    def reaches(self, seen: Array) -> NDArray[np.bool_]:
        """Whether places as seen, (2, N) px, have a place in the world, (N,).

        Behind the horizon of a plane, or where a lens folds the picture, there is none.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        there = np.ones(seen.shape[1], dtype=bool)
        places = seen
        if self.lens is not None:
            there = self.lens.reaches(seen)
            # what is not reached stands in the middle until it is left out
            places = self.lens.straight(np.where(there, seen, np.array(self.lens.centre)[:, None]))
        if self.supposed is not None:
            there = there & self.supposed.reaches(places)
            places = self.supposed.straight(places)
        return there if self.ground is None else there & self.ground.reaches(places)

    @cached_property
    def turned(self) -> Array:
        """What turns places on the ground into the axes, (2, 2)."""
        c, s = math.cos(self._angle), math.sin(self._angle)
        rows = np.array([[c, s], [-s, c]])
        return np.asarray(rows * np.array([[1.0], [-1.0 if self.axes.y_down else 1.0]]))

    @cached_property
    def _whole(self) -> Array:
        """What turns and scales places on the ground into the world, (2, 2)."""
        return self.turned * (self._times * self._scale)

    @property
    def _angle(self) -> float:
        """The angle of the axes on the ground, which may be seen mirrored, rad."""
        mirrored = self.ground is not None and not self.ground.upright
        return -self.axes.angle if mirrored else self.axes.angle

    def _followed(self, seen: Array) -> _Step:
        """Follow places from the picture into the axes, with all derivatives on the way."""
        straight, by, by_k1 = seen, None, None
        if self.lens is not None:
            straight, by, by_k1 = self.lens.straightened(seen)
        if self.supposed is not None:
            straight, turn = self.supposed.straightened(straight)
            by = turn if by is None else chained(turn, by)
            by_k1 = None if by_k1 is None else applied(turn, by_k1)
        if self.ground is not None:
            places, on_ground = self.ground.places(straight), self.ground.derivative(straight, self._whole)
        else:
            places, on_ground = straight * UP, (self._whole * UP[:, 0])[:, :, None]
        by = on_ground if by is None else chained(on_ground, by)
        if by_k1 is not None:
            by_k1 = applied(on_ground, by_k1)
            if self.ground is not None:
                by_k1 += self._whole @ self.ground.by_lens(straight)
        return _Step(straight, self._whole @ places, by, by_k1)

    @cached_property
    def _origin(self) -> _Step:
        """The origin, followed into the axes."""
        if self.axes.origin is None:
            nothing = np.zeros((2, 1))
            return _Step(nothing, nothing, np.zeros((2, 2, 1)), nothing)
        return self._followed(by_component([self.axes.origin]))

    # -- the way to the world ------------------------------------------------------------------------

    def world(self, seen: Seen) -> tuple[Quantity, Quantity]:
        """Turn places in the picture into world positions, each with all that is uncertain of it.

        Parameters
        ----------
        seen : Seen
            Where :meth:`reaches` holds.

        Returns
        -------
        x, y : Quantity
            (N,) each, m (px without a scale).
        """
        for u in (seen.u_x, seen.u_y):
            require_valid(u)
        step = self._followed(np.stack([seen.x, seen.y]))
        position = step.places - self._origin.places
        shared = self._shared(seen, step, position)
        for source, c in self._of_scale.items():
            moved = position * c
            shared[source] = shared[source] + moved if source in shared else moved
        out, rows = [], np.arange(len(seen.x))
        for axis in (0, 1):
            shares: dict[Source, Share] = {}
            for n, u in enumerate((seen.u_x, seen.u_y)):
                source = sources.reading(self.take, seen.body, PICTURE[n])
                c = step.by[axis, n] * u
                # rows and keys are the same for all four: they are kept once
                if c.all():
                    shares[source] = Elements(rows, seen.frames, c)
                else:
                    shares |= members(position[axis], c, PIXEL, source, seen.frames).shares
            shares |= {source: Single(c[axis]) for source, c in shared.items() if c[axis].any()}
            out.append(Quantity(position[axis], self.unit, shares))
        return out[0], out[1]

    @cached_property
    def _of_scale(self) -> dict[Source, float]:
        """What is uncertain of scale and plane of the motion, by source: signed relative u, dimensionless."""
        whole = exact(1.0)
        for factor in (self.scale, self.nearer):
            whole = whole if factor is None else whole * (factor / float(factor)).with_unit(ONE)
        # a scale is one number: none of its sources is a family of readings
        return {source: c for (source, _key), c in whole.signed_elements().items()}

    def _shared(self, seen: Seen, step: _Step, position: Array) -> dict[Source, Array]:
        """What several positions have in common but for the scale: sensitivity × u, (2, N) each."""
        found: dict[Source, Array] = {}
        for patch in seen.patches:
            for n, u in enumerate((patch.u_x, patch.u_y)):
                found[sources.patch(self.take, seen.body, patch.run, PICTURE[n])] = step.by[:, n] * u
        axes = self.axes
        if axes.origin is not None and axes.u_origin_px:
            for n, name in enumerate(PICTURE):
                moved = -self._origin.by[:, n] * axes.u_origin_px
                found[sources.origin(self.set_up, name)] = np.broadcast_to(moved, position.shape)
        if axes.u_angle:
            way = axes.u_angle * (-1.0 if axes.y_down else 1.0)
            found[sources.direction(self.set_up)] = np.stack([way * position[1], -way * position[0]])
        if self.ground is not None:
            self._add_ground(found, step.straight)
        if self.lens is not None and self.lens.u_k1:
            assert step.by_k1 is not None
            assert self._origin.by_k1 is not None
            bend = sources.with_dof(sources.lens(self.lens.camera or self.set_up), self.lens.dof)
            found[bend] = (step.by_k1 - self._origin.by_k1) * self.lens.u_k1
        return found

    def _add_ground(self, found: dict[Source, Array], straight: Array) -> None:
        assert self.ground is not None
        at_origin: dict[Source, Array] = {}
        if self.axes.origin is not None:
            at_origin = dict(self.ground.shared(self._origin.straight, self._whole))
        for source, moved in self.ground.shared(straight, self._whole):
            found[source] = np.subtract(moved, at_origin[source], out=moved) if at_origin else moved

    def place(self, x: float, y: float, frame: int = 0) -> tuple[Quantity, Quantity]:
        """Turn one place laid in the picture into a world position as unsure as axes and scale are.

        Parameters
        ----------
        x, y : float
            px; x right, y down.
        frame : int

        Returns
        -------
        along, across : Quantity
            Single values, m; px without a scale.
        """
        along, across = self.world(laid(x, y, frame))
        return along[0], across[0]

    def derivative(self, frame: int, x: float, y: float) -> Array:
        """Give what world x and y change for each px to the right and down, (2, 2), m/px (1 without a scale).

        Parameters
        ----------
        frame : int
        x, y : float
            Picture coordinates, px.
        """
        return self.derivatives(by_component([(x, y)]))[:, :, 0]

    def derivatives(self, seen: Array) -> Array:
        """Give what world x and y change for each px to the right and down, (2, N) px to (2, 2, N).

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        """
        return np.broadcast_to(self._followed(seen).by, (2, 2, seen.shape[1]))

    @property
    def _scale(self) -> float:
        return float(self.scale) if self.scale is not None else 1.0

    def picture(self, x: Array, y: Array) -> tuple[Array, Array]:
        """Turn world positions back into picture coordinates.

        Parameters
        ----------
        x, y : (N,) ndarray
            m; px without a scale.

        Returns
        -------
        x, y : (N,) ndarray
            px; x right, y down.
        """
        position = np.stack([np.asarray(x, dtype=float), np.asarray(y, dtype=float)])
        laid = self.turned.T @ ((position + self._origin.places) / (self._times * self._scale))
        straight = self.ground.picture(laid) if self.ground is not None else laid * UP
        if self.supposed is not None:
            straight = self.supposed.tilted(straight)
        seen = self.lens.bent(straight) if self.lens is not None else straight
        return seen[0], seen[1]
