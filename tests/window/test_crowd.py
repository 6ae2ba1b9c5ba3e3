"""Marks so many that they lie on each other: drawn at once they look as drawn one by one, and none is missing."""

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from saltus.exchange.chart import Points
from saltus.printing import chart_painter
from saltus.printing.chart_painter import draw_points
from saltus.printing.chart_style import SCREEN_LIGHT, Plot
from saltus.printing.crowd import draw_bars, draw_bars_across, draw_crowd, draw_long_trail
from saltus.printing.fonts import sans
from saltus.printing.marks import draw_plates_below, draw_ring, draw_shape, draw_trail
from saltus.printing.stamps import stamp_ring, stamp_trail
from saltus.printing.tokens import look

WIDE, HIGH = 300, 120
RED = QColor(200, 30, 30)


@pytest.fixture
def places():
    """A crowded curve with noise, single ones far off, some beyond the picture and some that are no numbers."""
    rng = np.random.default_rng(1)
    x = rng.uniform(5, WIDE - 5, 3000)
    y = 60 + 20 * np.sin(x / 30) + rng.normal(0, 3, len(x))
    x[:3], y[:3] = (40.0, 150.0, 290.0), (112.0, 6.0, 100.0)
    x[3:6], y[3:6] = (-80.0, 1e9, np.nan), (20.0, 30.0, 40.0)
    return x, y


def drawn(act, ratio=1.0, scale=1.0):
    """Brightness (H, W) of what is drawn on white, on a device of that many pixels to a unit."""
    image = QImage(round(WIDE * ratio), round(HIGH * ratio), QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(ratio)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(scale, scale)
    act(painter)
    painter.end()
    bits = image.constBits()
    return np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), -1, 4)[..., 1]


def assert_alike(one, other, within=1):
    """What is clearly covered in one is touched in the other, to a pixel, both ways."""
    near = np.ones((2 * within + 1, 2 * within + 1), np.uint8)
    for a, b in ((one, other), (other, one)):
        touched = cv2.dilate((b < 250).astype(np.uint8), near)
        assert not np.any((a < 120) & (touched == 0))
    assert np.mean(one < 200) == pytest.approx(np.mean(other < 200), rel=0.12)


@pytest.mark.usefixtures("window")
@pytest.mark.parametrize(("ratio", "scale"), [(1.0, 1.0), (2.0, 1.0), (1.0, 1.5)])
@pytest.mark.parametrize("number", range(4))
@pytest.mark.parametrize("hollow", [False, True])
def test_a_crowd_looks_as_one_by_one(places, number, hollow, ratio, scale):
    """Every shape, filled and open, on fine screens and with large text; outliers are there."""
    x, y = places
    shape = look(number)

    def singly(painter):
        for a, b in zip(x, y, strict=True):
            if np.isfinite(a + b) and abs(a) < 1e6:
                draw_shape(painter, shape, QPointF(a, b), 4, RED, hollow=hollow)

    def at_once(painter):
        draw_crowd(painter, shape, x, y, 4, RED, hollow=hollow)

    assert_alike(drawn(singly, ratio, scale), drawn(at_once, ratio, scale))


@pytest.mark.usefixtures("window")
def test_bars_and_trails_look_as_one_by_one(places):
    """Upright and level bars, and trails with their halo."""
    x, y = places
    there = np.isfinite(x) & (np.abs(x) < 1e6)
    pen, U = QPen(RED, 1.2), 3.0

    def singly(painter, *, upright):
        painter.setPen(pen)
        for a, b in zip(x[there], y[there], strict=True):
            painter.drawLine(QLineF(a, b - U, a, b + U) if upright else QLineF(a - U, b, a + U, b))

    assert_alike(
        drawn(lambda p: singly(p, upright=True)), drawn(lambda p: draw_bars(p, x, y + U, y - U, pen)), 2
    )
    level = drawn(lambda p: draw_bars_across(p, y, x - U, x + U, pen))
    assert_alike(drawn(lambda p: singly(p, upright=False)), level, 2)
    marks = [(QPointF(a, b), 1.0) for a, b in zip(x[there], y[there], strict=True)]
    trail = drawn(lambda p: draw_trail(p, look(0), marks, 5.0))
    at_once = drawn(lambda p: draw_long_trail(p, look(0), x, y, 5.0))
    assert np.mean((trail < 220) != (at_once < 220)) < 0.05


@pytest.mark.usefixtures("window")
@pytest.mark.parametrize("number", range(4))
def test_bars_within_their_marks_are_not_missed(number, monkeypatch):
    """Bars so short that their filled mark covers them are left out, and no pixel is off by more than a tenth."""
    rng = np.random.default_rng(2)
    t, y = np.linspace(0, 1, 900), rng.normal(0, 1, 900)
    plot = Plot(QRectF(10, 10, WIDE - 20, HIGH - 20), (0.0, 1.0), (-4.0, 4.0))
    U = np.full(900, 0.2 * 8 / (HIGH - 20))
    U[::300] = np.nan, 1.0, 2.0

    def picture(U):
        points = Points(t, y, U, number)
        return drawn(lambda painter: draw_points(painter, plot, points, SCREEN_LIGHT)).astype(int)

    left_out, none = picture(U), picture(np.zeros(900))
    monkeypatch.setattr(chart_painter, "WITHIN_MARK", -1.0)
    # at the soft edge of a mark a pixel shows a trace of the bar under it
    assert np.abs(picture(U) - left_out).max() <= 25
    assert (left_out - none).min() < -60


@pytest.mark.usefixtures("window")
@pytest.mark.parametrize("ratio", [1.0, 1.5, 2.0])
@pytest.mark.parametrize("number", range(4))
def test_stamped_trails_look_as_drawn_ones(number, ratio):
    """Marks apart from each other, of every age, at any part of a pixel: no pixel is off by more than an eighth."""
    rng = np.random.default_rng(number)
    x, y = np.meshgrid(np.arange(12, WIDE, 24), np.arange(12, HIGH, 24))
    x, y = (v.ravel() + rng.uniform(0, 3, v.size) for v in (x, y))
    opacity = rng.uniform(0.2, 1, x.size)
    marks = [(QPointF(a, b), o) for a, b, o in zip(x, y, opacity, strict=True)]
    stamped = drawn(lambda p: stamp_trail(p, look(number), x, y, opacity), ratio)
    one_by_one = drawn(lambda p: draw_trail(p, look(number), marks), ratio)
    assert np.mean(one_by_one < 200) > 0.01
    assert np.abs(stamped.astype(int) - one_by_one).max() < 256 / 8


@pytest.mark.usefixtures("window")
@pytest.mark.parametrize("ratio", [1.0, 1.5])
@pytest.mark.parametrize("radius", [4.0, 23.7, 70.0])
def test_stamped_rings_look_as_drawn_ones(radius, ratio):
    """Of every size and at any part of a pixel: true to an eighth of one."""
    at = QPointF(*np.random.default_rng(int(radius)).uniform(50, 60, 2))
    for ghost in (False, True):
        stamped = drawn(lambda p, g=ghost: stamp_ring(p, at, radius, RED, ghost=g), ratio)
        plain = drawn(lambda p, g=ghost: draw_ring(p, at, radius, RED, ghost=g), ratio)
        assert np.mean(plain < 200) > 0.002
        assert np.abs(stamped.astype(int) - plain).max() < 256 / 4


@pytest.mark.usefixtures("window")
def test_names_of_bodies_at_one_place_stand_under_each_other():
    """Three bodies that nearly meet, and one apart: no name lies on another, and the one apart stays where it is."""
    named = [(QPointF(100, 20), "Puck"), (QPointF(104, 24), "Puck, followed"), (QPointF(96, 20), "Shadow")]
    plates = []
    drawn(lambda p: plates.extend(draw_plates_below(p, [*named, (QPointF(250, 20), "Rod")], sans(13, 600))))
    assert not any(a.intersects(b) for i, a in enumerate(plates) for b in plates[:i])
    assert [p.center().x() for p in plates] == pytest.approx([100, 104, 96, 250])
    assert plates[3].top() == plates[0].top() == 20
