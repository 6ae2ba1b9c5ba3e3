"""The only way from the picture of a take to its world, and back.

World position = scale × rotation(axes) × (straightened picture position − origin); picture y points down,
world y up. Where the camera moves, every frame is first brought to the steady picture. A plane or a track
seen at an angle takes the place of the scale. Without either the world is in pixels: whether it is, is
decided here and nowhere else.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.camera_motion import carried
from saltus.core.geometry.common_part import Step, common_part
from saltus.core.geometry.components import applied, by_component, chained
from saltus.core.geometry.seen import Seen, laid
from saltus.core.quantities import members
from saltus.core.quantity import Quantity, require_valid
from saltus.core.shares import Elements, Single
from saltus.core.units import METRE, PIXEL, Unit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.camera_motion import CameraMotion
    from saltus.core.geometry.lens import Lens
    from saltus.core.geometry.plane import Plane
    from saltus.core.geometry.tilt import Tilt
    from saltus.core.geometry.track import Track
    from saltus.core.shares import Share
    from saltus.core.sources import Source

    Array = NDArray[np.float64]
    Frames = NDArray[np.int64]

UP = np.array([[1.0], [-1.0]])
"""Picture y points down, world y up."""


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
    camera_motion : CameraMotion or None
        Brings every frame to the steady picture, in which everything else is laid.
    frame : int or None
        In which frame places of the picture are seen that no reading names; None: in the steady picture.
    """

    take: str
    axes: Axes = field(default_factory=Axes)
    scale: Quantity | None = None
    camera: str = ""
    lens: Lens | None = None
    ground: Plane | Track | None = None
    nearer: Quantity | None = None
    supposed: Tilt | None = None
    camera_motion: CameraMotion | None = None
    frame: int | None = None

    def in_frame(self, frame: int | None) -> Mapping:
        """The same way, for places as they are seen in one frame.

        Parameters
        ----------
        frame : int or None
        """
        return self if self.camera_motion is None else replace(self, frame=frame)

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
        if self.axes.origin is not None and self.frame is None:
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
        if self.camera_motion is not None and self.frame is not None:
            places = self.camera_motion.steady_places(places, self.frame)
        return np.asarray(places if self.supposed is None else self.supposed.straight(places))

    def reaches(self, seen: Array, frames: Frames | None = None) -> NDArray[np.bool_]:
        """Whether places as seen, (2, N) px, have a place in the world, (N,).

        Behind the horizon of a plane, where a lens folds the picture, or in frames in which it is not known
        where the camera looked, there is none.

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        frames : (N,) ndarray of int, optional
            In which each was seen; that of the mapping by default.
        """
        there = np.ones(seen.shape[1], dtype=bool)
        places = seen
        if self.lens is not None:
            there = self.lens.reaches(seen)
            # what is not reached stands in the middle until it is left out
            places = self.lens.straight(np.where(there, seen, np.array(self.lens.centre)[:, None]))
        frames = self._frames(frames, seen.shape[1])
        if self.camera_motion is not None and frames is not None:
            there = there & self.camera_motion.known(frames)
            places = self.camera_motion.steadied(places, frames).places
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
    def to_axes(self) -> Array:
        """What turns and scales places on the ground into the world, (2, 2)."""
        return self.turned * (self._times * self._scale)

    @property
    def _angle(self) -> float:
        """The angle of the axes on the ground, which may be seen mirrored, rad."""
        mirrored = self.ground is not None and not self.ground.upright
        return -self.axes.angle if mirrored else self.axes.angle

    def _frames(self, frames: Frames | None, count: int) -> Frames | None:
        """Frames of places that may name none: that of the mapping, or the steady picture."""
        if frames is None and self.frame is not None:
            return np.full(count, self.frame)
        return frames

    def _followed(self, seen: Array, frames: Frames | None = None) -> Step:
        """Follow places from the picture into the axes, with all derivatives on the way."""
        straight, by, by_k1, camera = seen, None, None, None
        if self.lens is not None:
            straight, by, by_k1 = self.lens.straightened(seen)
        if self.camera_motion is not None and frames is not None:
            camera = self.camera_motion.steadied(straight, frames)
            straight = camera.places
            by = camera.by if by is None else chained(camera.by, by)
            # the same bend of the lens in what shows how the camera moved is of second order
            by_k1 = None if by_k1 is None else applied(camera.by, by_k1)
        turn = None
        if self.supposed is not None:
            straight, turn = self.supposed.straightened(straight)
        if self.ground is not None:
            places, on_ground = self.ground.places(straight), self.ground.derivative(straight, self.to_axes)
        else:
            places, on_ground = straight * UP, (self.to_axes * UP[:, 0])[:, :, None]
        outer = on_ground if turn is None else chained(on_ground, turn)
        by = outer if by is None else chained(outer, by)
        if by_k1 is not None:
            by_k1 = applied(outer, by_k1)
            if self.ground is not None:
                by_k1 += self.to_axes @ self.ground.by_lens(straight)
        camera = None if camera is None else carried(camera, outer)
        return Step(straight, self.to_axes @ places, by, by_k1, camera)

    @cached_property
    def origin_step(self) -> Step:
        """The origin, which lies in the steady picture, followed into the axes."""
        if self.axes.origin is None:
            nothing = np.zeros((2, 1))
            return Step(nothing, nothing, np.zeros((2, 2, 1)), nothing)
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
        frames = None if seen.steady else seen.frames
        step = self._followed(np.stack([seen.x, seen.y]), frames)
        position = step.places - self.origin_step.places
        shared = common_part(self, seen, step, self.origin_step, position)
        by_camera: list[tuple[Source, tuple[Share, Share]]] = []
        if self.camera_motion is not None and step.camera is not None:
            by_camera = self.camera_motion.shared(step.camera, seen.frames)
        keys = seen.frames if seen.keys is None else seen.keys
        out, rows = [], np.arange(len(seen.x))
        for axis in (0, 1):
            shares: dict[Source, Share] = {}
            for n, u in enumerate((seen.u_x, seen.u_y)):
                source = sources.with_dof(sources.reading(self.take, seen.body, sources.AXES[n]), seen.dof)
                c = step.by[axis, n] * u
                # rows and keys are the same for all four: they are kept once
                if c.all():
                    shares[source] = Elements(rows, keys, c)
                else:
                    shares |= members(position[axis], c, PIXEL, source, keys).shares
            shares |= {source: Single(c[axis]) for source, c in shared.items() if c[axis].any()}
            for source, of_camera in by_camera:
                more, had = of_camera[axis], shares.get(source)
                shares[source] = more if had is None else had.plus(more)
            out.append(Quantity(position[axis], self.unit, shares))
        return out[0], out[1]

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

    def derivatives(self, seen: Array, frames: Frames | None = None) -> Array:
        """Give what world x and y change for each px to the right and down, (2, N) px to (2, 2, N).

        Parameters
        ----------
        seen : (2, N) ndarray
            px.
        frames : (N,) ndarray of int, optional
            In which each was seen; that of the mapping by default.
        """
        by = self._followed(seen, self._frames(frames, seen.shape[1])).by
        return np.broadcast_to(by, (2, 2, seen.shape[1]))

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
        laid = self.turned.T @ ((position + self.origin_step.places) / (self._times * self._scale))
        straight = self.ground.picture(laid) if self.ground is not None else laid * UP
        if self.supposed is not None:
            straight = self.supposed.tilted(straight)
        if self.camera_motion is not None and self.frame is not None:
            straight = self.camera_motion.seen_places(straight, self.frame)
        seen = self.lens.bent(straight) if self.lens is not None else straight
        return seen[0], seen[1]
