"""The longest time the window does not answer while it is busy with something else."""

import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop, Qt, QTimer
from PyQt6.QtTest import QTest

from saltus.notebook.model import Notebook
from saltus.simulate.demo import demo_notebook
from saltus.ui.app.app import make_application
from saltus.ui.app.window import Window

WAITS = QEventLoop.ProcessEventsFlag.WaitForMoreEvents


def longest_freeze(app, act, until):
    """Act, wait until that is so, and give the longest time between two beats of the window, s."""
    beats = [time.perf_counter()]
    beat = QTimer()
    beat.setTimerType(Qt.TimerType.PreciseTimer)
    beat.setInterval(2)
    beat.timeout.connect(lambda: beats.append(time.perf_counter()))
    beat.start()
    act()
    while not until():
        app.processEvents(WAITS)
    beats.append(time.perf_counter())
    beat.stop()
    return float(np.diff(beats).max())


def bench_freezes(folder, row, film):
    """Opening and checking a film, and writing a sheet, in a window in which these were done once before."""
    app = make_application(dark=False)
    window = Window()
    window.show()
    desk, files = window.desk, window.files
    sheet = Path(folder) / "sheet.pdf"
    for measured in (False, True):
        files.new_notebook()
        window.go_to("film")
        QTest.qWait(1000)
        found = {
            "a 1080p film is opened": longest_freeze(
                app, lambda: files.open_path(film), lambda: desk.notebook.takes and desk.shown is not None
            ),
            "a 1080p film is checked": longest_freeze(app, lambda: None, lambda: desk.take.facts.checked),
        }
        desk.start(demo_notebook("open-day"))
        window.go_to("findings")
        QTest.qWait(1000)
        sheet.unlink(missing_ok=True)
        found["a sheet is written as PDF"] = longest_freeze(
            app, lambda: window.findings.write_pdf(sheet), lambda: sheet.exists() and desk.tasks.idle
        )
        for what, seconds in found.items() if measured else ():
            row(f"window: longest freeze while {what}", seconds, None, "≤ 50 ms")
        desk.start(Notebook())
    window.close()
