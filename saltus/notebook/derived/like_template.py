"""Where the stretch of a template take lies in another film of the same set-up, let go earlier or later."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.coordinates import PivotError
from saltus.core.motion.pieces import FEWEST, pieces_of, usable_noise
from saltus.notebook.derived.motion import motion_in
from saltus.notebook.edits.like_template import coordinate_like

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from saltus.notebook.model import Body, Segment, Take

    Array = NDArray[np.float64]

STEADY = (
    "rest", "constant-velocity", "constant-acceleration", "uniform-rotation", "angular-acceleration",
    "projectile",
)  # fmt: skip
AT_END = 2
"""A stretch that ends so near to where the motion changes was meant to go until there, frames."""
SURE = 3
"""Where a motion changes is known to so many frames: less is no reason to move a stretch."""
MOST_OF = 0.6
AS_ONE = 3.0
"""Pieces are one where a parabola through both leaves less than so many times the stated uncertainty."""
MOVED = 10.0
"""A body that went farther than so many times the uncertainty of its places moved."""


@dataclass(frozen=True)
class _Piece:
    """Frames of constant acceleration, and what kind they are: −1, 0, 1 by the way it curves; None: rest."""

    first: int
    last: int
    kind: int | None

    def shared(self, first: int, last: int) -> int:
        """How many frames it shares with a stretch."""
        return max(min(self.last, last) - max(self.first, first) + 1, 0)


def stretches_like(template: Take, take: Take, bodies: Mapping[str, str]) -> dict[str, tuple[int, int]]:
    """First and last frame of each segment of a template in another take of the set-up.

    Parameters
    ----------
    template, take : Take
    bodies : mapping of str to str
        Id of each body of the take by the id of the template's.

    Returns
    -------
    dict of str to (int, int)
        By the id of the template's segment; one whose like is not there is missing.
    """
    found = {}
    for segment in template.segments:
        there, here = template.body(segment.body), take.body(bodies.get(segment.body))
        if there is None or here is None:
            continue
        of = coordinate_like(segment.of, bodies)
        stretch = _stretch_like(segment, (template, there), (take, here), of)
        if stretch is not None:
            found[segment.id] = stretch
    return found


def _stretch_like(
    segment: Segment, template: tuple[Take, Body], take: tuple[Take, Body], of: str
) -> tuple[int, int] | None:
    read, known = take[1].readings.used.frame, template[1].readings.used.frame
    if len(read) < 2:
        return None
    whole = len(known) > 1 and segment.first <= known[0] and segment.last >= known[-1]
    first, last = (int(read[0]), int(read[-1])) if whole else (segment.first, segment.last)
    if segment.model in STEADY:
        one, other = _pieces(*template, segment.of), _pieces(*take, of)
        model = max(one, key=lambda p: p.shared(segment.first, segment.last), default=None)
        long = segment.last - segment.first + 1
        if model is not None and model.shared(segment.first, segment.last) >= MOST_OF * long:
            like = _like(model, one, other)
            return _carried(segment, model, like) if like is not None else None
        # the template does not show where its motion changes: the piece that holds most of its frames
        near = max(other, key=lambda p: p.shared(first, last), default=None)
        if near is not None and near.shared(first, last) >= MOST_OF * min(long, last - first + 1):
            first, last = max(first, near.first), min(last, near.last)
    first, last = max(first, int(read[0])), min(last, int(read[-1]))
    return (first, last) if np.count_nonzero((read >= first) & (read <= last)) >= FEWEST else None


def _pieces(take: Take, body: Body, of: str) -> list[_Piece]:
    motion = motion_in(take, body, of)
    if len(motion.t) < FEWEST:
        return []
    try:
        position = motion.of("y" if of == "xy" else of)
    except PivotError:
        return []
    x, frames = position.value, motion.frames
    u = usable_noise(motion.t, x, position.u_own)
    return [
        _Piece(int(frames[first]), int(frames[last]), _kind(motion.t, x, u, slice(first, last + 1)))
        for first, last in _joined(motion.t, x, u)
    ]


def _joined(t: Array, x: Array, u: Array) -> list[tuple[int, int]]:
    """Pieces of constant acceleration, those joined that one parabola explains almost as well.

    Places that were followed err alike for some frames; by what is stated of them, that parts a motion.
    """
    made: list[tuple[int, int]] = []
    for piece in pieces_of(t, x, u):
        if made:
            whole = slice(made[-1][0], piece.last + 1)
            left = x[whole] - np.polyval(np.polyfit(t[whole], x[whole], 2), t[whole])
            if float(np.sqrt(np.mean((left / u[whole]) ** 2))) < AS_ONE:
                made[-1] = (made[-1][0], piece.last)
                continue
        made.append((piece.first, piece.last))
    return made


def _kind(t: Array, x: Array, u: Array, part: slice) -> int | None:
    if float(np.ptp(x[part])) <= MOVED * float(np.median(u[part])):
        return None
    (bend, *_rest), spread = np.polyfit(t[part] - t[part.start], x[part], 2, w=1 / u[part], cov="unscaled")
    return int(np.sign(bend)) if abs(bend) > MOVED * np.sqrt(spread[0, 0]) else 0


def _like(model: _Piece, one: list[_Piece], other: list[_Piece]) -> _Piece | None:
    """The piece that is to the others of its film what the template's is to those of its own."""
    alike = [p for p in one if p.kind == model.kind]
    theirs = [p for p in other if p.kind == model.kind]
    if len(alike) == len(theirs):
        return theirs[alike.index(model)]
    near = max(theirs, key=lambda p: p.shared(model.first, model.last), default=None)
    enough = near is not None and near.shared(model.first, model.last) >= MOST_OF * (model.last - model.first)
    return near if enough else None


def _carried(segment: Segment, model: _Piece, like: _Piece) -> tuple[int, int] | None:
    """The stretch of a template carried from its piece of the motion to the one like it."""
    lag = like.first - model.first
    lag = 0 if abs(lag) <= SURE else lag
    first = max(segment.first + lag, like.first)
    to_end = model.last - segment.last <= AT_END
    last = like.last if to_end else min(segment.last + lag, like.last)
    return (first, last) if last - first + 1 >= FEWEST else None
