"""How fast bodies are followed, beside bare decoding; how free the window stays, and how much memory it takes."""

import gc
import resource
import time
from pathlib import Path

import numpy as np
from drawn import DrawnBody, DrawnScene
from freezes import longest_freeze
from PyQt6.QtCore import QEventLoop
from PyQt6.QtGui import QLinearGradient
from PyQt6.QtTest import QTest

from saltus.core.following.made_ready import make_ready
from saltus.core.following.patch import Box
from saltus.core.following.run import Following, Frame, Start
from saltus.core.progress import finished
from saltus.footage.opening import facts_of, reader_of
from saltus.jobs.following import follow
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.films import reference
from saltus.notebook.model import Notebook
from saltus.session.following import FollowingRun, Wanted, frames_of
from saltus.ui.app.app import make_application
from saltus.ui.app.window import Window

SIZE = 48


def path_of(count, width, height, phase=0.0):
    """Places on a figure of eight, px."""
    n = np.arange(count)
    return np.stack(
        [width / 2 + 0.35 * width * np.sin(n / 37 + phase), height / 2 + 0.3 * height * np.cos(n / 53)],
        axis=1,
    )


def scene(count, width, height, bodies=1, size=SIZE, noise=2.0):
    """Bodies on a slightly grained ground."""
    made = tuple(
        DrawnBody(path_of(count, width, height, 1.5 * i), size=size, seed=3 + i) for i in range(bodies)
    )
    return DrawnScene(made, width=width, height=height, ground_contrast=8, noise=noise, seed=4)


def box_of(body, margin=0.0):
    """The box round a body in the first frame."""
    x, y = body.path[0]
    side = body.size + 2 * margin
    return Box(x - side / 2, y - side / 2, side, side)


def seconds_of(path, starts):
    """Seconds a frame of bare decoding and of following."""
    facts = facts_of(path, quick=True)
    reader = reader_of(path, facts)
    begun = time.perf_counter()
    for n in range(facts.frames):
        reader.brightness(n)
    bare = (time.perf_counter() - begun) / facts.frames
    reader.close()
    begun = time.perf_counter()
    finished(follow.steps(path, facts, facts.times, list(range(facts.frames)), starts))
    return (time.perf_counter() - begun) / facts.frames, bare


def bench_speed(folder, row):
    """Ratios of decoding alone to following, and what each further body takes."""
    for name, width, height, count, bar in (
        ("1080p", 1920, 1080, 240, "≤ 1.43 ×"),
        ("4K", 3840, 2160, 60, "≤ 1.25 ×"),
    ):
        # as many bits as a phone takes: a film without noise is decoded in a third of the time
        drawn = scene(count, width, height, 3 if name == "1080p" else 1, noise=4.0)
        path = Path(folder) / f"{name}.mp4"
        drawn.film(path, crf=18, preset="veryfast")
        rate = path.stat().st_size * 8 / (count / 60) / 1e6
        seconds_of(path, (Start("a", box_of(drawn.bodies[0])),))
        one, bare = seconds_of(path, (Start("a", box_of(drawn.bodies[0])),))
        row(f"follow one 48 px body, {name} of {rate:.0f} Mbit/s, a frame", one, bare, bar)
        if len(drawn.bodies) == 3:
            three, _bare = seconds_of(
                path, tuple(Start(str(i), box_of(b)) for i, b in enumerate(drawn.bodies))
            )
            row("each further body, a frame", (three - one) / 2, None, "≤ 2.5 ms")


def bench_window_following(folder, row):
    """The longest time the window does not answer while 2,000 frames are followed, and how soon it stops."""
    drawn, path = scene(2000, 640, 360, size=40), Path(folder) / "long-run.mp4"
    drawn.film(path, crf=20, preset="veryfast")
    app = make_application(dark=False)
    # as the window does once it has nothing else to load
    QLinearGradient()
    make_ready()
    gc.freeze()
    window = Window()
    window.show()
    notebook, take_id = take_edits.add_take(Notebook(), reference(path), facts_of(path, quick=True))
    notebook, body = reading_edits.add_body(notebook, take_id, "Puck")
    window.desk.start(notebook, path.with_suffix(".saltus"))
    window.go_to("read")
    QTest.qWait(800)
    now = window.desk.following
    waits = QEventLoop.ProcessEventsFlag.WaitForMoreEvents

    def begun():
        take = window.desk.take
        wanted = Wanted(body, box_of(drawn.bodies[0]), tuple(drawn.bodies[0].path[0]))
        now.begin(FollowingRun(take, [wanted], frames_of(0, len(take.facts.ticks) - 1)))

    freeze = longest_freeze(app, begun, lambda: now.run is None)
    row("longest freeze while 2,000 frames are followed", freeze, None, "≤ 50 ms")
    window.desk.undo()
    begun()
    while now.run.done < 200:
        app.processEvents(waits)
    stopped = time.perf_counter()
    now.stop()
    while not now.over:
        app.processEvents(waits)
    row("from stop to the end of the run", time.perf_counter() - stopped, None, "≤ 200 ms")
    window.desk.start(Notebook())
    window.close()


def bench_memory(row):
    """What 15,000 more frames take, in a run of 20,000."""
    drawn = scene(240, 320, 180, size=24)
    pictures = list(drawn.pictures())
    run = Following(
        (Start("a", box_of(drawn.bodies[0]), "pattern"),), Frame(0, 0.0, pictures[0], lambda: None)
    )
    grown = 0
    for n in range(1, 20_000):
        there = n % 478
        run.step(Frame(n, n / 60, pictures[there if there < 240 else 478 - there], lambda: None))
        if n == 5000:
            grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - grown) / 1024
    row("memory that frames 5,000 to 20,000 of a run take, MB", grown, None, "flat", unit="MB")


def bench_following(folder, row):
    """All of it."""
    bench_speed(folder, row)
    bench_window_following(folder, row)
    bench_memory(row)
