"""A swing that dies away, fitted to readings: where it rests, how long it takes, when it passes where.

Only the way to honest passings: it says about when the passings are, how many there are between two, how fast
the body is there, and how far readings scatter. The instants themselves come from the readings about each.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.fitting.least_squares import least_squares

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FEWEST = 8
EXPLAINED = 0.8
"""Share of the variance of the record that a swing must explain to be one."""
LEAST_CYCLES = 0.75
MOST_POINTS, MOST_STARTS = 4096, 2


@dataclass(frozen=True)
class Swing:
    """x = rest + e^(−damping·τ)·(a·cos ωτ + b·sin ωτ), τ = t − start.

    Attributes
    ----------
    start : float
        s.
    rest, a, b : float
        In the unit of the positions.
    damping, omega : float
        1/s.
    scatter : float
        Standard deviation of the readings about it.
    """

    start: float
    rest: float
    damping: float
    omega: float
    a: float
    b: float
    scatter: float

    @property
    def half_period(self) -> float:
        """Time from a passing to the next, s."""
        return math.pi / self.omega

    def passings(self, first: float, last: float) -> list[tuple[float, bool]]:
        """When it passes the place of rest between two times.

        Parameters
        ----------
        first, last : float
            s

        Returns
        -------
        list of (float, bool)
            In order: time, s, and whether upwards.
        """
        # a·cos + b·sin = r·sin(ωτ + φ), upwards where the angle is a whole number of turns
        phase = math.atan2(self.a, self.b)
        low = math.ceil((self.omega * (first - self.start) + phase) / math.pi)
        high = math.floor((self.omega * (last - self.start) + phase) / math.pi)
        return [(self.start + (k * math.pi - phase) / self.omega, k % 2 == 0) for k in range(low, high + 1)]

    def _parameters(self) -> Array:
        return np.array([self.rest, self.damping, self.omega, self.a, self.b])

    def value(self, t: Array) -> Array:
        """Position.

        Parameters
        ----------
        t : (N,) ndarray
            s

        Returns
        -------
        (N,) ndarray
            In the unit of the readings.
        """
        return _value(t - self.start, self._parameters())

    def velocity(self, t: Array) -> Array:
        """Velocity, the derivative of the position.

        Parameters
        ----------
        t : (N,) ndarray
            s

        Returns
        -------
        (N,) ndarray
            In the unit of the readings per second.
        """
        wave = _wave(t - self.start, self._parameters())
        return np.asarray((complex(-self.damping, self.omega) * wave).real)

    def acceleration(self, t: Array) -> Array:
        """Acceleration, the second derivative of the position.

        Parameters
        ----------
        t : (N,) ndarray
            s

        Returns
        -------
        (N,) ndarray
            In the unit of the readings per second squared.
        """
        wave = _wave(t - self.start, self._parameters())
        return np.asarray((complex(-self.damping, self.omega) ** 2 * wave).real)

    def speed(self, t: float) -> float:
        """Speed at a passing of the place of rest: ω·r·exp(−δt), without sign.

        Parameters
        ----------
        t : float
            s

        Returns
        -------
        float
            In the unit of the readings per second.
        """
        tau = t - self.start
        return self.omega * math.hypot(self.a, self.b) * math.exp(-self.damping * tau)


def _wave(tau: Array, c: Array) -> NDArray[np.complex128]:
    """The swing about its rest as the real part of a turning arrow."""
    _rest, damping, omega, a, b = c
    return np.asarray(complex(a, -b) * np.exp(complex(-damping, omega) * tau))


def _value(tau: Array, c: Array) -> Array:
    return np.asarray(c[0] + _wave(tau, c).real)


def _jacobian(tau: Array, c: Array) -> Array:
    _rest, damping, omega, a, b = c
    fall, cos, sin = np.exp(-damping * tau), np.cos(omega * tau), np.sin(omega * tau)
    wave = a * cos + b * sin
    return np.column_stack(
        [np.ones_like(tau), -tau * fall * wave, tau * fall * (b * cos - a * sin), fall * cos, fall * sin]
    )


def swing_of(t: Array, x: Array) -> Swing | None:
    """Fit a swing that dies away to a record; None where the record is none.

    Parameters
    ----------
    t : (N,) ndarray
        Increasing times, s.
    x : (N,) ndarray
        Positions in any unit.

    Notes
    -----
    Least squares (Levenberg 1944) from the highest line of the spectrum and its neighbours, with and without
    damping; for each pair of frequency and damping the other three parameters follow linearly.
    """
    if len(t) < FEWEST or not float(np.ptp(x)) > 0:
        return None
    tau = np.asarray(t - t[0], dtype=float)
    thin = np.arange(0, len(t), max(len(t) // MOST_POINTS, 1))
    best: tuple[float, Array] | None = None
    with np.errstate(all="ignore"):
        for c in _starts(tau[thin], x[thin]):
            found = least_squares(_value, _jacobian, tau, x, np.ones(len(t)), c)
            rest = x - _value(tau, found) if found is not None else np.full(len(t), math.nan)
            squares = float(rest @ rest)
            if found is not None and math.isfinite(squares) and (best is None or squares < best[0]):
                best = (squares, found)
    whole = float(np.sum((x - np.mean(x)) ** 2))
    if best is None or best[0] > (1 - EXPLAINED) * whole:
        return None
    rest_level, damping, omega, a, b = map(float, best[1])
    if omega < 0:
        omega, b = -omega, -b
    turns = omega * float(tau[-1]) / (2 * math.pi)
    if not LEAST_CYCLES <= turns < len(t) / 2 or abs(damping) > 2 * omega:
        return None
    scatter = math.sqrt(best[0] / (len(t) - len(best[1])))
    return Swing(float(t[0]), rest_level, damping, omega, a, b, scatter)


def _starts(tau: Array, x: Array) -> list[Array]:
    """Parameters to begin with: the two best of those about the highest lines of the spectrum."""
    even = np.linspace(0.0, float(tau[-1]), len(tau))
    wave = np.interp(even, tau, x)
    wave = wave - wave.mean()
    size = 1 << (8 * len(tau) - 1).bit_length()
    line = 2 * math.pi * (len(tau) - 1) / (size * float(tau[-1]))
    tried: list[tuple[float, int, Array]] = []
    for window in (np.ones(len(wave)), np.hanning(len(wave))):
        omega = line * (int(np.argmax(np.abs(np.fft.rfft(wave * window, size))[1:])) + 1)
        for factor in (0.75, 0.9, 1.0, 1.1, 1.3):
            for share in (0.0, 0.05):
                c = _linear(tau, x, factor * omega, share * omega)
                rest = x - _value(tau, c)
                tried.append((float(rest @ rest), len(tried), c))
    return [c for _squares, _number, c in sorted(tried)[:MOST_STARTS]]


def _linear(tau: Array, x: Array, omega: float, damping: float) -> Array:
    """All five parameters, of which three follow linearly from the other two."""
    fall = np.exp(-damping * tau)
    design = np.column_stack([np.ones_like(tau), fall * np.cos(omega * tau), fall * np.sin(omega * tau)])
    rest, a, b = np.linalg.lstsq(design, x, rcond=None)[0]
    return np.array([rest, damping, omega, a, b])
