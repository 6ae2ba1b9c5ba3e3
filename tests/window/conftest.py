"""The real window without a display; a test fails on leaked threads and timers and on Qt's warnings."""

import gc
import shutil
from pathlib import Path

import made
import pytest
import sounds
from clips import encode, numbered_picture
from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QThread, QTimer, QtMsgType
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QMenu, QMessageBox

from saltus.footage.opening import facts_of
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook, TakeFacts
from saltus.ui.app.app import make_application
from saltus.ui.app.stages import NAMES
from saltus.ui.app.window import Window
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.scaling import set_text_size

# the offscreen platform has no window manager to tell size hints or activation to
PATIENCE_MS = 30_000
OF_THE_PLATFORM = ("This plugin does not support", "propagateSizeHints", "raise()")


def kinds_of(*kinds):
    """Types and all that descend from them."""
    for kind in kinds:
        yield kind
        yield from kinds_of(*kind.__subclasses__())


def going_on():
    """Threads that run, and timers that tick and belong to nothing."""
    wanted = set(kinds_of(QThread, QTimer))
    for one in [o for o in gc.get_objects() if type(o) in wanted and not sip.isdeleted(o)]:
        if one.isRunning() if isinstance(one, QThread) else one.isActive() and one.parent() is None:
            yield one


@pytest.fixture(autouse=True)
def _clean(qtlog):
    yield
    said = [r for r in qtlog.records if r.type != QtMsgType.QtDebugMsg
            and not any(word in r.message for word in OF_THE_PLATFORM)]  # fmt: skip
    assert not said, [r.message for r in said]


@pytest.fixture
def qtbot(qtbot):
    """The usual hands, with patience for a busy machine: what is waited for must come, not come fast."""
    wait = qtbot.waitUntil
    qtbot.waitUntil = lambda callback, *, timeout=PATIENCE_MS: wait(callback, timeout=timeout)
    return qtbot


@pytest.fixture(scope="session")
def _started():
    """What was loaded stays to the end: looking through it for what goes on takes a fifth of a second each time."""
    gc.collect()
    gc.freeze()


@pytest.fixture
def window(qtbot, request, _started):
    """The window, shown, at a text size in per cent; at the end it is closed and nothing may go on running."""
    set_text_size(getattr(request, "param", 100))
    make_application(dark=False)
    made_window = Window()
    made_window.resize(1280, 800)
    made_window.show()
    qtbot.waitExposed(made_window)
    yield made_window
    made_window.desk.start(Notebook())
    made_window.close()
    qtbot.wait(1)
    assert not list(going_on())
    # a stage that was asked for without a visit stands in no window
    for stage in filter(None, map(made_window.built, NAMES)):
        stage.deleteLater()
    made_window.deleteLater()
    # without this the dead window is styled again for every test that follows
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert not [w for w in QApplication.allWidgets() if isinstance(w, Window | Stage)]
    set_text_size(100)


@pytest.fixture(scope="session")
def encoded(tmp_path_factory):
    """The film of :func:`clip` and its facts, made once."""
    path = tmp_path_factory.mktemp("clip") / "run.mp4"
    pictures = [numbered_picture(i, 320, 180) for i in range(30)]
    encode(path, pictures, options={"g": "250", "bf": "3", "crf": "12"})
    return path, TakeFacts.of(facts_of(path))


@pytest.fixture
def clip(encoded, tmp_path):
    """A film of 30 numbered pictures, 320 × 180 px, in one long group with B-frames."""
    return Path(shutil.copy(encoded[0], tmp_path))


@pytest.fixture
def clip_notebook(clip, encoded):
    """A notebook of one take of the clip, nothing measured yet."""
    notebook, take_id = made.with_film(Notebook(title="Workshop"))
    take = notebook.take(take_id).but(film=reference(clip), facts=encoded[1])
    return notebook.but(takes=(take,))


@pytest.fixture
def shown(window, clip, clip_notebook, qtbot):
    """The window on the Read stage with the notebook of the clip."""
    window.desk.start(clip_notebook, clip.with_name("n.saltus"))
    window.go_to("read")
    qtbot.waitUntil(window.read.view.ready)
    return window


@pytest.fixture
def stage(shown, qtbot):
    """The Scale stage, open on the clip."""
    shown.go_to("scale")
    qtbot.waitUntil(shown.scale.view.ready)
    return shown.scale


@pytest.fixture
def click(qtbot):
    """Click, or drag from place to place, on a picture view in picture coordinates."""

    def act(view, *places):
        spots = []
        for x, y in places:
            at = view.place(x, y)
            spots.append(QPoint(round(at.x()), round(at.y())))
        qtbot.mouseMove(view, spots[0])
        qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=spots[0])
        for spot in spots[1:]:
            drag_to(view, spot)
        qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=spots[-1])

    return act


def drag_to(widget, spot):
    """Move the pointer with the left button held."""
    at = QPointF(spot)
    moved = QMouseEvent(QEvent.Type.MouseMove, at, widget.mapToGlobal(at), Qt.MouseButton.NoButton,
                        Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
    QApplication.sendEvent(widget, moved)


@pytest.fixture
def answer(monkeypatch):
    """Answer the question whether to keep changes, with the words of a button."""
    asked = []

    def choose(words):
        def exec_(box):
            asked.append(box.text())
            button = next(b for b in box.buttons() if b.text() == words)
            button.click()
            return 0

        monkeypatch.setattr(QMessageBox, "exec", exec_)
        return asked

    return choose


def choose(box, data):
    """Choose in a list as a person does."""
    box.setCurrentIndex(box.findData(data))
    box.activated.emit(box.currentIndex())


def menu_click(monkeypatch, words):
    """Choose an entry of the next menu by its words; gives what all entries said."""
    said = []

    def exec_(menu, *_at):
        said.extend(a.text() for a in menu.actions())
        chosen = next((a for a in menu.actions() if words in a.text()), None)
        if chosen is not None and chosen.isEnabled():
            chosen.trigger()

    monkeypatch.setattr(QMenu, "exec", exec_)
    return said


KNOCKS = (0.51, 1.01, 1.51, 1.91)


@pytest.fixture(scope="session")
def recorded(tmp_path_factory):
    """A film of 66 numbered pictures with four knocks, and a recording of the knocks alone."""
    folder = tmp_path_factory.mktemp("time")
    pictures = [numbered_picture(i, 160, 96) for i in range(66)]
    heard = sounds.knocks(KNOCKS, 2.2, seed=4, noise=0.0005)
    sounds.write_film(folder / "drum.mov", pictures, heard)
    sounds.write_wav(folder / "drum.wav", heard)
    return folder


def timing(window):
    """What was timed on the take in hand."""
    return window.desk.take.timing


def keys(qtbot, stage, *pressed):
    """Press keys on the picture."""
    for key in pressed:
        qtbot.keyClick(stage.view, key)
