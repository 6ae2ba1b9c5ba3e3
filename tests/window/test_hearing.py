"""Sound alone, sound that ends early, sound of a film that is gone: what can be heard is timed."""

import made
import numpy as np
import pytest
import sounds
from clips import numbered_picture
from conftest import keys, timing
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from saltus.footage.opening import facts_of
from saltus.notebook.derived.times import bracket_of, interval_value
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook, TakeFacts

KEY = Qt.Key


def test_a_recording_of_sound_alone_is_timed(window, recorded, qtbot):
    """Opened as a film is; no picture, the same lanes; intervals to a millisecond."""
    window.desk.start(Notebook())
    window.desk.open_film(recorded / "drum.wav")
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    window.go_to("time")
    stage = window.time
    qtbot.waitUntil(lambda: stage.sounds.of(window.desk.take) is not None)
    assert "next sound" in stage.next.text()
    assert stage.sounds.problem(window.desk.take) == ""
    keys(qtbot, stage, KEY.Key_N, KEY.Key_Return, KEY.Key_N, KEY.Key_Return)
    stage.instants.keep()
    q = interval_value(window.desk.take, timing(window).intervals[0])
    assert abs(float(q) - 0.5) <= q.U95 < 1e-3
    window.grab()


def test_sound_that_ends_before_the_picture_says_so(window, tmp_path, qtbot):
    """What there is is heard and drawn; beyond its end the lane is empty, and a sentence stands in it."""
    path = tmp_path / "short.mov"
    pictures = [numbered_picture(i, 96, 64) for i in range(60)]
    sounds.write_film(path, pictures, sounds.knocks([0.31], 0.8, seed=4, noise=0.0005))
    window.desk.start(Notebook())
    window.desk.open_film(path)
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    window.go_to("time")
    qtbot.waitUntil(lambda: window.time.sounds.of(window.desk.take) is not None)
    heard = window.time.sounds.of(window.desk.take)
    assert heard.warnings == ("The sound is shorter than the picture.",)
    assert [o[0] for o in heard.onsets] == pytest.approx([0.31], abs=2e-3)
    assert heard.end_s == pytest.approx(0.8, abs=0.01)
    low, _high = heard.extremes(1.0, 2.0, 50)
    assert np.isnan(low).all()
    window.grab()
    # far beyond the sound nothing is to be taken
    window.desk.go_to_frame(50)
    keys(qtbot, window.time, KEY.Key_Return)
    assert not timing(window).instants


def test_a_film_that_is_gone_is_not_listened_to_for_ever(window, recorded, tmp_path, qtbot):
    """The lane says why it is empty; once the film is back, so is its sound."""
    path = tmp_path / "gone.mov"
    path.write_bytes((recorded / "drum.mov").read_bytes())
    notebook, take_id = made.with_film(Notebook(title="Drum"))
    take = notebook.take(take_id).but(film=reference(path), facts=TakeFacts.of(facts_of(path)))
    path.unlink()
    window.desk.start(notebook.but(takes=(take,)), tmp_path / "n.saltus")
    window.go_to("time")
    qtbot.waitUntil(lambda: window.time.sounds.problem(window.desk.take) != "")
    assert "gone.mov" in window.time.sounds.problem(window.desk.take)
    window.grab()
    path.write_bytes((recorded / "drum.mov").read_bytes())
    window.go_to("film")
    window.go_to("time")
    qtbot.waitUntil(lambda: window.time.sounds.of(window.desk.take) is not None)
    assert window.time.sounds.problem(window.desk.take) == ""


def test_the_demo_that_is_heard_is_one_click_from_the_start(window, qtbot):
    """From the start page onto Time, with its instants, its sound and a measured hand."""
    window.desk.start(Notebook())
    window.go_to("start")
    (link,) = (b for b in window.start.findChildren(QPushButton) if b.text() == "Time what is heard")
    qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.stage == "time")
    qtbot.waitUntil(lambda: window.time.sounds.of(window.desk.take) is not None)
    assert len(timing(window).instants) == 4
    assert [hand.name for hand in window.desk.notebook.hands] == ["Heron"]
    keys(qtbot, window.time, KEY.Key_N, KEY.Key_Return)
    heard, seen = timing(window).instants[-1], timing(window).instants[0]
    # the first landing as it was heard lies within the frames between which it was seen
    low, high = bracket_of(window.desk.take, seen)
    assert low <= heard.at <= high + 0.002
