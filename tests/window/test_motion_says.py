"""Motion says what it is: models by family, swings, events, points and proposals, by mouse and by keys."""

from fractions import Fraction

import made
import moved
import numpy as np
import pytest
import tables
from conftest import menu_click
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from saltus.notebook.derived.before_after import event_found
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.edits import logs
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.logs import Channel
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.simulate.demo import demo_notebook
from saltus.simulate.sensors import SENSORS
from saltus.ui.kit.widgets import Field

KEY = Qt.Key
RATE = 60


def bodies(notebook, take, **tracks):
    """Read bodies in every frame: places in m from the origin as (x, y)."""
    ids = []
    for name, (x, y) in tracks.items():
        notebook, body = reading_edits.add_body(notebook, take, name)
        notebook = reading_edits.set_reading_uncertainty(notebook, take, body, 0.2)
        for n in range(len(x)):
            place = Reading(n, 50 + 500 * float(x[n]), 300 - 500 * float(y[n]))
            notebook = reading_edits.place_reading(notebook, take, body, place)
        ids.append(body)
    return notebook, ids


def shown_with(window, qtbot, notebook):
    """The Motion stage on a notebook, painted."""
    window.desk.start(notebook)
    window.go_to("motion")
    qtbot.waitUntil(lambda: "position" in window.motion.lanes._plots)
    return window.motion


@pytest.fixture
def swing(window, qtbot):
    """A swing that dies away, with a segment over all of it."""
    rng, t = np.random.default_rng(1), np.arange(240) / RATE
    notebook, take = made.with_film(frames=240, time_base=Fraction(1, RATE))
    notebook = made.scaled(notebook, take)
    x = 0.5 + 0.2 * np.exp(-0.1 * t) * np.cos(5 * t) + rng.normal(0, 0.0004, 240)
    notebook, (body,) = bodies(notebook, take, Bob=(x, np.full(240, 0.3)))
    notebook, _segment = segment_edits.add_segment(notebook, take, body, of="x", frames=(0, 239))
    return shown_with(window, qtbot, notebook)


def words_of(widget):
    """All words a widget shows."""
    return " ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def test_a_family_of_models_is_chosen_and_a_swing_told(swing, window, qtbot):
    """Swings from the list, a card by a click; passings, both periods and what more would bring appear."""
    panel = swing.segment_panel
    assert panel.models["rest"].isVisible()
    assert not panel.models["oscillation"].isVisible()
    assert not panel.swing.isVisible()
    panel._family.setFocus()
    qtbot.keyClick(panel._family, KEY.Key_Down)
    assert panel.models["oscillation"].isVisible()
    assert not panel.models["rest"].isVisible()
    assert panel.models["oscillation"]._verdict.text() == "does not fit"
    assert panel.models["damped-oscillation"]._verdict.text() == "fits, simplest"
    assert "5 parameters" in panel.models["damped-oscillation"]._button.toolTip()
    assert window.desk.take.segments[0].model == "constant-acceleration", "looking chooses nothing"
    qtbot.mouseClick(panel.models["damped-oscillation"]._button, Qt.MouseButton.LeftButton)
    assert window.desk.take.segments[0].model == "damped-oscillation"
    for words in (
        "period",
        "Would more swings help?",
        "from the model, all readings",
        "They agree.",
        "60 readings a second",
    ):
        qtbot.waitUntil(lambda words=words: words in words_of(panel))
    window.resize(1280, 800)
    swing.refresh()
    assert swing.swing_charts.isVisible()
    assert "for a drift" in swing.swing_charts.accessibleName()
    swing.swing_charts.grab()
    window.resize(1024, 680)
    qtbot.waitUntil(lambda: window.height() < 720)
    swing.refresh()
    assert not swing.swing_charts.isVisible()
    assert "T = 1.25" in window.strip.pill.accessibleName()
    swing.lanes.grab()
    window.desk.undo()
    assert window.desk.take.segments[0].model == "constant-acceleration"
    assert not panel.swing.isVisible()


def test_coordinates_and_models_of_both(swing, window, qtbot):
    """Angle, radius and path can be looked at; a model of x and y makes the segment one of both, and back."""
    panel = swing.segment_panel
    for of in ("angle", "radius", "path", "x"):
        swing._axis.setCurrentIndex(swing._axis.findData(of))
        swing._choose_axis()
        swing.lanes.grab()
        assert swing.lanes.axis == of
        assert len(swing.lanes.segments()) == (of == "x")
    panel._family.setCurrentIndex(panel._family.findData("plane"))
    panel._choose_family()
    qtbot.mouseClick(panel.models["projectile"]._button, Qt.MouseButton.LeftButton)
    segment = window.desk.take.segments[0]
    assert (segment.model, segment.of) == ("projectile", "xy")
    swing.lanes.grab()
    assert "does not fit" in words_of(panel)
    panel._family.setCurrentIndex(panel._family.findData("steady"))
    panel._choose_family()
    qtbot.mouseClick(panel.models["rest"]._button, Qt.MouseButton.LeftButton)
    assert window.desk.take.segments[0].of == swing.lanes.axis


def test_the_origin_goes_to_the_centre_of_a_circle(window, qtbot):
    """A mark that runs round somewhere: its circle fitted, the origin put there, then it has an even angle."""
    t = np.arange(60) / RATE
    notebook, take = made.with_film(frames=60, time_base=Fraction(1, RATE))
    notebook = made.scaled(notebook, take)
    x, y = 0.4 + 0.1 * np.cos(5 * t), 0.3 + 0.1 * np.sin(5 * t)
    notebook, (body,) = bodies(notebook, take, Mark=(x, y))
    notebook, _segment = segment_edits.add_segment(
        notebook, take, body, of="xy", frames=(0, 59), model="circle"
    )
    stage = shown_with(window, qtbot, notebook)
    assert stage.lanes.axis in ("x", "y")
    panel = stage.segment_panel
    assert "radius" in words_of(panel)
    qtbot.mouseClick(panel.pivot, Qt.MouseButton.LeftButton)
    axes = window.desk.take.axes
    assert axes.origin == pytest.approx((50 + 200, 300 - 150), abs=0.1)
    assert 0 < axes.u_origin_px < 0.1
    motion = body_motion(window.desk.take, window.desk.take.bodies[0])
    assert np.diff(motion.of("angle").value) == pytest.approx(np.full(59, 5 / RATE), abs=1e-4)
    assert motion.of("radius").value == pytest.approx(np.full(60, 0.1), abs=1e-4)
    window.desk.undo()
    assert window.desk.take.axes.origin == (50.0, 300.0)


def test_the_window_of_local_fits_is_chosen_with_advice(swing, qtbot):
    """Widths on offer with the advised one named; another makes velocities surer; the lanes shade it."""
    chooser = swing._window
    chooser.setFocus()
    offered = {chooser.itemData(i): chooser.itemText(i) for i in range(chooser.count())}
    # so steady a hand reads so quick a swing that more than five readings would bend the velocity
    assert [n for n, words in offered.items() if "advised" in words] == [5]
    assert swing.lanes.fit_window == 5
    swing.lanes.grab()
    before = swing.lanes._plots["acceleration"].y_range
    while chooser.currentData() != 21:
        qtbot.keyClick(chooser, KEY.Key_Down)
    assert swing.lanes.fit_window == 21
    swing.lanes.grab()
    after = swing.lanes._plots["acceleration"].y_range
    assert after[1] - after[0] < before[1] - before[0], "what noise added at the edges is gone"


def test_a_body_at_the_origin_has_no_angle(window, qtbot):
    """The lanes say so in place of drawing one; other coordinates are still there."""
    notebook, take = made.with_film(frames=30)
    notebook = made.scaled(notebook, take)
    notebook, _ids = bodies(notebook, take, Hub=(np.zeros(30), np.zeros(30)))
    stage = shown_with(window, qtbot, notebook)
    for of in ("angle", "x"):
        stage._axis.setCurrentIndex(stage._axis.findData(of))
        stage._choose_axis()
        stage.lanes.grab()
        stage.choose("points")
        assert ("choose another point" in words_of(stage.points_panel)) == (of == "angle")
        stage.choose("segment")


@pytest.fixture
def pucks(window, qtbot):
    """Two pucks that stick, read with their hand and their impact, no segment yet."""
    rng, t = np.random.default_rng(2), np.arange(120) / RATE
    notebook, take = made.with_film(
        tables.table("inelastic-collision", [{}]), frames=120, time_base=Fraction(1, RATE)
    )
    notebook = made.scaled(notebook, take)
    first = 0.5 + moved.struck(t, 1.0, 0.4, 0.2) + rng.normal(0, 0.0004, 120)
    second = 0.6 + moved.struck(t, 1.0, 0.0, 0.2) + rng.normal(0, 0.0004, 120)
    notebook, _ids = bodies(
        notebook, take, Felt=(first, np.full(120, 0.2)), Brass=(second, np.full(120, 0.2))
    )
    return shown_with(window, qtbot, notebook)


def test_an_impact_from_proposal_to_table(pucks, window, qtbot, monkeypatch):
    """Propose segments for both bodies, carry them to the impact, type masses, send: all with the mouse."""
    desk, panel = window.desk, pucks.event_panel
    pucks.choose("event")
    assert not panel._make.isVisible()
    assert "Lay a segment" in pucks.next.text()
    pucks.choose("segment")
    for body in desk.take.bodies:
        desk.choose_body(body.id)
        qtbot.mouseClick(pucks._proposing, Qt.MouseButton.LeftButton)
        assert "2 stretches were found" in window.messages.text()
        assert "Impact " in window.messages.text() or body.name == "Brass"
    models = [s.model for s in desk.take.segments]
    assert models[2] == "rest"
    assert all(model.startswith("constant-") for model in (*models[:2], models[3]))
    qtbot.mouseClick(pucks._modes["event"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(panel._make, Qt.MouseButton.LeftButton)
    (event,) = desk.take.events
    assert len(event.sides) == 2
    assert "what lies between the segments is left out" in words_of(panel)
    qtbot.waitUntil(lambda: "at rest" in words_of(panel))
    assert not panel.momentum.isVisible()
    assert "Type what each body weighs" in pucks.next.text()
    field = {f.accessibleName(): f for f in panel.findChildren(Field)}
    field["Mass of Felt"].setFocus()
    qtbot.keyClicks(field["Mass of Felt"], "0.182(2) kg")
    qtbot.keyClick(field["Mass of Felt"], KEY.Key_Tab)
    assert field["Mass of Brass"].hasFocus(), "what was typed left the next field where it is"
    qtbot.keyClicks(field["Mass of Brass"], "0.190(2) g")
    qtbot.keyClick(field["Mass of Brass"], KEY.Key_Return)
    assert "They differ" in panel.momentum.verdict.text()
    assert desk.take.events[0].sides[0].inertia == "0.182(2) kg"
    field["Mass of Brass"].selectAll()
    qtbot.keyClicks(field["Mass of Brass"], "0.190(2) kg")
    qtbot.keyClick(field["Mass of Brass"], KEY.Key_Return)
    assert panel.momentum.isVisible()
    found = event_found(desk.take, desk.take.events[0])
    assert "Agree" in panel.momentum.verdict.text() or found.momentum.compared.agree is not True
    assert "Energy lost: 4" in panel.energy.verdict.text()
    assert panel.momentum.bars.accessibleName().startswith("before ")
    panel.grab()
    pucks.lanes.grab()
    menu_click(monkeypatch, "Felt, just before")
    qtbot.mouseClick(panel.send, Qt.MouseButton.LeftButton)
    trial = desk.notebook.trials.trials[0]
    assert any(link.kind == "event" for link in trial.links.values())
    menu_click(monkeypatch, "All into one row")
    qtbot.mouseClick(panel.send, Qt.MouseButton.LeftButton)
    row = desk.notebook.trials.trials[-1]
    assert {"v1_before", "v_after"} <= row.links.keys()
    panel._level.setCurrentIndex(3)
    panel._set_level()
    assert desk.take.events[0].level == "both"
    qtbot.mouseClick(panel._remove, Qt.MouseButton.LeftButton)
    assert desk.take.events == ()
    window.desk.undo()
    assert len(desk.take.events) == 1


def test_one_body_that_is_struck_is_given_an_impulse(window, qtbot):
    """The ball of the demo alone: nothing is to agree; what it was given, and the energy it lost, in mJ."""
    notebook = demo_notebook("motion")
    window.desk.start(notebook)
    window.desk.go_to_take(notebook.takes[1].id)
    window.go_to("motion")
    stage = window.motion
    qtbot.mouseClick(stage._modes["event"], Qt.MouseButton.LeftButton)
    panel = stage.event_panel
    assert panel.momentum.verdict.text().startswith("Impulse it was given: 185")
    assert panel.energy.verdict.text().startswith("Energy lost: 39")
    assert panel.energy._unit.text() == "mJ"
    found = event_found(window.desk.take, window.desk.take.events[0])
    (part,) = found.energy.parts
    assert (part.before, part.after) == pytest.approx((float(found.energy.before), float(found.energy.after)))


def test_points_are_kept_by_keys(window, qtbot):
    """The table lists them; Space keeps one, again lets it go; marks, copies, and goes to the frame."""
    rng, t = np.random.default_rng(3), np.arange(100) / RATE
    y, impacts, _tops = moved.bouncing(t, 0.5, 0.8)
    notebook, take = made.with_film(frames=100, time_base=Fraction(1, RATE))
    notebook = made.scaled(notebook, take)
    notebook, _ids = bodies(notebook, take, Ball=(0.1 + 0.05 * t, y + rng.normal(0, 0.0004, 100)))
    stage = shown_with(window, qtbot, notebook)
    table, desk = stage.points_table, window.desk
    assert stage.lanes.axis == "y"
    assert not table.isVisible()
    qtbot.mouseClick(stage._modes["points"], Qt.MouseButton.LeftButton)
    assert table.isVisible()
    stage.lanes.grab()
    rows = table.points.rows
    first = next(i for i, row in enumerate(rows) if row.point.kind == "contact")
    assert float(rows[first].point.time) == pytest.approx(impacts[0], abs=0.002)
    texts = [table.points.data(table.points.index(first, c)) for c in range(6)]
    assert texts[0] == "Impact"
    assert "±" in texts[1]
    assert texts[3] == "–"
    table.setCurrentIndex(table.points.index(first, 1))
    table.setFocus()
    qtbot.keyClick(table, KEY.Key_Space)
    (kept,) = desk.take.points
    assert (kept.kind, kept.of) == ("contact", "y")
    assert "1 kept" in words_of(stage.points_panel)
    assert table.points.rows[first].chosen == kept.id
    qtbot.keyClick(table, KEY.Key_Return)
    assert desk.take.points == ()
    place = table.visualRect(table.points.index(first, 2)).center()
    qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    assert desk.frame == rows[first].frame
    qtbot.mouseClick(stage.points_panel.mark, Qt.MouseButton.LeftButton)
    assert desk.take.points[0].kind == "marked"
    assert any(row.point.kind == "marked" for row in table.points.rows)
    qtbot.mouseClick(stage.points_panel.copy, Qt.MouseButton.LeftButton)
    copied = QApplication.clipboard().text().splitlines()
    assert copied[0].startswith("kind,time,u(time)")
    assert len(copied) == len(table.points.rows) + 1
    assert any(line.startswith("contact") for line in copied)


def test_what_a_wrong_scale_does_is_said_with_the_way_to_check_it(window, qtbot):
    """G comes out 8 % high in flight: the points say so, and a click leads to the scale or the clock."""
    rng, t = np.random.default_rng(4), np.arange(30) / RATE
    notebook, take = made.with_film(frames=30, time_base=Fraction(1, RATE))
    notebook = made.scaled(notebook, take)
    y = 0.9 - 1.08 * 0.5 * moved.G * t**2 + rng.normal(0, 0.0002, 30)
    notebook, _ids = bodies(notebook, take, Ball=(0.1 + 0.05 * t, y))
    stage = shown_with(window, qtbot, notebook)
    stage.choose("points")
    assert "comes out 8" in words_of(stage.points_panel)
    for check, where in zip(stage.points_panel._checks, ("scale", "time"), strict=True):
        assert check.isVisible()
        qtbot.mouseClick(check, Qt.MouseButton.LeftButton)
        assert window.stage == where
        window.go_to("motion")


def test_a_log_shows_its_points_when_asked(window, qtbot):
    """A jump on a cord: rest, free fall and taut in the column and as rings; hidden again by the same button."""
    record = SENSORS["cord-jump"].record({"seed": 1})
    values = {name: tuple(c[1].tolist()) for name, c in record.columns.items()}
    channel = Channel(name="acceleration", unit="m/s^2", values=values["acceleration"], resolution=0.01)
    notebook, _log = logs.add_log(Notebook(), "Jump", values["time"], (channel,), simulated=True)
    window.desk.start(notebook)
    window.go_to("log")
    panel = window.log.points
    assert "Cord taut" not in words_of(panel)
    qtbot.mouseClick(panel.finding, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Cord taut" in words_of(panel))
    told = words_of(panel)
    for words in ("Rest ends", "Free flight from here", "Cord taut", "Extreme value", "down", "+0.2"):
        assert words in told
    assert len(window.log.lanes._points) == len(panel.points) > 20
    window.log.lanes.grab()
    qtbot.mouseClick(panel.copy, Qt.MouseButton.LeftButton)
    assert "taut," in QApplication.clipboard().text()
    qtbot.mouseClick(panel.finding, Qt.MouseButton.LeftButton)
    assert "Cord taut" not in words_of(panel)
    assert window.log.lanes._points == ()
