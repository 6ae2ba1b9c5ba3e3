"""The document: edits are functions, undo is exact, files come back, files of strangers are checked."""

import contextlib
import json
import os
import stat
import weakref
from pathlib import Path

import made
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from saltus.notebook.derived.motion import body_motion, segment_fit
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import find, missing, reference
from saltus.notebook.geometry import Typed
from saltus.notebook.history import AT_HAND, History
from saltus.notebook.model import VERSION, Notebook
from saltus.notebook.readings import CHUNK, Reading, ReadingError, Readings
from saltus.notebook.schema import schema_text
from saltus.notebook.storage import NotebookError, as_text, load, parse, save

places = st.floats(0, 600).map(lambda v: round(v, 3))


class EditingMachine(RuleBasedStateMachine):
    """Any sequence of edits, undone and redone at will, against a plain dict and a list of versions."""

    def __init__(self):
        super().__init__()
        notebook, self.take = made.with_film(frames=1000)
        notebook, self.body = reading_edits.add_body(notebook, self.take, "Bob")
        self.history = History(notebook)
        self.rows = {}
        self.past, self.future = [], []

    def _made(self, name, notebook, rows):
        if self.history.do(name, notebook):
            self.past.append((self.rows, self.history.undo_name))
            self.future.clear()
            self.rows = rows

    @rule(frame=st.integers(0, 999), x=places, y=places)
    def place(self, frame, x, y):
        notebook = reading_edits.place_reading(
            self.history.present, self.take, self.body, Reading(frame, x, y)
        )
        self._made("place", notebook, self.rows | {frame: (x, y, False)})

    @rule(start=st.integers(0, 600), count=st.integers(1, 399), x=places)
    def place_many(self, start, count, x):
        notebook, rows = self.history.present, dict(self.rows)
        for frame in range(start, start + count):
            notebook = reading_edits.place_reading(notebook, self.take, self.body, Reading(frame, x, 1.0))
            rows[frame] = (x, 1.0, False)
        self._made("place many", notebook, rows)

    @rule(frame=st.integers(0, 999))
    def delete(self, frame):
        notebook = reading_edits.delete_reading(self.history.present, self.take, self.body, frame)
        self._made("delete", notebook, {k: v for k, v in self.rows.items() if k != frame})

    @rule(frame=st.integers(0, 999))
    def aside(self, frame):
        notebook = reading_edits.switch_aside(self.history.present, self.take, self.body, frame)
        rows = dict(self.rows)
        if frame in rows:
            x, y, aside = rows[frame]
            rows[frame] = (x, y, not aside)
        self._made("aside", notebook, rows)

    @rule()
    def undo(self):
        name = self.history.undo()
        if self.past:
            before, expected = self.past.pop()
            assert name == expected
            self.future.append((self.rows, name))
            self.rows = before
        else:
            assert name is None

    @rule()
    def redo(self):
        name = self.history.redo()
        if self.future:
            after, expected = self.future.pop()
            assert name == expected
            self.past.append((self.rows, name))
            self.rows = after
        else:
            assert name is None

    @invariant()
    def same(self):
        readings = self.history.present.take(self.take).body(self.body).readings
        assert {r.frame: (r.x, r.y, not r.used) for r in readings} == self.rows
        assert [r.frame for r in readings] == sorted(self.rows)
        used = readings.used
        assert used.frame.tolist() == sorted(f for f, row in self.rows.items() if not row[2])
        assert all(len(chunk) <= CHUNK for chunk in readings._chunks)
        assert readings.last_frame == max(self.rows, default=-1)


EditingMachine.TestCase.settings = settings(max_examples=25, stateful_step_count=30, deadline=None)
TestEditing = EditingMachine.TestCase


def test_nudges_of_one_reading_are_one_step():
    """Edits with the same merge key in a row undo together; another key, or an undo, starts anew."""
    notebook, take, body, _segment = made.measured(6)
    history = History(notebook)
    for i in range(5):
        moved = reading_edits.place_reading(history.present, take, body, Reading(2, 80.0 + i, 200.0))
        history.do("nudge", moved, "nudge/2")
    other = reading_edits.place_reading(history.present, take, body, Reading(3, 81.0, 200.0))
    history.do("nudge", other, "nudge/3")
    assert not history.do("nothing", history.present)
    history.undo()
    history.undo()
    assert history.present is notebook
    assert (history.undo_name, history.redo_name) == (None, "nudge")
    history.redo()
    assert history.present.take(take).body(body).readings.at(2).x == 84
    history.do("nudge", notebook, "nudge/2")
    assert history.undo() == "nudge"
    assert history.present.take(take).body(body).readings.at(2).x == 84


def test_what_was_worked_out_is_let_go_far_back_and_kept_at_hand():
    """After many edits only the last steps remember what follows from them; what they share stays, undo finds all."""
    notebook, take, body, segment = made.measured(12)
    notebook, still = reading_edits.add_body(notebook, take, "Post")
    notebook = reading_edits.place_reading(notebook, take, still, Reading(3, 20.0, 10.0))
    unmoved = notebook.take(take).body(still).readings.columns
    history, known, fits = History(notebook), [], []
    for i in range(3 * AT_HAND):
        now = history.present.take(take)
        known.append(weakref.ref(body_motion(now, now.body(body))))
        fits.append(segment_fit(now, now.segment(segment)).variables)
        moved = reading_edits.place_reading(history.present, take, body, Reading(4, 80.0 + i, 200.0))
        history.do("place", moved)
    assert [one() is not None for one in known] == [False] * 2 * AT_HAND + [True] * AT_HAND
    assert history.present.take(take).body(still).readings.columns is unmoved
    for fit in fits[::-1]:
        history.undo()
        now = history.present.take(take)
        assert np.array_equal(segment_fit(now, now.segment(segment)).variables, fit)
    assert history.present is notebook


def test_edits_leave_what_they_do_not_name():
    """Every edit returns another notebook and never changes the one it was given."""
    notebook, take, body, segment = made.measured(12)
    before = as_text(notebook)
    after = [
        reading_edits.rename_body(notebook, take, body, "Glider"),
        reading_edits.set_reading_uncertainty(notebook, take, body, 0.4),
        scale_edits.set_end_uncertainty(notebook, take, 0.5),
        scale_edits.remove_reference(notebook, take),
        scale_edits.turn_axes(notebook, take, 370.0, 0.2),
        segment_edits.change_segment(notebook, take, segment, model="rest"),
        segment_edits.remove_segment(notebook, take, segment),
        take_edits.rename_take(notebook, take, "Second run"),
        take_edits.set_step(notebook, take, 4),
        take_edits.set_clock(notebook, take, 240.0, 0.1),
        take_edits.set_title(notebook, "Afternoon"),
        take_edits.set_who(notebook, "Group 4"),
        take_edits.set_remarks(notebook, "A draught\nfrom the door"),
        reading_edits.remove_body(notebook, take, body),
        take_edits.remove_take(notebook, take),
    ]
    assert as_text(notebook) == before
    assert len({as_text(n) for n in after}) == len(after)
    assert after[4].take(take).axes.angle_deg == pytest.approx(10)
    assert after[13].take(take).segments == ()
    assert after[14].takes == ()
    with pytest.raises(KeyError):
        take_edits.set_step(notebook, "take-9", 2)
    with pytest.raises(ValueError, match="step"):
        take_edits.set_step(notebook, take, 0)


def test_looks_and_names_are_free_ones():
    """A new body takes the first free colour and shape and a fresh id."""
    notebook, take = made.with_film()
    ids = []
    for name in ("a", "b", "c"):
        notebook, body = reading_edits.add_body(notebook, take, name)
        ids.append(body)
    notebook = reading_edits.remove_body(notebook, take, ids[1])
    notebook, again = reading_edits.add_body(notebook, take, "d")
    assert notebook.take(take).body(again).look == 1
    assert len({b.id for b in notebook.take(take).bodies}) == 3
    assert notebook.take(take).name == "run"


@given(st.lists(st.tuples(st.integers(0, 39), places, places), max_size=30), st.text(max_size=40))
@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_files_come_back_as_they_were(tmp_path, rows, remarks):
    """Saved and opened, a notebook is equal to itself, whatever was read or written in it."""
    notebook, take = made.with_film()
    notebook = made.scaled(notebook, take)
    notebook, body = reading_edits.add_body(notebook, take, "Bob")
    for frame, x, y in rows:
        notebook = reading_edits.place_reading(notebook, take, body, Reading(frame, x, y, None, "typed"))
    notebook = take_edits.set_remarks(notebook, remarks)
    save(notebook, tmp_path / "a.saltus")
    assert load(tmp_path / "a.saltus") == notebook


def test_the_file_is_readable_and_stable():
    """Indented JSON in a stable order, a reading per line: a diff shows the one reading that moved."""
    notebook, take, body, _segment = made.measured(30)
    moved = reading_edits.place_reading(notebook, take, body, Reading(7, 99.5, 201.25))
    before, after = as_text(notebook).splitlines(), as_text(moved).splitlines()
    changed = [(a, b) for a, b in zip(before, after, strict=True) if a != b]
    assert len(changed) == 1
    assert json.loads(changed[0][1].strip().rstrip(",")) == [
        7,
        99.5,
        201.25,
        None,
        "hand",
        "used",
        None,
        None,
    ]
    assert list(json.loads(as_text(notebook)))[:2] == ["format", "version"]
    assert "/" not in json.loads(as_text(notebook))["takes"][0]["film"]["name"]


def test_saving_is_whole_or_not_at_all(tmp_path, monkeypatch):
    """A failure while writing leaves the file as it was and no litter; the version before is kept."""
    notebook, _take, _body, _segment = made.measured(8)
    path = tmp_path / "a.saltus"
    save(notebook, path)
    changed = take_edits.set_title(notebook, "Changed")
    save(changed, path)
    assert load(path).title == "Changed"
    assert load(tmp_path / "a.saltus~") == notebook

    def full(_descriptor):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(NotebookError, match="No space left on device") as caught:
        save(take_edits.set_title(notebook, "Lost?"), path)
    assert "save it in another place" in str(caught.value)
    monkeypatch.undo()
    assert load(path).title == "Changed"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.saltus", "a.saltus~"]
    assert stat.S_IMODE(path.stat().st_mode) & 0o444
    with pytest.raises(NotebookError, match="could not be saved"):
        save(notebook, tmp_path / "nowhere" / "a.saltus")


def spoiled(change):
    """Text of a good notebook with one thing changed."""
    data = json.loads(as_text(made.measured(6)[0]))
    change(data)
    return json.dumps(data)


def take_of(data):
    """The only take of a notebook's data."""
    return data["takes"][0]


STRANGE = {
    "not JSON": lambda _d: None,
    "a newer version of another shape": lambda d: d.update(version=VERSION + 1, takes="elsewhere"),
    "another format": lambda d: d.update(format="recipe"),
    "an unknown field": lambda d: d.update(script="rm"),
    "a path for a film": lambda d: take_of(d)["film"].update(name="../../etc/passwd"),
    "a reading beyond the film": lambda d: take_of(d)["bodies"][0]["readings"].append(
        [99, 1.0, 1.0, None, "hand", False]
    ),
    "two readings in a frame": lambda d: take_of(d)["bodies"][0]["readings"].append(
        [2, 1.0, 1.0, None, "hand", False]
    ),
    "a place that is text": lambda d: take_of(d)["bodies"][0]["readings"][0].__setitem__(1, "left"),
    "a place beyond all numbers": lambda d: take_of(d)["bodies"][0]["readings"][0].__setitem__(1, 10**400),
    "a place out of this world": lambda d: take_of(d)["bodies"][0]["readings"][0].__setitem__(1, 1e300),
    "times out of order": lambda d: take_of(d)["facts"].update(ticks=[0, 2, 1, 3, 4, 5]),
    "a huge time base": lambda d: take_of(d)["facts"].update(time_base="1/0"),
    "a segment of nobody": lambda d: take_of(d)["segments"][0].update(body="body-7"),
    "a segment backwards": lambda d: take_of(d)["segments"][0].update(first=4, last=2),
    "an unknown model": lambda d: take_of(d)["segments"][0].update(model="magic"),
    "a negative uncertainty": lambda d: take_of(d)["bodies"][0].update(u_px=-1),
    "two takes with one id": lambda d: d["takes"].append(take_of(d)),
    "two bodies with one id": lambda d: take_of(d)["bodies"].append(take_of(d)["bodies"][0]),
}


@pytest.mark.parametrize("kind", STRANGE)
def test_strange_notebooks_are_refused_in_a_sentence(kind):
    """What a notebook cannot hold is named in one line, with the file's name."""
    text = "{" * 3 if kind == "not JSON" else spoiled(STRANGE[kind])
    with pytest.raises(NotebookError) as caught:
        parse(text, "a.saltus")
    assert "a.saltus" in str(caught.value)
    assert len(str(caught.value)) < 500
    if kind == "a newer version of another shape":
        assert "newer Saltus" in str(caught.value)


@given(st.recursive(st.none() | st.booleans() | st.floats() | st.text(max_size=8),
                    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
                    max_leaves=12), st.integers(0, 40))  # fmt: skip
@settings(max_examples=80, deadline=None)
def test_no_json_breaks_the_reader(value, where):
    """Any JSON at any place of a notebook opens or is refused, never more than that."""
    data = json.loads(as_text(made.measured(6)[0]))
    spots = []

    def walk(part):
        for key, inner in part.items() if isinstance(part, dict) else enumerate(part):
            spots.append((part, key))
            if isinstance(inner, (dict, list)):
                walk(inner)

    walk(data)
    part, key = spots[where * 7 % len(spots)]
    part[key] = value
    with contextlib.suppress(NotebookError):
        assert parse(json.dumps(data), "a.saltus").version == VERSION


def test_deep_and_constant_json(tmp_path):
    """Endless nesting, NaN, a huge or binary file: refused at once."""
    for text in ("[" * 100_000, '{"format": "saltus-notebook", "version": NaN}'):
        with pytest.raises(NotebookError):
            parse(text, "deep.saltus")
    (tmp_path / "b.saltus").write_bytes(b"\xff\xfe\x00\x01" * 50)
    with pytest.raises(NotebookError, match=r"b\.saltus"):
        load(tmp_path / "b.saltus")
    with pytest.raises(NotebookError, match="cannot be opened"):
        load(tmp_path / "gone.saltus")
    with (tmp_path / "huge.saltus").open("wb") as file:
        file.truncate(300 * 1024 * 1024)
    with pytest.raises(NotebookError, match="too large"):
        load(tmp_path / "huge.saltus")


def test_one_reading_among_many_is_cheap():
    """A reading among 100,000 is placed without touching the other chunks."""
    readings = Readings(Reading(n, float(n % 600), 1.0) for n in range(100_000))
    changed = readings.with_reading(Reading(50_000, 5.0, 5.0))
    kept = {id(chunk) for chunk in readings._chunks}
    assert sum(id(chunk) not in kept for chunk in changed._chunks) <= 2
    assert len(changed) == 100_000
    assert changed.at(50_000).x == 5.0


@pytest.mark.parametrize(
    "row", [(-1, 0, 0), (0, np.nan, 0), (0, 0, np.inf), (0, 2e5, 0), (0, 0, 0, 0.0), (0, 0, 0, 1.0, "guess")]
)
def test_readings_that_make_no_sense(row):
    """A reading that is no place in a picture is an error of its own at the point of entry."""
    with pytest.raises(ReadingError):
        Reading(*row)


def test_typed_lengths_keep_their_digits():
    """The label of the reference length shows what was typed, digits and unit included."""
    typed = Typed(value=1.0, unit="m", U95=0.001, U95_unit="m", text="1.000 m", U95_text="0.001")
    assert typed.words == "1.000 ± 0.001 m"
    assert Typed(value=30.5, unit="cm", U95=1, U95_unit="mm", text="30,50 cm").words == "30,50 cm ± 1 mm"
    assert Typed(value=2, unit="m", U95=0, U95_unit="m").words == "2 m"


def test_films_are_found_again(tmp_path):
    """Beside the notebook, or where this user last had it by its hash; never by a path in the notebook."""
    film = tmp_path / "films" / "run.mp4"
    film.parent.mkdir()
    film.write_bytes(b"first film")
    ref = reference(film)
    notebook, take_id = take_edits.add_take(Notebook(), ref, made.facts())
    save(notebook, tmp_path / "a.saltus")
    assert str(tmp_path) not in (tmp_path / "a.saltus").read_text()
    assert find(ref, tmp_path) == film
    beside = tmp_path / "run.mp4"
    beside.write_bytes(b"first film")
    assert find(ref, tmp_path) == beside
    assert missing(notebook, tmp_path) == []
    # moved into a folder nearby and renamed, it is known by size and hash
    beside.unlink()
    film.unlink()
    (tmp_path / "old").mkdir()
    renamed = tmp_path / "old" / "tuesday.mp4"
    renamed.write_bytes(b"first film")
    (tmp_path / "old" / "alike.mp4").write_bytes(b"other film")
    assert find(ref, tmp_path) == renamed
    renamed.unlink()
    film.write_bytes(b"other film!")
    assert "has changed" in missing(notebook, tmp_path)[0]
    film.unlink()
    assert notebook.take(take_id).name in missing(notebook, None)[0]
    assert "put it beside the notebook" in missing(notebook, None)[0]


def test_the_published_schema_is_the_one_of_the_model():
    """docs/notebook.schema.json is what the model says now."""
    published = Path(__file__).parents[2] / "docs" / "notebook.schema.json"
    assert published.read_text(encoding="utf-8") == schema_text(), "run make schema"
