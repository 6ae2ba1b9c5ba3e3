"""Lengths measured over the picture: known ones must come out right."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import Comparison, compare
from saltus.core.geometry.components import by_component
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.mapping import Mapping, Seen
from saltus.core.geometry.reference import known_length, nearer_factor
from saltus.core.quantity import Quantity
from saltus.core.sentences import say
from saltus.notebook.derived.geometry import geometry_of, known_reference
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.geometry.reference import ReferenceLength
    from saltus.notebook.geometry import Reference
    from saltus.notebook.model import Take


@dataclass(frozen=True)
class CheckedLength:
    """A known length as it comes out by the scale.

    Attributes
    ----------
    laid : Reference
    known, measured : Quantity
        m.
    held : Comparison
        Measured against known; what both share cancels.
    """

    laid: Reference
    known: Quantity
    measured: Quantity
    held: Comparison


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
    x, y = mapping.world(Seen(ends[0], ends[1], u, u, np.arange(2), body))
    along, up = x[1] - x[0], y[1] - y[0]
    square = along * along + up * up
    if not float(square) > 0:
        raise GeometryError(say("reference.ends-together"))
    return Quantity(square.value, square.unit, square.shares) ** 0.5


@remembered
def checked_lengths(take: Take) -> tuple[CheckedLength, ...]:
    """Lengths the scale of a take is checked by; with a plane or a track also its reference lengths.

    What cannot be measured, because an end has no place or nothing was typed, is left out.
    """
    found = geometry_of(take)
    if not found.base.scaled:
        return ()
    laid = [o for o in take.geometry.others if o.check]
    if found.base.ground is not None:
        laid = [*([take.reference] if take.reference is not None else []), *take.geometry.others]
    out = []
    for one in laid:
        reference = known_reference(one)
        if reference is None:
            continue
        try:
            known = known_length(reference, take.camera or take.id)
            measured = length_by(found.base, reference)
            if reference.nearer_m and found.by_distance is not None:
                factor = nearer_factor(reference.nearer(take.camera or take.id), found.by_distance)
                measured = measured * factor
        except GeometryError:
            continue
        out.append(CheckedLength(one, known, measured, compare(measured, known)))
    return tuple(out)
