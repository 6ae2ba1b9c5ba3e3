"""Sources of a take: its frames and its clock."""

from __future__ import annotations

from saltus.core.sources.source import (
    CLOCK,
    Source,
    SourceId,
)
from saltus.core.wording import _


def clock(take: str) -> Source:
    """The rate of the clock of a take, common to all its times."""
    return Source(SourceId(CLOCK, (take,)), "timing", _("Rate of the clock"))


def stamps(take: str) -> Source:
    """The stamps of the frames of a take, each uniform within a tick: a family, keyed by frame."""
    return Source(SourceId("stamps", (take,)), "timing", _("Frame times"), "uniform")


def instants(take: str) -> Source:
    """When marked instants fell between their frames: a family, keyed by the id of the instant."""
    return Source(SourceId("instants", (take,)), "timing", _("Instants between frames"), "uniform")


def segment_ends(take: str, body: str) -> Source:
    """When the motion of a body changed between two frames: a family, keyed by the frame before."""
    return Source(SourceId("segment-ends", (take, body)), "timing", _("Instants between frames"), "uniform")


def passings(take: str, count: str) -> Source:
    """When counted passings fell: a family, keyed by frame, or by number where they were heard."""
    return Source(SourceId("passings", (take, count)), "timing", _("Instants between frames"), "uniform")


def microphone(take: str) -> Source:
    """How long the sound of a take was on its way."""
    return Source(SourceId("microphone", (take,)), "timing", _("Way of the sound"))


def exposure(take: str) -> Source:
    """Where within their exposure the frames of a take are stamped, against its sound."""
    return Source(SourceId("exposure", (take,)), "timing", _("Frames against sound"), "uniform")


def sound_onsets(recording: str) -> Source:
    """When sounds of a recording set in: a family, keyed by their number."""
    return Source(SourceId("sound-onsets", (recording,)), "timing", _("Onset of the sound"), "uniform")


def filmed_watch(take: str) -> Source:
    """The last digit of a watch filmed in a take: a family, keyed by frame."""
    return Source(SourceId("filmed-watch", (take,)), "timing", _("Digit of the filmed watch"), "uniform")


def free_fall() -> Source:
    """The acceleration of free fall a clock is checked against."""
    return Source(SourceId("free-fall"), "instruments", _("Free fall"))
