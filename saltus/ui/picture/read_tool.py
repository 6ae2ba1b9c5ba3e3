"""Reading bodies: click to place, drag to correct, keys to nudge."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from saltus.core.motion.expect import expected_place
from saltus.core.wording import _
from saltus.notebook.edits import readings as edits
from saltus.notebook.edits import timing
from saltus.printing.followed_marks import draw_box, draw_search_area
from saltus.printing.marks import HALO, ON_STAGE, draw_plates_below, draw_ring, shape_path
from saltus.printing.pictures import draw_geometry, draw_readings
from saltus.printing.tokens import look
from saltus.ui.desk.placing import nudge, place_reading
from saltus.ui.kit.key_codes import letter_of
from saltus.ui.kit.scaling import plate_font

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QKeyEvent

    from saltus.notebook.model import Body, Take
    from saltus.ui.picture.view import PictureView

GRAB = 14.0
LOOKING = (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_0, Qt.Key.Key_Z, Qt.Key.Key_F6)
RING_FACTOR = 4.0
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


def nudge_of(event: QKeyEvent) -> tuple[float, float] | None:
    """How far Alt+arrow moves a mark, px: 1, with Ctrl 0.1, with Shift 20; None for other keys."""
    way = _ARROWS.get(Qt.Key(event.key())) if event.key() in _ARROWS else None
    held = event.modifiers()
    if way is None or not held & Qt.KeyboardModifier.AltModifier:
        return None
    if held & Qt.KeyboardModifier.ControlModifier:
        size = 0.1
    else:
        size = 20.0 if held & Qt.KeyboardModifier.ShiftModifier else 1.0
    return way[0] * size, way[1] * size


class ReadTool:
    """What pointer and keys do on the Read stage.

    Attributes
    ----------
    trail, boxes : bool
        Whether earlier readings, and what is looked for, are shown.
    first_key : callable
        Is given each key before this tool; True where it has done with it.
    about_to_place : callable
        Asked before a reading is placed; gives what is to be done after, or None.
    blind : callable or None
        Is given each place clicked while a frame is read again: nothing read before is seen then.
    blind_at : callable
        Is told where the mark that is moved by keys stands then; None once it is placed.
    """

    def __init__(self, view: PictureView) -> None:
        self._view = view
        self._drag: QPointF | None = None
        self._offset = QPointF()
        self._fresh = False
        self.trail = True
        self.boxes = False
        self.first_key: Callable[[QKeyEvent], bool] = lambda _event: False
        self.about_to_place: Callable[[], Callable[[], None] | None] = lambda: None
        self.blind: Callable[[QPointF], None] | None = None
        self.blind_at: Callable[[QPointF | None], None] = lambda _place: None

    def _near(self, at: QPointF) -> Body | None:
        """The body whose reading of this frame lies under the pointer; the one in hand first."""
        desk = self._view.desk
        take, spot = desk.take, self._view.place(at.x(), at.y())
        if take is None:
            return None
        bodies = sorted(take.bodies, key=lambda b: b is not desk.body)
        for body in bodies:
            reading = body.readings.at(desk.frame)
            if reading is not None:
                place = self._view.place(reading.x, reading.y)
                if math.hypot(place.x() - spot.x(), place.y() - spot.y()) <= GRAB:
                    return body
        return None

    def press(self, at: QPointF) -> None:
        desk = self._view.desk
        # a click is meant for the picture that is seen, not for one still on its way
        if not self._view.ready() or not self._view.inside(at):
            return
        near = self._near(at) if self.blind is None else None
        if near is not None:
            desk.choose_body(near.id)
            reading = near.readings.at(desk.frame)
            assert reading is not None
            self._offset = QPointF(reading.x, reading.y) - at
        else:
            self._offset = QPointF()
        self._fresh = near is None
        self._drag = at + self._offset

    def drag(self, at: QPointF) -> None:
        if self._drag is not None:
            self._drag = at + self._offset

    def release(self, at: QPointF) -> None:
        if self._drag is None:
            return
        place, self._drag = at + self._offset, None
        if not self._view.inside(place):
            return
        if self.blind is not None:
            self.blind(place)
            return
        desk, take = self._view.desk, self._view.desk.take
        if take is None:
            return
        if desk.body is None:
            notebook, body_id = edits.add_body(desk.notebook, take.id, _("Body 1"))
            desk.edit(_("add a body"), notebook)
            desk.choose_body(body_id)
        then = self.about_to_place()
        was_there = desk.body is not None and desk.body.readings.at(desk.frame) is not None
        place_reading(desk, place.x(), place.y())
        if then is not None:
            then()
        elif self._fresh and not was_there:
            desk.go_to_frame(desk.frame + take.step)

    def expected(self) -> QPointF | None:
        """Where the body in hand is expected in this frame; the middle of the picture at first."""
        desk, take = self._view.desk, self._view.desk.take
        if take is None:
            return None
        used = desk.body.readings.used if desk.body else None
        found = expected_place(used.frame, used.x, used.y, desk.frame) if used is not None else None
        if found is None:
            return QPointF(take.facts.width / 2, take.facts.height / 2)
        return QPointF(
            min(max(found[0], 0), take.facts.width - 1.0), min(max(found[1], 0), take.facts.height - 1.0)
        )

    def key(self, event: QKeyEvent) -> bool:
        if self.blind is not None:
            return self._blind_key(event, self.blind)
        if self.first_key(event):
            return True
        desk = self._view.desk
        take, body = desk.take, desk.body
        by = nudge_of(event)
        if by is not None:
            nudge(desk, *by)
            return True
        if take is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        key = letter_of(event)
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._enter()
        elif key in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and len(take.bodies) > 1:
            desk.next_body(-1 if key == Qt.Key.Key_Backtab else 1)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and body is not None:
            notebook = edits.delete_reading(desk.notebook, take.id, body.id, desk.frame)
            desk.edit(_("delete a reading"), notebook)
        elif key == Qt.Key.Key_X and body is not None:
            notebook = edits.switch_aside(desk.notebook, take.id, body.id, desk.frame)
            desk.edit(_("set a reading aside"), notebook)
        elif key == Qt.Key.Key_I and desk.frame > 0:
            self._mark(take)
        else:
            return False
        return True

    def _blind_key(self, event: QKeyEvent, placed: Callable[[QPointF], None]) -> bool:
        """Move a mark and place it; until the check is over nothing else happens, but for looking closer."""
        take, by, key = self._view.desk.take, nudge_of(event), letter_of(event)
        if take is None or key in LOOKING:
            return False
        middle = QPointF(take.facts.width / 2, take.facts.height / 2)
        if by is not None:
            self._drag = (self._drag or middle) + QPointF(*by)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._drag is None:
                self._drag = middle
            else:
                place, self._drag = self._drag, None
                placed(place)
        self.blind_at(self._drag)
        self._view.update()
        return True

    def _mark(self, take: Take) -> None:
        """Mark an instant just before the frame in hand: the event defined last."""
        desk = self._view.desk
        event = desk.notebook.events[-1] if desk.notebook.events else None
        notebook, _instant = timing.mark_instant(
            desk.notebook, take.id, event=event.id if event else None, frame=desk.frame
        )
        desk.edit(_("mark an instant"), notebook)
        words = _("Marked between frames {a} and {b}: {event}. It stands on Time.")
        name = event.name if event is not None else _("an event without a name")
        desk.said.emit(words.format(a=desk.frame - 1, b=desk.frame, event=name), "note")

    def _enter(self) -> None:
        """Place the reading at the expected place; where there is one, go on by the step."""
        desk, take = self._view.desk, self._view.desk.take
        assert take is not None
        if desk.body is not None and desk.body.readings.at(desk.frame) is not None:
            desk.go_to_frame(desk.frame + take.step)
            return
        place = self.expected()
        if place is not None and self._view.ready():
            self._fresh = False
            self._drag, self._offset = place, QPointF()
            self.release(place)

    def cursor(self, at: QPointF) -> Qt.CursorShape:
        return Qt.CursorShape.SizeAllCursor if self._near(at) else Qt.CursorShape.CrossCursor

    def paint(self, painter: QPainter) -> None:
        take = self._view.desk.take
        if self.blind is not None:
            if self._drag is not None:
                draw_ring(painter, self._view.place(self._drag.x(), self._drag.y()), 12, ON_STAGE)
        elif take is not None:
            self._paint(painter, take)

    def _paint(self, painter: QPainter, take: Take) -> None:
        """Paint what is laid and read."""
        view, desk = self._view, self._view.desk
        zoom = view.zoom()
        shown = desk.shown[1] if desk.shown is not None else desk.frame
        draw_geometry(painter, take, view.place, zoom, 0.12 * view.width(), shown)
        now = desk.following
        if now.run is not None and now.take_id == take.id and now.run.at == shown:
            for x, y, reach in now.looks_at.values():
                area = QRectF(view.place(x - reach, y - reach), view.place(x + reach, y + reach))
                draw_search_area(painter, area)
        if self.trail:
            draw_readings(painter, take, shown, view.placer(), RING_FACTOR * zoom, plate_font(13, 600))
        if self.boxes:
            self._paint_boxes(painter, take, shown)
        else:
            self._paint_expected(painter)
        if self._drag is not None and desk.body is not None:
            colour = QColor(look(desk.body.look).stage)
            draw_ring(painter, view.place(self._drag.x(), self._drag.y()), 12, colour)
        read = ((body.name, body.readings.at(shown)) for body in take.bodies)
        places = ((view.place(r.x, r.y + 34 / zoom), name) for name, r in read if r is not None)
        draw_plates_below(painter, places, plate_font(13, 600))

    def _paint_boxes(self, painter: QPainter, take: Take, frame: int) -> None:
        """What each followed body is found by, about its place."""
        for body in take.bodies:
            reading = body.readings.at(frame)
            run = body.run(reading.run) if reading is not None else None
            if reading is None or run is None:
                continue
            (left, top, wide, high), (px, py) = run.box, run.point
            x, y = reading.x + left - px, reading.y + top - py
            corners = self._view.place(x, y), self._view.place(x + wide, y + high)
            draw_box(painter, QRectF(*corners), QColor(look(body.look).stage))

    def _paint_expected(self, painter: QPainter) -> None:
        """A dashed outline where Enter would place the reading of the body in hand."""
        desk = self._view.desk
        body = desk.body
        if body is None or not len(body.readings) or body.readings.at(desk.frame) is not None:
            return
        place = self.expected()
        if place is None:
            return
        outline = shape_path(look(body.look), self._view.place(place.x(), place.y()), 20)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(HALO, 3.4), QPen(QColor(look(body.look).stage), 1.3, Qt.PenStyle.DashLine)):
            painter.setPen(pen)
            painter.drawPath(outline)
