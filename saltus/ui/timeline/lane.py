"""A lane of the timeline: what it shows, at which height."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.motion.expect import expected_place
from saltus.notebook.derived.motion import body_motion, frame_times, mapping_of

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
    next_t, next_value = [], []
    if 2 <= len(columns.frame) < len(times):
        for i in range(1, EXPECTED + 1):
            frame = int(columns.frame[-1]) + i * take.step
            place = expected_place(columns.frame, columns.x, columns.y, frame)
            if frame < len(times) and place is not None:
                next_t.append(times[frame])
                next_value.append(float(mapping_of(take).place(*place, frame)[axis == "y"]))
    weak = [r for r in body.readings if r.status == "weak"]
    at = [mapping_of(take).place(r.x, r.y, r.frame)[axis == "y"] for r in weak]
    return Lane(
        axis, mapping_of(take).unit.text, motion.t, position.value,
        NORMAL_95 * position.u_own, np.array(next_t), np.array(next_value),
        np.array([times[r.frame] for r in weak]), np.array([float(q) for q in at]),
    )  # fmt: skip
