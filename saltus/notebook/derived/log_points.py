"""Characteristic points of a channel of a recorded log."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.features import Points, points_of
from saltus.core.motion.recorded import points_of_log
from saltus.core.motion.segment import Fitted
from saltus.core.quantities import exact
from saltus.core.units import METRE
from saltus.notebook.logs import unit_of, values_of
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.notebook.logs import Log


@remembered
def log_points(log: Log, channel_name: str) -> Points:
    """Points of a channel as it is zeroed and turned; of a distance those of a motion."""
    channel = log.channel(channel_name)
    if channel is None:
        return Points(())
    factor, unit = unit_of(channel)
    t, first = np.unique(np.asarray(log.times, dtype=float), return_index=True)
    values = values_of(log, channel)[first]
    if unit == METRE:
        return points_of(t, exact(values, METRE), of=Fitted("log", channel.name, "points"))
    return points_of_log(t, values, unit, channel.resolution * factor)
