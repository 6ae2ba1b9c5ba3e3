"""The stopwatch and its reaction test: keys, counting, what becomes of runs, the hand that is measured."""

import numpy as np
import pytest
import tables
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QInputDialog, QPushButton

from saltus.core.clock.hand import hand_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.runs import hand_of_column
from saltus.notebook.edits import timing as edits
from saltus.notebook.model import Notebook
from saltus.ui.stopwatch.reaction import SWING_S, TRIES, ReactionDialog

KEY = Qt.Key


class Clock:
    """A clock that stands still until it is set."""

    def __init__(self):
        self.now = 100.0

    def __call__(self):
        return self.now


@pytest.fixture
def watch(window):
    """The stopwatch over a table of a pendulum with one level and room for one run."""
    window.desk.start(tables.table("pendulum", [{"length": "0.600", "cycles": "3", "time": ""}]))
    window.go_to("trials")
    window.trials.watch.click()
    stage = window.stopwatch
    assert stage.isVisible()
    stage.clock = Clock()
    stage._planned.stepped.emit(3)
    return stage


def key(stage, at, which=KEY.Key_Space, text="", *, repeat=False):
    """Press a key at a moment of the clock, s."""
    stage.clock.now = 100.0 + at
    for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
        event = QKeyEvent(kind, which, Qt.KeyboardModifier.NoModifier, text, repeat)
        QApplication.sendEvent(QApplication.focusWidget() or stage, event)


def trials(stage):
    """Status, reason and time of all trials."""
    return [(t.status, t.reason, t.cells.get("time", "")) for t in stage._desk.notebook.trials.trials]


def test_a_run_of_three_cycles_stops_by_itself_and_is_kept(watch, window):
    """Counting starts at zero; the last pass stops it; the time stands in the table with its hand."""
    assert "Measure your hand first" in watch.next.text()
    key(watch, 0.0)
    assert "Counting began at zero: 3 more passes." in watch.next.text()
    key(watch, 0.4, repeat=True)  # a key held down is no second press
    key(watch, 1.6)
    key(watch, 3.1)
    assert trials(watch) == [("kept", "", "")]
    window.grab()
    key(watch, 4.68)
    assert trials(watch) == [("kept", "", "4.68")]
    assert "4.68 ± 0.28 s is in the table" in watch.next.text()
    assert window.desk.notebook.trials.instruments["time"].rule == "hand"
    # Space begins the next run at once, from zero
    for at in (10.0, 11.5, 13.0, 14.6):
        key(watch, at)
    assert trials(watch) == [("kept", "", "4.68"), ("kept", "", "4.60")]
    assert "2 of 2 kept" in watch._runs_count.text()
    assert "1: kept 4.68 s; 2: kept 4.60 s" in watch.runs.accessibleName()
    window.desk.undo()
    assert trials(watch) == [("kept", "", "4.68")]


def test_what_went_wrong_is_written_down(watch, monkeypatch):
    """Late, failed while it runs and afterwards, begun again: every run keeps its place with its reason."""
    reasons = iter([("touched the stand", True), ("lost count", True)])
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_a, **_k: next(reasons))
    for at in (0.0, 1.5, 3.0, 4.5):
        key(watch, at)
    key(watch, 5.0, KEY.Key_L, "l")
    key(watch, 6.0)
    key(watch, 7.0, KEY.Key_F, "f")
    for at in (10.0, 11.5, 13.0, 14.5):
        key(watch, at)
    key(watch, 15.0, KEY.Key_F, "f")
    key(watch, 20.0)
    key(watch, 21.0, KEY.Key_Escape)
    key(watch, 30.0)
    key(watch, 31.5)
    key(watch, 32.0, KEY.Key_L, "l")
    assert trials(watch) == [
        ("set-aside", "pressed late", "4.50"),
        ("failed", "touched the stand", ""),
        ("failed", "lost count", "4.50"),
        ("failed", "started again", ""),
        ("set-aside", "pressed late", "1.50"),
    ]
    assert watch.watch.state == "ready"
    assert "0 of 5 kept" in watch._runs_count.text()


def test_while_it_runs_nothing_else_reacts(watch, window, qtbot):
    """Other keys are swallowed while it runs, reach the window before and after; leaving keeps the run."""
    key(watch, 0.0)
    before = window.desk.notebook
    key(watch, 0.5, KEY.Key_A, "a")
    qtbot.keyClick(watch, KEY.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert watch.isVisible()
    assert window.desk.notebook is before
    window.go_to("trials")
    assert trials(watch) == [("failed", "started again", "")]
    assert watch.watch.state == "ready"


def test_space_is_for_the_control_that_tab_reached(watch, qtbot):
    """A click on a control leaves Space to the watch; who comes by Tab presses what has the focus; Esc goes back."""
    qtbot.mouseClick(watch.hide_digits, Qt.MouseButton.LeftButton)
    less = watch._planned.findChildren(QPushButton)[0]
    qtbot.mouseClick(less, Qt.MouseButton.LeftButton)
    assert watch.hide_digits.isChecked()
    assert watch.watch.planned == 2
    assert QApplication.focusWidget() is watch
    watch.hide_digits.setFocus(Qt.FocusReason.TabFocusReason)
    key(watch, 0.0)
    assert not watch.hide_digits.isChecked()
    assert watch.watch.state == "ready"
    key(watch, 0.5, KEY.Key_Escape)
    assert QApplication.focusWidget() is watch
    key(watch, 1.0)
    assert watch.watch.state == "running"
    watch.count_down.setFocus(Qt.FocusReason.TabFocusReason)
    key(watch, 2.0)  # while it runs every Space is a pass
    assert watch.watch.count == 1
    assert not watch.count_down.isChecked()


def test_it_counts_down_and_can_hide_its_digits(watch, qtbot, monkeypatch):
    """Three, two, one, each seen and heard, and it runs; Escape while it counts starts nothing."""
    heard = []
    monkeypatch.setattr(QApplication, "beep", lambda: heard.append(1))
    watch.count_down.setChecked(True)
    watch.hide_digits.setChecked(True)
    watch._countdown.setInterval(15)
    key(watch, 0.0)
    assert watch.digits.countdown == 3
    watch.grab()
    key(watch, 0.1)  # a press while it counts does nothing
    key(watch, 0.2, KEY.Key_Escape)
    assert (watch.digits.countdown, watch.watch.state) == (0, "ready")
    watch.clock.now = 105.0
    key(watch, 5.0)
    qtbot.waitUntil(lambda: watch.watch.state == "running")
    assert watch.watch.passes == [105.0]
    assert len(heard) == 5
    assert watch.digits.hidden_digits
    watch.grab()


def test_it_needs_a_column_for_times(window):
    """Without an investigation, or with no column for seconds, a press says what is missing."""
    window.desk.start(Notebook())
    window.go_to("stopwatch")
    stage, said = window.stopwatch, []
    window.desk.said.connect(lambda words, _kind: said.append(words))
    stage.clock = Clock()
    key(stage, 0.0)
    assert "Choose an investigation" in stage.next.text()
    assert said == ["Choose an investigation with a column for times first."]
    window.desk.start(tables.free([("x", "m", ""), ("y", "m", "")], [{"x": "1", "y": "2"}]))
    stage.refresh()
    assert "no column for times" in stage.next.text()
    key(stage, 1.0)
    assert stage.watch.state == "ready"


def test_a_measured_hand_is_used_from_then_on(watch, window, qtbot, monkeypatch):
    """The test's presses are kept by name, the column is read with them, the next run is that much surer."""
    rng = np.random.default_rng(3)
    late = rng.normal(0.02, 0.03, TRIES)

    def sit_the_test(dialog):
        qtbot.addWidget(dialog)
        dialog.clock = Clock()
        dialog.setModal(True)
        dialog.show()
        dialog.name.setText("Mira")
        press(dialog, 0.0)
        for n, off in enumerate(late):
            press(dialog, SWING_S / 4 + n * SWING_S / 2 + off)
        assert dialog.use.isEnabled()
        dialog.use.click()
        return True

    monkeypatch.setattr(ReactionDialog, "exec", sit_the_test)
    watch.hand.measure.click()
    (hand,) = window.desk.notebook.hands
    assert (hand.name, len(hand.predicted)) == ("Mira", TRIES)
    assert hand.predicted == pytest.approx(late, abs=6e-5)
    assert hand_of_column(window.desk.notebook, "time") == hand.id
    assert watch.hand._hand.currentText() == "Mira"
    assert watch.hand.measure.text() == "Measure again…"
    for at in (0.0, 1.5, 3.0, 4.5):
        key(watch, at)
    column = evaluate(window.desk.notebook).columns["time"]
    assert float(column.u[0]) == pytest.approx(1.45 * hand_of(late).u, rel=0.05)
    # start seen, stop foreseen: not before both were measured
    watch.hand._judged.setCurrentIndex(1)
    watch.hand._judged.activated.emit(1)
    assert "Measure both" in watch.hand._judged_words.text()
    made = edits.set_presses(window.desk.notebook, hand.id, "seen", tuple(0.2 + rng.normal(0, 0.02, 12)))
    window.desk.edit("seen", made)
    assert "taken off" in watch.hand._judged_words.text()
    for at in (10.0, 11.5, 13.0, 14.5):
        key(watch, at)
    assert "±" in trials(watch)[-1][2]
    assert float(trials(watch)[-1][2].split(" ")[0]) == pytest.approx(4.5 + 0.18, abs=0.02)


def press(dialog, at):
    """Press Space in the reaction test at a moment."""
    dialog.clock.now = 100.0 + at
    event = QKeyEvent(QEvent.Type.KeyPress, KEY.Key_Space, Qt.KeyboardModifier.NoModifier, " ")
    QApplication.sendEvent(dialog, event)


@pytest.fixture
def asked(window, qtbot):
    """A reaction test with a clock of its own."""
    window.desk.start(Notebook())
    dialog = ReactionDialog(window, window.desk)
    qtbot.addWidget(dialog)
    dialog.clock = Clock()
    dialog.show()
    return dialog


def test_presses_that_belong_to_no_crossing_do_not_count(asked, window):
    """Far off, or twice at the same crossing: said and not counted; too few presses are no hand."""
    dialog = asked
    press(dialog, 0.0)
    press(dialog, SWING_S / 4 - 0.02)
    press(dialog, SWING_S / 4 + 0.03)
    assert "belongs to no crossing" in dialog._told.text()
    assert dialog.presses == pytest.approx([-0.02])
    assert not dialog.use.isEnabled()
    assert "1 of 18 presses; 10 are enough." in dialog._sum.text()
    for n in range(1, 12):
        press(dialog, SWING_S / 4 + n * SWING_S / 2 + 0.01 * (-1) ** n)
    assert dialog.use.isEnabled()
    assert "u = " in dialog._sum.text()
    dialog.grab()
    dialog.again.click()
    assert (dialog.presses, dialog.use.isEnabled()) == ([], False)
    dialog.reject()
    assert not window.desk.notebook.hands


def test_answering_to_a_light(asked, window):
    """Dark for a while, then a light; before it no press counts; what is kept is how late the answers were."""
    dialog = asked
    dialog.kinds["seen"].click()
    press(dialog, 0.0)
    press(dialog, 0.3)
    assert "before the light" in dialog._told.text()
    for n in range(12):
        dialog.clock.now = 100.0 + 10 * (n + 1)
        dialog._tick()
        assert dialog.scene.lit == dialog.clock.now
        dialog.grab()
        press(dialog, 10 * (n + 1) + 0.2 + 0.01 * (n % 3))
        assert dialog.scene.lit is None
    assert dialog.presses == pytest.approx([0.2 + 0.01 * (n % 3) for n in range(12)])
    dialog.name.setText("Ada")
    dialog.use.click()
    (hand,) = window.desk.notebook.hands
    assert (hand.name, hand.predicted) == ("Ada", ())
    assert hand.seen == pytest.approx([0.2 + 0.01 * (n % 3) for n in range(12)])
    assert not dialog._timer.isActive()


def test_a_hand_is_chosen_as_the_instrument_of_a_column(window):
    """On Trials, under Given: by whose hand a column was timed; undo brings back what it was read with."""
    notebook, hand = edits.add_hand(tables.pendulum(repeats=1), "Mira")
    presses = tuple(np.linspace(-0.04, 0.05, 12))
    window.desk.start(edits.set_presses(notebook, hand, "predicted", presses))
    window.go_to("trials")
    panel = window.trials.givens
    rule, box = panel.rules["time"], panel.hands["time"]
    assert panel.rules["length"].findData("hand") < 0
    rule.setCurrentIndex(rule.findData("hand"))
    rule.activated.emit(rule.currentIndex())
    assert box.currentData() == ""
    box.setCurrentIndex(box.findData(hand))
    box.activated.emit(box.currentIndex())
    assert hand_of_column(window.desk.notebook, "time") == hand
    assert not panel.amounts["time"].isVisible()
    u = float(evaluate(window.desk.notebook).columns["time"].u[0])
    assert 1.4 * hand_of(presses).u < u < 1.8 * hand_of(presses).u
    rule.setCurrentIndex(rule.findData("digital"))
    rule.activated.emit(rule.currentIndex())
    assert window.desk.notebook.trials.instruments["time"].amount == ""
    window.desk.undo()
    assert hand_of_column(window.desk.notebook, "time") == hand
