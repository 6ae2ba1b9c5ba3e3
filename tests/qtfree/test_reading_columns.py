"""Readings as columns and lines: kept with their chunks from edit to edit, they are those of the rows."""

import json
import random
from dataclasses import fields

import made
import numpy as np

from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.reading_columns import ReadingColumns
from saltus.notebook.readings import CHUNK, Reading, Readings, readings_from_rows, row_of_reading
from saltus.notebook.storage import load
from saltus.session.session import Session


def drawn(rng, frame):
    """A reading of any kind."""
    u = rng.choice((None, 0.3))
    u_y = rng.choice((None, 0.5)) if u is not None else None
    origin = rng.choice(("hand", "typed", "followed"))
    run = rng.choice((None, "run-1")) if origin == "followed" else None
    status = rng.choice(("used", "used", "weak", "aside"))
    return Reading(frame, rng.uniform(0, 900), rng.uniform(0, 500), u, origin, status, u_y, run)


def assert_as_its_rows(readings):
    """Columns, lines and runs are those of readings made anew of the same rows."""
    rows = list(readings)
    fresh = Readings(rows)
    for ours, theirs in ((readings.columns, fresh.columns), (readings.used, fresh.used)):
        for one in fields(ReadingColumns):
            a, b = getattr(ours, one.name), getattr(theirs, one.name)
            assert np.array_equal(a, b, equal_nan=a.dtype.kind == "f"), one.name
    assert readings.columns.frame.tolist() == [r.frame for r in rows]
    assert readings.columns.of("weak").x.tolist() == [r.x for r in rows if r.status == "weak"]
    assert [json.loads(line) for line in readings.as_lines().splitlines()] == list(map(row_of_reading, rows))
    assert readings.runs == {r.run for r in rows if r.run}
    assert readings == fresh
    assert readings_from_rows(readings.as_rows()) == readings


def test_columns_follow_every_edit():
    """Placed, changed and taken away in any order, over several chunks; read back from rows of a file too."""
    rng = random.Random(4)
    readings = readings_from_rows([row_of_reading(drawn(rng, n)) for n in range(0, 6 * CHUNK, 2)])
    assert_as_its_rows(readings)
    for n in range(300):
        before = readings
        frame = rng.randrange(6 * CHUNK)
        readings = readings.without(frame) if n % 3 == 0 else readings.with_reading(drawn(rng, frame))
        if n % 40 == 0:
            assert_as_its_rows(readings)
            assert (readings == before) == (list(readings) == list(before))
    assert_as_its_rows(readings)
    unordered = [row_of_reading(drawn(rng, n)) for n in (5, 2, 9)]
    assert readings_from_rows(unordered).columns.frame.tolist() == [2, 5, 9]
    assert len(Readings().columns.frame) == 0


def test_what_is_edited_while_it_is_saved_is_not_lost(tmp_path):
    """The file holds the notebook as it was when saving began; what came since is unsaved, and in the journal."""
    session = Session()
    notebook, take, body, _segment = made.measured(6)
    session.start(notebook)

    def meanwhile(write):
        edited = reading_edits.place_reading(session.notebook, take, body, Reading(3, 1.0, 2.0))
        session.edit("place", edited)
        return write()

    session.save(tmp_path / "n.saltus", aside=meanwhile)
    assert load(tmp_path / "n.saltus") == notebook
    assert session.unsaved
    session.save(tmp_path / "n.saltus")
    assert not session.unsaved
    assert load(tmp_path / "n.saltus") == session.notebook
    session.close()
