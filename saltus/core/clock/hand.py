"""A person's hand on a stopwatch: how far its presses scatter, how late they come, and a time from two."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core import sources
from saltus.core.coverage import NORMAL_95, student_95
from saltus.core.quantities import exact, measured
from saltus.core.units import SECOND

if TYPE_CHECKING:
    from numpy.typing import ArrayLike

    from saltus.core.quantity import Quantity

ASSUMED_S = 0.1
"""Standard uncertainty of one press of a hand that was not measured, s."""
FEWEST = 6
"""Presses under which a scatter says too little to be used."""
WATCH_STEP_S = 0.01
Judged = Literal["predicted", "seen"]
"""How a moment is met: foreseen, as a crossing, or answered to, as a light or a call."""


@dataclass(frozen=True)
class Hand:
    """How a person presses.

    Attributes
    ----------
    name : str
        Stable; names its sources.
    u : float
        Scatter of one press, standard deviation, s.
    dof : float
        Its degrees of freedom; infinite where it is assumed.
    lateness, u_lateness : float
        Mean of press minus true moment and its standard uncertainty, s.
    n : int
        Presses it rests on; 0 where it is assumed.
    """

    name: str
    u: float = ASSUMED_S
    dof: float = math.inf
    lateness: float = 0.0
    u_lateness: float = 0.0
    n: int = 0

    @property
    def measured(self) -> bool:
        """Whether it rests on presses."""
        return self.n > 0

    @property
    def U95(self) -> float:
        """Half-width of the interval that holds 95 of 100 presses about their mean, s."""
        return self.u * (NORMAL_95 if math.isinf(self.dof) else student_95(self.dof))

    @property
    def u_normal(self) -> float:
        """Scatter as a standard deviation that allows for the few presses it rests on, s.

        u·√(ν/(ν − 2)), the standard deviation of Student's t (GUM Supplement 1, 6.4.9.4).
        """
        return self.u if math.isinf(self.dof) else self.u * math.sqrt(self.dof / (self.dof - 2))


def hand_of(presses: ArrayLike, name: str = "hand") -> Hand:
    """Sum up a reaction test.

    Parameters
    ----------
    presses : (N,) array_like
        Press minus true moment, s.
    name : str

    Returns
    -------
    Hand
        An assumed one where there are fewer than six presses, or all are alike.
    """
    late = np.asarray(presses, dtype=float)
    if late.size < FEWEST:
        return Hand(name)
    u = float(np.std(late, ddof=1))
    if not u > 0:
        return Hand(name)
    n = int(late.size)
    return Hand(name, u, n - 1.0, float(np.mean(late)), u / math.sqrt(n), n)


def timed_by_hand(
    shown_s: float, start: Hand, stop: Hand, name: str = "run", step_s: float = WATCH_STEP_S
) -> Quantity:
    """Give the time between two presses of a stopwatch.

    Parameters
    ----------
    shown_s : float
        What the watch shows, s.
    start, stop : Hand
        The same hand where both moments were judged the same way: its lateness cancels then. Otherwise the
        difference of the two is taken off, as uncertain as it is.
    name : str
        Of this timing; its presses are independent of all others.
    step_s : float
        Last digit of the watch, s.

    Notes
    -----
    Scatter at both ends in quadrature, with the degrees of freedom of the test (they share one estimate),
    and the step of the watch at both ends, uniform.
    """
    scatter = math.hypot(start.u, stop.u)
    alike = start == stop
    dof = start.dof if alike else _welch(start, stop)
    q = measured(shown_s, scatter, SECOND, sources.hand_presses(name, dof))
    for end in ("start", "stop"):
        q = q + measured(0.0, step_s / math.sqrt(12), SECOND, sources.watch_digits(name), end)
    if alike or not (start.measured and stop.measured):
        return q
    q = q + exact(start.lateness - stop.lateness, SECOND)
    late = [
        measured(0.0, hand.u_lateness, SECOND, sources.hand_lateness(hand.name)) for hand in (start, stop)
    ]
    return q + late[0] - late[1]


def _welch(start: Hand, stop: Hand) -> float:
    """Degrees of freedom of two scatters in quadrature (Welch and Satterthwaite)."""
    under = sum(h.u**4 / h.dof for h in (start, stop))
    return (start.u**2 + stop.u**2) ** 2 / under if under > 0 else math.inf


def certain_places(U: float) -> int:
    """Decimals of a time that its 95 % uncertainty leaves certain; finer ones are shown pale.

    Parameters
    ----------
    U : float
        Expanded uncertainty, s.

    Returns
    -------
    int
        0 to 2.
    """
    return max(0, min(2, -math.floor(math.log10(U)))) if U > 0 else 2
