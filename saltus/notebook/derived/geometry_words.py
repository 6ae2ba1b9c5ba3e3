"""What geometry says in sentences: references that differ, checks, what to check next."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.statement import to_figures
from saltus.notebook.derived.camera import moved_px
from saltus.notebook.derived.geometry import beyond_picture, geometry_of
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.derived.trust import trust_of
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.geometry.references import Against
    from saltus.notebook.derived.trust import Effect
    from saltus.notebook.model import Take


def new_problem(before: Take | None, after: Take | None) -> str | None:
    """What an edit would make unusable that was not before, in a sentence; None where nothing."""
    if after is None:
        return None
    if beyond_picture(after) and not (before is not None and beyond_picture(before)):
        return say("geometry.beyond-picture")
    known = geometry_of(before).problems if before is not None else {}
    found = geometry_of(after).problems
    return next((words for part, words in found.items() if part not in known and part != "offset"), None)


def reference_name(take: Take, reference_id: str | None) -> str:
    """What a length is called: its name, or what it is."""
    if not reference_id:
        return (take.reference.name if take.reference is not None else "") or say("geometry.first-reference")
    laid = take.geometry.other(reference_id)
    number = reference_id.rpartition("-")[2]
    if laid is not None and laid.name:
        return laid.name
    if laid is not None and laid.check:
        return say("geometry.check-number", number=number)
    return say("geometry.reference-number", number=number)


def disagreement(take: Take) -> list[str]:
    """Which reference lengths and checks differ, by how much, and what that suggests."""
    found = geometry_of(take)
    out = []
    if found.together is not None and found.together.agree is False:
        worst = max(found.together.each, key=lambda a: a.apart or 0.0)
        out.append(_differs(take, worst, [a for a in found.together.each if a is not worst]))
    for check in checked_lengths(take):
        if check.held.agree is False and check.held.percent is not None:
            name, percent = reference_name(take, check.laid.id), _two(abs(check.held.percent))
            if check.held.percent > 0:
                out.append(say("geometry.check-longer", name=name, percent=percent))
            else:
                out.append(say("geometry.check-shorter", name=name, percent=percent))
    return out


def _differs(take: Take, one: Against, others: list[Against]) -> str:
    middle = np.mean(np.array(one.reference.placed), axis=0)
    rest = np.mean([np.mean(np.array(o.reference.placed), axis=0) for o in others], axis=0)
    right, down = middle - rest
    upright = abs(down) > abs(right)
    if upright:
        side = say("geometry.lower") if down > 0 else say("geometry.upper")
    else:
        side = say("geometry.right") if right > 0 else say("geometry.left")
    name, percent = reference_name(take, one.reference.name), one.percent or 0.0
    if percent > 0:
        return say("geometry.more-metres", side=side, name=name, percent=_two(percent))
    return say("geometry.fewer-metres", side=side, name=name, percent=_two(-percent))


def _two(value: float) -> str:
    return to_figures(value, 2)


def fault_words(what: str) -> str:
    """What a fault is called."""
    return {
        "plane": say("trust.plane"),
        "perspective": say("trust.perspective"),
        "lens": say("trust.lens"),
        "camera": say("trust.camera"),
        "clock": say("trust.clock"),
        "reference": say("trust.reference"),
        "direction": say("trust.direction"),
    }[what]


def usual_words(take: Take, what: str) -> str:
    """Of what size a fault that was not checked is taken to be."""
    usual = take.geometry.usual
    together = geometry_of(take).together
    if what == "plane" and together is not None and together.agree is False:
        return say("trust.references-differ")
    return {
        "plane": say("trust.usual-plane", cm=f"{100 * usual.offset_m:g}", m=f"{usual.distance_m:g}"),
        "perspective": say("trust.usual-perspective", degrees=f"{usual.tilt_deg:g}"),
        "lens": say("trust.usual-lens", percent=f"{100 * usual.k1:g}"),
        "camera": say("trust.usual-camera", px=f"{usual.camera_px:g}"),
        "clock": say("trust.usual-clock", percent=f"{usual.clock_percent:g}"),
        "reference": say("trust.usual-reference", percent=f"{usual.reference_percent:g}"),
        "direction": say("trust.usual-direction", degrees=f"{usual.direction_deg:g}"),
    }[what]


def checked_words(take: Take, effect: Effect) -> str:
    """How something was checked and what came out."""
    found = geometry_of(take)
    if effect.what == "perspective" and found.mapping.ground is not None:
        residual = found.mapping.ground.residual_px
        if residual is not None:
            return say("trust.fits-to", px=_two(residual))
        return _agreement_words(effect, say("trust.by-corners"))
    if effect.what == "lens":
        if found.bend is None:
            return say("trust.known-lens")
        return say("trust.bend", px=_two(found.bend.bend_px), left=_two(found.bend.left_px))
    if effect.what in ("reference", "perspective"):
        return _agreement_words(effect, "")
    moved = moved_px(take, found.camera)
    return {
        "camera": say("trust.camera-moved", px=_two(float(moved.max()) if moved is not None else 0.0)),
        "plane": say("trust.plane-typed"),
        "clock": say("trust.clock-stated"),
        "direction": say("trust.direction-placed"),
    }[effect.what]


def _agreement_words(effect: Effect, alone: str) -> str:
    if effect.agrees is None:
        return alone or say("trust.cannot-tell")
    return say("trust.agrees") if effect.agrees else say("trust.differs")


def verdict_words(take: Take, symbol: str) -> str:
    """Whether the scale can be trusted, in a sentence or two."""
    trust = trust_of(take)
    if trust is None:
        return say("trust.no-scale")
    against = [e for e in trust.checked if e.agrees is False]
    if against:
        return say("trust.check-differs", what=fault_words(against[0].what))
    doubtful = trust.doubtful
    stated = _two(trust.stated_percent)
    if not doubtful:
        if all(e.percent is None for e in trust.unchecked):
            return say("trust.nothing-to-hold")
        return say("trust.yes", symbol=symbol, stated=stated)
    most = _two(doubtful[0].percent or 0.0)
    return say("trust.not-yet", n=len(doubtful), symbol=symbol, most=most, stated=stated)


def next_check(take: Take) -> tuple[str, str, str] | None:
    """The one check to do next: which, how long it takes, and what to do; None where all is checked."""
    trust = trust_of(take)
    if trust is None or not trust.unchecked:
        return None
    can = trust.unchecked
    # of two that could do nearly as much the quicker one comes first
    most = can[0].percent or 0.0
    near = [e for e in can if (e.percent or 0.0) >= 0.5 * most]
    best = min(near, key=lambda e: EFFORT.index(e.what))
    effort = say("trust.effort-film") if best.what == "clock" else say("trust.effort-minute")
    return best.what, effort, to_do(best.what)


def to_do(what: str) -> str:
    """What to do to check something."""
    return {
        "plane": say("trust.do-plane"),
        "perspective": say("trust.do-perspective"),
        "lens": say("trust.do-lens"),
        "clock": say("trust.do-clock"),
        "reference": say("trust.do-reference"),
        "direction": say("trust.do-direction"),
        "camera": say("trust.do-camera"),
    }[what]


EFFORT = ("plane", "direction", "lens", "perspective", "reference", "camera", "clock")
