"""The pages of the Scale stage: planes, lines, lenses, checks and trust, by mouse and keys in the real window."""

import pytest
from PyQt6.QtCore import Qt
from typing_in import typed

from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.edits import geometry as geometry_edits
from saltus.simulate.demo import demo_notebook
from saltus.ui.scale.lens_panel import kept_cameras
from saltus.ui.scale.trust_panel import EffectRow

KEY = Qt.Key


@pytest.fixture
def askew(shown, qtbot):
    """The Scale stage on the puck that was filmed askew."""
    shown.desk.start(demo_notebook("askew"))
    shown.desk.go_to_take(shown.desk.notebook.takes[0].id)
    shown.go_to("scale")
    qtbot.waitUntil(shown.scale.view.ready)
    return shown.scale


def test_a_plane_is_clicked_typed_corrected_and_refused(stage, shown, click, qtbot):
    """Four clicks, width and height: positions come from the plane; a corner dragged across is refused."""
    desk = shown.desk
    stage.take_up("plane")
    corners = [(60, 140), (250, 140), (220, 60), (90, 60)]
    for n, corner in enumerate(corners):
        assert ("first", "second", "third", "fourth")[n] in stage.next.text()
        click(stage.view, corner)
    assert len(desk.take.geometry.plane.seen) == 4
    assert "Type width and height" in stage.next.text()
    assert not mapping_of(desk.take).scaled
    typed(qtbot, stage.plane.width_row.value, "60 cm")
    typed(qtbot, stage.plane.height_row.value, "40 cm")
    assert mapping_of(desk.take).ground is not None
    assert stage.charts["along"].chart is not None
    before = desk.take.geometry.plane.seen
    said = []
    desk.said.connect(lambda words, _kind: said.append(words))
    click(stage.view, corners[0], (200, 100), (240, 20))
    assert desk.take.geometry.plane.seen == before
    assert any("cross" in words or "within" in words for words in said), said
    click(stage.view, corners[0], (66, 138), (70, 135))
    assert desk.take.geometry.plane.seen != before
    typed(qtbot, stage.plane.width_row.value, "60 kg")
    assert stage.plane.width_row.wrong.text()
    assert desk.take.geometry.plane.width.unit == "cm"
    desk.undo()
    assert desk.take.geometry.plane.seen == before
    stage.plane.remove.click()
    assert desk.take.geometry.plane is None


def test_marks_along_a_line_get_their_distances(stage, shown, click, qtbot):
    """Three clicks and three distances make a scale along the line; one in the wrong order is refused."""
    desk = shown.desk
    stage.take_up("track")
    for x in (60, 160, 240):
        click(stage.view, (x, 100))
    for field, text in zip(stage.plane.mark_fields, ("0 m", "30 cm", "0.6 m"), strict=True):
        typed(qtbot, field, text)
    found = mapping_of(desk.take)
    assert found.ground is not None
    typed(qtbot, stage.plane.mark_fields[1], "70 cm")
    assert [m.distance for m in desk.take.geometry.track.marks] == [0, 0.3, 0.6]


def test_a_length_to_check_by_is_dragged_and_told(stage, shown, click, qtbot):
    """A second length as a check: typed at once, its deviation in the list, and no part of the scale."""
    desk = shown.desk
    click(stage.view, (40, 100), (140, 100), (240, 100))
    typed(qtbot, stage.lengths.length, "1.000 m")
    scale = float(mapping_of(desk.take).scale)
    stage.take_up("check")
    click(stage.view, (40, 40), (90, 40), (150, 40))
    assert stage.lengths.length.hasFocus()
    typed(qtbot, stage.lengths.length, "50.0 cm")
    assert float(mapping_of(desk.take).scale) == scale
    assert "too long" in stage.lengths.words.text()
    stage.take_up("reference")
    click(stage.view, (40, 160), (90, 160), (140, 160))
    typed(qtbot, stage.lengths.length, "50.0 cm")
    assert len(geometry_of(desk.take).together.each) == 2
    assert stage.charts["lengths"].chart is not None


def test_ends_are_placed_again_unseen(stage, shown, click, qtbot):
    """Five times both ends, nothing shown meanwhile: u of an end then comes from the scatter."""
    desk = shown.desk
    click(stage.view, (40, 100), (140, 100), (240, 100))
    typed(qtbot, stage.lengths.length, "1.000 m")
    stage.lengths.again.click()
    for n in range(5):
        assert f"{n} of 5" in stage.lengths.blind.text()
        click(stage.view, (40 + n % 3, 100))
        click(stage.view, (240 - n % 2, 100))
    assert len(desk.take.reference.placements) == 5
    assert "4 degrees of freedom" in stage.lengths.blind.text()
    ends = next(s for s in mapping_of(desk.take).scale.sources if s.cause == "scale-ends")
    assert ends.dof == 4
    desk.undo()
    assert desk.take.reference.placements == ()


def test_an_edge_shows_the_lens_which_is_kept_for_its_camera(askew, shown, click, qtbot):
    """Marks along the board's edge give k1; kept under a name it is used again; too few marks say so."""
    desk = shown.desk
    askew.take_up("lens")
    assert "%" in askew.lens.words.text()
    typed(qtbot, askew.lens.name, "lab phone")
    askew.lens.keep.click()
    assert [k.camera for k in kept_cameras()] == ["lab phone"]
    askew.lens.remove.click()
    assert mapping_of(desk.take).lens is None
    click(askew.view, (300, 600))
    click(askew.view, (500, 590))
    assert "three marks" in askew.lens.words.text()
    assert "more places" in askew.next.text()
    askew.lens.use.click()
    assert desk.take.geometry.edges is None
    assert mapping_of(desk.take).lens.k1 == pytest.approx(kept_cameras()[0].k1)


def rows_of(stage, qtbot):
    """The rows of what is not checked, as they are seen."""

    def seen():
        return [r for r in stage.trust.findChildren(EffectRow) if r.isVisible()]

    qtbot.waitUntil(lambda: bool(seen()))
    return seen()


def test_trust_names_what_is_not_checked_and_leads_there(askew, shown, qtbot):
    """Rows by size; Enter on the first opens its page; typing the offset moves it to the checked ones."""
    desk = shown.desk
    askew.take_up("trust")
    rows = rows_of(askew, qtbot)
    assert rows[0].accessibleName().startswith("Plane of the motion: 2.5 %")
    assert "Not yet" in askew.trust.words.text()
    rows[0].setFocus()
    qtbot.keyClick(rows[0], KEY.Key_Space)
    assert askew.pages.currentWidget() is askew.plane
    typed(qtbot, askew.plane.nearer.value, "24 mm")
    assert "distance of the camera" in askew.plane.offset_words.text()
    typed(qtbot, askew.plane.distance.value, "1.737 m")
    askew.take_up("trust")
    assert not any("Plane of the motion" in r.accessibleName() for r in rows_of(askew, qtbot))
    assert askew.trust.words.text().startswith("Yes")
    typed(qtbot, askew.trust.fields["clock_percent"], "5")
    assert "Not yet" in askew.trust.words.text()
    typed(qtbot, askew.trust.fields["clock_percent"], "much")
    assert desk.take.geometry.usual.clock_percent == 5
    askew.trust.act.click()
    assert shown.stage == "film"


def test_the_result_leads_to_the_question_of_trust(askew, shown):
    """From how the result was made one click shows what of the scale is checked."""
    shown._trust()
    assert shown.stage == "scale"
    assert askew.pages.currentWidget() is askew.trust


def test_axes_by_a_plumb_line_and_along_the_way(askew, shown, click):
    """A drag along a plumb line turns x square to it; the body's way turns x along it; y can point down."""
    desk = shown.desk
    askew.take_up("plumb")
    click(askew.view, (900, 200), (900, 300), (910, 420))
    assert desk.take.axes.by == "plumb"
    askew.take_up("axes")
    askew.axes.path.click()
    assert desk.take.axes.by == "path"
    before = float(mapping_of(desk.take).place(600.0, 300.0)[1])
    notebook = geometry_edits.positive_down(desk.notebook, desk.take_id, True)
    desk.edit("turn", notebook)
    assert float(mapping_of(desk.take).place(600.0, 300.0)[1]) == pytest.approx(-before)
    assert askew.axes.signs.currentData() is True
