"""What the times of the frames tell: rate, regularity, missing frames."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import ArrayLike

ONE_PERCENT = 0.01
MOSTLY = 0.75
"""Frames count as missing only in a recording that otherwise keeps its beat this often."""


@dataclass(frozen=True)
class Regularity:
    """How evenly the frames of a recording follow each other.

    Attributes
    ----------
    spacing_s : float or None
        Median time from one frame to the next, s; None for fewer than two frames.
    nominal_rate : float or None
        Frames − 1 over the span of the times, Hz.
    variable : bool
        Some spacing differs from the median by more than one tick and 1 %, and is not a whole number of
        missing frames.
    gaps : tuple of int
        Frames after which frames are missing.
    missing : tuple of int
        How many are missing at each gap.
    jitter_s : float
        Standard deviation of the spacings that are not gaps, s.
    """

    spacing_s: float | None
    nominal_rate: float | None
    variable: bool
    gaps: tuple[int, ...]
    missing: tuple[int, ...]
    jitter_s: float

    @property
    def usual_rate(self) -> float | None:
        """Rate between frames that are not missing, Hz; None for a single frame."""
        return 1 / self.spacing_s if self.gaps and self.spacing_s else self.nominal_rate


def regularity(times: ArrayLike, tick_s: float) -> Regularity:
    """Judge the frame times of a recording.

    Parameters
    ----------
    times : (N,) array_like
        Presentation times in order, s.
    tick_s : float
        The container's tick, s: times are whole multiples of it.

    Returns
    -------
    Regularity
    """
    t = np.asarray(times, dtype=float)
    if t.size < 2 or t[-1] <= t[0]:
        return Regularity(None, None, variable=False, gaps=(), missing=(), jitter_s=0.0)
    spacing = np.diff(t)
    median = float(np.median(spacing))
    rate = (t.size - 1) / float(t[-1] - t[0])
    # a hair above one tick: times are rounded to the tick at both ends and carry float noise
    slack = 1.001 * tick_s + 1e-12
    off_beat = np.abs(spacing - median)
    even = (off_beat <= slack) | (off_beat <= ONE_PERCENT * median)
    if median <= 0:
        return Regularity(median, rate, variable=True, gaps=(), missing=(), jitter_s=float(np.std(spacing)))
    whole = np.rint(spacing / median)
    lattice = np.abs(spacing - whole * median)
    multiple = (whole >= 2) & ((lattice <= slack) | (lattice <= ONE_PERCENT * median))
    # a beat that is mostly irregular has no frames to miss: its long spacings are just long
    steady = float(np.mean(even)) >= MOSTLY
    gap = multiple & ~even & steady
    odd = ~even & ~gap
    kept = spacing[~gap]
    return Regularity(
        spacing_s=median,
        nominal_rate=rate,
        variable=bool(odd.any()),
        gaps=tuple(int(i) for i in np.flatnonzero(gap)),
        missing=tuple(int(whole[i]) - 1 for i in np.flatnonzero(gap)),
        jitter_s=float(np.std(kept)) if kept.size > 1 else 0.0,
    )
