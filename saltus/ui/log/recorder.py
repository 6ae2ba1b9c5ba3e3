"""A simulated sensor at work: it records at true speed until it is stopped or done."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from saltus.notebook.logs import Channel

if TYPE_CHECKING:
    from saltus.simulate.sensors import Recording

LIVE_MS = 40
KEPT_EVERY_S = 1.0
FEWEST = 2


class Recorder(QObject):
    """Plays a recording of a simulated sensor as it would come in.

    Signals
    -------
    arrived(times, columns)
        What there is so far.
    grown(name, times, channels)
        The same, once a second, for the journal.
    ended(name, times, channels)
        What was recorded when it ended; nothing is said where that was too little.
    """

    arrived = pyqtSignal(object, object)
    grown = pyqtSignal(str, tuple, tuple)
    ended = pyqtSignal(str, tuple, tuple)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._made: Recording | None = None
        self._name = ""
        self.began = self._kept = 0.0
        self._clock = QTimer(self)
        self._clock.setInterval(LIVE_MS)
        self._clock.timeout.connect(self.tick)

    @property
    def running(self) -> bool:
        """Whether a sensor records."""
        return self._made is not None

    def start(self, name: str) -> None:
        """Let a sensor record."""
        from saltus.simulate.sensors import SENSORS  # noqa: PLC0415  start-up time

        self._made = SENSORS[name].record({"seed": time.time_ns() % 1_000_000})
        self._name, self.began = name, time.monotonic()
        self._kept = self.began
        self._clock.start()
        self.tick()

    def _count(self, made: Recording) -> int:
        t = made.columns["time"][1]
        return int((t - t[0] <= time.monotonic() - self.began).sum())

    def tick(self) -> None:
        """Pass on what has come in; end where there is nothing more to come."""
        made = self._made
        if made is None:
            return
        t, count = made.columns["time"][1], self._count(made)
        if count >= len(t):
            self.stop()
        elif count >= FEWEST:
            self.arrived.emit(t[:count], {n: v[:count] for n, (_u, v) in made.columns.items() if n != "time"})
            if time.monotonic() - self._kept > KEPT_EVERY_S:
                self._kept = time.monotonic()
                self.grown.emit(*self._so_far(made))

    def stop(self) -> None:
        """End the recording."""
        made, self._made = self._made, None
        self._clock.stop()
        if made is None:
            return
        self.ended.emit(*self._so_far(made))

    def _so_far(self, made: Recording) -> tuple[str, tuple[float, ...], tuple[Channel, ...]]:
        """Name, times and channels; empty where that is too little."""
        count = self._count(made)
        if count < FEWEST:
            return "", (), ()
        times = tuple(map(float, made.columns["time"][1][:count]))
        channels = tuple(
            Channel(name=n, unit=unit, values=tuple(map(float, v[:count])))
            for n, (unit, v) in made.columns.items()
            if n != "time"
        )
        return self._name, times, channels
