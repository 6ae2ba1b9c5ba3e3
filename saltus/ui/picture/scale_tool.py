"""What pointer and keys lay over the picture: lengths, axes, a plane, marks along a line, straight edges."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen

from saltus.core.wording import _
from saltus.notebook.edits import geometry as laid_edits
from saltus.notebook.edits import scale as edits
from saltus.notebook.geometry import PlanePoints, StraightEdges, TrackMark, TrackMarks
from saltus.printing.geometry_marks import draw_corners, draw_laid
from saltus.printing.marks import HALO, ON_STAGE, draw_ring
from saltus.printing.measured_marks import draw_measures, draw_pins, draw_scales
from saltus.printing.pictures import draw_geometry
from saltus.printing.tokens import LIGHT
from saltus.ui.picture.laid_handles import arm_of, handles_of, lay, moved, words_for
from saltus.ui.picture.measured_clicks import CLICKED, SCALE_MODES, clicked
from saltus.ui.picture.read_tool import GRAB, nudge_of

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.part import Place
    from saltus.ui.picture.view import PictureView

SHORTEST = 3.0
DRAGGED = {"length", "reference", "check", "plumb", "points", "ball"}
"""Modes in which something is laid by dragging from one end to the other; in the others by clicks."""
OWN = {
    "axes": ("origin", "turn", "line"),
    "plane": ("plane",),
    "track": ("track",),
    "edge": ("edge",),
    "plumb": ("line",),
    "points": ("line",),
    "camera": (),
    "measure": ("measure",),
    **dict.fromkeys(SCALE_MODES, ("division", "middle", "pointer")),
}
CORNERS, STRONG = 4, QColor("#FFB54A")


class ScaleTool(QObject):
    """What pointer and keys do on the Scale stage.

    Signals
    -------
    movedHandle(place)
        A handle is being moved and is here now (picture coordinates); None when it is let go.
    """

    movedHandle = pyqtSignal(object)
    laid = pyqtSignal()
    """A length was laid with the mouse: what comes next is to type it."""
    placed = pyqtSignal()
    """Something else was laid, or one of several clicks made."""

    def __init__(self, view: PictureView) -> None:
        super().__init__()
        self._view = view
        self.mode = "length"
        self.handle: str | None = None
        self.chosen: str | None = None
        self.corners: list[Place] = []
        self.again: list[Place] = []
        self.new_edge = False
        self.measure_id: str | None = None
        self.scale_id: str | None = None
        self.ball: tuple[float, float, float, float] | None = None
        self._dragging: str | None = None
        self._preview: Notebook | None = None
        self._offset = QPointF()
        self._anchor = QPointF()

    def choose(self, mode: str) -> None:
        """Lay something else from now on; what was begun is forgotten."""
        self.mode = mode
        self.corners, self.again = [], []
        self._view.update()

    # -- where the handles are -----------------------------------------------------------------------

    def _take(self) -> Take | None:
        """The take as it looks during a drag."""
        desk = self._view.desk
        source = self._preview or desk.notebook
        return source.take(desk.take_id)

    def place_of(self, handle: str) -> QPointF | None:
        """Where a handle is, picture coordinates; None while it does not exist."""
        take = self._take()
        return handles_of(take, self._view.desk.frame).get(handle) if take is not None else None

    def _near(self, at: QPointF) -> str | None:
        take = self._take()
        if take is None or self.mode == "again":
            return None
        spot = self._view.place(at.x(), at.y())
        own = OWN.get(self.mode, ("start", "end", "reference", "check"))
        places = handles_of(take, self._view.desk.frame)
        # the handles of the chosen tool win where handles lie close together
        ordered = sorted(places, key=lambda h: not h.split(":")[0].rsplit("-", 1)[0].startswith(own))
        for handle in ordered:
            seen = self._view.place(places[handle].x(), places[handle].y())
            if math.hypot(seen.x() - spot.x(), seen.y() - spot.y()) <= GRAB:
                return handle
        return None

    # -- pointer -------------------------------------------------------------------------------------

    def press(self, at: QPointF) -> None:
        if not self._view.inside(at):
            return
        take = self._take()
        near = self._near(at)
        if near is not None:
            place = self.place_of(near)
            assert place is not None
            self._offset, self._dragging = place - at, near
        elif self.mode == "axes":
            self._offset, self._dragging = QPointF(), "origin"
        elif take is not None and self._begins(take):
            self._offset, self._anchor, self._dragging = QPointF(), at, "new"
        elif self.mode in ("plane", "track", "edge", "again") or self.mode in CLICKED:
            self._click(at)
            return
        else:
            return
        self.handle = self._dragging if self._dragging != "new" else "end"
        self._move(at)

    def _begins(self, take: Take) -> bool:
        return self.mode in DRAGGED and (self.mode != "length" or take.reference is None)

    def drag(self, at: QPointF) -> None:
        if self._dragging is not None:
            self._move(at)

    def _move(self, at: QPointF) -> None:
        place = at + self._offset
        desk = self._view.desk
        if self._dragging == "new":
            self._preview = self._laid_new(place)[0]
        else:
            self._preview = moved(desk.notebook, desk.take_id or "", self._dragging or "", place, desk.frame)
        self.movedHandle.emit(place)

    def release(self, at: QPointF) -> None:
        handle, self._dragging = self._dragging, None
        preview, self._preview = self._preview, None
        self.movedHandle.emit(None)
        if handle is None or preview is None:
            return
        if handle != "new":
            lay(self._view.desk, words_for(handle), preview)
            return
        if math.hypot(at.x() - self._anchor.x(), at.y() - self._anchor.y()) < SHORTEST:
            return
        if self.mode == "ball":
            left, right = sorted((self._anchor.x(), at.x()))
            top, bottom = sorted((self._anchor.y(), at.y()))
            self.ball = (left, top, right - left, bottom - top)
            self.placed.emit()
            return
        made, chosen = self._laid_new(at)
        direct = self.mode in ("plumb", "points")
        words = _("place the axes") if direct else _("lay the reference length")
        if lay(self._view.desk, words, made) and not direct:
            self.chosen = chosen
            self.mode = "length"
            self.laid.emit()
        self.placed.emit()

    def _laid_new(self, place: QPointF) -> tuple[Notebook, str | None]:
        """The notebook with something new laid from where the drag began, and the id of a new length."""
        desk = self._view.desk
        take_id = desk.take_id or ""
        ends = [(round(p.x(), 2), round(p.y(), 2)) for p in (self._anchor, place)]
        if self.mode in ("plumb", "points"):
            by = "plumb" if self.mode == "plumb" else "points"
            return laid_edits.direct_axes(desk.notebook, take_id, (ends[0], ends[1]), by, 1.0), None  # type: ignore[arg-type]
        take = desk.take
        if self.mode != "check" and take is not None and take.reference is None:
            return edits.lay_reference(desk.notebook, take_id, ends[0], ends[1], desk.frame), None
        return laid_edits.add_length(
            desk.notebook, take_id, ends[0], ends[1], check=self.mode == "check", frame=desk.frame
        )

    def _click(self, at: QPointF) -> None:
        """Place one of several marks."""
        desk, place = self._view.desk, (round(at.x(), 2), round(at.y(), 2))
        take = desk.take
        if take is None:
            return
        if self.mode == "again":
            self.again.append(place)
        elif self.mode in CLICKED:
            clicked(self, desk, take, place)
        elif self.mode == "plane":
            self.corners.append(place)
            if len(self.corners) == CORNERS:
                self._lay_plane(take)
        elif self.mode == "track":
            track = take.geometry.track or TrackMarks(marks=(TrackMark(place=place),), frame=desk.frame)
            marks = (*track.marks, TrackMark(place=place)) if take.geometry.track is not None else track.marks
            made = laid_edits.change_geometry(
                desk.notebook, take.id, track=track.but(marks=marks), plane=None
            )
            lay(desk, _("place a mark"), made)
        else:
            self._add_to_edge(take, place)
        self.placed.emit()
        self._view.update()

    def _lay_plane(self, take: Take) -> None:
        desk, before = self._view.desk, take.geometry.plane
        typed = {"width": before.width, "height": before.height, "u_px": before.u_px} if before else {}
        plane = PlanePoints(seen=tuple(self.corners), frame=desk.frame, **typed)
        self.corners = []
        lay(
            desk,
            _("lay the corners of a rectangle"),
            laid_edits.change_geometry(desk.notebook, take.id, plane=plane, track=None),
        )

    def _add_to_edge(self, take: Take, place: Place) -> None:
        desk, edges = self._view.desk, take.geometry.edges
        if edges is None:
            made = StraightEdges(edges=((place,),), frame=desk.frame)
        elif self.new_edge:
            made = edges.but(edges=(*edges.edges, (place,)))
        else:
            made = edges.but(edges=(*edges.edges[:-1], (*edges.edges[-1], place)))
        self.new_edge = False
        # an edge with one or two marks says nothing yet: that is no mistake
        desk.edit(_("place a mark"), laid_edits.change_geometry(desk.notebook, take.id, edges=made))

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
        desk = self._view.desk
        # turning works on the whole arm: a nudge of its end moves it by that much
        made = moved(desk.notebook, desk.take_id or "", self.handle, place + QPointF(*nudge), desk.frame)
        lay(desk, _("nudge a mark"), made, f"nudge/{desk.take_id}/{self.handle}")
        self.movedHandle.emit(self.place_of(self.handle))
        return True

    def _next_handle(self, step: int) -> bool:
        take = self._take()
        there = list(handles_of(take, self._view.desk.frame)) if take is not None else []
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
        if self.mode == "plane" and take.geometry.plane is None:
            self.corners = [(x * w, y * h) for x, y in ((0.3, 0.7), (0.7, 0.7), (0.7, 0.3), (0.3, 0.3))]
            self._lay_plane(take)
            self.handle = "plane:0"
        elif take.reference is None and self.mode != "axes" and take.geometry.plane is None:
            laid = edits.lay_reference(
                desk.notebook, take.id, (0.3 * w, 0.5 * h), (0.7 * w, 0.5 * h), desk.frame
            )
            desk.edit(_("lay the reference length"), laid)
            self.handle = "start"
        elif take.axes is None:
            desk.edit(
                _("place the axes"),
                edits.place_origin(desk.notebook, take.id, (0.5 * w, 0.5 * h), desk.frame),
            )
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
        if self.mode == "again":
            # blind: nothing that was placed before may be seen
            draw_corners(painter, [view.place(*p) for p in self.again[-1:]] if len(self.again) % 2 else [])
            return
        frame = view.desk.frame
        draw_laid(painter, take, view.place, frame)
        draw_measures(painter, take, view.place, frame, self.measure_id)
        draw_scales(painter, take, view.place, frame, self.scale_id if self.mode in SCALE_MODES else None)
        draw_pins(painter, take, view.place, frame)
        draw_geometry(painter, take, view.place, view.zoom(), arm_of(take) * view.zoom(), frame)
        draw_corners(painter, [view.place(*p) for p in self.corners])
        for handle, place in handles_of(take, frame).items():
            at = view.place(place.x(), place.y())
            strong = handle in (self.handle, self._dragging)
            if handle.endswith(("start", "end")):
                draw_ring(painter, at, 10, STRONG if strong else ON_STAGE)
            else:
                painter.setPen(QPen(HALO, 3))
                painter.setBrush(STRONG if strong else QColor(LIGHT["onstage"]))
                painter.drawEllipse(at, 5.5, 5.5)
