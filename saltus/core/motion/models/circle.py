"""A body that runs round a circle at constant speed: x and y together."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import ANGLE, ANGULAR_VELOCITY, POSITION, VELOCITY, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array

LEAST_TURN = 0.2
"""Of a shorter arc, rad, the centre cannot be told."""


class Circle(Model):
    """x = X + R·cos(θ₀ + ω·t), y = Y + R·sin(θ₀ + ω·t). Speed: R·|ω|."""

    name = "circle"
    parameters = ("centre_x", "centre_y", "radius", "angle", "velocity", "speed")
    kinds = (POSITION, POSITION, POSITION, ANGLE, ANGULAR_VELOCITY, VELOCITY)
    free = 5
    together = True
    leading = "radius"
    equation = "<i>x</i> = <i>X</i> + <i>R</i> cos(<i>θ</i><sub>0</sub> + <i>ωt</i>)"
    glyph = tuple((0.5 + 0.45 * math.cos(0.16 * k), 0.5 + 0.45 * math.sin(0.16 * k)) for k in range(36))

    @property
    def title(self) -> str:
        return say("model.circle")

    def told(self, c: Array) -> tuple[Array, Array]:
        radius, omega = float(c[2]), float(c[4])
        d = np.vstack([np.eye(5), np.zeros((1, 5))])
        d[5, 2], d[5, 4] = abs(omega), radius * math.copysign(1, omega)
        values = np.array([*c, radius * abs(omega)])
        values[3] = math.remainder(values[3], 2 * math.pi)
        return values, d

    def _turned(self, tau: Array, c: Array) -> tuple[Array, Array]:
        """Cosines and sines: (cos θ, sin θ) for x and y, and (−sin θ, cos θ) along the way."""
        half = len(tau) // 2
        angle = c[3] + c[4] * tau
        cos, sin = np.cos(angle), np.sin(angle)
        outwards = np.concatenate([cos[:half], sin[half:]])
        return outwards, np.concatenate([-sin[:half], cos[half:]])

    def value(self, tau: Array, c: Array) -> Array:
        half = len(tau) // 2
        middle = np.repeat(c[:2], [half, len(tau) - half])
        return np.asarray(middle + c[2] * self._turned(tau, c)[0])

    def derivative(self, tau: Array, c: Array) -> Array:
        half = len(tau) // 2
        outwards, along = self._turned(tau, c)
        out = np.zeros((len(tau), 5))
        out[:half, 0] = out[half:, 1] = 1.0
        out[:, 2], out[:, 3], out[:, 4] = outwards, c[2] * along, c[2] * tau * along
        return out

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] * c[4] * self._turned(tau, c)[1])

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray(-c[2] * c[4] ** 2 * self._turned(tau, c)[0])

    def starts(self, tau: Array, x: Array) -> list[Array]:
        half = len(tau) // 2
        x, y, t = x[:half], x[half:], tau[:half]
        a, b, _k = np.linalg.lstsq(np.column_stack([2 * x, 2 * y, np.ones(half)]), x**2 + y**2, rcond=None)[0]
        angle = np.unwrap(np.arctan2(y - b, x - a))
        omega, first = np.polyfit(t, angle, 1)
        return [np.array([a, b, float(np.mean(np.hypot(x - a, y - b))), first, omega])]

    def problem(self, tau: Array, x: Array, c: Array) -> str | None:
        turned = abs(c[4]) * float(tau[len(tau) // 2 - 1] - tau[0])
        return say("circle.too-short") if turned < LEAST_TURN or not c[2] > 0 else None
