"""A lane of the timeline: what it shows, at which height."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.geometry.seen import Seen
from saltus.core.motion.expect import expected_place
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.notebook.model import Body, Take


EXPECTED = 3
"""Places told ahead of the last reading."""


@dataclass(frozen=True)
class Lane:
    """What a body's lane shows: coordinate, values and 95 % bars, what is expected next and what in doubt."""

    axis: str
    unit: str
    t: NDArray[np.float64]
    value: NDArray[np.float64]
    U: NDArray[np.float64]
    next_t: NDArray[np.float64]
    next_value: NDArray[np.float64]
    weak_t: NDArray[np.float64]
    weak_value: NDArray[np.float64]


def lane_axis(take: Take, body: Body) -> str:
    """The axis along which a body moves farther."""
    motion = body_motion(take, body)
    spans = [float(np.ptp(q.value)) if len(q) else 0.0 for q in (motion.x, motion.y)]
    return "x" if spans[0] >= spans[1] else "y"


def lane_of(take: Take, body: Body) -> Lane:
    motion, axis = body_motion(take, body), lane_axis(take, body)
    position = motion.of(axis)
    columns, times = body.readings.used, frame_times(take)
    places = []
    if 2 <= len(columns.frame) < len(times):
        for i in range(1, EXPECTED + 1):
            frame = int(columns.frame[-1]) + i * take.step
            place = expected_place(columns.frame, columns.x, columns.y, frame)
            if frame < len(times) and place is not None:
                places.append((frame, *place))
    ahead = len(places)
    weak = body.readings.columns.of("weak")
    places += list(zip(weak.frame.tolist(), weak.x.tolist(), weak.y.tolist(), strict=True))
    at, value = _along(take, axis, places)
    return Lane(
        axis, mapping_of(take).unit.text, motion.t, position.value, NORMAL_95 * position.u_own,
        at[:ahead], value[:ahead], at[ahead:], value[ahead:],
    )  # fmt: skip


def _along(
    take: Take, axis: str, places: list[tuple[int, float, float]]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Times and coordinates of places in the picture."""
    if not places:
        return np.empty(0), np.empty(0)
    frame, x, y = (np.array(column) for column in zip(*places, strict=True))
    nothing = np.zeros(len(frame))
    world = mapping_of(take).world(Seen(x, y, nothing, nothing, frame))
    return frame_times(take)[frame], world[axis == "y"].value
