"""Scale as a newcomer and a hasty hand use it: keyboard alone, wrong clicks, balls and boards, small windows."""

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from typing_in import typed

from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.notebook.edits import geometry as edits
from saltus.notebook.geometry import Typed
from saltus.notebook.storage import load
from saltus.simulate.demo import demo_notebook
from saltus.ui.picture.laid_handles import handles_of

KEY = Qt.Key


def shown_frame(desk, grey):
    """Put a picture in the place of the frame that is shown."""
    rgb = np.ascontiguousarray(cv2.cvtColor(grey, cv2.COLOR_GRAY2RGB))
    height, width = grey.shape
    image = QImage(rgb.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
    desk.shown = (desk.take_id, desk.frame, image)


def test_a_plane_by_keyboard_alone(stage, shown, qtbot):
    """Enter lays corners, Tab goes to each, arrows move them, all can be taken back one by one."""
    desk, view = shown.desk, stage.view
    stage.take_up("plane")
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_Return)
    first = desk.take.geometry.plane.seen
    assert len(first) == 4
    assert stage.tool.handle == "plane:0"
    qtbot.keyClick(view, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert desk.take.geometry.plane.seen[0][0] == pytest.approx(first[0][0] + 1)
    qtbot.keyClick(view, KEY.Key_Tab)
    assert stage.tool.handle == "plane:1"
    qtbot.keyClick(view, KEY.Key_Up, Qt.KeyboardModifier.AltModifier)
    qtbot.keyClick(view, KEY.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert desk.take.geometry.plane.seen[1][1] == pytest.approx(first[1][1] - 2)
    typed(qtbot, stage.plane.width_row.value, "0.5 m")
    typed(qtbot, stage.plane.height_row.value, "30 cm")
    typed(qtbot, stage.plane.u_corner, "0.4")
    plane = desk.take.geometry.plane
    assert (plane.width.value, plane.height.unit, plane.u_px) == (0.5, "cm", 0.4)
    typed(qtbot, stage.plane.u_corner, "-3")
    assert desk.take.geometry.plane.u_px == 0.4
    for _step in range(5):
        desk.undo()
    assert desk.take.geometry.plane.seen == first
    desk.undo()
    assert desk.take.geometry.plane is None


def test_handles_of_everything_are_reached_in_turn(stage, shown, qtbot):
    """Tab goes through lengths, axes, corners, marks and edges, and past the last it leaves the picture."""
    desk = shown.desk
    desk.start(demo_notebook("askew"))
    desk.go_to_take(desk.notebook.takes[0].id)
    qtbot.waitUntil(stage.view.ready)
    names = list(handles_of(desk.take, desk.frame))
    assert {n.split(":")[0] for n in names} >= {"start", "end", "origin", "line", "plane", "edge"}
    stage.view.setFocus()
    seen = []
    for _step in names:
        qtbot.keyClick(stage.view, KEY.Key_Tab)
        seen.append(stage.tool.handle)
    assert seen == names
    qtbot.keyClick(stage.view, KEY.Key_Tab)
    assert stage.tool.handle is None


def test_corners_that_cannot_be_are_refused_at_the_fourth_click(stage, shown, click):
    """Four clicks along a line, and four that cross: a sentence, no plane, and the next four begin anew."""
    desk, said = shown.desk, []
    desk.said.connect(lambda words, _kind: said.append(words))
    notebook = desk.notebook
    stage.take_up("plane")
    for corner in ((40, 100), (100, 100), (180, 100), (260, 100)):
        click(stage.view, corner)
    # without a size nothing is taken from it yet: it can be laid and is refused when it is to count
    if desk.take.geometry.plane is not None:
        width = Typed(value=0.4, unit="m", U95=0.001, U95_unit="m")
        plane = desk.take.geometry.plane.but(width=width, height=width)
        stage.plane._change(plane=plane)
    assert mapping_of(desk.take).ground is None
    assert any("edge-on" in words or "line" in words for words in said), said
    assert stage.tool.corners == []
    assert desk.notebook is not notebook or desk.take.geometry.plane is None


def test_an_end_cannot_be_left_outside_the_picture(stage, shown, click, qtbot):
    """A length dragged over the border is refused with a sentence; the last one stays."""
    desk, said = shown.desk, []
    click(stage.view, (40, 100), (140, 100), (240, 100))
    typed(qtbot, stage.lengths.length, "1.000 m")
    before = desk.take.reference
    desk.said.connect(lambda words, _kind: said.append(words))
    click(stage.view, (240, 100), (280, 100), (330, 100))
    assert desk.take.reference == before
    assert any("outside the picture" in words for words in said)
    stage.take_up("points")
    click(stage.view, (40, 30), (100, 30), (160, 30))
    line = desk.take.axes.line
    click(stage.view, (160, 30), (100, 30), (40, 30))
    assert desk.take.axes.line == line
    assert any("direction lie on each other" in words for words in said)


def test_a_second_rule_is_chosen_typed_moved_and_removed(stage, shown, click, qtbot):
    """A list leads to each length; by one rule their errors are one; removing the first keeps the second."""
    desk = shown.desk
    click(stage.view, (40, 100), (140, 100), (240, 100))
    typed(qtbot, stage.lengths.length, "1.000 m")
    typed(qtbot, stage.lengths.rule, "metre rod")
    stage.take_up("reference")
    assert "Drag along another" in stage.next.text()
    click(stage.view, (40, 150), (90, 150), (140, 150))
    typed(qtbot, stage.lengths.length, "0.500 m")
    typed(qtbot, stage.lengths.rule, "metre rod")
    other = desk.take.geometry.others[0]
    assert (other.length.value, other.instrument) == (0.5, "metre rod")
    causes = [s.id.of for s in mapping_of(desk.take).scale.sources if s.cause == "scale-length"]
    assert len(causes) == 1
    stage.lengths._choose(None)
    assert stage.lengths.length.text() == "1.000 m"
    title = stage.lengths._title
    assert title.width() >= title.sizeHint().width() > 60
    stage.lengths._choose(other.id)
    click(stage.view, (140, 150), (143, 152), (150, 152))
    assert desk.take.geometry.others[0].end[0] == pytest.approx(150, abs=1.5)
    typed(qtbot, stage.lengths.nearer.value, "-2 cm")
    assert desk.take.geometry.others[0].nearer.value == -2
    alone = float(mapping_of(desk.take).scale)
    stage.lengths.with_motion.click()
    assert desk.take.geometry.others[0].with_motion
    assert not stage.lengths.nearer.isVisible()
    ends = desk.take.geometry.others[0]
    seen = np.hypot(ends.end[0] - ends.start[0], ends.end[1] - ends.start[1])
    assert float(mapping_of(desk.take).scale) == pytest.approx(0.5 / seen)
    assert float(mapping_of(desk.take).scale) != alone
    stage.lengths._choose(None)
    stage.lengths.remove.click()
    assert desk.take.reference.length.value == 0.5
    assert desk.take.geometry.others == ()


def test_a_ball_of_known_size_is_a_length(stage, shown, click, qtbot):
    """A box round a ball: its outline is fitted and its diameter laid; where none is seen it says so."""
    desk = shown.desk
    height, width = desk.take.facts.height, desk.take.facts.width
    grey = np.full((height, width), 60, np.uint8)
    cv2.circle(grey, (160 * 16, 90 * 16), 30 * 16, 210, -1, cv2.LINE_AA, 4)
    # what the painter of discs made of the radius, by the light it let in
    across = 2 * float(np.sqrt(np.sum((grey - 60.0) / 150.0) / np.pi))
    shown_frame(desk, cv2.GaussianBlur(grey, (0, 0), 0.8))
    stage.take_up("ball")
    assert "box round the ball" in stage.next.text()
    click(stage.view, (125, 55), (160, 90), (195, 125))
    laid = desk.take.reference
    assert laid.name == "Diameter of the ball"
    assert abs(laid.end[0] - laid.start[0] - across) < 0.6
    assert laid.u_end_px < 1
    typed(qtbot, stage.lengths.length, "44.5 mm")
    assert float(mapping_of(desk.take).scale) == pytest.approx(0.0445 / across, rel=0.02)
    said = []
    desk.said.connect(lambda words, _kind: said.append(words))
    shown_frame(desk, np.full((height, width), 60, np.uint8))
    stage.take_up("ball")
    click(stage.view, (20, 20), (40, 40), (60, 60))
    assert any("No round outline" in words for words in said)
    assert len(desk.take.geometry.others) == 0


def test_a_printed_board_is_found_for_plane_and_lens_or_it_says_what_it_needs(stage, shown, qtbot):
    """Squares in the frame give points of a plane and straight lines; without a board a sentence tells why."""
    desk, said = shown.desk, []
    desk.said.connect(lambda words, _kind: said.append(words))
    height, width = desk.take.facts.height, desk.take.facts.width
    grey = np.full((height, width), 128, np.uint8)
    shown_frame(desk, grey)
    stage.take_up("board")
    assert any("No printed board" in words for words in said)
    for i in range(10):
        for j in range(7):
            value = 230 if (i + j) % 2 else 25
            grey[20 + 18 * j : 38 + 18 * j, 60 + 18 * i : 78 + 18 * i] = value
    shown_frame(desk, cv2.GaussianBlur(grey, (0, 0), 0.8))
    stage.take_up("board")
    plane = desk.take.geometry.plane
    assert {plane.columns, plane.rows} == {9, 6}
    assert any("type its size" in words for words in said)
    stage.take_up("plane")
    across = 8 if plane.columns == 9 else 5
    typed(qtbot, stage.plane.width_row.value, f"{across * 2} cm")
    typed(qtbot, stage.plane.height_row.value, f"{(13 - across) * 2} cm")
    found = geometry_of(desk.take)
    assert found.base.ground.residual_px < 0.2
    assert found.mapping.per_px == pytest.approx(0.02 / 18, rel=0.01)
    assert "54 points fit" in stage.plane.words.text()
    stage.take_up("board-lens")
    assert len(desk.take.geometry.edges.edges) == 15
    assert abs(geometry_of(desk.take).bend.lens.k1) < 3 * geometry_of(desk.take).bend.lens.u_k1 + 0.01


def test_what_was_laid_is_saved_and_opened_again(stage, shown, qtbot, tmp_path):
    """Plane, check, direction and sign come back from the file as they were, and the stage shows them."""
    desk = shown.desk
    notebook = demo_notebook("askew")
    notebook = edits.positive_down(notebook, notebook.takes[0].id, True)
    desk.start(notebook, tmp_path / "a.saltus")
    desk.go_to_take(notebook.takes[0].id)
    assert desk.save(tmp_path / "a.saltus")
    opened = load(tmp_path / "a.saltus")
    assert opened.takes[0].geometry == notebook.takes[0].geometry
    assert opened.takes[0].axes == notebook.takes[0].axes
    desk.start(opened, tmp_path / "a.saltus")
    desk.go_to_take(opened.takes[0].id)
    qtbot.waitUntil(stage.view.ready)
    stage.take_up("axes")
    assert stage.axes.signs.currentData() is True
    assert "by two places" in stage.axes.words.text()
    stage.take_up("lens")
    assert "5.1 px" in stage.lens.words.text()


@pytest.mark.parametrize("size", [(960, 600), (1366, 700)])
@pytest.mark.parametrize("page", ["length", "axes", "plane", "lens", "trust"])
def test_every_page_fits_its_column(shown, qtbot, size, page):
    """No page is wider than the column, whatever is laid; what is too long scrolls."""
    notebook = demo_notebook("askew")
    take_id = notebook.takes[0].id
    for n in range(4):
        notebook, reference_id = edits.add_length(
            notebook, take_id, (300.0, 200.0 + 50 * n), (800.0, 210.0 + 50 * n), check=bool(n % 2)
        )
        length = Typed(value=0.9, unit="m", U95=0.002, U95_unit="m")
        notebook = edits.change_length(
            notebook, take_id, reference_id, length=length, name=f"A rule with a rather long name, number {n}"
        )
    shown.resize(*size)
    shown.desk.start(notebook)
    shown.desk.go_to_take(take_id)
    shown.go_to("scale")
    stage = shown.scale
    qtbot.waitUntil(stage.view.ready)
    stage.take_up(page)
    qtbot.wait(30)
    current = stage.pages.currentWidget()
    area = stage.pages.parentWidget().parentWidget()
    assert current.minimumSizeHint().width() <= area.width()
    assert current.width() <= area.width()
