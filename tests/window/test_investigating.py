"""The gallery, the table, the graph, the log and the findings in the window, by mouse, keys and dialogs."""

import numpy as np
import pytest
import tables
from conftest import drag_to
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog, QLabel

from saltus.exchange.tables import write_table
from saltus.exchange.trials_table import trials_table
from saltus.investigations.recipe_file import recipe_named
from saltus.investigations.shown import shown_columns
from saltus.investigations.worked import worked_out
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.storage import save
from saltus.notebook.trials import FREE, Instrument, Plot
from saltus.printing.blank import write_blank
from saltus.simulate.demo import demo_notebook
from saltus.simulate.trials import simulated_notebook
from saltus.ui.trials.columns import ColumnDialog, column_name
from saltus.ui.trials.leaving import LeaveDialog
from saltus.ui.trials.others import choose_other
from saltus.ui.trials.passing import TakeIn, import_from
from saltus.ui.trials.zeros import ZerosDialog

KEY, MODS = Qt.Key, Qt.KeyboardModifier
LEFT = Qt.MouseButton.LeftButton


def at_work(window, name="pendulum"):
    """The window on Trials with the simulated example of an investigation."""
    window.desk.start(simulated_notebook(recipe_named(name)))
    window.go_to("trials")
    QApplication.processEvents()
    return window.trials.table


def notebook_of(window):
    """The notebook as it is."""
    return window.desk.notebook


def column(table, name):
    """Place of a column in the view."""
    return table.rows.layout.index(name)


def choose(table, first, last, name, to=None):
    """Choose a block of cells from trial to trial."""
    selection = table.selectionModel()
    selection.clear()
    a, b = (table.rows.line_of_trial(t) for t in (first, last))
    left, right = column(table, name), column(table, to or name)
    table.setCurrentIndex(table.rows.index(a, left))
    for line in range(a, b + 1):
        for place in range(left, right + 1):
            selection.select(table.rows.index(line, place), selection.SelectionFlag.Select)


# -- the gallery -------------------------------------------------------------------------------------


def test_the_gallery_opens_groups_and_finds(window, qtbot):
    """Three cards a group; a name opens its group in place; search and ways to measure narrow it."""
    window.go_to("gallery")
    gallery = window.gallery
    assert len(gallery.cards) == 3 * 5 + 1
    link = next(
        b for b in gallery.findChildren(type(gallery.simulated)) if b.accessibleName() == "A whirled spring"
    )
    qtbot.mouseClick(link, LEFT)
    assert len(gallery.cards) == 6 + 3 * 4 + 1
    assert gallery.chosen == "whirling-spring"
    gallery.search.setText("sensor")
    assert {c.recipe.id for c in gallery.cards} >= {"cord-jump"}
    gallery.search.setText("nothing like it")
    assert gallery.cards == []
    assert any("Nothing fits" in w.text() for w in gallery.findChildren(QLabel))
    gallery.search.setText("")
    gallery._filter("sensor")
    assert all("sensor" in c.recipe.methods for c in gallery.cards)
    assert any(c.recipe.id == FREE for c in gallery.cards)


def test_arrows_move_over_the_cards_and_enter_goes_to_the_buttons(window, qtbot):
    """Left, right, up, down choose; details follow the focus."""
    window.activateWindow()
    window.go_to("gallery")
    cards = window.gallery.cards
    cards[0].setFocus()
    qtbot.keyClick(cards[0], KEY.Key_Right)
    assert window.gallery.chosen == cards[1].recipe.id
    qtbot.keyClick(cards[1], KEY.Key_Down)
    assert window.gallery.chosen == cards[4].recipe.id
    assert window.gallery._title.text() == cards[4].recipe.title
    qtbot.keyClick(cards[4], KEY.Key_Up)
    qtbot.keyClick(cards[1], KEY.Key_Return)
    assert window.gallery.with_table.hasFocus()


def test_an_investigation_joins_the_films_of_a_notebook(window, answer):
    """A notebook with films takes the table up; one with a table is asked about and left."""
    window.desk.start(demo_notebook("open-day"))
    window.go_to("trials")
    assert window.trials.choose.isVisible()
    window.trials.choose.click()
    window.gallery.choose("ramp-run")
    window.gallery.with_table.click()
    assert len(notebook_of(window).takes) == 3
    assert notebook_of(window).trials.investigation == "ramp-run"
    assert notebook_of(window).title == "Clock workshop open day"
    asked = answer("Stay here")
    window.gallery.begin.emit("pendulum", "table")
    assert asked
    assert notebook_of(window).trials.investigation == "ramp-run"
    answer("Do not keep them")
    window.gallery.begin.emit("pendulum", "simulated")
    assert notebook_of(window).trials.simulated
    assert window.stage == "trials"
    assert "simulated" in window.trials._question.text()


# -- the table ---------------------------------------------------------------------------------------


def test_cells_go_to_a_spreadsheet_and_back(window, qtbot):
    """Copied cells are tabs and lines; pasted ones fill the block and add trials; one undo takes all back."""
    table = at_work(window)
    table.open_all(True)
    ids = tables.ids(notebook_of(window))
    choose(table, ids[0], ids[2], "cycles", "time")
    qtbot.keyClick(table, KEY.Key_C, MODS.ControlModifier)
    copied = QGuiApplication.clipboard().text()
    assert [r.split("\t")[0] for r in copied.splitlines()] == ["10", "10", "10"]
    before = notebook_of(window)
    last = ids[-1]
    choose(table, last, last, "cycles")
    QGuiApplication.clipboard().setText("20\t41.0\n20\t41.1\n20\t41,2\n")
    qtbot.keyClick(table, KEY.Key_V, MODS.ControlModifier)
    trials = notebook_of(window).trials.trials
    assert [t.cells["time"] for t in trials[-3:]] == ["41.0", "41.1", "41,2"]
    assert len(trials) == len(ids) + 2
    assert {t.cells["length"] for t in trials[-3:]} == {trials[-1].cells["length"]}
    window.desk.undo()
    assert notebook_of(window) == before


def test_fill_down_and_empty(window, qtbot):
    """Ctrl+D repeats the uppermost cell; Delete empties cells, and rows that were blank go."""
    table = at_work(window)
    table.open_all(True)
    ids = tables.ids(notebook_of(window))
    choose(table, ids[0], ids[2], "time")
    qtbot.keyClick(table, KEY.Key_D, MODS.ControlModifier)
    assert len({t.cells["time"] for t in notebook_of(window).trials.trials[:3]}) == 1
    choose(table, ids[0], ids[0], "time")
    qtbot.keyClick(table, KEY.Key_Delete)
    assert "time" not in notebook_of(window).trials.trials[0].cells
    choose(table, ids[1], ids[1], "time")
    qtbot.keyClick(table, KEY.Key_D, MODS.ControlModifier)
    assert "below" in window.messages.findChild(QLabel).text()


def test_a_level_is_opened_named_and_kept_in_sight(window, qtbot):
    """A click on its line opens it; another name moves all its trials; Space closes it again."""
    table = at_work(window)
    lines = len(table.rows.lines)
    first = table.visualRect(table.rows.index(0, 0)).center()
    qtbot.mouseClick(table.viewport(), LEFT, pos=first)
    assert len(table.rows.lines) == lines + 3
    name = column(table, "length")
    assert table.rows.setData(table.rows.index(0, name), "0.305", Qt.ItemDataRole.EditRole)
    assert [t.cells["length"] for t in notebook_of(window).trials.trials[:4]] == ["0.305"] * 3 + ["0.450"]
    assert len(table.rows.lines) == lines + 3
    table.setCurrentIndex(table.rows.index(0, name))
    qtbot.keyClick(table, KEY.Key_Space)
    assert len(table.rows.lines) == lines
    words = table.rows.data(table.rows.index(0, name), Qt.ItemDataRole.AccessibleTextRole)
    assert words.startswith("0.305 m, length / m")


def test_a_cell_that_needs_a_look_is_marked_and_told(window):
    """The mark, the tip, the accessible words and the column say the same one sentence; next says so too."""
    table = at_work(window)
    trial = tables.ids(notebook_of(window))[0]
    window.desk.edit("x", edits.set_cells(notebook_of(window), {(trial, "time"): "ten"}))
    table.go_to(trial, "time")
    QApplication.processEvents()
    index = table.currentIndex()
    told = table.rows.data(index, Qt.ItemDataRole.ToolTipRole)
    assert "ten" in told
    assert told in table.rows.data(index, Qt.ItemDataRole.AccessibleTextRole)
    assert told in window.trials.trial._told.text()
    assert "1 cell needs a look" in window.trials.next.text()


def test_failed_and_set_aside_with_what_was_seen(window, monkeypatch):
    """A reason is asked for, earlier ones are offered; both stay listed and are put back with one press."""
    table = at_work(window)
    offered = []

    def ask(_parent, _title, _question, items, *_more):
        offered.append(list(items))
        return "", True

    monkeypatch.setattr(QInputDialog, "getItem", ask)
    ids = tables.ids(notebook_of(window))
    table.choose_trial(ids[4])
    window.trials.set_status("failed")
    assert notebook_of(window).trials.trial(ids[4]).reason == "no reason given"
    table.choose_trial(ids[5])
    window.trials.set_status("set-aside")
    assert offered == [[""], ["no reason given"]]
    panel = window.trials.trial
    QApplication.processEvents()
    links = [b for b in panel.findChildren(type(panel.failed)) if b.text() == "Put back" and b.isVisible()]
    assert len(links) == 3
    links[-1].click()
    assert notebook_of(window).trials.trial(ids[5]).status == "kept"
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_a: ("x", False))
    window.trials.set_status("failed")
    assert notebook_of(window).trials.trial(ids[5]).status == "kept"


def test_own_columns_by_their_dialog(window):
    """A formula is checked while it is typed; it can be kept only when it can be worked out."""
    at_work(window)
    dialog = ColumnDialog(window, window.desk, None)
    assert not dialog.keep.isEnabled()
    dialog.title.setText("Frequency")
    dialog.kind.setCurrentIndex(dialog.kind.findData("formula"))
    dialog.formula.setText("1/perio")
    assert "perio" in dialog._told.text()
    assert not dialog.keep.isEnabled()
    dialog.formula.setText("1/period")
    assert "period" in dialog._names.text()
    dialog.accept()
    worked = worked_out(notebook_of(window))
    own = next(c for c in shown_columns(worked) if c.own)
    assert (own.name, own.heading, own.formula) == ("frequency", "Frequency / 1/s", "1/period")
    again = ColumnDialog(window, window.desk, "frequency")
    again._remove()
    assert notebook_of(window).trials.own == ()
    assert column_name("2nd time!", {"c_2nd_time"}) == "c_2nd_time_2"
    words = ColumnDialog(window, window.desk, None)
    words.title.setText("Who timed")
    words.kind.setCurrentIndex(words.kind.findData("text"))
    words.accept()
    assert "who_timed" in window.trials.table.rows.layout


def test_an_investigation_of_ones_own(window):
    """Two columns to begin with, what is varied is chosen, the graph draws itself."""
    window.go_to("gallery")
    window.gallery.choose(FREE)
    assert not window.gallery.simulated.isVisible()
    window.gallery.with_table.click()
    dialog = ColumnDialog(window, window.desk, "y")
    dialog.unit.setText("cm")
    dialog.accept()
    rows = [{"x": f"{i}", "y": f"{2 * i + 1}"} for i in range(1, 6)]
    window.desk.edit("type", edits.add_trials(notebook_of(window), rows)[0])
    window.go_to("graph")
    assert "slope of line = 0.02" in window.graph._result.text()
    assert window.graph.view.plot is None
    window.graph.view.grab()
    assert window.graph.view.plot is not None


def test_a_file_is_taken_in_by_a_choice_of_columns(window, tmp_path, qtbot, monkeypatch):
    """Rows are added in the background after a question; leaving it changes nothing; trouble is one sentence."""
    at_work(window)
    path = tmp_path / "more.csv"
    write_table(path, *trials_table(worked_out(notebook_of(window))))
    count = len(notebook_of(window).trials.trials)
    asked = []

    def accept(dialog):
        asked.append(dialog.taken().columns)
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(TakeIn, "exec", accept)
    import_from(window, window.desk, path)
    qtbot.waitUntil(lambda: len(notebook_of(window).trials.trials) == 2 * count)
    assert asked[0]["time"] == "time"
    monkeypatch.setattr(TakeIn, "exec", lambda _dialog: QDialog.DialogCode.Rejected)
    import_from(window, window.desk, path)
    said = []
    window.desk.said.connect(lambda words, _kind: said.append(words))
    (tmp_path / "torn.xlsx").write_bytes(b"PK\x03\x04 no")
    import_from(window, window.desk, tmp_path / "torn.xlsx")
    qtbot.waitUntil(lambda: bool(said))
    assert "torn.xlsx" in said[0]
    assert len(notebook_of(window).trials.trials) == 2 * count


def test_zero_is_read_again(window, monkeypatch):
    """A reading of zero is asked for where the cursor is, counts from there on, and can be taken away."""
    table = at_work(window, "hooke-static")
    ids = tables.ids(notebook_of(window))
    table.choose_trial(ids[3])
    monkeypatch.setattr(ZerosDialog, "exec", lambda _dialog: 0)
    before = worked_out(notebook_of(window)).columns["reading"].value
    window.trials._zero()
    dialog = ZerosDialog(window, window.desk)
    ((trial, name),) = dialog.fields
    assert name == "reading"
    dialog._type(
        trial, next(c for c in shown_columns(worked_out(notebook_of(window))) if c.name == name), "0.01"
    )
    after = worked_out(notebook_of(window)).columns["reading"].value
    assert after - before == pytest.approx([0.0] * 4 + [-0.01] * (len(ids) - 4))
    dialog._remove(trial)
    assert tables.ids(notebook_of(window)) == ids


def test_a_unit_or_given_that_does_not_go_is_said_at_its_field(window):
    """A wrong unit is refused at once; a wrong given stays in its field, marked, with a sentence."""
    at_work(window)
    window.trials.show_panel(1)
    panel = window.trials.givens
    panel.units["length"].setText("kg")
    panel.units["length"].editingFinished.emit()
    assert panel.units["length"].property("wrong") == "true"
    assert notebook_of(window).trials.units["length"] == "m"
    panel.fields["g"].setText("9.8 kg")
    panel.fields["g"].editingFinished.emit()
    assert "g" in panel._told["g"].text()
    assert panel._told["g"].isVisible()
    window.desk.undo()
    assert not panel._told["g"].isVisible()


# -- the graph ---------------------------------------------------------------------------------------


def test_axes_model_and_way_back(window):
    """Choosing axes is an edit with undo; the investigation's own plot is one press away."""
    at_work(window)
    window.go_to("graph")
    graph = window.graph
    assert graph.axis_y.currentText() == "period²"
    graph.axis_y.setCurrentIndex(graph.axis_y.findData("period"))
    graph.axis_y.activated.emit(graph.axis_y.currentIndex())
    assert notebook_of(window).trials.plot == Plot(x="length", y="period", model="line")
    assert graph.own.isVisible()
    straight = [
        b for b in graph.findChildren(type(graph.own)) if b.text().startswith("period² against length")
    ]
    assert straight
    graph.own.click()
    assert notebook_of(window).trials.plot is None
    assert graph.axis_y.currentText() == "period²"
    window.desk.undo()
    assert graph.axis_y.currentText() == "period"


def test_a_line_is_drawn_by_hand_and_dragged(window, qtbot):
    """Corners begin on the outermost points; dragging one is one edit at its end, keys move it too."""
    at_work(window)
    window.go_to("graph")
    graph, view = window.graph, window.graph.view
    graph.hand.box.click()
    drawn = notebook_of(window).trials.drawn
    assert drawn is not None
    view.grab()
    steps = len(window.desk.history._past)
    x, y = drawn.corners[1]
    place = QPoint(round(view.plot.px(x)), round(view.plot.py(y)))
    qtbot.mousePress(view, LEFT, pos=place)
    for step in (10, 20, 30):
        drag_to(view, place - QPoint(step, -step))
    assert notebook_of(window).trials.drawn == drawn
    qtbot.mouseRelease(view, LEFT, pos=place - QPoint(30, -30))
    moved = notebook_of(window).trials.drawn
    assert moved.corners[1][0] < x
    assert moved.corners[1][1] < y
    assert len(window.desk.history._past) == steps + 1
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
    graph.compare_schools.click()
    assert graph._schools.isVisible()
    graph.convention.setCurrentIndex(graph.convention.findData("school"))
    graph.convention.activated.emit(graph.convention.currentIndex())
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
    graph.read.setText("2.40(2)")
    graph.read.editingFinished.emit()
    assert graph._read_words.text().startswith("length = 0.59")
    assert any(c.style == "dotted" for c in graph.view._graph.chart.curves)
    graph.read.setText("two")
    graph.read.editingFinished.emit()
    assert graph.read.property("wrong") == "true"


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
    field, told = window.graph.left["g"]
    assert "left to you" in told.text()
    field.setText("9.8")
    field.editingFinished.emit()
    assert told.text() == "Follows from your data."
    assert "g = 9.8" in window.graph._result.text()


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
    rows = {r[0]: r[1] for r in list(stage.sendings())}
    words, act = next((w, a) for w, a in stage.sendings() if w.startswith("mean"))
    act()
    assert worked_out(notebook_of(window)).columns["force"].value[0] == pytest.approx(0.8, abs=0.05)
    stage.turn.click()
    assert worked_out(notebook_of(window)).columns["force"].value[0] == pytest.approx(-0.8, abs=0.05)
    assert rows
    assert words


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
    stage.over.setCurrentIndex(stage.over.findData(take.id))
    stage.over.activated.emit(stage.over.currentIndex())
    window.desk.go_to_take(take.id)
    window.desk.go_to_frame(30)
    stage.lanes.place_cursor(1.2)
    stage.align.click()
    log = notebook_of(window).logs[0]
    assert log.shift == pytest.approx(window.desk.time() - 1.2)
    qtbot.keyClick(stage.lanes, KEY.Key_Right)
    assert stage.lanes.at == pytest.approx(window.desk.time() + 0.01, abs=1e-6)
    stage.shift.setText("half")
    stage.shift.editingFinished.emit()
    assert stage.shift.property("wrong") == "true"
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
    q = worked_out(notebook_of(window)).outcome.results["free_fall"]
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
