"""Laying the reference length and the axes: drag, or Tab to a handle and nudge by keys."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen

from saltus.core.wording import _
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.edits import scale as edits
from saltus.printing.marks import HALO, ON_STAGE, draw_ring
from saltus.printing.pictures import draw_geometry
from saltus.printing.tokens import LIGHT
from saltus.ui.picture.read_tool import GRAB, nudge_of

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.notebook.model import Notebook, Take
    from saltus.ui.picture.view import PictureView

HANDLES = ("start", "end", "origin", "turn")
SHORTEST = 3.0
ARM_SHARE = 0.16


class ScaleTool(QObject):
    """What pointer and keys do on the Scale stage.

    Signals
    -------
    movedHandle(place)
        A handle is being moved and is here now (picture coordinates); None when it is let go.
    """

    movedHandle = pyqtSignal(object)
    laid = pyqtSignal()
    """A reference length was laid with the mouse: what comes next is to type it."""

    def __init__(self, view: PictureView) -> None:
        super().__init__()
        self._view = view
        self.mode = "length"
        self.handle: str | None = None
        self._dragging: str | None = None
        self._preview: Notebook | None = None
        self._offset = QPointF()
        self._anchor = QPointF()

    # -- where the handles are -----------------------------------------------------------------------

    def _take(self) -> Take | None:
        """The take as it looks during a drag."""
        desk = self._view.desk
        source = self._preview or desk.notebook
        return source.take(desk.take_id)

    def arm(self) -> float:
        """Length of the x arm in picture px."""
        take = self._take()
        return ARM_SHARE * take.facts.width if take else 100.0

    def place_of(self, handle: str) -> QPointF | None:
        """Where a handle is, picture coordinates; None while it does not exist."""
        take = self._take()
        if take is None:
            return None
        if handle in ("start", "end"):
            return QPointF(*getattr(take.reference, handle)) if take.reference else None
        if take.axes is None:
            return None
        mapping = mapping_of(take)
        origin = mapping.origin
        if handle == "origin":
            return QPointF(*origin)
        along = mapping.headings(*origin)[0]
        return QPointF(origin[0] + self.arm() * along[0], origin[1] + self.arm() * along[1])

    def _near(self, at: QPointF) -> str | None:
        spot = self._view.place(at.x(), at.y())
        own = HANDLES[:2] if self.mode == "length" else HANDLES[2:]
        # the handles of the chosen tool win where handles lie close together
        for handle in (*own, *HANDLES):
            place = self.place_of(handle)
            if place is not None:
                seen = self._view.place(place.x(), place.y())
                if math.hypot(seen.x() - spot.x(), seen.y() - spot.y()) <= GRAB:
                    return handle
        return None

    # -- pointer -------------------------------------------------------------------------------------

    def press(self, at: QPointF) -> None:
        if not self._view.inside(at):
            return
        near = self._near(at)
        take = self._take()
        if near is not None:
            place = self.place_of(near)
            assert place is not None
            self._offset = place - at
            self._dragging = near
        elif self.mode == "axes":
            self._offset, self._dragging = QPointF(), "origin"
        elif take is not None and take.reference is None:
            self._offset, self._anchor, self._dragging = QPointF(), at, "new"
        else:
            return
        self.handle = self._dragging if self._dragging in HANDLES else "end"
        self._move(at)

    def drag(self, at: QPointF) -> None:
        if self._dragging is not None:
            self._move(at)

    def _move(self, at: QPointF) -> None:
        place = at + self._offset
        self._preview = self._moved(self._dragging or "", place)
        self.movedHandle.emit(place)

    def release(self, at: QPointF) -> None:
        handle, self._dragging = self._dragging, None
        preview, self._preview = self._preview, None
        self.movedHandle.emit(None)
        new = False
        if handle is None or preview is None:
            return
        if handle == "new":
            if math.hypot(at.x() - self._anchor.x(), at.y() - self._anchor.y()) < SHORTEST:
                return
            handle, new = "end", True
        words = _("lay the reference length") if handle in ("start", "end") else _("place the axes")
        self._view.desk.edit(words, preview)
        if new:
            self.laid.emit()

    def _moved(self, handle: str, place: QPointF) -> Notebook:
        """The notebook with a handle at a place."""
        desk = self._view.desk
        take_id = desk.take_id or ""
        at = (round(place.x(), 2), round(place.y(), 2))
        if handle == "new":
            anchor = (round(self._anchor.x(), 2), round(self._anchor.y(), 2))
            return edits.lay_reference(desk.notebook, take_id, anchor, at, desk.frame)
        if handle in ("start", "end"):
            return edits.move_reference_end(
                desk.notebook, take_id, "start" if handle == "start" else "end", at
            )
        if handle == "origin":
            return edits.place_origin(desk.notebook, take_id, at)
        take = desk.take
        origin = mapping_of(take).origin if take else (0.0, 0.0)
        dx, dy = place.x() - origin[0], origin[1] - place.y()
        reach = max(math.hypot(dx, dy), 1.0)
        # both ends of the arm are placed to about one px
        u_angle = math.degrees(math.sqrt(2) / max(reach, self.arm()))
        return edits.turn_axes(
            desk.notebook, take_id, round(math.degrees(math.atan2(dy, dx)), 3), round(u_angle, 3)
        )

    def cursor(self, at: QPointF) -> Qt.CursorShape:
        return Qt.CursorShape.SizeAllCursor if self._near(at) else Qt.CursorShape.CrossCursor

    # -- keys ----------------------------------------------------------------------------------------

    def key(self, event: QKeyEvent) -> bool:
        if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            return self._next_handle(-1 if event.key() == Qt.Key.Key_Backtab else 1)
        nudge = nudge_of(event)
        place = self.place_of(self.handle) if self.handle else None
        if nudge is None or place is None or self.handle is None:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                return self._lay_default()
            return False
        # turning works on the whole arm: a nudge of its end moves it by that much
        moved = self._moved(self.handle, place + QPointF(*nudge))
        self._view.desk.edit(_("nudge a mark"), moved, f"nudge/{self._view.desk.take_id}/{self.handle}")
        self.movedHandle.emit(self.place_of(self.handle))
        return True

    def _next_handle(self, step: int) -> bool:
        there = [h for h in HANDLES if self.place_of(h) is not None]
        if not there:
            return False
        at = there.index(self.handle) + step if self.handle in there else 0
        if not 0 <= at < len(there):
            # past the last handle Tab leaves the picture
            self.handle = None
            self.movedHandle.emit(None)
            return False
        self.handle = there[at]
        self.movedHandle.emit(self.place_of(self.handle))
        return True

    def _lay_default(self) -> bool:
        """Without a mouse: Enter lays what is missing in the middle, to be nudged into place."""
        desk, take = self._view.desk, self._view.desk.take
        if take is None:
            return False
        w, h = take.facts.width, take.facts.height
        if take.reference is None:
            laid = edits.lay_reference(
                desk.notebook, take.id, (0.3 * w, 0.5 * h), (0.7 * w, 0.5 * h), desk.frame
            )
            desk.edit(_("lay the reference length"), laid)
            self.handle = "start"
        elif take.axes is None:
            desk.edit(_("place the axes"), edits.place_origin(desk.notebook, take.id, (0.5 * w, 0.5 * h)))
            self.handle = "origin"
        else:
            return False
        self.movedHandle.emit(self.place_of(self.handle))
        return True

    # -- painting ------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        take = self._take()
        if take is None:
            return
        view = self._view
        draw_geometry(painter, take, view.place, view.zoom(), self.arm() * view.zoom())
        for handle in HANDLES:
            place = self.place_of(handle)
            if place is None:
                continue
            at = view.place(place.x(), place.y())
            strong = handle in (self.handle, self._dragging)
            if handle in ("start", "end"):
                draw_ring(painter, at, 10, QColor("#FFB54A") if strong else ON_STAGE)
            else:
                painter.setPen(QPen(HALO, 3))
                painter.setBrush(QColor("#FFB54A" if strong else LIGHT["onstage"]))
                painter.drawEllipse(at, 5.5, 5.5)
