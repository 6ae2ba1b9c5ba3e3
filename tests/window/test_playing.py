"""Pictures in time: fewer and evenly on a machine that cannot show all, and large ones drawn from their half."""

import itertools
from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from saltus.printing.pictures import as_array
from saltus.ui.desk import player as playing
from saltus.ui.desk.film_image import FilmImage
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


def painted(image, zoom, wide, high):
    """As the picture view paints it, a third of a pixel to the right."""
    canvas = QImage(round(wide * zoom) + 2, round(high * zoom) + 2, QImage.Format.Format_RGB32)
    canvas.fill(0)
    painter = QPainter(canvas)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(QRectF(1 / 3, 0, wide * zoom, high * zoom), image)
    painter.end()
    return as_array(canvas).astype(int)


@pytest.mark.parametrize("zoom", [0.21, 0.35, 0.47])
def test_a_large_picture_drawn_small_shows_edges_where_they_are(zoom):
    """From its half, and no farther off than from itself; drawn larger, or of odd sides, it is drawn as it is."""
    picture = np.full((1600, 2600, 3), 200, np.uint8)
    picture[:, 1301:] = 50
    image = FilmImage(picture)
    half = image.drawn_at(zoom)
    assert (half.width(), half.height()) == (1300, 800)
    of_half, of_whole = (
        3 + (painted(drawn, zoom, 2600, 1600)[100, 3:-4, 0] - 50).sum() / 150 for drawn in (half, image)
    )
    true = 1301 * zoom + 1 / 3
    assert of_half == pytest.approx(true, abs=0.1)
    assert abs(of_half - true) <= abs(of_whole - true)
    for whole in (FilmImage(picture[:-1]), FilmImage(picture[:800])):
        assert whole.drawn_at(zoom) is whole
    assert image.drawn_at(0.8) is image
