"""A body that moves with constant acceleration."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import ACCELERATION, POSITION, VELOCITY, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class ConstantAcceleration(Model):
    """x = x₀ + v₀·t + ½·a·t²."""

    name = "constant-acceleration"
    parameters = ("position", "velocity", "acceleration")
    kinds = (POSITION, VELOCITY, ACCELERATION)
    free = 3
    linear = True
    leading = "acceleration"
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>v</i><sub>0</sub><i> t</i> + ½ <i>a t</i>²"
    glyph = ((0.0, 0.0), (0.58, 0.0), (1.0, 0.9))

    @property
    def title(self) -> str:
        return say("model.constant-acceleration")

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[1] * tau + 0.5 * c[2] * tau**2)

    def derivative(self, tau: Array, c: Array) -> Array:
        return np.column_stack([np.ones_like(tau), tau, 0.5 * tau**2])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[1] + c[2] * tau)

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.full(tau.shape, c[2])

    def starts(self, tau: Array, x: Array) -> list[Array]:
        c = np.polyfit(tau, x, 2)[::-1]
        return [np.array([c[0], c[1], 2 * c[2]])]
