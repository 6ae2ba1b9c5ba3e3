"""The gallery and the table of trials in the window, by mouse, keys and dialogs."""

import made
import pytest
import tables
from at_table import at_work, choose, column, notebook_of
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QDialog, QInputDialog, QLabel

from saltus.exchange.tables import write_table
from saltus.exchange.trials_table import trials_table
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import FREE
from saltus.simulate.demo import demo_notebook
from saltus.ui.desk.tables import TakeIn, import_from
from saltus.ui.trials.columns import ColumnDialog, column_name
from saltus.ui.trials.zeros import ZerosDialog

KEY, MODS = Qt.Key, Qt.KeyboardModifier
LEFT = Qt.MouseButton.LeftButton


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
    assert made.work(notebook_of(window)) == made.work(before)


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
    assert table.rows.setData(table.rows.index(0, name), "30.5", Qt.ItemDataRole.EditRole)
    assert [t.cells["length"] for t in notebook_of(window).trials.trials[:4]] == ["30.5"] * 3 + ["45.0"]
    assert len(table.rows.lines) == lines + 3
    table.setCurrentIndex(table.rows.index(0, name))
    qtbot.keyClick(table, KEY.Key_Space)
    assert len(table.rows.lines) == lines
    words = table.rows.data(table.rows.index(0, name), Qt.ItemDataRole.AccessibleTextRole)
    assert words.startswith("30.5 cm, length / cm")


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
    evaluation = evaluate(notebook_of(window))
    own = next(c for c in table_columns(evaluation) if c.custom)
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
    write_table(path, *trials_table(evaluate(notebook_of(window))))
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
    before = evaluate(notebook_of(window)).columns["reading"].value
    window.trials._zero()
    dialog = ZerosDialog(window, window.desk)
    ((trial, name),) = dialog.fields
    assert name == "reading"
    dialog._type(
        trial, next(c for c in table_columns(evaluate(notebook_of(window))) if c.name == name), "1.00"
    )
    after = evaluate(notebook_of(window)).columns["reading"].value
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
    assert notebook_of(window).trials.units["length"] == "cm"
    panel.fields["g"].setText("9.8 kg")
    panel.fields["g"].editingFinished.emit()
    assert "g" in panel._told["g"].text()
    assert panel._told["g"].isVisible()
    window.desk.undo()
    assert not panel._told["g"].isVisible()
