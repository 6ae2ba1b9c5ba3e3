"""A body that comes nearer to a terminal speed, held back in proportion to the square of its speed."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.models.base import POSITION, TIME, VELOCITY, Model
from saltus.core.motion.models.decay_rates import likely_times
from saltus.core.sentences import say

if TYPE_CHECKING:
    from saltus.core.motion.models.base import Array

REACHED, BARELY = 0.25, 20.0
"""Time of approach below which (in spacings of the readings) a speed stood from the start, and above which
(in lengths of the record) it is nowhere in sight."""
NEARLY = 0.99
AHEAD = (1.0, 1.1, 1.4, 2.0, 4.0)
"""The terminal speed tried, in speeds at the end."""


class TerminalApproach(Model):
    """v' = (w − v²/w)/T: x = x₀ + w·T·ln(cosh(t/T) + (v₀/w)·sinh(t/T)), w the terminal velocity.

    T is the terminal speed over the acceleration with which the body would start from rest. Fourth variables:
    x₀, v₀, w with its sign, T.
    """

    name = "terminal-approach"
    parameters = ("terminal_speed", "position", "velocity", "approach_time")
    kinds = (VELOCITY, POSITION, VELOCITY, TIME)
    free = 4
    leading = "terminal_speed"
    equation = "<i>v</i>′ = <i>a</i>(1 − <i>v</i>²/<i>v</i><sub>∞</sub>²)"
    glyph = ((0.0, 0.0), (0.35, 0.02), (1.0, 0.9))

    @property
    def title(self) -> str:
        return say("model.terminal-approach")

    def told(self, c: Array) -> tuple[Array, Array]:
        d = np.zeros((4, 4))
        d[0, 2] = math.copysign(1, c[2])
        d[1, 0] = d[2, 1] = d[3, 3] = 1.0
        return np.array([abs(c[2]), c[0], c[1], c[3]]), d

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[2] * c[3] * self._parts(tau, c)[0])

    def _parts(self, tau: Array, c: Array) -> tuple[Array, Array, Array]:
        """L = ln(cosh s + r·sinh s), and its derivatives by s = t/T and r = v₀/w; no power overflows."""
        s, r = tau / c[3], c[1] / c[2]
        fall = np.exp(-2 * np.maximum(s, -300.0))
        with np.errstate(invalid="ignore", divide="ignore"):
            inner = (1 + r) / 2 + (1 - r) / 2 * fall
            return s + np.log(inner), 1 - (1 - r) * fall / inner, (1 - fall) / 2 / inner

    def derivative(self, tau: Array, c: Array) -> Array:
        log, by_s, by_r = self._parts(tau, c)
        w, time = c[2], c[3]
        by_time = w * log - w * tau / time * by_s
        return np.column_stack([np.ones_like(tau), time * by_r, time * log - time * c[1] / w * by_r, by_time])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] * self._parts(tau, c)[1])

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] / c[3] * (1 - (self.velocity(tau, c) / c[2]) ** 2))

    def starts(self, tau: Array, x: Array) -> list[Array]:
        third = max(len(tau) // 3, 2)
        last = float(np.polyfit(tau[-third:], x[-third:], 1)[0]) or 1e-9
        found: list[tuple[float, int, Array]] = []
        for ahead in AHEAD:

            def design(time: float, w: float = ahead * last) -> Array:
                """Of x₀ and of how much is missing at the start, for a terminal velocity and a time."""
                missing = w * time * np.expm1(-tau / time)
                return np.column_stack([np.ones_like(tau), missing])

            for time, (_first, part) in likely_times(tau, x - ahead * last * tau, design):
                c = np.array([x[0], ahead * last * (1 - min(max(part, -9.0), 1.9)), ahead * last, time])
                c[0] += float(np.mean(x - self.value(tau, c)))
                found.append((float(np.sum((x - self.value(tau, c)) ** 2)), len(found), c))
        return [c for _squares, _n, c in sorted(found, key=lambda f: f[:2])[:3]]

    def problem(self, tau: Array, x: Array, c: Array) -> str | None:
        span = float(tau[-1] - tau[0])
        if not c[3] > REACHED * span / max(len(tau) - 1, 1):
            return say("terminal.from-the-start")
        return say("terminal.not-in-sight") if c[3] > BARELY * span else None

    def notes(self, tau: Array, c: Array) -> tuple[str, ...]:
        """How near the speed has come by the last reading, and how long the rest would take."""
        last = float(tau[-1])
        share = abs(float(self.velocity(np.array([last]), c)[0]) / c[2])
        if share >= NEARLY:
            return (say("terminal.reached", percent=f"{100 * min(share, 1.0):.3g}"),) if share < 1.01 else ()
        later = last + np.linspace(0, 20 * c[3], 2001)
        near = np.abs(self.velocity(later, c) / c[2]) >= NEARLY
        more = float(later[int(np.argmax(near))] - last)
        return (say("terminal.not-yet", percent=f"{100 * share:.3g}", more=f"{more:.2g}"),)


class LinearTerminalApproach(TerminalApproach):
    """v' = (w − v)/T: x = x₀ + w·t + (v₀ − w)·T·(1 − e^(−t/T)), held back in proportion to the speed."""

    name = "terminal-approach-linear"
    equation = "<i>v</i>′ = <i>a</i>(1 − <i>v</i>/<i>v</i><sub>∞</sub>)"

    @property
    def title(self) -> str:
        return say("model.terminal-approach-linear")

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[0] + c[2] * tau - (c[1] - c[2]) * c[3] * np.expm1(-tau / c[3]))

    def derivative(self, tau: Array, c: Array) -> Array:
        s, missing = tau / c[3], -c[3] * np.expm1(-tau / c[3])
        by_time = (c[1] - c[2]) * (missing / c[3] - s * np.exp(-s))
        return np.column_stack([np.ones_like(tau), missing, tau - missing, by_time])

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(c[2] + (c[1] - c[2]) * np.exp(-tau / c[3]))

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray((c[2] - c[1]) / c[3] * np.exp(-tau / c[3]))

    def starts(self, tau: Array, x: Array) -> list[Array]:
        def design(time: float) -> Array:
            return np.column_stack([np.ones_like(tau), tau, -time * np.expm1(-tau / time)])

        return [np.array([c[0], c[1] + c[2], c[1], time]) for time, c in likely_times(tau, x, design)]
