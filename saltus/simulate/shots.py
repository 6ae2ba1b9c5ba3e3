"""When the virtual camera takes and shows its frames, and what its microphone hears.

A camera may vary its rate, lose frames, show frames twice, or play slower than it took; a scene may be heard.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.simulate.scene import Scene

    Array = NDArray[np.float64]

CLOCK = 90_000
"""Ticks per second of the films: whole for the usual rates."""
SOUND_RATE = 48_000
KNOCK_S = 0.006
"""Time in which a knock dies away."""


@dataclass(frozen=True)
class Shots:
    """The frames of a film.

    Attributes
    ----------
    taken : (K,) ndarray
        When each was taken, s; a repeated one was taken when the one before was.
    ticks : (K,) ndarray of int
        When each is shown, in ticks of 1/90 000 s.
    repeats : tuple of int
        Frames that show the one before again.
    gaps : tuple of int
        Frames after which some are missing.
    """

    taken: Array
    ticks: NDArray[np.int64]
    repeats: tuple[int, ...] = ()
    gaps: tuple[int, ...] = ()


def shots_of(scene: Scene) -> Shots:
    """Plan the frames of a scene from its settings: jitter, missing, repeat_every, play_rate."""
    settings = scene.settings
    taken = scene.times()
    if settings["jitter"]:
        rng = np.random.default_rng(int(settings["seed"]) + 77)
        # each frame comes so much late, the first on time
        taken = taken + np.concatenate([[0.0], rng.uniform(0, settings["jitter"], len(taken) - 1)])
    taken = np.rint(taken * CLOCK) / CLOCK
    shown = taken if not settings["play_rate"] else taken * settings["rate"] / settings["play_rate"]
    kept = np.ones(len(taken), dtype=bool)
    gaps: tuple[int, ...] = ()
    lost = int(settings["missing"])
    if lost and len(taken) > lost + 2:
        first = len(taken) // 2
        kept[first : first + lost] = False
        gaps = (first - 1,)
    taken, shown = taken[kept], shown[kept]
    repeats: tuple[int, ...] = ()
    every = int(settings["repeat_every"])
    if every > 1:
        repeats = tuple(range(every, len(taken), every))
        taken = taken.copy()
        taken[list(repeats)] = taken[[n - 1 for n in repeats]]
    return Shots(taken, np.asarray(np.rint(shown * CLOCK), dtype=np.int64), repeats, gaps)


def speed_of_sound(warm: float) -> float:
    """Speed of sound in dry air at so many °C, m/s: 331.3·√(1 + t/273.15)."""
    return float(331.3 * (1 + warm / 273.15) ** 0.5)


def heard(scene: Scene, length_s: float) -> NDArray[np.float32]:
    """What the microphone records: a knock at every event that sounds, late by its way, and some noise."""
    settings = scene.settings
    rng = np.random.default_rng(int(settings["seed"]) + 11)
    t = np.arange(round(length_s * SOUND_RATE)) / SOUND_RATE
    out = rng.normal(0, 0.002, len(t)) + 0.01 * np.sin(2 * np.pi * 50 * t)
    late = settings["microphone"] / speed_of_sound(settings["warm"])
    loud = 0.7
    for at in scene.sounds:
        since = t - (at + late)
        on = since >= 0
        tone = np.sin(2 * np.pi * 2300 * since[on] + 0.7) + 0.5 * np.sin(2 * np.pi * 3700 * since[on] + 0.4)
        out[on] += loud * tone / 1.5 * np.exp(-since[on] / KNOCK_S)
        loud = max(0.85 * loud, 0.15)
    return np.asarray(out, dtype=np.float32)
