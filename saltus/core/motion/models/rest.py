"""A body at rest."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import POSITION, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class Rest(Model):
    """x = x₀."""

    name = "rest"
    parameters = ("position",)
    kinds = (POSITION,)
    free = 1
    linear = True
    leading = "position"
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub>"
    glyph = ((0.0, 0.5), (1.0, 0.5))

    @property
    def title(self) -> str:
        return say("model.rest")

    def value(self, tau: Array, c: Array) -> Array:
        return np.full(tau.shape, c[0])

    def derivative(self, tau: Array, c: Array) -> Array:
        return np.ones((tau.size, 1))

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.zeros(tau.shape)

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.zeros(tau.shape)

    def starts(self, tau: Array, x: Array) -> list[Array]:
        return [np.array([float(np.mean(x))])]
