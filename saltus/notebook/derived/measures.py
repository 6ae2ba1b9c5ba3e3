"""What lengths, heights, angles and circles that were laid over the picture come to."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.angle import angle_above, angle_between
from saltus.core.geometry.circle import circle_through
from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.seen import Seen
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.memory import remembered
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.measuring import Measure
    from saltus.notebook.model import Take


def name_of(measure: Measure) -> str:
    """What it is called, or what it is."""
    kinds = {
        "length": say("measure.length"),
        "height": say("measure.height"),
        "slope": say("measure.slope"),
        "angle": say("measure.angle"),
        "circle": say("measure.circle"),
    }
    return measure.name or kinds[measure.kind]


def places_of(take: Take, measure: Measure) -> tuple[Quantity, Quantity] | None:
    """Where its places lie in the world, (N,) m each; None where one has no place there."""
    mapping = mapping_of(take)
    seen = by_component(measure.places)
    count = seen.shape[1]
    frames, u = np.full(count, measure.frame), np.full(count, measure.u_px)
    if not mapping.reaches(seen, frames).all():
        return None
    dof = measure.u_dof or math.inf
    return mapping.world(Seen(seen[0], seen[1], u, u, frames, measure.id, keys=np.arange(count), dof=dof))


@remembered
def measured_values(take: Take, measure: Measure) -> dict[str, Quantity] | str:
    """What a measure comes to by name, the leading value first; a sentence where it comes to nothing."""
    places = places_of(take, measure)
    if places is None:
        return say("measure.outside", name=name_of(measure))
    try:
        return _values(take, measure, *places)
    except GeometryError as error:
        return str(error)


def _values(take: Take, measure: Measure, x: Quantity, y: Quantity) -> dict[str, Quantity]:
    """What places in the world come to.

    Raises
    ------
    GeometryError
        If they come to nothing.
    """
    if measure.kind == "circle":
        circle = circle_through(x, y, take.id, measure.id)
        return {"radius": circle.radius, "diameter": circle.radius * 2.0, "x": circle.x, "y": circle.y}
    if measure.kind in ("slope", "angle"):
        return {"angle": (angle_above if measure.kind == "slope" else angle_between)(x, y)}
    along, up = x[1] - x[0], y[1] - y[0]
    square = along * along + up * up
    if not float(square) > 0:
        raise GeometryError(say("measure.one-place", name=name_of(measure)))
    if measure.kind == "height":
        return {"height": up if float(up) >= 0 else -up}
    return {"length": square**0.5}
