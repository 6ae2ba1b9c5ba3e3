"""One physical cause is one source, whatever path leads to it: values share what they share in nature, and no more.

A made-up document with two takes, three bodies, gates, intervals, swings and a log; every physical source is moved
on its own by its standard uncertainty, and what all values do then is held against what they state of each other.
"""

import math
from fractions import Fraction
from itertools import combinations, product

import made
import numpy as np
import pytest

from saltus.core.clock.cycles import Cycles
from saltus.core.motion.segment import SegmentFit
from saltus.core.quantities import stacked
from saltus.core.units import ONE
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.links import duration
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.derived.times import count_value, gate_values, instant_value, interval_value
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.edits.takes import with_take
from saltus.notebook.geometry import Typed
from saltus.notebook.logs import Channel, stretch_mean
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading, Readings
from saltus.notebook.trials import CustomColumn, Link, TrialTable

FRAMES, BASE = 36, 1_000_000
TICKS_PER_FRAME = 20
"""A coarse tick: 1.7 ms in frames of 33 ms, so that the stamps of the frames count."""
SAMPLES = 20
STEP = 0.25
"""Sources are moved by this part of their standard uncertainty: what they do is linear then."""
ENDS = ((10, 20), (21, 30))
"""Stretches of one body; one begins where the other ends."""


def laid(rng):
    """The document without errors, and the ids of what it holds."""
    notebook, ids = Notebook(), {}
    for name in ("a", "b"):
        ticks = tuple(TICKS_PER_FRAME * n for n in range(FRAMES))
        base = Fraction(1, 30 * TICKS_PER_FRAME)
        notebook, take = made.with_film(notebook, frames=FRAMES, ticks=ticks, time_base=base)
        ids[name] = take
        notebook = scale_edits.lay_reference(
            notebook, take, (40.0, 340.0), (40.0 + rng.uniform(300, 550), 340.0)
        )
        typed = Typed(value=rng.uniform(0.8, 1.5), unit="m", U95=rng.uniform(0.01, 0.03), U95_unit="m")
        notebook = scale_edits.set_reference_length(notebook, take, typed)
        notebook = scale_edits.place_origin(notebook, take, (rng.uniform(20, 60), rng.uniform(300, 340)))
        axes = notebook.take(take).axes
        axes = axes.but(
            angle_deg=rng.uniform(-20, 20), u_angle_deg=rng.uniform(0.2, 1), u_origin_px=rng.uniform(1, 3)
        )
        notebook = take_edits.change_take(notebook, take, axes=axes, clock_U95_percent=rng.uniform(0.5, 2))
        for body in ("one", "two"):
            notebook, ids[name, body] = reading_edits.add_body(notebook, take, body)
    return notebook, ids


def motions(rng):
    """Position of every body at times t, px: two that move against each other, one that swings, one that falls."""
    size, turn, dying = rng.uniform(60, 120), rng.uniform(0, 6), rng.uniform(0, 0.25)
    slow, fast = rng.uniform(80, 200, 2)
    bend = rng.uniform(20, 60)
    wave = 2 * math.pi / rng.uniform(0.3, 0.45)
    return {
        ("a", "one"): lambda t: (60 + slow * t + bend * t**2, 200 - 40 * t - 20 * t**2),
        ("a", "two"): lambda t: (560 - fast * t, 100 + 30 * t + 15 * t**2),
        ("b", "one"): lambda t: (320 + size * np.exp(-dying * t) * np.sin(wave * t + turn), 180 + 5 * t),
        ("b", "two"): lambda t: (100 + fast * t, 330 - 150 * t + 35 * t**2),
    }


def read(notebook, ids, paths, moved):
    """Read all bodies; ``moved`` holds the errors of readings, px, and of stamps, in ticks."""
    for (take, body), path in paths.items():
        n = np.arange(2, FRAMES - 2)
        t = n / 30 + np.array([moved.get(("stamp", take, k), 0.0) for k in n]) / (30 * TICKS_PER_FRAME)
        x, y = path(t)
        rows = [
            Reading(int(k), float(x[i] + moved.get(("x", take, body, k), 0)),
                    float(y[i] + moved.get(("y", take, body, k), 0)))
            for i, k in enumerate(n)
        ]  # fmt: skip
        old = notebook.take(ids[take])
        bodies = tuple(b.but(readings=Readings(rows)) if b.id == ids[take, body] else b for b in old.bodies)
        notebook = with_take(notebook, old.but(bodies=bodies))
    return notebook


def measured(rng, notebook, ids, paths):
    """Lay segments, gates, a count, intervals and stretches of a log; the notebook and the values it gives."""
    wanted = {}
    a, b = ids["a"], ids["b"]
    for body, of, frames in (
        (("a", "one"), "x", (3, 20)), (("a", "one"), "x", (8, 33)), (("a", "one"), "y", (3, 28)),
        (("a", "two"), "x", (5, 30)), (("a", "two"), "y", (5, 30)), (("b", "two"), "x", (4, 30)),
        (("b", "two"), "y", (4, 30)),
    ):  # fmt: skip
        notebook, segment = segment_edits.add_segment(notebook, ids[body[0]], ids[body], of=of, frames=frames)
        for part in ("position", "velocity", "acceleration"):
            wanted[f"{part} {body} {of} {frames[0]}"] = lambda nb, t=ids[body[0]], s=segment, p=part: fitted(
                nb.take(t), s, p
            )
    for frames in ENDS:
        notebook, part = segment_edits.add_segment(notebook, a, ids["a", "one"], of="x", frames=frames)
        wanted[f"duration {frames}"] = lambda nb, s=part: duration(nb.take(a), nb.take(a).segment(s))
    for take, body in (("a", "one"), ("a", "two"), ("b", "two")):
        x = tuple(map(float, paths[take, body](np.array(0.617))))
        notebook, laid_id = timing_edits.add_gates(
            notebook, ids[take], body=ids[take, body], of="x", place=x, spacing=0.05, number=2
        )
        for k, what in product((0, 1), ("time", "velocity")):
            wanted[f"gate {take} {body} {k} {what}"] = lambda nb, t=ids[take], g=laid_id, k=k, w=what: (
                crossing(nb.take(t), g, k, w)
            )
    notebook, count = timing_edits.add_count(
        notebook, b, name="swing", how="readings", body=ids["b", "one"], of="x"
    )
    wanted["period"] = lambda nb: counted(nb.take(b), count).period
    wanted["ends"] = lambda nb: counted(nb.take(b), count).period_from_ends
    wanted["passing"] = lambda nb: counted(nb.take(b), count).passings[1]
    instants = []
    for frame in sorted(map(int, rng.choice(np.arange(3, FRAMES - 3), 3, replace=False))):
        notebook, instant = timing_edits.mark_instant(notebook, a, how="between", frame=frame)
        instants.append(instant)
    for name, (i, k) in {"interval 01": (0, 1), "interval 02": (0, 2)}.items():
        notebook, made_id = timing_edits.add_interval(notebook, a, instants[i], instants[k], name)
        wanted[name] = lambda nb, m=made_id: interval_value(nb.take(a), nb.take(a).timing.interval(m))
    wanted["instant"] = lambda nb: instant_value(nb.take(a), nb.take(a).timing.instant(instants[0]))
    for name in ("a", "b"):
        wanted[f"scale {name}"] = lambda nb, t=ids[name]: mapping_of(nb.take(t)).scale
    return linked_and_logged(rng, notebook, wanted, ids["a"], count)


def linked_and_logged(rng, notebook, wanted, take, count):
    """Link cells of a table to a segment and the counted period; add a log with two stretches that overlap."""
    b = notebook.takes[1].id
    own = (CustomColumn(name="v", unit="m/s"), CustomColumn(name="period", unit="s"))
    notebook = trial_edits.start(notebook, TrialTable(investigation="free", own=own, varied="v"))
    notebook, (row,) = trial_edits.add_trials(notebook, [{}])
    for column, link in (
        ("v", Link(source=take, place=notebook.take(take).segments[0].id, part="velocity")),
        ("period", Link(kind="cycles", source=b, place=count, part="period")),
    ):
        notebook = trial_edits.link_cell(notebook, row, column, link, "1 m/s" if column == "v" else "1 s")
        wanted[f"cell {column}"] = lambda nb, c=column: evaluate(nb).columns[c][0]
    values = tuple(map(float, rng.normal(2.0, 0.1, SAMPLES)))
    channel = Channel(name="force", unit="N", values=values)
    notebook, log = log_edits.add_log(notebook, "pull", tuple(0.1 * i for i in range(SAMPLES)), (channel,))
    for first, last in ((0.0, 1.0), (0.5, 1.9)):
        notebook, part = log_edits.add_stretch(notebook, log, "force", first, last)
        wanted[f"log {first}"] = lambda nb, p=part: stretch_mean(nb.log(log), nb.log(log).stretch(p)).value
    return notebook, wanted


def fitted(take, segment, part):
    """A parameter of a segment that fits."""
    fit = segment_fit(take, take.segment(segment))
    assert isinstance(fit, SegmentFit)
    assert fit.basis == "stated"
    return fit.parameters[part]


def crossing(take, gates, number, what):
    """Time or velocity of the crossing of one gate."""
    found = [p.crossing for p in gate_values(take, take.timing.gate_set(gates))[0] if p.gate == number]
    return getattr(found[0], what)


def counted(take, count):
    """What counted passings say."""
    found = count_value(take, take.timing.count(count))
    assert isinstance(found, Cycles), found
    return found


def sources_of(notebook, ids):
    """Every physical source: a name, and how the document is when it is off by its standard uncertainty."""
    for name in ("a", "b"):
        take = notebook.take(ids[name])
        laid_, axes = take.reference, take.axes
        length = laid_.length
        dx, dy = np.subtract(laid_.end, laid_.start) / math.hypot(*np.subtract(laid_.end, laid_.start))
        off = STEP * math.sqrt(2) * laid_.u_end_px
        changes = {
            "length": {
                "reference": laid_.but(length=length.but(value=length.value + STEP * length.U95 / 1.959964))
            },
            "ends": {"reference": laid_.but(end=(laid_.end[0] + off * dx, laid_.end[1] + off * dy))},
            "origin x": {"axes": axes.but(origin=(axes.origin[0] + STEP * axes.u_origin_px, axes.origin[1]))},
            "origin y": {"axes": axes.but(origin=(axes.origin[0], axes.origin[1] + STEP * axes.u_origin_px))},
            "angle": {"axes": axes.but(angle_deg=axes.angle_deg + STEP * axes.u_angle_deg)},
        }
        over, under = map(int, take.facts.time_base.split("/"))
        late = 1 + STEP * take.clock_U95_percent / 100 / 1.959964
        scaled = f"{round(over * BASE * late)}/{under * BASE}"
        changes["clock"] = {"facts": take.facts.but(time_base=scaled)}
        for what, change in changes.items():
            yield f"{name} {what}", with_take(notebook, take.but(**change))


def responses(rng):
    """By how much each value moves with each source, (values, sources), and the values as they are stated."""
    paths = motions(rng)
    bare, ids = laid(rng)
    blank = read(bare, ids, paths, {})
    notebook, wanted = measured(rng, blank, ids, paths)
    stated = {name: ask(notebook) for name, ask in wanted.items()}
    base = np.array([float(q) for q in stated.values()])
    columns = []

    def add(changed):
        columns.append((np.array([float(ask(changed)) for ask in wanted.values()]) - base) / STEP)

    for _name, changed in sources_of(notebook, ids):
        add(changed)
    for name in ("a", "b"):
        for k in range(2, FRAMES - 2):
            add(read(notebook, ids, {p: f for p, f in paths.items() if p[0] == name},
                     {("stamp", name, k): STEP / math.sqrt(12)}))  # fmt: skip
            for body in ("one", "two"):
                for axis in "xy":
                    some = {(name, body): paths[name, body]}
                    add(read(notebook, ids, some, {(axis, name, body, k): STEP}))
    log = notebook.logs[0]
    for i in range(SAMPLES):
        values = list(log.channels[0].values)
        values[i] += STEP * 0.01
        add(log_edits.change_channel(notebook, log.id, "force", values=tuple(values)))
    # an event is anywhere between its frames: what is stated stays, the truth moves
    events = [{"interval 01": 1, "interval 02": 1, "instant": -1}, {"interval 01": -1}, {"interval 02": -1}]
    events += [{f"duration {ENDS[0]}": 1}, {f"duration {ENDS[0]}": -1, f"duration {ENDS[1]}": 1}]
    events += [{f"duration {ENDS[1]}": -1}]
    u = 1 / 30 / math.sqrt(12)
    columns += [np.array([u * moved.get(name, 0) for name in wanted]) for moved in events]
    return np.array(columns).T, stated, notebook, wanted


@pytest.mark.parametrize("seed", range(3))
def test_values_share_what_they_share_in_nature(seed):
    """Of one take, of two bodies, of two takes, of cells and logs: over 3,000 drawn pairs."""
    moves, stated, notebook, wanted = responses(np.random.default_rng(seed))
    true = moves @ moves.T
    sizes = np.sqrt(np.diag(true))
    told = stacked([q * (1 / float(q.u)) for q in map(bare_number, stated.values())]).covariance()
    for name, size, q in zip(stated, sizes, stated.values(), strict=True):
        if not name.startswith("log"):  # how large the noise of a record is, it tells itself
            assert float(q.u) == pytest.approx(size, rel=0.03), name
    for i, k in combinations(range(len(sizes)), 2):
        names = list(stated)
        assert told[i, k] == pytest.approx(true[i, k] / sizes[i] / sizes[k], abs=0.03), (names[i], names[k])
    # after edits that have nothing to do with them they are the very same values
    later, _other = made.with_film(notebook.but(title="Another title"), frames=5)
    later = reading_edits.rename_body(later, later.takes[0].id, later.takes[0].bodies[0].id, "Puck")
    for name, ask in wanted.items():
        assert float((ask(later) - stated[name]).u) == pytest.approx(0, abs=1e-9 * float(stated[name].u)), (
            name
        )


def bare_number(q):
    """The same without its unit, so that all sorts of values can be put into one array."""
    return q.with_unit(ONE)
