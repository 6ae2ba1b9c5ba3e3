"""Tables of others: heads by synonym and symbol, limits and ±, observers of one run, tables off the clipboard."""

import math

import numpy as np
import pytest

from saltus.exchange.clipping import grid_of, has_headers
from saltus.exchange.tables import parse_table, table_of
from saltus.exchange.trials_table import proposal, taken_in, trial_a_row
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.engine.run import run
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.headers import bare_words, matched, plain_name
from saltus.investigations.table.trials import read_trials
from saltus.investigations.table.written_cells import TrialsError
from saltus.simulate.trials import simulated_notebook


def results(name, columns, givens):
    """Results of a table of columns (unit, cells)."""
    recipe = recipe_named(name)
    return run(recipe, read_trials("t.csv", columns, recipe), givens, Options()).results


SWINGS = {"length": ("m", ["0.4", "0.6", "0.8", "1.0"]), "cycles": ("", ["10"] * 4),
          "time": ("s", ["12.69", "15.54", "17.95", "20.07"])}  # fmt: skip


@pytest.mark.parametrize("heads", [
    {"length": "Pendulum Length"}, {"length": "L"}, {"length": "length of string"}, {"length": "STRING  LENGTH"},
    {"cycles": "Number of swings"}, {"cycles": "No. of swings"}, {"cycles": "# swings"}, {"cycles": "n"}, {"time": "t"}, {"time": "Time for 10 swings"},
    {"length": "Thread-length", "time": "Total time", "cycles": "oscillations"},
])  # fmt: skip
def test_heads_are_known_however_they_are_written(heads):
    """Synonym, symbol, case and spacing: the same table as under its own names."""
    columns = {heads.get(name, name): column for name, column in SWINGS.items()}
    assert float(results("pendulum", columns, {})["g"]) == float(results("pendulum", SWINGS, {})["g"])


@pytest.mark.parametrize(("heads", "chosen"), [
    ({"start time": "s", "time": "s", "start": "m"}, {"time": "time", "start": "start"}),
    ({"length": "s", "L": "cm", "time": "s"}, {"length": "L", "time": "time"}),
    ({"lap time": "s", "split time": "s", "length": "m"}, {"length": "length"}),
    ({"mass of cart": "g", "length": "m", "time": "s"}, {"length": "length", "time": "time"}),
])  # fmt: skip
def test_a_head_that_may_be_two_things_is_left(heads, chosen):
    """What is not clear is not guessed: units rule out, two alike rule each other out, extras stay extras."""
    name = "ramp-run" if "start" in heads else "pendulum"
    found = matched(heads, recipe_named(name))
    assert {k: v for k, v in found.items() if k in chosen} == chosen
    assert "mass" not in found


def test_no_word_of_the_catalogue_is_said_of_two_columns():
    """In an investigation a head leads to one column at most, and each column is known by its title and symbol."""
    for name in ids():
        recipe = recipe_named(name)
        of: dict[object, str] = {}
        for column in recipe.columns:
            for words in {column, recipe.title_of(column), *recipe.also(column)}:
                assert of.setdefault(plain_name(words), column) == column, (name, words)
                bare = bare_words(plain_name(words))
                assert not bare or of.setdefault(bare, column) == column, (name, words)
            titled = recipe.title_of(column)
            assert matched({titled: ""}, recipe).get(column) == titled


FREQUENCIES = ((33.6, 0.3), (50.4, 0.3), (67.3, 0.4), (84.0, 0.4))


def strings(**columns):
    """Standing waves with the frequency in some columns."""
    harmonics = {"harmonic": ("", ["2", "3", "4", "5"]), "internode": ("m", ["0.60", "0.40", "0.30", "0.24"])}
    return harmonics | columns


def test_a_value_with_its_u_for_two_limits_and_back():
    """42.3 ± 0.2 (u), or a column of u, or two limits √3 u apart from it: one result with one uncertainty."""
    half = [math.sqrt(3) * u for _f, u in FREQUENCIES]
    limits = strings(
        f_low=("Hz", [f"{f - h:.9f}" for (f, _u), h in zip(FREQUENCIES, half, strict=True)]),
        f_high=("Hz", [f"{f + h:.9f}" for (f, _u), h in zip(FREQUENCIES, half, strict=True)]),
    )
    written = strings(frequency=("Hz", [f"{f} ± {u}" for f, u in FREQUENCIES]))
    beside = strings(
        **{"f": ("Hz", [f"{f}" for f, _u in FREQUENCIES]), "u(f)": ("Hz", [f"{u}" for _f, u in FREQUENCIES])}
    )
    wanted = results("string-harmonics", limits, {})["wave_speed"]
    for columns in (written, beside):
        found = results("string-harmonics", columns, {})["wave_speed"]
        assert float(found) == pytest.approx(float(wanted), rel=1e-8)
        assert float(found.u) == pytest.approx(float(wanted.u), rel=1e-6)


@pytest.mark.parametrize(("low", "high"), [
    ("reading low", "reading high"), ("lowest reading", "highest reading"), ("Reading min", "Reading max"),
])  # fmt: skip
def test_two_limits_for_a_value(low, high):
    """A reading between limits is their middle; half the range over √3 is its standard uncertainty."""
    columns = {
        "mass": ("g", ["50", "100", "150"]),
        low: ("cm", ["15.1", "17.0", "19.1"]),
        high: ("cm", ["15.3", "17.4", "19.3"]),
    }
    column = read_trials("t.csv", columns, recipe_named("hooke-static")).columns["reading"]
    assert column.values == pytest.approx([0.152, 0.172, 0.192])
    assert column.u == pytest.approx(np.array([0.1, 0.2, 0.1]) / 100 / math.sqrt(3), rel=1e-4)


@pytest.mark.parametrize("heads", [
    ("observer 1", "observer 2"), ("time observer 1", "time observer 2"), ("Timer A", "Timer B"),
    ("time by person 1", "time by person 2"),
])  # fmt: skip
def test_two_observers_are_two_readings_of_one_trial(heads):
    """No more trials than runs: the mean of both, and what their differences tell of the hands."""
    times = [("12.65", "12.73"), ("15.50", "15.58"), ("17.99", "17.91"), ("20.03", "20.11")]
    columns = {n: c for n, c in SWINGS.items() if n != "time"}
    columns |= {head: ("s", [row[i] for row in times]) for i, head in enumerate(heads)}
    read = read_trials("t.csv", columns, recipe_named("pendulum"))
    assert read.rows == 4
    assert read.columns["time"].values == pytest.approx([12.69, 15.54, 17.95, 20.07])
    # differences of 0.08 s: s = 0.08/√2 of a hand, known with four degrees of freedom, over √2 for the mean
    assert read.columns["time"].u == pytest.approx([0.04 * 2.776 / 1.96] * 4, rel=1e-3)


def test_what_observers_state_holds():
    """Of simulated hands 95 % of the runs lie within what the mean of two observers states, few runs or many."""
    rng = np.random.default_rng(11)
    for runs, wanted in ((4, 0.95), (12, 0.95)):
        inside = total = 0
        for _table in range(200):
            true = rng.uniform(10, 20, runs)
            seen = true[:, None] + rng.normal(0, 0.05, (runs, 2))
            cells = [f"{a:.4f} & {b:.4f}" for a, b in seen]
            columns = {"length": ("m", [f"{0.1 * (i + 1):.1f}" for i in range(runs)]),
                       "cycles": ("", ["10"] * runs), "time": ("s", cells)}  # fmt: skip
            time = read_trials("t.csv", columns, recipe_named("pendulum")).columns["time"]
            inside += int(np.sum(np.abs(time.values - true) <= 1.96 * time.u))
            total += runs
        assert inside / total == pytest.approx(wanted, abs=0.02)


def test_observers_who_read_once():
    """A run one of them missed counts with the other's reading; one alone says nothing of hands."""
    columns = {"length": ("m", ["0.4", "0.6"]), "cycles": ("", ["10", "10"]), "observer 1": ("s", ["12.6", "15.5"]),
               "observer 2": ("s", ["", ""])}  # fmt: skip
    read = read_trials("t.csv", columns, recipe_named("pendulum")).columns["time"]
    assert read.values.tolist() == [12.6, 15.5]
    assert read.u is None


@pytest.mark.parametrize("text", ["about 19", "~19", "ca. 19", "approx 19.2", "nearly 20"])
def test_a_guess_is_told(text):
    """A guessed number is no reading: it is said so, and what to write instead."""
    columns = SWINGS | {"time": ("s", [text, "15.5", "17.9", "20.1"])}
    with pytest.raises(TrialsError, match="guessed") as told:
        read_trials("t.csv", columns, recipe_named("pendulum"))
    assert "line 2" in str(told.value)


CLIPPED = "String length (cm)\tNumber of swings\t1st (s)\t2nd (s)\n40\t10\t12,70\t12,66\n60\t10\t15,52\t-\n"


def test_a_clipped_table_with_heads_goes_under_its_columns():
    """Off a spreadsheet: heads in other words, a column for each trial, decimal commas, a run that failed."""
    notebook = simulated_notebook(recipe_named("pendulum"))
    notebook = notebook.but(trials=notebook.trials.but(trials=(), units={}, instruments={}, simulated=False))
    grid = grid_of(CLIPPED)
    assert has_headers(grid)
    evaluation = evaluate(notebook)
    table = trial_a_row(table_of(grid, "clipboard"), evaluation)
    made = taken_in(notebook, table, proposal(table, evaluation))
    found = evaluate(made)
    assert found.columns["length"].value == pytest.approx([0.4, 0.4, 0.6])
    assert found.columns["time"].value == pytest.approx([12.70, 12.66, 15.52])
    assert made.trials.units["length"] == "cm"


@pytest.mark.parametrize(
    "text", ["12.7\t12.6\n15.5\t15.6\n", "40 cm\t12.7 s\n60 cm\t15.5 s\n", "length\n0.4\n", "0.4\n0.6\n"]
)
def test_cells_alone_are_no_heads(text):
    """Numbers, or one column of words, are put where the cursor is."""
    grid = grid_of(text)
    assert not has_headers(grid)


def test_an_import_keeps_the_titles_of_the_file():
    """What is proposed is what the person wrote at the head."""
    evaluation = evaluate(simulated_notebook(recipe_named("terminal-fall")))
    table = trial_a_row(parse_table("Number of cones;Fall time [s]\n1;1.5\n2;1.05\n", "t.csv"), evaluation)
    assert proposal(table, evaluation).columns == {"count": "Number of cones", "time": "Fall time"}


@pytest.mark.parametrize(("cycles", "wanted"), [
    (["10", "", "", "12", "", ""], [10, 10, 10, 12, 12, 12]),
    (["10", "10", "", "12", "12", "12"], [10, 10, 10, 12, 12, 12]),
    (["10", "", "", "", "", ""], [10, math.nan, math.nan, math.nan, math.nan, math.nan]),
])  # fmt: skip
def test_what_is_constant_at_a_level_is_written_once(cycles, wanted):
    """Ten swings said once for the trials of a length; where a level begins blank nothing is filled in."""
    columns = {"length": ("m", ["0.4", "", "", "0.6", "", ""]), "cycles": ("", cycles),
               "time": ("s", ["12.70", "12.66", "12.72", "15.5", "15.6", "15.6"])}  # fmt: skip
    read = read_trials("t.csv", columns, recipe_named("pendulum"))
    assert read.columns["length"].values == pytest.approx([0.4] * 3 + [0.6] * 3)
    assert read.columns["cycles"].values == pytest.approx(wanted, nan_ok=True)


def test_a_measured_blank_is_a_run_that_gave_nothing():
    """An empty time is never the time above; limits said once for a harmonic are those of all its internodes."""
    columns = {
        "length": ("m", ["0.4", "", ""]),
        "cycles": ("", ["10", "10", "10"]),
        "time": ("s", ["12.70", "", "12.72"]),
    }
    read = read_trials("t.csv", columns, recipe_named("pendulum"))
    assert np.isnan(read.columns["time"].values[1])
    strings_once = strings(f_low=("Hz", ["33.3", "", "67", ""]), f_high=("Hz", ["33.9", "", "68", ""]))
    strings_once["harmonic"] = ("", ["2", "", "4", ""])
    read = read_trials("t.csv", strings_once, recipe_named("string-harmonics"))
    assert read.columns["f_low"].values == pytest.approx([33.3, 33.3, 67, 67])
    tray = {"mass": ("g", ["0", "50", "", ""]), "label": ("", ["", "", "x", "x"]), "cycles": ("", ["20", "20", "20", ""]),
            "time": ("s", ["7.4", "8.2", "9.5", "9.6"])}  # fmt: skip
    read = read_trials("t.csv", tray, recipe_named("vibrating-tray"))
    assert np.isnan(read.columns["mass"].values[2:]).all(), "an empty mass is an unknown"
    assert read.columns["cycles"].values[3] == 20
