"""What to do next on Read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.notebook.derived.geometry import mapping_of, scale_problem

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.read.doubts import Doubts
    from saltus.ui.read.follow_setup import FollowSetup


def next_words(desk: Desk, setup: FollowSetup, doubts: Doubts | None) -> str:
    """Say what to do next.

    Parameters
    ----------
    desk : Desk
    setup : FollowSetup
    doubts : Doubts or None
        Where bodies are followed.
    """
    take, body = desk.take, desk.body
    if take is None:
        return _("Open a film first, on the Film stage.")
    if body is None:
        return _("Add a body, then click its centre in this frame. The film then moves on.")
    if setup.open:
        return _setting_up(setup, take, body)
    if doubts is not None:
        return _following(desk, doubts)
    return _by_hand(desk, take, body)


def _setting_up(setup: FollowSetup, take: Take, body: Body) -> str:
    if body.id not in setup.drawn:
        return _("Drag a box round {body}, from corner to corner.").format(body=body.name)
    if not setup.ready:
        return _("Draw the box anew, or choose another way to follow {body}.").format(body=body.name)
    if len(take.bodies) > 1 and len(setup.drawn) == 1:
        return _("Start, or press Tab for the next body and draw its box too. The ring is what is read: drag "
                 "it to another mark if you like.")  # fmt: skip
    return _("Start. The ring is what is read: drag it to another mark in the box if you like.")


def _following(desk: Desk, doubts: Doubts) -> str:
    here = doubts.here()
    if here is not None and here.lost:
        return _("Frame {n}: is it to be seen? Click it, and it is followed on from there.").format(
            n=desk.frame
        )
    if here is not None:
        return _("Frame {n}: is the ring on it?").format(n=here.frame)
    if desk.following.run is not None:
        return _("It is read as you watch. Space waits, Esc stops and keeps what was found.")
    if doubts.all:
        return _("Press N for what is in doubt.")
    return _("All is found. Go on to Motion, or follow another body.")


def _by_hand(desk: Desk, take: Take, body: Body) -> str:
    if body.readings.at(desk.frame) is not None:
        if len(body.readings) >= 3 and desk.frame + take.step > take.kept_frames[-1]:
            if not mapping_of(take).scaled:
                return _("All read. Positions are {problem}, on the Scale stage.").format(
                    problem=scale_problem(take)
                )
            return _("All read. Go to Motion and choose a segment.")
        return _("This frame is read: drag the ring to correct it, or go on with → .")
    if len(body.readings) < 3:
        return _(
            "Click the centre of {body}; the film then moves on {n}. Or press F and let it be followed."
        ).format(body=body.name, n=_("one frame") if take.step == 1 else _("{n} frames").format(n=take.step))
    return _("Click the centre of {body}, or press Enter to take the dashed place. With 3 or more "
             "readings, Motion can fit a model.").format(body=body.name)  # fmt: skip
