"""A stopwatch for counted passes: it starts at zero, marks each pass and stops at the planned number."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

State = Literal["ready", "running", "stopped"]


@dataclass
class Watch:
    """The state of one run; all times are those of one steady clock, s.

    Attributes
    ----------
    planned : int
        Passes after the start at which it stops; 1 is a start and a stop.
    passes : list of float
        Moments of the presses; the first is pass 0.
    """

    planned: int = 1
    passes: list[float] = field(default_factory=list)

    @property
    def state(self) -> State:
        """Whether it waits, runs, or has stopped."""
        if not self.passes:
            return "ready"
        return "stopped" if len(self.passes) > self.planned else "running"

    def press(self, now: float) -> bool:
        """Take a press: start, pass or stop.

        Parameters
        ----------
        now : float
            Time of the press on any steady clock, s.

        Returns
        -------
        bool
            False where it counts for nothing, as after the stop.
        """
        if self.state == "stopped" or (self.passes and now <= self.passes[-1]):
            return False
        self.passes.append(now)
        return True

    def elapsed(self, now: float) -> float:
        """What it shows.

        Parameters
        ----------
        now : float
            Time on the clock of the presses, s.

        Returns
        -------
        float
            s: 0 before the start, the whole time after the stop.
        """
        if not self.passes:
            return 0.0
        return (self.passes[-1] if self.state == "stopped" else now) - self.passes[0]

    @property
    def count(self) -> int:
        """Passes after the start: counting begins at zero."""
        return max(len(self.passes) - 1, 0)

    @property
    def mean_cycle(self) -> float | None:
        """Mean time of a cycle so far, s; None before the first."""
        return (self.passes[-1] - self.passes[0]) / self.count if self.count else None

    def expected(self) -> float | None:
        """When the next pass is to be expected, s from the start; None where that cannot be told."""
        cycle = self.mean_cycle
        if cycle is None or self.state == "stopped":
            return None
        return self.passes[-1] - self.passes[0] + cycle

    def again(self) -> None:
        """Begin anew."""
        self.passes.clear()
