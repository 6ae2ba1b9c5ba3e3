"""Film: opening of films and folders, what is broken, what is missing, the virtual camera as a source."""

import contextlib
import json
import threading

import cv2
import made
import numpy as np
import pytest
from clips import encode, numbered_picture
from conftest import drag_to
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QSize, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog, QLabel, QPushButton

from saltus.core.progress import Partial, Progress
from saltus.footage.facts import FilmError
from saltus.footage.helper import FirstPicture
from saltus.footage.opening import facts_of
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.model import Notebook
from saltus.notebook.readings import Reading
from saltus.ui.desk import proxies as preparing
from saltus.ui.desk.simulated import SceneDialog
from saltus.ui.film.coming_strip import ComingStrip
from saltus.ui.film.take_strip import TakeStrip
from saltus.ui.kit.settings import setting, settings_file

KEY = Qt.Key


def drop(window, *paths):
    """Drop files on the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                       Qt.KeyboardModifier.NoModifier)  # fmt: skip
    window.dropEvent(event)


def test_films_are_dropped_and_stand_as_strips(window, clip, tmp_path, qtbot):
    """Every dropped film becomes a take with its facts in words; undo takes it out again."""
    encode(tmp_path / "gap.mkv", [numbered_picture(i) for i in range(20)], ticks=[*range(9), *range(13, 24)])
    drop(window, clip, tmp_path / "gap.mkv")
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 2)
    assert window.stage == "film"

    def strips():
        return {s.accessibleName() for s in window.film.findChildren(TakeStrip) if s.isVisible()}

    qtbot.waitUntil(lambda: "run: Even spacing: 33.33 ms." in strips())
    assert any("4 frames are missing after" in name for name in strips())
    window.desk.undo()
    assert len(window.desk.notebook.takes) == 1
    window.desk.redo()
    assert len(window.desk.notebook.takes) == 2


def test_the_first_picture_of_a_film_is_seen_while_it_is_read(window, clip, qtbot, monkeypatch):
    """From the start page: a strip with the picture while the times are not there, then the take; or nothing."""
    go_on, broken = threading.Event(), False

    def slow(path, *_how, **_more):
        yield Partial(FirstPicture(numbered_picture(7, 48, 32), whole=False))
        yield Partial(FirstPicture(numbered_picture(7), whole=True))
        go_on.wait(20)
        yield Progress(1, 2)
        if broken:
            raise FilmError("It is broken. Copy it again.")
        return (yield from facts_of.steps(path, quick=True))

    monkeypatch.setattr("saltus.ui.desk.film_opening.facts_of", type("Slow", (), {"steps": slow}))
    window.files.open_path(clip)
    qtbot.waitUntil(lambda: window.stage == "film" and window.film.findChild(ComingStrip) is not None)
    (strip,) = window.film.findChildren(ComingStrip)
    assert strip.accessibleName() == f"{clip.name} is being read"
    assert strip.grab().toImage().pixelColor(30, 30) != strip.grab().toImage().pixelColor(200, 30)
    assert not window.desk.notebook.takes
    go_on.set()
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    # the first picture is there at once, as frame and as thumbnail
    assert window.desk.shown[2].size() == QSize(96, 64)
    assert 0 in window.desk.thumbs[window.desk.take_id]
    qtbot.waitUntil(lambda: window.film.findChild(ComingStrip) is None)
    broken = True
    window.desk.open_film(clip)
    qtbot.waitUntil(lambda: "It is broken." in window.messages.text())
    qtbot.waitUntil(lambda: window.film.findChild(ComingStrip) is None)
    assert not window.desk.opening.coming


def test_a_film_opens_at_once_and_is_checked_behind(window, tmp_path, qtbot):
    """Its times are there first, repeats are found in the background; that is no step of undo and holds for all."""
    places = [20 + 3 * i for i in range(40)]
    pictures = []
    for i, x in enumerate(places):
        picture = np.full((120, 160, 3), 90, np.uint8)
        cv2.circle(picture, (x, 60), 9, (220, 190, 60), -1)
        pictures.append(pictures[-1] if i in (12, 25) else picture)
    encode(tmp_path / "twice.mp4", pictures)
    window.desk.open_film(tmp_path / "twice.mp4")
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    qtbot.waitUntil(lambda: window.desk.take.facts.checked)
    assert window.desk.take.facts.duplicates == (12, 25)
    assert window.desk.session.history.undo_name == "open a film"
    assert "2 frames repeat" in " ".join(w.text() for w in window.film.findChildren(QLabel))
    window.desk.undo()
    window.desk.redo()
    assert window.desk.take.facts.duplicates == (12, 25)


def test_a_folder_of_pictures_asks_for_its_rate(window, tmp_path, qtbot, monkeypatch):
    """The rate is asked for; without an answer nothing is opened."""
    folder = tmp_path / "shots"
    folder.mkdir()
    for i in range(5):
        cv2.imwrite(str(folder / f"s{i:03}.png"), numbered_picture(i))
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_a, **_k: (0.0, False))
    drop(window, folder)
    qtbot.wait(30)
    assert window.desk.notebook.takes == ()
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_a, **_k: (50.0, True))
    drop(window, folder)
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    assert window.desk.take.facts.time_base == "1/50"


@pytest.mark.parametrize("kind", ["empty.mp4", "words.mp4", "nothing"])
def test_broken_films_leave_the_notebook_as_it_was(shown, tmp_path, qtbot, kind):
    """One sentence that names the file; takes, readings and undo are untouched."""
    before = shown.desk.notebook
    path = tmp_path / kind
    if kind == "empty.mp4":
        path.touch()
    elif kind == "words.mp4":
        path.write_bytes(b"no film at all " * 400)
    shown.desk.open_film(path)
    qtbot.waitUntil(lambda: kind in shown.messages.text())
    qtbot.waitUntil(lambda: shown.desk.tasks.idle)
    assert shown.desk.notebook is before
    assert shown.messages.isVisible()


def test_a_missing_film_is_shown_where_it_is(window, clip_notebook, clip, tmp_path, qtbot, monkeypatch):
    """Without its film the take keeps its numbers and says what to do; another film is refused, the right one taken."""
    shown, desk = window, window.desk
    away = tmp_path / "elsewhere" / "far down"
    away.mkdir(parents=True)
    clip.rename(away / "moved.mp4")
    desk.start(clip_notebook, tmp_path / "n.saltus")
    shown.go_to("film")
    qtbot.waitUntil(lambda: desk.take_id in desk.film_problems)
    shown.film.refresh()
    assert "is not here" in shown.film.next.text()
    assert shown.film._find.isVisible()
    encode(tmp_path / "other.mp4", [numbered_picture(i) for i in range(5)])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(tmp_path / "other.mp4"), ""))
    shown.film._find_film()
    assert "not the film that was measured" in shown.messages.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(away / "moved.mp4"), ""))
    shown.film._find_film()
    qtbot.waitUntil(shown.read.view.ready)
    assert desk.film_problems == {}


def test_takes_are_named_clocked_and_removed(shown):
    """Name, capture rate and its uncertainty are typed; wrong ones are marked; removal can be undone."""
    shown.go_to("film")
    stage, desk = shown.film, shown.desk
    stage._name.setText("Morning run")
    stage._name.editingFinished.emit()
    assert desk.take.name == "Morning run"
    for text, rate in (("240", 240.0), ("59,94", 59.94), ("", None)):
        stage._capture.setText(text)
        stage._capture.editingFinished.emit()
        assert desk.take.capture_rate == rate
    stage._rate_U.setText("0.5 %")
    stage._rate_U.editingFinished.emit()
    assert desk.take.clock_U95_percent == 0.5
    for wrong in ("fast", "-3", "0"):
        stage._capture.setText(wrong)
        stage._capture.editingFinished.emit()
        assert stage._capture.property("wrong") == "true"
        assert desk.take.capture_rate is None
    stage._remove()
    assert desk.take is None
    assert "Undo brings it back" in shown.messages.text()
    desk.undo()
    assert desk.take.name == "Morning run"


def test_strips_by_keyboard(window, qtbot):
    """Up and down go between takes, Enter opens the one in hand where its work goes on."""
    notebook, _take = made.with_film(Notebook())
    notebook, second = made.with_film(notebook)
    window.desk.start(made.scaled(notebook, second))
    window.go_to("film")

    def strip():
        strips = window.film.findChildren(TakeStrip)
        return next((s for s in strips if s.isChecked() and s.isVisible()), None)

    # neither film is there, which is found out in the background
    qtbot.waitUntil(lambda: len(window.desk.film_problems) == 2)
    qtbot.waitUntil(lambda: strip() is not None)
    strip().setFocus()
    qtbot.keyClick(strip(), KEY.Key_Down)
    assert window.desk.take_id == second
    qtbot.waitUntil(lambda: strip() is not None and strip().hasFocus())
    qtbot.keyClick(strip(), KEY.Key_Down)
    assert window.desk.take_id == second
    qtbot.keyClick(strip(), KEY.Key_Return)
    assert window.stage == "read"
    window.go_to("film")
    qtbot.waitUntil(lambda: strip() is not None)
    strip().setFocus()
    qtbot.keyClick(strip(), KEY.Key_Up)
    qtbot.waitUntil(lambda: strip() is not None)
    qtbot.keyClick(strip(), KEY.Key_Return)
    assert window.stage == "scale"


def test_the_phone_folder_is_taken_in_when_asked(window, clip_notebook, clip, tmp_path, qtbot, monkeypatch):
    """New films are counted while Film is open, known ones are not, and nothing is opened before the click."""
    phone = tmp_path / "phone"
    phone.mkdir()
    (phone / "run.mp4").write_bytes(clip.read_bytes())  # the take that is there already
    (phone / "notes.txt").write_text("no film")
    (phone / "coming.mp4").touch()
    window.desk.start(clip_notebook, clip.with_name("n.saltus"))
    window.go_to("film")
    folder = window.film.phone
    assert "Where your phone" in folder._words.text()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a, **_k: str(phone))
    folder.choose()
    assert folder._words.text() == "0 new films in phone"
    assert not folder.take_in.isEnabled()
    encode(phone / "new.mp4", [numbered_picture(i) for i in range(8)])
    qtbot.waitUntil(lambda: folder._words.text() == "1 new film in phone")
    assert len(window.desk.notebook.takes) == 1
    folder.take_in.click()
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 2)
    qtbot.waitUntil(lambda: folder._words.text() == "0 new films in phone")
    window.go_to("start")
    assert folder._watcher.directories() == []
    assert setting("phone_folder") == str(phone)
    settings_file().write_text("{broken")
    assert setting("phone_folder") == ""


def test_a_take_is_trimmed_to_its_useful_part(shown, qtbot):
    """Dragged ends and [ ] keep a part of the film; reading, playing and the wall go by it; undo gives all back."""
    shown.go_to("film")
    desk = shown.desk

    def strip():
        return next((s for s in shown.film.findChildren(TakeStrip) if s.isVisible() and s.isChecked()), None)

    qtbot.waitUntil(lambda: strip() is not None)
    bar = strip()
    y = round(bar._ribbon().center().y())
    for start, stop in ((0, 6), (29, 24)):
        bar = strip()
        at = QPoint(round(bar._px(start)) + (-4 if start == 0 else 4), y)
        qtbot.mousePress(bar, Qt.MouseButton.LeftButton, pos=at)
        drag_to(bar, QPoint(round(bar._px(stop)), y))
        qtbot.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=QPoint(round(bar._px(stop)), y))
        qtbot.waitUntil(lambda b=bar: strip() not in (None, b))
    assert desk.take.kept == (6, 24)
    assert list(desk.take.kept_frames) == list(range(6, 25))
    shown.go_to("read")
    assert shown.read.reading._count.text() == "0 of 19"
    assert shown.read.reading.cells._frames()[0] == 6
    desk.go_to_frame(24)
    shown.read.player.switch()
    assert desk.frame == 6
    shown.read.player.stop()
    shown.go_to("film")
    qtbot.waitUntil(lambda: strip() is not None)
    desk.go_to_frame(10)
    qtbot.keyClicks(strip(), "[")
    assert desk.take.kept == (10, 24)
    desk.go_to_frame(20)
    qtbot.waitUntil(lambda: strip() is not None)
    qtbot.keyClicks(strip(), "]")
    assert desk.take.kept == (10, 20)
    for _edit in range(4):
        desk.undo()
    assert desk.take.kept is None


def test_long_work_is_shown_and_stopped(window, qtbot):
    """Work runs off the interface thread, shows its progress, and Cancel leaves everything as it was."""
    threads, reached = [], threading.Event()

    def work():
        threads.append(threading.get_ident())
        for i in range(10_000):
            yield Progress(i, 10_000)
            reached.set()
            threading.Event().wait(0.002)
        return 1

    done = []
    window.desk.run("Counting", work, done.append)
    qtbot.waitUntil(window.tasks.isVisible)
    assert "Counting" in window.tasks._words.text()
    assert reached.is_set()
    window.tasks._stop()
    qtbot.waitUntil(lambda: window.desk.tasks.idle)
    assert threads[0] != threading.get_ident()
    assert done == []
    assert "nothing was changed" in window.messages.text()
    assert not window.tasks.isVisible()


def test_a_simulated_run_is_filmed_and_says_so(window, tmp_path, qtbot, monkeypatch):
    """The dialog refuses what would not move; the film joins as a take marked as simulated, its truth beside it."""

    def fill(dialog):
        dialog._boxes["friction"].setValue(3.0)
        dialog._try()
        assert "would not slide" in dialog._wrong.text()
        dialog._boxes["friction"].setValue(0.1)
        dialog._boxes["duration"].setValue(0.2)
        dialog._try()
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(SceneDialog, "exec", fill)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "made"), ""))
    window.files.simulate("incline")
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1, timeout=20_000)
    take = window.desk.take
    assert take.simulated
    assert take.film.name == "made.mp4"
    truth = json.loads((tmp_path / "made.truth.json").read_text())
    assert truth["settings"]["friction"] == 0.1
    words = [w.text() for w in window.film._facts.findChildren(QLabel)]
    assert "virtual camera, not a measurement" in words


def test_where_a_click_lands_on_the_start_page(window):
    """Without a notebook the stages are closed, the demo and an empty notebook are one click away."""
    window.go_to("read")
    assert window.stage == "start"
    assert not window.rail._cells["read"].isEnabled()
    assert window.rail._cells["read"].toolTip() == "opens with a notebook"
    window.start.newNotebook.emit()
    assert window.stage == "film"
    assert window.rail._cells["read"].isEnabled()
    assert "Open a film" in window.film.next.text()
    assert QPoint(0, 0) == window.rail.pos()


@pytest.mark.parametrize("window", [150], indirect=True)
def test_large_text_in_the_smallest_window_squeezes_nothing(shown, qtbot):
    """At 150 % text and 1024 × 680 no button is narrower than its words, and the bar at the foot holds its sentence."""
    shown.resize(1024, 680)
    for stage in ("start", "film", "scale", "read", "motion", "findings"):
        shown.go_to(stage)
        shown.grab()

        def squeezed(here=stage):
            found = [b for b in getattr(shown, here).findChildren(QPushButton) if b.isVisible() and b.text()]
            return [b.text() for b in found if b.width() + 1 < b.minimumSizeHint().width()]

        with contextlib.suppress(qtbot.TimeoutError):
            qtbot.waitUntil(lambda: not squeezed(), timeout=1500)
        assert squeezed() == [], stage
    sentence = "Placing the two ends of the reference length twice as well would take the result a good deal further."
    shown.limits.show_limits(None, sentence)
    shown.grab()
    words = shown.limits._words
    qtbot.waitUntil(lambda: words.height() + 1 >= words.heightForWidth(words.width()))


def test_cells_are_painted_where_they_changed(shown, qtbot):
    """A step paints two cells anew; what is then on the widget is what painting all of it would give."""
    desk, cells = shown.desk, shown.read.reading.cells
    notebook, body = reading_edits.add_body(desk.notebook, desk.take_id, "Block")
    for n in range(0, 20, 2):
        notebook = reading_edits.place_reading(notebook, desk.take_id, body, Reading(n, 9.0 * n + 20, 90.0))
    desk.edit("read", notebook)
    qtbot.wait(50)
    asked = []
    update = cells.update
    cells.update = lambda *area: (asked.append(area), update(*area))
    for frame in (5, 6, 29, 0):
        desk.go_to_frame(frame)
    assert asked
    assert all(area and area[0].width() < 40 for area in asked)
    for i in range(30):
        assert cells._spot(i).contains(cells._box(i).toAlignedRect())
    del cells.update


def test_a_long_film_is_prepared_once_and_left_when_the_window_goes(shown, monkeypatch):
    """Only for the take in hand, only once it was checked; the work ends with the desk, and a vanished film asks for none."""
    started = []

    class Work:
        def __init__(self, path, name, _facts):
            started.append((path.name, name))

        def running(self):
            return True

        def stop(self):
            started.append("stopped")

    monkeypatch.setattr(preparing, "Preparation", Work)
    monkeypatch.setattr(preparing, "wants_copy", lambda _facts: True)
    watch = shown.desk.preparing
    watch._film = ""
    sha = shown.desk.take.film.sha256
    watch._look()
    watch._look()
    assert started == [("run.mp4", sha)]
    assert watch.running
    watch._film = ""
    monkeypatch.setattr(preparing, "find", lambda *_film: (_ for _ in ()).throw(FilmError("gone")))
    watch._look()
    assert started == [("run.mp4", sha), "stopped"]
    assert not watch.running
