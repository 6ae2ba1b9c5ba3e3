"""What the list of a batch says of a film: well, weak or failed, and why."""

from pathlib import Path

import cv2
import made
import numpy as np
import pytest
from clips import encode

from saltus.core.progress import finished
from saltus.exchange.batch_words import counts_words, handed_on_words, lacking_words, result_words
from saltus.footage.opening import facts_of
from saltus.jobs.batch_film import FilmDone
from saltus.notebook.edits import following as following_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import reference
from saltus.notebook.following import FrameRecord
from saltus.notebook.model import Notebook
from saltus.session.batch import batch, taken_in
from saltus.simulate.demo_runs import prepared, run_films


@pytest.fixture
def followed():
    """A template of 40 frames, followed; gives the notebook and the ids of take, body and segment."""
    notebook, take, body, segment = made.measured(40, noise_px=0.3, seed=3)
    notebook, run = following_edits.begin_run(
        notebook, take, body, method="pattern", box=(40, 190, 20, 20), point=(50, 200), start=0, end=39
    )
    records = tuple(FrameRecord(n, "found", 0.9) for n in range(40))
    notebook = following_edits.add_found(notebook, take, {body: following_edits.Block(run, records, ())})
    return notebook, take, body, segment


def line_of(notebook, take):
    """The line of the template's own film."""
    same, line = taken_in(notebook, take, FilmDone(Path("run-1.mp4"), template=True))
    assert same is notebook
    return line


def test_a_film_that_went_well(followed):
    """All frames found and the model followed: its result first, no word of warning."""
    notebook, take, *_ids = followed
    line = line_of(notebook, take)
    assert (line.state, line.problem, line.notes) == ("well", "", ())
    assert line.bodies == {"Cart": {"found": 40, "weak": 0, "lost": 0}}
    assert abs(float(line.results["acceleration"]) - 2.0) <= line.results["acceleration"].U95
    assert result_words(line).startswith("acceleration 2.0")
    assert counts_words(line) == "40 frames found"
    assert lacking_words(notebook.take(take)) == ""
    assert "no row of the table" in handed_on_words(notebook, notebook.take(take))


def test_honest_scatter_is_not_accused_and_an_impact_is(followed):
    """One film in twenty leaves more than χ² allows: not said. A stretch that is no such motion is."""
    notebook, take, body, segment = followed
    for seed in range(40):
        scattered, other, *_ids = made.measured(40, noise_px=1.0, seed=seed)
        assert line_of(scattered, other).notes == ()
    readings = notebook.take(take).body(body).readings
    t = np.arange(40) / made.RATE
    bounced = [r.but(x=50 + 500 * float(abs(0.5 - t[r.frame]))) for r in readings]
    struck = notebook.take(take)
    struck = struck.but(bodies=(struck.body(body).but(readings=type(readings)(bounced)),))
    line = line_of(notebook.but(takes=(struck,)), take)
    assert line.state == "weak"
    assert "does not follow the template’s model" in line.notes[0]
    assert segment in {s.id for s in struck.segments}


def test_doubt_and_loss_are_counted_and_a_stretch_that_is_missing_fails(followed):
    """Frames in doubt or not seen make a film one to look at; parameters of other segments have their names."""
    notebook, take, body, segment = followed
    run = notebook.take(take).body(body).runs[0].id
    records = (FrameRecord(5, "weak", 0.6, ("likeness",)), FrameRecord(6, "lost"))
    doubtful = following_edits.add_found(notebook, take, {body: following_edits.Block(run, records, ())})
    line = line_of(doubtful, take)
    assert line.state == "weak"
    assert counts_words(line) == "38 frames found, 1 doubtful, 1 not seen"
    notebook, rest = segment_edits.add_segment(
        notebook, take, body, of="y", frames=(0, 39), model="constant-velocity"
    )
    notebook = segment_edits.choose_headline(notebook, take, segment)
    line = line_of(notebook, take)
    assert {f"{rest}.velocity", "velocity", "acceleration"} <= set(line.results)
    assert (
        FilmDone(Path("a.mp4"), "why").problem
        == taken_in(notebook, take, FilmDone(Path("a.mp4"), "why"))[1].problem
    )


def two_balls(path, start, speeds, frames=24):
    """A film of two balls with marks of their own that move apart, over a ground with shade."""
    rng = np.random.default_rng(8)
    ground = cv2.resize(rng.integers(40, 110, (9, 16, 3), dtype=np.uint8), (480, 270))
    pictures = []
    for n in range(frames):
        picture = ground.copy()
        for (x, y), v, inner in zip(start, speeds, ((30, 30, 30), (250, 60, 60)), strict=True):
            at = (round(16 * (x + v * n)), round(16 * y))
            cv2.circle(picture, at, 12 * 16, (235, 235, 235), -1, cv2.LINE_AA, 4)
            cv2.circle(picture, at, 5 * 16, inner, -1, cv2.LINE_AA, 4)
        pictures.append(cv2.GaussianBlur(picture, (0, 0), 0.8))
    encode(path, pictures, options={"crf": "16"})


def test_two_bodies_are_found_each_by_its_own_look(tmp_path):
    """Both boxed in the template; in the other film they start elsewhere and have changed sides."""
    first, second = tmp_path / "a.mp4", tmp_path / "b.mp4"
    starts = [(100.0, 80.0), (120.0, 190.0)], [(140.0, 185.0), (90.0, 70.0)]
    two_balls(first, starts[0], (4.0, 2.5))
    two_balls(second, starts[1], (3.0, 5.0))
    notebook, take = take_edits.add_take(Notebook(), reference(first), facts_of(first))
    for name, (x, y) in zip(("Dark", "Red"), starts[0], strict=True):
        notebook, body = reading_edits.add_body(notebook, take, name)
        notebook, _run = following_edits.begin_run(
            notebook,
            take,
            body,
            method="pattern",
            box=(x - 14, y - 14, 28, 28),
            point=(x, y),
            start=0,
            end=23,
        )
    outcome = finished(batch(notebook, take, tmp_path, [second]))
    (line,) = outcome.lines
    assert line.problem == ""
    assert line.bodies == {name: {"found": 24, "weak": 0, "lost": 0} for name in ("Dark", "Red")}
    like = outcome.notebook.takes[1]
    for body, (x, y), speed in zip(like.bodies, starts[1], (3.0, 5.0), strict=True):
        used = body.readings.used
        assert used.x == pytest.approx(x + speed * np.arange(24), abs=0.5)
        assert used.y == pytest.approx([y] * 24, abs=0.5)
    # the template was only boxed: it is followed, too, and is no line of its own
    assert all(len(body.readings) == 24 for body in outcome.notebook.takes[0].bodies)


def test_takes_that_are_there_are_filled_and_measured_ones_left():
    """An open film that was not read yet becomes no second take; one that was is told and not touched."""
    paths = run_films()[:3]
    notebook, take = prepared(paths)
    notebook, waiting = take_edits.add_take(notebook, reference(paths[1]), facts_of(paths[1]), "Second")
    outcome = finished(batch(notebook, take, None, paths[:2]))
    assert [t.id for t in outcome.notebook.takes] == [take, waiting]
    second = outcome.notebook.take(waiting)
    assert second.name == "Second"
    assert second.camera == take
    assert len(second.bodies[0].readings) == 60
    assert second.segments
    again = finished(batch(outcome.notebook, take, None, paths))
    assert "as “Second”: it is left as it is" in again.lines[1].problem
    assert again.lines[0].state == again.lines[2].state == "well"
    assert again.notebook.take(waiting) is second
    assert len(again.notebook.takes) == 3


def test_the_film_of_the_template_is_known_among_the_films_though_one_of_them_is_gone(tmp_path):
    """Moved and renamed, it is found by its content; the film that is gone is told and stops nothing."""
    there, moved = tmp_path / "first.mp4", tmp_path / "a" / "b" / "c" / "renamed.mp4"
    there.write_bytes(run_films()[0].read_bytes() + b"\0\0\0\x08free")
    notebook, take_id = prepared([there])
    moved.parent.mkdir(parents=True)
    there.rename(moved)
    gone, known = finished(batch(notebook, take_id, None, [tmp_path / "gone.mp4", moved])).lines
    assert "gone.mp4" in gone.problem
    assert (known.take, known.problem) == (take_id, "")
