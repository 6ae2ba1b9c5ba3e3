"""Runs of following: how a body was followed, and what was seen of it frame by frame."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Any, Literal, NamedTuple

import numpy as np
from pydantic import Field, PlainSerializer, PlainValidator, WithJsonSchema

from saltus.core.following.drift import drifted
from saltus.notebook.part import Coordinate, Id, NotNegative, Part, Place, Positive
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from numpy.typing import NDArray

STATES = ("found", "weak", "lost")
MOST_FRAMES = 2_000_000
MOST_RENEWALS = 10_000
MOST_DOUBTS, LONGEST_DOUBT = 12, 40


class RecordError(ValueError):
    """A record of a run that makes no sense."""


class FrameRecord(NamedTuple):
    """What was seen in one frame of a run.

    Attributes
    ----------
    frame : int
    state : {"found", "weak", "lost"}
    likeness : float or None
        −1 to 1, dimensionless; None where nothing was compared.
    doubts : tuple of str
        Codes of why it was doubted, the weightiest first.
    angle, u_angle : float or None
        How far it had turned since the first frame, clockwise as seen, rad.
    """

    frame: int
    state: str
    likeness: float | None = None
    doubts: tuple[str, ...] = ()
    angle: float | None = None
    u_angle: float | None = None


class RunRecord:
    """What was seen in the frames of a run, in frame order; never changed in place."""

    __slots__ = ("rows",)

    def __init__(self, rows: Iterable[FrameRecord] = ()) -> None:
        self.rows = tuple(rows)

    def __len__(self) -> int:
        return len(self.rows)

    def __iter__(self) -> Iterator[FrameRecord]:
        return iter(self.rows)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, RunRecord) and self.rows == other.rows

    def __hash__(self) -> int:
        return hash(len(self.rows))

    @property
    def last_frame(self) -> int:
        """The highest frame looked at; −1 without any."""
        return self.rows[-1].frame if self.rows else -1

    def with_rows(self, new: Iterable[FrameRecord]) -> RunRecord:
        """Add frames, or see some again."""
        added = {row.frame: row for row in new}
        if added and min(added) > self.last_frame:
            return RunRecord((*self.rows, *(added[frame] for frame in sorted(added))))
        kept = [row for row in self.rows if row.frame not in added]
        return RunRecord(sorted([*kept, *added.values()]))

    def at(self, frame: int) -> FrameRecord | None:
        """What was seen in a frame."""
        return next((row for row in self.rows if row.frame == frame), None)

    def as_rows(self) -> list[list[Any]]:
        """Rows for the file: frame, state, likeness, doubts, angle, u_angle."""
        return [[*row[:3], list(row.doubts), row.angle, row.u_angle] for row in self.rows]

    def differences(self, before: RunRecord) -> tuple[list[FrameRecord], list[int]]:
        """Rows that are new or other than before, and frames that are gone."""
        old = {row.frame: row for row in before.rows}
        placed = [row for row in self.rows if old.pop(row.frame, None) != row]
        return placed, list(old)

    def with_differences(self, placed: Iterable[FrameRecord], gone: Iterable[int]) -> RunRecord:
        """Make differences again, see :meth:`differences`."""
        left = set(gone)
        return RunRecord(row for row in self.with_rows(placed).rows if row.frame not in left)


def _number(value: object, low: float, high: float) -> float | None:
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not low <= value <= high:
        raise RecordError(say("following.record-not-rows"))
    return float(value)


def _row(row: object) -> FrameRecord:
    wrong = RecordError(say("following.record-not-rows"))
    if isinstance(row, FrameRecord):
        return row
    if not isinstance(row, list) or len(row) != len(FrameRecord._fields):
        raise wrong
    frame, state, likeness, doubts, angle, u_angle = row
    if type(frame) is not int or not 0 <= frame < 2**31 or state not in STATES:
        raise wrong
    if not isinstance(doubts, list) or len(doubts) > MOST_DOUBTS:
        raise wrong
    if any(not isinstance(d, str) or len(d) > LONGEST_DOUBT for d in doubts):
        raise wrong
    likeness = _number(likeness, -1.001, 1.001)
    return FrameRecord(
        frame, state, likeness, tuple(doubts), _number(angle, -1e6, 1e6), _number(u_angle, 0, 1e6)
    )


def record_from_rows(rows: object) -> RunRecord:
    """Check rows of a file, see :meth:`RunRecord.as_rows`, and make a record of them.

    Raises
    ------
    RecordError
        If anything in it is not as it should be.
    """
    if isinstance(rows, RunRecord):
        return rows
    if not isinstance(rows, list) or len(rows) > MOST_FRAMES:
        raise RecordError(say("following.record-not-rows"))
    made = [_row(row) for row in rows]
    if any(a.frame >= b.frame for a, b in pairwise(made)):
        raise RecordError(say("following.record-not-rows"))
    return RunRecord(made)


def frame_record(
    frame: int, state: str, likeness: float, doubts: tuple[str, ...], angle: float, u_angle: float
) -> FrameRecord:
    """Make the record of a frame; NaN where nothing was compared or no angle is read."""
    numbers = (round(v, 5) if math.isfinite(v) else None for v in (likeness, angle, u_angle))
    seen, turned, u_turned = numbers
    return FrameRecord(frame, state, seen, doubts, turned, u_turned)


_RecordRow = {
    "type": "array",
    "description": "frame, state, likeness or null, doubts, angle rad or null, u rad or null",
}
RecordField = Annotated[
    RunRecord,
    PlainValidator(record_from_rows),
    PlainSerializer(lambda record: record.as_rows()),
    WithJsonSchema({"type": "array", "items": _RecordRow}),
]
Frame = Annotated[int, Field(ge=0, lt=2**31)]


class PatchRenewal(Part):
    """When a patch was made anew: the first frame read with it, and how far it may lie off, px.

    Attributes
    ----------
    frame : int
    u : (x, y)
        Standard uncertainty against the patch before, px.
    """

    frame: Frame
    u: tuple[NotNegative, NotNegative]


class FollowedRun(Part):
    """How a body was followed over a stretch of frames: enough to do it again, and what came of it.

    Attributes
    ----------
    id : str
        Named by the readings it made.
    method : str
        How it was looked for.
    box : (x, y, width, height)
        As drawn in the frame ``start``, px.
    point : (x, y)
        The point that is read, px, in that frame.
    start, end, every : int
        Frames it was to look at, from the one the box was drawn in; backwards where the end comes before.
    u_patch, u_start : (x, y)
        Standard uncertainties that all its places have in common, px: by the patch that is looked for, and by
        the reading it goes on from.
    renewed : bool
        Whether the patch is made anew when the body turns or the light changes.
    renewals : tuple of PatchRenewal
        In the order of the run.
    after : str or None
        The run it goes on from: what that run's places have in common, its places have too.
    record : RunRecord
    """

    id: Id
    method: Literal["auto", "pattern", "colour", "spot", "edge"]
    box: tuple[Coordinate, Coordinate, Positive, Positive]
    point: Place
    start: Frame
    end: Frame
    every: Annotated[int, Field(ge=1, le=10_000)] = 1
    u_patch: tuple[NotNegative, NotNegative] = (0.0, 0.0)
    u_start: tuple[NotNegative, NotNegative] = (0.0, 0.0)
    renewed: bool = True
    renewals: Annotated[tuple[PatchRenewal, ...], Field(max_length=MOST_RENEWALS)] = ()
    after: Id | None = None
    record: RecordField = Field(default_factory=RunRecord)

    @property
    def u_common(self) -> tuple[float, float]:
        """Standard uncertainty along x and y that all its places have in common, px."""
        (px, py), (sx, sy) = self.u_patch, self.u_start
        return math.hypot(px, sx), math.hypot(py, sy)

    def u_common_in(self, frames: NDArray[np.int64]) -> NDArray[np.float64]:
        """The same in frames of the run, (2, N) px: more, the farther the patch may have drifted."""
        renewals = [(one.frame, one.u) for one in self.renewals]
        return np.asarray(self.u_common)[:, None] + drifted(frames, self.start, renewals)
