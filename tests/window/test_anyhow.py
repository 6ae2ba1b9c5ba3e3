"""Whatever a person does: random clicks, drags and keys in the real window never break it, and undo takes it all back."""

import random
import threading
import time
from functools import partial

import made
import pytest
from conftest import drag_to
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog, QLabel, QMenu

from saltus.core.progress import Cancelled
from saltus.footage import proxy
from saltus.footage.facts import FilmError
from saltus.footage.reader import FilmReader, never
from saltus.notebook.journal import journal_folder
from saltus.notebook.packing import NOTEBOOK, pack
from saltus.notebook.recovery import left_behind
from saltus.notebook.storage import as_text, load, parse, save
from saltus.ui.app.limit_bar import ShareBar
from saltus.ui.app.result_popup import ResultPopup
from saltus.ui.time.lines import Lines
from saltus.ui.time.stage import MODES

KEY, HELD = Qt.Key, Qt.KeyboardModifier
STAGES = ("film", "scale", "read", "time", "motion", "findings")
KEYS = [KEY.Key_Left, KEY.Key_Right, KEY.Key_Home, KEY.Key_End, KEY.Key_Return, KEY.Key_Tab, KEY.Key_Delete, KEY.Key_X,
        KEY.Key_Z, KEY.Key_Space, KEY.Key_Plus, KEY.Key_Minus, KEY.Key_0, KEY.Key_Escape, KEY.Key_Up, KEY.Key_Down,
        KEY.Key_BracketLeft, KEY.Key_BracketRight, KEY.Key_F6, KEY.Key_I, KEY.Key_E, KEY.Key_C, KEY.Key_N]  # fmt: skip
HOLDS = [HELD.NoModifier] * 5 + [
    HELD.AltModifier,
    HELD.ShiftModifier,
    HELD.AltModifier | HELD.ControlModifier,
]


@pytest.fixture
def quiet(monkeypatch):
    """Dialogs and menus close at once."""
    monkeypatch.setattr(QMenu, "exec", lambda *_a: None)
    monkeypatch.setattr(QDialog, "exec", lambda *_a: QDialog.DialogCode.Rejected)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Another", True))
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_a, **_k: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a, **_k: ([], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a, **_k: "")


def act(window, rng, qtbot):
    """One random thing a person may do."""
    stage = window.built(window.stage)
    targets = {
        "scale": [window.scale.view, window.scale.lengths.length, window.scale.lengths.spread],
        "read": [
            window.read.view,
            window.read.timeline,
            window.read.reading._typed["x"],
            window.read.reading._u_field,
        ],
        "motion": [window.motion.lanes],
        "time": [
            *[window.time.view] * 3,
            window.time.timeline,
            *window.time.panels()[0].findChildren(Lines),
            window.time.gating._spacing,
            window.time.cycles._level,
            window.time.cycles._percent,
        ],
    }.get(window.stage, [stage])
    target = rng.choice(targets)
    spot = QPoint(rng.randrange(max(target.width(), 1)), rng.randrange(max(target.height(), 1)))
    way = rng.randrange(10)
    if way < 3:
        qtbot.mouseClick(target, Qt.MouseButton.LeftButton, pos=spot)
    elif way < 5:
        qtbot.mousePress(target, Qt.MouseButton.LeftButton, pos=spot)
        there = QPoint(rng.randrange(max(target.width(), 1)), rng.randrange(max(target.height(), 1)))
        drag_to(target, there)
        qtbot.mouseRelease(target, Qt.MouseButton.LeftButton, pos=there)
    elif way < 8:
        qtbot.keyClick(target, rng.choice(KEYS), rng.choice(HOLDS))
    elif way == 8 and hasattr(target, "setText"):
        target.setText(rng.choice(["1.000 m", "12,5", "abc", "", "-4", "1e9 m", "0.5 px", "∞"]))
        qtbot.keyClick(target, KEY.Key_Return)
    else:
        choice = rng.randrange(7 if window.stage == "time" else 5)
        if choice > 4:
            rng.choice(
                [window.time.instants.keep, window.time.gating.lay, window.time.cycles.count_all,
                 partial(window.time.choose, rng.choice(MODES)), window.time.time_by_hand,
                 partial(window.time.cycles.begin, rng.choice(("frames", "readings", "sound")))]
            )()  # fmt: skip
        elif choice == 0:
            window.go_to(rng.choice(STAGES))
        elif choice == 1:
            window.desk.undo()
        elif choice == 2:
            window.desk.redo()
        elif choice == 3 and window.stage == "read":
            window.read.switch_table()
        else:
            window.desk.go_to_frame(rng.randrange(-3, 40))


@pytest.mark.usefixtures("quiet")
@pytest.mark.parametrize("seed", range(4))
def test_random_hands(shown, qtbot, seed):
    """300 random acts: every state is a notebook that can be saved, the journal holds it, and undo goes all the way."""
    rng, desk = random.Random(seed), shown.desk
    start = desk.notebook
    for n in range(300):
        act(shown, rng, qtbot)
        if n % 15 == 0:
            qtbot.wait(5)
            shown.grab()
            assert parse(as_text(desk.notebook), "any.saltus") == desk.notebook
    shown.read.player.stop()
    shown.time.player.stop()
    state = desk.notebook
    if state is not start:
        assert len(list(journal_folder().glob("*.journal"))) == 1
        desk.session.journal._file.close()
        for left in left_behind():
            assert left.notebook == state
            left.forget()
        desk.session.journal._file = None
    steps = 0
    while desk.session.history.undo() is not None:
        steps += 1
    assert desk.notebook.takes[0].bodies == start.takes[0].bodies
    assert made.work(desk.notebook) == made.work(start)
    for _step in range(steps):
        assert desk.session.history.redo() is not None
    assert made.work(desk.notebook) == made.work(state)


def test_packs_in_the_window(window, clip, clip_notebook, tmp_path, qtbot, monkeypatch):
    """Packed from the menu's action with its films; a dropped pack is unpacked into a new folder and opened there."""
    place = clip.with_name("n.saltus")
    window.desk.start(clip_notebook, place)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "given"), ""))
    window.files.pack()
    qtbot.waitUntil(lambda: "Packed as given.saltus.zip" in window.messages.text())
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "room" / "new"), "")
    )
    window.files.open_path(tmp_path / "given.saltus.zip")
    qtbot.waitUntil(lambda: window.desk.path == tmp_path / "room" / "new" / NOTEBOOK)
    assert window.desk.notebook == clip_notebook
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    assert window.desk.film_problems == {}
    broken = tmp_path / "broken.saltus.zip"
    broken.write_bytes(b"PK\x03\x04nothing")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "other"), ""))
    window.files.open_path(broken)
    qtbot.waitUntil(lambda: "no Saltus pack" in window.messages.text())
    assert not (tmp_path / "other").exists()
    clip.unlink()
    qtbot.waitUntil(lambda: window.desk.tasks.idle)
    with pytest.raises(ValueError, match=r"run\.mp4"):
        pack(place, tmp_path / "again.saltus.zip")


def test_what_limits_the_result_is_said_and_shown(window, qtbot):
    """The bar has the parts of the budget with names for screen readers, and its action tells how it was made."""
    notebook = made.measured(40, noise_px=0.5, seed=4)[0]
    window.desk.start(notebook)
    window.go_to("motion")
    bar = window.limits.findChild(ShareBar)
    shares = [float(part.rsplit(" ", 1)[1].rstrip("%")) for part in bar.accessibleName().split(", ")]
    assert sum(shares) == pytest.approx(100, abs=1)
    assert "Reading" in bar.accessibleName()
    qtbot.mouseClick(window.limits._how, Qt.MouseButton.LeftButton)
    popup = window.findChild(ResultPopup)
    words = " ".join(w.text() for w in popup.findChildren(QLabel))
    assert "Where the uncertainty comes from" in words
    popup.close()
    window.desk.start(made.with_film()[0])
    window.go_to("read")
    assert bar.accessibleName() == "no shares yet"
    assert "a segment with a model gives a result" in window.limits._words.text()


def test_a_film_that_breaks_off_while_it_is_read(shown, clip, qtbot):
    """A film that vanishes under the window leaves the readings, says so on the picture, and may come back."""
    desk, away = shown.desk, clip.parent / "elsewhere" / "far down" / "away.mp4"
    away.parent.mkdir(parents=True)
    notebook = made.measured(30)[0]
    take = notebook.takes[0].but(film=desk.take.film, facts=desk.take.facts)
    save(notebook.but(takes=(take,)), clip.with_name("m.saltus"))
    clip.rename(away)
    desk._thread._readers.clear()
    desk._thread._ready.clear()
    shown.files.open_path(clip.with_name("m.saltus"))
    shown.go_to("read")
    qtbot.waitUntil(lambda: desk.take_id in desk.film_problems)
    assert "is not here" in desk.film_problems[desk.take_id]
    assert len(desk.take.bodies[0].readings) == 30
    assert "m/s²" in shown.strip.pill.accessibleName()
    shown.read.view.grab()
    desk.show_film_again(desk.take_id, away)
    qtbot.waitUntil(shown.read.view.ready)
    assert desk.film_problems == {}
    assert load(clip.with_name("m.saltus")).takes[0].film.name == "run.mp4"


def test_a_prepared_film_is_moved_through_without_waiting(shown, monkeypatch, qtbot):
    """While a frame is decoded its copy is shown, marked; whoever moves on does not wait for the decoder."""
    desk, view = shown.desk, shown.read.view
    monkeypatch.setattr(proxy, "LONG_GROUP_PX", 1e5)
    sha = desk.take.film.sha256
    desk.preparing._film = ""
    qtbot.waitUntil(lambda: proxy.is_made(sha))
    decode, let_go, cut_short = FilmReader.picture, threading.Event(), []

    def slow(reader, frame, gone=never):
        deadline = time.monotonic() + 60
        while not let_go.wait(0.005) and time.monotonic() < deadline:
            if gone():
                cut_short.append(frame)
                raise Cancelled
        return decode(reader, frame, gone)

    monkeypatch.setattr(FilmReader, "at_hand", lambda *_frame: False)
    monkeypatch.setattr(FilmReader, "picture", slow)
    for frame in (29, 20, 25):
        desk.go_to_frame(frame)
        qtbot.waitUntil(lambda n=frame: desk._moving is not None and desk._moving[1] == n)
        assert desk.preview() is desk._moving[2]
        assert not view.ready()
    near = desk.preview()
    assert {29, 20} <= set(cut_short)
    let_go.set()
    qtbot.waitUntil(view.ready)
    exact = desk.shown[2]
    assert desk.preview() is None
    for x in (60, 160, 300):
        one, other = near.pixelColor(x, 96), exact.pixelColor(x, 96)
        assert abs(one.lightness() - other.lightness()) < 12


def test_one_bad_frame_does_not_close_the_film(shown, monkeypatch, qtbot):
    """A frame that cannot be decoded says so; the frames around it are shown as ever, and it tells no lies later."""
    desk, view = shown.desk, shown.read.view
    decode = FilmReader.picture

    def picture(reader, frame, gone=never):
        if frame == 14:
            raise FilmError("Frame 14 of run.mp4 cannot be decoded.")
        return decode(reader, frame, gone)

    monkeypatch.setattr(FilmReader, "picture", picture)
    desk.go_to_frame(14)
    qtbot.waitUntil(lambda: "Frame 14" in desk.film_problems.get(desk.take_id, ""))
    assert not view.ready()
    for frame in (13, 15):
        desk.go_to_frame(frame)
        qtbot.waitUntil(view.ready)
        assert desk.film_problems == {}
