"""What the models of an oscillation have in common: their variables, where to begin, what to tell."""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from saltus.core.clock.aliasing import candidates
from saltus.core.motion.models.base import ANGLE, POSITION, TIME, Model
from saltus.core.motion.models.frequencies import likely_frequencies
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array, Kind

LEAST_CYCLES = 0.3
"""Of a shorter stretch the period cannot be told from a bend."""
BY_CHANCE = 0.01
ALIKE = 2
"""So many true rates that look alike are named."""


class Oscillation(Model):
    """Variables: place of rest x₀, a = A·cos φ, b = −A·sin φ, ω, and what else a model needs.

    Told: centre, amplitude A above zero, period, phase φ from −π to π, so that x = x₀ + A·cos(ωt + φ).
    """

    parameters: ClassVar[tuple[str, ...]] = ("centre", "amplitude", "period", "phase")
    kinds: ClassVar[tuple[Kind, ...]] = (POSITION, POSITION, TIME, ANGLE)
    free: ClassVar[int] = 4
    leading = "period"

    def starts(self, tau: Array, x: Array) -> list[Array]:
        return [
            np.array([rest, a, b, omega, *self.more_to_begin(fall, omega, math.hypot(a, b))])
            for rest, a, b, omega, fall in likely_frequencies(tau, x)
        ]

    @abstractmethod
    def more_to_begin(self, fall: float, omega: float, amplitude: float) -> tuple[float, ...]:
        """The other variables to begin with, for an amplitude (position) that falls so fast, 1/s."""

    def told(self, c: Array) -> tuple[Array, Array]:
        _rest, a, b, omega = c[:4]
        square = a * a + b * b
        size = math.sqrt(square)
        values = np.array([c[0], size, 2 * math.pi / abs(omega), math.atan2(-b * math.copysign(1, omega), a)])
        d = np.zeros((4, len(c)))
        d[0, 0] = 1.0
        if size > 0:
            d[1, 1:3] = a / size, b / size
            d[3, 1:3] = np.array([b, -a]) / square * math.copysign(1, omega)
        d[2, 3] = -2 * math.pi / (omega * abs(omega))
        return values, d

    def amplitude(self, tau: Array, c: Array) -> Array | None:
        """How far the swing reaches at times; None for one whose amplitude lasts.

        Parameters
        ----------
        tau : (N,) ndarray
            s
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        (N,) ndarray or None
            In the unit of position.
        """
        return None

    def cycles(self, tau: Array, c: Array) -> float:
        """How many cycles the readings reach over, dimensionless.

        Parameters
        ----------
        tau : (N,) ndarray
            s
        c : (P,) ndarray
            Variables, SI.
        """
        return self.rate(c) * float(tau[-1] - tau[0])

    def rate(self, c: Array) -> float:
        """Cycles per second.

        Parameters
        ----------
        c : (P,) ndarray
            Variables, SI.

        Returns
        -------
        float
            Hz, above zero.
        """
        return 1 / float(self.told(c)[0][2])

    def problem(self, tau: Array, x: Array, c: Array) -> str | None:
        cycles = self.cycles(tau, c)
        if cycles < LEAST_CYCLES:
            return say("oscillation.too-short")
        if cycles > (len(tau) - 1) / 2 * 1.001:
            return say("oscillation.too-few-readings")
        squares = float(np.sum((x - self.value(tau, c)) ** 2))
        gained = float(np.sum((x - x.mean()) ** 2)) - squares
        degrees = max(len(tau) - self.free, 1)
        # the highest of so many independent lines of a spectrum of noise is exponential with this size
        if gained <= 2 * squares / degrees * math.log(len(tau) / BY_CHANCE):
            return say("oscillation.none-seen")
        return None

    def notes(self, tau: Array, c: Array) -> tuple[str, ...]:
        spacing = float(np.median(np.diff(tau)))
        frames, seen = 1 / spacing, self.rate(c)
        if seen > frames / 2:
            return ()
        others = [f for f in candidates(seen, frames) if f > seen * (1 + 1e-9)][:ALIKE]
        words = [f"{f:.4g}" for f in others]
        return (say("oscillation.alike", rate=frames, first=words[0], second=words[1]),)


def wave(count: int = 40, cycles: float = 2.0, fall: float = 0.0) -> tuple[tuple[float, float], ...]:
    """A glyph: position against time of so many cycles, 0 to 1."""
    s = np.linspace(0, 1, count)
    up = 0.5 + 0.45 * np.exp(-fall * s) * np.cos(2 * np.pi * cycles * s)
    return tuple(zip(s.tolist(), up.tolist(), strict=True))
