"""How often the stated 95 % intervals of models, events and points hold, over simulated takes: a part of docs/coverage.md."""

from __future__ import annotations

import math
import sys

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.motion.events import Sides, event_of
from saltus.core.motion.features import points_of
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import SegmentFit, fit_segment, fit_together
from saltus.core.quantities import family
from saltus.core.units import METRE, RADIAN

RUNS = 800
U_SCALE, U_RATE = 0.005, 0.002


def _swing(rng, span, size):
    phase = rng.uniform(-math.pi, math.pi)
    cycles = math.exp(rng.uniform(math.log(1), math.log(20)))
    return [rng.normal(0, 0.1), size * math.cos(phase), size * math.sin(phase), 2 * math.pi * cycles / span]


DRAWN = {
    "rest": lambda r, _s: [r.normal()],
    "constant-velocity": lambda r, _s: r.normal(0, 1, 2),
    "constant-acceleration": lambda r, _s: r.normal(0, 1, 3),
    "oscillation": lambda r, s: _swing(r, s, r.uniform(0.05, 0.15)),
    "damped-oscillation": lambda r, s: [*_swing(r, s, r.uniform(0.05, 0.15)), r.uniform(0, 3) / s],
    "quadratic-damped-oscillation": lambda r, s: [*_swing(r, s, r.uniform(0.05, 0.15)), r.uniform(0, 3) / s],
    "large-oscillation": lambda r, s: _swing(r, s, r.uniform(0.5, 2.0)),
    "exponential": lambda r, s: [r.normal(), r.uniform(0.3, 1), r.uniform(1, 5) / s],
    "terminal-approach": lambda r, s: [r.normal(), r.uniform(0, 0.3), r.uniform(1, 2), r.uniform(0.15, 0.4) * s],
    "terminal-approach-linear": lambda r, s: [
        r.normal(), r.uniform(0, 0.3), r.uniform(1, 2), r.uniform(0.15, 0.3) * s,
    ],
    "uniform-rotation": lambda r, _s: r.normal(0, 3, 2),
    "angular-acceleration": lambda r, _s: r.normal(0, 3, 3),
    "projectile": lambda r, _s: [*r.normal(0, 2, 4), 9.8],
    "circle": lambda r, s: [*r.normal(0, 1, 2), r.uniform(0.3, 1), r.normal(), r.uniform(2, 20) / s],
}  # fmt: skip


def _read(values, u, axis, angular, wrong_scale):
    """Readings with noise already in them, as measured with a scale that is common and uncertain."""
    unit = RADIAN if angular else METRE
    measured = values * (1.0 if angular else wrong_scale)
    q = family(measured, np.full(len(values), u), unit, sources.reading("t", "b", axis))
    return q if angular else q.with_source(sources.scale_length("t"), measured * U_SCALE)


def measure_model(name, rng):
    """Counts of held and stated intervals by parameter."""
    model, out, refused = MODELS[name], {}, 0
    for _run in range(RUNS):
        n, span, u = int(rng.integers(60, 240)), rng.uniform(1, 4), 0.001 * math.exp(rng.uniform(0, 1.5))
        tau = np.arange(n) * span / (n - 1)
        c = np.array(DRAWN[name](rng, span), dtype=float)
        scale, rate = 1 + rng.normal(0, U_SCALE), 1 + rng.normal(0, U_RATE)
        t, clock = tau * rate, Clock(0.0, U_RATE, "t")
        values = model.value(np.tile(tau, 2) if model.together else tau, c)
        values = values + rng.normal(0, u, len(values))
        if model.together:
            both = (
                _read(v, u, axis, False, scale) for v, axis in zip(np.split(values, 2), "xy", strict=True)
            )
            fit = fit_together(model, t, *both, clock)
        else:
            fit = fit_segment(model, t, _read(values, u, "x", model.angular, scale), clock)
        if not isinstance(fit, SegmentFit):
            refused += 1
            continue
        for q, (parameter, truth) in zip(
            fit.parameters.values(), zip(model.parameters, model.told(c)[0], strict=True), strict=True
        ):
            off = float(q) - truth
            if parameter == "phase" or (name == "circle" and parameter == "angle"):
                off = math.remainder(off, 2 * math.pi)
            held = out.setdefault(parameter, [0, 0])
            held[0] += abs(off) <= q.U95
            held[1] += 1
    return out, refused


def measure_events(rng):
    """Counts for what an event states."""
    names = ("before", "after", "change", "slope_before", "slope_after", "at")
    out = {name: [0, 0] for name in names}
    tau = np.arange(120) / 60
    for _run in range(2 * RUNS):
        at, before, after = rng.uniform(0.95, 1.05), rng.uniform(0.3, 0.6), rng.uniform(-0.3, 0.25)
        slopes, u = rng.normal(0, 0.03, 2), 0.0005 * math.exp(rng.uniform(0, 1.5))
        scale, rate = 1 + rng.normal(0, U_SCALE), 1 + rng.normal(0, U_RATE)
        since = tau - at
        sides = [v * since + 0.5 * a * since**2 for v, a in zip((before, after), slopes, strict=True)]
        x = np.where(since < 0, *sides) + rng.normal(0, u, 120)
        t = tau * rate
        event = event_of(
            t,
            _read(x, u, "x", False, scale),
            Sides((t > 0.15) & (t < 0.9), t > 1.1),
            None,
            Clock(0, U_RATE, "t"),
        )
        for name, truth in zip(names, (before, after, after - before, *slopes, at), strict=True):
            q = getattr(event, name)
            out[name][0] += abs(float(q) - truth) <= q.U95
            out[name][1] += 1
    return out


def measure_points(rng):
    """Counts for times and values of the points of swings, and how many were invented or missed."""
    out, other, missed = {}, 0, 0
    for _run in range(RUNS // 2):
        period, size, phase = rng.uniform(0.8, 2), rng.uniform(0.05, 0.2), rng.uniform(0, 6.3)
        rate, u = rng.choice([30, 60, 120]), size * rng.choice([0.002, 0.01, 0.04])
        t, omega = np.arange(int(3 * rate)) / rate, 2 * math.pi / period
        x = size * np.cos(omega * t + phase) + rng.normal(0, u, len(t))
        found = points_of(t, family(x, np.full(len(t), u), METRE, sources.reading("t", "b", "x"))).points
        turned = sum(p.kind == "turning" for p in found)
        missed += turned < (omega * (t[-1] - 0.25) + phase) // math.pi - (omega * 0.25 + phase) // math.pi
        for p in found:
            late = {"turning": 0.0, "zero": 0.5, "fastest": 0.5}.get(p.kind)
            if late is None:
                other += 1
                continue
            n = round((omega * float(p.time) + phase) / math.pi - late)
            truths = {"time": ((n + late) * math.pi - phase) / omega}
            if p.kind == "turning":
                truths |= {"position": size * (-1) ** n, "acceleration": -size * omega**2 * (-1) ** n}
            else:
                truths["velocity"] = -omega * size * (-1) ** n
            for what, truth in truths.items():
                q, held = getattr(p, what), out.setdefault(f"{p.kind}, {what}", [0, 0])
                held[0] += abs(float(q) - truth) <= q.U95
                held[1] += 1
    return out, other, missed


def lines():
    """The part of docs/coverage.md, line by line."""
    rng = np.random.default_rng(20)
    yield "\n## Models, events and points: everything uncertain drawn anew in each run\n"
    yield f"{RUNS} takes a model, with phase, rate, length of the record, noise, scale and clock drawn; a cell of {RUNS} has a"
    yield "standard error of 0.8 %. *said nothing*: how many fits gave a sentence in place of numbers.\n"
    yield "| model | parameter: intervals that hold | said nothing |\n|---|---|---|"
    held = stated = 0
    for name in MODELS:
        found, refused = measure_model(name, rng)
        cells = ", ".join(f"{p} {100 * a / b:.1f} %" for p, (a, b) in found.items())
        held += sum(a for a, _b in found.values())
        stated += sum(b for _a, b in found.values())
        yield f"| {name} | {cells} | {refused} |"
    yield f"\nPooled: {100 * held / stated:.2f} % of {stated}.\n"
    events = measure_events(rng)
    cells = ", ".join(f"{name} {100 * a / b:.1f} %" for name, (a, b) in events.items())
    yield f"Events, {2 * RUNS} drawn impacts: {cells}.\n"
    points, other, missed = measure_points(rng)
    cells = ", ".join(f"{name} {100 * a / b:.1f} %" for name, (a, b) in points.items())
    yield f"Points of {RUNS // 2} drawn swings: {cells}. Points of another kind: {other}; swings with a turn missed: {missed}."


if __name__ == "__main__":
    for line in lines():
        print(line)
        sys.stdout.flush()
