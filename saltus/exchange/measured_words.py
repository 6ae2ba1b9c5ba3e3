"""What was measured in the picture, in words."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.divisions import Rule
from saltus.core.statement import stated, stated_in, to_figures
from saltus.core.units import RADIAN, UnitError, parse_unit
from saltus.core.wording import _, plural
from saltus.notebook.derived.camera import moved_px
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.measures import measured_values

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.derived.filmed_scales import ScaleFound
    from saltus.notebook.measuring import FilmedScale, Measure
    from saltus.notebook.model import Take

STILL_PX = 0.05


def value_words(q: Quantity) -> str:
    """A measured value with its 95 % interval, angles in degrees."""
    if q.unit.goes_with(RADIAN) and q.unit.text == RADIAN.text:
        return stated_in(math.degrees(float(q)), math.degrees(q.U95), "°")
    return stated(float(q), q.U95, q.unit)


def leading_words(take: Take, measure: Measure) -> str:
    """The leading value of a measure; a question mark where there is none."""
    found = measured_values(take, measure)
    if isinstance(found, str):
        return "?"
    words = value_words(next(iter(found.values())))
    return _("radius {value}").format(value=words) if measure.kind == "circle" else words


def part_words(part: str) -> str:
    """What a value of a measure is."""
    return {
        "length": _("length"),
        "height": _("height"),
        "angle": _("angle"),
        "radius": _("radius"),
        "diameter": _("diameter"),
        "x": _("middle, x"),
        "y": _("middle, y"),
    }[part]


def reading_words(scale: FilmedScale, q: Quantity) -> str:
    """A reading of a filmed scale with its 95 % interval, in the unit of the scale."""
    try:
        factor, _unit = parse_unit(scale.unit)
    except UnitError:
        return "?"
    return stated_in(float(q) / factor, q.U95 / factor, scale.unit)


def scale_law_words(found: ScaleFound) -> str:
    """How well the divisions of a scale go together, or what is missing."""
    law = found.law
    if law is None:
        return _("Click a division, then type what stands there.")
    if law.off_px is None:
        return _("A further division would check these.")
    words = _("The divisions are even to {px} px.").format(px=to_figures(law.off_px, 2))
    if isinstance(law, Rule) and law.askew:
        words += " " + _("The scale is seen at an angle; that is taken out.")
    return words


def camera_words(take: Take) -> str:
    """How the camera moved and by what that is known, or why it cannot be told."""
    found = geometry_of(take).camera
    if found.problem:
        return found.problem
    moved = moved_px(take, found)
    if found.motion is None or moved is None:
        return _("Not checked. A point that stands still, read or followed in every frame, shows how the "
                 "camera moved; so does the background.")  # fmt: skip
    most = int(np.argmax(moved))
    frame = int(found.motion.frames[most])
    if float(moved[most]) < STILL_PX:
        return _("The camera stood still, to {px} px.").format(px=to_figures(STILL_PX, 1))
    words = _("Moved by up to {px} px (at {t:.2f} s); taken out of all positions.").format(
        px=to_figures(float(moved[most]), 2), t=float(frame_times(take)[frame])
    )
    if found.misfit_px is not None:
        words += " " + _("The points agree to {px} px.").format(px=to_figures(found.misfit_px, 2))
    if found.lost:
        words += " " + plural(
            "In {n} frame a fixed point is missing: readings there are left out.",
            "In {n} frames a fixed point is missing: readings there are left out.",
            found.lost,
        )
    return words
