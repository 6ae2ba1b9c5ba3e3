"""The commands of numbers: exact shapes, several tables a call, one line and exit code 2 for bad input."""

import json
import math
import os
import subprocess
import sys

import numpy as np
import pytest
from test_commands import QUANTITY, refused

from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.simulate.tables import simulated_table

FIT = {"model", "parameters", "covariance", "chi2", "dof", "birge", "u_stated", "u_scatter", "rms_residual", "residual_sd",
       "steepest", "shallowest", "no_effect", "warnings"}  # fmt: skip


def table_of(path, table):
    """Write a simulated table as CSV."""
    heads = [f"{name} [{unit or 1}]" for name, (unit, _cells) in table.columns.items()]
    rows = zip(*(cells for _unit, cells in table.columns.values()), strict=True)
    path.write_text("\n".join([",".join(heads), *(",".join(row) for row in rows)]) + "\n", encoding="utf-8")
    return path


def test_fit_has_its_shape_and_the_truth(tmp_path, told):
    """Line, proportional and curves; u columns used unless left out; several tables give a line each."""
    path = tmp_path / "t.csv"
    path.write_text("x [m];y [N];u(y) [N]\n1;2,1;0,1\n2;3,9;0,1\n3;6,1;0,1\n4;7,9;0,1\n", encoding="utf-8")
    one, two = told("fit", path, path, "--x", "x", "--y", "y", "--json")
    assert one == two
    assert one.keys() == FIT | {"slope", "intercept"}
    assert one["slope"].keys() == QUANTITY
    assert one["slope"]["unit"] == "N/m"
    assert one["slope"]["value"] == pytest.approx(1.96)
    assert one["slope"]["u"] == pytest.approx(0.1 / math.sqrt(5))
    assert one["rms_residual"] == pytest.approx(one["residual_sd"] * math.sqrt(2 / 4))
    assert one["shallowest"] < 1.96 < one["steepest"]
    assert (one["dof"], one["no_effect"]) == (2, False)
    (plain,) = told("fit", path, "--x", "x", "--y", "y", "--unweighted", "--json")
    assert (plain["chi2"], plain["birge"], plain["u_stated"]) == (None, None, {})
    assert plain["slope"]["dof"] == 2
    (through,) = told("fit", path, "--x", "x", "--y", "y", "--model", "proportional", "--json")
    assert "intercept" not in through
    assert np.shape(through["covariance"]) == (1, 1)
    for model, names in (("quadratic", ["c0", "c1", "c2"]), ("power", ["coefficient", "exponent"]),
                         ("exponential", ["coefficient", "rate"])):  # fmt: skip
        (curve,) = told("fit", path, "--x", "x", "--y", "y", "--model", model, "--json")
        assert curve.keys() == FIT
        assert list(curve["parameters"]) == names


def test_levels_in_a_table_share_what_they_share(tmp_path, told):
    """Rows of one x with a stated u(x) are one reading of x: averaging does not make it surer."""
    path = tmp_path / "t.csv"
    rows = [f"{x},{2 * x + e},0.1,0.01" for x in (1, 2, 3, 4) for e in (-0.01, 0.01)]
    path.write_text("x,y,u(x),u(y)\n" + "\n".join(rows) + "\n", encoding="utf-8")
    (found,) = told("fit", path, "--x", "x", "--y", "y", "--json")
    assert found["dof"] == 2
    assert found["slope"]["u"] == pytest.approx(math.hypot(0.2, 0.01 / math.sqrt(2)) / math.sqrt(5), rel=1e-3)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("x,y\n1,2\n", "at least 2"), ("x,y\n1,2\n1,3\n", "one value of x"), ("x,y\n,\n,2\n", "no row"),
        ("x,y,u(y)\n1,2,0\n2,3,0.1\n3,4,0.1\n", "no uncertainty"),
    ],
)  # fmt: skip
def test_too_little_is_null_with_a_warning(tmp_path, told, text, words):
    """Exit code 0, null quantities where there can be none, and a sentence why."""
    path = tmp_path / "t.csv"
    path.write_text(text, encoding="utf-8")
    (found,) = told("fit", path, "--x", "x", "--y", "y", "--json")
    assert any(words in w for w in found["warnings"])
    for model in ("power", "exponential", "quadratic"):
        (curve,) = told("fit", path, "--x", "x", "--y", "y", "--model", model, "--json")
        assert curve["warnings"] or curve["parameters"]


def test_bad_input_is_one_line(tmp_path, saltus):
    """Every command: what is wrong, where, exit code 2."""
    path = tmp_path / "t.csv"
    path.write_text("x,y,u(y)\n1,2,-1\n2,a,1\n", encoding="utf-8")
    refused(saltus("fit", path, "--x", "x", "--y", "y", "--json"), "line 3", "not a number")
    path.write_text("x,y,u(y)\n1,2,-1\n2,3,1\n", encoding="utf-8")
    refused(saltus("fit", path, "--x", "x", "--y", "y", "--json"), "line 2")
    refused(saltus("fit", path, "--x", "z", "--y", "y", "--json"), "no column")
    refused(saltus("fit", tmp_path / "none.csv", "--x", "x", "--y", "y"), "none.csv")
    refused(saltus("series", path, "--json"), "--mean")
    refused(saltus("series", path, "--mean", "y", "--json"), "no column")
    refused(saltus("interval", "--start", "1", "--stop", "2:3", "--json"), "bracket")
    refused(saltus("interval", "--start", "2:3", "--stop", "0:1", "--json"), "after the start")
    refused(saltus("interval", "--start", "0:1", "--stop", "2:3", "--cycles", "0", "--json"), "cycle")
    refused(saltus("repeats", "1 2 x", "--json"), "x")
    refused(saltus("repeats", "1 2", "--explained", "-1", "--json"), "--explained")
    refused(saltus("alias", "--apparent", "20", "--rate", "30", "--json"), "15")
    refused(saltus("investigate", "nope", path, "--json"), "pendulum")
    refused(saltus("investigate", "pendulum", path, "--given", "g", "--json"), "given")
    refused(saltus("investigate"), "which table")
    refused(saltus("simulate", "gate-pulses", "-o", tmp_path / "p.csv", "--set", "zork=1"), "zork")


def test_interval_repeats_alias_and_series_have_their_shapes(tmp_path, told, saltus):
    """Keys, units and the numbers of the measurement model."""
    (found,) = told("interval", "--start", "0:0.04", "--stop", "10:10.04", "--cycles", "10", "--json")
    assert found.keys() == {"interval", "cycles", "period"}
    assert found["interval"]["U95"] == pytest.approx((1 - math.sqrt(0.05)) * 0.04, rel=1e-3)
    assert found["period"]["u"] == pytest.approx(found["interval"]["u"] / 10)
    (found,) = told("repeats", "2.31 2.38 2.29 2,35 3.1", "--explained", "0.04", "--json")
    assert found.keys() == {"n", "mean", "sd", "standard_error", "half_range", "odd", "consistency"}
    assert (found["n"], found["odd"], found["consistency"]) == (5, [3.1], "more")
    assert found["mean"]["dof"] == 4
    assert told("repeats", "2.0", "--json")[0]["mean"]["u"] is None
    (found,) = told("alias", "--apparent", "2", "--rate", "30", "--json")
    assert found.keys() == {"candidates_hz", "settle_with_rate"}
    assert found["candidates_hz"][:3] == [2, 28, 32]
    log = tmp_path / "log.csv"
    assert saltus("simulate", "pull-hook", "-o", log, "--truth", tmp_path / "t.json")[0] == 0
    truth = json.loads((tmp_path / "t.json").read_text())["truth"]["force"]
    (found,) = told(
        "series", log, "--mean", "force", "--from", "3", "--to", "5", "--zero", "0", "1.5", "--json"
    )
    assert found.keys() >= {"mean", "sd", "standard_error", "n", "effective_n"}
    assert abs(found["mean"]["value"] - truth) < 4 * found["mean"]["u"] + 0.005
    (found,) = told("series", log, "--slope", "force", "--from", "3", "--to", "5", "--json")
    assert abs(found["slope"]["value"]) < found["slope"]["U95"] * 1.6
    pulses, motion = tmp_path / "p.csv", tmp_path / "m.csv"
    assert saltus("simulate", "gate-pulses", "-o", pulses, "--set", "missed=5")[0] == 0
    code, _out, err = saltus("series", pulses, "--pulses", "1.000(2) cm", "--u-time", "0.0001", "-o", motion)
    assert (code, "1 pulse was missed" in err) == (0, True)
    (found,) = told("segment", motion, "--model", "constant-acceleration", "--of", "x", "--json")
    a = found["parameters"]["acceleration"]
    assert abs(a["value"] - 0.8) < 1.5 * a["U95"]
    # the same pulses from a wheel: its stripes lie so many degrees apart
    spacing = math.degrees(0.01)
    assert saltus("series", pulses, "--pulses", f"{spacing} deg", "--u-time", "0.0001", "-o", motion)[0] == 0
    (found,) = told("segment", motion, "--model", "constant-acceleration", "--of", "angle", "--json")
    turning = found["parameters"]["acceleration"]
    assert turning["unit"] == "rad/s^2"
    assert turning["value"] == pytest.approx(a["value"], rel=1e-6)
    # without the common 0.2 % of the fence's spacing
    assert math.hypot(turning["u"], 0.002 * a["value"]) == pytest.approx(a["u"], rel=0.02)
    refused(saltus("series", pulses, "--pulses", "wide", "-o", motion), "--pulses")


@pytest.mark.parametrize("recipe_id", ids())
def test_investigate_runs_the_whole_catalogue(tmp_path, told, saltus, recipe_id):
    """As written to a file: the truth to 1e-6, in the shape of the contract, for people too, and in rows of its own."""
    recipe = recipe_named(recipe_id)
    table = simulated_table(recipe)
    path = table_of(tmp_path / "t.csv", table)
    givens = [word for name, value in table.givens.items() for word in ("--given", f"{name}={value}")]
    (found,) = told("investigate", recipe_id, path, *givens, "--json")
    assert found.keys() >= {
        "investigation",
        "results",
        "fit",
        "comparison",
        "trials",
        "budget",
        "budgets",
        "warnings",
    }
    for name, truth in table.expected.items():
        assert found["results"][name]["value"] == pytest.approx(truth, rel=1e-6, abs=1e-9)
        assert found["results"][name].keys() == QUANTITY
    assert all(c.keys() >= {"of", "with", "difference", "percent", "agree"} for c in found["comparison"])
    assert all(w.keys() == {"slip", "text"} for w in found["warnings"])
    assert len(found["trials"]) == len(next(iter(table.columns.values()))[1])
    code, out, _err = saltus("investigate", recipe_id, path, *givens)
    assert (code, recipe.title in out) == (0, True)
    for options in (["--line", "proportional"], ["--convention", "school"], ["--slope-u", "steepest"]):
        assert told("investigate", recipe_id, path, *givens, *options, "--json")


def test_the_catalogue_is_listed(told, saltus):
    """Every investigation with its columns, givens and results."""
    (found,) = told("investigate", "--list", "--json")
    assert [r["id"] for r in found] == list(ids())
    assert all(r["columns"] and r["question"] for r in found)
    listed = saltus("investigate", "--list")[1].splitlines()
    assert listed == [f"{i}: {recipe_named(i).question}" for i in ids()]


def test_people_read_what_is_known_and_what_is_not_yet(tmp_path, saltus):
    """Results with their interval, comparisons in words and per cent; a single trial claims no uncertainty."""
    path = tmp_path / "t.csv"
    path.write_text("length [cm],cycles,time [s]\n30,10,11.0\n60,10,15.5\n90,10,19.0\n", encoding="utf-8")
    code, out, _err = saltus("investigate", "pendulum", path)
    assert code == 0
    assert "(95 %)" in out
    assert "g compared with the given g: agree (" in out
    path.write_text("drop [m],range [m]\n1,2\n", encoding="utf-8")
    out = saltus("investigate", "horizontal-launch", path)[1]
    assert "speed = 4.429 m/s (its uncertainty: not yet)" in out
    path.write_text("mass [kg],force [N]\n0.1,1\n", encoding="utf-8")
    assert "g = not yet" in saltus("investigate", "weight-mass", path)[1]


def test_commands_load_only_what_they_need(tmp_path):
    """Arithmetic loads neither Qt nor decoders nor the units library; a table needs no optimiser."""
    path = tmp_path / "t.csv"
    path.write_text("length [cm],cycles,time [s]\n30,10,11.0\n60,10,15.5\n90,10,19.0\n", encoding="utf-8")
    code = (
        "import sys\nfrom saltus.commands.main import run\n"
        "try: run(sys.argv[1:])\nexcept SystemExit: pass\n"
        "print([m for m in ('PyQt6', 'av', 'cv2', 'pint', 'scipy.optimize', 'pydantic') if m in sys.modules])"
    )
    for words in (["repeats", "1 2 3"], ["fit", str(path), "--x", "length", "--y", "time"],
                  ["investigate", "pendulum", str(path)], ["interval", "--start", "0:1", "--stop", "2:3"]):  # fmt: skip
        done = subprocess.run(
            [sys.executable, "-c", code, *words], capture_output=True, text=True, check=True, env=os.environ
        )
        # the file of an investigation is read by the document library
        needed = ["pydantic"] if words[0] == "investigate" else []
        assert done.stdout.splitlines()[-1] == str(needed), (words, done.stdout)


def test_huge_tables_stay_in_bounds(tmp_path, told):
    """Twenty thousand rows: no matrix of rows by rows, the slope as sure as it should be."""
    rng = np.random.default_rng(1)
    x = rng.uniform(0, 10, 20_000)
    path = tmp_path / "big.csv"
    rows = [f"{a:.4f},{2 * a + rng.normal(0, 0.1):.5f},0.001,0.1" for a in x]
    path.write_text("x,y,u(x),u(y)\n" + "\n".join(rows) + "\n", encoding="utf-8")
    (found,) = told("fit", path, "--x", "x", "--y", "y", "--json")
    assert found["slope"]["u"] == pytest.approx(0.1 / math.sqrt(np.sum((x - x.mean()) ** 2)), rel=0.02)
    assert abs(found["slope"]["value"] - 2) < 2 * found["slope"]["U95"]
    path.write_text(
        "bounce,time [s],u(time) [s]\n" + "\n".join(f"{i},{0.5 * i},0.01" for i in range(20_000)) + "\n"
    )
    (found,) = told("investigate", "bounce", path, "--json")
    assert found["results"]["restitution"]["value"] == pytest.approx(1, abs=1e-6)
    lengths = rng.uniform(0.3, 1.0, 20_000)
    rows = [
        f"{a:.5f},10,{20 * math.pi * math.sqrt(a / 9.81) + rng.normal(0, 0.02):.5f},0.02" for a in lengths
    ]
    path.write_text("length [m],cycles,time [s],u(time) [s]\n" + "\n".join(rows) + "\n")
    (found,) = told("investigate", "pendulum", path, "--json")
    assert abs(found["results"]["g"]["value"] - 9.81) < 2 * found["results"]["g"]["U95"]
