"""From the table of a notebook to results: known truth, cells that need a look, what trials share."""

import math
import re

import made
import numpy as np
import pytest
import tables
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.core.lines.straight import Line
from saltus.exchange.tables import parse_table
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.engine.run import run
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.recipe.custom_columns import investigation_of
from saltus.investigations.table.cells import typed_columns
from saltus.investigations.table.links import Sources, duration, links_followed
from saltus.investigations.table.sending import offers, sent
from saltus.investigations.table.trials import read_trials
from saltus.investigations.view.advice import stated_result, trial_limits, trial_progress
from saltus.investigations.view.table_view import cell_words, group_title, mean_words, table_columns
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.geometry import Typed
from saltus.notebook.trials import CustomColumn, Instrument, Link, TrialTable
from saltus.simulate.trials import simulated_notebook


@pytest.mark.parametrize("name", ids())
def test_every_investigation_gives_the_truth_through_the_notebook(name):
    """Noise-free cells, typed into the document, give the true results to 1e-6; nothing needs a look."""
    notebook, expected = tables.without_noise(name)
    evaluation = evaluate(notebook)
    assert evaluation.trouble == ""
    assert not evaluation.cell_problems
    assert not evaluation.given_problems
    assert not evaluation.column_problems
    for result, truth in expected.items():
        q = evaluation.outcome.results[result]
        scale = abs(truth) if truth else 1.0
        # what is found by an estimate over a sampled record is as near as its samples
        room = 0.02 if name == "cord-jump" else 1e-6
        assert abs(float(q) - truth) <= room * scale, result


@pytest.mark.parametrize("name", ids())
def test_the_simulated_notebook_is_ready_to_look_at(name):
    """Each example opens filled: it says it is simulated, its results are told, its columns have words."""
    notebook = simulated_notebook(recipe_named(name), seed=4)
    evaluation = evaluate(notebook)
    assert notebook.trials.simulated
    assert evaluation.headline is not None
    assert not evaluation.cell_problems
    columns = table_columns(evaluation)
    assert {c.role for c in columns} <= {"level", "typed", "text", "derived"}
    for column in columns:
        words = [cell_words(evaluation, i, column) for i in range(min(4, len(evaluation.rows)))]
        assert all("nan" not in w and "e-" not in w for w in words), (column.name, words)
    assert all(group_title(evaluation, g) for g in evaluation.groups)


def test_the_notebook_and_the_command_agree():
    """The same cells as a file and as a document give the same numbers."""
    notebook, _expected = tables.without_noise("spring-oscillator")
    text = "mass [kg],cycles,time [s],u(mass) [kg],u(time) [s]\n"
    u = {n: i.amount.split()[0] for n, i in notebook.trials.instruments.items()}
    for trial in notebook.trials.trials:
        cells = trial.cells
        text += f"{cells['mass']},{cells['cycles']},{cells['time']},{u.get('mass', '')},{u['time']}\n"
    table = parse_table(text, "t.csv")
    recipe = recipe_named("spring-oscillator")
    trials = read_trials("t.csv", {n: (c.unit, c.cells) for n, c in table.columns.items()}, recipe)
    outcome = run(recipe, trials, {})
    for name, q in tables.results(notebook).items():
        assert float(q) == pytest.approx(float(outcome.results[name]), rel=1e-12)
        assert pytest.approx(outcome.results[name].U95, rel=1e-9) == q.U95


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("12..3", "no number"),
        ("ten", "cannot be read|no number"),
        ("3 kg", "kg"),
        ("1e400", "too large"),
        ("2.4 ± x", "cannot be read"),
        ("9" * 150, "no number|too large"),
    ],
)
def test_a_cell_that_cannot_be_read_costs_only_itself(text, says):
    """One sentence at the cell; all other trials go on counting."""
    notebook = tables.pendulum(repeats=2, spread=0.02)
    before = tables.results(notebook)["g"]
    first = tables.ids(notebook)[0]
    evaluation = evaluate(edits.set_cells(notebook, {(first, "time"): text}))
    (place, sentence), *others = evaluation.cell_problems.items()
    assert place == (first, "time")
    assert not others
    assert "\n" not in sentence
    assert re.search(says, sentence), sentence
    assert float(evaluation.outcome.results["g"]) == pytest.approx(float(before), rel=0.02)


def test_blank_rows_and_half_typed_series_disturb_nothing():
    """While a series is being typed there is no warning about rows still blank."""
    notebook = tables.pendulum(repeats=2)
    notebook, _ids = edits.add_trials(notebook, [{}, {}])
    evaluation = evaluate(notebook)
    assert not evaluation.outcome.warnings
    half, _ids = edits.add_trials(notebook, [{"length": "0.2", "cycles": "10"}])
    assert any("empty" in t.text for t in evaluate(half).outcome.warnings)


def test_results_wait_for_what_is_given():
    """Without a needed given nothing is invented: the sentence names it; a bad one is marked at its field."""
    notebook = tables.table(
        "guided-run", [{"level": "cone", "time": "1.61"}, {"level": "disc", "time": "1.8"}]
    )
    evaluation = evaluate(notebook)
    assert evaluation.outcome is None
    assert "distance" in evaluation.trouble
    wrong = evaluate(edits.set_given(notebook, "distance", "1.2 kg"))
    assert "distance" in wrong.given_problems
    right = evaluate(edits.set_given(notebook, "distance", "1,200(1) m"))
    assert float(right.outcome.results["speed_cone"]) == pytest.approx(1.2 / 1.61)


def test_an_instrument_states_what_cells_do_not():
    """A step of 1 mm is 0.29 mm, between divisions 0.14 mm; a cell with its own ± keeps it."""
    rows = [{"mass": "0", "reading": "0.1"}, {"mass": "0.1", "reading": "0.1400 ± 0.0050"}]
    notebook = tables.table("hooke-static", rows)
    for rule, expected in (("digital", 1e-3 / 12**0.5), ("divided", 0.5e-3 / 12**0.5), ("stated", 1e-3)):
        made_with = edits.set_instrument(notebook, "reading", Instrument(rule=rule, amount="1 mm"))
        q = evaluate(made_with).columns["reading"]
        assert q.u == pytest.approx([expected, 0.005])
    wrong = edits.set_instrument(notebook, "reading", Instrument(rule="digital", amount="1 s"))
    assert "reading" in evaluate(wrong).column_problems


def test_an_accuracy_in_per_cent_is_common_to_all_readings():
    """It moves all readings alike: a ratio of two of them is as exact as without it."""
    rows = [{"mass": "0", "reading": "0.2"}, {"mass": "0.1", "reading": "0.4"}]
    notebook = tables.table("hooke-static", rows)
    notebook = edits.set_instrument(notebook, "reading", Instrument(rule="percent", amount="3 %"))
    q = evaluate(notebook).columns["reading"]
    assert q.u == pytest.approx(np.array([0.2, 0.4]) * 0.03 / 3**0.5)
    assert float((q[1] / q[0]).u) == pytest.approx(0.0, abs=1e-12)


def test_a_reading_of_zero_counts_from_there_on():
    """What is read for nothing is taken off until it is read again, with its uncertainty, shared."""
    rows = [{"mass": f"{0.1 * i}", "reading": f"{0.5 + 0.1 * i} ± 0.001"} for i in range(4)]
    notebook = tables.table("hooke-static", rows)
    first = tables.ids(notebook)
    notebook, zero = edits.add_trials(notebook, [{"reading": "0.02 ± 0.003"}], first[1])
    notebook = edits.change_trial(notebook, zero[0], status="zero")
    evaluation = evaluate(notebook)
    assert [t.id for t in evaluation.rows] == first
    q = evaluation.columns["reading"]
    assert q.value == pytest.approx([0.5, 0.6, 0.68, 0.78])
    assert float((q[3] - q[2]).u) == pytest.approx(math.hypot(0.001, 0.001))
    assert float((q[3] - q[0]).u) == pytest.approx(math.sqrt(2 * 0.001**2 + 0.003**2))
    assert (
        edits.remove_zero(notebook, zero[0]).trials.trials
        == edits.table_of(edits.set_cells(edits.remove_zero(notebook, zero[0]), {})).trials
    )


def with_linked_runs(count=3):
    """Runs on one take, each a segment, whose accelerations stand in a table."""
    notebook, take, body, segment = made.measured(40, noise_px=0.4, seed=3)
    notebook = edits.start(notebook, TrialTable(investigation="force-acceleration"))
    segments = [segment]
    for i in range(1, count):
        notebook, one = segment_edits.add_segment(notebook, take, body, of="x", frames=(4 * i, 39))
        segments.append(one)
    for i, one in enumerate(segments):
        fit = segment_fit(notebook.take(take), notebook.take(take).segment(one))
        link = Link(source=take, place=one, part="acceleration")
        offer = next(o for o in offers(notebook, link, fit.parameters["acceleration"]))
        notebook, trial = sent(notebook, offer)
        notebook = edits.set_cells(notebook, {(trial, "force"): f"{0.5 + i}"})
    return notebook, take, segments


def test_linked_cells_share_the_scale_of_their_take():
    """Accelerations from one film differ by their readings alone: the scale cancels in their ratio."""
    notebook, take, segments = with_linked_runs(2)
    q = evaluate(notebook).columns["acceleration"]
    fits = [
        segment_fit(notebook.take(take), notebook.take(take).segment(s)).parameters["acceleration"]
        for s in segments
    ]
    assert q.value == pytest.approx([float(f) for f in fits])
    assert q.u == pytest.approx([float(f.u) for f in fits])
    shared = float((q[0] / q[1]).u)
    assert shared == pytest.approx(float((fits[0] / fits[1]).u))
    apart = math.hypot(float(fits[0].u) / float(fits[0]), float(fits[1].u) / float(fits[1]))
    assert shared < apart * float(fits[0]) / float(fits[1])


def test_links_follow_their_source_and_survive_its_end():
    """Another reference length moves the row; without its segment the last value stays and says so."""
    notebook, take, segments = with_linked_runs(2)
    trial = tables.ids(notebook)[0]
    before = float(evaluate(notebook).columns["acceleration"].value[0])
    longer = Typed(value=2.0, unit="m", U95=0.002, U95_unit="m")
    notebook = links_followed(scale_edits.set_reference_length(notebook, take, longer))
    evaluation = evaluate(notebook)
    assert float(evaluation.columns["acceleration"].value[0]) == pytest.approx(2 * before, rel=1e-9)
    assert notebook.trials.trial(trial).cells["acceleration"].startswith(f"{2 * before:.6f}"[:6])
    broken = links_followed(segment_edits.remove_segment(notebook, take, segments[0]))
    evaluation = evaluate(broken)
    assert "Broken link" in evaluation.cell_problems[trial, "acceleration"]
    assert float(evaluation.columns["acceleration"].value[0]) == pytest.approx(2 * before, rel=1e-9)
    assert evaluation.columns["acceleration"].u[0] > 0


def test_how_long_a_segment_lasted_goes_into_a_cell():
    """From between two frames to between two frames: the middle of the brackets, u = Δ/√6."""
    notebook, take, body, _segment = made.measured(40)
    notebook, inner = segment_edits.add_segment(notebook, take, body, of="x", frames=(6, 35))
    found = duration(notebook.take(take), notebook.take(take).segment(inner))
    assert float(found) == pytest.approx(30 / made.RATE)
    assert float(found.u) == pytest.approx(1 / made.RATE / math.sqrt(6))
    assert pytest.approx((1 - math.sqrt(0.05)) / made.RATE, rel=1e-3) == found.U95
    whole = notebook.take(take).segments[0]
    assert "end of the film" in duration(notebook.take(take), whole)
    notebook = edits.start(notebook, TrialTable(investigation="ramp-run"))
    link = Link(source=take, place=inner, part="duration")
    offer = next(o for o in offers(notebook, link, found) if o.column == "time")
    placed, _trial = sent(notebook, offer)
    assert evaluate(placed).columns["time"].value == pytest.approx([1.0])


def test_a_value_is_offered_only_where_its_unit_goes():
    """An acceleration goes into no column of lengths; a negative one is offered without its sign too."""
    notebook, take, _body, segment = made.measured(20, acceleration=-1.5)
    fit = segment_fit(notebook.take(take), notebook.take(take).segment(segment))
    link = Link(source=take, place=segment, part="acceleration")
    q = fit.parameters["acceleration"]
    assert offers(notebook, link, q) == []
    pulled = edits.start(notebook, TrialTable(investigation="force-acceleration"))
    found = offers(pulled, link, q)
    assert {o.column for o in found} == {"acceleration"}
    assert {o.link.size for o in found} == {True, False}
    without = next(o for o in found if o.link.size)
    placed, trial = sent(pulled, without)
    assert float(evaluate(placed).columns["acceleration"].value[0]) == pytest.approx(-float(q))
    swung = edits.start(notebook, TrialTable(investigation="pendulum"))
    assert offers(swung, link, q) == []
    assert trial == "trial-1"


def test_own_columns_and_formulas():
    """Derived columns are worked out in the order they need; what is wrong is said at the column alone."""
    columns = [("x", "m", ""), ("t", "s", ""), ("b", "", "a^2"), ("a", "m/s^2", "2*x/t^2")]
    rows = [{"x": "1", "t": "2"}, {"x": "2", "t": "2"}, {"x": "3", "t": "2"}]
    evaluation = evaluate(tables.free(columns, rows))
    assert evaluation.columns["a"].value == pytest.approx([0.5, 1.0, 1.5])
    assert evaluation.columns["b"].value == pytest.approx([0.25, 1.0, 2.25])
    for formula, says in (
        ("x +", "formula|ends|expected"),
        ("x + t", "m"),
        ("x*missing", "missing"),
        ("c + 1", "c"),
        ("__import__(1)", "__import__"),
    ):
        evaluation = evaluate(tables.free([*columns, ("c", "", formula)], rows))
        assert list(evaluation.column_problems) == ["c"], formula
        assert evaluation.columns["a"].value == pytest.approx([0.5, 1.0, 1.5])
        del says
    taken = evaluate(
        edits.put_column(tables.pendulum(), CustomColumn(name="period", title="mine", formula="time"))
    )
    assert "already" in taken.column_problems["period"]


def test_formulas_that_go_round_are_told_and_the_rest_goes_on():
    """Of two columns that need each other neither is shown as a number; a third one is."""
    columns = [("x", "m", ""), ("p", "", "q + 1"), ("q", "", "p + 1"), ("r", "", "2*x")]
    evaluation = evaluate(tables.free(columns, [{"x": "1"}, {"x": "2"}]))
    assert evaluation.column_problems
    assert evaluation.columns["r"].value == pytest.approx([2.0, 4.0])
    assert not {"p", "q"} <= evaluation.columns.keys()


@settings(max_examples=30, deadline=None)
@given(
    slope=st.floats(-50, 50).filter(lambda v: abs(v) > 0.01),
    cut=st.floats(-20, 20),
    steps=st.integers(3, 9),
)
def test_a_free_investigation_finds_its_line(slope, cut, steps):
    """Own columns, no recipe: the line through what was measured has the slope that was put in."""
    rows = [{"x": f"{i}", "y": f"{cut + slope * i:.9g}"} for i in range(1, steps + 1)]
    found = tables.results(tables.free([("x", "s", ""), ("y", "m", "")], rows))
    assert float(found["slope_of_line"]) == pytest.approx(slope, abs=1e-6 * (abs(slope) + abs(cut) + 1))
    assert float(found["intercept_of_line"]) == pytest.approx(cut, abs=1e-5 * (abs(slope) + abs(cut) + 1))
    assert found["slope_of_line"].unit.text == "m/s"


def test_levels_spread_and_odd_values():
    """Trials of one level stand together; spread, odd values and advice are those of the repeats."""
    notebook = tables.pendulum(lengths=(0.5, 0.8), repeats=5, spread=0.01)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.02 s"))
    third = tables.ids(notebook)[2]
    evaluation = evaluate(notebook)
    assert [group_title(evaluation, g) for g in evaluation.groups] == ["0.500 m", "0.800 m"]
    assert [len(g.rows) for g in evaluation.groups] == [5, 5]
    assert evaluation.groups[0].verdict == "consistent"
    assert evaluation.groups[0].advice == ""
    moved = edits.set_cells(notebook, {(third, "time"): "15.6"})
    group = evaluate(moved).groups[0]
    assert group.odd == (2,)
    assert "3" in group.advice
    with_it, without = group.without_odd()
    assert with_it > without
    aside = edits.change_trial(moved, third, status="set-aside", reason="touched")
    group = evaluate(aside).groups[0]
    assert (len(group.kept), len(group.rows)) == (4, 5)
    assert group.advice == ""
    apart = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.001 s"))
    assert "more" in evaluate(apart).groups[0].verdict
    alike = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="2 s"))
    assert "small" in evaluate(alike).groups[0].verdict


def test_levels_that_differ_in_writing_alone_are_one():
    """0.5, 0,50 and 50 cm name one level; words are compared without their case."""
    rows = [{"length": t, "cycles": "10", "time": "14.2"} for t in ("0.5", "0,50", "50 cm", "0.6")]
    assert len(evaluate(tables.table("pendulum", rows)).groups) == 2
    words = [{"level": t, "time": "1.6"} for t in ("Cone", "cone", "disc")]
    evaluation = evaluate(tables.table("guided-run", words, givens={"distance": "1 m"}))
    assert len(evaluation.groups) == 2


def test_failed_and_set_aside_trials_do_not_count_but_keep_their_numbers():
    """What does not count changes no result, and is still worked out for the eye."""
    notebook = tables.pendulum(spread=0.02)
    before = tables.results(notebook)["g"]
    extra, added = edits.add_trials(notebook, [{"length": "0.5", "cycles": "9", "time": "12.8"}])
    for status in ("failed", "set-aside"):
        evaluation = evaluate(edits.change_trial(extra, added[0], status=status, reason="counted nine"))
        assert float(evaluation.outcome.results["g"]) == pytest.approx(float(before), rel=1e-12)
        row = evaluation.row_of(added[0])
        assert float(evaluation.columns["period"].value[row]) == pytest.approx(12.8 / 9)
    assert float(tables.results(extra)["g"]) != pytest.approx(float(before), rel=1e-6)


def test_units_of_columns():
    """Cells typed in cm count as cm; a unit of the wrong kind is told and not used."""
    rows = [
        {"length": f"{x}", "cycles": "10", "time": f"{20.06 * (x / 100) ** 0.5:.4f}"} for x in (30, 60, 90)
    ]
    notebook = edits.set_unit(tables.table("pendulum", rows), "length", "cm")
    assert float(tables.results(notebook)["g"]) == pytest.approx(9.81, rel=0.01)
    wrong = evaluate(edits.set_unit(notebook, "length", "kg"))
    assert "kg" in wrong.column_problems["length"]


def test_means_are_shown_in_the_unit_they_were_typed_in():
    """A level typed in cm shows its mean in cm, with the digits its uncertainty leaves."""
    rows = [{"mass": "100", "reading": t} for t in ("12.1", "12.3", "12.2")]
    notebook = tables.table("hooke-static", rows, units={"mass": "g", "reading": "cm"})
    evaluation = evaluate(notebook)
    column = next(c for c in table_columns(evaluation) if c.name == "reading")
    text, spread = mean_words(evaluation, evaluation.groups[0], column)
    assert text.startswith("12.2")
    assert float(spread) == pytest.approx(0.25, rel=0.1)


def test_limits_name_the_largest_source_with_before_and_after():
    """The bar divides the variance; the sentence says what it would come to, and that is true."""
    notebook = tables.pendulum(repeats=3)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.04 s"))
    notebook = edits.set_instrument(notebook, "length", Instrument(rule="stated", amount="1 mm"))
    evaluation = evaluate(notebook)
    limits = trial_limits(evaluation)
    assert sum(share for _name, _kind, share in limits.items) == pytest.approx(1.0, abs=1e-6)
    assert limits.items[0][0] == "Time"
    better = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.02 s"))
    after = evaluate(better).outcome.results["g"].U95
    told = float(limits.sentence.split(" to ± ")[1].split()[0])
    assert told == pytest.approx(after, rel=0.2)
    assert "(95\u00a0%)" in stated_result(evaluation, "g", evaluation.outcome.results["g"])


def test_progress_marks():
    """Empty, under way, done, needs a look: as the table comes along."""
    assert trial_progress(None) == {"trials": "empty", "graph": "empty"}
    blank = tables.table("pendulum", [])
    assert trial_progress(evaluate(blank))["trials"] == "empty"
    one = evaluate(tables.pendulum(lengths=(0.3,)))
    assert trial_progress(one) == {"trials": "half", "graph": "empty"}
    whole = tables.pendulum(lengths=(0.3, 0.4, 0.5, 0.6, 0.7), spread=0.01)
    assert trial_progress(evaluate(whole)) == {"trials": "done", "graph": "done", "findings": "half"}
    wrong = edits.set_cells(whole, {(tables.ids(whole)[0], "time"): "?"})
    assert trial_progress(evaluate(wrong))["trials"] == "look"


def test_slips_are_told_for_the_table_of_a_notebook():
    """Half swings counted: the slip is named, as on the command line."""
    notebook = tables.pendulum(spread=0.02)
    doubled = {(t.id, "cycles"): "20" for t in notebook.trials.trials}
    evaluation = evaluate(edits.set_cells(notebook, doubled))
    assert [t.slip for t in slips_of(evaluation)] == ["half-cycles"]
    assert slips_of(evaluate(notebook)) == []


def test_an_unknown_investigation_opens_with_what_it_has():
    """A notebook from elsewhere may name an investigation this Saltus does not have: its cells stay."""
    own = (CustomColumn(name="x", title="x", unit="m"),)
    notebook = tables.table("no-such-thing", [{"x": "1"}, {"x": "2"}], own=own)
    evaluation = evaluate(notebook)
    assert "no-such-thing" in evaluation.column_problems[""]
    assert evaluation.columns["x"].value == pytest.approx([1.0, 2.0])


def test_work_is_not_done_twice():
    """The same table is worked out once; any change works it out anew."""
    notebook = tables.pendulum()
    assert evaluate(notebook) is evaluate(notebook)
    assert evaluate(edits.set_given(notebook, "g", "9.80 m/s^2")) is not evaluate(notebook)


def test_conventions_restate_everything_and_change_no_value():
    """Half range, standard u, steepest and shallowest: the value stays, the ± changes."""
    notebook = tables.pendulum(repeats=3)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.03 s"))
    notebook = edits.set_instrument(notebook, "length", Instrument(rule="stated", amount="1 mm"))
    plain = evaluate(notebook)
    school = evaluate(edits.change_table(notebook, convention="school"))
    steep = evaluate(edits.change_table(notebook, slope_u="steepest"))
    value = float(plain.outcome.results["g"])
    for evaluation in (school, steep):
        assert float(evaluation.outcome.results["g"]) == pytest.approx(value)
    assert "(standard u)" in stated_result(school, "g", school.outcome.results["g"])
    assert steep.outcome.results["g"].U95 > plain.outcome.results["g"].U95
    line = next(iter(plain.outcome.fits.values()))
    assert isinstance(line, Line)


def test_optional_columns_that_are_empty_are_left_out():
    """A column nobody filled does not make every trial incomplete."""
    notebook = tables.pendulum()
    recipe, _problems = investigation_of(notebook.trials)
    cells = typed_columns(notebook.trials, Sources(), recipe)
    assert "mass" not in cells.trials.columns
    filled = edits.set_cells(notebook, {(tables.ids(notebook)[0], "mass"): "0.1"})
    assert "mass" in typed_columns(filled.trials, Sources(), recipe).trials.columns
