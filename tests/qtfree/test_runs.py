"""Runs of the stopwatch in the table of trials, hands as instruments, and the camera that is not even."""

import math

import numpy as np
import pytest
import tables

from saltus.core.clock.hand import WATCH_STEP_S, hand_of
from saltus.exchange.trials_sheet import sheet_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.runs import (
    hand_of_column,
    level_cells,
    level_words,
    mean_of_runs,
    run_time,
    runs_at,
    time_columns,
    with_run,
)
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Instrument
from saltus.simulate.camera import truth_of
from saltus.simulate.scene import SceneError
from saltus.simulate.scenes import set_up
from saltus.simulate.shots import CLOCK, SOUND_RATE, heard, shots_of, speed_of_sound

LEVEL = {"length": "0.600"}


def with_hand(notebook, presses=None, seen=None):
    """A measured hand in a notebook; gives both."""
    notebook, hand = timing_edits.add_hand(notebook, "Mira")
    notebook = timing_edits.set_presses(
        notebook, hand, "predicted", tuple(map(float, PRESSES if presses is None else presses))
    )
    return timing_edits.set_presses(notebook, hand, "seen", tuple(seen or ())), hand


PRESSES = (0.02, -0.03, 0.05, 0.00, 0.04, -0.02, 0.03, 0.01, -0.01, 0.02, 0.00, 0.06)


# -- runs into the table -----------------------------------------------------------------------------


def test_runs_fill_the_table_at_their_level():
    """Free rows first, then new ones below; cycles and level go with them, failed ones keep their number."""
    notebook, hand = with_hand(tables.table("pendulum", [{"length": "0.300", "cycles": "10", "time": "10.99"},
                                                         LEVEL, {"length": "0.900"}]))  # fmt: skip
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="hand", amount=hand))
    evaluation = evaluate(notebook)
    assert [c.name for c in time_columns(evaluation)] == ["time"]
    notebook, first = with_run(notebook, evaluation, "time", LEVEL, shown_s=15.537, cycles=10)
    assert first == notebook.trials.trials[1].id
    assert notebook.trials.trial(first).cells == {"length": "0.600", "time": "15.54", "cycles": "10"}
    told = [
        {"shown_s": 15.51, "status": "set-aside", "reason": "pressed late"},
        {"shown_s": None, "status": "failed", "reason": "touched the stand"},
        {"shown_s": 15.58},
    ]
    for run in told:
        notebook, _trial = with_run(notebook, evaluate(notebook), "time", LEVEL, cycles=10, **run)
    assert [t.cells["length"] for t in notebook.trials.trials] == ["0.300", *["0.600"] * 4, "0.900"]
    made = runs_at(evaluate(notebook), LEVEL, "time")
    assert [(r.status, r.seconds) for r in made] == [
        ("kept", 15.54), ("set-aside", 15.51), ("failed", None), ("kept", 15.58),
    ]  # fmt: skip
    assert [r.reason for r in made] == ["", "pressed late", "touched the stand", ""]
    spread, mean = mean_of_runs(made, 0.04)
    assert (len(spread.values), float(mean)) == (2, pytest.approx(15.56))
    assert mean_of_runs(made[1:3], 0.04) is None
    evaluation = evaluate(notebook)
    assert level_words(evaluation, LEVEL) == "length 0.600 m"
    assert level_cells(evaluation, notebook.trials.trials[0].id) == {"length": "0.300"}
    # without a trial in hand, the level of the last
    assert level_cells(evaluation, None) == {"length": "0.900"}


def test_a_first_run_chooses_the_hand_as_instrument():
    """A column read with nothing is read by a hand from then on; one that was stated keeps its own."""
    notebook = tables.table("pendulum", [LEVEL])
    notebook, _trial = with_run(notebook, evaluate(notebook), "time", LEVEL, shown_s=1.55, cycles=1)
    assert notebook.trials.instruments["time"] == Instrument(rule="hand", amount="")
    assert hand_of_column(notebook, "time") == ""
    stated = tables.table(
        "pendulum", [LEVEL], instruments={"time": Instrument(rule="stated", amount="0.2 s")}
    )
    stated, _trial = with_run(stated, evaluate(stated), "time", LEVEL, shown_s=1.55, cycles=1)
    assert stated.trials.instruments["time"].rule == "stated"
    assert "cycles" not in stated.trials.trials[0].cells


def test_lateness_is_taken_off_in_the_cell_where_start_and_stop_differ():
    """Seen start, foreseen stop: corrected, with its own uncertainty; judged alike, as the watch shows it."""
    seen = (0.21, 0.25, 0.19, 0.23, 0.24, 0.22, 0.20, 0.26)
    notebook, hand = with_hand(tables.table("pendulum", [LEVEL]), seen=seen)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="hand", amount=hand))
    notebook, trial = with_run(
        notebook, evaluate(notebook), "time", LEVEL, shown_s=15.5, cycles=10, judged="seen-start"
    )
    late = np.mean(seen) - np.mean(PRESSES)
    value, u = notebook.trials.trial(trial).cells["time"].split(" ± ")
    assert float(value) == pytest.approx(15.5 + late, abs=6e-4)
    q = run_time(notebook, hand, "seen-start", 15.5)
    assert float(u) == pytest.approx(float(q.u), abs=6e-4)
    assert evaluate(notebook).columns["time"].u[0] == pytest.approx(float(u))


def test_the_hand_stands_behind_every_time_of_its_column():
    """U = √2·u(press), more for few presses, with the last digit; the table, the sheet and a new test agree."""
    notebook, hand = with_hand(tables.pendulum(repeats=1))
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="hand", amount=hand))
    known = hand_of(PRESSES)
    u = math.hypot(math.sqrt(2) * known.u_normal, WATCH_STEP_S / math.sqrt(6))
    column = evaluate(notebook).columns["time"]
    assert column.u == pytest.approx(np.full(4, u))
    assert {s.kind for s in column.sources} == {"reaction"}
    sheet = sheet_of(notebook, None, of_trials=True)
    assert any("time by stopwatch, Mira" in line for line in sheet.method)
    again = timing_edits.set_presses(notebook, hand, "predicted", tuple(2 * p for p in PRESSES))
    assert evaluate(again).columns["time"].u[0] > 1.9 * u
    nobody = edits.set_instrument(notebook, "time", Instrument(rule="hand", amount=""))
    assert evaluate(nobody).columns["time"].u[0] == pytest.approx(0.1 * math.sqrt(2), rel=1e-3)
    assert any("hand that was not measured" in m for m in sheet_of(nobody, None, of_trials=True).method)
    wrong = edits.set_instrument(notebook, "length", Instrument(rule="hand", amount=hand))
    assert "gives times" in evaluate(wrong).column_problems["length"]


def test_a_result_timed_by_hand_covers_the_truth():
    """Twenty people with their own hands measure g: tested, timed, worked out; the stated g holds 9.81."""
    rng = np.random.default_rng(8)
    hits, count = 0, 60
    for _person in range(count):
        u, late = rng.uniform(0.02, 0.1), rng.normal(0, 0.05)
        rows = []
        for length in (0.3, 0.5, 0.7, 0.9):
            true = 10 * 2 * math.pi * math.sqrt(length / 9.81)
            for _run in range(3):
                begun, ended = rng.normal(late, u, 2) + np.array([0.0, true])
                rows.append({"length": f"{length:.4f}", "cycles": "10", "time": f"{ended - begun:.2f}"})
        notebook, hand = with_hand(tables.table("pendulum", rows), rng.normal(late, u, 20))
        notebook = edits.set_instrument(notebook, "time", Instrument(rule="hand", amount=hand))
        g = tables.results(notebook)["g"]
        hits += abs(float(g) - 9.81) <= g.U95
    assert hits >= 0.88 * count, hits


# -- the camera of the simulator ---------------------------------------------------------------------


def test_frames_come_as_the_camera_was_told():
    """Late by up to the jitter, some lost, some shown twice, slower than taken; the first always at zero."""
    even = shots_of(set_up("bounce", {"rate": 30, "duration": 1}))
    assert (even.repeats, even.gaps) == ((), ())
    assert even.ticks == pytest.approx(even.taken * CLOCK)
    late = shots_of(set_up("bounce", {"rate": 30, "duration": 1, "jitter": 0.01}))
    assert late.taken[0] == 0
    assert np.all((late.taken - even.taken >= 0) & (late.taken - even.taken <= 0.01 + 1 / CLOCK))
    assert np.ptp(np.diff(late.taken)) > 0.005
    lost = shots_of(set_up("bounce", {"rate": 30, "duration": 1, "missing": 4}))
    assert len(lost.taken) == 26
    assert np.diff(lost.taken)[lost.gaps[0]] == pytest.approx(5 / 30, abs=1e-4)
    twice = shots_of(set_up("bounce", {"rate": 30, "duration": 1, "repeat_every": 7}))
    assert twice.repeats == (7, 14, 21, 28)
    assert all(twice.taken[n] == twice.taken[n - 1] for n in twice.repeats)
    assert np.all(np.diff(twice.ticks) > 0)
    slow = shots_of(set_up("bounce", {"rate": 240, "duration": 0.5, "play_rate": 30}))
    assert slow.ticks / CLOCK == pytest.approx(8 * slow.taken, abs=1e-4)
    for settings in ({"jitter": -1}, {"missing": -2}, {"microphone": -3}, {"warm": 900}):
        with pytest.raises(SceneError):
            set_up("bounce", settings)


def test_the_microphone_hears_each_landing_as_late_as_it_stands_away():
    """Silence before, a knock within a sample after the way of the sound, each one softer."""
    scene = set_up("bounce", {"duration": 2, "sound": 1, "microphone": 10.0, "warm": 0.0, "drop": 0.5})
    sound = heard(scene, 2.0)
    assert speed_of_sound(0.0) == pytest.approx(331.3)
    assert speed_of_sound(20.0) == pytest.approx(343.2, abs=0.1)
    loud = []
    for at in scene.sounds[:3]:
        n = math.ceil((at + 10 / 331.3) * SOUND_RATE)
        assert np.abs(sound[n - 60 : n - 1]).max() < 0.03
        loud.append(np.abs(sound[n : n + 60]).max())
        assert loud[-1] > 0.1
    assert loud == sorted(loud, reverse=True)
    truth = truth_of(scene)
    assert truth["events"]["landing"] == pytest.approx(list(scene.events["landing"]))


def test_a_bouncing_ball_obeys_its_law():
    """Free fall, then each hop as high as the restitution leaves it; it never sinks into the slate."""
    scene = set_up("bounce", {"duration": 3, "drop": 0.6, "restitution": 0.8, "release": 0.1})
    first = 0.1 + math.sqrt(2 * 0.6 / 9.81)
    landings = scene.events["landing"]
    assert landings[0] == pytest.approx(first)
    assert np.diff(landings) == pytest.approx(
        2 * first_speed(0.6) * 0.8 ** np.arange(1, len(landings)) / 9.81
    )
    t = np.linspace(0, 3, 30_001)
    height = scene.path(t)[:, 1] - 0.016
    assert height.min() >= -1e-12
    assert np.interp(landings[0] + (landings[1] - landings[0]) / 2, t, height) == pytest.approx(
        0.6 * 0.8**2, rel=1e-4
    )


def first_speed(drop):
    """Speed after falling so far, m/s."""
    return math.sqrt(2 * 9.81 * drop)
