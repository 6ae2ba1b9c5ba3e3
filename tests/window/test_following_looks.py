"""What is seen of following: lanes, cells, strip, surface, lists; opened again, left, overfull, dark and large."""

import math

import made
import numpy as np
import pytest
from drawn import DrawnBody, DrawnScene
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton

from saltus.core.following.run import MOST_BODIES
from saltus.footage.opening import facts_of
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.derived.motion import body_motion
from saltus.notebook.edits import following as follow_edits
from saltus.notebook.edits import readings as edits
from saltus.notebook.edits.following import Block
from saltus.notebook.films import reference
from saltus.notebook.following import FrameRecord, PatchRenewal
from saltus.notebook.model import Notebook, TakeFacts
from saltus.notebook.readings import Reading
from saltus.ui.app.app import make_application
from saltus.ui.kit.theme import theme
from saltus.ui.read.readings_table import state_words

KEY = Qt.Key
FRAMES = 40
PATH = np.stack([60 + 4.0 * np.arange(FRAMES), 90 + 0.5 * np.arange(FRAMES)], axis=1)
WEAK, LOST = (12, 25), range(18, 24)
RUN_BOX = (48.0, 78.0, 24.0, 24.0)


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    """A marked body on plain ground."""
    path = tmp_path_factory.mktemp("film") / "puck.mp4"
    DrawnScene((DrawnBody(PATH, size=22, seed=3),), width=320, height=180, seed=5).film(path, crf=18)
    return path


def run_of(notebook, take_id, body, *, path=PATH):
    """A run that found most, doubted two frames and did not see the body in some, without following anything."""
    notebook, run = follow_edits.begin_run(
        notebook, take_id, body, method="pattern", box=RUN_BOX, point=tuple(map(float, path[0])), start=0, end=FRAMES - 1
    )  # fmt: skip
    records, readings = [], []
    for n in range(FRAMES):
        state = "weak" if n in WEAK else "lost" if n in LOST else "found"
        doubts = () if state == "found" else ("hidden", "likeness")
        likeness = {"found": 0.97, "weak": 0.78, "lost": None}[state]
        records.append(FrameRecord(n, state, likeness, doubts))
        if state != "lost":
            x, y = map(float, path[n])
            status = "weak" if state == "weak" else "used"
            readings.append(Reading(n, x, y, 0.05, "followed", status, 0.06, run))
    block = Block(run, tuple(records), tuple(readings), (0.03, 0.03))
    return follow_edits.add_found(notebook, take_id, {body: block})


def notebook_of(film, bodies=1, *, runs=True):
    """A notebook of the film with bodies that were followed."""
    notebook, take_id = made.with_film(Notebook(title="Pucks"))
    take = notebook.take(take_id).but(film=reference(film), facts=TakeFacts.of(facts_of(film)))
    notebook = notebook.but(takes=(take,))
    for i in range(bodies):
        notebook, body = edits.add_body(notebook, take_id, f"Puck number {i + 1} of the left-hand table")
        if runs:
            notebook = run_of(notebook, take_id, body, path=PATH + np.array([0, 7.0 * i]))
    return notebook


@pytest.fixture
def seen(window, film, tmp_path, qtbot):
    """The window on Read with a body that was followed before it was opened."""
    (tmp_path / film.name).symlink_to(film)
    window.desk.start(notebook_of(film), tmp_path / "n.saltus")
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    return window


def colours(widget, box=None):
    """Colours of a part of a widget, as a set of names."""
    image = widget.grab().toImage()
    box = box or image.rect()
    return {image.pixelColor(x, y).name() for x in range(box.left(), box.right(), 1)
            for y in range(box.top(), box.bottom(), 1)}  # fmt: skip


def cut_off(widget):
    """Visible labels and buttons whose words do not fit."""
    out = []
    for part in widget.findChildren(QLabel) + widget.findChildren(QPushButton):
        if part.isVisible() and part.text() and "<" not in part.text():
            wraps = isinstance(part, QLabel) and part.wordWrap()
            policy = part.sizePolicy().horizontalPolicy()
            gives_way = policy == part.sizePolicy().Policy.Ignored or part.objectName() == "body"
            if not wraps and not gives_way and part.sizeHint().width() > part.width() + 1:
                out.append(part.text())
    return out


def test_a_notebook_that_was_followed_shows_how_when_it_is_opened(seen, qtbot):
    """Counts, cuts from the film, the reason of each doubt, the surface; a click on a cut goes to its frame."""
    panel, desk = seen.read.followed, seen.desk
    assert panel.isHidden()
    assert "2" in seen.read.reading.review.text()
    qtbot.mouseClick(seen.read.reading.review, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert panel.isVisible()
    assert panel.counts._counts == {
        "found": FRAMES - len(LOST) - len(WEAK),
        "weak": len(WEAK),
        "lost": len(LOST),
    }
    qtbot.waitUntil(lambda: len(panel.strip.cuts) >= 5)
    frame = panel.strip.cuts[2][0]
    at = panel.strip._box(2).center()
    qtbot.mouseClick(panel.strip, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y())))
    assert desk.frame == frame
    qtbot.waitUntil(seen.read.view.ready)
    assert panel.why.inside.isHidden()
    qtbot.mouseClick(panel.why.title, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: panel.why.surface._surface is not None)
    assert "0.97" in panel.why._best.text()
    middle = panel.why.surface._surface
    assert middle.likeness[middle.reach, middle.reach] == pytest.approx(middle.likeness.max(), abs=0.1)
    assert "± 0.12 px" in panel._found_to.text()
    words = [d.frame for d in panel.doubts.all]
    assert words == [12, 18, 25]
    qtbot.keyClick(seen.read.view, KEY.Key_N)
    assert panel.doubts.here().frame in words
    qtbot.mouseClick(panel.done, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert panel.isHidden()


def test_keys_go_through_all_doubts_and_end(seen, qtbot):
    """N goes round; Enter and X decide until none is left; a stretch not seen stays until it is read."""
    view, panel, desk = seen.read.view, seen.read.followed, seen.desk
    seen.read.review()
    visited = []
    for _n in range(4):
        qtbot.keyClick(view, KEY.Key_N)
        visited.append(desk.frame)
    assert visited[:3] == [12, 18, 25]
    assert visited[3] == 12
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.frame == 18
    assert "not seen" in " ".join(w.accessibleName() for w in panel.doubts.findChildren(QPushButton))
    qtbot.keyClick(view, KEY.Key_N)
    qtbot.keyClick(view, KEY.Key_X)
    assert [d.lost for d in panel.doubts.all] == [True]
    body = desk.body
    assert (body.readings.at(12).status, body.readings.at(25).status) == ("used", "aside")
    assert [state_words(body.readings.at(n)) for n in (3, 25)] == ["followed", "set aside"]
    desk.undo()
    desk.undo()
    assert [d.frame for d in panel.doubts.all] == [12, 18, 25]


def test_lanes_and_cells_tell_found_weak_and_lost_apart(seen):
    """Doubt stands in its own colour, what was not seen is hatched and has no mark; likeness has a lane."""
    timeline, desk = seen.read.timeline, seen.desk
    ratio = timeline.grab().width() / timeline.width()
    times = frame_times(desk.take)

    def band(frames, top=88, bottom=190):
        left, right = (round(timeline.px(float(times[n])) * ratio) for n in (frames[0], frames[-1]))
        image = timeline.grab().toImage()
        return {image.pixelColor(x, y).name() for x in range(left + 3, max(right - 2, left + 4))
                for y in range(top, bottom)}  # fmt: skip

    body, ink = theme.body(0).name(), theme.colour("ink2").name()
    assert body in band((2, 9))
    lost = band((LOST[0], LOST[-1]))
    assert body not in lost
    assert len(lost) > 1
    warn = theme.colour("warn").name()
    assert theme.colour("warnsoft").name() in colours(timeline)
    cells = seen.read.reading.cells
    cells.refresh()
    box = cells._box(LOST[2]).toAlignedRect()
    assert ink in colours(cells, box) or len(colours(cells, box)) > 1
    assert warn in colours(cells, cells._box(WEAK[0]).toAlignedRect())
    assert body in colours(cells, cells._box(3).toAlignedRect())


@pytest.mark.parametrize("window", [100, 150], indirect=True)
def test_nothing_is_cut_off_however_full(window, film, tmp_path, qtbot):
    """Eight bodies with long names, small and large windows, light and dark: words fit or give way."""
    (tmp_path / film.name).symlink_to(film)
    window.desk.start(notebook_of(film, MOST_BODIES), tmp_path / "n.saltus")
    window.go_to("read")
    for dark in (False, True):
        make_application(dark=dark)
        for size in ((1280, 800), (1366, 740)):
            window.resize(*size)
            window.read.review()
            window.read.followed.why.refresh(window.desk.take, window.desk.body)
            qtbot.waitUntil(window.read.view.ready)
            assert not cut_off(window.read.followed), (dark, size)
            window.read.follow()
            window.read.setup.draw(window.desk.body, 40.0, 70.0, 30.0, 30.0)
            assert not cut_off(window.read.followed.start), (dark, size)
            window.read.setup.close()
    make_application(dark=False)
    assert len(window.read.followed.doubts.all) == 3 * MOST_BODIES


def test_no_more_bodies_than_can_be_followed_at_once(window, film, tmp_path, qtbot):
    """The ninth box is refused with a word; each body keeps its own method."""
    (tmp_path / film.name).symlink_to(film)
    window.desk.start(notebook_of(film, MOST_BODIES + 1, runs=False), tmp_path / "n.saltus")
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    setup, desk = window.read.setup, window.desk
    window.read.follow()
    told = []
    desk.said.connect(lambda words, _kind: told.append(words))
    for body in desk.take.bodies:
        setup.draw(body, 48.0, 78.0, 24.0, 24.0)
    assert len(setup.drawn) == MOST_BODIES
    assert str(MOST_BODIES) in told[-1]
    first = desk.take.bodies[0]
    setup.choose_method(first, "colour")
    assert setup.drawn[first.id].method == "colour"
    assert setup.drawn[desk.take.bodies[1].id].method == "auto"
    desk.go_to_frame(3)
    assert not setup.drawn


def test_boxes_by_corners_keys_and_numbers(seen, click, qtbot):
    """A corner is dragged, the box nudged, its size typed; the last frame typed says which way it goes."""
    view, setup, desk, start = seen.read.view, seen.read.setup, seen.desk, seen.read.followed.start
    desk.go_to_frame(30)
    qtbot.waitUntil(view.ready)
    qtbot.keyClick(view, KEY.Key_F)
    body = desk.body.id
    again = setup.drawn[body]  # the box of its run about the reading that is there
    assert (again.point[0], again.point[1]) == pytest.approx(tuple(PATH[30]))
    assert again.box.width == RUN_BOX[2]
    corner = (again.box.x + again.box.width, again.box.y + again.box.height)
    click(view, corner, (corner[0] + 9, corner[1] + 6))
    grown = setup.drawn[body].box
    assert (grown.width - again.box.width, grown.height - again.box.height) == pytest.approx((9, 6), abs=0.8)
    assert (grown.x, grown.y) == pytest.approx((again.box.x, again.box.y), abs=0.1)
    qtbot.keyClick(view, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert setup.drawn[body].box.x == pytest.approx(grown.x + 1)
    start._type_last("4")
    assert setup.backwards
    assert setup.span(desk.take)[:2] == (30, 4)
    start._type_last("ninety")
    assert setup.span(desk.take)[1] == 4
    start.way.setCurrentIndex(0)
    start._choose_way()
    assert setup.span(desk.take)[1] == FRAMES - 1
    desk.edit("keep a part", desk.notebook.but(takes=(desk.take.but(kept=(0, 30)),)))
    setup.last = None
    assert seen.read.setup.run() is None  # there is no frame to go to
    qtbot.keyClick(view, KEY.Key_Escape)
    assert not setup.open


def test_a_patch_stays_as_it_is_where_that_is_wanted_and_says_when_it_was_renewed(seen, qtbot):
    """The tick beside the method goes into the run; a renewed patch is told for the frames after it."""
    panel, desk, view = seen.read.followed, seen.desk, seen.read.view
    take, body = desk.take, desk.body
    block = Block(body.runs[0].id, (), (), (0.03, 0.03), (PatchRenewal(frame=10, u=(0.1, 0.2)),))
    desk.edit("renewed", follow_edits.add_found(desk.notebook, take.id, {body.id: block}))
    qtbot.mouseClick(seen.read.reading.review, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    for frame, words in ((8, ""), (16, "in frame 10: all places since may lie off together by ± 0.45 px")):
        desk.go_to_frame(frame)
        qtbot.waitUntil(view.ready)
        labels = [label for label in panel.findChildren(QLabel) if label.isVisible()]
        told = [label.text().replace("\u00a0", " ") for label in labels]
        assert any("renewed" in text and words in text for text in told) == bool(words)
    desk.go_to_frame(0)
    qtbot.waitUntil(view.ready)
    qtbot.keyClick(view, KEY.Key_F)
    (tick,) = [box for box in panel.findChildren(QCheckBox) if box.isVisible()]
    assert tick.isChecked()
    qtbot.mouseClick(tick, Qt.MouseButton.LeftButton)
    qtbot.keyClick(view, KEY.Key_Return)
    qtbot.waitUntil(lambda: desk.following.run is None)
    assert [run.renewed for run in desk.body.runs] == [True, False]


def test_following_backwards_goes_on_from_a_followed_reading(seen, qtbot):
    """From frame 30 back to 20, every second frame, with the patch of the run before in common."""
    view, setup, desk = seen.read.view, seen.read.setup, seen.desk
    desk.go_to_frame(30)
    qtbot.waitUntil(view.ready)
    qtbot.keyClick(view, KEY.Key_F)
    setup.last, setup.every, setup.backwards = 20, 2, True
    qtbot.keyClick(view, KEY.Key_Return)
    qtbot.waitUntil(lambda: desk.following.run is None)
    run = desk.body.runs[-1]
    assert (run.start, run.end, run.every, run.after) == (30, 20, 2, desk.body.runs[0].id)
    there = desk.body.readings.at(22)  # not seen before
    assert math.hypot(there.x - PATH[22, 0], there.y - PATH[22, 1]) < 0.5
    assert desk.body.readings.at(23) is None
    assert all(not d.lost or d.frames < len(LOST) for d in seen.read.followed.doubts.all)


def test_a_run_goes_on_elsewhere_and_ends_with_its_document(seen, qtbot):
    """On another stage a small sign says how far it is; another notebook takes nothing of it."""
    desk = seen.desk
    desk.go_to_frame(0)
    qtbot.waitUntil(seen.read.view.ready)
    qtbot.keyClick(seen.read.view, KEY.Key_F)
    qtbot.keyClick(seen.read.view, KEY.Key_Return)
    desk.following.pause()
    assert seen.read.followed.controls.isVisible()
    assert "Go on" in seen.read.followed.pause.text()
    seen.go_to("motion")
    qtbot.waitUntil(seen.tasks.isVisible)
    seen.go_to("read")
    assert not seen.tasks.isVisible()
    desk.start(Notebook())
    desk.following.stop()
    qtbot.waitUntil(lambda: desk.following.run is None)
    assert not desk.notebook.takes


def test_a_weak_reading_is_seen_and_not_used(seen, qtbot):
    """Its place is in the table and on the picture, in no motion; taken, it is."""
    desk = seen.desk
    seen.go_to("motion")
    assert WEAK[0] not in body_motion(desk.take, desk.body).frames
    seen.go_to("read")
    desk.go_to_frame(WEAK[0])
    qtbot.waitUntil(seen.read.view.ready)
    here = seen.read.view.place(*PATH[WEAK[0]])
    image = seen.read.view.grab().toImage()
    around = {image.pixelColor(round(here.x()) + dx, round(here.y()) + dy).name() for dx in range(-14, 15)
              for dy in range(-26, 8)}  # fmt: skip
    assert "#ffaa7a" in around
    assert seen.read.view.image() is not None
    assert isinstance(here, QPointF)
