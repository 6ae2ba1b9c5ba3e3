"""Marks so many that they lie on each other, drawn all at once: every one of them covers its pixels."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from saltus.printing.marks import HALO, draw_shape, draw_shapes, draw_trail, shape_path

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.printing.tokens import Look

    Array = NDArray[np.float64]
    Mask = NDArray[np.uint8]

FROM = 400
"""Fewer marks are drawn one by one."""
FAR = 1 << 30
FINER = 2
"""Cells to each pixel of the screen, across and down: their share makes soft edges."""


@dataclass(frozen=True)
class _Cells:
    """The part of a painter's device that marks are drawn on, in fine cells.

    Attributes
    ----------
    part : QRect
        In pixels of the device.
    scale, dx, dy : float
        Cells for each unit of the painter, and where its origin lies, cells.
    ratio : float
        Pixels of the device for each of its own units.
    """

    part: QRect
    scale: float
    dx: float
    dy: float
    ratio: float

    @classmethod
    def under(cls, painter: QPainter, box: QRectF, margin: float) -> _Cells | None:
        """Those under a box and so much round it; None where nothing of it is on the device."""
        device, to_device = painter.device(), painter.deviceTransform()
        if device is None:
            return None
        ratio = device.devicePixelRatioF()
        seen = to_device.mapRect(box.adjusted(-margin, -margin, margin, margin))
        if painter.hasClipping():
            # what is drawn just beyond the clip reaches into it
            clip = painter.clipBoundingRect().adjusted(-margin, -margin, margin, margin)
            seen = seen.intersected(to_device.mapRect(clip))
        # a picture tells its size in pixels, a widget in its own units: what is too large costs time only
        part = seen.intersected(QRectF(0, 0, device.width() * ratio, device.height() * ratio)).toAlignedRect()
        if part.isEmpty():
            return None
        dx, dy = (
            FINER * (shift - at)
            for shift, at in ((to_device.dx(), part.left()), (to_device.dy(), part.top()))
        )
        return cls(part, FINER * to_device.m11(), dx, dy, ratio)

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return FINER * self.part.height(), FINER * self.part.width()

    def columns(self, x: Array) -> NDArray[np.int64]:
        """Columns of places across; far off ones stay off."""
        return _numbers(self.scale * x, self.dx)

    def rows(self, y: Array) -> NDArray[np.int64]:
        """Rows of places down."""
        return _numbers(self.scale * y, self.dy)

    def fill(self, painter: QPainter, covered: Mask, colour: QColor) -> None:
        """Colour the covered cells, 0 or 255."""
        import cv2  # noqa: PLC0415  start-up time

        high, wide = self.part.height(), self.part.width()
        share = cv2.resize(covered, (wide, high), interpolation=cv2.INTER_AREA)
        # each share of a pixel has its colour, the four bytes of which are one number
        levels = np.array([colour.blue(), colour.green(), colour.red(), 255], dtype=np.float32)
        shares = np.arange(256, dtype=np.float32)[:, None] * (colour.alphaF() / 255)
        pixels = np.round(shares * levels).astype(np.uint8).view(np.uint32)[:, 0][share]
        image = QImage(pixels.tobytes(), wide, high, 4 * wide, QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(self.ratio)
        painter.save()
        painter.resetTransform()
        painter.drawImage(QPointF(self.part.left(), self.part.top()) / self.ratio, image)
        painter.restore()


def _numbers(cells: Array, shift: float) -> NDArray[np.int64]:
    """Numbers of cells, from places in them, which are used up."""
    cells += shift
    np.clip(cells, -FAR, FAR, out=cells)
    return np.floor(cells, out=cells).astype(np.int64)


def draw_crowd(
    painter: QPainter, look: Look, x: Array, y: Array, size: float, colour: QColor, *, hollow: bool = False,
    fewest: int = FROM,
) -> None:  # fmt: skip
    """Draw a body's shape at many places, px; fewer than ``fewest`` one by one."""
    if len(x) < fewest:
        places = zip(x.tolist(), y.tolist(), strict=True)
        draw_shapes(painter, look, (QPointF(*at) for at in places), size, colour, hollow=hollow)
        return
    plain = QColor(colour.rgb())
    _draw_marks(
        painter, x, y, size, colour,
        lambda on: draw_shape(on, look, QPointF(0, 0), size, plain, hollow=hollow),
    )  # fmt: skip


def draw_long_trail(painter: QPainter, look: Look, x: Array, y: Array, size: float) -> None:
    """Draw readings over a picture as small open shapes, each with its halo; all in px."""
    if len(x) < FROM:
        places = zip(x.tolist(), y.tolist(), strict=True)
        draw_trail(painter, look, [(QPointF(*at), 1.0) for at in places], size)
        return
    shape = shape_path(look, QPointF(0, 0), size)
    for colour, wide in ((HALO, 3.2), (QColor(look.stage), 1.4)):

        def draw(on: QPainter, pen: QPen = QPen(QColor(colour.rgb()), wide)) -> None:  # noqa: B008  of this round
            on.setPen(pen)
            on.drawPath(shape)

        _draw_marks(painter, x, y, size + 4, colour, draw)


def draw_bars(painter: QPainter, x: Array, low: Array, high: Array, pen: QPen, *, fewest: int = FROM) -> None:
    """Draw upright bars from their low to their high ends, all in px; fewer than ``fewest`` one by one."""
    _draw_bars(painter, x, low, high, pen, upright=True, fewest=fewest)


def draw_bars_across(
    painter: QPainter, y: Array, left: Array, right: Array, pen: QPen, *, fewest: int = FROM
) -> None:
    """Draw level bars, all in px; fewer than ``fewest`` one by one."""
    _draw_bars(painter, y, left, right, pen, upright=False, fewest=fewest)


def _draw_bars(
    painter: QPainter, at: Array, one: Array, other: Array, pen: QPen, *, upright: bool, fewest: int
) -> None:
    at, one, other = _finite(at, one, other)
    first, last = np.minimum(one, other), np.maximum(one, other)
    if len(at) < fewest:
        painter.setPen(pen)
        for a, b, c in zip(at.tolist(), first.tolist(), last.tolist(), strict=True):
            painter.drawLine(QLineF(a, b, a, c) if upright else QLineF(b, a, c, a))
        return
    if not len(at):
        return
    ends = (at.min(), first.min()), (at.max(), last.max())
    box = QRectF(*(QPointF(*(end if upright else end[::-1])) for end in ends))
    cells = _Cells.under(painter, box, pen.widthF())
    if cells is None:
        return
    (rows, columns), width = cells.shape, pen.widthF() * cells.scale
    if upright:
        covered = _filled(cells.columns(at), cells.rows(first), cells.rows(last), columns, rows)
        cells.fill(painter, _widened(covered, width), pen.color())
    else:
        covered = _filled(cells.rows(at), cells.columns(first), cells.columns(last), rows, columns)
        cells.fill(painter, _widened(covered, width).T, pen.color())


def _only(some: NDArray[np.bool_], *arrays: NDArray[Any]) -> tuple[NDArray[Any], ...]:
    """The chosen of each array; the very arrays where none is left out."""
    return arrays if some.all() else tuple(one[some] for one in arrays)


def _finite(*arrays: Array) -> tuple[Array, ...]:
    """Each array where all of them are finite."""
    # a sum is quick, and tells in most cases that there is nothing to leave out
    with np.errstate(invalid="ignore", over="ignore"):
        if math.isfinite(sum(float(one.sum()) for one in arrays)):
            return arrays
    return _only(np.logical_and.reduce([np.isfinite(one) for one in arrays]), *arrays)


def _filled(
    line: NDArray[np.int64], first: NDArray[np.int64], last: NDArray[np.int64], lines: int, long: int
) -> Mask:
    """Cells (long, lines) that any bar along a line covers, 255, from its first to its last."""
    on = (line >= 0) & (line < lines)
    line, first, last = _only(on, line, first, last)
    # how many more bars cover a cell than the one before it; more than there are bars are never counted
    change = np.zeros((long + 1, lines), dtype=np.int16 if len(line) < 1 << 16 else np.int32)
    flat, one = change.ravel(), change.dtype.type(1)
    np.add.at(flat, np.clip(first, 0, long) * lines + line, one)
    np.subtract.at(flat, np.clip(last + 1, 0, long) * lines + line, one)
    # a row at a time: summing along columns takes twice as long
    for n in range(1, long):
        change[n] += change[n - 1]
    return np.where(change[:long] != 0, np.uint8(255), np.uint8(0))


def _widened(covered: Mask, width: float) -> Mask:
    """Lines that run down the rows made so many cells wide."""
    import cv2  # noqa: PLC0415  start-up time

    return np.asarray(cv2.dilate(np.ascontiguousarray(covered), np.ones((1, max(1, round(width))), np.uint8)))


def _draw_marks(
    painter: QPainter, x: Array, y: Array, size: float, colour: QColor, draw: Callable[[QPainter], None]
) -> None:
    """Draw one mark at many places; ``draw`` draws it about the origin, and its colour counts for nothing."""
    import cv2  # noqa: PLC0415  start-up time

    x, y = _finite(x, y)
    if not len(x):
        return
    box = QRectF(QPointF(x.min(), y.min()), QPointF(x.max(), y.max()))
    cells = _Cells.under(painter, box, size)
    if cells is None:
        return
    side = math.ceil(1.4 * size * cells.scale) | 1
    mark = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
    mark.fill(Qt.GlobalColor.transparent)
    on = QPainter(mark)
    on.setRenderHint(QPainter.RenderHint.Antialiasing)
    on.translate(side / 2, side / 2)
    on.scale(cells.scale, cells.scale)
    draw(on)
    on.end()
    bits = mark.constBits()
    assert bits is not None
    opaque = np.frombuffer(bits.asstring(mark.sizeInBytes()), dtype=np.uint8).reshape(side, -1, 4)[..., 3]
    rows, columns = cells.rows(y), cells.columns(x)
    # marks whose middle is just off still reach in; those farther off fall on an edge that is cut away
    pad = side // 2 + 1
    high, wide = cells.shape[0] + 2 * pad, cells.shape[1] + 2 * pad
    places = np.zeros((high, wide), dtype=np.uint8)
    rows, columns = (np.clip(at + pad, 0, most - 1) for at, most in ((rows, high), (columns, wide)))
    places.ravel()[rows * wide + columns] = 255
    places[[0, -1]] = places[:, [0, -1]] = 0
    covered = cv2.dilate(places, (opaque[::-1, ::-1] > 127).astype(np.uint8))
    cells.fill(
        painter, np.ascontiguousarray(covered[pad : pad + cells.shape[0], pad : pad + cells.shape[1]]), colour
    )
