"""What was once shared that should not be, or apart that should be shared: a test for each mistake that was found."""

import gc
import math
import tracemalloc
import weakref

import made
import numpy as np
import pytest
import tables
from made import source

from saltus.commands.tabular.results_json import results_json
from saltus.core import series, sources
from saltus.core.clock.clock import Clock
from saltus.core.clock.cycles import cycles
from saltus.core.formulas import compute
from saltus.core.formulas import parse as formula
from saltus.core.motion.models import CONSTANT_VELOCITY
from saltus.core.motion.segment import Fitted, SegmentFit, fit_segment
from saltus.core.quantities import exact, family, measured, stacked
from saltus.core.units import ACCELERATION, METRE, ONE, SECOND
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.judgement.student import checked
from saltus.investigations.table.links import duration, links_followed
from saltus.notebook.derived.motion import body_motion, segment_fit
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.memory import remembered
from saltus.notebook.migrations import migrated
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.notebook.storage import as_text, load, parse, save
from saltus.notebook.trials import Link, TrialTable
from saltus.session.session import at_work, opened

# -- families align by their keys --------------------------------------------------------------------


def two_bodies(first=40, second=30):
    """A notebook with two bodies of one take, which move against each other, and coarse frame times."""
    notebook, take = made.with_film(
        frames=40, ticks=tuple(10 * n for n in range(40)), time_base=made.Fraction(1, 300)
    )
    notebook = made.scaled(notebook, take)
    ids = []
    for name, count, way in (("Cart", first, 1.0), ("Other", second, -1.0)):
        notebook, body = reading_edits.add_body(notebook, take, name)
        for n in range(40 - count, 40):
            reading = Reading(n, 300 + way * (8.0 * n - 160), 200.0, 0.2)
            notebook = reading_edits.place_reading(notebook, take, body, reading)
        notebook, segment = segment_edits.add_segment(
            notebook, take, body, of="x", frames=(0, 39), model="constant-velocity"
        )
        ids.append((body, segment))
    return notebook, take, ids


def test_two_bodies_of_one_take_stand_in_one_column():
    """With 40 and 30 readings they share the stamps of the frames in which both were read, and no others."""
    notebook, take_id, ((one, s1), (_other, s2)) = two_bodies()
    take = notebook.take(take_id)
    first, second = (segment_fit(take, take.segment(s)).parameters["velocity"] for s in (s1, s2))
    pair = stacked([first, second])
    stamp = sources.stamps(take_id)
    # they move against each other: what a late stamp adds to the one it takes from the other
    covariance = sum(
        u * second.signed_elements().get(key, 0.0)
        for key, u in first.signed_elements().items()
        if key[0] == stamp
    )
    assert covariance < 0
    shared = first.parts()[stamp] ** 2 + second.parts()[stamp] ** 2
    assert (first + second).parts()[stamp] ** 2 == pytest.approx(shared + 2 * covariance)
    assert pair.covariance()[0, 1] == pytest.approx(float(pair[0].covariance_with(pair[1])))
    assert all(len(body_motion(take, take.body(one)).x[k].signed_elements()) for k in (0, 39))


def test_the_scatter_of_one_fit_is_not_that_of_another():
    """Over 300 throws without stated uncertainty vx − vy and v1 − v2 hold the truth; x and y scatter apart."""
    rng = np.random.default_rng(11)
    t = np.arange(30) / 30
    hits = np.zeros(2)
    for _run in range(300):
        v = rng.uniform(-2, 2, 3)
        fits = []
        for i, (body, axis) in enumerate((("one", "x"), ("one", "y"), ("two", "x"))):
            seen = exact(v[i] * t + rng.normal(0, 0.01, 30), METRE)
            fit = fit_segment(
                CONSTANT_VELOCITY, t, seen, Clock(take="a"), of=Fitted(body, axis, f"segment-{i}")
            )
            fits.append(fit.parameters["velocity"])
        for k in (1, 2):
            hits[k - 1] += abs(float(fits[0] - fits[k]) - (v[0] - v[k])) <= (fits[0] - fits[k]).U95
    assert np.all(hits / 300 > 0.91)
    assert np.all(hits / 300 < 0.99)


def test_the_sum_of_many_stamps_is_normal():
    """With coarse ticks a speed from many frames has k = 1.96; a time between two stamps keeps its own shape."""
    t = np.arange(40) / 25
    many = fit_segment(CONSTANT_VELOCITY, t, exact(2.0 * t, METRE), Clock(0.004, 0.0, "t")).parameters[
        "velocity"
    ]
    assert many.coverage.k == pytest.approx(1.96, abs=0.01)
    stamp = sources.stamps("t")
    one, two = (measured(t0, 0.01, SECOND, stamp, n) for n, t0 in ((3, 0.1), (9, 0.3)))
    assert (two - one).coverage.k == pytest.approx((1 - math.sqrt(0.05)) * math.sqrt(6), rel=1e-3)
    # 0.004 s × a uniform stamp in each frame: the interval holds 95 of 100
    rng = np.random.default_rng(0)
    gain = (t - t.mean()) / np.sum((t - t.mean()) ** 2)
    errors = rng.uniform(-0.002, 0.002, (4000, 40)) * 2.0 @ gain
    assert 0.94 <= np.mean(np.abs(errors) <= many.U95) <= 0.96


def test_one_of_ten_thousand_costs_next_to_nothing():
    """Neither an N × N matrix nor a copy: a single value, a stretch, a difference of neighbours, all the same."""
    n = 10_000
    q = family(np.arange(n, dtype=float), 0.1, METRE, source("r"), np.arange(n) + 5)
    tracemalloc.start()
    one, part, steps = q[77], q[100:9000], q[1:] - q[:-1]
    _now, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 8_000_000
    assert one.signed_elements() == {(source("r"), 82): 0.1}
    assert float((part[0] - q[100]).u) == 0
    assert steps.u == pytest.approx(np.full(n - 1, 0.1 * math.sqrt(2)))
    assert float((steps[4] + steps[5]).u) == pytest.approx(0.1 * math.sqrt(2))
    assert q.grouped(np.arange(n) // 2, n // 2).u == pytest.approx(np.full(n // 2, 0.1 / math.sqrt(2)))


def test_stretches_of_one_record_share_their_samples():
    """The means of two stretches that overlap by half are as far apart as the samples they do not share say."""
    rng = np.random.default_rng(4)
    off, stated = [], []
    for _run in range(600):
        values = rng.normal(3.0, 0.2, 120)
        a = series.mean(values[:80], ACCELERATION, series.Recorded("log", "a", 0)).value
        b = series.mean(values[40:], ACCELERATION, series.Recorded("log", "a", 40)).value
        off.append(float(b - a))
        stated.append(float((b - a).u))
    assert np.median(stated) == pytest.approx(np.std(off), rel=0.1)


# -- takes, trials, logs -----------------------------------------------------------------------------


def collision(x_after=(330.0, 6.0)):
    """A cart that sticks to another, read in one take: before and after as segments, linked into a table."""
    notebook, take = made.with_film(frames=40)
    notebook = made.scaled(notebook, take)
    links = []
    for name, frames, path in (("before", (0, 17), (60.0, 15.0)), ("after", (20, 37), x_after)):
        notebook, body = reading_edits.add_body(notebook, take, name)
        for n in range(frames[0], frames[1] + 1):
            reading = Reading(n, path[0] + path[1] * (n - frames[0]) + 0.3 * math.sin(7.0 * n), 200.0)
            notebook = reading_edits.place_reading(notebook, take, body, reading)
        notebook, segment = segment_edits.add_segment(
            notebook, take, body, of="x", frames=frames, model="constant-velocity"
        )
        links.append(Link(source=take, place=segment, part="velocity"))
    table = TrialTable(investigation="inelastic-collision", givens={"mass_1": "0.5 kg", "mass_2": "0.75 kg"})
    notebook, (trial,) = edits.add_trials(edits.start(notebook, table), [{}])
    for column, link in zip(("v1_before", "v_after"), links, strict=True):
        notebook = edits.link_cell(notebook, trial, column, link, "1 m/s")
    return links_followed(notebook), take


def test_one_collision_measured_from_film_has_an_uncertainty_and_a_verdict():
    """What its cells state is all there is to state; the scale of the take cancels in the ratio of momenta."""
    notebook, take = collision()
    evaluation = evaluate(notebook)
    before, after = (evaluation.outcome.results[n] for n in ("momentum_before", "momentum_after"))
    assert float(before.u) > 0
    scales = {s for s in after.sources if s.cause.startswith("scale")}
    assert scales == {sources.scale_length(take), sources.scale_ends(take)}
    assert (after / before).u_from("scale") == pytest.approx(0, abs=1e-12)
    (momentum,) = [c for c in evaluation.outcome.compared if c.of == "momentum_after"]
    assert momentum.found.agree is True
    (apart,) = [c for c in evaluate(collision((330.0, 7.5))[0]).outcome.compared if c.of == "momentum_after"]
    assert apart.found.agree is False
    typed = tables.table("inelastic-collision", [{"v1_before": "1.0", "v_after": "0.4"}],
                         givens={"mass_1": "0.5(1) kg", "mass_2": "0.75 kg"})  # fmt: skip
    assert math.isnan(float(tables.results(typed)["momentum_before"].u))


def test_ids_never_return():
    """A take that is opened after another was removed is another: links to the old one stay broken, after undo too."""
    notebook, take = collision()
    history = at_work(notebook)
    history.do("remove", take_edits.remove_take(notebook, take))
    other, other_take = made.with_film(history.present)
    history.do("open", other)
    assert other_take != take
    assert "Broken link" in next(iter(evaluate(history.present).cell_problems.values()))
    history.undo()
    again, third = made.with_film(history.present)
    assert third not in {take, other_take}
    # versions before the fifth knew no ids but those in use, and those that links name
    data = migrated({"takes": [], "trials": {"trials": [{"id": "trial-7", "links": {
        "x": {"kind": "segment", "source": "take-3", "place": "segment-9", "part": "velocity"}}}]}}, 4)  # fmt: skip
    assert data["last_ids"] == {"trial": 7, "take": 3, "segment": 9}
    assert made.with_film(parse(as_text(again), "n"))[1] not in {take, other_take, third}


def test_what_did_not_change_is_not_worked_out_again():
    """A new title keeps every outcome; many takes are kept at once; what is gone is let go."""
    calls = []

    @remembered
    def look(take):
        calls.append(take.id)
        return np.zeros(10)

    notebook = Notebook()
    for _n in range(100):
        notebook, _take = made.with_film(notebook, frames=3)
    for _round in range(3):
        notebook = notebook.but(title=f"{_round}")
        for take in notebook.takes:
            look(take)
    assert len(calls) == 100
    linked, _take = collision()
    first = evaluate(linked)
    assert evaluate(linked.but(title="Other")) is first
    added, _new = made.with_film(linked)
    assert evaluate(added) is first
    gone = weakref.ref(linked.takes[0])
    del linked, added, first, notebook, take
    gc.collect()
    assert gone() is None


def test_links_are_followed_without_a_window(tmp_path):
    """Edits in a history and files that are opened bring linked cells in line; so do the results of a notebook."""
    notebook, take = collision()
    history = at_work(notebook)
    history.do("slower", take_edits.set_clock(notebook, take, 15.0, 0.0))
    text = history.present.trials.trials[0].cells["v_after"]
    assert float(text.split()[0]) == pytest.approx(
        0.5 * float(notebook.trials.trials[0].cells["v_after"].split()[0])
    )
    stale = take_edits.set_clock(notebook, take, 15.0, 0.0)
    save(stale, tmp_path / "n.saltus")
    assert load(tmp_path / "n.saltus").trials == notebook.trials
    followed, trouble = opened(tmp_path / "n.saltus")
    assert not trouble
    assert followed.trials.trials[0].cells["v_after"] == text
    found = results_json("n", followed)
    assert (
        found["columns"]["v_after"][0]["text"]
        == found["takes"][0]["segments"][1]["parameters"]["velocity"]["text"]
    )


def test_how_long_a_segment_lasted_passes_over_repeats_that_are_left_out():
    """A stop seen in a frame after a repeated one may have come a frame earlier: the bracket is as wide."""
    notebook, take, body, _segment = made.measured(30)
    facts = notebook.take(take).facts.but(duplicates=(20,))
    notebook = take_edits.change_take(notebook, take, facts=facts)
    notebook, part = segment_edits.add_segment(notebook, take, body, of="x", frames=(5, 20))
    plain = duration(notebook.take(take), notebook.take(take).segment(part))
    left = timing_edits.change_timing(notebook, take, repeats_left_out=True)
    found = duration(left.take(take), left.take(take).segment(part))
    assert float(plain) == pytest.approx(16 / 30)
    assert float(found) == pytest.approx(15.5 / 30)
    assert float(found.u) == pytest.approx(math.hypot(1, 2) / 30 / math.sqrt(12))


def test_a_big_table_counts_a_linked_cell_once():
    """Among 2,500 rows a linked cell has the uncertainty of its source, and no more."""
    notebook, take, _body, segment = made.measured(20)
    rows = [{"force": "1.0", "acceleration": "2.0 ± 0.5"} for _n in range(2500)]
    notebook = edits.start(notebook, TrialTable(investigation="force-acceleration"))
    notebook, ids = edits.add_trials(notebook, rows)
    link = Link(source=take, place=segment, part="acceleration")
    notebook = edits.link_cell(notebook, ids[7], "acceleration", link, "2.0 ± 0.5 m/s^2")
    column = evaluate(notebook).columns["acceleration"]
    fit = segment_fit(notebook.take(take), notebook.take(take).segment(segment))
    assert isinstance(fit, SegmentFit)
    assert float(column[7].u) == pytest.approx(float(fit.parameters["acceleration"].u))
    assert float(column[8].u) == pytest.approx(0.5)


def test_anything_to_the_power_of_nothing_is_one():
    """Also at 0, and as sure as can be."""
    x = measured(0.0, 0.1, METRE, source("x"))
    assert (float(x**0), float((x**0).u)) == (1, 0)
    column = family([0.0, 2.0], 0.1, ONE, source("x"))
    assert compute(formula("x^0"), {"x": column}).u == pytest.approx([0, 0])


@pytest.mark.parametrize(
    ("text", "value", "u", "verdict", "word"),
    [
        ("0", 0.62, 0.01, "differs", "again"),
        ("9", 9.81, 0.05, "differs", "again"),
        ("10", 9.81, 0.02, "differs", "rounded too far"),
        ("9.8", 9.81, 0.05, "agrees", "Follows"),
        ("9.7", 9.81, 0.2, "agrees", "within"),
        ("0.6", 0.62, 0.0, "differs", "rounded too far"),
        ("0.62", 0.6243, 0.0, "agrees", "Follows"),
        ("6.2", 0.62, 0.01, "differs", "10 times too large"),
        ("-0.62", 0.62, 0.01, "differs", "sign"),
        ("0", 0.0, 0.0, "agrees", "Follows"),
    ],
)
def test_a_typed_answer_is_judged_by_the_data(text, value, u, verdict, word):
    """Not by the step of its last digit: by the uncertainty of the data and by sensible rounding, in words."""
    told, words = checked(text, measured(value, u, ONE, source("d")))
    assert told == verdict, words
    assert word in words


@pytest.mark.parametrize("stated", [True, False])
def test_a_swing_that_dies_away_keeps_its_period(stated):
    """Three cycles with the mean of the record far from rest, any phase: 95 of 100 intervals hold the truth."""
    rng = np.random.default_rng(20 + stated)
    hits, ends, runs = 0, 0, 400
    for _run in range(runs):
        cycle, count, frames = rng.uniform(0.5, 3), rng.uniform(2, 8), rng.uniform(15, 120)
        noise, dying = (
            math.exp(rng.uniform(math.log(0.002), math.log(0.03))),
            -math.log(1 - rng.uniform(0, 0.3)),
        )
        t = np.arange(0, count, 1 / frames) * cycle + rng.uniform(0, cycle / frames)
        wave = np.exp(-dying * t / cycle) * np.cos(2 * math.pi * t / cycle + rng.uniform(0, 7))
        x = rng.normal(0, 1) + wave + rng.normal(0, noise, len(t))
        found = cycles(t, family(x, noise, METRE, source("r")) if stated else exact(x, METRE))
        hits += abs(float(found.period) - cycle) <= found.period.U95
        ends += abs(float(found.period_from_ends) - cycle) <= found.period_from_ends.U95
    assert 0.925 <= hits / runs <= 0.975
    assert 0.925 <= ends / runs <= 0.975
