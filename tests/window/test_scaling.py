"""Scale: the reference length and the axes by mouse, by keys and typed, with what makes the scale uncertain."""

import math

import pytest
from PyQt6.QtCore import QPointF, Qt
from typing_in import typed

from saltus.notebook.derived.geometry import mapping_of

KEY, HELD = Qt.Key, Qt.KeyboardModifier


def test_a_length_is_laid_typed_and_corrected(stage, shown, click, qtbot):
    """Drag lays it, the fields type it, an end can be dragged again; scale and parts are shown at each step."""
    desk = shown.desk
    assert "Drag along something of known length" in stage.next.text()
    click(stage.view, (40, 100), (100, 100), (240, 100))
    laid = desk.take.reference
    assert (laid.start[0], laid.end[0]) == (pytest.approx(40, abs=1), pytest.approx(240, abs=1))
    assert "Type how long it is" in stage.next.text()
    typed(qtbot, stage.lengths.length, "50,0 cm")
    # the last digit typed says how well it is known, until something better is stated
    assert stage.lengths.spread.text() == "0.1 cm"
    factor = mapping_of(desk.take).scale
    assert float(factor) == pytest.approx(0.5 / laid_px(desk), rel=1e-9)
    typed(qtbot, stage.lengths.spread, "± 2 mm")
    assert desk.take.reference.length.words == "50,0 cm ± 2 mm"
    parts = {s.label: u / float(factor) for s, u in mapping_of(desk.take).scale.parts().items()}
    assert parts["Reference length"] == pytest.approx(0.004 / 1.959964, rel=1e-4)
    click(stage.view, desk.take.reference.end, (200, 100), (140, 100))
    assert desk.take.reference.end[0] == pytest.approx(140, abs=1)
    assert desk.take.reference.length.words == "50,0 cm ± 2 mm"
    desk.undo()
    assert desk.take.reference.end[0] == pytest.approx(240, abs=1)
    typed(qtbot, stage.lengths.ends, "0.5")
    assert desk.take.reference.u_end_px == 0.5
    assert "twice as" in shown.limits._words.text()
    stage.lengths._remove()
    assert desk.take.reference is None
    assert "No scale yet" in shown.limits._words.text()


def laid_px(desk):
    """Length of the reference in the picture, px."""
    laid = desk.take.reference
    return math.dist(laid.start, laid.end)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("abc", "not a quantity"),
        ("5 kg", "is in kg"),
        ("0 m", "longer than zero"),
        ("1e99 m", "too large"),
        ("-3 m", "longer than zero"),
    ],
)
def test_wrong_lengths_say_so(stage, shown, click, qtbot, text, words):
    """A wrong length is marked, explained beside the field, and changes nothing."""
    click(stage.view, (40, 100), (240, 100))
    typed(qtbot, stage.lengths.length, text)
    assert words in stage.lengths.wrong.text()
    assert stage.lengths.length.property("wrong") == "true"
    assert shown.desk.take.reference.length is None
    typed(qtbot, stage.lengths.length, "0.5 m")
    assert not stage.lengths.wrong.isVisible()
    assert shown.desk.take.reference.length.value == 0.5
    typed(qtbot, stage.lengths.spread, "2 m")
    assert "between zero and the length" in stage.lengths.wrong.text()


def test_a_bare_whole_number_asks_how_well_it_is_known(stage, shown, click, qtbot):
    """“1 m” says nothing of its uncertainty: the next step asks for it."""
    click(stage.view, (40, 100), (240, 100))
    typed(qtbot, stage.lengths.length, "1 m")
    assert shown.desk.take.reference.length.U95 == 0
    assert "counts as exact" in stage.next.text()


def test_a_click_lays_nothing(stage, shown, click):
    """Less than three px is a slip of the hand, and outside the picture nothing is laid."""
    click(stage.view, (40, 100), (41, 100))
    click(stage.view, (-40, 100), (200, 100))
    assert shown.desk.take.reference is None


def test_axes_by_mouse_and_typed(stage, shown, click, qtbot):
    """A click places the origin, the end of x turns the axes with the uncertainty of its arm, fields type both."""
    desk = shown.desk
    click(stage.view, (40, 150), (240, 150))
    typed(qtbot, stage.lengths.length, "1.00 m")
    stage.take_up("axes")
    click(stage.view, (60, 120))
    assert desk.take.axes.origin == (pytest.approx(60, abs=1), pytest.approx(120, abs=1))
    x, y = desk.take.axes.origin
    tip = stage.tool.place_of("turn")
    click(stage.view, (tip.x(), tip.y()), (x + 40, y - 10), (x + 60, y - 60))
    assert desk.take.axes.angle_deg == pytest.approx(45, abs=2)
    assert 0 < desk.take.axes.u_angle_deg < 5
    for key, text, check in (
        ("x", "10.5", lambda a: a.origin[0] == 10.5),
        ("y", "20 px", lambda a: a.origin[1] == 20),
        ("angle", "-30", lambda a: a.angle_deg == pytest.approx(-30)),
        ("u_angle", "0.2 deg", lambda a: a.u_angle_deg == pytest.approx(0.2 / 1.959964)),
    ):
        typed(qtbot, stage.axes.fields[key], text)
        assert check(desk.take.axes), key
    typed(qtbot, stage.axes.fields["angle"], "steep")
    assert stage.axes.fields["angle"].property("wrong") == "true"
    assert "Scale and axes are set" in stage.next.text()


def test_the_scale_without_a_mouse(stage, shown, qtbot):
    """Enter lays what is missing, Tab goes to the marks, Alt+arrows move them, the loupe follows; then Tab leaves."""
    view, desk, tool = stage.view, shown.desk, stage.tool
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_Return)
    start = desk.take.reference.start
    assert tool.handle == "start"
    qtbot.keyClick(view, KEY.Key_Right, HELD.AltModifier)
    qtbot.keyClick(view, KEY.Key_Down, HELD.AltModifier | HELD.ControlModifier)
    assert desk.take.reference.start == (pytest.approx(start[0] + 1), pytest.approx(start[1] + 0.1))
    assert stage.loupe.centre() == QPointF(*desk.take.reference.start)
    qtbot.keyClick(view, KEY.Key_Tab)
    assert tool.handle == "end"
    qtbot.keyClick(view, KEY.Key_Left, HELD.AltModifier | HELD.ShiftModifier)
    assert desk.take.reference.end[0] == pytest.approx(0.7 * 320 - 20)
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.take.axes.origin == (160, 90)
    assert tool.handle == "origin"
    qtbot.keyClick(view, KEY.Key_Tab)
    qtbot.keyClick(view, KEY.Key_Up, HELD.AltModifier | HELD.ShiftModifier)
    assert desk.take.axes.angle_deg > 10
    qtbot.keyClick(view, KEY.Key_Tab)
    assert not view.hasFocus()
    # Esc lets Tab go at once
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_Escape)
    qtbot.keyClick(view, KEY.Key_Tab)
    assert not view.hasFocus()
    undone = 0
    while desk.session.history.undo() is not None:
        undone += 1
    assert undone == 5


def test_the_loupe_rests_at_both_ends(stage, shown, click):
    """While the pointer is elsewhere both ends are seen side by side; under the pointer, its pixels."""
    assert stage.loupe._places() == []
    click(stage.view, (40, 100), (240, 100))
    stage.view.left.emit()
    assert [round(p.x()) for p in stage.loupe._places()] == [40, 240]
    stage.view.pointed.emit(77.0, 33.0)
    assert stage.loupe._places() == [QPointF(77, 33)]
    stage.loupe.switch()
    assert stage.loupe.factor == 16
    assert shown.scale.loupe.grab().size().width() > 100
