"""Small screens and first visits: all is in reach, the window stands within the screen, stages are built when wanted."""

import pytest
from PyQt6.QtCore import QEvent, QObject, QRect, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QPushButton, QScrollArea, QWidget

from saltus.simulate.demo import demo_notebook
from saltus.ui.app.rail import STAGES
from saltus.ui.app.stages import NAMES
from saltus.ui.app.warming import OF_THE_WINDOW, OF_THE_WORK, Warming
from saltus.ui.app.window_place import arrangement, fitted, place, remember
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.settings import set_setting, setting
from saltus.ui.kit.widgets import label, yielding

FREE = QRect(0, 28, 1366, 700)
NEVER, MARGIN = Qt.ScrollBarPolicy.ScrollBarAlwaysOff, 8
SCROLL_AT_LARGE_TEXT = {"stopwatch"}


class OtherWindows(QObject):
    """Notes windows that come up beside the one of Saltus."""

    def __init__(self, window):
        super().__init__()
        self.window, self.seen = window, []

    def eventFilter(self, watched, event):
        shows = event.type() == QEvent.Type.Show and isinstance(watched, QWidget) and watched.isWindow()
        if shows and watched is not self.window:
            self.seen.append(type(watched).__name__)
        return False


@pytest.mark.parametrize(
    ("window", "size"),
    [(100, (960, 600)), (100, (1024, 680)), (150, (1366, 700))],
    indirect=["window"],
)
def test_every_stage_fits(window, size, qtbot):
    """At the smallest window, and with large text on a school laptop, no button is out of the window."""
    window.resize(*size)
    assert (window.width(), window.height()) == size
    for demo, stages in (
        ("open-day", STAGES[:5]),
        ("swings", ("trials", "graph", "gallery", "stopwatch", "findings")),
    ):
        window.desk.start(demo_notebook(demo))
        for stage in stages:
            window.go_to(stage)
            # until the layouts of a page that was just built have come to rest
            qtbot.wait(60)
            room = window._rooms[stage]
            bars = room.horizontalScrollBar().maximum(), room.verticalScrollBar().maximum()
            if size[0] == 1366 and stage in SCROLL_AT_LARGE_TEXT:
                assert max(bars) > 0
                room.ensureWidgetVisible(window.built(stage).next)
                continue
            assert bars == (0, 0), stage
            page = window.built(stage)
            for button in page.findChildren(QPushButton):
                if button.visibleRegion().isEmpty():
                    continue
                corner = button.mapTo(window, button.rect().topRight())
                assert corner.x() < window.width(), (stage, button.text())
                assert button.width() >= button.minimumSizeHint().width(), (stage, button.text())
            for area in page.findChildren(QScrollArea):
                if area.isVisible() and area.horizontalScrollBarPolicy() == NEVER:
                    # what a column holds may lean into its margin, no farther
                    assert area.widget().width() - area.viewport().width() < MARGIN, stage
    assert all(window.rail.cell(name).geometry().bottom() <= window.height() for name in STAGES)


def painted(part, wide):
    """A part of the window as it is painted so many px wide."""
    part.resize(wide, 32)
    return part.grab().toImage()


@pytest.mark.usefixtures("window")
def test_what_has_no_room_is_shortened():
    """Dots stand for what is left out of a line, or of the entry of a list; of a line no mere letters are left."""
    line, said = yielding("simulated, not a measurement"), []
    for wide in (400, 120, 30):
        line.resize(wide, 32)
        said.append(line.shown())
    assert said[0] == line.text()
    assert said[1][-1] == "…"
    assert line.text().startswith(said[1][:-1])
    assert said[2] == ""
    assert painted(line, 120) == painted(label(said[1]), 120)
    shortened, cut = chooser("take"), QComboBox()
    for box in (shortened, cut):
        fill(box, [("Felt puck on a tilted drawing board", 1)])
    assert [painted(shortened, wide) == painted(cut, wide) for wide in (400, 140)] == [True, False]


def test_stages_are_built_when_they_are_visited(window, qtbot):
    """The start page needs no desk and no stage; a visit builds one, and no window comes up beside this one."""
    assert not window.works
    assert all(window.built(name) is None for name in NAMES)
    others = OtherWindows(window)
    QApplication.instance().installEventFilter(others)
    try:
        window.go_to("read")
        assert window.stage == "start"
        assert not window.works
        window.desk.start(demo_notebook("open-day"))
        for i, name in enumerate(NAMES, 1):
            window.go_to(name)
            qtbot.wait(1)
            assert window.stage == name
            assert sum(window.built(each) is not None for each in NAMES) == i
    finally:
        QApplication.instance().removeEventFilter(others)
    assert others.seen == []


def test_the_window_stands_within_the_screen(window, monkeypatch):
    """Wherever it stood last, it is brought into the free area, with room for its title bar, and remembered."""
    for wanted in (QRect(0, 0, 1280, 800), QRect(-500, 900, 1000, 650), QRect(1300, 28, 3000, 2000)):
        there = fitted(wanted, FREE)
        assert FREE.adjusted(0, 30, 0, 0).contains(there)
    assert fitted(QRect(100, 80, 980, 620), FREE) == QRect(100, 80, 980, 620)
    monkeypatch.setattr("saltus.ui.app.window_place.free_areas", lambda: [FREE])
    window.setGeometry(30, 90, 990, 640)
    remember(window)
    window.setGeometry(0, 40, 1200, 700)
    place(window)
    assert window.geometry() == fitted(QRect(30, 90, 990, 640), FREE)
    for nonsense in ([1, 2], "here", [0, 0, -5, 9, 0], [True] * 5, [1e9, 0, 1, 1, 0]):
        set_setting("windows", {arrangement(): nonsense})
        place(window)
        assert window.isVisible()
    assert setting("windows")


def test_what_is_loaded_meanwhile_exists(window, qtbot):
    """The modules named are there, and what waits for them is told in the window's thread."""
    found = []
    warming = Warming(window, found.append)
    warming.begin()
    qtbot.waitUntil(lambda: bool(found), timeout=20_000)
    qtbot.waitUntil(lambda: not warming._timer.isActive(), timeout=20_000)
    assert found[0].kept == []
    assert len(OF_THE_WORK) > 5
    assert len(OF_THE_WINDOW) > 10
