"""A body that oscillates with an amplitude that lasts."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.cyclic import Oscillation, wave
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class SteadyOscillation(Oscillation):
    """x = x₀ + A·cos(2π·t/T + φ)."""

    name = "oscillation"
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>A</i> cos(2π<i>t</i>/<i>T</i> + <i>φ</i>)"
    glyph = wave()

    @property
    def title(self) -> str:
        return say("model.oscillation")

    def more_to_begin(self, fall: float, omega: float, amplitude: float) -> tuple[float, ...]:
        return ()

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[1] * np.cos(c[3] * tau) + c[2] * np.sin(c[3] * tau))

    def derivative(self, tau: Array, c: Array) -> Array:
        cos, sin = np.cos(c[3] * tau), np.sin(c[3] * tau)
        return np.column_stack([np.ones_like(tau), cos, sin, tau * (c[2] * cos - c[1] * sin)])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[3] * (c[2] * np.cos(c[3] * tau) - c[1] * np.sin(c[3] * tau)))

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray(-(c[3] ** 2) * (self.value(tau, c) - c[0]))
