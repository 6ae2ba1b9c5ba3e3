"""Drawing boxes round bodies that are to be followed: drag a box, drag the point in it, keys for both."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor

from saltus.core.wording import _
from saltus.printing.followed_marks import draw_box
from saltus.printing.marks import draw_plate, draw_ring
from saltus.printing.tokens import look
from saltus.ui.kit.scaling import plate_font
from saltus.ui.picture.read_tool import GRAB, nudge_of

if TYPE_CHECKING:
    from collections.abc import Mapping

    from PyQt6.QtGui import QKeyEvent, QPainter

    from saltus.core.following.patch import Box
    from saltus.notebook.model import Body
    from saltus.ui.picture.read_tool import ReadTool
    from saltus.ui.picture.view import PictureView

RING = 7.0
CORNER = 10.0
"""A corner of a box can be taken within so many px on the screen."""
_TAKES = {"point": Qt.CursorShape.SizeAllCursor, "corner": Qt.CursorShape.SizeFDiagCursor}


class DrawnBox(Protocol):
    """A box and the point in it that is read."""

    @property
    def box(self) -> Box:
        """The box, px."""

    @property
    def point(self) -> tuple[float, float]:
        """The point, px."""


class Boxes(Protocol):
    """Where drawn boxes go."""

    @property
    def drawn(self) -> Mapping[str, DrawnBox]:
        """Boxes by the id of their body."""

    def draw(self, body: Body, left: float, top: float, width: float, height: float) -> bool:
        """Draw a box; False where it is too small."""

    def draw_about(self, body: Body, x: float, y: float) -> None:
        """Draw a box of a usual size."""

    def move_point(self, body: Body, x: float, y: float) -> None:
        """Read another point."""

    def move_box(self, body: Body, dx: float, dy: float) -> None:
        """Move a box."""

    def take_away(self, body: Body) -> None:
        """Take a box away."""

    def start(self) -> None:
        """Begin to follow."""

    def close(self) -> None:
        """Draw no boxes any more."""


class BoxTool:
    """What pointer and keys do while boxes are drawn.

    Parameters
    ----------
    view : PictureView
    boxes : Boxes
    reading : ReadTool
        Shows what was read before.
    """

    def __init__(self, view: PictureView, boxes: Boxes, reading: ReadTool) -> None:
        self._view, self._boxes, self._reading = view, boxes, reading
        self._from: QPointF | None = None
        self._to = QPointF()
        self._taken = ""

    @property
    def _drawn(self) -> DrawnBox | None:
        body = self._view.desk.body
        return self._boxes.drawn.get(body.id) if body is not None else None

    def _under(self, at: QPointF) -> str:
        """What lies under the pointer: the point, a corner, nothing."""
        drawn = self._drawn
        if drawn is None:
            return ""
        spot = self._view.place(at.x(), at.y())
        if _apart(self._view.place(*drawn.point), spot) <= GRAB:
            return "point"
        return (
            "corner" if any(_apart(self._view.place(*c), spot) <= CORNER for c in _corners(drawn.box)) else ""
        )

    def press(self, at: QPointF) -> None:
        desk = self._view.desk
        if not self._view.ready() or not self._view.inside(at) or desk.body is None:
            return
        self._taken, self._from, self._to = self._under(at), at, at
        drawn = self._drawn
        if self._taken == "corner" and drawn is not None:
            # the corner across stays where it is
            across = max(_corners(drawn.box), key=lambda c: math.dist(c, (at.x(), at.y())))
            self._from = QPointF(*across)

    def drag(self, at: QPointF) -> None:
        self._to = at

    def release(self, at: QPointF) -> None:
        body, start = self._view.desk.body, self._from
        self._from = None
        if start is None or body is None:
            return
        if self._taken == "point":
            self._boxes.move_point(body, at.x(), at.y())
            return
        box = QRectF(start, at).normalized()
        if not self._boxes.draw(body, box.left(), box.top(), box.width(), box.height()):
            words = _("Drag from one corner of {name} to the other, so that the box holds all of it.")
            self._view.desk.said.emit(words.format(name=body.name), "note")

    def key(self, event: QKeyEvent) -> bool:
        desk = self._view.desk
        body, by = desk.body, nudge_of(event)
        if body is None or desk.take is None:
            return False
        if by is not None:
            self._boxes.move_box(body, *by)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._enter(body)
        elif event.key() == Qt.Key.Key_Escape:
            self._boxes.close()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._boxes.take_away(body)
        elif event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and len(desk.take.bodies) > 1:
            desk.next_body(-1 if event.key() == Qt.Key.Key_Backtab else 1)
        else:
            return False
        return True

    def _enter(self, body: Body) -> None:
        """Draw a box where the body is expected; where there is one, start."""
        place = self._reading.expected()
        here = body.readings.at(self._view.desk.frame)
        if self._drawn is not None:
            self._boxes.start()
        elif here is not None:
            self._boxes.draw_about(body, here.x, here.y)
        elif place is not None:
            self._boxes.draw_about(body, place.x(), place.y())

    def cursor(self, at: QPointF) -> Qt.CursorShape:
        return _TAKES.get(self._under(at), Qt.CursorShape.CrossCursor)

    def paint(self, painter: QPainter) -> None:
        view, desk = self._view, self._view.desk
        self._reading.paint(painter)
        take = desk.take
        if take is None:
            return
        for body in take.bodies:
            drawn = self._boxes.drawn.get(body.id)
            if drawn is None:
                continue
            colour = QColor(look(body.look).stage)
            mine = desk.body is not None and body.id == desk.body.id
            draw_box(painter, _on_screen(view, drawn.box), colour, handles=mine)
            dragged = mine and self._from is not None and self._taken == "point"
            point = view.place(self._to.x(), self._to.y()) if dragged else view.place(*drawn.point)
            draw_ring(painter, point, RING, colour)
            foot = _on_screen(view, drawn.box).bottomLeft()
            draw_plate(painter, QPointF(foot.x(), foot.y() + 18), body.name, plate_font(13, 600), "left")
        if self._from is not None and self._taken != "point" and desk.body is not None:
            a, b = view.place(self._from.x(), self._from.y()), view.place(self._to.x(), self._to.y())
            draw_box(painter, QRectF(a, b).normalized(), QColor(look(desk.body.look).stage))


def _corners(box: Box) -> list[tuple[float, float]]:
    return [(box.x + i * box.width, box.y + j * box.height) for i in (0, 1) for j in (0, 1)]


def _apart(a: QPointF, b: QPointF) -> float:
    return math.hypot(a.x() - b.x(), a.y() - b.y())


def _on_screen(view: PictureView, box: Box) -> QRectF:
    return QRectF(view.place(box.x, box.y), view.place(box.x + box.width, box.y + box.height))
