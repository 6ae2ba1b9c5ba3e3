"""Film pictures for Qt, and a frame with the marks that were laid on it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QBuffer, QIODevice, QPointF, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from saltus.core.coverage import NORMAL_95
from saltus.files.writing import write_whole
from saltus.notebook.derived.following import lost_stretches, unseen_words, weak_readings
from saltus.notebook.derived.geometry import geometry_of, mapping_of
from saltus.printing.followed_marks import draw_doubt_on_picture, draw_way_unseen
from saltus.printing.marks import draw_axes, draw_dimension, draw_plate, draw_trail
from saltus.printing.stamps import stamp_ring, stamp_trail
from saltus.printing.tokens import look

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from numpy.typing import NDArray
    from PyQt6.QtGui import QFont

    from saltus.core.geometry.mapping import Mapping
    from saltus.notebook.model import Body, Take

TRAIL = 30
LONGEST_TRAIL = 60
"""Older readings than so many are seen in the score; here they would only hide the picture."""


def as_image(picture: NDArray[np.uint8]) -> QImage:
    """Turn an RGB picture (H, W, 3) into an image that owns its pixels, in Qt's fast format."""
    import cv2  # noqa: PLC0415  whoever has a picture has loaded it

    height, width = picture.shape[:2]
    made = QImage(width, height, QImage.Format.Format_RGB32)
    bits: Any = made.bits()
    if bits is None:
        raise MemoryError
    bits.setsize(made.sizeInBytes())
    # Qt keeps the four bytes of a pixel as one number: blue comes first in memory
    pixels = np.frombuffer(bits, dtype=np.uint8).reshape(height, width, 4)
    cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2BGRA, dst=pixels)
    return made


def as_array(image: QImage) -> NDArray[np.uint8]:
    """Give the pixels of an image, (H, W, 3) RGB."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = plain.constBits()
    assert bits is not None
    bits.setsize(plain.sizeInBytes())
    rows: NDArray[np.uint8] = np.frombuffer(bits.asstring(), dtype=np.uint8).reshape(
        plain.height(), plain.bytesPerLine()
    )
    return rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3)


def reference_text(take: Take) -> str:
    """Label of the dimension line."""
    laid = take.reference
    return laid.length.words if laid is not None and laid.length is not None else ""


def grades(mapping: Mapping, most_px: float, zoom: float) -> list[list[tuple[float, str]]]:
    """Graduations of x and of y: distance on the screen in px and label, at a round step of metres."""
    origin = mapping.origin
    reach = most_px / zoom * float(np.hypot(*(mapping.derivative(0, *origin) @ mapping.headings(*origin)[0])))
    power = 10.0 ** math.floor(math.log10(max(reach, 1e-9)))
    total = next(m * power for m in (5, 2, 1) if m * power <= reach)
    steps = total * np.arange(1, 5) / 4
    out = []
    for axis in (0, 1):
        x, y = mapping.picture(*(steps * (n == axis) for n in (0, 1)))
        away = np.hypot(x - origin[0], y - origin[1]) * zoom
        out.append([(float(d), f"{s:g} {mapping.unit.text}") for d, s in zip(away, steps, strict=True)])
    return out


def draw_geometry(
    painter: QPainter, take: Take, place: Callable[[float, float], QPointF], zoom: float, arm: float,
    frame: int = 0,
) -> None:  # fmt: skip
    """Draw the reference length and the axes of a take over one of its frames.

    Parameters
    ----------
    painter : QPainter
    take : Take
    place : callable
        From picture coordinates to the painter's.
    zoom : float
        Painter px per picture px.
    arm : float
        Length of the axes on the screen, px.
    frame : int
        Where the camera moves, everything lies where it is seen then.
    """
    if take.reference is not None:
        laid = take.reference
        start, end = geometry_of(take).camera.seen((laid.start, laid.end), laid.frame, frame)
        draw_dimension(painter, place(*start), place(*end), reference_text(take))
    if take.axes is not None:
        mapping = mapping_of(take).in_frame(frame)
        origin = mapping.origin
        ways = [(float(x), float(y)) for x, y in mapping.headings(*origin)]
        draw_axes(painter, place(*origin), ways, arm, grades(mapping, arm, zoom))


def draw_readings(
    painter: QPainter, take: Take, frame: int, place: Callable[[float, float], QPointF], rings: float,
    font: QFont | None = None,
) -> None:  # fmt: skip
    """Draw the readings of every body up to a frame: trail, and the ring of this frame.

    Parameters
    ----------
    painter : QPainter
    take : Take
    frame : int
    place : callable
        From picture coordinates to the painter's: both are shifted, and none is turned.
    rings : float
        Painter px per px of 95 % reading uncertainty.
    font : QFont, optional
        Of the words on it.
    """
    camera = geometry_of(take).camera
    corner, unit = place(0.0, 0.0), place(1.0, 1.0)
    for body in take.bodies:
        style = look(body.look)
        here = body.readings.at(frame)
        centre = place(here.x, here.y) if here else None
        own = here.u if here is not None and here.u is not None else body.u_px
        radius = max(4.0, rings * NORMAL_95 * own)
        used = body.readings.used
        upto = int(used.frame.searchsorted(frame))
        # what stands still leaves no trail
        lately = slice(upto if body.fixed else max(0, upto - LONGEST_TRAIL), upto)
        xs, ys = camera.all_seen(used.x[lately], used.y[lately], used.frame[lately], frame)
        xs, ys = corner.x() + xs * (unit.x() - corner.x()), corner.y() + ys * (unit.y() - corner.y())
        age = (frame - used.frame[lately]) / TRAIL
        # marks that crowd the current ring hide what is being read
        off = np.inf if centre is None else np.hypot(xs - centre.x(), ys - centre.y())
        far = np.broadcast_to(off > 3 * radius, xs.shape)
        stamp_trail(painter, style, xs[far], ys[far], np.maximum(0.22, 1 - age[far]))
        _draw_doubts(painter, body, frame, place, font)
        if centre is not None and here is not None:
            stamp_ring(painter, centre, radius, QColor(style.stage), ghost=here.status == "aside")


def _draw_doubts(
    painter: QPainter, body: Body, frame: int, place: Callable[[float, float], QPointF], font: QFont | None
) -> None:
    """Draw what following lately doubted or did not see of a body."""
    style, used = look(body.look), body.readings.used
    for stretch in lost_stretches(body):
        i = int(used.frame.searchsorted(stretch.frame))
        if frame - LONGEST_TRAIL <= stretch.last < frame and 0 < i < len(used.frame):
            a, b = (place(float(used.x[k]), float(used.y[k])) for k in (i - 1, i))
            draw_way_unseen(painter, a, b, QColor(style.stage))
            if stretch.frames > 1:
                middle = QPointF((a.x() + b.x()) / 2, (a.y() + b.y()) / 2 - 34)
                draw_plate(painter, middle, unseen_words(stretch), font)
    for weak in weak_readings(body):
        reading = body.readings.at(weak.frame) if frame - LONGEST_TRAIL <= weak.frame <= frame else None
        if reading is not None:
            draw_doubt_on_picture(painter, place(reading.x, reading.y), style)


def write_marked_frame(picture: QImage, take: Take, frame: int, path: Path) -> None:
    """Write a frame with its marks as PNG, in the size of the film.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    image = QImage(picture.size(), QImage.Format.Format_RGB32)
    painter = QPainter(image)
    draw_marked_frame(painter, QRectF(image.rect()), picture, take, frame)
    painter.end()
    write_image(image, path)


def write_image(image: QImage, path: Path) -> None:
    """Write an image as PNG.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    write_whole(path, bytes(buffer.data().data()))


def draw_marked_frame(
    painter: QPainter, box: QRectF, picture: QImage, take: Take, frame: int, *, words: bool = True
) -> None:
    """Draw a frame of a take with all readings up to the end, the reference length and the axes."""
    zoom = min(box.width() / picture.width(), box.height() / picture.height())
    width, height = picture.width() * zoom, picture.height() * zoom
    target = QRectF(box.center().x() - width / 2, box.top(), width, height)
    painter.save()
    painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(target, picture)
    painter.setClipRect(target)

    def place(x: float, y: float) -> QPointF:
        return QPointF(target.left() + (x + 0.5) * zoom, target.top() + (y + 0.5) * zoom)

    for body in (b for b in take.bodies if not b.fixed):
        used = body.readings.used
        x, y = geometry_of(take).camera.all_seen(used.x, used.y, used.frame, frame)
        marks = [(place(*at), 1.0) for at in zip(x.tolist(), y.tolist(), strict=True)]
        draw_trail(painter, look(body.look), marks, 5.0)
    draw_geometry(painter, take, place, zoom, 0.16 * width, frame)
    if words:
        draw_plate(painter, QPointF(target.left() + 8, target.bottom() - 18), f"frame {frame}", None, "left")
    painter.restore()
