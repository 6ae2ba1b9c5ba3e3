"""Long work belongs to the notebook it was started for; what was meant for another never joins this one."""

import threading

import made
import numpy as np
from conftest import PATIENCE_MS
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QImage, QPainter

from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.printing.pictures import draw_readings
from saltus.ui.desk import film_checks, film_opening
from saltus.ui.log import stage as log_module


def held(monkeypatch, place, name):
    """Let a function wait until it is let go; gives what lets it go, and what tells that it began."""
    go, began, real = threading.Event(), threading.Event(), getattr(place, name)

    def wait():
        began.set()
        go.wait(PATIENCE_MS / 1000)

    def slowly(*words, **more):
        wait()
        return real(*words, **more)

    def steps(*words, **more):
        wait()
        return (yield from real.steps(*words, **more))

    slowly.steps = steps
    monkeypatch.setattr(place, name, slowly)
    return go, began


def test_a_film_that_was_opened_for_another_notebook_does_not_join_this_one(window, clip, qtbot, monkeypatch):
    """The person is told, and opens it again where it is wanted."""
    go, began = held(monkeypatch, film_opening, "facts_of")
    window.desk.open_film(clip)
    qtbot.waitUntil(began.is_set)
    window.desk.start(Notebook(title="Another"))
    go.set()
    qtbot.waitUntil(lambda: "notebook open before" in window.messages.text())
    assert not window.desk.notebook.takes


def test_a_log_that_was_read_for_another_notebook_does_not_join_this_one(
    window, tmp_path, qtbot, monkeypatch
):
    """Nor does it take the place of one that has its id."""
    (tmp_path / "force.csv").write_text("time [s],force [N]\n0,1\n0.1,2\n0.2,1\n")
    go, began = held(monkeypatch, log_module, "read_any_table")
    window.log.open_path(tmp_path / "force.csv")
    qtbot.waitUntil(began.is_set)
    window.desk.start(Notebook(title="Another"))
    go.set()
    qtbot.waitUntil(lambda: "notebook open before" in window.messages.text())
    assert not window.desk.notebook.logs


def test_a_check_of_films_stays_with_its_notebook(window, clip_notebook, clip, qtbot, monkeypatch):
    """What one check finds is not told of the take of the same id elsewhere, whose own check begins at once."""
    unchecked = clip_notebook.takes[0].facts.but(checked=False)
    first = clip_notebook.but(takes=(clip_notebook.takes[0].but(facts=unchecked),))
    go, began = held(monkeypatch, film_checks, "facts_of")
    window.desk.start(first, clip.with_name("n.saltus"))
    qtbot.waitUntil(began.is_set)
    began.clear()
    second = first.but(title="Another")
    window.desk.start(second, clip.with_name("other.saltus"))
    qtbot.waitUntil(began.is_set)
    assert not window.desk.notebook.takes[0].facts.checked
    go.set()
    qtbot.waitUntil(lambda: window.desk.notebook.takes[0].facts.checked)
    assert window.desk.notebook.title == "Another"


def test_a_film_that_is_shown_again_has_its_thumbnails(window, clip, clip_notebook, tmp_path, qtbot):
    """While it was missing none could be made; then they come. Those of a notebook before never come."""
    away = tmp_path / "elsewhere" / "far down" / "away.mp4"
    away.parent.mkdir(parents=True)
    clip.rename(away)
    window.desk.start(clip_notebook, clip.with_name("n.saltus"))
    take = window.desk.take_id
    qtbot.waitUntil(lambda: take in window.desk.film_problems)
    assert not window.desk.thumbs.get(take)
    window.desk.show_film_again(take, away)
    qtbot.waitUntil(lambda: len(window.desk.thumbs[take]) == 10)
    # another film with the same id: the pictures of the first are not taken for its own
    other, _take = made.with_film(frames=30)
    window.desk.start(other)
    qtbot.wait(200)
    assert not window.desk.thumbs.get(take)


def ring_width(u):
    """How wide the ring of a reading is on a printed frame, px; its own uncertainty, where it has one."""
    notebook, take = made.with_film()
    notebook, body = reading_edits.add_body(notebook, take, "Cart")
    notebook = reading_edits.place_reading(notebook, take, body, Reading(3, 100.0, 100.0, u))
    image = QImage(200, 200, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    draw_readings(painter, notebook.take(take), 3, QPointF, 10.0)
    painter.end()
    drawn = np.array([[image.pixelColor(x, 100).lightness() < 250 for x in range(200)]])
    across = np.flatnonzero(drawn.any(axis=0))
    return int(across[-1] - across[0])


def test_a_printed_frame_knows_how_sure_each_reading_is():
    """A reading that is twice as unsure as the body's others has a ring twice as wide."""
    assert ring_width(2.0) > ring_width(1.0) + 30
    assert ring_width(1.0) == ring_width(None)
