"""What repeat checks say of people's eyes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.reading_check import ReadingCheck, check_readings
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.notebook.measuring import EyeTest
    from saltus.notebook.model import Body


@remembered
def eye_check(eye: EyeTest) -> ReadingCheck:
    """How well a person reads, by a repeat check."""
    return check_readings(np.array(eye.first), np.array(eye.again), eye.u_first_px)


def signed(eye: EyeTest) -> str:
    """Whose eye it is, and when it was looked at."""
    return f"{eye.name}, {eye.when}" if eye.when else eye.name


def frames_to_read_again(body: Body, wanted: int, seed: int) -> list[int]:
    """Frames of a body to be read again without seeing the first readings, spread out and out of order."""
    frames = body.readings.used.frame
    count = min(wanted, len(frames))
    if not count:
        return []
    chosen = np.unique(np.linspace(0, len(frames) - 1, count).round().astype(int))
    return [int(f) for f in np.random.default_rng(seed).permutation(frames[chosen])]
