"""Lengths measured over the picture: known ones must come out right."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.compare import Comparison, compare
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.measured_length import length_by
from saltus.core.geometry.reference import known_length, nearer_factor
from saltus.notebook.derived.geometry import geometry_of, known_reference
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
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
        reference = known_reference(one, found.camera)
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
