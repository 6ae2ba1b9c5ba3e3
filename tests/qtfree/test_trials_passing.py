"""Tables of trials in and out: the clipboard, spreadsheets, files, the sheet, and recorded logs."""

import csv
import io
import json
import math
import subprocess
import sys
import zipfile

import made
import numpy as np
import pytest
import tables
from click.testing import CliRunner
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook

from saltus.commands.main import saltus
from saltus.core.notation.line import as_text
from saltus.core.series import SeriesError
from saltus.exchange.clipping import grid_of, text_of
from saltus.exchange.log_table import log_of
from saltus.exchange.sheet_data import Grid
from saltus.exchange.spreadsheet import read_any_table
from saltus.exchange.tables import TableError, parse_table, write_table
from saltus.exchange.trials_sheet import describe_trials, one_line, sheet_of
from saltus.exchange.trials_table import Taken, blank_table, proposal, taken_in, taking_columns, trials_table
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import ids, recipe_named
from saltus.investigations.table.external_results import looked_up, results_of
from saltus.investigations.table.links import linked_in
from saltus.investigations.table.recording import rows_of_log
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.logs import Channel, rest_within, stretch_mean, stretch_slope, values_of
from saltus.notebook.model import Notebook
from saltus.notebook.storage import save
from saltus.notebook.trials import Answer, Claim, Instrument, Link, Observation, TrialTable
from saltus.simulate.trials import simulated_notebook

# -- the clipboard and spreadsheets ------------------------------------------------------------------

TEXT = st.text(alphabet="ab 1.,;\"'±µ", max_size=8).map(lambda t: " ".join(t.split()))


@settings(max_examples=80, deadline=None)
@given(st.lists(st.lists(TEXT, min_size=2, max_size=4), min_size=1, max_size=5))
def test_copied_cells_come_back_as_they_were(rows):
    """What is copied can be pasted; short rows are filled up, blank ones at the end are left out."""
    wide = max(len(r) for r in rows)
    padded = [r + [""] * (wide - len(r)) for r in rows]
    while padded and not any(padded[-1]):
        padded.pop()
    assert grid_of(text_of([r + [""] * (wide - len(r)) for r in rows])) == padded


@pytest.mark.parametrize(
    ("text", "grid"),
    [
        ("", []),
        ("\n\n", []),
        ("1\t2\r\n3\t4\r\n", [["1", "2"], ["3", "4"]]),
        ('"a\tb"\t"c\nd"', [["a b", "c d"]]),
        ("1\n2\n3", [["1"], ["2"], ["3"]]),
        ('"' + "x" * 200_000, []),
    ],
)
def test_what_other_programs_copy(text, grid):
    """Line ends of any kind, quoted tabs and breaks; what is no table is nothing."""
    assert grid_of(text) == grid


def test_a_spreadsheet_is_read_as_a_table(tmp_path):
    """Numbers keep twelve digits, text is text; only the first sheet counts."""
    book = Workbook()
    book.active.append(["length [m]", "time / s", "who"])
    book.active.append([0.123456789012, 2, "=HYPERLINK(1)"])
    book.active.append([None, True, "a, b"])
    book.create_sheet("second").append(["other"])
    path = tmp_path / "t.xlsx"
    book.save(path)
    table = read_any_table(path)
    assert list(table.columns) == ["length", "time", "who"]
    assert table.columns["length"].cells[0] == "0.123456789012"
    assert table.columns["time"].unit == "s"
    assert table.columns["who"].cells[1] == "a, b"


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cut=st.integers(0, 4000), flip=st.integers(0, 4000))
def test_a_torn_spreadsheet_is_refused_in_one_sentence(tmp_path, cut, flip):
    """Cut off or changed anywhere: a table or one sentence that names the file."""
    path = tmp_path / "torn.xlsx"
    write_table(path, ["a [m]", "b"], [[1.0, "x"], [2.0, "y"]])
    data = bytearray(path.read_bytes())
    data[flip % len(data)] ^= 0x5A
    path.write_bytes(bytes(data[: max(len(data) - cut, 0)]))
    said = "torn.xlsx"
    try:
        assert read_any_table(path).rows <= 3
    except TableError as refused:
        said = str(refused)
    assert "torn.xlsx" in said
    assert "\n" not in said


def test_a_spreadsheet_that_swells_is_not_unpacked(tmp_path):
    """A small file whose inside is huge is refused before it is read."""
    path = tmp_path / "bomb.xlsx"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as inside:
        for i in range(4):
            inside.writestr(f"xl/{i}.xml", b"0" * (80 * 1024 * 1024))
    with pytest.raises(TableError, match="too large"):
        read_any_table(path)


# -- files -------------------------------------------------------------------------------------------


def full_pendulum():
    """A pendulum with stated uncertainties, a failed trial, one set aside, and a column of names."""
    notebook = tables.pendulum(spread=0.02)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.04 s"))
    own = notebook.trials.own
    notebook = edits.change_table(
        notebook, own=(*own, tables.CustomColumn(name="who_timed", title="who timed", kind="text"))
    )
    first, second, third, *_rest = tables.ids(notebook)
    notebook = edits.set_cells(notebook, {(first, "who_timed"): "wren", (second, "who_timed"): "=1+1"})
    notebook = edits.change_trial(notebook, second, status="failed", reason="thread slipped")
    return edits.change_trial(notebook, third, status="set-aside", reason="late press")


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_trials_go_out_and_come_back_with_the_same_results(tmp_path, ending):
    """Written and taken into an empty table: the same levels, status, reasons and results."""
    notebook = full_pendulum()
    evaluation = evaluate(notebook)
    path = tmp_path / f"t.{ending}"
    write_table(path, *trials_table(evaluation))
    table = read_any_table(path)
    empty = edits.start(Notebook(), TrialTable(investigation="pendulum", own=notebook.trials.own))
    back = taken_in(empty, table, proposal(table, evaluate(empty)))
    again = evaluate(back)
    assert [(t.status, t.reason) for t in back.trials.trials] == [
        (t.status, t.reason) for t in notebook.trials.trials
    ]
    for name, q in evaluation.outcome.results.items():
        assert float(again.outcome.results[name]) == pytest.approx(float(q), rel=1e-9)
        assert pytest.approx(q.U95, rel=1e-5) == again.outcome.results[name].U95
    if ending == "csv":
        assert "'=1+1" in path.read_text(encoding="utf-8")
    else:
        assert isinstance(load_workbook(path).active["A2"].value, float)


def test_the_command_takes_what_the_notebook_writes(tmp_path):
    """``export --what trials`` gives a table on which ``investigate`` finds the same g."""
    notebook = full_pendulum()
    save(notebook, tmp_path / "n.saltus")
    out = tmp_path / "t.csv"
    runner = CliRunner()
    done = runner.invoke(saltus, ["export", str(tmp_path / "n.saltus"), "--what", "trials", "-o", str(out)])
    assert done.exit_code == 0, done.output
    found = json.loads(runner.invoke(saltus, ["investigate", "pendulum", str(out), "--json"]).output)
    q = evaluate(notebook).outcome.results["g"]
    assert found["results"]["g"]["value"] == pytest.approx(float(q), rel=1e-9)
    assert found["results"]["g"]["U95"] == pytest.approx(q.U95, rel=1e-5)
    none = Notebook()
    save(none, tmp_path / "none.saltus")
    refused = runner.invoke(
        saltus, ["export", str(tmp_path / "none.saltus"), "--what", "trials", "-o", str(out)]
    )
    assert "holds no table of trials" in str(refused.exception)


def test_another_names_columns_are_proposed_and_units_go_with_the_numbers():
    """The same name, else one within the other; cm stays cm, also where the column has another unit."""
    notebook = tables.table("pendulum", [])
    evaluation = evaluate(notebook)
    table = parse_table(
        "Length of thread [cm],cycles,Time (s),u(Time) (s),remark\n30.0,10,10.99,0.04,x\n60,10,15.5,0.04,y\n",
        "t.csv",
    )
    proposed = proposal(table, evaluation)
    assert proposed.columns == {"length": "Length of thread", "cycles": "cycles", "time": "Time"}
    taken = taken_in(notebook, table, proposed)
    q = evaluate(taken).columns
    assert q["length"].value == pytest.approx([0.3, 0.6])
    assert q["time"].u == pytest.approx([0.04, 0.04])
    assert taken.trials.units["length"] == "cm"
    more = taken_in(taken, parse_table("length [m]\n0.9\n", "m.csv"), Taken({"length": "length"}))
    assert evaluate(more).columns["length"].value[-1] == pytest.approx(0.9)
    assert {c.name for c in taking_columns(evaluation)} >= {"length", "mass", "amplitude"}


def test_a_blank_table_for_work_away_from_the_screen():
    """Levels that are known stand in it, all else is empty."""
    head, rows = blank_table(evaluate(tables.pendulum(lengths=(0.3, 0.6))))
    assert head[0] == "trial"
    assert head[1] == "length / m"
    assert [r[1] for r in rows] == ["0.300", "", "", "0.600", "", ""]
    assert all(cell == "" for r in rows for cell in r[2:])
    _head, empty = blank_table(evaluate(tables.table("pendulum", [])))
    assert len(empty) == 18


# -- the sheet ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ids())
def test_every_example_has_a_sheet(name):
    """Result, table, what limits it; it says that it is simulated; without trials it says what to do."""
    notebook = simulated_notebook(recipe_named(name))
    sheet = describe_trials(notebook, evaluate(notebook))
    assert sheet.result is not None
    assert "not a measurement" in sheet.result.words
    assert sheet.readings.rows
    assert len({len(r) for r in sheet.readings.rows}) == 1
    assert len(sheet.readings.head) == len(sheet.readings.rows[0])
    assert one_line(evaluate(notebook)).startswith(as_text(sheet.result.box))
    blank = tables.table(name, [])
    empty = describe_trials(blank, evaluate(blank))
    assert empty.result is None
    assert empty.missing


def words_of(line):
    """A line of a section, be it words, a table or an equation."""
    if isinstance(line, str):
        return line
    return str(line.rows) if isinstance(line, Grid) else as_text(line.equation)


def test_the_sheet_holds_what_was_said():
    """Claims with their evidence, precautions, what was seen, questions, follow-up, a worked example."""
    notebook = edits.change_findings(
        full_pendulum(),
        claims=(
            Claim(id="claim-1", text="g is that of the table.", rests_on="result/g"),
            Claim(id="claim-2", text="The mass does not matter"),
        ),
        precautions={"Nothing else swings.": "the clock was stopped"},
        observations=(Observation(text="a draught", when="2026-01-01T10:00"),),
        answers=(Answer(question="Why ten swings?", answer="One is too short."),),
        follow_up="a heavier bob",
        substitution=True,
    )
    sheet = sheet_of(notebook, None, of_trials=True)
    said = {s.heading: " ".join(map(words_of, s.lines)) for s in sheet.sections}
    assert "(free-fall acceleration = 9.8" in said["What is claimed"]
    assert "no evidence yet" in said["What is claimed"]
    assert said["Precautions"] == "Nothing else swings. the clock was stopped"
    assert "a draught" in said["Seen along the way"]
    assert "One is too short." in said["Questions"]
    assert said["What to try next"] == "a heavier bob"
    assert "T = t/n" in said["Worked with own numbers"]
    assert "thread slipped" in " ".join(sheet.method)
    assert "late press" in " ".join(sheet.method)
    film, take, *_ids = made.measured(12)
    film = edits.change_findings(film, follow_up="a longer run")
    assert sheet_of(film, film.take(take), of_trials=False).sections[-1].lines == ("a longer run",)


@pytest.mark.parametrize("ending", ["pdf", "html", "odt", "svg", "png"])
def test_the_sheet_and_the_graph_go_out_without_a_window(tmp_path, ending):
    """Each way out writes a file of its kind from the notebook alone."""
    save(full_pendulum(), tmp_path / "n.saltus")
    out = tmp_path / f"o.{ending}"
    kind = "export" if ending in ("svg", "png") else "report"
    # a process of its own: the tests below the window must not load Qt
    run = [sys.executable, "-m", "saltus.commands.main", kind, str(tmp_path / "n.saltus"), "-o", str(out)]
    done = subprocess.run(run, capture_output=True, text=True, check=False, timeout=120)
    assert done.returncode == 0, done.stderr
    head = {"pdf": b"%PDF", "html": b"<!doctype", "odt": b"PK", "svg": b"<?xml", "png": b"\x89PNG"}[ending]
    assert out.read_bytes().startswith(head)
    if ending == "html":
        text = out.read_text(encoding="utf-8")
        assert "9.8" in text
        assert "late press" in text
        assert "<svg" in text


# -- recorded logs -----------------------------------------------------------------------------------


def log_notebook(values, unit="N", rate=100.0, resolution=0.0):
    """A notebook with one log of one signal."""
    times = tuple(i / rate for i in range(len(values)))
    channel = Channel(name="force", unit=unit, values=tuple(map(float, values)), resolution=resolution)
    return log_edits.add_log(Notebook(), "a pull", times, (channel,))


def test_stretches_cover_the_truth_with_zero_and_noise():
    """Mean over a stretch less the mean of a quiet one: the stated interval holds the truth in 95 of 100."""
    rng = np.random.default_rng(5)
    hits = 0
    for _run in range(600):
        noise = rng.normal(0.15, 0.05, 400)
        noise[200:] += 0.8
        notebook, log_id = log_notebook(noise)
        notebook = log_edits.change_channel(notebook, log_id, "force", zero=(0.0, 1.99))
        notebook, stretch = log_edits.add_stretch(notebook, log_id, "force", 2.0, 3.99)
        log = notebook.log(log_id)
        q = stretch_mean(log, log.stretch(stretch)).value
        hits += abs(float(q) - 0.8) <= q.U95
    assert 0.925 <= hits / 600 <= 0.975


def test_what_two_stretches_share_cancels():
    """The zero moves all stretches alike: their difference does not know of it."""
    rng = np.random.default_rng(1)
    notebook, log_id = log_notebook(rng.normal(0, 0.05, 600))
    notebook = log_edits.change_channel(notebook, log_id, "force", zero=(0.0, 0.2))
    notebook, a = log_edits.add_stretch(notebook, log_id, "force", 1.0, 3.0)
    notebook, b = log_edits.add_stretch(notebook, log_id, "force", 3.5, 5.5)
    log = notebook.log(log_id)
    one, two = (stretch_mean(log, log.stretch(s)).value for s in (a, b))
    assert float((one - two).u) < 0.8 * math.hypot(float(one.u), float(two.u))


def test_sign_units_and_slope():
    """A signal in kN turned round: values in N with the other sign; a ramp has its slope."""
    ramp = [0.002 * i for i in range(100)]
    notebook, log_id = log_notebook(ramp, unit="kN", rate=10)
    notebook = log_edits.change_channel(notebook, log_id, "force", turned=True)
    log = notebook.log(log_id)
    assert values_of(log, log.channels[0])[10] == pytest.approx(-20.0)
    notebook, stretch = log_edits.add_stretch(notebook, log_id, "force", 0, 9)
    log = notebook.log(log_id)
    slope = stretch_slope(log, log.stretch(stretch)).value
    assert float(slope) == pytest.approx(-20.0)
    with pytest.raises(SeriesError):
        stretch_mean(log, log.stretch(stretch).but(first=100.0, last=101.0))


def test_a_rest_within_a_stretch_is_told():
    """A mean over rest and pull together is spoilt: the time of the change is named."""
    rng = np.random.default_rng(2)
    values = rng.normal(0, 0.02, 300)
    values[120:] += 1.0
    notebook, log_id = log_notebook(values)
    notebook, both = log_edits.add_stretch(notebook, log_id, "force", 0, 3)
    notebook, steady = log_edits.add_stretch(notebook, log_id, "force", 1.3, 3)
    log = notebook.log(log_id)
    assert rest_within(log, log.stretch(both)) == pytest.approx(1.2, abs=0.02)
    assert rest_within(log, log.stretch(steady)) is None


def test_a_log_is_linked_into_the_table_and_followed():
    """The mean of a stretch stands in a cell; zeroing the log moves it; without the log it stays and says so."""
    notebook, log_id = log_notebook([0.1] * 100 + [0.9] * 100, resolution=0.01)
    notebook, stretch = log_edits.add_stretch(notebook, log_id, "force", 1.0, 1.99)
    notebook = edits.start(notebook, TrialTable(investigation="force-acceleration"))
    link = Link(kind="log", source=log_id, place=stretch, part="mean")
    notebook, (trial,) = edits.add_trials(notebook, [{"acceleration": "1.2"}])
    notebook = edits.link_cell(notebook, trial, "force", link, "0.9 N")
    assert evaluate(notebook).columns["force"].value[0] == pytest.approx(0.9)
    zeroed = log_edits.change_channel(notebook, log_id, "force", zero=(0.0, 0.99))
    assert evaluate(zeroed).columns["force"].value[0] == pytest.approx(0.8)
    gone = log_edits.remove_log(zeroed, log_id)
    evaluation = evaluate(gone)
    assert "Broken link" in evaluation.cell_problems[trial, "force"]
    assert evaluation.columns["force"].value[0] == pytest.approx(0.9)
    assert isinstance(linked_in(gone, link), str)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("force [N]\n1\n2\n", "no column “time"),
        ("time [s],who\n0,wren\n1,heron\n", "no column of numbers"),
        ("time [kg],force [N]\n0,1\n", "kg"),
        ("time [s],force [N]\n,1\n,2\n", "no row"),
    ],
)
def test_a_log_that_is_none_is_told(text, says):
    """Which file, what is missing."""
    with pytest.raises(TableError, match=says):
        log_of(parse_table(text, "log.csv"))


def test_a_log_is_put_in_order_and_holes_are_left_out():
    """Times out of order are sorted; a row without a value counts for no signal; comma and semicolon read."""
    times, channels = log_of(parse_table("t;F [N]\n0,2;3,0\n0,1;2,0\n0,3;\n0;1,0\n", "log.csv"))
    assert times == (0.0, 0.1, 0.2)
    assert channels[0].values == (1.0, 2.0, 3.0)
    assert channels[0].resolution == pytest.approx(0.1)


def test_a_record_fills_the_table_of_its_investigation():
    """The jump on a cord from a log: zeroed in the log, free fall found in the table."""
    notebook = simulated_notebook(recipe_named("cord-jump"), seed=3)
    rows = [(float(t.cells["time"]), float(t.cells["acceleration"])) for t in notebook.trials.trials]
    times, values = zip(*rows, strict=True)
    channel = Channel(name="a", unit="m/s^2", values=tuple(v + 0.4 for v in values))
    with_log, log_id = log_edits.add_log(Notebook(), "jump", times, (channel,))
    with_log = log_edits.change_channel(with_log, log_id, "a", zero=(0.0, 0.9))
    filled = tables.table("cord-jump", rows_of_log(with_log.log(log_id), "a", "acceleration"))
    q = tables.results(filled)["free_fall"]
    assert float(q) == pytest.approx(-9.81, abs=3 * q.U95)


# -- other notebooks ---------------------------------------------------------------------------------


def test_a_result_of_another_notebook_is_looked_up_again(tmp_path):
    """The cell follows the other notebook when this one is opened; without it the last value stays."""
    other = full_pendulum()
    save(other, tmp_path / "other.saltus")
    found = results_of(tmp_path / "other.saltus")
    assert found["g"].u > 0
    notebook = tables.table("weight-mass", [{"mass": "0.1"}, {"mass": "0.2"}])
    trial = tables.ids(notebook)[0]
    link = Link(kind="notebook", source="other.saltus", part="effect_of_length")
    notebook = edits.link_cell(notebook, trial, "mass", link, "0.3 ± 0.01 kg")
    assert evaluate(notebook).columns["mass"].value[0] == pytest.approx(0.3)
    again, trouble = looked_up(notebook, tmp_path)
    assert trouble == ""
    assert again.trials.trial(trial).cells["mass"].startswith(f"{float(found['effect_of_length']):.6g}"[:5])
    assert "does not go" in evaluate(again).cell_problems[trial, "mass"] or "not" in str(
        evaluate(again).cell_problems[trial, "mass"]
    )
    lost, trouble = looked_up(notebook, tmp_path / "elsewhere")
    assert "1 value" in trouble
    assert lost == notebook


def test_csv_of_trials_has_units_and_real_numbers():
    """The header names unit and uncertainty of each column; cells are numbers in those units."""
    header, rows = trials_table(evaluate(edits.set_unit(full_pendulum(), "time", "ms")))
    assert header[:2] == ["length [m]", "cycles"]
    assert "u(time) [ms]" in header
    text = io.StringIO()
    csv.writer(text).writerows(rows)
    column = header.index("u(time) [ms]")
    assert rows[0][column] == pytest.approx(40.0)
    assert rows[1][header.index("status")] == "failed"
