"""A steady stretch that ends: only to find when; no models of a segment that a person chooses."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

import numpy as np

from saltus.core.motion.models.base import ACCELERATION, POSITION, TIME, VELOCITY, Model
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array, Kind


class Release(Model):
    """x = x₀ until t₀, then x₀ + ½·a·(t − t₀)²."""

    name = "release"
    parameters: ClassVar[tuple[str, ...]] = ("position", "time", "acceleration")
    kinds: ClassVar[tuple[Kind, ...]] = (POSITION, TIME, ACCELERATION)
    free = 3
    leading = "time"
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + ½ <i>a</i>(<i>t</i> − <i>t</i><sub>0</sub>)²"
    glyph = ((0.0, 0.1), (0.6, 0.05), (1.0, 0.9))

    @property
    def title(self) -> str:
        return say("model.rest")

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + 0.5 * c[2] * np.maximum(tau - c[1], 0.0) ** 2)

    def derivative(self, tau: Array, c: Array) -> Array:
        since = np.maximum(tau - c[1], 0.0)
        return np.column_stack([np.ones_like(tau), -c[2] * since, 0.5 * since**2])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] * np.maximum(tau - c[1], 0.0))

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.where(tau > c[1], c[2], 0.0)

    def starts(self, tau: Array, x: Array) -> list[Array]:
        found = []
        for at in np.linspace(tau[1], tau[-3], 24):
            design = np.column_stack([np.ones_like(tau), 0.5 * np.maximum(tau - at, 0.0) ** 2])
            c = np.linalg.lstsq(design, x, rcond=None)[0]
            found.append((float(np.sum((x - design @ c) ** 2)), float(at), c))
        found.sort(key=lambda f: f[0])
        return [np.array([c[0], at, c[1]]) for _squares, at, c in found[:3]]


class Departure(Release):
    """x = x₀ until t₀, then x₀ + s·(t − t₀) + ½·a·(t − t₀)²: with a kink, as where a cord becomes taut."""

    name = "departure"
    parameters = ("position", "time", "acceleration", "velocity")
    kinds = (POSITION, TIME, ACCELERATION, VELOCITY)
    free = 4

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(super().value(tau, c) + c[3] * np.maximum(tau - c[1], 0.0))

    def derivative(self, tau: Array, c: Array) -> Array:
        after = tau > c[1]
        out = np.column_stack([super().derivative(tau, c), np.maximum(tau - c[1], 0.0)])
        out[:, 1] -= np.where(after, c[3], 0.0)
        return out

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(super().velocity(tau, c) + np.where(tau > c[1], c[3], 0.0))

    def starts(self, tau: Array, x: Array) -> list[Array]:
        found = []
        for at in np.linspace(tau[1], tau[-4], 24):
            since = np.maximum(tau - at, 0.0)
            design = np.column_stack([np.ones_like(tau), 0.5 * since**2, since])
            c = np.linalg.lstsq(design, x, rcond=None)[0]
            found.append((float(np.sum((x - design @ c) ** 2)), float(at), c))
        found.sort(key=lambda f: f[0])
        return [np.array([c[0], at, c[1], c[2]]) for _squares, at, c in found[:3]]
