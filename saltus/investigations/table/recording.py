"""A recorded log as the table of an investigation of records."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.notebook.logs import values_of

if TYPE_CHECKING:
    from saltus.notebook.logs import Log

MOST_ROWS = 5000


def rows_of_log(log: Log, channel_name: str, column: str) -> list[dict[str, str]]:
    """Rows of time and one signal, SI, zeroed and turned as in the log; a very long one is thinned.

    Parameters
    ----------
    log : Log
    channel_name : str
        Of the log.
    column : str
        Of the table.
    """
    channel = log.channel(channel_name)
    assert channel is not None
    values = values_of(log, channel)
    step = -(-len(log.times) // MOST_ROWS)
    at = np.arange(0, len(log.times), max(step, 1))
    return [{"time": f"{log.times[i]:.6g}", column: f"{values[i]:.6g}"} for i in at]
