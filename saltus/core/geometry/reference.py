"""A known length laid over the picture, and the scale it gives."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.quantities import measured
from saltus.core.sentences import say
from saltus.core.units import METRE, PIXEL

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity


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
        raise GeometryError(say("reference.no-length"))
    pixels = reference.length_px
    if pixels < 1.0:
        raise GeometryError(say("reference.ends-together"))
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
    """Give a scale that was stated as a number.

    Parameters
    ----------
    metres_per_pixel : float
        m/px
    relative_u : float
        Its standard uncertainty over itself, dimensionless.
    take : str
        Names the source.
    """
    return measured(
        metres_per_pixel,
        abs(metres_per_pixel) * relative_u,
        METRE / PIXEL,
        sources.scale_length(take, stated=True),
    )
