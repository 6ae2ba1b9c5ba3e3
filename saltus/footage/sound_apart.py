"""Sound read in a helper process: what a file does to its decoder stays there."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.progress import LongWork, Steps
from saltus.footage.helper import Helper
from saltus.footage.sound import Sound

if TYPE_CHECKING:
    from pathlib import Path


@LongWork
def sound_of(path: Path, first_frame_s: float | None) -> Steps[Sound]:
    """Read the sound of a film.

    Parameters
    ----------
    path : Path
    first_frame_s : float or None
        Time stamp of its first frame; None where there are no pictures.

    Raises
    ------
    FilmError
        If it cannot be opened, has no sound, its sound is too long, or it broke its decoder.
    """
    request = {"path": str(path.resolve()), "sound": True, "first_frame_s": first_frame_s}
    return (yield from Helper().asked(path, request, _told))


def _told(told: Any, parts: list[bytes]) -> Sound:
    samples = np.frombuffer(b"".join(parts), dtype=np.float32)
    rate, start = int(told["rate"]), float(told["start_s"])
    if rate <= 0 or not math.isfinite(start) or not samples.size:
        raise ValueError("no sound")
    return Sound(samples, rate, start, bool(told["exact"]), tuple(map(str, told["warnings"])))
