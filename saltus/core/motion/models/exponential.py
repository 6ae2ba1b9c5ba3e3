"""A body that comes nearer to a limit, the slower the nearer it is."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import POSITION, RATE, Model
from saltus.core.motion.models.decay_rates import likely_times
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array


class Exponential(Model):
    """x = limit + amplitude·e^(−rate·t)."""

    name = "exponential"
    parameters = ("limit", "amplitude", "rate")
    kinds = (POSITION, POSITION, RATE)
    free = 3
    leading = "rate"
    equation = "<i>{s}</i> = <i>{s}</i><sub>∞</sub> + <i>A</i> e<sup>−<i>rt</i></sup>"
    glyph = ((0.0, 0.05), (0.15, 0.9), (1.0, 0.95))

    @property
    def title(self) -> str:
        return say("model.exponential")

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[1] * np.exp(-c[2] * tau))

    def derivative(self, tau: Array, c: Array) -> Array:
        fall = np.exp(-c[2] * tau)
        return np.column_stack([np.ones_like(tau), fall, -c[1] * tau * fall])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(-c[2] * c[1] * np.exp(-c[2] * tau))

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] ** 2 * c[1] * np.exp(-c[2] * tau))

    def starts(self, tau: Array, x: Array) -> list[Array]:
        def design(time: float) -> Array:
            return np.column_stack([np.ones_like(tau), np.exp(-tau / time)])

        return [np.array([*c, 1 / t]) for t, c in likely_times(tau, x, design, both_ways=True)]
