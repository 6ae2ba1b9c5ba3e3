"""The Time stage by keys and mouse: instants, sounds, cycles, gates, by hand; the clock of a take."""

import math
import time

import made
import pytest
from conftest import KNOCKS, choose, drag_to, keys, menu_click, timing
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QWheelEvent
from PyQt6.QtWidgets import QApplication, QInputDialog

from saltus.footage.opening import facts_of
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.times import count_value, gate_values, interval_value
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import timing as edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook, TakeFacts
from saltus.notebook.readings import Reading, Readings
from saltus.notebook.trials import TrialTable
from saltus.ui.film.clock_check import ClockDialog
from saltus.ui.time.rates import RatesDialog

KEY, HELD, LEFT = Qt.Key, Qt.KeyboardModifier, Qt.MouseButton.LeftButton


@pytest.fixture
def stage(window, recorded, qtbot):
    """The Time stage with the film of the knocks, heard."""
    path = recorded / "drum.mov"
    notebook, take_id = made.with_film(Notebook(title="Drum"))
    take = notebook.take(take_id).but(film=reference(path), facts=TakeFacts.of(facts_of(path)))
    window.desk.start(notebook.but(takes=(take,)), path.with_name("n.saltus"))
    window.go_to("time")
    qtbot.waitUntil(lambda: window.time.sounds.of(window.desk.take) is not None)
    qtbot.waitUntil(window.time.view.ready)
    return window.time


# -- instants ----------------------------------------------------------------------------------------


def test_a_start_and_a_stop_by_keys_make_an_interval(stage, window, qtbot, monkeypatch):
    """Define an event, mark twice, keep the interval of ten cycles; undo takes each step back."""
    desk = window.desk
    assert "press I" in stage.next.text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("contact", True))
    stage.instants.add_event()
    field = stage.instants._words
    field.setText("lower edge touches the mat")
    qtbot.keyClick(field, KEY.Key_Return)
    assert stage.plate() == "contact: lower edge touches the mat"
    keys(qtbot, stage, KEY.Key_I)
    assert not timing(window).instants  # nothing was seen before the first frame
    desk.go_to_frame(15)
    keys(qtbot, stage, KEY.Key_I)
    assert "Now the stop" in stage.next.text()
    keys(qtbot, stage, *[KEY.Key_Right] * 3, KEY.Key_E)
    assert [(i.how, i.frame) for i in timing(window).instants] == [("between", 15), ("in", 18)]
    assert stage.instants._value.text() == "0.117 ± 0.026 s"
    stage.instants._cycles.stepped.emit(10)
    stage.instants._cycles.show_value(10)
    stage.instants._show_interval()
    assert "each cycle 0.0117 ± 0.0026 s" in stage.instants._period.text()
    stage.instants.keep()
    (kept,) = timing(window).intervals
    assert (kept.cycles, kept.name) == (10, "contact  0.483 s → contact  0.600 s")
    assert desk.notebook.event(timing(window).instants[0].event).words == "lower edge touches the mat"
    stage.instants.intervals.setFocus()
    stage.instants.intervals.choose(kept.id)
    qtbot.keyClick(stage.instants.intervals, KEY.Key_Delete)
    assert not timing(window).intervals
    for _step in range(3):
        desk.undo()
    assert len(timing(window).instants) == 1
    desk.redo()
    assert len(timing(window).instants) == 2


def test_the_wrong_way_round_says_so_and_keeps_nothing(stage, window, qtbot):
    """Stop before start: a sentence where the value would stand; Enter on an instant goes to its frame."""
    for frame in (30, 20):
        window.desk.go_to_frame(frame)
        keys(qtbot, stage, KEY.Key_I)
    start, stop = stage.instants._ends
    choose(start, "instant-1")
    choose(stop, "instant-2")
    assert "exchange them" in stage.instants._value.text()
    assert not stage.instants._keep.isEnabled()
    choose(stop, "instant-1")
    assert stage.instants._value.text() == "Choose two instants."
    lines = stage.instants.instants
    lines.selectRow(1)
    qtbot.keyClick(lines, KEY.Key_Return)
    assert window.desk.frame == 30
    qtbot.keyClick(lines, KEY.Key_Delete)
    assert [i.frame for i in timing(window).instants] == [20]


def test_sounds_are_gone_to_and_taken(stage, window, qtbot):
    """N to the next knock, Enter takes it, a click on a mark too; each within what is stated."""
    heard = stage.sounds.of(window.desk.take)
    assert [o[0] for o in heard.onsets] == pytest.approx(KNOCKS, abs=2e-3)
    keys(qtbot, stage, KEY.Key_N)
    assert window.desk.frame == 15
    keys(qtbot, stage, KEY.Key_Return, KEY.Key_N)
    assert window.desk.frame == 30
    x, y = stage.timeline.px(KNOCKS[2]), stage.timeline.high - 40
    scale = stage.timeline._factor()
    qtbot.mouseClick(stage.timeline, LEFT, pos=QPoint(round(x * scale), round(y * scale)))
    found = [i for i in timing(window).instants if i.how == "sound"]
    assert [i.at for i in found] == pytest.approx([KNOCKS[0], KNOCKS[2]], abs=2e-3)
    stage.instants.keep()
    q = interval_value(window.desk.take, timing(window).intervals[0])
    assert abs(float(q) - 1.0) <= q.U95 < 2e-3
    # far from the last knock it begins again
    window.desk.go_to_frame(65)
    keys(qtbot, stage, KEY.Key_N)
    assert window.desk.frame == 15


def test_the_lane_zooms_to_the_sample(stage, window, qtbot):
    """Wheel and keys zoom about the pointer and the cursor, 0 shows all; a double click marks by eye."""
    timeline = stage.timeline
    whole = timeline.span()
    window.desk.go_to_frame(30)
    here = QPointF(timeline.px(1.0) * timeline._factor(), timeline.height() - 60)
    for _turn in range(25):
        event = QWheelEvent(here, timeline.mapToGlobal(here), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
                            HELD.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(timeline, event)
    first, last = timeline.span()
    assert last - first == pytest.approx(0.0005, rel=0.01)
    assert first <= 1.0 <= last
    timeline.grab()
    timeline.show_window(0.7, 0.8)
    timeline.grab()
    spot = QPoint(round(timeline.px(0.75) * timeline._factor()), round(here.y()))
    qtbot.mouseDClick(timeline, LEFT, pos=spot)
    (by_eye,) = timing(window).instants
    assert by_eye.at == pytest.approx(0.75, abs=2e-4)
    assert 0 < by_eye.half < 1e-3
    qtbot.keyClick(timeline, KEY.Key_0)
    assert timeline.span() == whole
    qtbot.keyClick(timeline, KEY.Key_Plus)
    narrower = timeline.span()
    assert narrower[1] - narrower[0] < whole[1] - whole[0]
    # going on keeps the cursor in sight
    window.desk.go_to_frame(64)
    assert timeline.span()[0] <= window.desk.time() <= timeline.span()[1]


def test_the_way_of_the_sound_is_stated_and_taken_off(stage, window, qtbot):
    """Distance and warmth move what was heard; nonsense is marked and says what is wrong."""
    way = stage.instants.way
    keys(qtbot, stage, KEY.Key_N, KEY.Key_Return)
    way.distance.setText("8.0 ± 0.1 m")
    qtbot.keyClick(way.distance, KEY.Key_Return)
    way.warmth.setText("10")
    qtbot.keyClick(way.warmth, KEY.Key_Return)
    assert "Heard 23.7 ± 0.6 ms" in way._told.text()
    assert "0.486" in stage.instants.instants.item(0, 1).text()
    way.distance.setText("a stone’s throw")
    qtbot.keyClick(way.distance, KEY.Key_Return)
    assert way.distance.property("wrong") == "true"
    assert "Heard" not in way._told.text()
    window.desk.undo()
    assert way.distance.text() == "8.0 ± 0.1 m"


def test_timed_by_hand_while_it_plays(stage, window, qtbot):
    """Space at the start and at the stop as it plays; the film's own time stands beside it."""
    for frame in (15, 45):
        window.desk.go_to_frame(frame)
        keys(qtbot, stage, KEY.Key_I)
    stage.instants.keep()
    stage.time_by_hand()
    assert stage.player.playing
    assert "Space at the start" in stage.plate()
    begun = time.monotonic()
    qtbot.keyClick(stage.view, KEY.Key_Space)
    qtbot.wait(120)
    qtbot.keyClick(stage.view, KEY.Key_Space)
    took = time.monotonic() - begun
    (by_hand,) = timing(window).by_hand
    assert 0.1 < by_hand.stop - by_hand.start < took + 0.05
    assert by_hand.interval == timing(window).intervals[0].id
    words = stage.instants._by_hand.text()
    assert "From the film 1.000 ± 0.026 s" in words
    assert "they do not agree" in words
    stage.time_by_hand()
    window.go_to("read")
    assert not stage.player.playing
    assert stage._presses is None


# -- cycles ------------------------------------------------------------------------------------------


def test_passings_are_counted_by_key(stage, window, qtbot):
    """C at each passing, counting starts at zero; again takes back; X sets one aside, numbers stay."""
    panel = stage.cycles
    for frame in (5, 20, 35, 50):
        window.desk.go_to_frame(frame)
        keys(qtbot, stage, KEY.Key_C)
    assert stage.mode == "cycles"
    assert "C" in stage.next.text()
    assert panel._period.text() == "T = 0.500 ± 0.009 s"
    assert "3 cycles, 95 %. The next passing is 4." in panel._ends.text()
    lines = panel.lines
    lines.selectRow(3)
    qtbot.keyClick(lines, KEY.Key_X)
    assert timing(window).counts[0].aside == (3,)
    assert "2 cycles" in panel._ends.text()
    window.desk.undo()
    keys(qtbot, stage, KEY.Key_C)
    assert timing(window).counts[0].frames == (5, 20, 35)
    panel._percent.setText("0.5")
    qtbot.keyClick(panel._percent, KEY.Key_Return)
    assert "cycles" in panel._wanted.text()
    panel._percent.setText("nonsense")
    qtbot.keyClick(panel._percent, KEY.Key_Return)
    assert "cycles" not in panel._wanted.text()
    assert window.grab().width() == 1280


def test_what_is_heard_is_counted(stage, window, qtbot, monkeypatch):
    """New count by ear, all onsets, once or twice a cycle; a click on a mark takes one back."""
    menu_click(monkeypatch, "By ear")
    stage.choose("cycles")
    stage.cycles._ask_new()
    stage.cycles.count_all()
    (count,) = timing(window).counts
    assert len(count.onsets) == 4
    choose(stage.cycles._per, 2)
    found = count_value(window.desk.take, timing(window).counts[0])
    assert float(found.period) == pytest.approx(1.0, abs=2e-3)
    assert stage.cycles._per.currentText() == "twice a cycle"
    scale = stage.timeline._factor()
    spot = QPoint(round(stage.timeline.px(KNOCKS[3]) * scale), round((stage.timeline.high - 40) * scale))
    qtbot.mouseClick(stage.timeline, LEFT, pos=spot)
    assert len(timing(window).counts[0].onsets) == 3
    stage.cycles._drop()
    assert not timing(window).counts


@pytest.fixture
def read(stage, window):
    """The take with a cart read along x, to and fro."""
    notebook = made.scaled(window.desk.notebook, window.desk.take_id, length_m=0.1, pixels=100.0)
    notebook, body = reading_edits.add_body(notebook, window.desk.take_id, "Cart")
    take = notebook.take(window.desk.take_id)
    # a swing of half a second
    rows = Readings([Reading(n, 60 + 40 * math.sin(2 * math.pi * n / 15 + 0.3), 50.0) for n in range(66)])
    take = take.but(bodies=(take.body(body).but(readings=rows, u_px=0.2),))
    window.desk.edit("read", notebook.but(takes=(take,)))
    return stage


def test_passings_are_found_from_readings(read, window, qtbot, monkeypatch):
    """Body, axis, level and direction by choice; the level as typed, or a sentence."""
    menu_click(monkeypatch, "From the readings")
    read.choose("cycles")
    read.cycles._ask_new()
    panel = read.cycles
    assert (panel._body.currentText(), panel._of.currentText()) == ("Cart", "x")
    q = count_value(window.desk.take, timing(window).counts[0]).period
    assert abs(float(q) - 0.5) <= q.U95 < 0.01
    choose(panel._way, "down")
    assert timing(window).counts[0].direction == "down"
    panel._level.setText("0.02")
    qtbot.keyClick(panel._level, KEY.Key_Return)
    assert timing(window).counts[0].level == pytest.approx(0.02)
    panel._level.setText("two")
    qtbot.keyClick(panel._level, KEY.Key_Return)
    assert timing(window).counts[0].level == pytest.approx(0.02)
    assert panel._level.property("wrong") == "true"
    panel._level.setText("5")
    qtbot.keyClick(panel._level, KEY.Key_Return)
    assert "never crossed" in panel._warning.text() or "never crossed" in panel._period.text()


# -- gates -------------------------------------------------------------------------------------------


def test_gates_are_laid_dragged_spaced_and_copied(read, window, qtbot, click):
    """A click lays the first, a drag moves it; spacing and number give a table that can be copied."""
    read.choose("gates")
    assert "Lay gates" in read.next.text()
    assert not read.gating._part.isVisible()
    click(read.view, (60.0, 50.0))
    (gates,) = timing(window).gates
    assert gates.place == pytest.approx((60.0, 50.0), abs=1.0)
    spots = [read.view.place(x, 50.0) for x in (60.0, 70.0)]
    qtbot.mousePress(read.view, LEFT, pos=spots[0].toPoint())
    drag_to(read.view, spots[1].toPoint())
    qtbot.mouseRelease(read.view, LEFT, pos=spots[1].toPoint())
    assert timing(window).gates[0].place[0] == pytest.approx(70.0, abs=1.0)
    panel = read.gating
    panel._number.stepped.emit(2)
    assert "spacing" in panel._told.text()
    panel._spacing.setText("0.01")
    qtbot.keyClick(panel._spacing, KEY.Key_Return)
    passed, _told = gate_values(window.desk.take, timing(window).gates[0])
    assert {p.gate for p in passed} == {0, 1}
    assert panel.lines.rowCount() == len(passed)
    panel._spacing.setText("1e9")
    qtbot.keyClick(panel._spacing, KEY.Key_Return)
    assert "10 km" in panel._spacing.toolTip()
    panel.copy()
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[0].startswith("gate\tplace [m]\tt [s]")
    assert float(lines[1].split("\t")[2]) == pytest.approx(float(passed[0].crossing.time), rel=1e-8)
    panel.lines.selectRow(1)
    qtbot.keyClick(panel.lines, KEY.Key_Return)
    assert abs(window.desk.time() - float(passed[1].crossing.time)) < 1 / 15
    window.grab()
    panel._drop()
    assert not timing(window).gates


def test_times_go_to_the_table(read, window, qtbot, monkeypatch):
    """Without a table the menu says what is missing; with one, the period goes into a cell and is linked."""
    said = menu_click(monkeypatch, "period")
    for frame in (15, 45):
        window.desk.go_to_frame(frame)
        keys(qtbot, read, KEY.Key_I)
    read.instants._cycles.show_value(2)
    read.instants.keep()
    read.instants._ask_send()
    assert said == ["Choose an investigation on Trials first: its table takes the time."]
    made_table = trial_edits.start(window.desk.notebook, TrialTable(investigation="pendulum"))
    made_table, _ids = trial_edits.add_trials(made_table, [{"length": "0.25"}])
    window.desk.edit("start", made_table)
    said.clear()
    menu_click(monkeypatch, "time")
    read.instants._ask_send()
    table = window.desk.notebook.trials
    (link,) = [link for trial in table.trials for link in trial.links.values()]
    assert (link.kind, link.place) == ("interval", "interval-1")


# -- the clock --------------------------------------------------------------------------


def test_the_clock_is_checked_against_a_filmed_watch(stage, window, qtbot):
    """Frames in hand and what the watch shows; the rate goes into the take; wrong input is a sentence."""
    dialog = ClockDialog(window, window.desk, window.desk.take_id)
    qtbot.addWidget(dialog)
    dialog.show()
    for which, frame, shown in ((0, 5, "1.20"), (1, 65, "1.45")):
        window.desk.go_to_frame(frame)
        dialog.take_frame(which)
        dialog.shown[which].setText(shown)
        dialog.work_out()
    assert "Taken at 240" in dialog.answer.text()
    assert "8 times slower" in dialog._plays.text()
    dialog.shown[1].setText("1.10")
    dialog.work_out()
    assert "must show more" in dialog.answer.text()
    assert not dialog.use.isEnabled()
    dialog.shown[1].setText("1.45")
    dialog.work_out()
    dialog.use.click()
    assert window.desk.take.capture_rate == pytest.approx(240.0)
    assert window.desk.take.clock_U95_percent == pytest.approx(3.2, abs=0.1)
    assert frame_times(window.desk.take)[60] == pytest.approx(0.25)
    # the sound of a film that plays slower times nothing, and says so
    stage.timeline.grab()
    keys(qtbot, stage, KEY.Key_N, KEY.Key_Return)
    dialog.show_way("fall")
    assert "segment" in dialog.answer.text()


@pytest.mark.usefixtures("stage")
def test_exposure_and_row_offset_are_typed_on_film(window, qtbot):
    """Seconds as typed go into the take; what is no time is marked."""
    window.go_to("film")
    film = window.film
    for field, text in ((film._exposure, "0.002"), (film._readout, "0.015")):
        field.setText(text)
        qtbot.keyClick(field, KEY.Key_Return)
    assert (timing(window).shutter.exposure_s, timing(window).shutter.readout_s) == (0.002, 0.015)
    film._readout.setText("slow")
    qtbot.keyClick(film._readout, KEY.Key_Return)
    assert film._readout.property("wrong") == "true"
    assert timing(window).shutter.readout_s == 0.015


@pytest.mark.usefixtures("stage")
def test_rates_that_look_the_same_are_listed(window, qtbot):
    """For a film and for a strobe, with what would settle it, the caution, and a sentence for nonsense."""
    dialog = RatesDialog(window, window.desk.take, 12.0)
    qtbot.addWidget(dialog)
    dialog.show()
    assert "12, 18, 42, 48" in dialog.answer.text()
    assert "fewer than four frames" in dialog.settle.text()
    choose(dialog.seen_by, "strobe")
    dialog.rate.setText("50")
    dialog.work_out()
    assert "50, 100, 150" in dialog.answer.text()
    assert dialog.caution.isVisible()
    assert "seizures" in dialog.caution.text()
    dialog.rate.setText("fast")
    dialog.work_out()
    assert "fast" in dialog.answer.text()


def test_events_belong_to_the_notebook_not_the_take(stage, window, qtbot):
    """The definition written on one take is offered on the next, and I on Read marks by it."""
    notebook, event = edits.add_event(window.desk.notebook, "release", "first frame it moves")
    window.desk.edit("define", notebook)
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    window.desk.go_to_frame(12)
    qtbot.keyClick(window.read.view, KEY.Key_I)
    (marked,) = timing(window).instants
    assert (marked.event, marked.frame, marked.how) == (event, 12, "between")
    window.go_to("time")
    assert stage.instants.instants.item(0, 0).text() == "release"
