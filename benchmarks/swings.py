"""Coverage of periods from readings of swings that die away, pooled and by what was drawn."""

from __future__ import annotations

import math

import numpy as np

from saltus.core.clock.cycles import cycles
from saltus.core.quantities import exact, family
from saltus.core.sources import reading
from saltus.core.units import METRE

CUTS = {
    "cycles": (4.0, 6.0), "frames a cycle": (30.0, 60.0), "decay a cycle": (0.1, 0.2),
    "noise over amplitude": (0.006, 0.015),
}  # fmt: skip


def drawn(rng: np.random.Generator) -> tuple[dict[str, float], float, np.ndarray, np.ndarray]:
    """One record: what it is like, its true period, times and places."""
    like = {
        "cycles": rng.uniform(2, 8), "frames a cycle": rng.uniform(15, 120), "decay a cycle": rng.uniform(0, 0.3),
        "noise over amplitude": math.exp(rng.uniform(math.log(0.002), math.log(0.03))),
    }  # fmt: skip
    period = rng.uniform(0.5, 3.0)
    step = period / like["frames a cycle"]
    t = np.arange(0, like["cycles"] * period, step) + rng.uniform(0, step)
    fall = (1 - like["decay a cycle"]) ** (t / period)
    wave = fall * np.cos(2 * math.pi * t / period + rng.uniform(0, 2 * math.pi))
    return like, period, t, rng.normal(0, 1) + wave + rng.normal(0, like["noise over amplitude"], len(t))


def rows(runs: int = 6000) -> list[tuple[str, int, float]]:
    """Name, number of records, and share in per cent whose interval held the true period."""
    rng = np.random.default_rng(17)
    held: dict[str, list[bool]] = {}
    for i in range(runs):
        like, period, t, x = drawn(rng)
        stated = i % 2 == 0
        q = (
            family(x, like["noise over amplitude"], METRE, reading("t", "b", "x"))
            if stated
            else exact(x, METRE)
        )
        found = cycles(t, q)
        names = ["all", "uncertainty of readings stated" if stated else "not stated"]
        for name, (low, high) in CUTS.items():
            value = like[name]
            names.append(f"{name}: {'low' if value < low else 'high' if value > high else 'middle'}")
        for name, made in (("", found.period), ("ends, ", found.period_from_ends)):
            for part in names if not name else names[:1]:
                hit = made is not None and abs(float(made) - period) <= made.U95
                held.setdefault(name + part, []).append(hit)
    return [(name, len(all_), 100 * float(np.mean(all_))) for name, all_ in held.items()]
