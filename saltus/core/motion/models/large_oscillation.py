"""A pendulum that swings far: its period grows with the amplitude, its course is no cosine."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.fitting.least_squares import least_squares
from saltus.core.motion.models.base import TIME
from saltus.core.motion.models.cyclic import Oscillation, wave
from saltus.core.motion.models.steady_oscillation import SteadyOscillation
from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.motion.models.base import Array

    Complex = NDArray[np.complexfloating[Any, Any]]

TERMS = 24
MEANS = 14
SMALL = 1e-18
_COSINE = SteadyOscillation()
STEP = 1e-30
"""Of a derivative through the complex plane: nothing is subtracted, so it may be as small as one likes."""


class LargeOscillation(Oscillation):
    """θ'' = −ω₀²·sin θ about a centre, of any amplitude below half a turn. Fourth variable: ω₀, 1/s.

    θ = 8·Σ (−1)ⁿ·q^(n+½)/((2n+1)·(1+q^(2n+1)))·cos((2n+1)·(ωt + φ)), q the nome of sin(A/2), and
    T = T₀/agm(1, cos(A/2)) (Abramowitz and Stegun 16.23, 17.6; the period by Gauss's mean). Phase φ from the
    turning point, as of a cosine.
    """

    name = "large-oscillation"
    parameters = (*Oscillation.parameters, "small_period")
    kinds = (*Oscillation.kinds, TIME)
    free = 4
    angular = True
    equation = "<i>{s}</i>″ = −(2π/<i>T</i><sub>0</sub>)² sin(<i>{s}</i> − <i>{s}</i><sub>0</sub>)"
    glyph = wave(cycles=1.5)

    @property
    def title(self) -> str:
        return say("model.large-oscillation")

    def more_to_begin(self, fall: float, omega: float, amplitude: float) -> tuple[float, ...]:
        return ()

    def starts(self, tau: Array, x: Array) -> list[Array]:
        """From the one cosine that comes nearest: a step of this model costs as much as a fit of that one."""
        best: tuple[float, Array] | None = None
        for start in super().starts(tau, x):
            c = least_squares(_COSINE.value, _COSINE.derivative, tau, x, np.ones(len(x)), start)
            squares = math.inf if c is None else float(np.sum((x - _COSINE.value(tau, c)) ** 2))
            if c is not None and (best is None or squares < best[0]):
                best = squares, c
        if best is None:
            return []
        rest, a, b, omega = best[1]
        seen = math.hypot(a, b)
        size = min(seen, 0.9 * math.pi)
        slower = float(_mean(1.0 + 0j, np.cos(size / 2) + 0j).real)
        return [np.array([rest, a * size / seen, b * size / seen, omega / slower])]

    def told(self, c: Array) -> tuple[Array, Array]:
        values, d = super().told(c)
        small, share = values[2], d[2].copy()
        size = values[1]
        slower = _mean(1.0 + 0j, np.cos((size + 1j * STEP) / 2))
        ratio, change = float(slower.real), float(slower.imag) / STEP
        values[2] = small / ratio
        d[2] = share / ratio - small * change / ratio**2 * d[1]
        return np.append(values, small), np.vstack([d, share])

    def _course(self, tau: Complex, c: Complex) -> Complex:
        """The angle, for complex times and variables too."""
        size = np.sqrt(c[1] ** 2 + c[2] ** 2)
        inner, outer = np.cos(size / 2), np.sin(size / 2)
        slower = _mean(1.0 + 0j, inner)
        nome = np.exp(-np.pi * slower / _mean(1.0 + 0j, outer))
        angle = c[3] * slower * tau
        total = np.zeros_like(tau)
        for n in range(TERMS):
            odd = 2 * n + 1
            if abs(nome) ** (n + 0.5) < SMALL:
                break
            size_n = 8 * (-1) ** n * nome ** (n + 0.5) / (odd * (1 + nome**odd))
            turned = _turned(c, size, odd)
            total = total + size_n * (turned[0] * np.cos(odd * angle) + turned[1] * np.sin(odd * angle))
        return np.asarray(c[0] + total)

    def value(self, tau: Array, c: Array) -> Array:
        return np.asarray(self._course(tau + 0j, c + 0j).real)

    def derivative(self, tau: Array, c: Array) -> Array:
        columns = []
        for i in range(len(c)):
            moved = c + 0j
            moved[i] += 1j * STEP
            columns.append(self._course(tau + 0j, moved).imag / STEP)
        return np.column_stack(columns)

    def velocity(self, tau: Array, c: Array) -> Array:
        return np.asarray(self._course(tau + 1j * STEP, c + 0j).imag / STEP)

    def acceleration(self, tau: Array, c: Array) -> Array:
        return np.asarray(-(c[3] ** 2) * np.sin(self.value(tau, c) - c[0]))

    def problem(self, tau: Array, x: Array, c: Array) -> str | None:
        if math.hypot(c[1], c[2]) >= math.pi:
            return say("oscillation.goes-over")
        return super().problem(tau, x, c)


def _turned(c: Complex, size: complex, odd: int) -> tuple[complex, complex]:
    """Cosine of odd·φ and minus its sine, from a = A·cos φ and b = −A·sin φ, without absolute values."""
    cos, sin = c[1] / size, c[2] / size
    real, imag = cos, sin
    for _more in range(odd - 1):
        real, imag = real * cos - imag * sin, real * sin + imag * cos
    return real, imag


def _mean(a: complex, b: complex) -> complex:
    """The arithmetic-geometric mean of Gauss."""
    for _step in range(MEANS):
        a, b = (a + b) / 2, np.sqrt(a * b)
    return a
