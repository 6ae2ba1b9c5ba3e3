"""A body whose oscillation dies away, slowed in proportion to the square of its velocity, as by air."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import PER_LENGTH
from saltus.core.motion.models.cyclic import Oscillation, wave
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array

AVERAGED = 4 / (3 * math.pi)
"""Of the loss of a cycle: the mean of |sin|³ against that of sin²."""


class QuadraticDampedOscillation(Oscillation):
    """x = x₀ + A(t)·cos(2π·t/T + φ) with dA/dt = −4/(3π)·loss·ω·A², so A(t) = A/(1 + q·t).

    Fifth variable: q = 4/(3π)·loss·ω·A, 1/s. A drag of loss·v² per mass, averaged over a cycle (Landau and
    Lifshitz, Mechanics, § 25, for a force that is small beside that of the spring).
    """

    name = "quadratic-damped-oscillation"
    parameters = (*Oscillation.parameters, "loss")
    kinds = (*Oscillation.kinds, PER_LENGTH)
    free = 5
    equation = (
        "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>A</i>/(1 + <i>qt</i>) cos(2π<i>t</i>/<i>T</i> + <i>φ</i>)"
    )
    glyph = wave(fall=1.0)

    @property
    def title(self) -> str:
        return say("model.quadratic-damped-oscillation")

    def more_to_begin(self, fall: float, omega: float, amplitude: float) -> tuple[float, ...]:
        return (fall,)

    def told(self, c: Array) -> tuple[Array, Array]:
        values, d = super().told(c)
        size, omega, q = values[1], abs(c[3]), c[4]
        loss = q / (AVERAGED * omega * size)
        share = -loss / size * d[1]
        share[3] -= loss / c[3]
        share[4] += 1 / (AVERAGED * omega * size)
        return np.append(values, loss), np.vstack([d, share])

    def value(self, tau: Array, c: Array) -> Array:
        wave_now = c[1] * np.cos(c[3] * tau) + c[2] * np.sin(c[3] * tau)
        return np.asarray(c[0] + wave_now / (1 + c[4] * tau))

    def amplitude(self, tau: Array, c: Array) -> Array | None:
        return np.asarray(np.hypot(c[1], c[2]) / (1 + c[4] * tau))

    def derivative(self, tau: Array, c: Array) -> Array:
        cos, sin, shrink = np.cos(c[3] * tau), np.sin(c[3] * tau), 1 / (1 + c[4] * tau)
        across, wave_now = c[2] * cos - c[1] * sin, c[1] * cos + c[2] * sin
        columns = [np.ones_like(tau), shrink * cos, shrink * sin, shrink * tau * across]
        return np.column_stack([*columns, -tau * shrink**2 * wave_now])

    def velocity(self, tau: Array, c: Array) -> Array:
        d = self.derivative(tau, c)
        shrink = 1 / (1 + c[4] * tau)
        across = c[2] * np.cos(c[3] * tau) - c[1] * np.sin(c[3] * tau)
        return np.asarray(c[3] * shrink * across - c[4] * shrink * (c[1] * d[:, 1] + c[2] * d[:, 2]))

    def acceleration(self, tau: Array, c: Array) -> Array:
        shrink, omega, q = 1 / (1 + c[4] * tau), c[3], c[4]
        along = c[1] * np.cos(omega * tau) + c[2] * np.sin(omega * tau)
        across = omega * (c[2] * np.cos(omega * tau) - c[1] * np.sin(omega * tau))
        bent = (2 * q**2 * shrink**2 - omega**2) * along
        return np.asarray(shrink * (bent - 2 * q * shrink * across))
