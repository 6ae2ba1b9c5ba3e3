"""Three lessons played through the window: a typed pendulum, a spring, a filmed incline."""

import math
import re

import made
import pytest
from keyboard import KEY, MODS, Keys
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit

from saltus.investigations.engine.evaluation import evaluate
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.storage import load
from saltus.notebook.trials import TrialTable
from saltus.ui.desk.placing import nudge
from saltus.ui.desk.sending import sendings


@pytest.fixture
def keys(qtbot, window):
    """A keyboard for the window, which must be the active one for shortcuts to work."""
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window)
    return Keys(qtbot, window)


@pytest.fixture
def reason(monkeypatch):
    """Answer the question for a reason."""
    asked = []

    def answer(words):
        def ask(_parent, _title, question, items, *_more):
            asked.append((question, list(items)))
            return words, True

        monkeypatch.setattr(QInputDialog, "getItem", ask)
        return asked

    return answer


def cells(window, column):
    """What was typed in a column, trial by trial."""
    return [t.cells.get(column, "") for t in window.desk.notebook.trials.trials]


def swing(length):
    """Time of ten swings, s, for g = 9.81 m/s²."""
    return 20 * math.pi * math.sqrt(length / 9.81)


def test_a_typed_pendulum_series_without_the_mouse(window, keys, tmp_path, reason):
    """From Start to a saved notebook with keys alone: gallery, levels, trials, one set aside, the graph."""
    keys.tab_to(window.start.investigate)
    keys.press(KEY.Key_Space)
    assert window.stage == "gallery"
    assert keys.focus() is window.gallery.search
    keys.type("pendulum")
    card = window.gallery.cards[0]
    assert card.recipe.id == "pendulum"
    keys.tab_to(card)
    keys.press(KEY.Key_Return)
    assert keys.focus() is window.gallery.with_table
    keys.press(KEY.Key_Space)
    assert window.stage == "trials"
    assert window.desk.notebook.title == "The pendulum"
    lengths = (0.3, 0.5, 0.7, 0.9)
    for length in lengths:
        keys.press(KEY.Key_Return, MODS.ControlModifier | MODS.ShiftModifier)
        assert isinstance(keys.focus(), QLineEdit)
        keys.type(f"{100 * length:.1f}")
        keys.press(KEY.Key_Return)
        for n in range(3):
            window.trials.table.setFocus()
            keys.type("10")
            keys.press(KEY.Key_Tab)
            keys.type(f"{swing(length) + 0.02 * (n - 1):.2f}".replace(".", ","))
            keys.press(KEY.Key_Return)
            if n < 2:
                keys.press(KEY.Key_Backtab, MODS.ShiftModifier)
    typed = [t.cells["length"] for t in window.desk.notebook.trials.trials if "time" in t.cells]
    assert typed == [f"{100 * x:.1f}" for x in lengths for _n in range(3)]
    blank = [t for t in window.desk.notebook.trials.trials if not t.cells.get("time")]
    evaluation = evaluate(window.desk.notebook)
    assert float(evaluation.outcome.results["g"]) == pytest.approx(9.81, rel=0.01)
    asked = reason("late press")
    window.trials.table.go_to("trial-2")
    keys.press(KEY.Key_X, MODS.ControlModifier | MODS.ShiftModifier)
    assert asked[0][0] == "Why is it set aside?"
    assert window.desk.notebook.trials.trial("trial-2").status == "set-aside"
    keys.press(KEY.Key_Z, MODS.ControlModifier)
    assert window.desk.notebook.trials.trial("trial-2").status == "kept"
    keys.press(KEY.Key_Z, MODS.ControlModifier | MODS.ShiftModifier)
    assert window.desk.notebook.trials.trial("trial-2").reason == "late press"
    keys.press(KEY.Key_8, MODS.ControlModifier)
    assert window.stage == "graph"
    assert "free-fall acceleration = 9.8" in window.graph._result.text()
    assert re.match(r"free-fall acceleration = 9\.\d+ ± ", window.strip.pill.accessibleName())
    path = tmp_path / "pendulum.saltus"
    assert window.desk.save(path)
    assert load(path) == window.desk.notebook
    assert len(blank) <= 4


def test_a_spring_line_with_a_safe_reading(window, qtbot):
    """Loads hung on one by one: warned before the reading that must not be passed, and after it."""
    window.go_to("gallery")
    gallery = window.gallery
    gallery.search.setText("stiffness rest")
    qtbot.mouseClick(gallery.cards[0], Qt.MouseButton.LeftButton)
    assert gallery.chosen == "hooke-static"
    qtbot.mouseClick(gallery.with_table, Qt.MouseButton.LeftButton)
    stage = window.trials
    stage.show_panel(1)
    given = stage.givens
    given.fields["safe_reading"].setText("34 cm")
    given.fields["safe_reading"].editingFinished.emit()
    given.units["reading"].setText("cm")
    given.units["reading"].editingFinished.emit()
    given.units["mass"].setText("g")
    given.units["mass"].editingFinished.emit()
    given.rules["reading"].setCurrentIndex(given.rules["reading"].findData("divided"))
    given.rules["reading"].activated.emit(given.rules["reading"].currentIndex())
    given.amounts["reading"].setText("1 mm")
    given.amounts["reading"].editingFinished.emit()
    assert window.desk.notebook.trials.instruments["reading"].amount == "1 mm"
    k, rest = 24.5, 0.132

    def hang(mass):
        stage.new_level()
        QApplication.processEvents()
        table = stage.table
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        editor.setText(f"{mass * 1000:.0f}")
        qtbot.keyClick(editor, KEY.Key_Return)
        QApplication.processEvents()
        line = table.currentIndex()
        assert table.rows.trial_at(line) is not None
        hand = Keys(qtbot, window)
        hand.type(f"{100 * (rest + mass * 9.81 / k):.2f}")
        hand.press(KEY.Key_Return)

    def told():
        return " ".join(t.text for t in evaluate(window.desk.notebook).outcome.warnings)

    for i in range(5):
        hang(0.1 * i)
    assert "do not add it" not in told()
    hang(0.5)
    assert "do not add it" in told()
    hang(0.53)
    assert "beyond its safe reading" in told()
    stage.show_panel(0)
    shown = stage.trial.findChildren(type(stage.trial._title))
    assert any("safe reading" in w.text() for w in shown)
    results = evaluate(window.desk.notebook).outcome.results
    assert float(results["k"]) == pytest.approx(k, rel=0.01)
    assert float(results["rest_reading"]) == pytest.approx(rest, rel=0.01)
    stage.show_panel(2)
    check = next(iter(stage.set_up.ticks))
    stage.set_up.ticks[check].click()
    assert window.desk.notebook.findings.precautions == {check: ""}
    carrier, pieces, wanted = stage.set_up._planner
    carrier.setText("50")
    pieces.setText("100 50 20 20 10")
    wanted.setText("140")
    assert stage.set_up._answer.text() == "Hang on 50 + 20 + 20: total 140."
    wanted.setText("x")
    assert "x" in stage.set_up._answer.text()


def test_a_filmed_incline_whose_accelerations_fill_a_table(window, qtbot):
    """Segments of a take sent with one action each; the row follows a reading, and a broken link says so."""
    notebook, take, body, segment = made.measured(40, noise_px=0.3, seed=1)
    for first in (5, 10):
        notebook, _one = segment_edits.add_segment(notebook, take, body, of="x", frames=(first, 39))
    notebook = edits.start(notebook, TrialTable(investigation="force-acceleration"))
    window.desk.start(notebook)
    window.go_to("motion")
    motion = window.motion
    for i, one in enumerate(window.desk.take.segments):
        window.desk.choose_segment(one.id)
        assert motion.segment_panel.send.isVisible()
        offers = sendings(window.desk, window.desk.take, one)
        assert len(offers) == 1
        assert re.match(r"acceleration .* → acceleration$", offers[0].words)
        offers[0].act()
        trial = window.desk.notebook.trials.trials[-1]
        force = {(trial.id, "force"): f"{1.04 + 0.001 * i:.3f}"}
        window.desk.edit("type", edits.set_cells(window.desk.notebook, force))
    window.go_to("trials")
    assert [t.links["acceleration"].place for t in window.desk.notebook.trials.trials] == [
        s.id for s in window.desk.take.segments
    ]
    evaluation = evaluate(window.desk.notebook)
    before = evaluation.columns["acceleration"].value.copy()
    assert before == pytest.approx([2.0, 2.0, 2.0], rel=0.02)
    window.desk.go_to_frame(39)
    nudge(window.desk, 20.0, 0.0)
    after = evaluate(window.desk.notebook).columns["acceleration"].value
    assert all(after > before)
    table = window.trials.table
    first = window.desk.notebook.trials.trials[0]
    table.go_to(first.id, "acceleration")
    QApplication.processEvents()
    assert "follows" in window.trials.trial._told.text()
    window.desk.edit("remove", segment_edits.remove_segment(window.desk.notebook, take, segment))
    QApplication.processEvents()
    assert "Broken link" in window.trials.trial._told.text()
    assert evaluate(window.desk.notebook).columns["acceleration"].value == pytest.approx(after)
    unlink = window.trials.trial.unlink
    assert unlink.isVisible()
    qtbot.mouseClick(unlink, Qt.MouseButton.LeftButton)
    trial = window.desk.notebook.trials.trials[0]
    assert trial.links == {}
    assert not evaluate(window.desk.notebook).cell_problems
    window.desk.undo()
    assert window.desk.notebook.trials.trials[0].links
    window.desk.start(Notebook())
