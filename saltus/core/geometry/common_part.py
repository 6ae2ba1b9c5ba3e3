"""What several world positions have in common: patches, axes, ground, lens and scale."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

import numpy as np

from saltus.core import sources
from saltus.core.quantities import exact
from saltus.core.units import ONE

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.axes import Axes
    from saltus.core.geometry.camera_motion import Steadied
    from saltus.core.geometry.lens import Lens
    from saltus.core.geometry.plane import Plane
    from saltus.core.geometry.seen import Seen
    from saltus.core.geometry.track import Track
    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Step:
    """Places on their way: straightened, (2, N) px, and in the axes; how these move, and with k1.

    ``camera``: where the camera moved, places of the steady picture, changes followed into the axes.
    """

    straight: Array
    places: Array
    by: Array
    by_k1: Array | None
    camera: Steadied | None = None


class Way(Protocol):
    """The way into the world, as far as it counts here: see :class:`saltus.core.geometry.mapping.Mapping`."""

    @property
    def take(self) -> str:
        """Names the sources of its readings."""

    @property
    def set_up(self) -> str:
        """Names the sources that the set-up has."""

    @property
    def axes(self) -> Axes:
        """Origin and direction."""

    @property
    def scale(self) -> Quantity | None:
        """m/px."""

    @property
    def nearer(self) -> Quantity | None:
        """(D − d)/D, dimensionless."""

    @property
    def lens(self) -> Lens | None:
        """Straightens the picture."""

    @property
    def ground(self) -> Plane | Track | None:
        """Seen at an angle."""

    @property
    def to_axes(self) -> Array:
        """What turns and scales places on the ground into the world, (2, 2)."""


def common_part(mapping: Way, seen: Seen, step: Step, origin: Step, position: Array) -> dict[Source, Array]:
    """Give what positions have in common: sensitivity × u by source, (2, N) m each.

    Parameters
    ----------
    mapping : Way
    seen : Seen
    step, origin : Step
        The places, and the origin, followed into the axes.
    position : (2, N) ndarray
        World positions, m.
    """
    found = _laid(mapping, seen, step, origin, position)
    for source, c in _of_scale(mapping).items():
        moved = position * c
        found[source] = found[source] + moved if source in found else moved
    return found


def _of_scale(mapping: Way) -> dict[Source, float]:
    """What is uncertain of scale and plane of the motion, by source: signed relative u, dimensionless."""
    whole = exact(1.0)
    for factor in (mapping.scale, mapping.nearer):
        whole = whole if factor is None else whole * (factor / float(factor)).with_unit(ONE)
    # a scale is one number: none of its sources is a family of readings
    return {source: c for (source, _key), c in whole.signed_elements().items()}


def _laid(mapping: Way, seen: Seen, step: Step, origin: Step, position: Array) -> dict[Source, Array]:
    found: dict[Source, Array] = {}
    for patch in seen.patches:
        for n, u in enumerate((patch.u_x, patch.u_y)):
            found[sources.patch(mapping.take, seen.body, patch.run, sources.AXES[n])] = step.by[:, n] * u
    axes = mapping.axes
    if axes.origin is not None and axes.u_origin_px:
        for n, name in enumerate(sources.AXES):
            moved = -origin.by[:, n] * axes.u_origin_px
            found[sources.origin(mapping.set_up, name)] = np.broadcast_to(moved, position.shape)
    if axes.u_angle:
        way = axes.u_angle * (-1.0 if axes.y_down else 1.0)
        found[sources.direction(mapping.set_up)] = np.stack([way * position[1], -way * position[0]])
    if mapping.ground is not None:
        _add_ground(mapping, found, step.straight, origin.straight)
    if mapping.lens is not None and mapping.lens.u_k1:
        assert step.by_k1 is not None
        assert origin.by_k1 is not None
        bend = sources.with_dof(sources.lens(mapping.lens.camera or mapping.set_up), mapping.lens.dof)
        found[bend] = (step.by_k1 - origin.by_k1) * mapping.lens.u_k1
    return found


def _add_ground(mapping: Way, found: dict[Source, Array], straight: Array, origin: Array) -> None:
    assert mapping.ground is not None
    at_origin: dict[Source, Array] = {}
    if mapping.axes.origin is not None:
        at_origin = dict(mapping.ground.shared(origin, mapping.to_axes))
    for source, moved in mapping.ground.shared(straight, mapping.to_axes):
        found[source] = np.subtract(moved, at_origin[source], out=moved) if at_origin else moved
