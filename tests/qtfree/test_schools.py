"""Conventions of the schools, records, simulated tables: what a switch changes and what it must not."""

import json
import math
import tomllib
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from made import source

from saltus.commands.tabular.number_json import fit_json, outcome_json
from saltus.core.formulas import parse
from saltus.core.lines.levels import average, by_half_range, group_levels
from saltus.core.lines.straight import fit_line
from saltus.core.quantities import exact, family, measured
from saltus.core.units import METRE, ONE, SECOND
from saltus.core.with_uncertainty import only, unsure
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.functions import column_functions
from saltus.investigations.engine.outcome import Notice
from saltus.investigations.engine.run import run
from saltus.investigations.engine.schools import restated, slope_by
from saltus.investigations.judgement.slips import makes_sense, recognise
from saltus.investigations.recipe.catalogue import FOLDER, ids, recipe_named
from saltus.investigations.recipe.schema import schema_text
from saltus.investigations.table.trials import read_trials
from saltus.investigations.table.wide import plain_name
from saltus.simulate.slipped import slipped
from saltus.simulate.tables import simulated_table

SCHEMA = Path(__file__).parents[2] / "docs" / "investigation.schema.json"


def result(*parts):
    """A single value made of independent normal parts."""
    out = exact(10.0, METRE)
    for i, u in enumerate(parts):
        out = out + measured(0.0, u, METRE, source(f"part-{i}"))
    return out


def test_results_are_restated_in_one_place():
    """Worst case adds what quadrature would not; the standard uncertainty stands as ±; the value never moves."""
    q = result(0.3, 0.4)
    assert restated(q, "standard") is q
    worst = restated(q, "half-range")
    assert (float(worst), worst.U95) == pytest.approx((10.0, 0.7))
    school = restated(q, "school")
    assert pytest.approx(0.5) == school.U95
    assert restated(exact(1.0), "half-range").U95 == 0
    open_ended = restated(unsure(exact(1.0), source("?")), "school")
    assert math.isnan(open_ended.U95)


def test_half_the_range_as_the_uncertainty_of_a_mean():
    """Levels with repeats have half their range, single rows what they state, shared parts stay shared."""
    rows = np.array([1.0, 1.0, 1.0, 2.0])
    group, _first = group_levels(rows)
    q = family(np.array([5.0, 5.4, 5.1, 7.0]), 0.1, METRE, source("r")).with_source(source("all"), 0.05)
    found = average(q, group, "scatter/x", "timing")
    half = by_half_range(found, q, group, "half-range/x")
    assert half.mean.u[0] == pytest.approx(math.hypot(0.2, 0.05))
    assert half.mean.u[1] == pytest.approx(math.hypot(found.mean.u[1], 0.05))
    assert only(half.mean, source("all")).u == pytest.approx([0.05, 0.05])
    alike = exact(np.array([5.0, 5.0]), METRE)
    flat = average(alike, np.array([0, 0]), "scatter/x")
    assert by_half_range(flat, alike, np.array([0, 0]), "half-range/x") is flat


@pytest.mark.parametrize("way", ["fit", "steepest", "scatter"])
def test_the_slope_keeps_its_value_whatever_its_uncertainty_is_from(way):
    """From the fit, from the extreme lines through the bars, from the scatter; without bars it says so."""
    rng = np.random.default_rng(2)
    x = np.arange(1.0, 8.0)
    y = family(3 * x + rng.normal(0, 0.1, 7), 0.1, METRE, source("y"))
    line = fit_line(exact(x, SECOND), y)
    other = slope_by(line, way)
    assert float(other.slope) == float(line.slope)
    told = fit_json("line", other)
    if way == "fit":
        assert other is line
    elif way == "steepest":
        assert pytest.approx(abs(told["steepest"] - told["shallowest"]) / 2) == other.slope.U95
    else:
        assert other.slope.U95 / line.u_scatter["slope"] == pytest.approx(2.5706, rel=1e-4)
    bare = slope_by(fit_line(exact(x, SECOND), exact(y.value, METRE)), way)
    assert (bare.warnings != ()) == (way == "steepest")


def test_functions_of_whole_columns():
    """Extremes keep their sources, limits are uniform between them, steps share their ends, repeats need motion."""
    made = column_functions("test", np.arange, lambda _count: None)
    functions = {name: partial(function, parse(f"{name}(x)", made).tree) for name, function in made.items()}
    q = family(np.array([1.0, math.nan, 3.0, 2.0]), 0.1, METRE, source("q"))
    assert float(functions["max"](q)) == 3
    assert float(functions["max"](q).u) == pytest.approx(0.1)
    assert float(functions["min"](q)) == 1
    assert float(functions["count"](q)) == 4
    middle = functions["limits"](exact(np.array([1.0, 2.0]), METRE), exact(np.array([1.6, 2.2]), METRE))
    assert middle.value == pytest.approx([1.3, 2.1])
    assert middle.u == pytest.approx([0.3 / math.sqrt(3), 0.1 / math.sqrt(3)])
    steps = functions["step"](family(np.array([0.0, 1.0, 3.0]), 0.1, SECOND, source("t")))
    assert steps.value[:2] == pytest.approx([1, 2])
    assert math.isnan(steps.value[2])
    assert steps.covariance()[0, 1] == pytest.approx(-0.01)
    combined = functions["combine"](family(np.array([1.0, 1.2, math.nan]), 0.1, ONE, source("c")))
    assert (float(combined), float(combined.u)) == pytest.approx((1.1, 0.1 / math.sqrt(2)))
    assert math.isnan(float(functions["combine"](exact(np.array([math.nan])))))
    repeated = functions["repeated"]
    falling = 5 * np.linspace(0.2, 0.6, 9) ** 2
    assert float(repeated(exact(falling))) == 0
    assert float(repeated(exact(np.insert(falling, 4, falling[3])))) == 1
    turning = np.abs(np.linspace(-1, 1, 8))
    assert float(repeated(exact(turning))) == 0


@pytest.mark.parametrize("recipe_id", ids())
def test_conventions_never_move_a_value(recipe_id):
    """Whatever the school, results and comparisons are of the same values; JSON stays whole; warnings are told once."""
    recipe = recipe_named(recipe_id)
    table = simulated_table(recipe, 17)
    trials = read_trials("t.csv", table.columns, recipe)
    usual = outcome_json(run(recipe, trials, table.givens), "standard", [])
    for convention in ("half-range", "school"):
        outcome = run(recipe, trials, table.givens, Options(convention="standard"))
        other = outcome_json(outcome, convention, [Notice("a sentence")])
        assert json.loads(json.dumps(other))
        assert other["convention"] == convention
        for name, q in usual["results"].items():
            assert other["results"][name]["value"] == q["value"]
            assert other["results"][name]["unit"] == q["unit"]
        assert other["warnings"][-1] == {"slip": None, "text": "a sentence"}
    texts = [w["text"] for w in usual["warnings"]]
    assert len(texts) == len(set(texts))


@pytest.mark.parametrize("recipe_id", ids())
def test_simulated_tables_are_what_a_student_would_type(recipe_id):
    """The same seed gives the same table, another seed another one; columns of one length; givens that can be read."""
    recipe = recipe_named(recipe_id)
    one, again, other = (simulated_table(recipe, seed) for seed in (1, 1, 2))
    assert one.columns == again.columns
    assert one.columns != other.columns
    assert len({len(cells) for _unit, cells in one.columns.values()}) == 1
    assert set(one.givens) <= recipe.givens.keys()
    bare = simulated_table(recipe, 1, states_u=False)
    assert not any(name.startswith("u(") for name in bare.columns)


def test_sense_is_only_made_where_something_can_be_checked():
    """Without what a recipe compares with there is no opinion, and so no slip; a slip needs what it touches."""
    recipe = recipe_named("whirl-force-speed")
    table = simulated_table(recipe, 3)
    givens = {name: value for name, value in table.givens.items() if name != "body_mass"}
    trials = read_trials("t.csv", table.columns, recipe)
    outcome = run(recipe, trials, givens)
    assert all(check.like is None for check in outcome.sense)
    assert recognise(outcome, trials, givens) == []
    assert makes_sense(run(recipe, trials, table.givens)) is True
    angled = recipe_named("level-launch")
    protractor = next(s for s in angled.slips if "protractor_zero" in s.undo)
    made = slipped(simulated_table(angled, other=0), angled, protractor)
    assert made.givens["protractor_zero"].endswith("rad")
    by_angle = next(s for s in angled.slips if "angle" in s.undo)
    assert slipped(simulated_table(angled, other=0), angled, by_angle) is None


def test_the_published_schema_is_the_one_of_the_form():
    """The file in docs/ is what the form gives, allows nothing unknown, and knows what the catalogue writes."""
    known = json.loads(SCHEMA.read_text(encoding="utf-8"))
    assert known == json.loads(schema_text())
    assert all(part["additionalProperties"] is False for part in [known, *known["$defs"].values()])
    for path in FOLDER.glob("*.toml"):
        data = tomllib.loads(path.read_text(encoding="utf-8"))
        assert data.keys() <= known["properties"].keys(), path
        for part, name in (("columns", "Column"), ("givens", "Given")):
            allowed = known["$defs"][name]["properties"].keys()
            assert all(spec.keys() <= allowed for spec in data.get(part, {}).values()), path
    assert plain_name(" Hanging mass ") == "hanging_mass"
