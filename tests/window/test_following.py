"""Following in the window: boxes by hand and keys, a run as one edit, states, and what is in doubt."""

import made
import numpy as np
import pytest
from drawn import DrawnBody, DrawnScene
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel

from saltus.footage.opening import facts_of
from saltus.notebook.derived.following import counts, doubtful
from saltus.notebook.edits import readings as edits
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook, TakeFacts
from saltus.notebook.storage import load

KEY, HELD = Qt.Key, Qt.KeyboardModifier
FRAMES, POST = 60, (150.0, 172.0)
PATH = np.stack([60 + 3.0 * np.arange(FRAMES), 80 + 0.4 * np.arange(FRAMES)], axis=1)
OTHER = np.stack([285 - 1.5 * np.arange(FRAMES), np.full(FRAMES, 150.0)], axis=1)


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    """Two bodies; the first passes behind a post and is not to be seen there."""
    path = tmp_path_factory.mktemp("film") / "pucks.mp4"
    bodies = (DrawnBody(OTHER, size=26, seed=8), DrawnBody(PATH, size=20, seed=3))
    DrawnScene(bodies, width=320, height=180, posts=(POST,), ground_contrast=6, seed=5).film(path, crf=18)
    return path


@pytest.fixture
def reading(window, film, tmp_path, qtbot):
    """The window on Read, with two bodies that nobody has read."""
    notebook, take_id = made.with_film(Notebook(title="Pucks"))
    facts = TakeFacts.of(facts_of(film))
    take = notebook.take(take_id).but(film=reference(film), facts=facts)
    notebook = notebook.but(takes=(take,))
    for name in ("Felt puck", "Brass puck"):
        notebook, _body = edits.add_body(notebook, take_id, name)
    folder = tmp_path / film.name
    folder.symlink_to(film)
    window.desk.start(notebook, tmp_path / "pucks.saltus")
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    return window


def drawn_round(click, view, path, size):
    """Drag a box round a body in the first frame."""
    x, y = path[0]
    click(view, (x - size / 2, y - size / 2), (x + size / 2, y + size / 2))


def followed(window, qtbot):
    """Wait until a run has come to its end."""
    qtbot.waitUntil(lambda: window.desk.following.run is None)


def off(body, path):
    """How far each used reading is from the truth, px, by its frame."""
    used = body.readings.used
    return np.hypot(used.x - path[used.frame, 0], used.y - path[used.frame, 1])


def started(window, click, qtbot, *, both=True):
    """Draw the boxes and start; gives the bodies' ids."""
    view, desk = window.read.view, window.desk
    qtbot.keyClick(view, KEY.Key_F)
    drawn_round(click, view, PATH, 22)
    if both:
        qtbot.keyClick(view, KEY.Key_Tab)
        drawn_round(click, view, OTHER, 28)
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.following.run is not None
    return [body.id for body in desk.take.bodies]


def test_two_bodies_are_followed_as_one_edit(reading, click, qtbot, tmp_path):
    """Boxes, a word on how well, a run; readings true to their u; one undo; saved and opened the same."""
    desk, panel = reading.desk, reading.read.followed
    before = desk.notebook
    qtbot.keyClick(reading.read.view, KEY.Key_F)
    assert "Drag a box" in reading.read.next.text()
    drawn_round(click, reading.read.view, PATH, 22)
    assert "px" in panel.start.words.text()
    assert panel.start.go.isEnabled()
    reading.read.setup.close()
    started(reading, click, qtbot)
    followed(reading, qtbot)
    first, second = desk.take.bodies
    assert off(first, PATH).max() < 1
    assert off(second, OTHER).max() < 1
    assert counts(second) == {"found": FRAMES, "weak": 0, "lost": 0}
    hidden = [n for n in range(FRAMES) if POST[0] < PATH[n, 0] - 8 and PATH[n, 0] + 8 < POST[1]]
    assert all(first.readings.at(n) is None for n in hidden)
    assert all(r.origin == "followed" and r.u > 0 and r.u_y > 0 for r in second.readings)
    assert second.runs[0].method == "pattern"
    assert second.runs[0].u_patch[0] > 0
    desk.save(tmp_path / "pucks.saltus")
    assert made.work(load(tmp_path / "pucks.saltus")) == made.work(desk.notebook)
    desk.undo()
    assert made.work(desk.notebook) == made.work(before)
    desk.redo()
    assert len(desk.take.bodies[1].readings) == FRAMES


def test_what_is_in_doubt_is_decided_by_keys_and_clicks(reading, click, qtbot):
    """N goes from one to the next, Enter takes, X leaves out; a click corrects, and it is followed on from there."""
    started(reading, click, qtbot, both=False)
    followed(reading, qtbot)
    desk, view, doubts = reading.desk, reading.read.view, reading.read.followed.doubts
    assert any(d.lost for d in doubts.all)
    weak = [d for d in doubts.all if not d.lost]
    assert weak
    assert all(not desk.body.readings.at(d.frame).used for d in weak)
    while doubts.here() not in weak:
        qtbot.keyClick(view, KEY.Key_N)
    taken = doubts.here()
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.body.readings.at(taken.frame).used
    assert taken not in doubtful(desk.take)
    desk.undo()
    desk.go_to_frame(taken.frame)
    qtbot.keyClick(view, KEY.Key_X)
    assert desk.body.readings.at(taken.frame).status == "aside"
    frame = FRAMES - 8
    doubted = desk.body.readings.at(frame).but(status="weak")
    desk.edit("doubt", edits.place_reading(desk.notebook, desk.take_id, desk.body.id, doubted))
    desk.go_to_frame(frame)
    qtbot.waitUntil(view.ready)
    click(view, tuple(PATH[frame] + 15), tuple(PATH[frame]))
    followed(reading, qtbot)
    assert [run.start for run in desk.body.runs] == [0, frame]
    assert desk.body.readings.at(frame).origin == "hand"
    assert desk.body.readings.at(FRAMES - 1).run == desk.body.runs[-1].id


def test_a_run_waits_stops_and_is_undone_on_the_way(reading, click, qtbot):
    """Space waits and goes on, Esc stops and keeps what was found; undoing it on the way ends it; no second one."""
    desk, view = reading.desk, reading.read.view
    started(reading, click, qtbot, both=False)
    qtbot.keyClick(view, KEY.Key_Space)
    assert desk.following.paused
    done = desk.following.run.done
    qtbot.wait(150)
    assert desk.following.run.done <= done + 20
    qtbot.keyClick(view, KEY.Key_F)
    drawn_round(click, view, PATH, 22)
    reading.read.start_following()
    assert len(desk.body.runs) == 1
    reading.read.setup.close()
    qtbot.keyClick(view, KEY.Key_Space)
    qtbot.keyClick(view, KEY.Key_Escape)
    followed(reading, qtbot)
    assert len(desk.body.runs) == 1
    assert desk.body.readings.at(0) is not None
    desk.undo()
    started(reading, click, qtbot, both=False)
    desk.undo()
    followed(reading, qtbot)
    assert not len(desk.body.readings)
    assert not desk.body.runs


def test_readings_by_hand_stay_and_the_point_can_be_another(reading, click, qtbot):
    """The ring is dragged to a mark and stays tied to it; a hand reading in the way is kept; every third frame."""
    desk, view, setup = reading.desk, reading.read.view, reading.read.setup
    desk.go_to_frame(9)
    qtbot.waitUntil(view.ready)
    click(view, (12.0, 17.0))
    desk.go_to_frame(0)
    qtbot.waitUntil(view.ready)
    qtbot.keyClick(view, KEY.Key_F)
    drawn_round(click, view, PATH, 22)
    point = setup.drawn[desk.body.id].point
    click(view, point, (point[0] + 5, point[1] - 3))
    moved = setup.drawn[desk.body.id].point
    assert (moved[0] - point[0], moved[1] - point[1]) == pytest.approx((5, -3), abs=0.6)
    setup.every = 3
    qtbot.keyClick(view, KEY.Key_Return)
    followed(reading, qtbot)
    body = desk.body
    assert body.readings.at(9).origin == "hand"
    assert {r.frame % 3 for r in body.readings} == {0}
    there = body.readings.at(51)
    assert (there.x - PATH[51, 0], there.y - PATH[51, 1]) == pytest.approx(
        (moved[0] - PATH[0, 0], moved[1] - PATH[0, 1]), abs=0.5
    )
    assert body.runs[0].u_start == (body.u_px, body.u_px)  # another reading is there to be held against


@pytest.mark.parametrize("window", [150], indirect=True)
def test_nothing_to_hold_on_to_is_said_before_the_start(reading, click, qtbot):
    """A box on plain ground or too small says so; sizes can be typed; Esc leaves; the words fit the column."""
    desk, view, start = reading.desk, reading.read.view, reading.read.followed.start
    qtbot.keyClick(view, KEY.Key_F)
    click(view, (100, 100), (101, 101))
    assert desk.body.id not in reading.read.setup.drawn
    qtbot.keyClick(view, KEY.Key_Return)
    assert desk.body.id in reading.read.setup.drawn
    start._type_size("width", "nonsense")
    start._type_size("width", "22")
    start._type_size("height", "24")
    assert reading.read.setup.drawn[desk.body.id].box.height == 24
    qtbot.keyClick(view, KEY.Key_Delete)
    assert not reading.read.setup.drawn
    reading.read.setup.draw(desk.body, -400.0, -400.0, 10.0, 10.0)
    assert not start.go.isEnabled()
    assert "outside" in start.advice.text()
    for words in start.findChildren(QLabel):
        if words.isVisible() and not words.wordWrap():
            assert words.sizeHint().width() <= words.width() + 1
    qtbot.keyClick(view, KEY.Key_Escape)
    assert not reading.read.setup.open
    qtbot.mouseClick(reading.read.reading.follow, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    assert reading.read.setup.open
