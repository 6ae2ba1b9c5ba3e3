"""The table of trials as a document: edits, undo, what is written down and read again."""

import json

import made
import pytest
import tables
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from saltus.investigations.engine.evaluation import evaluate
from saltus.notebook.changes import changes, made_again
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.history import History
from saltus.notebook.logs import Channel
from saltus.notebook.migrations import STEPS
from saltus.notebook.model import VERSION, Notebook
from saltus.notebook.storage import NotebookError, as_text, load, parse, save
from saltus.notebook.trials import CustomColumn, Instrument, Link, Observation, TrialTable

CELLS = st.text(alphabet="0123456789.,±()eE+-−mkg s°%µ'\"\\", max_size=12)
COLUMNS = st.sampled_from(["length", "mass", "amplitude", "cycles", "time"])
PLACES = st.integers(0, 5)


def step(draw_edit, notebook):  # noqa: PLR0911  one return for each kind of edit
    """Make one edit of those a person can make."""
    kind, place, column, text = draw_edit
    ids = tables.ids(notebook)
    trial = ids[place % len(ids)] if ids else None
    if kind == "add" or trial is None:
        return edits.add_trials(notebook, [{column: text}], trial)[0]
    if kind == "type":
        return edits.set_cells(notebook, {(trial, column): text})
    if kind == "status":
        status = ("kept", "failed", "set-aside", "zero")[place % 4]
        return edits.change_trial(notebook, trial, status=status, reason=text)
    if kind == "given":
        return edits.set_given(notebook, "g", text)
    if kind == "unit":
        return edits.set_unit(notebook, column, text)
    if kind == "instrument":
        rule = ("stated", "digital", "divided", "vernier", "percent")[place % 5]
        return edits.set_instrument(notebook, column, Instrument(rule=rule, amount=text))
    if kind == "column":
        name = f"own_{place}"
        if notebook.trials.custom_column(name) is not None:
            return edits.remove_column(notebook, name)
        return edits.put_column(notebook, CustomColumn(name=name, title=text, formula=f"{column}*2"))
    if kind == "link":
        link = Link(source="take-1", place="segment-1", part="acceleration")
        return edits.link_cell(notebook, trial, column, link, text)
    return edits.remove_empty(notebook, [trial])


KINDS = st.sampled_from(["add", "type", "status", "given", "unit", "instrument", "column", "link", "remove"])


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.tuples(KINDS, PLACES, COLUMNS, CELLS), min_size=1, max_size=14))
def test_any_edits_are_written_down_made_again_and_undone(drawn):
    """Whatever is typed: the journal makes it again, the file gives it back, undo leads back, and it works out."""
    notebook = edits.start(Notebook(), TrialTable(investigation="pendulum"))
    history = History(notebook)
    before = notebook
    for one in drawn:
        after = step(one, before)
        change = json.loads(json.dumps(changes(before, after)))
        assert made_again(before, change) == after
        history.do("edit", after)
        before = after
    assert parse(as_text(before), "a.saltus") == before
    evaluation = evaluate(before)
    assert evaluation is not None
    assert all(isinstance(words, str) and words for words in evaluation.cell_problems.values())
    while history.undo() is not None:
        pass
    assert made.work(history.present) == made.work(notebook)


def test_a_trial_is_never_dropped():
    """Rows in which something was typed or seen stay; only blank ones can be taken away."""
    notebook = tables.pendulum(repeats=1)
    notebook, blank = edits.add_trials(notebook, [{}])
    seen, _more = edits.add_trials(notebook, [{}])
    seen = edits.change_trial(seen, tables.ids(seen)[-1], status="failed", reason="thread slipped")
    every = tables.ids(seen)
    left = edits.remove_empty(seen, every)
    assert set(every) - set(tables.ids(left)) == set(blank)
    assert left.trials.trials[-1].reason == "thread slipped"


def test_new_trials_stand_where_they_belong():
    """Rows are added below the trial in hand, with ids that were never used before."""
    notebook = tables.pendulum(lengths=(0.3, 0.5), repeats=2)
    first = tables.ids(notebook)
    notebook, added = edits.add_trials(notebook, [{"length": "0.300"}, {"length": "0.300"}], first[1])
    assert tables.ids(notebook) == [*first[:2], *added, *first[2:]]
    assert len(set(tables.ids(notebook))) == 6


def test_typing_over_a_link_takes_it_away_and_undo_brings_it_back():
    """A cell has its value from one place only."""
    notebook = tables.table("force-acceleration", [{"force": "0.5"}])
    trial = tables.ids(notebook)[0]
    link = Link(source="take-1", place="segment-1", part="acceleration")
    linked = edits.link_cell(notebook, trial, "acceleration", link, "0.75 ± 0.01 m/s^2")
    history = History(linked)
    history.do("type", edits.set_cells(linked, {(trial, "acceleration"): "0.80"}))
    assert history.present.trials.trial(trial).links == {}
    assert history.present.trials.trial(trial).cells["acceleration"] == "0.80"
    history.undo()
    assert history.present.trials.trial(trial).links == {"acceleration": link}


def test_a_renamed_column_keeps_its_cells():
    """Cells follow the name of their column; without it they go, and undo brings them back."""
    notebook = tables.free([("x", "m", ""), ("y", "s", "")], [{"x": "1", "y": "2"}, {"x": "2", "y": "4"}])
    renamed = edits.put_column(notebook, CustomColumn(name="drop_time", title="t", unit="s"), "y")
    assert [t.cells["drop_time"] for t in renamed.trials.trials] == ["2", "4"]
    gone = edits.remove_column(renamed, "drop_time")
    assert all("drop_time" not in t.cells for t in gone.trials.trials)


def test_old_files_open_and_new_ones_say_their_version(tmp_path):
    """A notebook of version 2 had neither trials nor logs; it opens with none."""
    notebook, *_ids = made.measured(6)
    data = json.loads(as_text(notebook))
    assert data["version"] == VERSION
    for part in ("trials", "findings", "logs", "last_ids"):
        del data[part]
    data["version"] = 2
    opened = parse(json.dumps(made.without_runs(data)), "old.saltus")
    assert opened == notebook
    assert set(STEPS) == set(range(1, VERSION))
    path = tmp_path / "n.saltus"
    save(notebook, path)
    assert load(path) == notebook


@pytest.mark.parametrize(
    "change",
    [
        {"investigation": "No Such Id"},
        {"trials": [{"id": "trial-1"}, {"id": "trial-1"}]},
        {"trials": [{"id": "trial-1", "cells": {"Not A Name": "1"}}]},
        {"trials": [{"id": "trial-1", "cells": {"x": "1" * 300}}]},
        {"own": [{"name": "a"}, {"name": "a"}]},
        {"drawn": {"x": "a", "y": "b", "corners": [[0, 0], [float("1e400"), 1]]}},
        {"line": "cubic"},
        {"givens": {"g": 9.81}},
        {"surprise": 1},
    ],
)
def test_a_table_that_cannot_be_is_refused_in_one_sentence(change):
    """What another hand wrote into the file is checked; the sentence names file and place."""
    notebook = tables.pendulum(repeats=1)
    data = json.loads(as_text(notebook))
    data["trials"] |= change
    text = json.dumps(data).replace("Infinity", "1e999")
    with pytest.raises(NotebookError, match=r"a\.saltus") as refused:
        parse(text, "a.saltus")
    assert "\n" not in str(refused.value)


def test_findings_are_part_of_the_document():
    """Claims, precautions, observations and answers go into the file and come back."""
    notebook = tables.pendulum(repeats=1)
    notebook, claim = edits.add_claim(notebook, "g is 9.8", "result/g")
    notebook = edits.change_findings(
        notebook,
        precautions={"Nothing else swings.": "the clock was stopped"},
        observations=(Observation(text="draught", when="2026-01-01T10:00"),),
        follow_up="a longer thread",
        substitution=True,
    )
    assert edits.add_claim(notebook)[1] == "claim-2" != claim
    assert parse(as_text(notebook), "a.saltus").findings == notebook.findings


def test_a_log_is_part_of_the_document_and_its_numbers_stand_on_one_line():
    """Values come back exactly; a diff of the file shows one line for each channel."""
    times = tuple(i / 100 for i in range(500))
    values = tuple(0.1 * i**0.5 for i in range(500))
    notebook, log_id = log_edits.add_log(
        Notebook(), "a pull", times, (Channel(name="force", unit="N", values=values),)
    )
    notebook, stretch = log_edits.add_stretch(notebook, log_id, "force", 3.0, 1.0)
    assert notebook.log(log_id).stretch(stretch).first == 1.0
    text = as_text(notebook)
    assert parse(text, "a.saltus") == notebook
    assert sum(len(line) > 2000 for line in text.splitlines()) == 2
    for wrong in ({"times": [3, 2, 1]}, {"times": [1.0]}, {"channels": []}):
        data = json.loads(text)
        data["logs"][0] |= wrong
        with pytest.raises(NotebookError):
            parse(json.dumps(data), "a.saltus")
