"""Coverage of values that are combined: two bodies, two takes, x with y, a segment with a gate, one collision.

Every run draws anew: phase of the frames, true clock, scale, origin, direction, readings, and where ends were laid.
"""

from __future__ import annotations

import math
from fractions import Fraction
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.clock.cycles import Cycles
from saltus.footage.facts import FilmFacts
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.links import links_followed
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.derived.times import count_value, gate_values
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.edits.takes import with_take
from saltus.notebook.geometry import Typed
from saltus.notebook.model import FilmRef, Notebook
from saltus.notebook.readings import Reading, Readings
from saltus.notebook.trials import Link, TrialTable

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take

TICK_S, RATE, FRAMES = 0.002, 30.0, 40
LENGTH_M, U_LENGTH_M, U_END_PX, U_PX = 1.0, 0.005, 1.0, 0.5
U_ORIGIN_PX, U_ANGLE, U_CLOCK = 1.0, math.radians(0.3), 0.003
Path = "Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]"


def filmed(notebook: Notebook, rng: np.random.Generator) -> tuple[Notebook, str, Callable[..., str]]:
    """Add a take with all that is uncertain of it drawn; gives what adds a body on a true path, m, s."""
    true_px = rng.uniform(350, 550)
    true_times = rng.uniform(0, 1 / RATE) + np.arange(FRAMES) / RATE
    clock = 1 + rng.normal(0, U_CLOCK)
    ticks = np.round(true_times * clock / TICK_S).astype(int)
    start, ticks = ticks[0], ticks - ticks[0]
    facts = FilmFacts(
        width=1280, height=720, rotation_deg=0, codec="h264", ticks=tuple(map(int, ticks)),
        time_base=Fraction(TICK_S).limit_denominator(1000), start_ticks=0, last_ticks=1, sound=False,
    )  # fmt: skip
    film = FilmRef(name=f"{len(notebook.takes)}.mp4", size=1, sha256=f"{len(notebook.takes):064x}")
    notebook, take_id = take_edits.add_take(notebook, film, facts)
    ends = rng.normal(0, U_END_PX, 2)
    notebook = scale_edits.lay_reference(
        notebook, take_id, (100.0 + ends[0], 700.0), (100.0 + true_px + ends[1], 700.0)
    )
    length = LENGTH_M + rng.normal(0, U_LENGTH_M)
    typed = Typed(value=length, unit="m", U95=U_LENGTH_M * 1.959964, U95_unit="m")
    notebook = scale_edits.set_reference_length(notebook, take_id, typed)
    angle, origin = rng.uniform(-0.3, 0.3), rng.uniform(200, 400, 2)
    notebook = scale_edits.place_origin(notebook, take_id, tuple(origin + rng.normal(0, U_ORIGIN_PX, 2)))
    axes = notebook.take(take_id).axes.but(
        angle_deg=math.degrees(angle + rng.normal(0, U_ANGLE)), u_angle_deg=math.degrees(U_ANGLE),
        u_origin_px=U_ORIGIN_PX,
    )  # fmt: skip
    notebook = take_edits.change_take(
        notebook, take_id, axes=axes, clock_U95_percent=100 * U_CLOCK * 1.959964
    )

    def add(notebook: Notebook, path: Path) -> tuple[Notebook, str]:
        x, y = (np.asarray(c) * true_px / LENGTH_M for c in path(true_times))
        c, s = math.cos(angle), math.sin(angle)
        right, up = x * c - y * s, x * s + y * c
        seen = np.column_stack([origin[0] + right, origin[1] - up]) + rng.normal(0, U_PX, (FRAMES, 2))
        notebook, body = reading_edits.add_body(notebook, take_id, "body")
        rows = Readings([Reading(n, float(px), float(py)) for n, (px, py) in enumerate(seen)])
        take = notebook.take(take_id)
        bodies = tuple(b.but(readings=rows, u_px=U_PX) if b.id == body else b for b in take.bodies)
        return with_take(notebook, take.but(bodies=bodies)), body

    add.origin_px, add.start_s, add.true_px, add.angle = origin, start * TICK_S, true_px, angle  # type: ignore[attr-defined]
    return notebook, take_id, add


def _speed(notebook: Notebook, take_id: str, body: str, of: str) -> tuple[Notebook, Quantity, str]:
    notebook, segment = segment_edits.add_segment(
        notebook, take_id, body, of=of, frames=(0, FRAMES - 1), model="constant-velocity"
    )
    take = notebook.take(take_id)
    return notebook, segment_fit(take, take.segment(segment)).parameters["velocity"], segment


def straight(v: tuple[float, float], x0: tuple[float, float] = (0.0, 0.0)) -> Path:
    """A straight run."""
    return lambda t: (x0[0] + v[0] * t, x0[1] + v[1] * t)


def one_take(rng: np.random.Generator) -> Iterator[tuple[str, Quantity, float]]:
    """Two bodies against each other, x with y, and a segment with a gate."""
    notebook, take_id, add = filmed(Notebook(), rng)
    v1, v2 = (rng.uniform(0.2, 0.6), rng.uniform(-0.2, 0.2)), (-rng.uniform(0.2, 0.6), rng.uniform(-0.2, 0.2))
    notebook, one = add(notebook, straight(v1))
    notebook, two = add(notebook, straight(v2, (1.0, 0.1)))
    notebook, x1, _s = _speed(notebook, take_id, one, "x")
    notebook, y1, _s = _speed(notebook, take_id, one, "y")
    notebook, x2, _s = _speed(notebook, take_id, two, "x")
    yield "two bodies: v₁ − v₂", x1 - x2, v1[0] - v2[0]
    yield "two bodies: v₁ + v₂", x1 + x2, v1[0] + v2[0]
    yield "two bodies: v₁/v₂", x1 / x2, v1[0] / v2[0]
    yield "x with y: v_x − v_y", x1 - y1, v1[0] - v1[1]
    yield "x with y: speed", (x1**2 + y1**2) ** 0.5, math.hypot(*v1)
    place = notebook.take(take_id).body(one).readings.at(FRAMES // 2)
    notebook, gates = timing_edits.add_gates(
        notebook, take_id, body=one, of="x", place=(place.x + 0.3, place.y), spacing=0.05, number=2
    )
    take: Take = notebook.take(take_id)
    crossed = gate_values(take, take.timing.gate_set(gates))[0]
    if len(crossed) == 2:
        yield "segment with gate: v − v_gate", x1 - crossed[0].crossing.velocity, 0.0
        yield "segment with gate: v/v_gate", x1 / crossed[0].crossing.velocity, 1.0
        between = crossed[1].crossing.time - crossed[0].crossing.time
        yield "gates: time from one to the next", between, 0.05 / v1[0]


def two_takes(rng: np.random.Generator) -> Iterator[tuple[str, Quantity, float]]:
    """The same measured on two takes: speeds and periods."""
    notebook, speeds, periods, truths = Notebook(), [], [], []
    for _take in range(2):
        notebook, take_id, add = filmed(notebook, rng)
        v, period, size = rng.uniform(0.2, 0.6), rng.uniform(0.35, 0.6), rng.uniform(0.1, 0.2)
        phase, dying = rng.uniform(0, 6), rng.uniform(0, 0.3) / period
        notebook, run = add(notebook, straight((v, 0.1)))
        notebook, bob = add(notebook, lambda t, p=period, s=size, f=phase, d=dying: (
            0.4 + s * np.exp(-d * t) * np.sin(2 * math.pi * t / p + f), 0.1 + 0 * t))  # fmt: skip
        notebook, speed, _s = _speed(notebook, take_id, run, "x")
        notebook, count = timing_edits.add_count(
            notebook, take_id, name="swing", how="readings", body=bob, of="x"
        )
        made = count_value(notebook.take(take_id), notebook.take(take_id).timing.count(count))
        speeds.append(speed)
        periods.append(made.period if isinstance(made, Cycles) else None)
        truths.append((v, period))
    yield "two takes: v₁ − v₂", speeds[0] - speeds[1], truths[0][0] - truths[1][0]
    if None not in periods:
        yield "two takes: T₁ − T₂", periods[0] - periods[1], truths[0][1] - truths[1][1]
        yield "two takes: mean of T₁, T₂", (periods[0] + periods[1]) * 0.5, (truths[0][1] + truths[1][1]) / 2


def one_collision(rng: np.random.Generator) -> Iterator[tuple[str, Quantity, float]]:
    """A collision measured once, from one take, its speeds linked into the table of trials."""
    notebook, take_id, add = filmed(Notebook(), rng)
    m1, m2, v = 0.5, rng.uniform(0.3, 1.0), rng.uniform(0.3, 0.7)
    after = m1 * v / (m1 + m2)
    links = []
    for path in (straight((v, 0.0)), straight((after, 0.0), (0.3, 0.0))):
        notebook, body = add(notebook, path)
        notebook, _q, segment = _speed(notebook, take_id, body, "x")
        links.append(Link(source=take_id, place=segment, part="velocity"))
    table = TrialTable(
        investigation="inelastic-collision", givens={"mass_1": f"{m1} kg", "mass_2": f"{m2} kg"}
    )
    notebook, (trial,) = trial_edits.add_trials(trial_edits.start(notebook, table), [{}])
    for column, link in zip(("v1_before", "v_after"), links, strict=True):
        notebook = trial_edits.link_cell(notebook, trial, column, link, "1 m/s")
    outcome = evaluate(links_followed(notebook)).outcome
    yield "one collision: momentum before", outcome.results["momentum_before"], m1 * v
    (momentum,) = [c for c in outcome.compared if c.of == "momentum_after"]
    yield "one collision: change of momentum", momentum.found.difference, 0.0
    lost = 1 - (m1 + m2) * after**2 / (m1 * v**2)
    yield "one collision: energy lost", outcome.results["energy_lost"], lost


def rows(runs: int = 6000) -> list[tuple[str, int, float]]:
    """Name, number of intervals, and share in per cent that held the truth."""
    held: dict[str, list[bool]] = {}
    for number, draw in enumerate((one_take, two_takes, one_collision)):
        rng = np.random.default_rng([41, number])
        for _run in range(runs):
            for name, q, truth in draw(rng):
                held.setdefault(name, []).append(abs(float(q) - truth) <= q.U95)
    return [(name, len(all_), 100 * float(np.mean(all_))) for name, all_ in held.items()]


if __name__ == "__main__":
    import sys

    for row in rows(int(sys.argv[1]) if len(sys.argv) > 1 else 200):
        print(*row)
