"""Tables as people write them: a column for each trial, cells without a value, stopwatches, spellings of units."""

import math

import pytest
import tables

from saltus.core.entry import entry
from saltus.core.units import UnitError, parse_unit
from saltus.exchange.tables import TableError, parse_table
from saltus.exchange.trials_table import trial_a_row
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.investigations.table.trials import read_trials
from saltus.investigations.table.wide import unfolded
from saltus.investigations.table.written_cells import TrialsError, cell_problem

TIMES = (
    ("12.70", "12.66", "-"),
    ("15.52", "15.55", "15.60"),
    ("17.95", "17.92", "n/a"),
    ("20.06", "20.10", "20.02"),
)
LENGTHS = ("0.400", "0.600", "0.800", "1.000")


def long_table():
    """The same trials, one a row."""
    rows = [(length, t) for length, of_level in zip(LENGTHS, TIMES, strict=True) for t in of_level]
    rows = [(length, t) for length, t in rows if t not in ("-", "n/a")]
    return {
        "length": ("m", [length for length, _t in rows]),
        "cycles": ("", ["10"] * len(rows)),
        "time": ("s", [t for _length, t in rows]),
    }


def wide_table(heads, unit="s", **more):
    """The same trials, a column for each."""
    columns = {"Length": ("m", list(LENGTHS)), "cycles": ("", ["10"] * 4)}
    columns |= {head: (unit, [row[i] for row in TIMES]) for i, head in enumerate(heads)}
    return columns | more


def values_of(columns, recipe="pendulum"):
    """Values of the table as an investigation sees them."""
    read = read_trials("t.csv", columns, recipe_named(recipe))
    return {name: column.values.tolist() for name, column in read.columns.items()}, read


@pytest.mark.parametrize(
    "heads",
    [
        ("trial 1", "trial 2", "trial 3"), ("Trial 1", "TRIAL 2", "trial  3"), ("t1", "t2", "t3"), ("1st", "2nd", "3rd"),
        ("run 1", "run 2", "run 3"), ("Run-1", "Run-2", "Run-3"), ("time 1", "time 2", "time 3"),
        ("time trial 1", "time trial 2", "time trial 3"), ("1st trial", "2nd trial", "3rd trial"),
    ],
)  # fmt: skip
def test_a_column_for_each_trial_is_repeats(heads):
    """However the columns are headed: the same as one trial a row; cells without a value make no row."""
    wide, read = values_of(wide_table(heads))
    long, _read = values_of(long_table())
    assert {n: wide[n] for n in long} == long
    assert read.lines == (2, 2, 3, 3, 3, 4, 4, 5, 5, 5)
    assert [read.number(i) for i in (0, 2, 9)] == [1, 2, 4]
    assert len(set(read.keys.tolist())) == 10


def test_a_file_of_that_kind_is_taken_in():
    """Import gives it a row for each trial before it asks what goes where; what is not clear is a sentence."""
    evaluation = evaluate(tables.table("pendulum", [{"length": "0.5"}]))
    table = parse_table(
        "Length [m];cycles;trial 1 [s];trial 2 [s]\n0,4;10;12,7;12,66\n0,6;10;15,5;-\n", "t.csv"
    )
    long = trial_a_row(table, evaluation)
    assert long.rows == 3
    assert long.columns["time"].cells == ("12.7", "12.66", "15.5")
    assert long.columns["Length"].cells == ("0.4", "0.4", "0.6")
    two = parse_table("t1;t2\n1;2\n", "t.csv")
    with pytest.raises(TableError, match="name which"):
        trial_a_row(two, evaluate(tables.table("weigh-in-liquid", [])))


def test_a_mean_beside_the_trials_is_checked_and_not_used(tmp_path, told):
    """The mean of the third level was cut off: said with its level; results are those without the column."""
    path = tmp_path / "wide.csv"
    lines = ["length [m],cycles,trial 1 [s],trial 2 [s],trial 3 [s],average"]
    for length, row, mean in zip(LENGTHS, TIMES, ("12.68", "15.55", "17.93", "20.06"), strict=True):
        lines.append(",".join([length, "10", *row, mean]))
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    (with_means,) = told("investigate", "pendulum", path, "--json")
    path.write_text("\n".join(line.rpartition(",")[0] for line in lines) + "\n", encoding="utf-8")
    (without,) = told("investigate", "pendulum", path, "--json")
    assert with_means["results"] == without["results"]
    assert with_means["results"]["g"]["value"] == pytest.approx(9.81, abs=0.1)
    cut = [w for w in with_means["warnings"] if w["slip"] == "truncated-mean"]
    assert [w["level"] for w in cut] == ["0.6"] or "15.55" in cut[0]["text"]
    assert not [w for w in without["warnings"] if w["slip"] == "truncated-mean"]


def test_which_column_the_trials_are_of_must_be_clear():
    """Two measured columns: the header names which, or a sentence asks; units must be one; a gap is no trial 3."""
    recipe = recipe_named("weigh-in-liquid")
    measured = [
        n for n, c in recipe.columns.items() if not c.optional and c.default is None and n not in recipe.level
    ]
    assert len(measured) > 1
    columns = {n: (recipe.columns[n].unit_text, ["30", "40"]) for n in recipe.level}
    bare = columns | {f"trial {i}": ("m", ["1.2", "1.4"]) for i in (1, 2)}
    with pytest.raises(TrialsError, match="name which") as caught:
        read_trials("t.csv", bare, recipe)
    assert all(n in str(caught.value) for n in measured)
    named = {
        f"{n} trial {i}": (recipe.columns[n].unit_text, ["1.2", "1.4"]) for n in measured for i in (1, 2)
    }
    read = read_trials("t.csv", columns | named, recipe)
    assert read.rows == 4
    mixed = wide_table(("t1", "t2", "t3")) | {"t2": ("min", ["0.2"] * 4)}
    with pytest.raises(TrialsError, match="min, s"):
        read_trials("t.csv", mixed, recipe_named("pendulum"))
    gap = wide_table(("trial 1", "trial 3", "other"))
    assert unfolded("t", gap, recipe_named("pendulum")).rows == (0, 1, 2, 3)
    whole = long_table() | {"trial 1": ("s", ["1"] * 10), "trial 2": ("s", ["2"] * 10)}
    assert values_of(whole)[0] == values_of(long_table())[0]
    empty = wide_table(("t1", "t2", "t3")) | {"t1": ("s", ["", "1", "1", "1"]), "t2": ("s", ["-", "2", "2", "2"]),
                                              "t3": ("s", ["x", "3", "3", "3"])}  # fmt: skip
    found, read = values_of(empty)
    assert math.isnan(found["time"][0])
    assert read.lines[:2] == (2, 3)


@pytest.mark.parametrize("cell", ["-", "–", "—", "−", "x", "X", "n/a", "N/A", ""])
def test_a_cell_may_say_that_there_is_no_value(cell):
    """No value and no complaint, where a number belongs; a word is still asked about."""
    columns = long_table()
    columns["time"] = ("s", [cell, *columns["time"][1][1:]])
    assert math.isnan(values_of(columns)[0]["time"][0])
    column = recipe_named("pendulum").columns["time"]
    assert cell_problem(cell, column, "s", "Time") == ""
    assert "about 19" in cell_problem("about 19", column, "s", "Time")


@pytest.mark.parametrize(
    ("cell", "seconds"),
    [
        ("0:14.62", 14.62),
        ("1:02.4", 62.4),
        ("12:00", 720.0),
        ("61.3/10", 6.13),
        ("\u22121.5", -1.5),
        ("14,62", 14.62),
    ],
)
def test_times_as_a_stopwatch_shows_them(cell, seconds):
    """Minutes and seconds in a column of times; a time of many shared out; any minus; a decimal comma."""
    columns = long_table()
    columns["time"] = ("s", [cell, *columns["time"][1][1:]])
    assert values_of(columns)[0]["time"][0] == pytest.approx(seconds)


def test_a_level_left_blank_is_the_one_above():
    """Only in the level's column, and only where something else is typed in the row; never a measured cell."""
    columns = long_table()
    whole = values_of(columns)[0]
    columns["length"] = ("m", [c if i in (0, 2, 5, 7) else "" for i, c in enumerate(columns["length"][1])])
    assert values_of(columns)[0] == whole
    columns = {n: (unit, ["", *cells, ""]) for n, (unit, cells) in columns.items()}
    filled = values_of(columns)[0]["length"]
    assert math.isnan(filled[0])
    assert math.isnan(filled[-1])
    columns = long_table()
    columns["time"] = ("s", [columns["time"][1][0], "", *columns["time"][1][2:]])
    assert math.isnan(values_of(columns)[0]["time"][1])


def test_a_watch_is_read_in_no_other_column():
    """1:02 is no length; 75 seconds are not shown after a colon."""
    for name, cell in (("length", "1:02"), ("time", "1:75")):
        columns = long_table()
        unit, cells = columns[name]
        columns[name] = (unit, [cell, *cells[1:]])
        with pytest.raises(TrialsError, match="not a number"):
            values_of(columns)


SPELLINGS = {
    "gr": "g", "Kg": "kg", "kgs": "kg", "sec": "s", "cms": "cm", "RPM": "rpm", "kgm^2": "kg*m^2", "kgm²": "kg*m^2",
    "ms-2": "m/s^2", "ms^-2": "m/s^2", "m/s/s": "m/s^2", "ms⁻¹": "m/s", "rads^-1": "rad/s", "N/kg": "m/s^2", "Nm": "N m",
    "hz": "Hz", "°": "deg", "m s^-2": "m/s^2",
}  # fmt: skip


@pytest.mark.parametrize("written", SPELLINGS)
def test_units_as_they_are_spelt(written):
    """Understood where one meaning is sensible: never grains, never milliseconds."""
    factor, unit = parse_unit(written)
    wanted, other = parse_unit(SPELLINGS[written])
    assert unit.goes_with(other)
    assert factor == pytest.approx(wanted)
    with pytest.raises(UnitError):
        parse_unit(written + "q")


@pytest.mark.parametrize(
    ("written", "value"),
    [("3.2x10^-3 kg", 0.0032), ("3.2×10⁻³ kg", 0.0032), ("3.2·10^-3 kg", 0.0032), ("3.2e-3 kg", 0.0032),
     ("5.97(1)×10²⁴", None), ("4.00(2) × 10⁻² m", 0.04)],
)  # fmt: skip
def test_powers_of_ten_as_they_are_written(written, value):
    """With x, ×, ·, raised or with a caret; what is too large is still refused."""
    if value is None:
        with pytest.raises(ValueError, match="too large"):
            entry(written)
        return
    read = entry(written)
    assert read.value == pytest.approx(value)
    assert read.u is None or read.u == pytest.approx(0.0002)
