"""How a take's scale and axes came about, in sentences for the sheet and the window."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.statement import stated_percent, to_figures, value_and_uncertainty
from saltus.core.wording import _
from saltus.notebook.derived.camera import moved_px
from saltus.notebook.derived.geometry import geometry_of, scale_problem
from saltus.notebook.derived.geometry_words import fault_words
from saltus.notebook.derived.trust import trust_of

if TYPE_CHECKING:
    from saltus.notebook.derived.geometry import LaidGeometry
    from saltus.notebook.model import Take


def scale_words(take: Take) -> str:
    """Say what the scale is and how sure, or what is missing."""
    found = geometry_of(take)
    if not found.mapping.scaled:
        return scale_problem(take) or ""
    words = [_ground_words(take, found) if found.mapping.ground is not None else _length_words(take, found)]
    if found.mapping.lens is not None:
        percent = to_figures(100 * found.mapping.lens.k1, 2)
        words.append(
            _("the bend of the lens, {percent} % at the corner, was taken out").format(percent=percent)
        )
    moved = moved_px(take, found.camera)
    if moved is not None:
        most = to_figures(float(np.max(moved)), 2)
        words.append(
            _("the motion of the camera, up to {px} px, was taken out by {what}").format(
                px=most, what=_steadied_by(take)
            )
        )
    ratio = found.mapping.per_px / found.base.per_px
    if abs(ratio - 1) > 1e-9:
        change = to_figures(100 * (ratio - 1), 2)
        words.append(
            _("the motion lies in another plane, which changes lengths by {change} %").format(change=change)
        )
    return "; ".join(words)


def _steadied_by(take: Take) -> str:
    if take.steadying is not None and take.steadying.by == "background":
        return _("the background")
    return ", ".join(f"“{body.name}”" for body in take.fixed_points)


def _length_words(take: Take, found: LaidGeometry) -> str:
    factor = found.mapping.scale
    assert factor is not None
    relative = stated_percent(factor.U95 / float(factor))
    text, spread = value_and_uncertainty(float(factor) * 1000, factor.U95 * 1000)
    count = len(found.together.each) if found.together is not None else 0
    length = take.reference.length if take.reference else None
    if count > 1 or length is None:
        return _("1 px = {text} mm {relative} (95 %), from {n} lengths").format(
            text=text, relative=relative if spread else "", n=count
        )
    return _("1 px = {text} mm {relative} (95 %), from a length of {length}").format(
        text=text, relative=relative if spread else "", length=length.words
    )


def _ground_words(take: Take, found: LaidGeometry) -> str:
    plane, track = take.geometry.plane, take.geometry.track
    middle = f"{1000 * found.mapping.per_px:.3g}"
    if plane is not None and plane.width is not None and plane.height is not None:
        return _(
            "from a rectangle of {width} by {height} seen at an angle; in its middle 1 px = {mm} mm"
        ).format(width=plane.width.words, height=plane.height.words, mm=middle)
    count = len(track.marks) if track is not None else 0
    return _("from {n} marks along a line seen at an angle; in their middle 1 px = {mm} mm").format(
        n=count, mm=middle
    )


def axes_words(take: Take) -> str:
    """Say how the axes lie and which way is positive; nothing where they were not placed."""
    if take.axes is None:
        return ""
    mapping = geometry_of(take).mapping
    angle = math.degrees(mapping.axes.angle)
    by = {
        "points": _(", by two places"),
        "plumb": _(", by a plumb line"),
        "path": _(", along the way of the body"),
    }.get(take.axes.by, "")
    words = _("The x axis runs along the picture{by}.").format(by=by)
    if mapping.ground is not None:
        words = _("The x axis lies in the plane{by}.").format(by=by)
    elif abs(angle) > 1e-9:
        words = _("The x axis is turned {angle:.2f}° {way} in the picture{by}.").format(
            angle=abs(angle), way=_("anticlockwise") if angle > 0 else _("clockwise"), by=by
        )
    return words + (" " + _("Positive y points down.") if take.axes.y_down else "")


def unchecked_words(take: Take) -> str:
    """Say what nobody checked and could do more than the stated uncertainty; nothing where nothing could."""
    trust = trust_of(take)
    doubtful = trust.doubtful if trust is not None else ()
    if not doubtful:
        return ""
    parts = ", ".join(
        f"{fault_words(e.what).lower()} ({to_figures(e.percent or 0.0, 2)} %)" for e in doubtful
    )
    return _("Not checked, and not in the uncertainty: {parts}; the sizes are usual ones.").format(
        parts=parts
    )
