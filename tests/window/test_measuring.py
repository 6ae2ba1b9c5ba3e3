"""Measuring anything in the picture, by mouse and keys in the real window."""

import math

import numpy as np
import pytest
from conftest import choose, menu_click
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication, QLabel, QMenu, QPushButton
from typing_in import typed

from saltus.investigations.engine.evaluation import evaluate
from saltus.notebook.derived.filmed_scales import scale_found
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.measures import measured_values
from saltus.notebook.edits import measuring as edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.geometry import Typed
from saltus.notebook.readings import Reading
from saltus.notebook.trials import TrialTable
from saltus.simulate.demo import demo_notebook
from saltus.ui.desk.eyes import kept_eyes
from saltus.ui.motion.seen_from import CentreOfMass, typed_mass
from saltus.ui.scale.trust_panel import EffectRow

KEY = Qt.Key


def change(desk, made):
    """Edit the notebook as the desk does."""
    desk.edit("prepare", made)


def scaled(desk):
    """A length of 1 m along 200 px of the clip, and the origin at its left end."""
    notebook = scale_edits.lay_reference(desk.notebook, desk.take_id, (50.0, 150.0), (250.0, 150.0))
    typed_length = Typed(value=1.0, unit="m", U95=0.001, U95_unit="m", text="1 m")
    notebook = scale_edits.set_reference_length(notebook, desk.take_id, typed_length)
    change(desk, scale_edits.place_origin(notebook, desk.take_id, (50.0, 150.0)))


def read(desk, name, places, **more):
    """A body of the clip with a reading in each frame."""
    notebook, body = reading_edits.add_body(desk.notebook, desk.take_id, name)
    for frame, (x, y) in enumerate(places):
        made = Reading(frame, float(x), float(y), **more)
        notebook = reading_edits.place_reading(notebook, desk.take_id, body, made)
    change(desk, notebook)
    return body


def value(desk, part):
    """What the last measure comes to."""
    return float(measured_values(desk.take, desk.take.measures[-1])[part])


@pytest.mark.parametrize(
    ("kind", "places", "part", "wanted"),
    [
        ("length", [(60, 40), (160, 40)], "length", 0.5),
        ("height", [(60, 140), (160, 40)], "height", 0.5),
        ("slope", [(60, 140), (160, 40)], "angle", math.pi / 4),
        ("angle", [(160, 140), (60, 140), (60, 40)], "angle", math.pi / 2),
        ("circle", [(150, 40), (200, 90), (150, 140)], "radius", 0.25),
    ],
)
def test_each_kind_is_clicked_dragged_undone_and_removed(
    stage, shown, click, qtbot, kind, places, part, wanted
):
    """The help says what to click and how many places are left; ends are dragged and nudged, all is undone."""
    desk = shown.desk
    scaled(desk)
    stage.take_up("measure")
    stage.measures.kinds[kind].click()
    for n, place in enumerate(places):
        assert f"Click {len(places) - n} more place" in stage.next.text()
        click(stage.view, place)
    assert value(desk, part) == pytest.approx(wanted, rel=0.02)
    assert "±" in stage.measures._values.text()
    typed(qtbot, stage.measures.name, "Mine")
    typed(qtbot, stage.measures.u.field, "0.5 px")
    typed(qtbot, stage.measures.u.field, "5 kg")
    measure = desk.take.measures[0]
    assert (measure.name, measure.u_px) == ("Mine", 0.5)
    click(stage.view, places[0], (70, 60))
    dragged = desk.take.measures[0].places[0]
    assert dragged != measure.places[0]
    stage.view.setFocus()
    stage.tool.handle = f"measure:{measure.id}:0"
    qtbot.keyClick(stage.view, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert desk.take.measures[0].places[0] == pytest.approx((dragged[0] + 1, dragged[1]), abs=0.01)
    desk.undo()
    desk.undo()
    assert desk.take.measures[0].places == measure.places
    next(b for b in stage.measures.card.findChildren(QPushButton) if b.text() == "Remove").click()
    assert not desk.take.measures
    desk.undo()
    assert desk.take.measures[0].places == measure.places


def test_a_circle_takes_further_places_and_a_line_of_them_is_told(stage, shown, click):
    """A fourth click on the rim belongs to the circle in hand; three on a line say what is wrong."""
    desk = shown.desk
    scaled(desk)
    stage.take_up("measure-circle")
    for place in [(150, 40), (200, 90), (150, 140), (100, 90)]:
        click(stage.view, place)
    assert len(desk.take.measures) == 1
    assert len(desk.take.measures[0].places) == 4
    stage.measures.kinds["circle"].click()
    for place in [(60, 100), (90, 100), (120, 100)]:
        click(stage.view, place)
    assert "on a line" in stage.measures._values.text()
    assert not stage.measures.use.isEnabled()


def test_a_measure_is_used_as_a_given_and_sent_to_a_column(stage, shown, click, monkeypatch):
    """Without an investigation the menu says what is missing; with one the given is linked, and follows."""
    desk = shown.desk
    stage.take_up("measure-length")
    click(stage.view, (60, 40))
    click(stage.view, (160, 40))
    said = menu_click(monkeypatch, "nothing of this")
    stage.measures.use.click()
    assert "in pixels" in said[0]
    scaled(desk)
    said = menu_click(monkeypatch, "nothing of this")
    stage.measures.use.click()
    assert "Choose an investigation" in said[0]
    change(desk, trial_edits.start(desk.notebook, TrialTable(investigation="whirling-spring")))
    said = menu_click(monkeypatch, "rest")
    stage.measures.use.click()
    assert any("given" in words for words in said)
    assert any("→" in words and "given" not in words for words in said)
    (name,) = desk.notebook.trials.given_links
    assert float(evaluate(desk.notebook).givens[name]) == pytest.approx(0.5, rel=0.02)
    shown.go_to("trials")
    field = shown.trials.givens.fields[name]
    assert "±" in field.text()
    assert len(field.text()) < 24
    shown.go_to("scale")
    before = desk.notebook.trials.givens[name]
    click(stage.view, (160, 40), (180, 40))
    assert desk.notebook.trials.givens[name] != before


def test_m_measures_from_read(shown, qtbot):
    """On Read the key M goes to measuring, at the same frame."""
    shown.desk.go_to_frame(7)
    shown.read.view.setFocus()
    qtbot.keyClick(shown.read.view, KEY.Key_M)
    assert shown.scale.pages.currentWidget() is shown.scale.measures
    assert shown.desk.frame == 7


def test_a_rule_is_marked_read_and_sent_with_one_action(stage, shown, click, qtbot, monkeypatch):
    """Divisions clicked and typed, parallax asked, the pointer clicked in four frames, one action to the table."""
    desk = shown.desk
    stage.take_up("dial")
    panel = stage.dial
    assert panel.empty.isVisible()
    panel.straight.click()
    for n, (place, text) in enumerate(
        [((60, 20), "0"), ((60, 80), "10"), ((60, 140), "oops"), ((60, 160), "60")]
    ):
        click(stage.view, place)
        field = panel._divisions.itemAt(n).layout().itemAt(1).widget()
        typed(qtbot, field, text)
    assert [d.value for d in desk.take.filmed_scales[0].divisions] == [0, 10, None, 60]
    assert "far from where" in panel.law.text()
    panel._divisions.itemAt(3).layout().itemAt(3).widget().click()
    typed(qtbot, panel._divisions.itemAt(2).layout().itemAt(1).widget(), "20")
    assert "even to" in panel.law.text()
    typed(qtbot, panel.unit, "parsnips")
    typed(qtbot, panel.unit, "mm")
    typed(qtbot, panel.u.field, "0.4 px")
    panel.point.click()
    for frame in (2, 5, 8, 11):
        desk.go_to_frame(frame)
        qtbot.waitUntil(stage.view.ready)
        click(stage.view, (70, 20 + 6 * frame))
    found = scale_found(desk.take, desk.take.filmed_scales[0])
    assert [float(r.value) for r in found.readings] == pytest.approx([0.002, 0.005, 0.008, 0.011], abs=3e-4)
    assert "parallax" in panel.warn.text()
    panel.on.click()
    assert "parallax" not in panel.warn.text()
    change(desk, trial_edits.start(desk.notebook, TrialTable(investigation="cantilever-depression")))
    said = menu_click(monkeypatch, "4 readings")
    panel.send.click()
    assert any("given" in words for words in said)
    assert len(desk.notebook.trials.trials) == 4
    first = desk.notebook.trials.trials[0]
    (column,) = first.links
    assert evaluate(desk.notebook).columns[column].value[3] == pytest.approx(0.011, abs=3e-4)
    desk.undo()
    assert not desk.notebook.trials.trials
    panel.off.click()
    typed(qtbot, panel.gap.value, "5 mm")
    assert "distance of the camera" in panel.law.text()
    typed(qtbot, panel.away.value, "50 cm")
    assert "even to" in panel.law.text()
    panel.remove.click()
    assert not desk.take.filmed_scales


def test_a_dial_is_marked_with_its_pivot_and_follows_a_body(stage, shown, click, qtbot):
    """Two divisions and the pivot make a dial; a body's readings become those of its hand."""
    desk = shown.desk
    turn = np.radians(np.arange(30) * 6 - 90)
    body = read(desk, "Hand", np.column_stack([160 + 40 * np.cos(turn), 90 + 40 * np.sin(turn)]))
    stage.take_up("dial")
    panel = stage.dial
    panel.round.click()
    for n, (place, text) in enumerate([((160, 30), "0"), ((220, 90), "15")]):
        click(stage.view, place)
        typed(qtbot, panel._divisions.itemAt(n).layout().itemAt(1).widget(), text)
    assert "the middle" in panel.law.text()
    panel.centre.click()
    click(stage.view, (160, 90))
    choose(panel.follower, body)
    found = scale_found(desk.take, desk.take.filmed_scales[0])
    assert [float(r.value) for r in found.readings] == pytest.approx(list(range(30)), abs=0.3)
    assert panel._list.count() == 8
    panel._list.itemAt(7).widget().click()
    assert desk.frame == found.readings[7].frame


def test_fixed_points_are_placed_followed_loosened_and_the_camera_told(stage, shown, click):
    """A click makes a pin; without a second frame it says so; read everywhere, it shows how the camera moved."""
    desk = shown.desk
    stage.take_up("camera")
    assert "Not checked" in stage.camera.words.text()
    stage.camera.place.click()
    click(stage.view, (40, 40))
    (pin,) = desk.take.fixed_points
    assert "read or follow it in every frame" in stage.camera.words.text()
    notebook = desk.notebook
    for frame in range(1, 30):
        place = Reading(frame, 40.0 + 0.4 * frame, 40.0)
        notebook = reading_edits.place_reading(notebook, desk.take_id, pin.id, place)
    change(desk, notebook)
    assert "Moved by up to" in stage.camera.words.text()
    assert stage.charts["camera"].chart is not None
    stage.camera.zooms.click()
    assert "second one" in stage.camera.words.text()
    stage.camera.zooms.click()
    buttons = {b.text(): b for b in stage.camera.findChildren(QPushButton)}
    buttons["Follow…"].click()
    assert shown.read.setup.open
    assert desk.body.id == pin.id
    shown.read.setup.close()
    shown.go_to("scale")
    stage.camera.still.click()
    assert geometry_of(desk.take).camera.motion is None
    stage.camera.by_points.click()
    assert geometry_of(desk.take).camera.motion is not None
    next(b for b in stage.camera.findChildren(QPushButton) if b.text() == "moves").click()
    assert not desk.take.fixed_points


def test_trust_tells_the_camera_and_leads_to_its_page(shown, qtbot):
    """Unchecked it leads to the page of the camera; with pins it says how far it moved and what that would cost."""
    desk = shown.desk
    desk.start(demo_notebook("measured"))
    desk.go_to_take(desk.notebook.takes[0].id)
    shown.go_to("scale")
    qtbot.waitUntil(shown.scale.view.ready)
    shown.scale.take_up("trust")
    words = " ".join(part.text() for part in shown.scale.trust.findChildren(QLabel))
    assert "taken out" in words
    change(desk, edits.steady_no_more(desk.notebook, desk.take_id))
    row = next(
        r for r in shown.scale.trust.findChildren(EffectRow) if "Camera held still" in r.accessibleName()
    )
    row.click()
    assert shown.scale.pages.currentWidget() is shown.scale.camera


def test_a_body_is_said_to_stand_still_from_its_menu(shown, monkeypatch):
    """On Read the menu of a body makes it a fixed point, and a body again."""
    desk = shown.desk
    body = read(desk, "Screw", [(40 + 0.2 * n, 40) for n in range(30)])
    line = shown.read.reading._bodies.itemAt(0).widget()
    for words, fixed in (("stands still", True), ("It moves", False)):
        monkeypatch.setattr(
            QMenu, "exec", lambda menu, *_at, w=words: next(a for a in menu.actions() if w in a.text())
        )
        shown.read.reading._body_menu(body, line, line.rect().center())
        assert desk.take.body(body).fixed is fixed


def test_a_bare_background_says_what_to_do_instead(stage, shown, qtbot):
    """The film is looked through off the interface thread; where nothing can be held on to, it says so."""
    desk, said = shown.desk, []
    desk.said.connect(lambda words, _kind: said.append(words))
    stage.take_up("camera")
    stage.camera.look.click()
    qtbot.waitUntil(lambda: desk.take.steadying is not None or bool(said), timeout=20_000)
    if desk.take.steadying is None:
        assert "fixed points" in said[-1]
    else:
        assert desk.take.steadying.by == "background"
        assert stage.camera.look.text() == "Look at it again"


def begin_check(shown, qtbot, body):
    """Start the repeat check on a body."""
    shown.desk.choose_body(body)
    shown.read.reading.check.click()
    qtbot.waitUntil(shown.read.view.ready)
    return shown.read.check


def test_five_frames_are_read_again_unseen_and_the_eye_is_kept(shown, click, qtbot):
    """Nothing of the first readings is seen; u and its name are kept, offered elsewhere, and undone."""
    desk, rng = shown.desk, np.random.default_rng(2)
    body = read(desk, "Mark", [(100 + 3 * n, 90) for n in range(30)])
    check = begin_check(shown, qtbot, body)
    assert not shown.read.reading.isVisible()
    assert not shown.read.timeline.isVisible()
    assert check.loupe.isVisible()
    assert check.loupe.centre() is None or not check.loupe.rings
    change_free = desk.notebook
    for _n in range(5):
        assert "Click “Mark” again" in check.words.text()
        qtbot.waitUntil(shown.read.view.ready)
        click(shown.read.view, tuple(np.array([100 + 3 * desk.frame, 90]) + rng.normal(0, 1.5, 2)))
    assert desk.notebook is change_free
    assert "good to u" in check.words.text()
    check.keep.click()
    assert check.open
    typed(qtbot, check.name, "Wren")
    check.keep.click()
    assert not check.open
    found = desk.take.body(body)
    assert found.u_dof == 8
    assert 0.2 < found.u_px < 3
    assert found.u_from.startswith("Wren, 20")
    assert kept_eyes()[0].name == "Wren"
    assert shown.read.reading.eye.isVisible()
    desk.undo()
    assert desk.take.body(body).u_dof is None


def test_the_check_goes_by_keys_stops_and_wants_readings(shown, qtbot):
    """Enter shows and places the mark, Alt+arrows move it; Stop leaves all as it was; too few readings say so."""
    desk, said = shown.desk, []
    desk.said.connect(lambda words, _kind: said.append(words))
    few = read(desk, "Few", [(10, 10)] * 2)
    check = begin_check(shown, qtbot, few)
    assert not check.open
    assert "Read 5 frames first" in said[-1]
    body = read(desk, "Mark", [(160, 90)] * 30)
    check = begin_check(shown, qtbot, body)
    desk_frame = desk.frame
    view = shown.read.view
    view.setFocus()
    for key in (KEY.Key_X, KEY.Key_Delete, KEY.Key_Tab, KEY.Key_Left):
        qtbot.keyClick(view, key)
    assert desk.frame == desk_frame
    assert len(desk.take.body(body).readings) == 30
    qtbot.keyClick(view, KEY.Key_Return)
    qtbot.keyClick(view, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert check.loupe.centre() == QPointF(161, 90)
    qtbot.keyClick(view, KEY.Key_Return)
    assert check._again == [(161.0, 90.0)]
    check.stop.click()
    assert not check.open
    assert shown.read.reading.isVisible()
    begin_check(shown, qtbot, body)
    shown.go_to("scale")
    assert not check.open


def test_an_eye_is_offered_where_a_place_is_asked_for(stage, shown, click, monkeypatch):
    """Reading, measures, filmed scales and lengths take what a check gave, with its degrees of freedom."""
    desk = shown.desk
    scaled(desk)
    first = tuple((10.0 * n, 5.0) for n in range(6))
    again = tuple((x + 0.8 * (-1) ** n, 5.4) for n, (x, _y) in enumerate(first))
    change(desk, edits.keep_eye(desk.notebook, "Wren", "2026-11-28", first, again)[0])
    said = menu_click(monkeypatch, "Wren")
    stage.take_up("measure-length")
    click(stage.view, (60, 40))
    click(stage.view, (160, 40))
    stage.measures.u.eye.click()
    assert "Wren, 2026-11-28" in said[0]
    assert desk.take.measures[0].u_dof == 10
    stage.take_up("dial")
    stage.dial.straight.click()
    stage.dial.u.eye.click()
    assert desk.take.filmed_scales[0].u_dof == 10
    stage.take_up("length")
    stage.lengths.placing.eye.click()
    assert desk.take.reference.u_end_dof == 10
    body = read(desk, "Mark", [(160, 90)] * 3)
    desk.choose_body(body)
    shown.go_to("read")
    shown.read.reading.eye.click()
    assert desk.take.body(body).u_dof == 10


def test_a_motion_is_seen_from_another_body_and_from_a_centre_of_mass(shown, monkeypatch):
    """The chooser offers the room, bodies and a centre of mass; masses are asked for and told when wrong."""
    desk = shown.desk
    scaled(desk)
    heavy = read(desk, "Heavy", [(60 + 2 * n, 90) for n in range(30)])
    light = read(desk, "Light", [(60 + 2 * n + 30 * math.cos(n / 5), 90) for n in range(30)])
    desk.choose_body(light)
    shown.go_to("motion")
    motion = shown.motion
    choose(motion.seen_from, heavy)
    assert motion.lanes.axis == f"x@{heavy}"
    assert "seen from Heavy" in motion._axis.currentText()
    motion._stretched(0, 29)
    assert desk.take.segments[-1].of == f"x@{heavy}"
    asked = []

    def fill_in(dialog):
        (_t1, first), (_t2, second) = dialog._lines.values()
        first.setText("0.2(1) kg")
        second.setText("two")
        dialog._try()
        asked.append(dialog._wrong.text())
        second.setText("100 g")
        dialog._try()
        return dialog.result()

    monkeypatch.setattr(CentreOfMass, "exec", fill_in)
    choose(motion.seen_from, "+")
    assert "two" in asked[0]
    (frame,) = desk.take.moving_frames
    assert motion.lanes.axis == f"x@{frame.id}"
    assert desk.take.body(light).mass.text == "100 g"
    choose(motion.seen_from, "+")
    assert len(desk.take.moving_frames) == 1
    choose(motion.seen_from, "")
    assert motion.lanes.axis == "x"
    assert typed_mass("3 g").value == pytest.approx(0.003)
    desk.choose_body(heavy)
    assert motion.seen_from.findData(heavy) == -1


@pytest.mark.parametrize(("window", "size"), [(100, (960, 600)), (150, (1366, 700))], indirect=["window"])
def test_the_new_pages_stay_within_their_column(window, size):
    """Empty and full, at the smallest window and with large text: nothing is cut off to the right."""
    window.resize(*size)
    notebook = demo_notebook("measured")
    for kind, places in (
        ("circle", ((10.0, 10.0), (90.0, 50.0), (40.0, 90.0))),
        ("length", ((0.0, 0.0), (9.0, 9.0))),
    ):
        name = "A measure with a rather long name"
        notebook, _id = edits.add_measure(notebook, notebook.takes[0].id, kind, places, 0, name=name)
    window.desk.start(notebook)
    first, second = (t.id for t in window.desk.notebook.takes)
    window.go_to("scale")
    for take in (first, second):
        window.desk.go_to_take(take)
        for page in ("camera", "measure", "dial"):
            window.scale.take_up(page)
            QApplication.processEvents()
            shown = window.scale.pages.currentWidget()
            right = shown.mapToGlobal(QPointF(shown.width(), 0)).x()
            for button in shown.findChildren(QPushButton):
                if button.isVisible():
                    edge = button.mapToGlobal(QPointF(button.width(), 0)).x()
                    assert edge <= right + 1, (page, button.text())
            assert shown.minimumSizeHint().width() <= shown.width() + 1, (page, take)
