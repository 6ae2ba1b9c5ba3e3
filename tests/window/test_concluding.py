"""The graph, the log and the findings in the window, by mouse, keys and dialogs."""

import numpy as np
import pytest
import tables
from at_table import at_work, notebook_of
from conftest import drag_to
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLabel

from saltus.exchange.tables import write_table
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.investigations.view.comparisons import verdicts
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.storage import save
from saltus.notebook.trials import Instrument, Plot
from saltus.printing.blank import write_blank
from saltus.simulate.demo import demo_notebook
from saltus.simulate.trials import simulated_notebook
from saltus.ui.graph.against import AgainstDialog
from saltus.ui.trials.leaving import LeaveDialog
from saltus.ui.trials.others import choose_other

KEY, MODS = Qt.Key, Qt.KeyboardModifier
LEFT = Qt.MouseButton.LeftButton


# -- the graph ---------------------------------------------------------------------------------------


def test_axes_model_and_way_back(window):
    """Choosing axes is an edit with undo; the investigation's own plot is one press away."""
    at_work(window)
    window.go_to("graph")
    graph = window.graph
    assert graph.axis_y.currentText() == "T²"
    graph.axis_y.setCurrentIndex(graph.axis_y.findData("period"))
    graph.axis_y.activated.emit(graph.axis_y.currentIndex())
    assert notebook_of(window).trials.plot == Plot(x="length", y="period", model="line")
    assert graph.own.isVisible()
    straight = [b for b in graph.findChildren(type(graph.own)) if b.text().startswith("T² against L")]
    assert straight
    graph.own.click()
    assert notebook_of(window).trials.plot is None
    assert graph.axis_y.currentText() == "T²"
    window.desk.undo()
    assert graph.axis_y.currentText() == "period T"


def test_a_line_is_drawn_by_hand_and_dragged(window, qtbot):
    """Corners begin on the outermost points; dragging one is one edit at its end, keys move it too."""
    at_work(window)
    window.go_to("graph")
    graph, view = window.graph, window.graph.view
    graph.hand.box.click()
    drawn = notebook_of(window).trials.drawn
    assert drawn is not None
    view.grab()
    steps = len(window.desk.session.history._past)
    x, y = drawn.corners[1]
    # the axis is in cm, corners are kept in m
    place = QPoint(round(view.plot.px(100 * x)), round(view.plot.py(y)))
    qtbot.mousePress(view, LEFT, pos=place)
    for step in (10, 20, 30):
        drag_to(view, place - QPoint(step, -step))
    assert notebook_of(window).trials.drawn == drawn
    qtbot.mouseRelease(view, LEFT, pos=place - QPoint(30, -30))
    moved = notebook_of(window).trials.drawn
    assert moved.corners[1][0] < x
    assert moved.corners[1][1] < y
    assert len(window.desk.session.history._past) == steps + 1
    assert "By hand" in graph._hand.text()
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_Up, MODS.AltModifier)
    assert notebook_of(window).trials.drawn.corners[1][1] > moved.corners[1][1]
    graph.hand.box.click()
    assert notebook_of(window).trials.drawn is None


def test_conventions_are_switched_in_one_place(window):
    """Pill, result, table of schools and sheet follow; undo brings the standard back."""
    at_work(window)
    window.go_to("graph")
    graph = window.graph
    graph.statement.compare_schools.click()
    assert graph.statement._schools.isVisible()
    graph.statement.convention.setCurrentIndex(graph.statement.convention.findData("school"))
    graph.statement.convention.activated.emit(graph.statement.convention.currentIndex())
    assert "(standard u)" in graph._result.text()
    assert "(standard u)" in window.strip.pill.accessibleName()
    window.go_to("findings")
    assert "(standard u)" in window.findings._result.text()
    window.desk.undo()
    assert "(95\u00a0%)" in window.findings._result.text()


def test_reading_off_the_line(window):
    """A typed upright value gives its x with uncertainty; nonsense is said at the field."""
    at_work(window)
    window.go_to("graph")
    graph = window.graph
    graph.read_off.field.setText("2.40(2)")
    graph.read_off.field.editingFinished.emit()
    assert graph.read_off.words.text().startswith("L = 59")
    assert any(c.style == "dotted" for c in graph.view._graph.chart.curves)
    graph.read_off.field.setText("two")
    graph.read_off.field.editingFinished.emit()
    assert graph.read_off.field.property("wrong") == "true"


def test_what_is_left_to_the_student(window):
    """The teacher ticks it; columns become typed cells, the result a field; each is told whether it follows."""
    table = at_work(window)
    dialog = LeaveDialog(window, window.desk)
    dialog.columns["period"].box.setChecked(True)
    dialog.results["g"].box.setChecked(True)
    dialog.accept()
    assert "No result yet" in window.strip.pill.accessibleName()
    trial = tables.ids(notebook_of(window))[0]
    table.go_to(trial, "period")
    index = table.currentIndex()
    assert table.rows.is_typed(index)
    table.rows.setData(index, "11.01", Qt.ItemDataRole.EditRole)
    assert "10 times too large" in table.rows.problem(table.currentIndex())
    table.rows.setData(table.currentIndex(), "1.101", Qt.ItemDataRole.EditRole)
    assert table.rows.problem(table.currentIndex()) == ""
    window.go_to("graph")
    field, told = window.graph.left.fields["g"]
    assert "left to you" in told.text()
    field.setText("9.8")
    field.editingFinished.emit()
    assert told.text() == "Follows from your data."
    assert "free-fall acceleration = 9.8" in window.graph._result.text()


def test_a_result_is_held_against_another(window):
    """A typed value, or that of a film: judged like all comparisons, kept with the notebook, taken away again."""
    window.desk.start(
        edits.start(demo_notebook("open-day"), simulated_notebook(recipe_named("ramp-run")).trials)
    )
    window.go_to("graph")
    dialog = AgainstDialog(window, window.desk)
    assert not dialog.keep.isEnabled()
    dialog.name.setText("other group")
    dialog.value.setText("0.93 kg")
    assert "kg" in dialog._told.text()
    dialog.value.setText("0.93(2) m/s^2")
    assert dialog.keep.isEnabled()
    dialog.accept()
    film = AgainstDialog(window, window.desk)
    film.what.setCurrentIndex(1)
    assert not film.value.isEnabled()
    assert film.keep.isEnabled()
    film.accept()
    held = notebook_of(window).trials.against
    assert [a.name for a in held] == ["other group", "Felt puck on a tilted drawing board"]
    assert held[1].link.part == "acceleration"
    QApplication.processEvents()
    words = [w.text() for w in window.graph.findChildren(QLabel)]
    assert sum(w.startswith("The two values ") for w in words) >= 2
    first = verdicts(evaluate(notebook_of(window)))[:2]
    assert [v.other for v in first] == [a.name for a in held]
    window.graph._hold_no_more("other group")
    assert len(notebook_of(window).trials.against) == 1


# -- the log -----------------------------------------------------------------------------------------


def test_a_sensor_records_live_and_its_stretch_goes_into_the_table(window, qtbot):
    """Values come in while it runs; stopped, it is a log; zero, stretch, sign and the way into a cell."""
    window.desk.start(edits.start(demo_notebook("open-day"), tables.table("force-acceleration", []).trials))
    window.go_to("log")
    stage = window.log
    stage.start_recording("pull-run")
    qtbot.waitUntil(lambda: stage.lanes._live is not None)
    stage.recorder.began -= 60
    qtbot.waitUntil(lambda: bool(notebook_of(window).logs))
    log = notebook_of(window).logs[0]
    assert log.simulated
    assert len(log.times) == 500
    lanes = stage.lanes
    lanes.grab()
    lane = lanes._lanes[0]

    def sweep(a, b):
        y = round(lane.box.center().y())
        qtbot.mousePress(lanes, LEFT, pos=QPoint(round(lane.plot.px(a)), y))
        drag_to(lanes, QPoint(round(lane.plot.px(b)), y))
        qtbot.mouseRelease(lanes, LEFT, pos=QPoint(round(lane.plot.px(b)), y))

    sweep(0.1, 1.2)
    stage.zero.click()
    assert notebook_of(window).logs[0].channels[0].zero is not None
    sweep(1.7, 3.3)
    next(entry for entry in stage.sendings() if entry.words.startswith("mean")).act()
    assert evaluate(notebook_of(window)).columns["force"].value[0] == pytest.approx(0.8, abs=0.05)
    stage.turn.click()
    assert evaluate(notebook_of(window)).columns["force"].value[0] == pytest.approx(-0.8, abs=0.05)


def test_a_log_is_laid_over_a_film_by_an_event(window, qtbot, tmp_path):
    """Cursor on the event in the log, frame in hand in the film: the shift makes them one time."""
    window.desk.start(demo_notebook("open-day"))
    window.go_to("log")
    stage = window.log
    path = tmp_path / "pull.csv"
    times = np.arange(0, 3, 0.01)
    write_table(path, ["time [s]", "force [N]"], [[float(t), float(t > 1.2)] for t in times])
    stage.open_path(path)
    qtbot.waitUntil(lambda: bool(notebook_of(window).logs))
    take = notebook_of(window).takes[0]
    stage.over_film.over.setCurrentIndex(stage.over_film.over.findData(take.id))
    stage.over_film.over.activated.emit(stage.over_film.over.currentIndex())
    window.desk.go_to_take(take.id)
    window.desk.go_to_frame(30)
    stage.lanes.place_cursor(1.2)
    stage.over_film.align.click()
    log = notebook_of(window).logs[0]
    assert log.shift == pytest.approx(window.desk.time() - 1.2)
    qtbot.keyClick(stage.lanes, KEY.Key_Right)
    assert stage.lanes.at == pytest.approx(window.desk.time() + 0.01, abs=1e-6)
    stage.over_film.shift.setText("half")
    stage.over_film.shift.editingFinished.emit()
    assert stage.over_film.shift.property("wrong") == "true"
    stage.drop.click()
    assert notebook_of(window).logs == ()
    window.desk.undo()
    assert notebook_of(window).logs == (log,)


def test_a_record_fills_its_investigation(window, qtbot):
    """The cord jump: recorded, zeroed, and the table filled from the log with one press."""
    window.desk.start(tables.table("cord-jump", []))
    window.go_to("log")
    stage = window.log
    stage.start_recording("cord-jump")
    stage.recorder.began -= 60
    qtbot.waitUntil(lambda: bool(notebook_of(window).logs))
    stage._stretched("acceleration", 0.05, 0.9)
    stage.zero.click()
    assert stage.fill.isVisible()
    stage.fill.click()
    q = evaluate(notebook_of(window)).outcome.results["free_fall"]
    assert float(q) == pytest.approx(-9.81, abs=0.3)
    assert notebook_of(window).trials.simulated


# -- findings ----------------------------------------------------------------------------------------


def test_claims_rest_on_what_is_there(window):
    """A claim without evidence needs a look; with it, the words of now stand below it and on the sheet."""
    at_work(window)
    window.go_to("findings")
    says = window.findings.says
    says.add_claim.click()
    says.claims[0].setText("T² grows with the length")
    says.claims[0].editingFinished.emit()
    words = [w.text() for w in says.findChildren(QLabel)]
    assert any(w.startswith("No evidence") for w in words)
    rests = says.rests[0]
    rests.setCurrentIndex(rests.findData("line/length/period^2"))
    rests.activated.emit(rests.currentIndex())
    QApplication.processEvents()
    claim = notebook_of(window).findings.claims[0]
    assert (claim.text, claim.rests_on) == ("T² grows with the length", "line/length/period^2")
    assert any("Passes through zero" in w.text() for w in says.findChildren(QLabel) if w.isVisible())
    sheet = window.findings._sheet()
    assert "T² grows" in next(s for s in sheet.sections if s.heading == "What is claimed").lines[0]


def test_what_was_seen_asked_and_planned(window):
    """Observations keep their time; questions and follow-up go on the sheet; each is undone by one step."""
    at_work(window)
    window.go_to("findings")
    says = window.findings.says
    says.note("  the bob   touched the clamp ")
    seen = notebook_of(window).findings.observations[0]
    assert seen.text == "the bob touched the clamp"
    assert len(seen.when) == 16
    says.add_question.click()
    says._set_answer(0, "question", "Why ten swings?")
    says._set_answer(0, "answer", "One is too short.")
    says._set_follow_up("a heavier bob")
    says.substitution.box.click()
    assert notebook_of(window).findings.substitution
    headings = [s.heading for s in window.findings._sheet().sections]
    assert headings[-1] == "Worked with own numbers"
    for _step in range(6):
        window.desk.undo()
    assert notebook_of(window).findings.observations == ()


def test_one_notebook_two_sheets(window):
    """With films and trials the sheet is that of either; without a table that of the film."""
    window.desk.start(edits.start(demo_notebook("open-day"), tables.pendulum().trials))
    window.go_to("findings")
    findings = window.findings
    assert findings.of_trials
    assert findings._switch.isVisible()
    findings._show_sheet_of(take=True)
    assert not findings.of_trials
    assert findings._sheet().take_id == notebook_of(window).takes[0].id
    assert findings.csv.text() == "Readings as CSV"
    window.desk.start(demo_notebook("open-day"))
    assert not findings._switch.isVisible()


def test_papers(window, tmp_path, qtbot):
    """The sheet and a blank table as PDF, from the window."""
    at_work(window)
    window.go_to("findings")
    window.findings.write_pdf(tmp_path / "sheet.pdf")
    qtbot.waitUntil(
        lambda: (tmp_path / "sheet.pdf").exists() and (tmp_path / "sheet.pdf").stat().st_size > 5000
    )
    write_blank(tmp_path / "blank.pdf", "T", "Q?", ["a", "b<"], [["1", ""], ["", ""]])
    assert (tmp_path / "blank.pdf").read_bytes().startswith(b"%PDF")
    qtbot.wait(300)


def test_a_result_of_another_notebook_is_linked(window, tmp_path, monkeypatch):
    """It must lie beside this one; the cell then follows it whenever this one is opened."""
    other = tables.pendulum(spread=0.02)
    other = edits.set_instrument(other, "time", Instrument(rule="stated", amount="0.04 s"))
    save(other, tmp_path / "other.saltus")
    table = tables.table("weight-mass", [{"mass": "0.1"}])
    save(table, tmp_path / "this.saltus")
    window.desk.open_notebook(tmp_path / "this.saltus")
    said = []
    window.desk.said.connect(lambda words, _kind: said.append(words))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(tmp_path / "other.saltus"), ""))
    monkeypatch.setattr(QInputDialog, "getItem", lambda _p, _t, _q, rows, *_m: (rows[0], True))
    choose_other(window, window.desk, "trial-1", "force")
    link = notebook_of(window).trials.trial("trial-1").links["force"]
    assert (link.kind, link.source) == ("notebook", "other.saltus")
    assert window.desk.save(tmp_path / "this.saltus")
    (tmp_path / "other.saltus").unlink()
    window.desk.open_notebook(tmp_path / "this.saltus")
    assert any("could not be looked up" in words for words in said)
    assert notebook_of(window).trials.trial("trial-1").links["force"] == link


# -- all of it ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("window", [100, 150], indirect=True)
@pytest.mark.parametrize(
    "name", ["spin-drop", "vibrating-tray", "guided-run", "cord-jump", "string-harmonics"]
)
def test_every_stage_draws_itself(window, name):
    """Filled, empty, narrow and with large text: no stage complains, all can be seen in the dark too."""
    for notebook in (simulated_notebook(recipe_named(name)), tables.table(name, []), Notebook()):
        window.desk.start(notebook)
        for size in ((1280, 800), (1024, 680)):
            window.resize(*size)
            for stage in ("log", "trials", "graph", "findings", "gallery"):
                window.go_to(stage)
                QApplication.processEvents()
                assert not window.grab().isNull()
        large = window.rail.width() > 100
        for stage in (window.log, window.trials, window.graph, window.findings, window.gallery):
            assert stage.minimumSizeHint().width() <= (1154 if large else 940)


def test_a_thousand_trials_are_shown_and_edited(window):
    """A full table opens closed, a cell is typed, and the line of its level is the one that changed."""
    rows = [
        {"length": f"{0.2 + 0.004 * (i // 5):.3f}", "cycles": "10", "time": f"{9 + i / 100:.2f}"}
        for i in range(1000)
    ]
    window.desk.start(tables.table("pendulum", rows))
    window.go_to("trials")
    table = window.trials.table
    assert len(table.rows.lines) == 200
    table.go_to("trial-501", "time")
    assert table.rows.setData(table.currentIndex(), "15.55", Qt.ItemDataRole.EditRole)
    assert notebook_of(window).trials.trial("trial-501").cells["time"] == "15.55"
    assert table.in_hand() == ("trial-501", "time")
