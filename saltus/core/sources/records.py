"""Sources of logs and records."""

from __future__ import annotations

import math
from dataclasses import replace

from saltus.core.sources.source import (
    Source,
    SourceId,
    scatter_source,
    with_dof,
)
from saltus.core.wording import _


def record_noise(log: str, channel: str, dof: float) -> Source:
    """Scatter of what a channel of a log recorded: a family, keyed by the number of the sample."""
    label = _("Scatter of the record")
    return scatter_source("record-noise", (log, channel), "instruments", label, dof)


def record_resolution(log: str, channel: str) -> Source:
    """The step of the last digit of a channel whose values are all alike."""
    return Source(SourceId("record-resolution", (log, channel)), "instruments", _("Resolution"), "uniform")


def record_zero(log: str, channel: str) -> Source:
    """What a channel shows for nothing."""
    label = _("Zero of {name}").format(name=channel)
    return Source(SourceId("record-zero", (log, channel)), "instruments", label)


def record_peak() -> Source:
    """Scatter at the peak of a recorded jump."""
    return Source(SourceId("record-peak"), "instruments", _("Scatter of the record"))


def record_peaks(dof: float) -> Source:
    """Times of the peaks of a record; uniform where there are only two."""
    source = Source(SourceId("record-peaks"), "timing", _("Times of the peaks"))
    return with_dof(source, dof) if math.isfinite(dof) else replace(source, shape="uniform")


def stripes() -> Source:
    """The spacing of the stripes of a row of gates."""
    return Source(SourceId("stripes"), "scale", _("Spacing of the stripes"))
