"""What the lanes of Motion show, as plain graphs: readings, what follows near each, models, residuals."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.motion.models.cyclic import Oscillation
from saltus.core.motion.segment import SegmentFit
from saltus.exchange.chart import Chart, Curve, Label, Points, airy
from saltus.exchange.motion_words import coordinate_scale, coordinate_symbol
from saltus.notebook.derived.motion import coordinate_kind, local_of, motion_in, segment_fit, segment_mask
from saltus.notebook.derived.swing import envelope

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.notebook.derived.motion import BodyMotion
    from saltus.notebook.model import Body, Segment, Take

CHUNK_POINTS, MOST_POINTS = 60, 3000


@dataclass(frozen=True)
class InLanes:
    """What is shown: a body along a coordinate, its segments, the one in hand, readings of a local fit."""

    take: Take
    body: Body
    of: str
    segments: list[Segment]
    segment_id: str | None
    window: int

    @property
    def motion(self) -> BodyMotion:
        """The motion as the coordinate sees it."""
        return motion_in(self.take, self.body, self.of)

    @property
    def fits(self) -> list[tuple[Segment, SegmentFit]]:
        """The segments that have a fit."""
        return [(s, f) for s in self.segments if isinstance(f := segment_fit(self.take, s), SegmentFit)]

    @property
    def reach(self) -> tuple[float, float]:
        """Limits of the time axis, s."""
        return airy([self.motion.t], 0.03)


def lane_chart(name: str, shown: InLanes) -> Chart:
    """The graph of a lane: position, velocity, acceleration or residuals."""
    if name == "residuals":
        return _residuals(shown)
    motion, unit = shown.motion, coordinate_scale(shown.take, shown.of).unit
    position, local = motion.of(shown.of), local_of(motion, shown.of, shown.window)
    v, a = ("ω", "α") if coordinate_kind(shown.of) == "angle" else ("v", "a")
    values, U, label = {
        "position": (position.value, NORMAL_95 * position.u_own, Label(coordinate_symbol(shown.of), unit)),
        "velocity": (local.v, NORMAL_95 * local.u_v, Label(v, f"{unit}/s")),
        "acceleration": (local.a, NORMAL_95 * local.u_a, Label(a, f"{unit}/s²")),
    }[name]
    stretches = [(s, fit, motion.t[segment_mask(motion, s)]) for s, fit in shown.fits]
    curves = [c for _s, fit, t in stretches for c in _curves(name, t, fit, shown.of)]
    spans = tuple((float(t[0]), float(t[-1])) for s, _fit, t in stretches if s.id == shown.segment_id)
    points = Points(motion.t, values, U, shown.body.look, shown.body.name)
    return Chart(Label("t", "s"), label, (points,), tuple(curves), spans, x_range=shown.reach)


def _curves(name: str, times: NDArray[np.float64], fit: SegmentFit, of: str) -> list[Curve]:
    """The curve of a segment in a lane, and the envelope of a swing."""
    cycles = fit.model.cycles(times, fit.variables) if isinstance(fit.model, Oscillation) else 0.0
    t = np.linspace(times[0], times[-1], int(min(CHUNK_POINTS * max(cycles, 1.0), MOST_POINTS)))
    told = {"position": fit.position, "velocity": fit.velocity, "acceleration": fit.acceleration}[name]
    edges = envelope(fit, t) if name == "position" else None
    return [Curve(t, told(t, of)), *(Curve(t, edge, "dashed") for edge in edges or ())]


def _residuals(shown: InLanes) -> Chart:
    """Measured minus fitted of the segment in hand, else of the last."""
    scale, fits = coordinate_scale(shown.take, shown.of), shown.fits
    label = Label(f"Δ{coordinate_symbol(shown.of)}", scale.fine_unit)
    chosen = next(((s, f) for s, f in fits if s.id == shown.segment_id), fits[-1] if fits else None)
    if chosen is None:
        return Chart(Label("t", "s"), label, x_range=shown.reach, y_range=(-1, 1))
    segment, fit = chosen
    t = shown.motion.t[segment_mask(shown.motion, segment)]
    residuals, u = fit.residuals_of(shown.of)
    U = scale.fine * NORMAL_95 * u
    outside = np.abs(scale.fine * residuals) > U
    points = Points(t, scale.fine * residuals, None, shown.body.look, shown.body.name, outside)
    return Chart(Label("t", "s"), label, (points,), band=(t, U), x_range=shown.reach)
