"""Onsets in a sound track: clicks, knocks and impacts, to the sample where the sound allows it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.quantities import measured
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity

    Array = NDArray[np.float32]

HOP_S, BEFORE_S, APART_S, HUM_S = 0.0005, 0.02, 0.04, 0.004
"""Blocks of the envelope, what lies before an onset, the least time between two, and what is hum."""
RISE, ABOVE_NOISE, FAINTEST = 3.0, 8.0, 0.02
"""How much louder than just before, than the noise, and than the loudest, an onset must be."""
SURE = 5.0


@dataclass(frozen=True)
class Onset:
    """Where a sound sets in.

    Attributes
    ----------
    time : Quantity
        s, from the first sample; uniform over the rise of the sound.
    strength : float
        Its peak as a part of the loudest, 0 to 1.
    """

    time: Quantity
    strength: float


def onsets(samples: Array, rate: float, least_width: float = 0.0, name: str = "sound") -> list[Onset]:
    """Find where sounds set in.

    Parameters
    ----------
    samples : (N,) ndarray
        One channel, any scale.
    rate : float
        Samples per second.
    least_width : float
        s; how far coding has smeared sounds in time.
    name : str
        Of the recording.

    Returns
    -------
    list of Onset
        In the order of time.

    Notes
    -----
    The envelope is the largest deviation from a running mean in blocks of half a millisecond. An onset is a
    block three times louder than the 20 ms before it and eight times louder than the noise of the track. The
    instant lies between the last sample like the noise before and the one at half the first peak: uniform.
    """
    hop = max(round(rate * HOP_S), 1)
    if len(samples) < 20 * hop:
        return []
    loud = np.abs(_without_hum(samples, rate))
    blocks = loud[: len(loud) // hop * hop].reshape(-1, hop).max(axis=1)
    noise = float(np.median(blocks))
    loudest = float(blocks.max())
    if loudest <= 0:
        return []
    before = max(int(BEFORE_S / HOP_S), 1)
    level = max(ABOVE_NOISE * noise, FAINTEST * loudest)
    found: list[Onset] = []
    last = -math.inf
    for i in map(int, np.flatnonzero(blocks > level)):
        just_before = float(blocks[max(i - before, 0) : i].max()) if i else 0.0
        if blocks[i] <= RISE * just_before or (i * hop - last) / rate < APART_S:
            continue
        last = i * hop
        found.append(_onset(loud, i, hop, rate, (loudest, least_width), (name, len(found))))
    return found


def _without_hum(samples: Array, rate: float) -> Array:
    """Take the running mean off: what is left is what a knock is made of."""
    wide = max(int(rate * HUM_S), 1)
    whole = np.concatenate([np.zeros(1), np.cumsum(samples, dtype=np.float64)])
    # only what came before: a mean that looks ahead would hear a knock too early
    last = np.arange(1, len(samples) + 1)
    first = np.maximum(last - wide, 0)
    mean = (whole[last] - whole[first]) / (last - first)
    return np.asarray(samples - mean, dtype=np.float32)


def _onset(
    loud: Array, block: int, hop: int, rate: float, levels: tuple[float, float], which: tuple[str, int]
) -> Onset:
    loudest, least_width = levels
    start = max((block - 1) * hop, 0)
    peak = float(loud[block * hop : block * hop + int(0.002 * rate) + hop].max())
    quiet = loud[max(start - int(0.01 * rate), 0) : max(start, 1)]
    floor = max(SURE * float(np.sqrt(np.mean(quiet.astype(float) ** 2))), 1e-6 * loudest)
    floor = min(floor, 0.5 * peak)
    part = loud[start : (block + 1) * hop + int(0.002 * rate)]
    first = int(np.argmax(part > floor))
    half = int(np.argmax(part >= 0.5 * peak))
    width = max((half - first + 1) / rate, least_width, 1 / rate)
    # the sound began after the last quiet sample, and before it was half as loud as its first peak
    middle = (start + first - 0.5) / rate + 0.5 * (width - 1 / rate)
    if least_width:
        # coding lets a knock be heard before it comes; how loud it is then, it is not
        top = int(np.argmax(part >= 0.9 * peak))
        middle, width = (start + top) / rate, least_width
    recording, number = which
    q = measured(middle, width / math.sqrt(12), SECOND, sources.sound_onsets(recording), number)
    return Onset(q, min(peak / loudest, 1.0))
