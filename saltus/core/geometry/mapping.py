"""The only way from the picture of a take to its world, and back.

World position = scale × rotation(axes) × (picture position − origin); picture y points down, world y up.
Without a scale the world is in pixels: whether it is, is decided here and nowhere else.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.plane import Axes
from saltus.core.quantities import exact, family, measured
from saltus.core.units import METRE, PIXEL, Unit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float64]

LAID = "laid"
"""Name of what was laid in the picture, which is no body: it has no uncertainty of its own."""


@dataclass(frozen=True)
class Patch:
    """What places found by one run of following have in common.

    Attributes
    ----------
    run : str
        Names its sources.
    u_x, u_y : (N,) ndarray
        Standard uncertainty of each place by it, px; 0 where the run did not find it.
    """

    run: str
    u_x: Array
    u_y: Array


@dataclass(frozen=True)
class Seen:
    """Places of one body in the picture.

    Attributes
    ----------
    x, y : (N,) ndarray
        Picture coordinates, px.
    u_x, u_y : (N,) ndarray
        Their independent standard uncertainties, px.
    frames : (N,) ndarray of int
        In which frame each was seen; no frame twice.
    body : str
        Names the sources of the readings.
    patches : tuple of Patch
        What some of them have in common.
    """

    x: Array
    y: Array
    u_x: Array
    u_y: Array
    frames: NDArray[np.int64]
    body: str = LAID
    patches: tuple[Patch, ...] = ()


def laid(x: float, y: float, frame: int = 0) -> Seen:
    """Take one place that was laid in the picture, exactly where it is.

    Parameters
    ----------
    x, y : float
        px; x right, y down.
    frame : int
    """
    nothing = np.zeros(1)
    return Seen(np.array([x]), np.array([y]), nothing, nothing, np.array([frame], dtype=np.int64))


@dataclass(frozen=True)
class Mapping:
    """From the picture of a take to its world.

    Attributes
    ----------
    take : str
        Names the sources of its readings.
    axes : Axes
    scale : Quantity or None
        m/px; None where there is none yet.
    camera : str
        Take with which axes and scale are shared, where the camera was not moved; empty: with none.
    """

    take: str
    axes: Axes = field(default_factory=Axes)
    scale: Quantity | None = None
    camera: str = ""

    @property
    def scaled(self) -> bool:
        """Whether the world is in metres; in pixels otherwise."""
        return self.scale is not None

    @property
    def unit(self) -> Unit:
        """Unit of world positions."""
        return METRE if self.scaled else PIXEL

    @property
    def per_px(self) -> float:
        """World lengths per px: m/px, or 1."""
        return float(self.scale) if self.scale is not None else 1.0

    @property
    def u_relative(self) -> float:
        """Relative standard uncertainty of the scale, dimensionless; 0 without one."""
        return float(self.scale.u) / float(self.scale) if self.scale is not None else 0.0

    def world(self, seen: Seen) -> tuple[Quantity, Quantity]:
        """Turn places in the picture into world positions, each with all that is uncertain of it.

        Parameters
        ----------
        seen : Seen

        Returns
        -------
        x, y : Quantity
            (N,) each, m (px without a scale).
        """
        right = family(seen.x, seen.u_x, PIXEL, sources.reading(self.take, seen.body, "x"), seen.frames)
        down = family(seen.y, seen.u_y, PIXEL, sources.reading(self.take, seen.body, "y"), seen.frames)
        for patch in seen.patches:
            right = right.with_source(sources.patch(self.take, seen.body, patch.run, "x"), patch.u_x)
            down = down.with_source(sources.patch(self.take, seen.body, patch.run, "y"), patch.u_y)
        axes, set_up = self.axes, self.camera or self.take
        right = right - measured(axes.origin[0], axes.u_origin_px, PIXEL, sources.origin(set_up, "x"))
        up = measured(axes.origin[1], axes.u_origin_px, PIXEL, sources.origin(set_up, "y")) - down
        c, s = math.cos(axes.angle), math.sin(axes.angle)
        along = right * c + up * s
        across = up * c - right * s
        if axes.u_angle:
            tilt = sources.direction(set_up)
            along, across = (
                along.with_source(tilt, across.value * axes.u_angle),
                across.with_source(tilt, -along.value * axes.u_angle),
            )
        factor = self.scale if self.scale is not None else exact(1.0)
        return along * factor, across * factor

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
            Picture coordinates, px. Square to the camera it is the same everywhere.
        """
        c, s = math.cos(self.axes.angle), math.sin(self.axes.angle)
        return self.per_px * np.array([[c, -s], [-s, -c]])

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
        c, s = math.cos(self.axes.angle), math.sin(self.axes.angle)
        along, across = np.asarray(x) / self.per_px, np.asarray(y) / self.per_px
        origin = self.axes.origin
        return origin[0] + along * c - across * s, origin[1] - (along * s + across * c)
