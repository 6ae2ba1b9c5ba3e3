"""Verdicts from outside: what the commands print of weak evidence, of odd trials, of rows and levels."""

import json

import pytest

from saltus.investigations.engine.run import run
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.trials import read_trials
from saltus.simulate.tables import simulated_table


def table(path, text):
    """A table as a student saved it."""
    path.write_text(text, encoding="utf-8")
    return path


def test_an_odd_trial_is_printed_for_people_and_programs(tmp_path, saltus, told):
    """Level and trial in JSON, a sentence for people, exit code 0; three repeats are enough."""
    rows = ["length [m],cycles,time [s]"]
    for length, times in ((0.3, (11.05, 10.98, 10.96)), (0.5, (14.17, 14.21, 14.15)), (0.7, (16.75, 15.10, 16.80)),
                          (0.9, (19.02, 19.08, 18.99))):  # fmt: skip
        rows += [f"{length},10,{time}" for time in times]
    path = table(tmp_path / "swing.csv", "\n".join(rows) + "\n")
    (found,) = told("investigate", "pendulum", path, "--json")
    odd = next(w for w in found["warnings"] if w["slip"] == "odd-value")
    assert (odd["level"], odd["trial"]) == ("0.7", 8)
    assert [w["trial"] for w in found["warnings"] if w["slip"] == "counted-from-one"] == [8]
    code, out, _err = saltus("investigate", "pendulum", path)
    assert code == 0
    assert "With the trial that stands out free-fall acceleration is" in out
    assert "Trial 2 of 3 at 0.7 (row 8 of the table) stands out" in out
    (repeats,) = told("repeats", "16.75 15.10 16.80", "--explained", "0.05", "--json")
    assert repeats["odd"] == [15.1]


def test_levels_and_rows_are_printed_one_by_one(tmp_path, saltus, told):
    """Each with its place; the same verdict for people; stated as the convention has it."""
    rows = ["radius [m],turns,time [s]"]
    rows += [f"{r},10,{10 * (4 * 9.8696 * r * 0.025 / (0.1 * 9.81)) ** 0.5 + 0.02 * k:.3f}" for r in (0.4, 0.6, 0.8)
             for k in (-1, 0, 1)]  # fmt: skip
    path = table(tmp_path / "whirl.csv", "\n".join(rows) + "\n")
    given = ("--given", "hanging_mass=0.1000(2) kg", "--given", "body_mass=0.0250(1) kg")
    (found,) = told("investigate", "whirl-unknown-mass", path, *given, "--json")
    levels = [c["level"] for c in found["comparison"] if "level" in c and c["with"] == "body_mass"]
    assert levels == ["0.4", "0.6", "0.8"]
    said = saltus("investigate", "whirl-unknown-mass", path, *given, "--convention", "school")[1]
    assert "mass (at 0.4) compared with body_mass: agree" in said
    assert "(95 %)" not in said


def test_what_cannot_be_told_is_null_and_says_so(tmp_path, saltus, told):
    """A balance that shows nothing of its uncertainty, and a column that states none."""
    path = table(tmp_path / "runs.csv", "v1_before [m/s],v_after [m/s]\n0.50,0.26\n")
    given = ("--given", "mass_1=0.5 kg", "--given", "mass_2=0.5 kg")
    (found,) = told("investigate", "inelastic-collision", path, *given, "--json")
    assert {c["agree"] for c in found["comparison"]} == {None}
    assert any("no uncertainty" in w["text"] for w in found["warnings"])
    assert "cannot tell yet" in saltus("investigate", "inelastic-collision", path, *given)[1]


@pytest.mark.parametrize("recipe_id", ids())
def test_honest_tables_are_left_alone(recipe_id):
    """25 tables of each investigation, stated and not: docs/coverage.md has 1,333; here one remark at most."""
    recipe, accused = recipe_named(recipe_id), 0
    for seed in range(25):
        made = simulated_table(recipe, 30_000 + seed, states_u=seed % 2 == 0)
        trials = read_trials("t.csv", made.columns, recipe)
        outcome = run(recipe, trials, made.givens)
        accused += any(w.slip for w in (*outcome.warnings, *recognise(outcome, trials, made.givens)))
        json.dumps([w.text for w in outcome.warnings])
    assert accused <= 1
