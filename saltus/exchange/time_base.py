"""The time from each frame to the next, as a graph and in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.wording import _, plural
from saltus.exchange.chart import Chart, Label, Points
from saltus.footage.slow import slow_words
from saltus.notebook.derived.frame_clock import frame_times, played_times, rhythm

if TYPE_CHECKING:
    from saltus.notebook.model import Take

BLUE, SLOWED = 1, 0.02


def spacing_chart(take: Take) -> Chart | None:
    """Time to the next frame against frame number, ms; points never joined. None for a single frame."""
    times = frame_times(take)
    if len(times) < 2:
        return None
    spacing = np.diff(times) * 1000
    median = float(np.median(spacing))
    reach = max(0.05 * median, 1.3 * float(np.abs(spacing - median).max()), 1e-6)
    frames = np.arange(len(spacing), dtype=float)
    points = Points(frames, spacing, None, BLUE, _("time to the next frame"))
    return Chart(Label(_("frame")), Label("Δt", "ms"), (points,), y_range=(median - reach, median + reach))


def findings(take: Take) -> list[tuple[str, str]]:
    """What the check of a film found: (mark, sentence) with mark ``done`` or ``look``."""
    facts = take.facts
    if not facts.pictures:
        return [("done", _("Sound alone: its knocks can be timed.")), *(("look", w) for w in facts.warnings)]
    return [*_of_speed(take), *_of_spacing(take), *_of_repeats(take), *(("look", w) for w in facts.warnings)]


def _of_speed(take: Take) -> list[tuple[str, str]]:
    """Whether it plays as it was taken, and where it begins."""
    found: list[tuple[str, str]] = []
    facts, last = take.facts, float(frame_times(take)[-1])
    played = float(played_times(take)[-1])
    if take.capture_rate and played and abs(played / last - 1) > SLOWED:
        words = _("Taken at {rate:g} frames per second: times are divided by {factor:.3g}.")
        found.append(("look", words.format(rate=take.capture_rate, factor=played / last)))
    elif facts.stated_rate and not take.capture_rate:
        found += [("look", words) for words in slow_words(facts.film_facts())]
    if facts.start_ticks:
        over, under = map(int, facts.time_base.split("/"))
        words = _("The first frame comes {t:.3f} s into the file: times count from it.")
        found.append(("done", words.format(t=facts.start_ticks * over / under)))
    return found


def _of_spacing(take: Take) -> list[tuple[str, str]]:
    """What is missing, and whether the frames follow each other evenly."""
    found: list[tuple[str, str]] = []
    beat, times = rhythm(take), frame_times(take)
    for frame, missing in list(zip(beat.gaps, beat.missing, strict=True))[:5]:
        words = plural("{n} frame is missing", "{n} frames are missing", missing)
        found.append(
            ("look", words + " " + _("after {t:.3f} s (frame {frame}).").format(t=times[frame], frame=frame))
        )
    if beat.gaps:
        found.append(("look", _("Times were kept, gaps are shown.")))
    if beat.variable:
        found.append(("look", _("The rate varies; the true time of every frame is used.")))
    elif beat.spacing_s and not beat.gaps:
        found.append(("done", _("Even spacing: {ms:.2f} ms.").format(ms=1000 * beat.spacing_s)))
    return found


def _of_repeats(take: Take) -> list[tuple[str, str]]:
    """Frames that repeat the one before."""
    facts = take.facts
    if not facts.duplicates:
        return [
            ("done", _("No frame shown twice."))
            if facts.checked
            else ("half", _("Looking for repeats and damage …"))
        ]
    shown = ", ".join(map(str, facts.duplicates[:8])) + (" …" if len(facts.duplicates) > 8 else ".")
    words = plural(
        "{n} frame repeats the one before:", "{n} frames repeat the one before:", len(facts.duplicates)
    )
    then = _("They are left out.") if take.timing.repeats_left_out else _("Do not read them.")
    return [("look", f"{words} {shown} {then}")]


def headline_finding(take: Take) -> tuple[str, str]:
    """The finding to show first on a take's strip."""
    found = findings(take)
    return next((f for f in found if f[0] == "look"), found[0])
