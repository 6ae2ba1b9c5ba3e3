"""A body that moves at constant velocity."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import POSITION, VELOCITY, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class ConstantVelocity(Model):
    """x = x₀ + v·t."""

    name = "constant-velocity"
    parameters = ("position", "velocity")
    kinds = (POSITION, VELOCITY)
    free = 2
    linear = True
    leading = "velocity"
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>v t</i>"
    glyph = ((0.0, 0.0), (1.0, 0.9))

    @property
    def title(self) -> str:
        return say("model.constant-velocity")

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[1] * tau)

    def derivative(self, tau: Array, c: Array) -> Array:
        return np.column_stack([np.ones_like(tau), tau])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.full(tau.shape, c[1])

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.zeros(tau.shape)

    def starts(self, tau: Array, x: Array) -> list[Array]:
        return [np.polyfit(tau, x, 1)[::-1]]
