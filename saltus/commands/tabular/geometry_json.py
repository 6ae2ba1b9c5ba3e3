"""The geometry of a take as JSON."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.core.geometry.reference import known_length, scale_of
from saltus.core.statement import as_json
from saltus.core.wording import _
from saltus.notebook.derived.camera import moved_px
from saltus.notebook.derived.geometry import geometry_of, known_reference, scale_problem
from saltus.notebook.derived.geometry_words import disagreement
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.derived.trust import trust_of

if TYPE_CHECKING:
    from saltus.notebook.derived.lengths import CheckedLength
    from saltus.notebook.derived.trust import Effect
    from saltus.notebook.model import Take

FIRST = "reference"


def geometry_json(take: Take) -> dict[str, Any]:
    """The scale, how known lengths agree with it, what is checked of it and what is not, in SI."""
    found, trust = geometry_of(take), trust_of(take)
    warnings = list(found.problems.values())
    missing = scale_problem(take)
    if missing is not None and missing not in warnings:
        warnings.append(_("No scale yet: {what}.").format(what=missing))
    warnings += disagreement(take)
    moved = moved_px(take, found.camera)
    residual = getattr(found.mapping.ground, "residual_px", None)
    if residual is None and found.bend is not None:
        residual = found.bend.left_px
    return {
        "scale": as_json(found.mapping.scale),
        "references": [*_references(take), *(_checked(take, c) for c in checked_lengths(take))],
        "residual_px": residual,
        "camera_moved_px": None if moved is None else float(moved.max()),
        "checked": [_effect(e) for e in (trust.checked if trust is not None else ())],
        "unchecked": [_effect(e) for e in (trust.unchecked if trust is not None else ())],
        "warnings": warnings,
    }


def _references(take: Take) -> list[dict[str, Any]]:
    together = geometry_of(take).together
    if together is None:
        return []
    return [
        {
            "name": _name_of(take, against.reference.name),
            "length": as_json(known_length(against.reference, take.camera or take.id)),
            "scale": as_json(against.scale),
            "differs_percent": against.percent,
            "agree": against.agree,
        }
        for against in together.each
    ]


def _name_of(take: Take, reference_id: str) -> str:
    laid = take.geometry.other(reference_id) if reference_id else take.reference
    return (laid.name if laid is not None else "") or reference_id or FIRST


def _checked(take: Take, check: CheckedLength) -> dict[str, Any]:
    reference = known_reference(check.laid, geometry_of(take).camera)
    lens = geometry_of(take).mapping.lens
    return {
        "name": check.laid.name or check.laid.id or FIRST,
        "length": as_json(check.known),
        "scale": as_json(scale_of(reference, take.id, lens)) if reference is not None else None,
        "differs_percent": check.held.percent,
        "agree": check.held.agree,
    }


def _effect(effect: Effect) -> dict[str, Any]:
    return {"what": effect.what, "effect_percent": effect.percent}
