"""Where the fit of an approach may begin: how fast a record that is linear in all else falls off."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]

TRIED, KEPT = 40, 3
QUICKEST, SLOWEST = 0.5, 8.0
"""Of the times tried: in spacings of the readings, and in lengths of the record."""


def likely_times(
    tau: Array, x: Array, design: Callable[[float], Array], *, both_ways: bool = False
) -> list[tuple[float, Array]]:
    """Find the times of approach with which a record is met best, with what follows linearly.

    Parameters
    ----------
    tau : (N,) ndarray
        s
    x : (N,) ndarray
    design : callable
        From a time of approach, s, to the (N, P) ndarray that is linear in the rest.
    both_ways : bool
        Whether times below zero are tried too: what grows.

    Returns
    -------
    list of (float, (P,) ndarray)
        The best first.
    """
    span = float(tau[-1] - tau[0])
    least = QUICKEST * span / max(len(tau) - 1, 1)
    times = np.geomspace(least, SLOWEST * span, TRIED)
    found: list[tuple[float, float, Array]] = []
    for time in [*times, *(-times if both_ways else ())]:
        with np.errstate(over="ignore", invalid="ignore"):
            table = design(float(time))
        if not np.all(np.isfinite(table)):
            continue
        c = np.asarray(np.linalg.lstsq(table, x, rcond=None)[0], dtype=np.float64)
        found.append((float(np.sum((x - table @ c) ** 2)), float(time), c))
    found.sort(key=lambda f: f[0])
    return [(time, c) for _squares, time, c in found[:KEPT]]
