"""A camera that does not stand still: it shakes, pans, rolls about the line of sight and zooms."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

HELD: dict[str, float] = {"shake_deg": 0.0, "sweep_deg": 0.0, "roll_deg": 0.0, "zoom": 0.0}
"""How far the hand trembles about both axes, and rolls, °, how far the camera is panned over the film, °, and
by which part of its focal length it zooms in."""
HELD_LIMITS = {"shake_deg": (0, 10), "sweep_deg": (-60, 60), "roll_deg": (0, 30), "zoom": (-0.5, 2)}
TREMOR_HZ = (0.7, 1.9, 4.3)


@dataclass(frozen=True)
class Pose:
    """Where a camera looks at a moment, against where it was set up.

    Attributes
    ----------
    turned : (3, 3) ndarray
        From directions as it was set up to directions as it looks.
    zoom : float
        Focal length over that of the set-up.
    """

    turned: Array
    zoom: float


def _about(axis: int, angle: float) -> Array:
    c, s = math.cos(angle), math.sin(angle)
    out = np.eye(3)
    one, two = [n for n in range(3) if n != axis]
    out[one, one] = out[two, two] = c
    out[one, two], out[two, one] = -s, s
    return out


def pose_of(settings: dict[str, float], t: float) -> Pose | None:
    """Where a camera with such settings looks at a time, s; None for one that stands still.

    Parameters
    ----------
    settings : dict
        With those of :data:`HELD`, duration, s, and seed.
    t : float
        s.
    """
    if not any(settings[k] for k in HELD):
        return None
    rng = np.random.default_rng(int(settings["seed"]) + 311)
    phases = rng.uniform(0, 2 * math.pi, (3, len(TREMOR_HZ)))
    sizes = rng.dirichlet(np.ones(len(TREMOR_HZ)), 3)
    trembled = [
        float(np.sum(size * np.sin(2 * math.pi * np.array(TREMOR_HZ) * t + phase)))
        for size, phase in zip(sizes, phases, strict=True)
    ]
    done = min(max(t / settings["duration"], 0.0), 1.0)
    done = done * done * (3 - 2 * done)
    shake, roll = math.radians(settings["shake_deg"]), math.radians(settings["roll_deg"])
    pan = shake * trembled[0] + math.radians(settings["sweep_deg"]) * done
    turned = _about(2, roll * trembled[2]) @ _about(0, shake * trembled[1]) @ _about(1, pan)
    return Pose(turned, 1.0 + settings["zoom"] * done)
