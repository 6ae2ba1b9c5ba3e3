"""Boxes drawn round bodies in the frame in hand, before they are followed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import cv2
from PyQt6.QtCore import QObject, pyqtSignal

from saltus.core.following.patch import SMALLEST_PX, Box
from saltus.core.following.run import MOST_BODIES, FirstLook, FollowingError, Frame, Start, first_look
from saltus.core.wording import _
from saltus.printing.pictures import as_array
from saltus.session.following import FollowingRun, Wanted, frames_of

if TYPE_CHECKING:
    from saltus.core.following.followed import Method
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk

FIRST_SIDE = 1 / 12
"""A box that is not drawn but asked for is so much of the picture's height."""


@dataclass(frozen=True)
class Drawn:
    """A box round a body, the point in it that is read, and how it is to be followed.

    Attributes
    ----------
    box : Box
    point : (x, y)
        px
    method : Method
    renewed : bool
        Whether its patch is made anew when it turns or the light changes.
    """

    box: Box
    point: tuple[float, float]
    method: Method = "auto"
    renewed: bool = True


class FollowSetup(QObject):
    """The boxes of the frame in hand.

    Signals
    -------
    changed
        Another box, point or method, or it was opened or closed.
    started
        What is drawn is to be followed.

    Attributes
    ----------
    open : bool
    drawn : dict of str to Drawn
        By the id of the body.
    backwards : bool
    """

    changed = pyqtSignal()
    started = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.open = False
        self.backwards = False
        self.last: int | None = None
        self.every: int | None = None
        self.drawn: dict[str, Drawn] = {}
        self._of: tuple[str | None, int] = (None, 0)
        self._looks: dict[tuple[str, Drawn], FirstLook | str] = {}
        desk.lookedElsewhere.connect(self._look)
        desk.changed.connect(self._look)

    # -- opening and closing -------------------------------------------------------------------------

    def begin(self) -> None:
        """Open it for the frame in hand; a body that was followed before has its box again."""
        if self._desk.take is None:
            return
        self.open = True
        self._start_anew()
        self.changed.emit()

    def again(self, last: int, every: int) -> bool:
        """Lay the box of the last run about the reading in hand, to go on to a frame; False: it cannot be."""
        self.begin()
        self.last, self.every = last, every
        if not self.ready:
            body = self._desk.body
            found = self.look_at(body) if body is not None else None
            self._desk.said.emit(
                found if isinstance(found, str) else _("Draw a box round it to follow it on."), "note"
            )
        return self.ready

    def start(self) -> None:
        """Ask for what is drawn to be followed."""
        self.started.emit()

    def close(self) -> None:
        """Close it; the boxes go."""
        if self.open:
            self.open = False
            self.drawn = {}
            self.changed.emit()

    def _start_anew(self) -> None:
        take = self._desk.take
        self._of = (self._desk.take_id, self._desk.frame)
        self._looks = {}
        self.drawn, self.last, self.every = {}, None, None
        body = self._desk.body
        if take is not None and body is not None:
            again = _again(body, self._desk.frame)
            if again is not None:
                self.drawn[body.id] = again

    def _look(self) -> None:
        """Boxes belong to the frame they were drawn in."""
        take = self._desk.take
        if not self.open:
            return
        if (self._desk.take_id, self._desk.frame) != self._of:
            self._start_anew()
        bodies = {body.id for body in take.bodies} if take is not None else set()
        self.drawn = {body: drawn for body, drawn in self.drawn.items() if body in bodies}
        self.changed.emit()

    # -- drawing -------------------------------------------------------------------------------------

    def draw(self, body: Body, left: float, top: float, width: float, height: float) -> bool:
        """Draw a box round a body; gives whether it is large enough to be one."""
        if min(width, height) < SMALLEST_PX:
            return False
        if body.id not in self.drawn and len(self.drawn) >= MOST_BODIES:
            words = _("{n} bodies can be followed at once: start with these.").format(n=MOST_BODIES)
            self._desk.said.emit(words, "warn")
            return False
        box = Box(left, top, width, height)
        here = body.readings.at(self._desk.frame)
        by_hand = here is not None and here.origin != "followed" and _inside(box, (here.x, here.y))
        point = (here.x, here.y) if here is not None and by_hand else box.centre
        old = self.drawn.get(body.id)
        self.drawn[body.id] = replace(old or Drawn(box, point), box=box, point=point)
        self.changed.emit()
        return True

    def draw_about(self, body: Body, x: float, y: float) -> None:
        """Draw a box of a usual size about a place, to be made to fit."""
        take = self._desk.take
        side = round(max((take.facts.height if take is not None else 480) * FIRST_SIDE, 12))
        self.draw(body, x - side / 2, y - side / 2, side, side)

    def move_point(self, body: Body, x: float, y: float) -> None:
        """Read another mark inside the box."""
        drawn = self.drawn.get(body.id)
        if drawn is not None and _inside(drawn.box, (x, y)):
            self.drawn[body.id] = replace(drawn, point=(x, y))
            self.changed.emit()

    def move_box(self, body: Body, dx: float, dy: float) -> None:
        """Move a box with its point, px."""
        drawn = self.drawn.get(body.id)
        if drawn is not None:
            box = replace(drawn.box, x=drawn.box.x + dx, y=drawn.box.y + dy)
            self.drawn[body.id] = replace(drawn, box=box, point=(drawn.point[0] + dx, drawn.point[1] + dy))
            self.changed.emit()

    def resize(self, body: Body, width: float, height: float) -> None:
        """Give a box another size about its middle, px; its point stays where it is, if it can."""
        drawn = self.drawn.get(body.id)
        if drawn is not None:
            x, y = drawn.box.centre
            box = Box(x - width / 2, y - height / 2, width, height)
            point = drawn.point if _inside(box, drawn.point) else box.centre
            self.drawn[body.id] = replace(drawn, box=box, point=point)
            self.changed.emit()

    def take_away(self, body: Body) -> None:
        """Take the box of a body away."""
        if self.drawn.pop(body.id, None) is not None:
            self.changed.emit()

    def choose_method(self, body: Body, method: Method) -> None:
        """Choose how a body is followed."""
        drawn = self.drawn.get(body.id)
        if drawn is not None:
            self.drawn[body.id] = replace(drawn, method=method)
            self.changed.emit()

    def choose_renewed(self, body: Body, *, renewed: bool) -> None:
        """Choose whether the patch of a body is made anew, or stays as it is."""
        drawn = self.drawn.get(body.id)
        if drawn is not None:
            self.drawn[body.id] = replace(drawn, renewed=renewed)
            self.changed.emit()

    # -- looking and starting ------------------------------------------------------------------------

    def look_at(self, body: Body) -> FirstLook | str | None:
        """How a body would be followed and how well, or why not; None without a box or a picture."""
        drawn, shown = self.drawn.get(body.id), self._desk.shown
        if drawn is None or shown is None or shown[:2] != self._of:
            return None
        key = (body.id, drawn)
        if key not in self._looks:
            picture = as_array(shown[2])
            grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
            frame = Frame(self._of[1], 0.0, grey, lambda: picture)
            try:
                self._looks[key] = first_look(Start(body.name, drawn.box, drawn.method, drawn.point), frame)
            except FollowingError as error:
                self._looks[key] = str(error)
        return self._looks[key]

    @property
    def ready(self) -> bool:
        """Whether there is something to start with, and nothing in the way of it."""
        take = self._desk.take
        bodies = [take.body(body) for body in self.drawn] if take is not None else []
        return bool(bodies) and all(b is not None and isinstance(self.look_at(b), FirstLook) for b in bodies)

    def span(self, take: Take) -> tuple[int, int, int]:
        """From which frame to which one, and every which, it would be followed."""
        kept = take.kept_frames
        end = kept[0] if self.backwards else kept[-1]
        last = end if self.last is None else min(max(self.last, 0), len(take.facts.ticks) - 1)
        return self._desk.frame, last, self.every or take.step

    def run(self) -> FollowingRun | None:
        """The run as it is set up; None with a word to the person where there is nothing to do."""
        take = self._desk.take
        if take is None or not self.drawn:
            return None
        first, last, every = self.span(take)
        left_out = take.facts.duplicates if take.timing.repeats_left_out else ()
        frames = frames_of(first, last, every, left_out)
        if len(frames) < 2:
            self._desk.said.emit(
                _("There is no frame to go to from here: choose another last frame."), "warn"
            )
            return None
        wanted = [Wanted(body, d.box, d.point, d.method, d.renewed) for body, d in self.drawn.items()]
        return FollowingRun(take, wanted, frames)


def _inside(box: Box, point: tuple[float, float]) -> bool:
    x, y = point
    return box.x <= x <= box.x + box.width and box.y <= y <= box.y + box.height


def _again(body: Body, frame: int) -> Drawn | None:
    """The box of a body's last run, laid about its reading in a frame."""
    here = body.readings.at(frame)
    if not body.runs or here is None:
        return None
    run = body.runs[-1]
    left, top, width, height = run.box
    dx, dy = here.x - run.point[0], here.y - run.point[1]
    box = Box(left + dx, top + dy, width, height)
    return Drawn(box, (here.x, here.y), run.method, run.renewed)
