"""Where a body will be next, from where it was, over the times of the frames."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass

LOOKED_BACK = 4


@dataclass(frozen=True)
class Predicted:
    """Where a body is expected.

    Attributes
    ----------
    x, y : float
        px
    step : float
        Way since the last picture it was found in, px.
    bend : float
        What its acceleration made of that way, px.
    """

    x: float
    y: float
    step: float
    bend: float


class Way:
    """The last places of a body, for saying where it goes.

    Parameters
    ----------
    going : (x, y)
        Velocity while there is only one place, px/s.
    """

    def __init__(self, going: tuple[float, float] = (0.0, 0.0)) -> None:
        self._going = going
        self._places: deque[tuple[float, float, float]] = deque(maxlen=LOOKED_BACK)

    def __len__(self) -> int:
        return len(self._places)

    @property
    def last(self) -> tuple[float, float]:
        """Where it was found last, px."""
        return self._places[-1][1:]

    def add(self, t: float, x: float, y: float) -> None:
        """Note a place.

        Parameters
        ----------
        t : float
            s, after those noted before, or before them all the way.
        x, y : float
            px
        """
        self._places.append((t, x, y))

    @property
    def last_time(self) -> float:
        """When that was, s."""
        return self._places[-1][0]

    @property
    def before_last_time(self) -> float:
        """When it was found the time before, s."""
        return self._places[-2][0]

    def distance_to_line(self, x: float, y: float, t: float) -> float:
        """How far a place is from the line between the last place and the one expected: bodies stop.

        Parameters
        ----------
        x, y : float
            px
        t : float
            When, s.

        Returns
        -------
        float
            px
        """
        x0, y0 = self.last
        ahead = self.ahead(t, far=True)
        dx, dy = ahead.x - x0, ahead.y - y0
        square = dx * dx + dy * dy
        along = min(max(((x - x0) * dx + (y - y0) * dy) / square, 0.0), 1.0) if square else 0.0
        return math.hypot(x - x0 - along * dx, y - y0 - along * dy)

    def velocity(self) -> tuple[float, float]:
        """Velocity between the last two places, px/s."""
        if len(self._places) < 2:
            return self._going
        (t0, x0, y0), (t1, x1, y1) = self._places[-2], self._places[-1]
        return (x1 - x0) / (t1 - t0), (y1 - y0) / (t1 - t0)

    def ahead(self, t: float, *, far: bool = False) -> Predicted:
        """Say where it is at a time.

        Parameters
        ----------
        t : float
            s
        far : bool
            After a gap, when its last acceleration says little.

        Notes
        -----
        Velocity between the last two places; acceleration from the last three, halved: it is a difference of
        differences.
        """
        t1, x1, y1 = self._places[-1]
        vx, vy = self.velocity()
        ax = ay = 0.0
        if len(self._places) >= 3 and not far:
            (ta, xa, ya), (tb, xb, yb) = self._places[-3], self._places[-2]
            between = (t1 - ta) / 2
            ax = (vx - (xb - xa) / (tb - ta)) / between / 2
            ay = (vy - (yb - ya) / (tb - ta)) / between / 2
        dt = t - t1
        lead = dt * (dt + (t1 - self._places[-2][0] if len(self._places) > 1 else 0.0)) / 2
        step = math.hypot(vx, vy) * abs(dt)
        return Predicted(
            x1 + vx * dt + ax * lead, y1 + vy * dt + ay * lead, step, math.hypot(ax, ay) * abs(lead)
        )
