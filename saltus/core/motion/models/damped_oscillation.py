"""A body whose oscillation dies away, slowed in proportion to its velocity."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import RATE
from saltus.core.motion.models.cyclic import Oscillation, wave
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.models.base import Array


class DampedOscillation(Oscillation):
    """x = x₀ + A·e^(−γt)·cos(2π·t/T + φ); T is the period of the damped motion. Fifth variable: γ, 1/s."""

    name = "damped-oscillation"
    parameters = (*Oscillation.parameters, "damping")
    kinds = (*Oscillation.kinds, RATE)
    free = 5
    equation = (
        "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>A</i> e<sup>−<i>γt</i></sup> "
        "cos(2π<i>t</i>/<i>T</i> + <i>φ</i>)"
    )
    glyph = wave(fall=1.6)

    @property
    def title(self) -> str:
        return say("model.damped-oscillation")

    def more_to_begin(self, fall: float, omega: float, amplitude: float) -> tuple[float, ...]:
        return (fall,)

    def told(self, c: Array) -> tuple[Array, Array]:
        values, d = super().told(c)
        return np.append(values, c[4]), np.vstack([d, np.eye(5)[4]])

    def _arrow(self, tau: Array, c: Array) -> NDArray[np.complex128]:
        """The swing about its rest as the real part of an arrow that turns and shrinks."""
        return np.asarray(complex(c[1], -c[2]) * np.exp(complex(-c[4], c[3]) * tau))

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + self._arrow(tau, c).real)

    def amplitude(self, tau: Array, c: Array) -> Array | None:
        return np.asarray(np.hypot(c[1], c[2]) * np.exp(-c[4] * tau))

    def derivative(self, tau: Array, c: Array) -> Array:
        fall, arrow = np.exp(-c[4] * tau), self._arrow(tau, c)
        cos, sin = fall * np.cos(c[3] * tau), fall * np.sin(c[3] * tau)
        return np.column_stack([np.ones_like(tau), cos, sin, -tau * arrow.imag, -tau * arrow.real])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray((complex(-c[4], c[3]) * self._arrow(tau, c)).real)

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray((complex(-c[4], c[3]) ** 2 * self._arrow(tau, c)).real)
