"""What repeat checks say of people's eyes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.reading_check import FEWEST, ReadingCheck, check_readings
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.notebook.measuring import EyeTest
    from saltus.notebook.model import Body
    from saltus.notebook.readings import Reading


@remembered
def eye_check(eye: EyeTest) -> ReadingCheck:
    """How well a person reads, by a repeat check."""
    return check_readings(np.array(eye.first), np.array(eye.again), eye.u_first_px)


def signed(eye: EyeTest) -> str:
    """Whose eye it is, and when it was looked at."""
    return f"{eye.name}, {eye.when}" if eye.when else eye.name


def readings_to_check(body: Body) -> list[Reading]:
    """Readings of a body that can be read again: those by hand, or, without enough of them, followed ones."""
    used = [r for r in body.readings if r.used]
    by_hand = [r for r in used if r.origin != "followed"]
    return by_hand if len(by_hand) >= FEWEST else [r for r in used if r.origin == "followed"]


def frames_to_read_again(frames: list[int], wanted: int, seed: int) -> list[int]:
    """Frames to be read again without seeing the first readings, spread out and out of order."""
    if not frames:
        return []
    rows = np.unique(np.linspace(0, len(frames) - 1, min(wanted, len(frames))).round().astype(int))
    return [frames[i] for i in np.random.default_rng(seed).permutation(rows).tolist()]
