"""What limits a result, what would help most, and how far the work has come."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.budget import Contribution, budget, expanded_if, shares_by_kind
from saltus.core.motion.segment import SegmentFit
from saltus.core.sources import CAMERA_DISTANCE, LENS, PLANE_OFFSET, SCALE_ENDS
from saltus.core.statement import written_number
from saltus.notebook.derived.frame_clock import rhythm
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.derived.headline_under import HeadlineUnder
from saltus.notebook.derived.lengths import checked_lengths
from saltus.notebook.derived.motion import body_motion, headline, segment_fit, segment_mask
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Segment, Take

Mark = Literal["empty", "half", "done", "look"]
SMALL = 0.05
WORTH = 1.3
"""More frames are worth proposing when there are this many times more than were read."""


@dataclass(frozen=True)
class Limits:
    """The limit bar: its title, what it divides (label, group, share of the variance), one sentence."""

    title: str
    items: tuple[tuple[str, str, float], ...]
    sentence: str


def kind_words(kind: str) -> str:
    """Words for a group of sources."""
    return {
        "reading": say("advice.reading"),
        "scale": say("advice.scale"),
        "timing": say("advice.clock"),
        "reaction": say("advice.angle"),
        "instruments": say("advice.instruments"),
    }[kind]


def result_limits(take: Take) -> Limits | None:
    """What limits the headline result of a take; None while there is none."""
    found, segment = headline(take), take.headline_segment
    if found is None or segment is None:
        return None
    value = found[1]
    items = tuple((kind_words(kind), kind, share) for kind, share in shares_by_kind(value).items())
    return Limits(say("advice.what-limits-result"), items, _help(take, segment, value))


def scale_limits(take: Take) -> Limits | None:
    """What limits the scale of a take; None while there is none."""
    mapping = mapping_of(take)
    factor = mapping.scale
    if mapping.ground is not None:
        # it is another everywhere: a length across the ground stands for it
        factor = HeadlineUnder(take).length_across(mapping)
    if factor is None:
        return None
    lines = budget(factor)
    items = tuple(
        (line.label, "reading" if SCALE_ENDS in line.causes else line.kind, line.share) for line in lines
    )
    percent = 100 / float(factor)
    sentence = say("advice.no-uncertainty-stated")
    if lines:
        before = two_figures(factor.U95 * percent)
        after = two_figures(expanded_if(factor, lines[0], 0.5) * percent)
        sentence = say("advice.would-take-scale", what=_measure(take, lines[0]), before=before, after=after)
    return Limits(say("advice.what-limits-scale"), items, sentence)


def _measure(take: Take, line: Contribution) -> str:
    """What halves a contribution to the scale."""
    if SCALE_ENDS in line.causes:
        laid = take.reference
        length = math.dist(laid.start, laid.end) if laid else 0.0
        if 2 * length < max(take.facts.width, take.facts.height):
            return say("advice.reference-twice-long-picture")
        return say("advice.placing-two-ends-twice")
    halved = {
        "corner": say("advice.placing-corners-twice"),
        "plane-points": say("advice.placing-corners-twice"),
        "plane-size": say("advice.knowing-rectangle-twice"),
        "track-marks": say("advice.placing-marks-twice"),
        LENS: say("advice.knowing-lens-twice"),
        PLANE_OFFSET: say("advice.knowing-offset-twice"),
        CAMERA_DISTANCE: say("advice.knowing-distance-twice"),
        "scale-spread": say("advice.references-agree"),
    }
    return next((halved[c] for c in line.causes if c in halved), say("advice.knowing-reference-length-twice"))


def two_figures(U: float) -> str:
    """A 95 % uncertainty to two figures, for sentences."""
    return f"{U:#.2g}".rstrip(".") if 1e-4 <= U < 100 else written_number(U, 2)


def _help(take: Take, segment: Segment, value: Quantity) -> str:
    """The change that would help most, with the uncertainty before and after."""
    lines = budget(value)
    if not lines:
        return say("advice.no-uncertainty-stated")
    fit = segment_fit(take, segment)
    if isinstance(fit, SegmentFit) and fit.basis != "stated":
        return say("advice.readings-scatter-more-stated")
    changes = [_change(take, segment, value, line) for line in lines if line.share >= SMALL]
    words, after = min(changes, key=lambda change: change[1])
    return say(
        "advice.gain",
        what=words,
        before=two_figures(value.U95),
        after=two_figures(after),
        unit=value.unit.text,
    )


def _change(take: Take, segment: Segment, value: Quantity, line: Contribution) -> tuple[str, float]:
    """What would make one contribution smaller, and the U95 of the result then."""
    if line.kind == "reading":
        body = take.body(segment.body)
        used = int(np.sum(segment_mask(body_motion(take, body), segment))) if body else 0
        there = segment.last - segment.first + 1
        if used and there >= WORTH * used:
            words: str = say("advice.reading-all-frames-here", there=there, used=used)
            return words, expanded_if(value, line, math.sqrt(used / there))
        words = say("advice.placing-each-reading-twice")
    elif line.kind == "scale":
        words = _measure(take, line)
    elif line.kind == "timing":
        words = say("advice.knowing-clock-s-rate")
    else:
        words = say("advice.turning-axes-twice-well")
    return words, expanded_if(value, line, 0.5)


def progress(take: Take | None) -> dict[str, Mark]:
    """How far each stage has come, for the marks on the rail."""
    if take is None:
        return dict.fromkeys(("film", "scale", "read", "time", "motion", "findings"), "empty")
    read = max((len(b.readings) for b in take.bodies), default=0)
    result = headline(take) is not None
    troubled = bool(take.facts.warnings or take.facts.duplicates or rhythm(take).gaps)
    timing = take.timing
    timed = timing.intervals or timing.counts or timing.gates
    return {
        "film": "look" if troubled else "done" if take.facts.checked else "half",
        "scale": _scale_mark(take),
        "read": "done" if result and read >= 3 else "half" if read else "empty",
        "time": "done" if timed else "half" if timing.instants else "empty",
        "motion": "done" if result else "half" if take.segments else "empty",
        "findings": "half" if result else "empty",
    }


def _scale_mark(take: Take) -> Mark:
    """A look is needed where something cannot be used, or known lengths do not agree."""
    found = geometry_of(take)
    against = found.together is not None and found.together.agree is False
    if found.problems or against or any(c.held.agree is False for c in checked_lengths(take)):
        return "look"
    if found.mapping.scaled and (take.axes or found.mapping.ground is not None):
        return "done"
    begun = take.reference or take.axes or take.geometry.plane or take.geometry.track or take.geometry.edges
    return "half" if begun else "empty"
