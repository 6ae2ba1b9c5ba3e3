"""Playing on a machine that cannot show every picture in time: fewer, and evenly."""

import itertools
from types import SimpleNamespace

import numpy as np
import pytest

from saltus.ui.desk import player as playing
from saltus.ui.desk.player import Player

FRAMES, RATE = 600, 60.0


class SlowDesk(SimpleNamespace):
    """A desk whose pictures come some time after they are asked for, the latest asked one next."""

    def __init__(self, picture_s, clock):
        super().__init__(
            take_id="film", frame=0, every=1, shown=("film", 0, None), at=[], picture_s=picture_s, clock=clock,
            take=SimpleNamespace(id="film", kept_frames=range(FRAMES)),
            following=SimpleNamespace(take_id=None),
            free_s=0.0, coming=None,
        )  # fmt: skip

    def time(self):
        """Of the frame in hand, s."""
        return self.frame / RATE

    def go_to_frame(self, frame):
        """Ask for it."""
        self.frame = frame
        self.at.append(frame)

    def pass_time(self):
        """Finish the picture under way, begin the one wanted now."""
        if self.coming is not None and self.clock() >= self.free_s:
            self.shown, self.coming = ("film", self.coming, None), None
        if self.coming is None and self.shown[1] != self.frame:
            self.coming, self.free_s = self.frame, self.clock() + self.picture_s


@pytest.mark.usefixtures("qtbot")
@pytest.mark.parametrize(("picture_ms", "every"), [(5, 1), (24, 2), (38, 3)])
def test_what_cannot_be_shown_is_left_out_evenly(monkeypatch, picture_ms, every):
    """A picture takes a third of its time, or longer than it: all are shown, or every second, every third."""
    now = itertools.count(0.0, 0.004)
    at = [next(now)]
    monkeypatch.setattr(playing.time, "monotonic", lambda: at[0])
    monkeypatch.setattr(playing, "frame_times", lambda _take: np.arange(FRAMES) / RATE)
    desk = SlowDesk(picture_ms / 1000, lambda: at[0])
    player = Player(desk)
    player.switch()
    for _tick in range(1500):
        at[0] = next(now)
        player._tick()
        desk.pass_time()
    assert desk.every == every
    assert set(np.diff(desk.at[-60:])) == {every}
    # a second time it is known; at half the speed it is seen anew
    player.stop()
    desk.frame = 0
    player.switch()
    assert desk.every == every
    player.set_speed(0.5)
    assert desk.every == 1
    player.stop()
