"""Motion: segments by drag and by keys, models judged, results chosen; what is shown is what is computed."""

import made
import numpy as np
import pytest
from conftest import drag_to
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel

from saltus.core.statement import stated
from saltus.notebook.derived.motion import headline, segment_fit
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.readings import Reading, Readings
from saltus.ui.app.result_popup import ResultPopup
from saltus.ui.kit.still import Still

KEY = Qt.Key


@pytest.fixture
def stage(window, qtbot):
    """The Motion stage with a read body, at rest for 12 frames, then pushed, and no segment yet."""
    notebook, take = made.with_film(frames=40)
    notebook = made.scaled(notebook, take)
    notebook, body = reading_edits.add_body(notebook, take, "Cart")
    notebook = reading_edits.set_reading_uncertainty(notebook, take, body, 0.3)
    for n in range(40):
        t = max(n - 12, 0) / made.RATE
        notebook = reading_edits.place_reading(
            notebook, take, body, Reading(n, 60 + 500 * t**2 + 0.2 * (n % 2), 200.0)
        )
    window.desk.start(notebook)
    window.go_to("motion")
    qtbot.waitUntil(lambda: "position" in window.motion.lanes._plots)
    return window.motion


def drag_over(qtbot, lanes, first, last, box="position"):
    """Drag over a stretch of frames in a lane."""
    plot = lanes._plots["position"]
    y = round(lanes._boxes[box].center().y())
    spots = [QPoint(round(plot.px(n / made.RATE)), y) for n in (first, (first + last) / 2, last)]
    qtbot.mousePress(lanes, Qt.MouseButton.LeftButton, pos=spots[0])
    for spot in spots[1:]:
        drag_to(lanes, spot)
    qtbot.mouseRelease(lanes, Qt.MouseButton.LeftButton, pos=spots[-1])


def test_a_drag_makes_a_segment_with_the_simplest_model(stage, window, qtbot):
    """Rest where it rests, constant acceleration where it is pushed; the verdicts stand on the cards."""
    desk, lanes = window.desk, stage.lanes
    assert "Drag over the readings" in stage.next.text()
    assert lanes.axis == "x"
    drag_over(qtbot, lanes, 0.2, 11.8)
    (rest,) = desk.take.segments
    assert (rest.first, rest.last, rest.model) == (0, 12, "rest")
    assert stage.segment_panel.models["rest"]._verdict.text() == "fits, simplest"
    drag_over(qtbot, lanes, 13, 39)
    pushed = desk.take.segments[1]
    assert (pushed.first, pushed.last, pushed.model) == (13, 39, "constant-acceleration")
    assert stage.segment_panel.models["rest"]._verdict.text() == "does not fit"
    value = headline(desk.take)[1]
    assert float(value) == pytest.approx(2.0, rel=0.01)
    assert stated(float(value), value.U95, value.unit) in window.strip.pill.accessibleName()
    drag_over(qtbot, lanes, 20.05, 20.45)
    assert len(desk.take.segments) == 2
    assert "at least two readings" in window.messages.text()


def test_edges_snap_to_frames_and_models_can_be_chosen(stage, window, qtbot):
    """An end of the bar is dragged to a frame; another model is fitted and judged; all of it undone."""
    desk, lanes = window.desk, stage.lanes
    drag_over(qtbot, lanes, 13, 39)
    qtbot.waitUntil(lambda: "residuals" in lanes._plots)
    lanes.repaint()
    drag_over(qtbot, lanes, 39, 30.2, "segments")
    assert desk.take.segments[0].last == 30
    stage.segment_panel._choose_model("constant-velocity")
    assert desk.take.segments[0].model == "constant-velocity"
    assert stage.segment_panel._advice.isVisible()
    assert "Look at frames" in stage.segment_panel._advice_words.text()
    fit = segment_fit(desk.take, desk.take.segments[0])
    assert fit.basis == "enlarged"
    velocity = fit.parameters["velocity"]
    words = stated(float(velocity), velocity.U95, velocity.unit)
    qtbot.waitUntil(
        lambda: words in {w.text() for w in stage.segment_panel._card.findChildren(QLabel) if w.isVisible()}
    )
    desk.undo()
    desk.undo()
    assert (desk.take.segments[0].last, desk.take.segments[0].model) == (39, "constant-acceleration")
    desk.redo()
    assert desk.take.segments[0].last == 30


def test_the_result_is_chosen_and_segments_go(stage, window, qtbot):
    """Another segment can be the headline; removing it leaves the readings; the popup tells how it was made."""
    desk, lanes = window.desk, stage.lanes
    drag_over(qtbot, lanes, 13, 39)
    drag_over(qtbot, lanes, 0, 12)
    first, second = desk.take.segments
    assert desk.take.headline == second.id
    desk.choose_segment(first.id)
    assert stage.segment_panel._headline.isVisible()
    stage.segment_panel._make_headline()
    assert desk.take.headline == first.id
    assert not stage.segment_panel._headline.isVisible()
    qtbot.mouseClick(window.strip.pill, Qt.MouseButton.LeftButton)
    popup = next(p for p in window.findChildren(ResultPopup))
    words = " ".join(w.text() for w in popup.findChildren(QLabel))
    assert "How this was made" in words
    assert "k = 1.96" in words
    assert "from a length of 1.000 ± 0.002 m" in words
    popup.close()
    qtbot.keyClick(lanes, KEY.Key_Delete)
    assert [s.id for s in desk.take.segments] == [second.id]
    assert len(desk.body.readings) == 40


def test_motion_without_a_mouse(stage, window, qtbot):
    """Enter takes the whole record as the first segment, arrows move the cursor, F6 goes to the choosers."""
    lanes, desk = stage.lanes, window.desk
    qtbot.keyClick(lanes, KEY.Key_Return)
    assert (desk.take.segments[0].first, desk.take.segments[0].last) == (0, 39)
    qtbot.keyClick(lanes, KEY.Key_Right)
    assert desk.frame == 1
    qtbot.keyClick(window, KEY.Key_F6)
    assert stage._axis.hasFocus()
    qtbot.keyClick(stage._axis, KEY.Key_Down)
    assert lanes.axis == "y"
    assert lanes.segments() == []


def test_a_click_moves_the_cursor_and_enlarges_a_lane(stage, window, qtbot):
    """A click in a lane goes to that frame; a click on its numbers makes the lane tall."""
    lanes, desk = stage.lanes, window.desk
    plot = lanes._plots["position"]
    y = round(lanes._boxes["velocity"].center().y())
    qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(plot.px(25 / made.RATE)), y))
    assert desk.frame == 25
    low = lanes._boxes["velocity"].height()
    qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(20, y))
    lanes.repaint()
    assert lanes._boxes["velocity"].height() > 1.5 * low


def test_too_little_to_fit_says_so(window, qtbot):
    """Two readings, no body, a take without readings: sentences, never a number and never a crash."""
    notebook, take = made.with_film()
    window.desk.start(notebook)
    window.go_to("motion")
    assert "at least three frames" in window.motion.next.text()
    notebook, body = reading_edits.add_body(notebook, take, "Cart")
    for n in range(2):
        notebook = reading_edits.place_reading(notebook, take, body, Reading(n, 10.0 * n, 5.0))
    notebook, _segment = segment_edits.add_segment(
        notebook, take, body, of="x", frames=(0, 1), model="constant-acceleration"
    )
    window.desk.start(notebook)
    window.motion.refresh()
    assert window.motion.segment_panel.models["constant-acceleration"]._verdict.text() == "too few readings"
    assert window.strip.pill.accessibleName().startswith("No result yet")
    window.motion.grab()
    qtbot.keyClick(window.motion.lanes, KEY.Key_Left)
    assert window.desk.frame == 0


def test_an_edit_among_many_readings_is_painted_where_it_shows(window, qtbot, monkeypatch):
    """Only a narrow part is painted again, and the lanes look to the pixel as painted anew."""
    frames, rng = 2000, np.random.default_rng(3)
    notebook, take = made.with_film(frames=frames)
    notebook, body = reading_edits.add_body(made.scaled(notebook, take), take, "Cart")
    x = 300 + 200 * np.sin(np.arange(frames) / 60) + rng.normal(0, 0.5, frames)
    rows = Readings(Reading(n, float(x[n]), 200.0) for n in range(frames))
    before = notebook.take(take)
    window.desk.start(notebook.but(takes=(before.but(bodies=(before.bodies[0].but(readings=rows),)),)))
    window.go_to("motion")
    lanes, parts = window.motion.lanes, []
    qtbot.waitUntil(lambda: "position" in lanes._plots)
    told = type(lanes)._changed
    monkeypatch.setattr(type(lanes), "_changed", lambda *asked: parts.append(told(*asked)) or parts[-1])
    for n in (240, 900, 1500):
        moved = Reading(n, float(x[n]) + 1.0, 200.0)
        window.desk.edit("move", reading_edits.place_reading(window.desk.notebook, take, body, moved))
        patched = lanes.grab().toImage()
        lanes._still = Still()
        assert lanes.grab().toImage() == patched
    narrow = [part for part in parts if part is not None and 0 < part.width() < 60]
    assert len(narrow) == 3
    # what stretches the axis, another mode and a segment have all painted anew
    parts.clear()
    far = Reading(700, 2000.0, 200.0)
    window.desk.edit("move", reading_edits.place_reading(window.desk.notebook, take, body, far))
    lanes.grab()
    made_anew, _segment = segment_edits.add_segment(window.desk.notebook, take, body, of="x", frames=(0, 30))
    window.desk.edit("segment", made_anew)
    lanes.grab()
    assert parts == [None, None]
