"""Playing a take at its true speed or slower, by the true times of its frames."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from saltus.notebook.derived.frame_clock import frame_times

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk

TICK_MS = 8
SPEEDS = (1.0, 0.5, 0.25)
WATCHED, MOST_LATE, MOST_AT_ONCE = 30, 0.05, 4
"""Of so many pictures more than this share come late: then fewer are shown, evenly, every second one say."""
CATCHING_UP = 20
"""The first so many do not count: the decoder catches up with what was missed before."""


class Player(QObject):
    """Moves the frame in hand on with the clock.

    Signals
    -------
    changed
        It began, ended, or plays at another speed.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.speed = SPEEDS[0]
        self._began = 0.0
        self._from_s = 0.0
        self._at: tuple[str | None, int] = (None, 0)
        self._first = 0
        self._asked = self._late = 0
        self._judged: tuple[str | None, float] = (None, 0.0)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        """Whether it plays."""
        return self._timer.isActive()

    def switch(self) -> None:
        """Play, or stop; at the end from the start of the kept part. A run of following waits, or goes on."""
        take, following = self._desk.take, self._desk.following
        if take is not None and following.take_id == take.id:
            following.pause()
            return
        if self.playing or take is None:
            self.stop()
            return
        if self._desk.frame >= take.kept_frames[-1]:
            self._desk.go_to_frame(take.kept_frames[0])
        self._begin()
        self._timer.start()
        self.changed.emit()

    def _begin(self) -> None:
        self._began = time.monotonic()
        self._from_s = self._desk.time()
        self._at, self._first = (self._desk.take_id, self._desk.frame), self._desk.frame
        self._asked, self._late = -CATCHING_UP, 0
        if self._judged != (self._desk.take_id, self.speed):
            self._judged, self._desk.every = (self._desk.take_id, self.speed), 1

    def film_time(self, now: float) -> float:
        """Film time, s, at a moment of the clock (``time.monotonic``) while it plays."""
        return self._from_s + (now - self._began) * self.speed

    def set_speed(self, speed: float) -> None:
        """Play at a fraction of the true speed."""
        self.speed = speed
        self._begin()
        self.changed.emit()

    def next_speed(self) -> None:
        """True speed, half, quarter, and round again."""
        self.set_speed(SPEEDS[(SPEEDS.index(self.speed) + 1) % len(SPEEDS)])

    def stop(self) -> None:
        """Stop."""
        if self.playing:
            self._timer.stop()
            self.changed.emit()

    def _tick(self) -> None:
        take = self._desk.take
        if take is None or (self._desk.take_id, self._desk.frame) != self._at:
            # the person went elsewhere: playing must not pull them back
            self.stop()
            return
        due = self._from_s + (time.monotonic() - self._began) * self.speed
        frame = int(np.searchsorted(frame_times(take), due, side="right")) - 1
        last = take.kept_frames[-1]
        wanted = min(frame - (frame - self._first) % self._desk.every, last)
        if wanted > self._at[1]:
            self._watch(wanted)
            self._at = (self._desk.take_id, wanted)
            self._desk.go_to_frame(wanted)
        if frame >= last:
            self.stop()

    def _watch(self, wanted: int) -> None:
        """Count what comes late; where that is much, move on by more frames at once from here."""
        shown, asked = self._desk.shown, self._at[1]
        late = shown is None or shown[:2] != self._at or wanted - asked > self._desk.every
        self._asked += 1
        self._late += late and self._asked > 0
        if self._asked < WATCHED:
            return
        if self._late > MOST_LATE * self._asked and self._desk.every < MOST_AT_ONCE:
            self._desk.every += 1
            self._first, self._asked = wanted, -CATCHING_UP
        else:
            self._asked = 0
        self._late = 0
