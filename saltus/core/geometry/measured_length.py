"""The length of something that lies over the picture, by the way into the world."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.seen import Seen
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.geometry.mapping import Mapping
    from saltus.core.geometry.reference import ReferenceLength
    from saltus.core.quantity import Quantity


def length_by(mapping: Mapping, reference: ReferenceLength) -> Quantity:
    """Measure the distance between the two ends of a length in the plane of a mapping.

    Parameters
    ----------
    mapping : Mapping
        With a scale.
    reference : ReferenceLength

    Returns
    -------
    Quantity
        m, with the placing of its ends as readings of its own.

    Raises
    ------
    GeometryError
        If an end has no place in the plane, or both are one.
    """
    ends = by_component(reference.placed)
    if not mapping.reaches(ends).all():
        raise GeometryError(say("reference.end-beyond"))
    u = np.full(2, reference.u_end_px)
    body = f"length {reference.name or 'first'}"
    x, y = mapping.world(Seen(ends[0], ends[1], u, u, np.arange(2), body, steady=True))
    along, up = x[1] - x[0], y[1] - y[0]
    square = along * along + up * up
    if not float(square) > 0:
        raise GeometryError(say("reference.ends-together"))
    return square**0.5
