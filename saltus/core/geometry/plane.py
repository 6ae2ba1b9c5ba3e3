"""One plane of motion, square to the camera: scale, origin and direction.

World position = scale × rotation(axes) × (picture position − origin); picture y points down, world y up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.quantity import Quantity, exact, family, measured
from saltus.core.units import METRE, PIXEL
from saltus.core.wording import _

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]


class GeometryError(ValueError):
    """A reference length or axes that cannot be used."""


@dataclass(frozen=True)
class ReferenceLength:
    """A known length laid over the picture.

    Attributes
    ----------
    start, end : (x, y)
        Its ends in picture coordinates, px.
    length_m, u_length_m : float
        The known length and its standard uncertainty, m.
    u_end_px : float
        Standard uncertainty of placing one end along the length, px.
    """

    start: tuple[float, float]
    end: tuple[float, float]
    length_m: float
    u_length_m: float
    u_end_px: float

    @property
    def length_px(self) -> float:
        """Its length in the picture, px."""
        return math.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1])


@dataclass(frozen=True)
class Axes:
    """Origin and direction of the coordinate system.

    Attributes
    ----------
    origin : (x, y)
        In picture coordinates, px.
    angle : float
        By how much the axes are turned anticlockwise as seen on the picture, rad.
    u_origin_px : float
        Standard uncertainty of the origin in each direction, px.
    u_angle : float
        Standard uncertainty of the angle, rad.
    """

    origin: tuple[float, float] = (0.0, 0.0)
    angle: float = 0.0
    u_origin_px: float = 0.0
    u_angle: float = 0.0


def scale_of(reference: ReferenceLength, take: str) -> Quantity:
    """Give the scale, m/px, with its two sources: the length itself and the placing of its ends.

    Parameters
    ----------
    reference : ReferenceLength
    take : str
        Whose scale it is.

    Raises
    ------
    GeometryError
        If the length is not positive or the ends coincide.

    Notes
    -----
    u(scale)/scale = u(L)/L for the length and √2·u(px)/length in px for its two ends.
    """
    if not (reference.length_m > 0 and math.isfinite(reference.length_m)):
        raise GeometryError(_("The reference length must be longer than zero."))
    pixels = reference.length_px
    if pixels < 1.0:
        raise GeometryError(_("The two ends of the reference length lie on each other: drag them apart."))
    length = measured(
        reference.length_m,
        reference.u_length_m,
        METRE,
        sources.scale_length(take),
    )
    ends = measured(
        pixels,
        math.sqrt(2) * reference.u_end_px,
        PIXEL,
        sources.scale_ends(take),
    )
    return length / ends


def plain_scale(metres_per_pixel: float, relative_u: float, take: str) -> Quantity:
    """Give a scale, m/px, that was stated as a number with a relative standard uncertainty."""
    return measured(
        metres_per_pixel,
        abs(metres_per_pixel) * relative_u,
        METRE / PIXEL,
        sources.scale_length(take, stated=True),
    )


@dataclass(frozen=True)
class Whose:
    """Whose readings: of which body of which take, in which frames (N,)."""

    take: str
    body: str
    frames: NDArray[np.int64]


def to_world(
    x_px: Array, y_px: Array, u_px: Array | tuple[Array, Array], scale: Quantity | None, axes: Axes,
    whose: Whose,
) -> tuple[Quantity, Quantity]:  # fmt: skip
    """Turn readings of one body into world positions.

    Parameters
    ----------
    x_px, y_px : (N,) ndarray
        Readings in picture coordinates, px.
    u_px : (N,) ndarray, or two of them
        Standard uncertainty of each reading, px: the same in both directions, or in x and in y.
    scale : Quantity or None
        m/px; None leaves positions in px.
    axes : Axes
    whose : Whose
        Names the sources: readings by body and frame, the rest by take.

    Returns
    -------
    x, y : Quantity
        (N,) each, in m (px without a scale).
    """
    u_x, u_y = u_px if isinstance(u_px, tuple) else (u_px, u_px)
    take, body, frames = whose.take, whose.body, whose.frames
    right = family(x_px, u_x, PIXEL, sources.reading(take, body, "x"), frames)
    down = family(y_px, u_y, PIXEL, sources.reading(take, body, "y"), frames)
    right = right - measured(axes.origin[0], axes.u_origin_px, PIXEL, sources.origin(take, "x"))
    up = measured(axes.origin[1], axes.u_origin_px, PIXEL, sources.origin(take, "y")) - down
    c, s = math.cos(axes.angle), math.sin(axes.angle)
    along = right * c + up * s
    across = up * c - right * s
    if axes.u_angle:
        tilt = sources.direction(take)
        along, across = (
            along.with_source(tilt, across.value * axes.u_angle),
            across.with_source(tilt, -along.value * axes.u_angle),
        )
    factor = scale if scale is not None else exact(1.0)
    return along * factor, across * factor


def to_picture(x: Array, y: Array, scale: float, axes: Axes) -> tuple[Array, Array]:
    """Turn world positions (m, or px for scale 1) back into picture coordinates, px.

    Parameters
    ----------
    x, y : (N,) ndarray
    scale : float
        m/px, not zero.
    axes : Axes
    """
    c, s = math.cos(axes.angle), math.sin(axes.angle)
    along, across = np.asarray(x) / scale, np.asarray(y) / scale
    return axes.origin[0] + along * c - across * s, axes.origin[1] - (along * s + across * c)
