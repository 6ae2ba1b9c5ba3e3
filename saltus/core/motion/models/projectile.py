"""A body that flies freely: x and y together, one fall for both."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import ACCELERATION, ANGLE, POSITION, VELOCITY, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class Projectile(Model):
    """x = x₀ + vx·t, y = y₀ + vy·t − ½·g·t²; y points upwards. Speed and launch angle at the start."""

    name = "projectile"
    parameters = ("x", "y", "vx", "vy", "g", "speed", "launch_angle")
    kinds = (POSITION, POSITION, VELOCITY, VELOCITY, ACCELERATION, VELOCITY, ANGLE)
    free = 5
    linear = True
    together = True
    leading = "g"
    equation = (
        "<i>y</i> = <i>y</i><sub>0</sub> + <i>v<sub>y</sub> t</i> − ½ <i>g t</i>², "
        "<i>x</i> = <i>x</i><sub>0</sub> + <i>v<sub>x</sub> t</i>"
    )
    glyph = ((0.0, 0.0), (0.5, 1.7), (1.0, 0.0))

    @property
    def title(self) -> str:
        return say("model.projectile")

    def told(self, c: Array) -> tuple[Array, Array]:
        vx, vy = float(c[2]), float(c[3])
        speed = math.hypot(vx, vy)
        d = np.vstack([np.eye(5), np.zeros((2, 5))])
        if speed > 0:
            d[5, 2:4] = vx / speed, vy / speed
            d[6, 2:4] = -vy / speed**2, vx / speed**2
        return np.array([*c, speed, math.atan2(vy, vx)]), d

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(self.derivative(tau, c) @ c)

    def derivative(self, tau: Array, c: Array) -> Array:
        half = len(tau) // 2
        out = np.zeros((len(tau), 5))
        out[:half, 0] = out[half:, 1] = 1.0
        out[:half, 2], out[half:, 3] = tau[:half], tau[half:]
        out[half:, 4] = -0.5 * tau[half:] ** 2
        return out

    def velocity(self, tau: Array, c: Array) -> Array:
        half = len(tau) // 2
        return np.concatenate([np.full(half, c[2]), c[3] - c[4] * tau[half:]])

    def acceleration(self, tau: Array, c: Array) -> Array:
        half = len(tau) // 2
        return np.concatenate([np.zeros(half), np.full(len(tau) - half, -c[4])])

    def starts(self, tau: Array, x: Array) -> list[Array]:
        return [np.asarray(np.linalg.lstsq(self.derivative(tau, np.zeros(5)), x, rcond=None)[0], dtype=float)]
