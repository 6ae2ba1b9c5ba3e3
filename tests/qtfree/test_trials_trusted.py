"""Tables of trials that can be trusted: coverage through the notebook, hostile documents, the journal."""

import contextlib
import json

import made
import numpy as np
import pytest
import tables
from click.testing import CliRunner
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from saltus.commands.main import saltus
from saltus.exchange.graph import graph_of
from saltus.exchange.trials_sheet import sheet_of
from saltus.exchange.trials_table import trials_table
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.view.comparisons import verdicts
from saltus.investigations.view.evidence import evidence
from saltus.investigations.view.plots import plotted
from saltus.investigations.view.verdicts import result_rows, schools
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.journal import Journal
from saltus.notebook.logs import Channel
from saltus.notebook.model import Notebook
from saltus.notebook.recovery import left_behind
from saltus.notebook.storage import NotebookError, as_text, parse, save
from saltus.notebook.trials import DrawnLine, Instrument, Link, Plot, TrialTable

G = 9.81


def swung(rng):
    """A pendulum as a student types it: lengths to 1 mm, times to 0.01 s, four levels, three trials each."""
    rows = []
    for length in (0.3, 0.5, 0.7, 0.9):
        read = length + rng.normal(0, 0.001)
        for _trial in range(3):
            time = 20 * np.pi * np.sqrt(length / G) + rng.normal(0, 0.04)
            rows.append({"length": f"{read:.4f}", "cycles": "10", "time": f"{time:.3f}"})
    notebook = tables.table("pendulum", rows)
    notebook = edits.set_instrument(notebook, "time", Instrument(rule="stated", amount="0.04 s"))
    return edits.set_instrument(notebook, "length", Instrument(rule="stated", amount="1 mm")), {"g": G}


def hung(rng):
    """A spring read from a zero that was read once and is uncertain, common to all readings after it."""
    k, rest, zero = 24.5, 0.13, rng.normal(0, 0.002)
    rows = [{"reading": f"{zero + rng.normal(0, 0.0008):.5f}"}]
    for mass in (0.0, 0.1, 0.2, 0.3, 0.4):
        for _trial in range(2):
            reading = rest + mass * G / k + zero + rng.normal(0, 0.0008)
            rows.append({"mass": f"{mass}", "reading": f"{reading:.5f}"})
    notebook = tables.table("hooke-static", rows, givens={"g": "9.81 m/s^2"})
    notebook = edits.change_trial(notebook, "trial-1", status="zero")
    notebook = edits.set_instrument(notebook, "reading", Instrument(rule="stated", amount="0.8 mm"))
    return notebook, {"k": k, "rest_reading": rest}


def fast(rng):
    """A stopwatch that runs off by up to 1 % on all times alike, beside 0.02 s of its own on each."""
    off = rng.uniform(-0.01, 0.01)
    rows = []
    for start in (0.2, 0.4, 0.6, 0.8):
        for _trial in range(4):
            time = np.sqrt(2 * start / 0.9) * (1 + off) + rng.normal(0, 0.02)
            rows.append({"start": f"{1.0 - start:.3f}", "time": f"{time:.4f} ± 0.02"})
    notebook = tables.table("ramp-run", rows, givens={"finish": "1.000 m"})
    return edits.set_instrument(notebook, "time", Instrument(rule="percent", amount="1 %")), {
        "acceleration": 0.9
    }


@pytest.mark.parametrize("drawn", [swung, hung, fast])
def test_intervals_stated_in_the_window_hold_the_truth(drawn):
    """Through cells, instruments, zeros and common accuracy: 95 of 100 stated intervals hold the truth."""
    rng = np.random.default_rng(21)
    hits, count = 0, 0
    for _run in range(350):
        notebook, truth = drawn(rng)
        found = tables.results(notebook)
        for name, value in truth.items():
            hits += abs(float(found[name]) - value) <= found[name].U95
            count += 1
    assert 0.925 <= hits / count <= 0.985


def everything():
    """A notebook with a table that uses all there is: links, zeros, own columns, a log, a plot, claims."""
    notebook, take, _body, segment = made.measured(12)
    table = TrialTable(
        investigation="force-acceleration",
        own=(tables.CustomColumn(name="double", title="double", formula="2*force"),),
        instruments={"force": Instrument(rule="digital", amount="0.01 N")},
        givens={"balance_mass": "0.52(1) kg"},
        plot=Plot(x="acceleration", y="double", by="who"),
        drawn=DrawnLine(x="acceleration", y="double", corners=((0.0, 0.0), (1.0, 1.0))),
    )
    notebook = edits.start(notebook, table)
    rows = [{"force": f"{0.2 * i}", "acceleration": f"{0.4 * i}"} for i in range(1, 5)]
    notebook, ids = edits.add_trials(notebook, rows)
    link = Link(source=take, place=segment, part="acceleration")
    notebook = edits.link_cell(notebook, ids[0], "acceleration", link, "2.0 ± 0.1 m/s^2")
    notebook = edits.change_trial(notebook, ids[1], status="failed", reason="cord slipped")
    channel = Channel(name="force", unit="N", values=(0.0, 0.1, 0.2), zero=(0.0, 0.01))
    notebook, log = log_edits.add_log(notebook, "pull", (0.0, 0.01, 0.02), (channel,))
    notebook, _stretch = log_edits.add_stretch(notebook, log, "force", 0.0, 0.02)
    return edits.change_findings(notebook, follow_up="more", substitution=True)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    where=st.integers(0, 10_000),
    value=st.one_of(
        st.none(), st.booleans(), st.integers(-(10**20), 10**20), st.floats(allow_nan=False),
        st.text(max_size=30), st.just("sqrt(force"), st.just("1/0"), st.just("-1 m/s^2"), st.just([]),
        st.just({}), st.just("force^99"), st.just("x" * 5000),
    ),
)  # fmt: skip
def test_no_document_breaks_the_working_out(where, value):
    """Any JSON at any place: refused in one sentence, or opened, worked out, drawn and told without a crash."""
    data = json.loads(as_text(everything()))
    spots = []

    def walk(part):
        for key, inner in part.items() if isinstance(part, dict) else enumerate(part):
            spots.append((part, key))
            if isinstance(inner, (dict, list)):
                walk(inner)

    walk({key: data[key] for key in ("trials", "logs", "findings")})
    part, key = spots[where % len(spots)]
    part[key] = value
    with contextlib.suppress(NotebookError):
        notebook = parse(json.dumps(data), "a.saltus")
        evaluation = evaluate(notebook)
        evidence(notebook)
        sheet_of(notebook, None, of_trials=True)
        if evaluation is not None:
            graph_of(evaluation, plotted(evaluation), drawn=evaluation.table.drawn)
            trials_table(evaluation)
            verdicts(evaluation)
            schools(evaluation)
            result_rows(evaluation)
            slips_of(evaluation)


def test_the_journal_brings_a_table_back(tmp_path):
    """Typed cells, statuses and a log that were in no file are there again after a crash."""
    before = Notebook()
    journal = Journal(tmp_path)
    journal.follow(before, None)
    notebook = edits.start(before, TrialTable(investigation="pendulum"))
    journal.note("choose an investigation", notebook)
    for i in range(4):
        notebook, _ids = edits.add_trials(notebook, [{"length": f"0.{i + 3}", "cycles": "10"}])
        journal.note("add a trial", notebook)
        notebook = edits.set_cells(notebook, {(f"trial-{i + 1}", "time"): f"{11 + i},5"})
        journal.note("type into the table", notebook)
    notebook = edits.change_trial(notebook, "trial-2", status="set-aside", reason="late press")
    journal.note("set a trial aside", notebook)
    journal.sync()
    written = next(tmp_path.glob("*"))
    copied = tmp_path / "crashed"
    copied.mkdir()
    (copied / written.name).write_bytes(written.read_bytes())
    (left,) = left_behind(copied)
    assert left.notebook == notebook
    left.release()
    journal.end()


def test_check_names_the_cells_that_need_a_look(tmp_path):
    """``saltus check`` tells of bad cells, givens and formulas, each with its place; exit code 2."""
    notebook = tables.pendulum(repeats=1)
    save(notebook, tmp_path / "good.saltus")
    runner = CliRunner()
    good = runner.invoke(saltus, ["check", str(tmp_path / "good.saltus"), "--json"])
    assert json.loads(good.output) == {"ok": True, "problems": []}
    bad = edits.set_cells(notebook, {("trial-1", "time"): "ten"})
    bad = edits.set_given(bad, "g", "9.8 kg")
    save(bad, tmp_path / "bad.saltus")
    told = runner.invoke(saltus, ["check", str(tmp_path / "bad.saltus"), "--json"])
    problems = json.loads(told.output)["problems"]
    assert told.exit_code == 2
    assert any(p.startswith("trial-1, time:") for p in problems)
    assert any(p.startswith("g:") for p in problems)
