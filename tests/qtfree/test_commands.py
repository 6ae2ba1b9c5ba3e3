"""The headless commands: exact shapes, exact frames, known truth, one line and exit code 2 for bad input."""

import csv
import json
import math
import os
import subprocess
import sys
from pathlib import Path

import av
import click
import cv2
import made
import numpy as np
import pytest
import tables
from clips import encode, numbered_picture, plain_decode

from saltus.commands import main
from saltus.footage.opening import facts_of
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.model import TakeFacts
from saltus.notebook.storage import save
from saltus.simulate.camera import film
from saltus.simulate.demo import DEMOS, TAKES, demo_notebook
from saltus.simulate.scenes import set_up
from saltus.simulate.sensors import SENSORS

QUANTITY = {"value", "u", "U95", "k", "dof", "unit", "text"}


def refused(outcome, *words):
    """Exit code 2, nothing on standard output, one line on standard error that holds the words."""
    code, out, err = outcome
    assert (code, out) == (2, "")
    assert len(err.splitlines()) == 1
    assert err.startswith("saltus: ")
    for word in words:
        assert word in err


def write_csv(path, header, rows):
    """Write a table."""
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([header, *rows])
    return path


def columns(path):
    """Read a table as columns of numbers where they are numbers."""
    with path.open(encoding="utf-8") as file:
        rows = list(csv.reader(file))
    return {name: [r[i] for r in rows[1:]] for i, name in enumerate(rows[0])}


def test_clip_info_has_exactly_its_keys(tmp_path, told):
    """Every key of the contract, with the times, gaps and sound of a known film."""
    ticks = [*range(10), *range(13, 25)]
    encode(tmp_path / "a.mp4", [numbered_picture(i) for i in range(22)], ticks=ticks, sound=True)
    (info,) = told("clip", "info", tmp_path / "a.mp4", "--json")
    assert list(info) == [
        "frames", "width", "height", "rotation_deg", "duration_s", "codec", "time_s", "start_s",
        "nominal_rate", "variable_rate", "duplicates", "gaps", "sound", "warnings",
    ]  # fmt: skip
    assert info["time_s"] == pytest.approx([t / 30 for t in ticks])
    assert (info["frames"], info["gaps"], info["variable_rate"], info["sound"]) == (22, [9], False, True)
    assert info["duration_s"] == pytest.approx(25 / 30)
    assert info["nominal_rate"] == pytest.approx(21 * 30 / 24)
    assert (info["codec"], info["duplicates"], info["warnings"]) == ("h264", [], [])


def test_clip_frame_is_exactly_that_frame(tmp_path, saltus):
    """The PNG equals a plain sequential decode, turned upright; a frame that is not there is refused."""
    encode(
        tmp_path / "a.mov",
        [numbered_picture(i) for i in range(30)],
        turn=-90,
        options={"g": "250", "bf": "3"},
    )
    truth = plain_decode(tmp_path / "a.mov")
    for n in (0, 17, 29):
        assert saltus("clip", "frame", tmp_path / "a.mov", "--frame", n, "-o", tmp_path / "f.png")[0] == 0
        shown = cv2.imread(str(tmp_path / "f.png"))[..., ::-1]
        assert np.array_equal(shown, np.rot90(truth[n][0], -1))
    refused(saltus("clip", "frame", tmp_path / "a.mov", "--frame", 30, "-o", tmp_path / "g.png"), "0 to 29")
    refused(saltus("clip", "frame", tmp_path / "a.mov", "--frame", 3, "-o", tmp_path / "g.gif"), "PNG")
    assert not (tmp_path / "g.png").exists()


def test_clip_takes_a_folder_of_pictures(tmp_path, told, saltus):
    """A folder needs a rate; its times count from its first number."""
    for i in range(4, 9):
        cv2.imwrite(str(tmp_path / f"p{i}.png"), numbered_picture(i))
    (info,) = told("clip", "info", tmp_path, "--rate", 25, "--json")
    assert info["time_s"] == pytest.approx([0, 0.04, 0.08, 0.12, 0.16])
    refused(saltus("clip", "info", tmp_path, "--json"), "--rate")
    for rate in ("0", "-3", "nan", "1e9"):
        refused(saltus("clip", "info", tmp_path, "--rate", rate, "--json"))


@pytest.mark.parametrize("kind", ["empty", "words", "sound", "gone", "folder"])
def test_bad_films_are_bad_input(tmp_path, saltus, kind):
    """Nothing readable: one line that names the file, exit code 2."""
    path = tmp_path / f"{kind}.mp4"
    if kind == "empty":
        path.touch()
    elif kind == "words":
        path.write_bytes(os.urandom(5000))
    elif kind == "folder":
        path.mkdir()
    elif kind == "sound":
        with av.open(str(path), "w") as container:
            stream = container.add_stream("aac", rate=48000)
            frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
            frame.sample_rate = 48000
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
    refused(saltus("clip", "info", path, "--json"), path.name)


def test_motion_has_its_columns_and_its_numbers(tmp_path, saltus):
    """Scale, origin, angle and window act as their formulas say; lost rows are kept, empty."""
    t = np.arange(9) / 10
    rows = [["A", n, t[n], 100 + 50 * t[n], 200 - 30 * t[n] ** 2, 0.5, 0.8, "found"] for n in range(9)]
    rows[7] = ["A", 7, t[7], "", "", "", "", "lost"]
    table = write_csv(
        tmp_path / "r.csv",
        ["body", "frame", "t [s]", "x [px]", "y [px]", "u(x) [px]", "u(y) [px]", "status"],
        rows,
    )
    code, _out, err = saltus("motion", table, "--scale", 0.01, "--u-scale", 0.02, "--u-rate", 0.003,
                             "--origin", "100,200", "--window", 5, "-o", tmp_path / "m.csv")  # fmt: skip
    assert code == 0, err
    found = columns(tmp_path / "m.csv")
    assert list(found) == [
        "body", "frame", "t [s]", "x [m]", "y [m]", "u(x) [m]", "u(y) [m]", "vx [m/s]", "vy [m/s]",
        "u(vx) [m/s]", "u(vy) [m/s]", "ax [m/s^2]", "ay [m/s^2]", "u(ax) [m/s^2]", "u(ay) [m/s^2]",
        "u_scale [1]", "u_rate [1]",
    ]  # fmt: skip
    assert found["x [m]"][7] == ""
    kept = [n for n in range(9) if n != 7]
    assert [float(found["x [m]"][n]) for n in kept] == pytest.approx([0.5 * t[n] for n in kept])
    assert [float(found["y [m]"][n]) for n in kept] == pytest.approx([0.3 * t[n] ** 2 for n in kept])
    assert {float(found["u(x) [m]"][n]) for n in kept} == {0.005}
    assert float(found["vx [m/s]"][2]) == pytest.approx(0.5)
    assert float(found["ay [m/s^2]"][2]) == pytest.approx(0.6)
    # centred five-point slope: u(v) = u / (h √10)
    assert float(found["u(vx) [m/s]"][2]) == pytest.approx(0.005 / (0.1 * math.sqrt(10)))
    assert set(found["u_scale [1]"]) == {"0.02"}
    assert set(found["u_rate [1]"]) == {"0.003"}
    saltus("motion", table, "--scale", 0.01, "--angle", 90, "--capture-rate", 20, "-o", tmp_path / "m.csv")
    found = columns(tmp_path / "m.csv")
    assert [float(v) for v in found["t [s]"]] == pytest.approx(np.arange(9) / 20)
    # axes turned a quarter anticlockwise: x points up in the picture, y to its left
    assert float(found["x [m]"][0]) == pytest.approx(-2.0)
    assert float(found["y [m]"][0]) == pytest.approx(-1.0)


def test_motion_takes_the_geometry_of_a_notebook(tmp_path, saltus):
    """--geometry uses scale, axes and clock of a take; without any scale the command says so."""
    notebook, _take, _body, _segment = made.measured(10)
    save(notebook, tmp_path / "n.saltus")
    table = write_csv(tmp_path / "r.csv", ["body", "frame", "t [s]", "x [px]", "y [px]"],
                      [["A", n, n / 30, 50 + 500 * n / 10, 300] for n in range(6)])  # fmt: skip
    assert saltus("motion", table, "--geometry", tmp_path / "n.saltus", "-o", tmp_path / "m.csv")[0] == 0
    found = columns(tmp_path / "m.csv")
    assert [float(v) for v in found["x [m]"]] == pytest.approx([n / 10 for n in range(6)])
    assert set(found["u(x) [m]"]) == {""}
    assert float(found["u_scale [1]"][0]) == pytest.approx(
        math.hypot(0.002 / 1.96, math.sqrt(2) / 500), rel=1e-3
    )
    refused(saltus("motion", table, "-o", tmp_path / "m.csv"), "--scale")


def test_segment_has_its_shape_and_the_truth(tmp_path, told):
    """All three models on one table with a common scale: parameters at the first frame used, u as by hand."""
    rng = np.random.default_rng(4)
    t = 2 + np.arange(50) / 50
    u = 0.002
    x = 0.3 + 1.2 * (t - 2) + 0.5 * 3.0 * (t - 2) ** 2
    rows = [
        ["A", i, t[i], x[i] + rng.normal(0, u), 0.7 + rng.normal(0, u), u, u, 0.01, 0.004] for i in range(50)
    ]
    table = write_csv(tmp_path / "m.csv", ["body", "frame", "t [s]", "x [m]", "y [m]", "u(x) [m]", "u(y) [m]",
                                           "u_scale [1]", "u_rate [1]"], rows)  # fmt: skip
    (fit,) = told("segment", table, "--model", "constant-acceleration", "--of", "x", "--json")
    assert list(fit) == ["model", "parameters", "rms_residual", "birge", "dof", "warnings"]
    assert list(fit["parameters"]) == ["position", "velocity", "acceleration"]
    a = fit["parameters"]["acceleration"]
    assert set(a) == QUANTITY
    design = np.column_stack([np.ones(50), t - 2, (t - 2) ** 2 / 2])
    reading = u * math.sqrt(np.linalg.inv(design.T @ design)[2, 2])
    expected = math.sqrt(reading**2 + (0.01 * a["value"]) ** 2 + (2 * 0.004 * a["value"]) ** 2)
    assert a["u"] == pytest.approx(expected, rel=1e-3)
    assert abs(a["value"] - 3.0) < 1.5 * a["U95"]
    assert (a["k"], a["dof"], a["unit"]) == (pytest.approx(1.96, abs=1e-3), None, "m/s^2")
    assert (fit["dof"], fit["warnings"]) == (47, [])
    (rest,) = told("segment", table, "--model", "rest", "--of", "y", "--from", 2.1, "--to", 2.5, "--json")
    assert rest["dof"] == 20
    assert rest["parameters"]["position"]["value"] == pytest.approx(0.7, abs=0.002)
    two = told("segment", table, table, "--model", "constant-velocity", "--of", "x", "--to", 2.0, "--json")
    assert [o["parameters"] for o in two] == [{"position": None, "velocity": None}] * 2
    assert "at least 2" in two[0]["warnings"][0]


def test_segment_of_an_angle(tmp_path, told):
    """The angle about the origin, unwrapped over several turns, in rad; a common scale cancels."""
    t = np.arange(80) / 40
    turn = 0.4 + 7.0 * t
    rows = [
        ["A", i, t[i], 0.2 * np.cos(turn[i]), 0.2 * np.sin(turn[i]), 1e-4, 1e-4, 0.05, 0] for i in range(80)
    ]
    table = write_csv(tmp_path / "m.csv", ["body", "frame", "t [s]", "x [m]", "y [m]", "u(x) [m]", "u(y) [m]",
                                           "u_scale [1]", "u_rate [1]"], rows)  # fmt: skip
    (fit,) = told("segment", table, "--model", "constant-velocity", "--of", "angle", "--json")
    speed = fit["parameters"]["velocity"]
    assert (speed["value"], speed["unit"]) == (pytest.approx(7.0, rel=1e-6), "rad/s")
    assert speed["u"] < 1e-3


def test_segment_without_stated_uncertainty(tmp_path, told, saltus):
    """No u columns: scatter alone with t(ν), birge null. A wrong table is bad input."""
    rng = np.random.default_rng(1)
    rows = [[i / 10, 0.5 * i / 10 + rng.normal(0, 0.01), 0] for i in range(12)]
    table = write_csv(tmp_path / "m.csv", ["t [s]", "x [m]", "y [m]"], rows)
    (fit,) = told("segment", table, "--model", "constant-velocity", "--of", "x", "--json")
    v = fit["parameters"]["velocity"]
    assert (fit["birge"], v["dof"], v["k"]) == (None, 10, pytest.approx(2.228, abs=1e-3))
    human = saltus("segment", table, "--model", "constant-velocity", "--of", "x")
    assert "velocity = 0.5" in human[1]
    several = write_csv(
        tmp_path / "two.csv", ["body", "t [s]", "x [m]", "y [m]"], [["A", 0, 1, 1], ["B", 0, 1, 1]]
    )
    refused(saltus("segment", several, "--model", "rest", "--of", "x", "--json"), "--body", "A, B")
    refused(saltus("segment", several, "--body", "C", "--model", "rest", "--of", "x", "--json"), "C")
    refused(saltus("segment", tmp_path / "gone.csv", "--model", "rest", "--of", "x", "--json"), "gone.csv")
    negative = write_csv(
        tmp_path / "n.csv", ["t [s]", "x [m]", "y [m]", "u(x) [m]"], [[0, 1, 1, -1], [1, 1, 1, 1]]
    )
    refused(saltus("segment", negative, "--model", "rest", "--of", "x", "--json"), "negative")
    refused(saltus("segment", table, "--model", "spiral", "--of", "x", "--json"), "spiral")


def test_from_the_simulator_to_the_acceleration(tmp_path, told, saltus):
    """Simulate → clip info → motion → segment: the truth comes back within its interval."""
    code, _out, err = saltus("simulate", "free-fall", "-o", tmp_path / "f.mp4", "--truth", tmp_path / "f.json",
                             "--set", "width=320", "--set", "height=180", "--set", "release=0")  # fmt: skip
    assert code == 0, err
    truth = json.loads((tmp_path / "f.json").read_text())
    (info,) = told("clip", "info", tmp_path / "f.mp4", "--json")
    assert info["time_s"] == pytest.approx(truth["time_s"], abs=1e-9)
    body = truth["bodies"]["Steel ball"]
    rng = np.random.default_rng(6)
    rows = [["ball", n, info["time_s"][n], body["x_px"][n] + rng.normal(0, 0.4), body["y_px"][n] + rng.normal(0, 0.4), 0.4, 0.4]
            for n in range(info["frames"])]  # fmt: skip
    table = write_csv(
        tmp_path / "r.csv", ["body", "frame", "t [s]", "x [px]", "y [px]", "u(x) [px]", "u(y) [px]"], rows
    )
    x, y = truth["axes"]["origin_px"]
    saltus("motion", table, "--scale", truth["m_per_px"], "--origin", f"{x},{y}", "-o", tmp_path / "m.csv")
    (fit,) = told("segment", tmp_path / "m.csv", "--model", "constant-acceleration", "--of", "y", "--json")
    a = fit["parameters"]["acceleration"]
    assert abs(a["value"] + 9.81) < 1.5 * a["U95"] < 0.5


def test_simulate_lists_and_refuses(told, saltus, tmp_path):
    """The list has every scene with its settings; wrong words are one sentence."""
    (scenes,) = told("simulate", "--list", "--json")
    assert set(scenes) == {"incline", "free-fall", "bounce", "pendulum", *SENSORS}
    assert "incline" in saltus("simulate", "--list")[1]
    refused(saltus("simulate", "incline"), "-o")
    refused(saltus("simulate", "incline", "-o", tmp_path / "a.avi"), "a.mp4")
    refused(saltus("simulate", "incline", "-o", tmp_path / "a.mp4", "--set", "slope"), "NAME=VALUE")
    refused(saltus("simulate", "incline", "-o", tmp_path / "a.mp4", "--set", "slope_deg=steep"), "steep")


@pytest.fixture
def filmed(tmp_path):
    """A measured notebook whose film lies beside it."""
    film(set_up("free-fall", {"width": 320, "height": 180}), tmp_path / "run.mp4")
    notebook, take_id, _body, _segment = made.measured(30, noise_px=0.5)
    facts = TakeFacts.of(facts_of(tmp_path / "run.mp4"))
    take = notebook.take(take_id).but(film=reference(tmp_path / "run.mp4"), facts=facts)
    notebook = notebook.but(takes=(take,))
    save(notebook, tmp_path / "n.saltus")
    return notebook


@pytest.mark.usefixtures("filmed")
def test_check_finds_what_is_wrong(tmp_path, saltus):
    """A good notebook passes; a changed or missing film and a broken file are told apart."""
    assert saltus("check", tmp_path / "n.saltus")[:1] == (0,)
    assert json.loads(saltus("check", tmp_path / "n.saltus", "--json")[1]) == {"ok": True, "problems": []}
    away = tmp_path / "elsewhere" / "far down" / "away.mp4"
    away.parent.mkdir(parents=True)
    (tmp_path / "run.mp4").rename(away)
    code, _out, err = saltus("check", tmp_path / "n.saltus")
    assert code == 2
    assert "run.mp4 is not here" in err
    (tmp_path / "run.mp4").write_bytes(away.read_bytes() + b"x")
    assert "has changed" in saltus("check", tmp_path / "n.saltus")[2]
    (tmp_path / "n.saltus").write_text("{}")
    refused(saltus("check", tmp_path / "n.saltus"), "n.saltus")


@pytest.mark.usefixtures("filmed")
def test_export_writes_tables(tmp_path, saltus):
    """Readings and motion as CSV and XLSX; wrong names and endings are one sentence."""
    notebook = tmp_path / "n.saltus"
    assert saltus("export", notebook, "-o", tmp_path / "r.csv")[0] == 0
    assert len(columns(tmp_path / "r.csv")["frame"]) == 30
    assert saltus("export", notebook, "--what", "motion", "-o", tmp_path / "m.csv", "--body", "Cart")[0] == 0
    assert list(columns(tmp_path / "m.csv"))[3] == "x [m]"
    assert saltus("export", notebook, "--what", "motion", "-o", tmp_path / "m.xlsx")[0] == 0
    refused(saltus("export", notebook, "-o", tmp_path / "r.docx"), ".csv")
    refused(saltus("export", notebook, "--what", "graph", "-o", tmp_path / "r.csv"), "graph")
    refused(saltus("export", notebook, "--take", "other", "-o", tmp_path / "r.csv"), "other", "run")
    refused(saltus("export", notebook, "--body", "Moon", "-o", tmp_path / "r.csv"), "Moon", "Cart")
    refused(saltus("report", notebook, "-o", tmp_path / "r.txt"), ".pdf")


def test_words_that_are_no_command(saltus, tmp_path):
    """Unknown words, missing options and demos that do not exist: one line, exit code 2."""
    refused(saltus("measure"), "neither a command nor a file")
    refused(saltus("clip", "info"), "VIDEO")
    refused(saltus("demo", "circus", "--tour", tmp_path), "open-day")
    code, out, _err = saltus("demo", "--list")
    assert code == 0
    assert all(name in out for name in DEMOS)
    assert saltus("--version")[1].startswith("Saltus")
    assert "simulate" in saltus("--help")[1]
    group = main.saltus
    context = click.Context(group)
    for name, words in main.WHAT.items():
        # the list is written without loading the commands; it must say what they say
        assert " ".join(group.get_command(context, name).help.split("\n\n")[0].split()) == words
    assert sorted(main.WHAT) == group.list_commands(context)


def test_the_command_as_installed(tmp_path):
    """The installed command runs on its own, prints JSON alone, and needs no display."""
    encode(tmp_path / "a.mp4", [numbered_picture(i) for i in range(8)])
    command = [str(Path(sys.executable).with_name("saltus")), "clip", "info", "a.mp4", "--json"]
    bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(command, cwd=tmp_path, env=bare, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    assert json.loads(done.stdout)["frames"] == 8
    window = subprocess.run([command[0]], cwd=tmp_path, env=bare, capture_output=True, text=True, check=False)
    assert window.returncode == 2
    assert "no display" in window.stderr


def test_the_demo_notebook_holds_its_truth():
    """The measured demo take states the true acceleration within its interval; the other films are there."""
    notebook = demo_notebook()
    value = headline(notebook.takes[0])[1]
    truth = TAKES[0].set_up().truth["acceleration"]
    assert abs(float(value) - truth) <= value.U95
    assert mapping_of(notebook.takes[1]).scaled
    assert all(t.simulated for t in notebook.takes)
    assert all(not t.bodies for t in demo_notebook("fresh").takes)


def test_results_tells_all_of_notebooks_without_their_films(saltus, tmp_path):
    """One object a line, in order; what cannot be read says so, the others follow, and the exit code is 2."""
    notebook, *_ids = made.measured(30)
    save(notebook, tmp_path / "a.saltus")
    (tmp_path / "broken.saltus").write_text("{")
    table = tables.pendulum(spread=0.01)
    trials = table.trials.trials
    save(
        trial_edits.change_trial(table, trials[1].id, status="failed", reason="slipped"),
        tmp_path / "b.saltus",
    )
    names = [str(tmp_path / n) for n in ("a.saltus", "broken.saltus", "b.saltus")]
    code, out, _err = saltus("results", *names, "--json")
    assert code == 2
    first, broken, second = (json.loads(line, parse_constant=pytest.fail) for line in out.splitlines())
    shape = ["notebook", "results", "comparison", "columns", "takes", "budgets", "warnings"]
    assert list(first) == list(second) == shape
    assert [one["notebook"] for one in (first, broken, second)] == names
    assert list(broken) == ["notebook", "problem"]
    (one,) = first["takes"]
    assert list(one) == ["name", "scale", "segments", "intervals", "periods", "gates"]
    assert one["segments"][0]["parameters"]["acceleration"]["value"] == pytest.approx(2.0, rel=1e-6)
    assert one["scale"]["unit"] == "m/px"
    assert second["results"]["g"]["value"] == pytest.approx(9.81, rel=0.01)
    assert [len(column) for column in second["columns"].values()] == [len(trials)] * len(second["columns"])
    assert second["columns"]["period"][1] is not None
    (g,) = [c for c in second["comparison"] if c["of"] == "g"]
    assert list(g) == ["of", "with", "difference", "percent", "agree"]
    assert sum(line["share"] for line in second["budgets"]["g"]) == pytest.approx(1)
    code, out, _err = saltus("results", names[2])
    assert code == 0
    assert "g compared with g" in out
