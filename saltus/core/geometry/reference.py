"""Known lengths laid over the picture, and the scale they give together."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.quantities import exact, measured
from saltus.core.sentences import say
from saltus.core.units import METRE, ONE, PIXEL

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.core.geometry.lens import Lens
    from saltus.core.quantity import Quantity

Place = tuple[float, float]
FEWEST_PLACEMENTS = 3
"""From so many placements of the ends on, how well they are placed is taken from their scatter."""


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
    name : str
        Tells it from others of the take; empty for the first.
    instrument : str
        What it was measured with; lengths by one instrument share its uncertainty.
    placements : tuple of (start, end)
        The ends placed again without seeing the earlier ones, px.
    nearer_m, u_nearer_m : float
        By how much it is nearer to the camera than the plane of the scale, m.
    with_motion : bool
        Whether it lies in the plane of the motion.
    u_end_dof : float
        Degrees of freedom of ``u_end_px``, dimensionless.
    """

    start: Place
    end: Place
    length_m: float
    u_length_m: float
    u_end_px: float
    name: str = ""
    instrument: str = ""
    placements: tuple[tuple[Place, Place], ...] = ()
    nearer_m: float = 0.0
    u_nearer_m: float = 0.0
    with_motion: bool = False
    u_end_dof: float = math.inf

    @property
    def length_px(self) -> float:
        """Its length in the picture, px."""
        return math.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1])

    @property
    def placed(self) -> tuple[Place, Place]:
        """Its ends: the mean of all placements, or where they were laid."""
        if len(self.placements) < FEWEST_PLACEMENTS:
            return self.start, self.end
        start, end = np.mean(np.array(self.placements), axis=0)
        return (float(start[0]), float(start[1])), (float(end[0]), float(end[1]))

    def nearer(self, take: str) -> Quantity:
        """By how much it is nearer to the camera than the plane of the scale, m."""
        return measured(
            self.nearer_m, self.u_nearer_m, METRE, sources.plane_offset(take, self.name or "first")
        )


def pointing(placements: Sequence[tuple[Place, Place]], lens: Lens | None = None) -> tuple[float, float]:
    """Give how well a person places an end, from placing both ends of a length again and again.

    Parameters
    ----------
    placements : sequence of (start, end)
        px, at least three.
    lens : Lens, optional

    Returns
    -------
    u_end_px : float
        Standard uncertainty of one placement of one end along the length, px: s(length)/√2.
    dof : float
        Placements − 1.
    """
    ends = np.array(placements, dtype=float)
    if lens is not None:
        ends = lens.straight(by_component(ends)).T.reshape(ends.shape)
    lengths = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    return float(np.std(lengths, ddof=1)) / math.sqrt(2), float(len(lengths) - 1)


def known_length(reference: ReferenceLength, take: str) -> Quantity:
    """The known length, m; lengths by one instrument share its uncertainty.

    Raises
    ------
    GeometryError
        If it is not positive.
    """
    if not (reference.length_m > 0 and math.isfinite(reference.length_m)):
        raise GeometryError(say("reference.no-length"))
    of = f"by {reference.instrument}" if reference.instrument else reference.name
    return measured(reference.length_m, reference.u_length_m, METRE, sources.scale_length(take, of))


def seen_length(reference: ReferenceLength, take: str, lens: Lens | None = None) -> Quantity:
    """Its length in the straightened picture, px, with the placing of its ends and the bend of the lens.

    Raises
    ------
    GeometryError
        If the ends coincide.

    Notes
    -----
    √2·u(px) for its two ends; s/√n of the lengths, with n − 1 degrees of freedom, where n placements tell it.
    """
    ends = by_component(reference.placed)
    by_k1 = np.zeros((2, 2))
    if lens is not None:
        if not lens.reaches(ends).all():
            raise GeometryError(say("plane.corner-beyond-lens"))
        ends, _by, by_k1 = lens.straightened(ends)
    away = ends[:, 1] - ends[:, 0]
    pixels = float(np.hypot(*away))
    if pixels < 1.0:
        raise GeometryError(say("reference.ends-together"))
    u, dof = math.sqrt(2) * reference.u_end_px, reference.u_end_dof
    if len(reference.placements) >= FEWEST_PLACEMENTS:
        single, dof = pointing(reference.placements, lens)
        # placements that happen to be alike do not make the ends surer than a hundredth of a px
        u = max(math.sqrt(2) * single, 0.01) / math.sqrt(len(reference.placements))
    out = measured(pixels, u, PIXEL, sources.scale_ends(take, reference.name, dof))
    if lens is None or not lens.u_k1:
        return out
    moved = float(away @ (by_k1[:, 1] - by_k1[:, 0])) / pixels
    return out.with_source(sources.with_dof(sources.lens(lens.camera or take), lens.dof), moved * lens.u_k1)


def scale_of(reference: ReferenceLength, take: str, lens: Lens | None = None) -> Quantity:
    """Give the scale, m/px, with its sources: the length itself, the placing of its ends, the lens.

    Parameters
    ----------
    reference : ReferenceLength
    take : str
        Whose scale it is.
    lens : Lens, optional

    Raises
    ------
    GeometryError
        If the length is not positive or the ends coincide.

    Notes
    -----
    u(scale)/scale = u(L)/L for the length and √2·u(px)/length in px for its two ends.
    """
    return known_length(reference, take) / seen_length(reference, take, lens)


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


def nearer_factor(nearer: Quantity, by_distance: Quantity) -> Quantity:
    """(D − d)/D of a plane nearer by d than that of the scale, dimensionless.

    Parameters
    ----------
    nearer : Quantity
        d, m.
    by_distance : Quantity
        1/D, 1/m.

    Raises
    ------
    GeometryError
        If the plane would lie behind the camera.
    """
    factor = exact(1.0, ONE) - nearer * by_distance
    if float(factor) <= 0:
        raise GeometryError(say("reference.behind-the-camera"))
    return factor
