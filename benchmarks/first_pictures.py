"""How soon the first picture of a film is painted in the window, beside opening it and decoding one frame."""

import time

import av
import numpy as np
from PyQt6.QtCore import QEventLoop
from PyQt6.QtTest import QTest

from saltus.footage.helper import chill, warm
from saltus.notebook.model import Notebook
from saltus.ui.app.app import make_application
from saltus.ui.app.window import Window

RUNS = 7
WAITS = QEventLoop.ProcessEventsFlag.WaitForMoreEvents


def bare_first(path):
    """Open and decode one frame."""
    with av.open(str(path)) as container:
        return next(container.decode(video=0)).to_ndarray(format="rgb24")


def repeated(path, to, times):
    """Write the frames of a film so many times one after the other, as they are."""
    with av.open(str(path)) as source, av.open(str(to), "w") as out:
        stream = source.streams.video[0]
        written = out.add_stream_from_template(stream)
        packets = [p for p in source.demux(stream) if p.size]
        length = max(p.pts for p in packets) + packets[0].duration
        data = [(bytes(p), p.pts, p.dts, p.duration, p.is_keyframe) for p in packets]
        for n in range(times):
            for content, pts, dts, duration, key in data:
                packet = av.Packet(content)
                packet.stream, packet.time_base = written, stream.time_base
                packet.pts, packet.dts = pts + n * length, dts + n * length
                packet.duration, packet.is_keyframe = duration, key
                out.mux(packet)


def bench_first_pictures(folder, row, films):
    """From the act of opening until a picture of the film is painted, a helper being ready as it is in use."""
    long = folder / "20000.mp4"
    repeated(films["1080p"], long, 34)
    app = make_application(dark=False)
    window = Window()
    window.show()
    window.files.new_notebook()
    window.go_to("film")
    warm()
    QTest.qWait(4000)
    opening = window.desk.opening
    for name, path in {**films, "1080p, 20,400 frames": long}.items():
        ours, bare = [], []
        for _run in range(RUNS):
            # the next helper gets ready meanwhile, as it does while a person chooses a film
            QTest.qWait(1500)
            takes = len(window.desk.notebook.takes)
            begun = time.perf_counter()
            window.files.open_path(path)
            while not opening.coming and len(window.desk.notebook.takes) == takes:
                app.processEvents(WAITS)
            app.processEvents()
            ours.append(time.perf_counter() - begun)
            while len(window.desk.notebook.takes) == takes:
                app.processEvents()
            window.desk.start(Notebook())
            window.files.new_notebook()
            begun = time.perf_counter()
            bare_first(path)
            bare.append(time.perf_counter() - begun)
        row(f"window: first picture after opening, {name}", np.median(ours), np.median(bare), "≤ 1.5 ×")
    chill()
    window.desk.start(Notebook())
    window.close()
