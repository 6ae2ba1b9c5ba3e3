"""The catalogue: every investigation finds its truth, its slips and its faults; what teachers write is checked."""

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from saltus.commands.tabular.number_json import outcome_json
from saltus.core.written import WrittenError
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.run import run
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.recipe.catalogue import FOLDER, ids, load_recipe, recipe_named
from saltus.investigations.recipe.file import read_recipe
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.table.trials import read_trials
from saltus.investigations.table.written_cells import TrialsError
from saltus.simulate.slipped import slipped
from saltus.simulate.tables import simulated_table


def outcome_of(recipe, columns, givens, options=None, **changed):
    """Run an investigation on columns of cells."""
    return run(recipe, read_trials("t.csv", {**columns, **changed}, recipe), givens, options)


@pytest.mark.parametrize("recipe_id", ids())
def test_noise_free_tables_give_the_truth(recipe_id):
    """Every result to 1e-6, no slip, comparisons agree where they should, JSON without NaN."""
    recipe = recipe_named(recipe_id)
    for other in (None, *range(len(recipe.example.get("other", [])))):
        table = simulated_table(recipe, other=other)
        assert table.expected
        for states in (True, False):
            columns = {n: c for n, c in table.columns.items() if states or not n.startswith("u(")}
            outcome = outcome_of(recipe, columns, table.givens)
            for name, truth in table.expected.items():
                assert float(outcome.results[name]) == pytest.approx(truth, rel=1e-6, abs=1e-9), name
            assert not [w for w in outcome.warnings if w.slip]
            told = json.dumps(outcome_json(outcome, "standard", []), allow_nan=True)
            assert "Infinity" not in told
        theories = [c for c in outcome.compared if c.other != "none" and not c.other.startswith("mean_")]
        assert all(c.found.agree is not False for c in theories)
        assert all(
            abs(sum(line["share"] for line in b) - 1) < 1e-9
            for b in json.loads(told)["budgets"].values()
            if b
        )


@pytest.mark.parametrize(
    "recipe_id", ["ramp-run", "pendulum", "spring-oscillator", "vibrating-tray", "bounce"]
)
@pytest.mark.parametrize("states_u", [True, False])
def test_stated_intervals_hold_the_truth(recipe_id, states_u):
    """Truth, givens and noise drawn anew: 95 ± 3 % of 300; docs/coverage.md has every recipe with 1000."""
    recipe = recipe_named(recipe_id)
    hits: dict[str, int] = {}
    for seed in range(300):
        table = simulated_table(recipe, 5000 + seed, states_u=states_u)
        outcome = outcome_of(recipe, table.columns, table.givens)
        for name, truth in table.expected.items():
            q = outcome.results[name]
            hits[name] = hits.get(name, 0) + (abs(float(q) - truth) <= q.U95)
    assert all(0.92 * 300 <= n <= 0.99 * 300 for n in hits.values()), hits


@pytest.mark.parametrize("recipe_id", ids())
def test_slips_are_recognised_and_clean_tables_are_left_alone(recipe_id):
    """Each slip on tables made with it; none on clean ones."""
    recipe = recipe_named(recipe_id)

    def told(table):
        trials = read_trials("t.csv", table.columns, recipe)
        outcome = run(recipe, trials, table.givens)
        return {t.slip for t in (*outcome.warnings, *recognise(outcome, trials, table.givens)) if t.slip}

    for seed in range(6):
        assert told(simulated_table(recipe, 900 + seed)) == set()
    for slip in [s for s in recipe.slips if not s.row]:
        other = 0 if slip.slip == "wrong-angle-zero" else None
        for seed in range(3):
            made = slipped(simulated_table(recipe, 40 + seed, other=other), recipe, slip)
            assert slip.slip in told(made), slip


def test_slips_that_show_in_the_data_themselves():
    """Checks of the data: safe reading, large swings, edge of the bob, finish, run-up, crept zero, tilted track."""
    for recipe_id, changes, given_changes, slip in (
        ("hooke-static", {}, {"safe_reading": "0.2 m"}, "beyond-safe-reading"),
        ("pendulum", {"amplitude": ("deg", ["25"] * 18)}, {}, "large-amplitude"),
        ("terminal-fall", {}, {"run_up": "0.1 m"}, "not-terminal"),
        ("cantilever-depression", {}, {"zero_air": "0.025 m", "zero_liquid": "0.025 m"}, "old-zero"),
        ("cantilever-depression", {}, {"zero_air": "0.025 m", "zero_liquid": "0.025 m"}, "baseline-changed"),
        ("ramp-run", {}, {"finish": "1.35 m"}, "position-for-displacement"),
        ("inelastic-collision", {"coast": ("m/s^2", ["-0.12", "-0.11", "-0.125", "-0.118", "-0.121", "-0.115"])}, {},
         "tilted-track"),
    ):  # fmt: skip
        recipe = recipe_named(recipe_id)
        table = simulated_table(recipe, 8)
        outcome = outcome_of(recipe, table.columns, {**table.givens, **given_changes}, **changes)
        assert slip in {w.slip for w in outcome.warnings}, recipe_id
    recipe = recipe_named("free-fall")
    table = simulated_table(recipe, 4)
    twice = {n: (u, [*c[:10], *c[9:-1]] if n == "height" else c) for n, (u, c) in table.columns.items()}
    assert "duplicate-frames" in {w.slip for w in outcome_of(recipe, twice, {}).warnings}
    recipe = recipe_named("pendulum")
    table = simulated_table(recipe)
    unit, cells = table.columns["length"]
    short = {"length": (unit, [f"{float(c) - 0.02:.6f}" for c in cells])}
    assert "length-to-edge" in {
        w.slip for w in outcome_of(recipe, table.columns, table.givens, **short).warnings
    }


def test_a_pendulum_in_three_series():
    """What varies alone is told apart: length matters, mass does not; the length series gives g; wide swings corrected."""
    rows = [
        (0.4, 0.1, 10),
        (0.7, 0.1, 10),
        (1.0, 0.1, 10),
        (0.7, 0.2, 10),
        (0.7, 0.3, 10),
        (0.7, 0.1, 20),
        (0.7, 0.1, 25),
        (0.7, 0.1, 30),
    ]
    rng = np.random.default_rng(2)
    cells = {"length": [], "mass": [], "amplitude": [], "cycles": [], "time": []}
    for length, mass, degrees in rows * 4:
        a = math.radians(degrees)
        t = 10 * 2 * math.pi * math.sqrt(length / 9.81) * (1 + a**2 / 16 + 11 * a**4 / 3072)
        for name, value in zip(cells, (length, mass, degrees, 10, t + rng.normal(0, 0.01)), strict=True):
            cells[name].append(f"{value:.6f}")
    units = {"length": "m", "mass": "kg", "amplitude": "deg", "cycles": "", "time": "s"}
    columns = {n: (units[n], c) for n, c in cells.items()}
    outcome = outcome_of(recipe_named("pendulum"), columns, {"amplitude_correction": "on"})
    agree = {c.of: c.found.agree for c in outcome.compared}
    assert agree == {
        "effect_of_length": False, "effect_of_mass": True, "effect_of_amplitude": False, "g": True,
    }  # fmt: skip
    plain = outcome_of(recipe_named("pendulum"), columns, {})
    assert float(plain.results["g"]) < float(outcome.results["g"])
    assert outcome.results["effect_of_amplitude"].unit.ascii == "s/rad"


def test_levels_in_words_and_rows_left_out():
    """Words have means and differences, no trend; failed and set-aside rows do not count; what is alone has no u."""
    recipe = recipe_named("guided-run")
    columns = {
        "Level": ("", ["red", "red", "red", "blue", "blue", "blue", "blue", "green"]),
        "time": ("s", ["1.20", "1.22", "1.24", "1.40", "1.43", "1.41", "9.9", "2.0"]),
        "status": ("", ["kept", "", "kept", "", "", "set-aside", "failed", ""]),
    }
    outcome = outcome_of(recipe, columns, {"distance": "1.000(2) m"})
    assert float(outcome.results["mean_blue"]) == pytest.approx(1.415)
    assert float(outcome.results["speed_red"]) == pytest.approx(1 / 1.22)
    assert "trend" not in outcome.results
    assert math.isfinite(float(outcome.results["mean_red"].u))
    assert [level.count for level in outcome.levels] == [3, 2, 1]
    assert {(c.of, c.other): c.found.agree for c in outcome.compared}["mean_blue", "mean_red"] is False
    alone = {"level": ("", ["a", "b"]), "time": ("s", ["1.2", "1.4"])}
    flying = outcome_of(
        recipe_named("horizontal-launch"), {"drop": ("m", ["1"]), "range": ("m", ["1.3"])}, {}
    )
    assert float(flying.results["speed"]) == pytest.approx(1.3 / math.sqrt(2 / 9.81))
    assert [w.text for w in flying.warnings] == [
        "One trial of which no uncertainty is stated: repeat it, or state one."
    ]
    told = outcome_of(recipe, alone, {"distance": "1 m"})
    assert math.isnan(float(told.results["mean_a"].u))
    assert told.compared[0].found.agree is None


def test_what_gives_no_line_says_why():
    """A pendulum of one length, and levels of which nothing can be computed: null and a sentence each."""
    one = {"length": ("m", ["0.5", "0.5"]), "cycles": ("", ["10", "10"]), "time": ("s", ["14.2", "14.3"])}
    outcome = outcome_of(recipe_named("pendulum"), one, {})
    assert outcome.results == {"g": None}
    assert "length takes one value only" in outcome.warnings[0].text
    falls = {"count": ("", ["1", "2", "3", "4"]), "time": ("s", ["0", "1.4", "1.2", "1.0"])}
    givens = {"distance": "1 m", "batch_mass": "10 g", "batch_count": "10"}
    outcome = outcome_of(recipe_named("terminal-fall"), falls, givens)
    assert "from them: 1." in outcome.warnings[0].text
    assert float(outcome.results["exponent"]) > 0


def test_unknowns_of_a_tray_by_label_and_support():
    """Resting and hanging are told apart and compared; a balance may name its label."""
    recipe = recipe_named("vibrating-tray")
    table = simulated_table(recipe)
    columns = {n: (u, list(c)) for n, (u, c) in table.columns.items()}
    n = len(columns["mass"][1])
    columns["support"] = ("", [""] * (n - 3) + ["resting"] * 3)
    for name, (_unit, cells) in columns.items():
        cells.extend(cells[-3:] if name != "support" else ["hanging"] * 3)
    outcome = outcome_of(recipe, columns, {"balance_mass_x": "0.137(1) kg"})
    assert {"mass_x_resting", "mass_x_hanging"} <= outcome.results.keys()
    pairs = {(c.of, c.other): c.found.agree for c in outcome.compared}
    assert pairs == {
        ("mass_x_resting", "balance_mass_x"): True, ("mass_x_hanging", "balance_mass_x"): True,
        ("mass_x_resting", "mass_x_hanging"): True,
    }  # fmt: skip


def test_conventions_and_ways_of_the_slope():
    """Worst case is wider, the standard uncertainty narrower; steepest and scatter replace the slope's u; both lines."""
    recipe = recipe_named("ramp-run")
    table = simulated_table(recipe, 3)
    usual = outcome_of(recipe, table.columns, table.givens)
    told = {
        c: outcome_json(usual, c, [])["results"]["acceleration"] for c in ("standard", "half-range", "school")
    }
    assert told["school"]["U95"] == pytest.approx(told["standard"]["u"], rel=1e-6)
    assert told["half-range"]["value"] == told["standard"]["value"]
    for way in ("steepest", "scatter"):
        other = outcome_of(recipe, table.columns, table.givens, Options(slope_u=way))
        assert float(other.results["acceleration"]) == float(usual.results["acceleration"])
        assert other.results["acceleration"].U95 != usual.results["acceleration"].U95
    forced = outcome_of(recipe, table.columns, table.givens, Options(line="proportional"))
    assert forced.fits["line"].through_origin
    half = outcome_of(recipe, table.columns, table.givens, Options(convention="half-range"))
    assert half.results["acceleration"].U95 > usual.results["acceleration"].U95


@pytest.mark.parametrize(
    ("columns", "givens", "words"),
    [
        ({"length": ("kg", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {}, "m is expected"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"])}, {}, "no column “time"),
        ({"length": ("m", ["1e-60"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {}, "too small or too large"),
        ({"length": ("m", ["one"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {}, "line 2, “length”"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1 m"])}, {}, "s is expected"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {"zork": "1"}, "no given"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {"g": "9.8 kg"}, "expected"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"]), "u(time)": ("s", ["-1"])}, {}, "zero or a"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"])}, {"amplitude_correction": "x"}, "one of"),
        ({"length": ("m", ["1"]), "cycles": ("", ["1"]), "time": ("s", ["1"]), "status": ("", ["?"])}, {}, "a status is"),
    ],
)  # fmt: skip
def test_bad_tables_name_the_cell_and_what_is_expected(columns, givens, words):
    """One sentence for each: dimension, missing column, no number, unknown given, negative uncertainty, status."""
    with pytest.raises((TrialsError, RecipeError, WrittenError), match=words):
        outcome_of(recipe_named("pendulum"), columns, givens)


CELL = st.one_of(st.sampled_from(["", "0", "1", "-1", "1e9", "1e-9", "abc", "1,5", "2(1)", "nan", "inf", "1e400", "6e-152", "1e-49", "5 cm"]),
                 st.floats(-1e3, 1e3).map(lambda v: f"{v:.4g}"))  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(st.sampled_from(ids()), st.data())
def test_any_table_gives_results_or_a_sentence(recipe_id, data):
    """Whatever stands in the cells: finite numbers, nothing, or one sentence; never a traceback, never NaN."""
    recipe = recipe_named(recipe_id)
    rows = data.draw(st.integers(0, 6))
    columns = {}
    for name, column in recipe.columns.items():
        columns[name] = (column.unit_text, data.draw(st.lists(CELL, min_size=rows, max_size=rows)))
        if data.draw(st.booleans()):
            columns[f"u({name})"] = (
                column.unit_text,
                data.draw(st.lists(CELL, min_size=rows, max_size=rows)),
            )
    givens = {n: "1" if not g.choices else g.choices[-1] for n, g in recipe.givens.items() if n != "g"}
    try:
        trials = read_trials("t.csv", columns, recipe)
        outcome = run(recipe, trials, givens)
        told = outcome_json(outcome, "half-range", recognise(outcome, trials, givens))
    except (TrialsError, RecipeError, WrittenError):
        return
    assert all(
        math.isfinite(v)
        for q in told["results"].values()
        if q
        for v in (q["value"], q["u"] or 0, q["U95"] or 0)
    )
    if any(q is None for q in told["results"].values()):
        assert told["warnings"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("id = 7", "a text in quotes"), ('id = "A b"', "small letters"), ("zork = 1", "not known here"),
        ('[fits.line]\nx = "a"\ny = "nope"', "not known here"), ('[fits.line]\nx = "a"\ny = "a"\nmodel = "cubic"', "model is one"),
        ('[columns.b]\nunit = "zork"', "not a unit"), ('[rows]\np = "q"\nq = "p"', "circle"), ('[rows]\np = "a +"', "wrong at"),
        ('[[slips]]\nslip = "typo"\ntext = "x"', "not a slip"), ('level = ["c"]', "no column"), ("[columns", "cannot be read"),
        ("minutes = 'x'", "minutes: a number"), ("level = 3", "level: a list of texts"), ("matters = 3", "between 0 and 1"),
        ("comparisons = [3]", "comparisons 1: a table"), ('methods = ["hands"]', "methods 1: a method is one of"),
        ("rows = 3", "rows: a table of names"), ("[columns.B]", "columns.B: “B” is no name"),
        ('[columns.b]\nkind = "x"', "kind is number, text or level"), ("[columns.b]\noptional = 3", "true or false"),
        ("[columns.b]\nzork = 3", "known are default, kind"), ("[givens.m]\nunit = 3", "givens.m.unit: a text in quotes"),
        ('[fits.l]\nx = "a"', "fits.l: “y” is missing"), ('[results]\ng = [{ formul = "a" }]', "results.g 1: “formul” is not known"),
        ('[results]\ng = { formula = "a", when = 3 }', "results.g 1.when: a table"),
        ('[[comparisons]]\nof = "a"', "“with” is missing"), ('[[warn]]\ntext = "x"\nwhen = [true]', "a formula in quotes"),
        ('[[sense]]\nof = "a"\nlike = "a"\nwithin = "x"', "within: a number"),
        ('[plausible]\na = ["1"]', "least and the most"), ('[givens.m]\ndefault = "x y z"', "cannot be read"),
    ],
)  # fmt: skip
def test_files_of_teachers_are_checked(change, words):
    """Each fault in one sentence with the file and the place."""
    base = 'id = "my-own"\ntitle = "t"\ngroup = "g"\nquestion = "q"\n'
    tail = '[columns.a]\nunit = "m"\n'
    lines = [line for line in base.splitlines() if not (change.startswith("id") and line.startswith("id"))]
    text = "\n".join([change, *lines, tail] if not change.startswith("[") else [*lines, tail, change])
    with pytest.raises((RecipeError, WrittenError), match=words) as told:
        read_recipe(text, "mine.toml")
    assert "mine.toml" in str(told.value)


def test_a_file_of_ones_own_runs(tmp_path):
    """A new investigation needs a file and no code; one that is not there, or not text, says so."""
    path = tmp_path / "cooling.toml"
    path.write_text(
        'id = "drip"\ntitle = "Dripping"\ngroup = "Own"\nquestion = "How fast does it drip?"\n'
        'level = ["drops"]\naverage = ["time"]\n[columns.drops]\n[columns.time]\nunit = "s"\n'
        '[fits.line]\nx = "drops"\ny = "time"\n[results]\nrate = "1/slope"\n',
        encoding="utf-8",
    )
    recipe = load_recipe(path)
    outcome = outcome_of(
        recipe, {"drops": ("", ["10", "20", "30"]), "time": ("min", ["0.1", "0.2", "0.3"])}, {}
    )
    assert float(outcome.results["rate"]) == pytest.approx(10 / 6)
    for wrong in (tmp_path / "none.toml", tmp_path):
        with pytest.raises(RecipeError):
            load_recipe(wrong)
    with pytest.raises(RecipeError, match="pendulum"):
        recipe_named("../pendulum")
    assert len(ids()) == len(list(FOLDER.glob("*.toml"))) == 28
