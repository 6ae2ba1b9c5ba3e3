"""Read: exact frames by keys, readings by click, drag and keys, all of it undone and redone."""

from dataclasses import replace

import numpy as np
import pytest
from clips import plain_decode
from conftest import drag_to
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu, QStyle, QStyleOptionFrame

from saltus.notebook.edits import readings as edits
from saltus.notebook.edits import takes as take_edits
from saltus.simulate.demo import demo_notebook

KEY, HELD = Qt.Key, Qt.KeyboardModifier


def pixels(image):
    """RGB of a picture."""
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8).copy()
    return data.reshape(image.height(), -1)[:, : 3 * image.width()].reshape(image.height(), -1, 3)


def reading(window, frame=None):
    """The reading of the body in hand in a frame."""
    return window.desk.body.readings.at(window.desk.frame if frame is None else frame)


def test_the_frame_on_screen_is_the_frame_of_the_file(shown, clip, qtbot):
    """Steps on and back, ten at a time, Home, End and a click in the score show exactly frame N."""
    truth, view, desk = plain_decode(clip), shown.read.view, shown.desk
    expected = 0
    for key, held, expected in (
        (KEY.Key_Right, HELD.NoModifier, 1), (KEY.Key_Right, HELD.NoModifier, 2),
        (KEY.Key_Right, HELD.ShiftModifier, 12), (KEY.Key_Left, HELD.NoModifier, 11),
        (KEY.Key_End, HELD.NoModifier, 29), (KEY.Key_Right, HELD.NoModifier, 29),
        (KEY.Key_Left, HELD.ShiftModifier, 19), (KEY.Key_Home, HELD.NoModifier, 0),
        (KEY.Key_Left, HELD.NoModifier, 0),
    ):  # fmt: skip
        qtbot.keyClick(view, key, held)
        assert desk.frame == expected
        qtbot.waitUntil(view.ready)
        assert np.array_equal(pixels(view.image()), truth[expected][0])
    timeline = shown.read.timeline
    qtbot.mouseClick(timeline, Qt.MouseButton.LeftButton, pos=QPoint(round(timeline.px(17 / 30)), 60))
    assert desk.frame == 17
    drag_to(timeline, QPoint(round(timeline.px(5 / 30)), 60))
    assert desk.frame == 5
    qtbot.waitUntil(view.ready)
    assert np.array_equal(pixels(view.image()), truth[5][0])


def test_a_click_reads_and_moves_on(shown, click, qtbot):
    """The first click makes a body; every click places a reading and advances by the step; undo takes it back."""
    view, desk = shown.read.view, shown.desk
    click(view, (100, 60))
    assert desk.body.name == "Body 1"
    assert desk.frame == 1
    assert reading(shown, 0).x == pytest.approx(100, abs=1)
    shown.read.reading._step._set(4)
    qtbot.waitUntil(view.ready)
    click(view, (110, 64))
    assert (desk.frame, desk.take.step) == (5, 4)
    assert reading(shown, 1).y == pytest.approx(64, abs=1)
    window_keys = shown
    qtbot.keyClick(window_keys, KEY.Key_Z, HELD.ControlModifier)
    assert reading(shown, 1) is None
    qtbot.keyClick(window_keys, KEY.Key_Z, HELD.ControlModifier | HELD.ShiftModifier)
    assert reading(shown, 1) is not None
    for _step in range(6):
        qtbot.keyClick(window_keys, KEY.Key_Z, HELD.ControlModifier)
    assert desk.take.bodies == ()
    assert not shown.strip.undo.isEnabled()


def test_cells_show_what_is_read_and_where_one_is(shown, click, qtbot):
    """Read frames are filled and the frame in hand is framed; beyond the kept part none is."""
    view, desk, cells = shown.read.view, shown.desk, shown.read.reading.cells
    click(view, (100, 60))
    assert cells._states == ["filled"] + ["open"] * 29
    assert cells._here == 1
    filled, plain = (cells.grab().toImage().pixelColor(cells._box(i).center().toPoint()) for i in (0, 5))
    assert filled != plain
    qtbot.keyClick(view, KEY.Key_Right)
    assert cells._here == 2
    desk.edit("keep", take_edits.keep_part(desk.notebook, desk.take_id, 0, 9))
    desk.go_to_frame(20)
    assert (len(cells._states), cells._here) == (10, None)


def test_a_click_waits_for_its_picture(shown, click, qtbot):
    """While the picture on screen is not that of the frame in hand, a click reads nothing."""
    view, desk = shown.read.view, shown.desk
    desk.shown = (desk.take_id, 7, desk.shown[2])
    click(view, (100, 60))
    assert desk.take.bodies == ()
    qtbot.keyClick(view, KEY.Key_Right)
    qtbot.waitUntil(view.ready)
    click(view, (-30, 60))
    assert desk.take.bodies == ()


def test_readings_are_corrected_by_drag_keys_and_typing(shown, click, qtbot):
    """Dragging keeps the grip, Alt+arrows move by 1, 0.1 and 20 px in one step of undo, typing sets the place."""
    view, desk = shown.read.view, shown.desk
    click(view, (100, 60))
    qtbot.keyClick(view, KEY.Key_Left)
    qtbot.waitUntil(view.ready)
    before = reading(shown)
    # pressed two px beside the reading, moved by thirty: the offset of the grip is kept
    click(view, (before.x + 2, before.y), (before.x + 22, before.y + 5), (before.x + 32, before.y + 10))
    assert (reading(shown).x, reading(shown).y) == (
        pytest.approx(before.x + 30, abs=1),
        pytest.approx(before.y + 10, abs=1),
    )
    assert desk.frame == 0
    start = reading(shown)
    alt = HELD.AltModifier
    for key, held, dx, dy in (
        (KEY.Key_Right, alt, 1, 0), (KEY.Key_Up, alt, 0, -1), (KEY.Key_Left, alt | HELD.ControlModifier, -0.1, 0),
        (KEY.Key_Down, alt | HELD.ShiftModifier, 0, 20),
    ):  # fmt: skip
        was = reading(shown)
        qtbot.keyClick(view, key, held)
        assert reading(shown).x - was.x == pytest.approx(dx)
        assert reading(shown).y - was.y == pytest.approx(dy)
    qtbot.keyClick(shown, KEY.Key_Z, HELD.ControlModifier)
    assert reading(shown) == start
    field = shown.read.reading._typed["x"]
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "12,5")
    qtbot.keyClick(field, KEY.Key_Return)
    assert (reading(shown).x, reading(shown).origin) == (12.5, "typed")
    for wrong in ("abc", "9999"):
        field.selectAll()
        qtbot.keyClicks(field, wrong)
        qtbot.keyClick(field, KEY.Key_Return)
        assert field.property("wrong") == "true"
        assert reading(shown).x == 12.5
        assert wrong in shown.messages.text() or "0 to 319" in shown.messages.text()


def test_the_whole_reading_by_keys(shown, qtbot):
    """Enter places at the expected place, then goes on; Tab changes the body, X sets aside, Delete deletes."""
    view, desk = shown.read.view, shown.desk
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.frame == 0
    assert (reading(shown).x, reading(shown).y) == (160, 90)
    for frame, x in ((1, 164), (2, 168), (3, 172)):
        qtbot.keyClick(view, KEY.Key_Return)
        assert desk.frame == frame
        qtbot.waitUntil(view.ready)
        qtbot.keyClick(view, KEY.Key_Return)
        if frame == 1:
            for _nudge in range(4):
                qtbot.keyClick(view, KEY.Key_Right, HELD.AltModifier)
        # from two readings on the motion is carried on
        assert reading(shown).x == pytest.approx(x)
    notebook, second = edits.add_body(desk.notebook, desk.take_id, "Second")
    desk.edit("add", notebook)
    first = desk.body.id
    qtbot.keyClick(view, KEY.Key_Tab)
    assert desk.body.id == second
    qtbot.keyClick(view, KEY.Key_Backtab, HELD.ShiftModifier)
    assert desk.body.id == first
    qtbot.keyClick(view, KEY.Key_X)
    assert not reading(shown).used
    qtbot.keyClick(view, KEY.Key_X)
    assert reading(shown).used
    qtbot.keyClick(view, KEY.Key_Delete)
    assert reading(shown) is None
    # letters typed in a field are text, not commands
    field = shown.read.reading._u_field
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "0.5 px")
    qtbot.keyClick(field, KEY.Key_Return)
    assert desk.body.u_px == 0.5
    assert len(desk.body.readings) == 3


def test_zoom_keeps_the_place_under_the_pointer(shown, click, qtbot):
    """After zooming about a place a click there reads the same pixel, finer; the loupe shows it."""
    view, desk = shown.read.view, shown.desk
    spot = view.place(200, 120)
    wheel = QWheelEvent(spot, view.mapToGlobal(spot), QPoint(), QPoint(0, 480), Qt.MouseButton.NoButton,
                        HELD.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    before = view.zoom()
    QApplication.sendEvent(view, wheel)
    assert view.zoom() == pytest.approx(before * 1.25**4)
    assert (view.place(200, 120) - spot).manhattanLength() < 1e-6
    click(view, (200.2, 119.9))
    assert (reading(shown, 0).x, reading(shown, 0).y) == (
        pytest.approx(200.2, abs=0.2),
        pytest.approx(119.9, abs=0.2),
    )
    qtbot.keyClick(view, KEY.Key_Left)
    view.left.emit()
    assert (shown.read.reading.loupe.centre() - QPointF(200.2, 119.9)).manhattanLength() < 0.5
    qtbot.keyClick(view, KEY.Key_0)
    assert view.zoom() == before
    qtbot.keyClick(view, KEY.Key_Plus)
    qtbot.keyClick(view, KEY.Key_Minus)
    assert view.zoom() == before
    qtbot.mousePress(view, Qt.MouseButton.MiddleButton, pos=QPoint(200, 200))
    qtbot.mouseRelease(view, Qt.MouseButton.MiddleButton, pos=QPoint(240, 210))
    assert len(desk.body.readings) == 1


def test_bodies_are_added_named_and_removed(shown, click, monkeypatch):
    """Add asks for a name; the menu renames and removes; undo brings a body back with its readings."""
    desk, stage = shown.desk, shown.read
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Brass bob", True))
    stage.reading.add_body()
    assert desk.body.name == "Brass bob"
    click(stage.view, (50, 50))
    line = stage.reading._bodies.itemAt(0).widget()
    assert line.accessibleName() == "Brass bob"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Pear", True))
    monkeypatch.setattr(QMenu, "exec", lambda menu, *_a: menu.actions()[0])
    stage.reading._body_menu(desk.body.id, line, QPoint())
    assert desk.body.name == "Pear"
    monkeypatch.setattr(QMenu, "exec", lambda menu, *_a: menu.actions()[1])
    stage.reading._body_menu(desk.body.id, line, QPoint())
    assert desk.take.bodies == ()
    desk.undo()
    assert len(desk.body.readings) == 1


def test_the_screen_says_what_comes_next(shown, click, qtbot):
    """The next step is on the screen from the first click to the last, and positions carry their unit."""
    stage, desk = shown.read, shown.desk
    assert "click its centre" in stage.next.text()
    click(stage.view, (50, 50))
    assert "Click the centre of Body 1" in stage.next.text()
    assert shown.strip.pill.accessibleName() == "No result yet: read 3 frames"
    for x in (60, 70):
        qtbot.waitUntil(stage.view.ready)
        click(stage.view, (x, 50))
    assert "Motion can fit a model" in stage.next.text()
    assert shown.strip.pill.accessibleName() == "in pixels: set a reference length"
    qtbot.keyClick(stage.view, KEY.Key_Left)
    assert "drag the ring" in stage.next.text()
    assert "px" in stage.reading._world["x"].text()
    desk.go_to_frame(29)
    qtbot.waitUntil(stage.view.ready)
    click(stage.view, (90, 50))
    assert "in pixels" in stage.next.text()


def test_the_table_mirrors_picture_and_score(shown, click, qtbot):
    """Rows follow the readings and the frame in hand; a row goes to its frame, typed px are readings, names are told."""
    stage, desk = shown.read, shown.desk
    for x in (40, 52, 64):
        qtbot.waitUntil(stage.view.ready)
        click(stage.view, (x, 50))
    stage.switch_table()
    table, model = stage.table, stage.table.model()
    assert model.rowCount() == 3
    names = [model.headerData(i, Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole) for i in range(7)]
    assert names == ["Frame", "t / s", "x / px", "y / px", "x / px", "y / px", "State"]
    spoken = model.data(model.index(1, 2), Qt.ItemDataRole.AccessibleTextRole)
    assert spoken == f"x / px: {reading(shown, 1).x:.2f}"
    desk.go_to_frame(2)
    assert table.currentIndex().row() == 2
    table.setFocus()
    qtbot.keyClick(table, KEY.Key_Up)
    assert desk.frame == 1
    assert model.setData(model.index(1, 2), "99,5", Qt.ItemDataRole.EditRole)
    assert (reading(shown, 1).x, reading(shown, 1).origin) == (99.5, "typed")
    assert not model.setData(model.index(1, 2), "left", Qt.ItemDataRole.EditRole)
    assert "not a number" in shown.messages.text()
    desk.undo()
    assert reading(shown, 1).x == pytest.approx(52, abs=1)
    qtbot.keyClick(table, KEY.Key_Delete)
    assert model.rowCount() == 2
    notebook = edits.switch_aside(desk.notebook, desk.take_id, desk.body.id, 2)
    desk.edit("aside", notebook)
    assert model.data(model.index(1, 6), Qt.ItemDataRole.DisplayRole) == "set aside"
    qtbot.keyClick(shown, KEY.Key_F6)
    qtbot.keyClick(shown, KEY.Key_F6)
    stage.switch_table()
    assert stage.timeline.isVisible()


def test_playing_by_the_clock_of_the_film(shown, qtbot):
    """Space plays to the end by the true times and stops; going elsewhere stops it; half and quarter speed."""
    view, desk, player = shown.read.view, shown.desk, shown.read.player
    seen = []
    desk.lookedElsewhere.connect(lambda: seen.append(desk.frame))
    player.set_speed(1.0)
    qtbot.keyClick(view, KEY.Key_Space)
    assert player.playing
    qtbot.waitUntil(lambda: not player.playing, timeout=10_000)
    assert desk.frame == 29
    assert seen == sorted(seen)
    player.next_speed()
    player.next_speed()
    assert player.speed == 0.25
    qtbot.keyClick(shown.read.timeline, KEY.Key_Space)
    assert desk.frame == 0
    qtbot.waitUntil(lambda: desk.frame >= 2)
    qtbot.keyClick(view, KEY.Key_Home)
    qtbot.waitUntil(lambda: not player.playing)
    assert desk.frame == 0
    player.switch()
    shown.go_to("film")
    assert not player.playing


def test_frames_are_made_ready_the_way_one_goes(shown, qtbot):
    """Going on, the next frames are decoded before they are asked for; turning round, the ones before."""
    view, thread = shown.read.view, shown.desk._thread

    def ready():
        return {frame for _film, frame in list(thread._ready)}  # copied in one go: the thread adds to it

    qtbot.keyClick(view, KEY.Key_Right)
    qtbot.waitUntil(lambda: set(range(1, 13)) <= ready())
    shown.desk.go_to_frame(29)
    qtbot.waitUntil(view.ready)
    qtbot.keyClick(view, KEY.Key_Left)
    qtbot.waitUntil(lambda: set(range(16, 29)) <= ready())


def test_a_quick_step_back_turns_round(shown, qtbot):
    """Also where it comes before anything was planned after the picture it leaves."""
    thread = shown.desk._thread

    def step(wish, _image):
        if wish.frame == 29:
            thread.want(replace(wish, frame=28))

    thread.picture.connect(step, Qt.ConnectionType.DirectConnection)
    shown.desk.go_to_frame(29)
    qtbot.waitUntil(lambda: set(range(16, 29)) <= {frame for _film, frame in list(thread._ready)})


def test_a_jump_shows_a_preview_that_says_so(shown, qtbot):
    """Far from the picture on screen a thumbnail stands in, marked as a preview, and reads nothing."""
    desk = shown.desk
    qtbot.waitUntil(lambda: len(desk.thumbs[desk.take_id]) == 10)
    assert desk.preview() is None
    desk.shown = (desk.take_id, 0, desk.shown[2])
    desk._frames[desk.take_id] = 25
    assert desk.preview() is not None
    assert not shown.read.view.ready()
    shown.read.view.grab()
    desk._frames[desk.take_id] = 2
    assert desk.preview() is None


def test_letters_on_any_keyboard(shown, click, qtbot):
    """X and Z work by the place of the key where the layout has other letters there, and only in the picture."""
    view, desk = shown.read.view, shown.desk
    click(view, (100, 60))
    qtbot.keyClick(view, KEY.Key_Left)
    qtbot.waitUntil(view.ready)
    cyrillic = QKeyEvent(QEvent.Type.KeyPress, 0x427, HELD.NoModifier, 53, 0x6FE, 0, "ч")
    QApplication.sendEvent(view, cyrillic)
    assert not reading(shown).used
    qtbot.keyClick(view, KEY.Key_Z)
    assert shown.read.reading.loupe.factor == 16
    qtbot.keyClick(shown.read.timeline, KEY.Key_X)
    assert not reading(shown).used
    assert desk.frame == 0


def test_f6_and_focus(shown, qtbot):
    """F6 goes round picture, score and column; keyboard focus is outlined, a click's is not."""
    view, timeline = shown.read.view, shown.read.timeline
    view.setFocus(Qt.FocusReason.MouseFocusReason)
    assert not view.by_keys
    qtbot.keyClick(shown, KEY.Key_F6)
    assert timeline.hasFocus()
    assert timeline.by_keys
    qtbot.keyClick(timeline, KEY.Key_Right)
    assert shown.desk.frame == 1
    qtbot.keyClick(shown, KEY.Key_F6)
    qtbot.keyClick(shown, KEY.Key_F6)
    assert view.hasFocus()
    assert view.by_keys


def test_coordinates_are_whole_beside_what_is_typed(window, qtbot):
    """A value with its sign and unit stands on one line, and four digits before the point find room beside it."""
    window.desk.start(demo_notebook("open-day"))
    window.go_to("read")
    window.desk.go_to_frame(44)
    qtbot.waitUntil(window.read.view.ready)
    panel = window.read.reading
    for axis in ("x", "y"):
        value, field = panel._world[axis], panel._typed[axis]
        assert "m" in value.text()
        qtbot.waitUntil(lambda value=value: value.height() >= value.heightForWidth(value.width()))
        assert 0 < value.heightForWidth(value.width()) < 2 * value.fontMetrics().height()
        option = QStyleOptionFrame()
        field.initStyleOption(option)
        room = field.style().subElementRect(QStyle.SubElement.SE_LineEditContents, option, field)
        assert field.fontMetrics().horizontalAdvance("3839.55") + 4 <= room.width()
