"""What a person waits for in the real window: from the event until the picture of it is painted."""

import subprocess
import sys
import time
from fractions import Fraction
from importlib import import_module
from pathlib import Path

import av
import numpy as np
from freezes import longest_freeze
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest

from saltus.footage.facts import FilmFacts
from saltus.footage.opening import facts_of
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.films import reference
from saltus.notebook.model import FilmRef, Notebook
from saltus.notebook.readings import Reading, Readings
from saltus.notebook.storage import save
from saltus.notebook.trials import FREE, CustomColumn, TrialTable
from saltus.ui.app.app import make_application
from saltus.ui.app.warming import OF_THE_WINDOW, OF_THE_WORK
from saltus.ui.app.window import Window

STAGES = ("film", "scale", "read", "time", "motion", "log", "trials", "graph", "findings")


class Waited:
    """Times acts in a window."""

    def __init__(self, app, window):
        self.app, self.window = app, window

    def for_(self, act):
        """Seconds from an act until nothing is left to paint."""
        begun = time.perf_counter()
        act()
        self.app.processEvents()
        self.app.processEvents()
        return time.perf_counter() - begun

    def each(self, acts, pause=0.0):
        """Seconds of each of several acts, with time between in which the window is idle."""
        out = []
        for act in acts:
            out.append(self.for_(act))
            end = time.perf_counter() + pause
            while time.perf_counter() < end:
                self.app.processEvents()
        return out


def p95(seconds):
    """The 95th percentile."""
    return float(np.percentile(seconds, 95))


def notebook_of(bodies, readings):
    """A notebook with a take, a scale by default and bodies that move smoothly; the film itself is missing."""
    facts = FilmFacts(1920, 1080, 0, "h264", tuple(range(readings)), Fraction(1, 60), 0, 1, sound=False)
    notebook, take_id = take_edits.add_take(Notebook(), FilmRef(name="a.mp4", size=1, sha256="0" * 64), facts)
    n = np.arange(readings)
    rng = np.random.default_rng(1)
    for k in range(bodies):
        notebook, body = reading_edits.add_body(notebook, take_id, f"Body {k + 1}")
        x = 960 + 800 * np.sin(n / 300 + k) + rng.normal(0, 0.3, readings)
        y = 540 + 400 * np.cos(n / 470 + k) + rng.normal(0, 0.3, readings)
        rows = Readings(Reading(int(i), float(a), float(b)) for i, a, b in zip(n, x, y, strict=True))
        take = notebook.take(take_id)
        changed = tuple(b.but(readings=rows) if b.id == body else b for b in take.bodies)
        notebook = notebook.but(takes=(take.but(bodies=changed),))
    return notebook, take_id


def bench_many(folder, row):
    """A notebook of 100,000 readings: open, edit, undo, save, every stage."""
    app = make_application(dark=False)
    notebook, take_id = notebook_of(1, 100_000)
    path = Path(folder) / "many.saltus"
    save(notebook, path)
    window = Window()
    window.show()
    waited = Waited(app, window)
    row(
        "window: open 100,000 readings",
        waited.for_(lambda: window.files.open_path(path)),
        None,
        "≤ 1.5 s",
        "s",
    )
    desk = window.desk
    for stage in STAGES:
        # built before: what is measured is what so many readings cost
        window.go_to(stage)
        window.go_to("start")
        desk.edit("name", take_edits.set_title(desk.notebook, stage))
        QTest.qWait(50)
        row(
            f"window: show {stage.capitalize()}, 100,000 readings",
            waited.for_(lambda s=stage: window.go_to(s)),
            None,
            "≤ 200 ms",
        )
    # the journal gets ready for the first edit while the person looks
    QTest.qWait(2500)
    for stage in ("read", "motion"):
        window.go_to(stage)
        app.processEvents()
        body = desk.take.bodies[0].id

        def edit(i, body=body):
            desk.edit(
                "place",
                reading_edits.place_reading(desk.notebook, take_id, body, Reading(100 * i, 3.0, 2.0 + i)),
            )

        row(
            f"window: edit among 100,000 readings, on {stage.capitalize()}, p95",
            p95(waited.each([lambda i=i: edit(i) for i in range(12)], 0.05)),
            None,
            "≤ 50 ms",
        )
        row(
            f"window: undo among 100,000 readings, on {stage.capitalize()}, p95",
            p95(waited.each([desk.undo] * 12, 0.05)),
            None,
            "≤ 50 ms",
        )
    edit(7)
    QTest.qWait(2500)
    freeze = longest_freeze(app, window.files.save, lambda: not desk.session.unsaved)
    row("window: longest freeze while 100,000 readings are saved", freeze, None, "≤ 100 ms")
    window.desk.start(Notebook())
    window.close()


def bench_steps(row):
    """Steps with 8 bodies of 10,000 readings each, and the edge of a segment dragged."""
    app = make_application(dark=False)
    notebook, _take_id = notebook_of(8, 10_000)
    window = Window()
    window.show()
    window.desk.start(notebook)
    waited = Waited(app, window)
    # in the first seconds after the start what comes later is loaded, between the steps
    QTest.qWait(4000)
    for stage in ("read", "motion"):
        window.go_to(stage)
        window.desk.go_to_frame(3000)
        QTest.qWait(300)
        target = window.part_in_hand(stage)
        acts = [lambda t=target: QTest.keyClick(t, Qt.Key.Key_Right)] * 40
        row(
            f"window: step on {stage.capitalize()}, 8 bodies × 10,000 readings, p95",
            p95(waited.each(acts, 0.03)),
            None,
            "≤ 16 ms",
        )
    window.go_to("motion")
    lanes = window.motion.lanes
    window.motion._stretched(2000, 2600)
    app.processEvents()
    (_left, right), y = lanes._span(lanes.segments()[0]), lanes._boxes["segments"].center().y()
    QTest.mousePress(lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(right), round(y)))

    def drag(x):
        at = QPointF(x, y)
        moved = QMouseEvent(
            QEvent.Type.MouseMove,
            at,
            lanes.mapToGlobal(at),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        app.sendEvent(lanes, moved)

    seconds = waited.each([lambda x=x: drag(x) for x in np.linspace(right, right + 80, 40)], 0.01)
    row("window: drag of a segment's edge, 8 bodies × 10,000 readings, p95", p95(seconds), None, "≤ 33 ms")
    QTest.mouseRelease(lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(right), round(y)))
    window.desk.start(Notebook())
    window.close()


def table_of(rows=1000):
    """A table of trials with ten derived columns."""
    formulas = ("a*b", "a/b", "a^2", "sqrt(b)", "d1+d2", "d5/d3", "d6*2", "a*d4", "ln(b)", "d9*d1")
    own = [CustomColumn(name=n) for n in ("x", "a", "b")]
    own += [CustomColumn(name=f"d{i}", formula=text) for i, text in enumerate(formulas, 1)]
    cells = [
        {"x": f"{i // 5}", "a": f"{1 + 0.01 * i:.3f} ± 0.01", "b": f"{2 + 0.02 * (i % 50):.3f}"}
        for i in range(rows)
    ]
    table = TrialTable(investigation=FREE, own=tuple(own), varied="x")
    return trial_edits.add_trials(trial_edits.start(Notebook(), table), cells)[0]


def bench_cells(row):
    """One cell typed among 1,000 trials, on Trials and on Graph."""
    app = make_application(dark=False)
    window = Window()
    window.show()
    window.desk.start(table_of())
    waited = Waited(app, window)
    desk = window.desk
    for k, stage in enumerate(("trials", "graph")):
        window.go_to(stage)
        QTest.qWait(300)

        def typed(n, k=k):
            # another value each time: what is typed again as it stands changes nothing
            cell = {(f"trial-{7 * n + 1}", "a"): f"{1.5 + n / 100 + k / 10:.2f} ± 0.01"}
            desk.edit("type", trial_edits.set_cells(desk.notebook, cell))

        seconds = waited.each([lambda n=n: typed(n) for n in range(15)], 0.03)
        row(
            f"window: one cell of 1,000 trials × 10 columns, on {stage.capitalize()}",
            float(np.median(seconds)),
            None,
            "≤ 100 ms",
        )
    desk.start(Notebook())
    window.close()


def bench_visits(row):
    """The first visit of each stage with the demo."""
    from saltus.simulate.demo import demo_notebook

    app = make_application(dark=False)
    window = Window()
    window.show()
    window.desk.start(demo_notebook("open-day"))
    for name in (*OF_THE_WORK, *OF_THE_WINDOW):
        # as it is done in the first second after the start
        import_module(name)
    QTest.qWait(500)
    waited = Waited(app, window)
    seconds = {stage: waited.for_(lambda s=stage: window.go_to(s)) for stage in STAGES}
    slowest = max(seconds, key=seconds.get)
    row(
        f"window: first visit of a stage, the slowest ({slowest.capitalize()})",
        seconds[slowest],
        None,
        "≤ 150 ms",
    )
    window.desk.start(Notebook())
    window.close()


def bench_playing(folder, row, film):
    """A film of 60 pictures a second played at its own rate: how many come late."""
    app = make_application(dark=False)
    facts = facts_of(film, quick=True)
    notebook, _take = take_edits.add_take(Notebook(), reference(film), facts)
    window = Window()
    window.show()
    window.desk.start(notebook, Path(folder) / "played.saltus")
    window.go_to("read")
    view, player = window.read.view, window.read.player
    while not view.ready():
        app.processEvents()
    QTest.qWait(1500)
    shown = []
    window.desk.pictureArrived.connect(
        lambda _take, frame, _image: shown.append((time.perf_counter(), frame))
    )
    player.switch()
    QTest.qWait(4000)
    player.switch()
    every = window.desk.every
    window.desk.go_to_frame(0)
    QTest.qWait(1000)
    shown.clear()
    player.switch()
    QTest.qWait(4000)
    player.stop()
    wanted = 60 * (shown[-1][0] - shown[0][0]) / every
    what = (
        "1080p60 played at its rate" if every == 1 else f"1080p60 played at its rate, every {every}. picture"
    )
    row(f"window: {what}, missing", 1 - len(shown) / wanted, None, "≤ 2 %", "%")
    window.desk.start(Notebook())
    window.close()


def bench_memory(film, row):
    """Memory of the window with one film, without the cache of its pictures."""
    code = (
        "import sys, os, resource; from pathlib import Path; from PyQt6.QtTest import QTest; "
        "from saltus.ui.app.app import make_application; from saltus.ui.app.window import Window; "
        "a = make_application(); w = Window(); w.show(); w.files.open_path(Path(sys.argv[1])); "
        "[QTest.qWait(50) for _ in range(80) if not w.desk.notebook.takes]; w.go_to('read'); QTest.qWait(3000); "
        "r = next(iter(w.desk._thread._readers.values())); "
        "held = len(r._cache) * r.facts.width * r.facts.height * 3 // 2 + w.desk._thread._ready_bytes; "
        "used = int(open('/proc/self/statm').read().split()[1]) * resource.getpagesize(); "
        "print(used - held); sys.stdout.flush(); os._exit(0)"
    )
    command = [sys.executable, "-c", code, str(film)]
    told = subprocess.run(command, check=True, capture_output=True, text=True)
    row(
        "window with one 1080p film, memory without the cache",
        int(told.stdout) / 2**20,
        None,
        "≤ 350 MiB",
        "MiB",
    )


def bench_large(row, film):
    """Steps through a 4K film, and the longest freeze while it is opened."""
    app = make_application(dark=False)
    window = Window()
    window.show()
    window.files.new_notebook()
    freeze = longest_freeze(
        app,
        lambda: window.files.open_path(film),
        lambda: window.desk.notebook.takes and window.desk.shown is not None,
    )
    row("window: longest freeze while a 4K film is opened", freeze, None, "≤ 100 ms")
    window.go_to("read")
    view = window.read.view

    def steps(key, count):
        seconds = []
        for _step in range(count):
            begun = time.perf_counter()
            QTest.keyClick(view, key)
            while not view.ready():
                app.processEvents()
            view.repaint()
            seconds.append(time.perf_counter() - begun)
            QTest.qWait(120)
        return seconds

    while not view.ready():
        app.processEvents()
    QTest.qWait(2000)
    with av.open(str(film)) as container:
        container.streams.video[0].thread_type = "SLICE"
        frames = container.decode(video=0)
        bare = []
        for _frame in range(30):
            begun = time.perf_counter()
            next(frames).to_ndarray(format="rgb24")
            bare.append(time.perf_counter() - begun)
    row(
        "window: 4K step forward, p95, beside decoding the next frame",
        p95(steps(Qt.Key.Key_Right, 30)),
        p95(bare),
        "≤ 1.2 ×",
    )
    back = []
    for _round in range(5):
        steps(Qt.Key.Key_Right, 8)
        # of so large pictures no more are kept ready behind
        back += steps(Qt.Key.Key_Left, 4)
    row("window: 4K step back, within the cache, p95", p95(back), None, "≤ 16 ms")
    window.desk.start(Notebook())
    window.close()
