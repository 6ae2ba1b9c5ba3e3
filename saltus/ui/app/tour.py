"""The tour: visits every main view with the demo data and keeps a picture of each, without a display."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QEventLoop
from PyQt6.QtGui import QColor, QCursor, QPainter
from PyQt6.QtWidgets import QApplication, QWidget

from saltus.exchange.motion_graph import RELEASE
from saltus.notebook.edits import logs as log_edits
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.logs import Channel
from saltus.notebook.model import Notebook
from saltus.notebook.trials import Instrument
from saltus.simulate.demo import demo_notebook
from saltus.simulate.demo_runs import prepared, run_films
from saltus.simulate.sensors import SENSORS
from saltus.ui.app.app import make_application
from saltus.ui.app.window import Window
from saltus.ui.desk.desk import THUMBS
from saltus.ui.film.many_films import ManyFilms
from saltus.ui.kit.theme import apply_theme

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from PyQt6.QtGui import QPixmap

PATIENCE_S = 20.0


def settle(app: QApplication, ready: Callable[[], bool]) -> bool:
    """Run the event loop until something holds; False when patience ran out."""
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
        if ready():
            app.processEvents()
            return True
        time.sleep(0.005)
    return False


def _shown(size: tuple[int, int]) -> Window:
    window = Window()
    window.resize(*size)
    window.show()
    return window


def _measuring(window: Window) -> None:
    take = window.desk.notebook.takes[0]
    window.desk.go_to_take(take.id)
    window.desk.go_to_frame(76)


def _investigate(window: Window, keep: Callable[[str], None]) -> None:
    """The gallery, and the stages of an investigation with timed swings."""
    window.go_to("gallery")
    window.gallery.choose("pendulum")
    keep("09-gallery")
    window.desk.start(demo_notebook("swings"))
    window.go_to("trials")
    window.trials.table.go_to("trial-11", "time")
    keep("10-trials")
    for number, stage in enumerate(("graph", "findings"), 11):
        window.go_to(stage)
        keep(f"{number}-{stage}-trials")
    _record(window)
    keep("13-log")
    _time(window, keep)


def _askew(window: Window, keep: Callable[[str], None]) -> None:
    """A scale with a plane and a lens, and what of it is checked."""
    notebook = demo_notebook("askew")
    window.desk.start(notebook)
    window.desk.go_to_take(notebook.takes[0].id)
    window.desk.go_to_frame(56)
    window.go_to("scale")
    window.scale.take_up("trust")
    keep("03-scale")


def _in_dark(window: Window) -> None:
    """A camera that moves, taken out by two fixed points."""
    measured = demo_notebook("measured")
    window.desk.start(measured)
    window.desk.go_to_take(measured.takes[0].id)
    window.desk.go_to_frame(40)
    window.go_to("scale")
    window.scale.take_up("camera")


def _follow(window: Window, keep: Callable[[str], None]) -> None:
    """The puck of the first take, followed from a box round where it was read by hand."""
    desk, stage = window.desk, window.read
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    desk.go_to_take(desk.notebook.takes[0].id)
    take = desk.take
    assert take is not None
    first = next(iter(take.bodies[0].readings))
    edited, followed = reading_edits.add_body(desk.notebook, take.id, "Puck, followed")
    desk.edit("add a body", edited)
    desk.choose_body(followed)
    desk.go_to_frame(first.frame)
    settle(app, lambda: _in_hand(window))
    stage.follow()
    assert desk.body is not None
    side = 58.0
    stage.setup.draw(desk.body, first.x - side / 2, first.y - side / 2, side, side)
    stage.setup.every = 1
    settle(app, lambda: stage.setup.ready)
    stage.start_following()
    settle(app, lambda: desk.following.run is None)
    desk.go_to_frame(first.frame + 76)
    stage.followed.why.switch()
    settle(app, lambda: _in_hand(window))

    def seen() -> bool:
        stage.refresh()
        return len(stage.followed.strip.cuts) >= 5

    settle(app, seen)
    keep("17-follow")


def _with_hand() -> Notebook:
    """The timed swings, and the measured hand of the other demo."""
    (hand,) = demo_notebook("times").hands
    swings = demo_notebook("swings").but(hands=(hand,))
    chosen = Instrument(rule="hand", amount=hand.id)
    return trial_edits.set_instrument(swings, "time", chosen)


def _time(window: Window, keep: Callable[[str], None]) -> None:
    """Instants of a ball that is heard, and the stopwatch over the timed swings."""
    window.desk.start(demo_notebook("times"))
    window.go_to("time")
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    first = window.desk.notebook.takes[0]
    settle(app, lambda: window.time.sounds.of(first) is not None)
    window.desk.go_to_frame(64)
    keep("14-time")
    window.desk.start(_with_hand())
    window.go_to("trials")
    window.trials.table.go_to("trial-11", "time")
    window.trials.watch.click()
    window.stopwatch.clock = lambda: 6.37
    for at in (0.0, 1.74, 3.47, 5.21):
        window.stopwatch.press(at)
    keep("15-stopwatch")


def _motion(window: Window, keep: Callable[[str], None]) -> None:
    """A swing with its passings, and a ball just before and just after an impact."""
    window.desk.start(demo_notebook("motion"))
    swing, fall = window.desk.notebook.takes
    window.desk.go_to_take(swing.id)
    window.desk.choose_segment(swing.segments[0].id)
    window.desk.go_to_frame(40)
    window.go_to("motion")
    keep("18-swing")
    window.desk.go_to_take(fall.id)
    window.desk.go_to_frame(30)
    window.motion.lanes.axis = "y"
    window.motion.choose("event")
    keep("19-before-after")
    window.motion.choose("segment")


def _many(window: Window, keep: Callable[..., None]) -> None:
    """Ten films of one camera followed at once, what they show together, and marks on one of them."""
    paths = run_films()
    notebook, _take = prepared(paths)
    window.desk.start(notebook)
    window.go_to("film")
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    films = ManyFilms(window, window.desk)
    films.add(paths)
    films.begin()
    settle(app, lambda: not films.busy)
    keep("06-many-films", films)
    films.close()
    window.desk.go_to_take(window.desk.notebook.takes[-1].id)
    window.desk.go_to_frame(40)
    window.go_to("motion")
    window.motion.choose("graph")
    window.motion.pages.graph.show_all(along="t", up="speed", begin=RELEASE)
    keep("07-motion-graph")
    window.motion.choose("picture")
    panel = window.motion.pages.picture
    panel.lay.click()
    settle(app, lambda: panel.strobe is not None)
    keep("16-on-the-picture")
    window.motion.choose("segment")
    # nothing of it is to be kept
    window.desk.start(Notebook())


def _record(window: Window) -> None:
    """A recorded pull, zeroed, with its steady stretch chosen."""
    made = SENSORS["pull-run"].record({"seed": 4})
    times = tuple(map(float, made.columns["time"][1]))
    channels = tuple(
        Channel(name=name, unit=unit, values=tuple(map(float, values)))
        for name, (unit, values) in made.columns.items()
        if name != "time"
    )
    notebook, log_id = log_edits.add_log(
        Notebook(title="A pull"), SENSORS["pull-run"].about, times, channels, simulated=True
    )
    notebook = log_edits.change_channel(notebook, log_id, "force", zero=(0.1, 1.2))
    notebook, _stretch = log_edits.add_stretch(notebook, log_id, "force", 1.7, 3.3)
    window.desk.start(notebook)
    window.go_to("log")


def _arrived(window: Window) -> bool:
    """Whether the picture in hand and all thumbnails are there."""
    desk = window.desk
    films = [take for take in desk.notebook.takes if take.facts.pictures]
    thumbs = all(len(desk.thumbs.get(t.id, {})) >= min(THUMBS, len(t.facts.ticks)) for t in films)
    return thumbs and (desk.take is None or _in_hand(window))


def _in_hand(window: Window) -> bool:
    shown, desk = window.desk.shown, window.desk
    return shown is not None and shown[:2] == (desk.take_id, desk.frame)


def _picture(window: Window, beside: QWidget | None) -> QPixmap:
    """The window, with what stays open beside it laid over its middle."""
    picture = window.grab()
    if beside is not None:
        painter = QPainter(picture)
        painter.fillRect(picture.rect(), QColor(12, 16, 16, 90))
        painter.drawPixmap(picture.rect().center() - beside.rect().center(), beside.grab())
        painter.end()
    return picture


def _leave(window: Window) -> None:
    """Close the window for good: what lives on is styled again with every change of the theme."""
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def make_tour(folder: Path, size: tuple[int, int] = (1280, 800)) -> list[Path]:
    """Visit every main view; gives the pictures made.

    Parameters
    ----------
    folder : Path
        Made if it is missing.
    size : (int, int)
        Of the window, px.
    """
    folder.mkdir(parents=True, exist_ok=True)
    app = make_application(dark=False)
    # the pointer of a display that is not there would light up what lies in the corner
    QCursor.setPos(size[0] * 2, size[1] * 2)
    window = _shown(size)
    made: list[Path] = []

    def keep(name: str, beside: QWidget | None = None) -> None:
        settle(app, lambda: _arrived(window))
        window.repaint()
        path = folder / f"{name}.png"
        _picture(window, beside).save(str(path))
        made.append(path)

    keep("01-start")
    notebook = demo_notebook("open-day")
    window.desk.start(notebook)
    _measuring(window)
    for name in ("02-film", "04-read", "05-motion"):
        window.go_to(name[3:])
        keep(name)
    window.go_to("read")
    for part in (_follow, _investigate, _motion, _many, _askew):
        part(window, keep)
    _leave(window)
    apply_theme(app, dark=True)
    window = _shown(size)
    _in_dark(window)
    keep("08-measuring-dark")
    window.desk.start(Notebook())
    _leave(window)
    apply_theme(app, dark=False)
    return made
