"""What a segment that swings shows beside its model: passings, and what more swings would bring."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.clock import with_stamps
from saltus.core.clock.cycles import Cycles, cycles
from saltus.core.clock.gates import Crossed
from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.longer import u_if_longer
from saltus.core.motion.models.cyclic import Oscillation
from saltus.core.motion.segment import SegmentFit
from saltus.notebook.derived.frame_clock import clock_of
from saltus.notebook.derived.motion import motion_in, segment_fit, segment_mask
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.notebook.model import Segment, Take

    Array = NDArray[np.float64]

FEWEST_PASSINGS = 3
MORE = (1.5, 2.0, 3.0)
"""Lengths, in lengths of the record, for which the gain is told."""


@dataclass(frozen=True)
class SwingShown:
    """A swing: its fit, its passings, and u of the period by readings for lengths of the record.

    Attributes
    ----------
    fit : SegmentFit
    cycles : Cycles or None
    n : float
        Cycles in the segment.
    more : tuple of (float, float)
        Cycles, and the standard uncertainty of the period by reading, s; the present ones first.
    """

    fit: SegmentFit
    cycles: Cycles | None
    n: float
    more: tuple[tuple[float, float], ...]


@remembered
def swing_shown(take: Take, segment: Segment) -> SwingShown | None:
    """What a swing shows; None for other models, or where it cannot be fitted."""
    fit, body = segment_fit(take, segment), take.body(segment.body)
    if body is None or not isinstance(fit, SegmentFit) or not isinstance(fit.model, Oscillation):
        return None
    motion = motion_in(take, body, segment.of)
    chosen = np.flatnonzero(segment_mask(motion, segment))
    t = motion.t[chosen]
    try:
        position = motion.of(segment.of)[chosen]
    except PivotError:
        return None
    found = None
    if len(t) > 1 and np.all(np.diff(t) > 0):
        stamped = with_stamps(position, fit.velocity(t), clock_of(take), motion.frames[chosen])
        followed = bool(motion.followed[chosen].any())
        of = Crossed(take.id, body.id, segment.of, segment.id, motion.frames[chosen], followed)
        found = cycles(t, stamped, None, clock_of(take), of)
    n = fit.model.cycles(t, fit.variables)
    more = tuple((n * times, u_if_longer(fit, t, "period", times)) for times in (1.0, *MORE))
    return SwingShown(fit, found, n, more)


def envelope(fit: SegmentFit, t: Array) -> tuple[Array, Array] | None:
    """Upper and lower edge of a swing at times (N,) s; None where its amplitude lasts."""
    model, c = fit.model, fit.variables
    reach = model.amplitude(t - fit.start_s, c) if isinstance(model, Oscillation) else None
    return None if reach is None else (c[0] + reach, c[0] - reach)


@dataclass(frozen=True)
class OffBeat:
    """Passings against an even beat.

    Attributes
    ----------
    numbers, times : (N,) ndarray
        Number of each passing, and when it was, s.
    off, U : (N,) ndarray
        How much later than an even beat laid through them all, and the 95 % of each passing, s.
    """

    numbers: Array
    times: Array
    off: Array
    U: Array


def off_beat(shown: SwingShown) -> OffBeat | None:
    """How far the passings of a swing lie from an even beat; None for fewer than three."""
    found = shown.cycles
    if found is None or len(found.passings) < FEWEST_PASSINGS:
        return None
    numbers = np.array(found.numbers, dtype=float)
    times = np.array([float(q) for q in found.passings])
    period, first = np.polyfit(numbers, times, 1)
    U = np.array([q.U95 for q in found.passings])
    return OffBeat(numbers, times, times - first - period * numbers, U)
