"""Origin and direction of the coordinate system."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Axes:
    """Origin and direction of the coordinate system.

    Attributes
    ----------
    origin : (x, y) or None
        In picture coordinates, px; None: where a plane seen at an angle has its own.
    angle : float
        By how much the axes are turned anticlockwise as seen on the picture, rad.
    u_origin_px : float
        Standard uncertainty of the origin in each direction, px.
    u_angle : float
        Standard uncertainty of the angle, rad.
    y_down : bool
        Whether positive y points down, where it would else point up.
    """

    origin: tuple[float, float] | None = (0.0, 0.0)
    angle: float = 0.0
    u_origin_px: float = 0.0
    u_angle: float = 0.0
    y_down: bool = False
