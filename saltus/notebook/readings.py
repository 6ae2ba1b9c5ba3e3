"""The readings of one body: column-wise, in frame order, in immutable chunks.

An edit replaces one chunk of 256 rows and shares the others, so that undo costs little however many
readings there are.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.notebook.reading_columns import STATUSES, ReadingColumns, columns_of, columns_of_lists, joined
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator


CHUNK = 256
ORIGINS = ("hand", "typed", "followed")
RUN_NAME = re.compile(r"[a-z][a-z0-9-]{0,40}")
MOST_READINGS = 1_000_000
LARGEST_PX = 1e5


class ReadingError(ValueError):
    """Readings that make no sense: not finite, far outside a picture, two in one frame."""


@dataclass(frozen=True, slots=True)
class Reading:
    """The position of a body in one frame.

    Attributes
    ----------
    frame : int
    x, y : float
        Picture coordinates, px.
    u : float or None
        Standard uncertainty to the right, px; None takes the body's.
    origin : {"hand", "typed", "followed"}
        How it came about.
    status : {"used", "weak", "aside"}
        ``weak``: proposed by following and doubted; ``aside``: set aside. Both are shown and not used.
    u_y : float or None
        Standard uncertainty downwards, px; None: the same as to the right.
    run : str or None
        Id of the run that followed it.
    """

    frame: int
    x: float
    y: float
    u: float | None = None
    origin: str = "hand"
    status: str = "used"
    u_y: float | None = None
    run: str | None = None

    def __post_init__(self) -> None:
        # what is not a number fails every comparison
        valid = (
            0 <= self.frame < 2**31
            and -LARGEST_PX <= self.x <= LARGEST_PX
            and -LARGEST_PX <= self.y <= LARGEST_PX
            and (self.u is None or 0 < self.u < LARGEST_PX)
            and (self.u_y is None or (self.u is not None and 0 < self.u_y < LARGEST_PX))
            and self.origin in ORIGINS
            and self.status in STATUSES
            and (self.run is None or self.origin == "followed")
        )
        if not valid:
            raise ReadingError(say("readings.reading-frame-not-place", frame=self.frame))

    @property
    def used(self) -> bool:
        """Whether it is neither doubted nor set aside."""
        return self.status == "used"

    def but(self, **changes: Any) -> Reading:
        """Give it with some fields changed."""
        return replace(self, **changes)


class Chunk(tuple[Reading, ...]):  # noqa: SLOT001  what is remembered of it needs a place
    """Rows that stay together; what was worked out of them stays with them from edit to edit."""

    @cached_property
    def columns(self) -> ReadingColumns:
        """The rows as columns."""
        return columns_of(self)

    @cached_property
    def runs(self) -> frozenset[str]:
        """Ids of the runs that followed any of them."""
        return frozenset(r.run for r in self if r.run is not None)

    @cached_property
    def lines(self) -> str:
        """Each row as a line of JSON."""
        return "\n".join(
            f'[{r.frame}, {_json(r.x)}, {_json(r.y)}, {_json(r.u)}, "{r.origin}", "{r.status}", '
            f"{_json(r.u_y)}, {'null' if r.run is None else f'{_QUOTE}{r.run}{_QUOTE}'}]"
            for r in self
        )


class Readings:
    """Readings of one body in frame order, at most one per frame; never changed in place.

    Parameters
    ----------
    rows : iterable of Reading
        In any order.

    Raises
    ------
    ReadingError
        If two rows have one frame, or there are too many.
    """

    __slots__ = ("__dict__", "_chunks")

    def __init__(self, rows: Iterable[Reading] = ()) -> None:
        ordered = sorted(rows, key=lambda r: r.frame)
        if len(ordered) > MOST_READINGS:
            raise ReadingError(say("readings.more-readings-take"))
        for a, b in pairwise(ordered):
            if a.frame == b.frame:
                raise ReadingError(say("readings.frame-two-readings-body", frame=a.frame))
        self._chunks: tuple[Chunk, ...] = tuple(
            Chunk(ordered[i : i + CHUNK]) for i in range(0, len(ordered), CHUNK)
        )

    @classmethod
    def _of(cls, chunks: Iterable[Chunk]) -> Readings:
        made = cls()
        made._chunks = tuple(chunk for chunk in chunks if chunk)
        return made

    def __len__(self) -> int:
        return sum(map(len, self._chunks))

    def __iter__(self) -> Iterator[Reading]:
        for chunk in self._chunks:
            yield from chunk

    def __eq__(self, other: object) -> bool:
        # how the rows lie in chunks depends on the way they came about and does not count
        if not isinstance(other, Readings) or len(self) != len(other):
            return False
        if self._chunks == other._chunks:
            return True
        alike = list(map(len, self._chunks)) == list(map(len, other._chunks))
        return not alike and list(self) == list(other)

    def __hash__(self) -> int:
        return hash((len(self), self.last_frame))

    def _place(self, frame: int) -> int:
        """Index of the chunk that holds or would hold a frame."""
        low, high = 0, len(self._chunks)
        while low < high:
            middle = (low + high) // 2
            if self._chunks[middle][-1].frame < frame:
                low = middle + 1
            else:
                high = middle
        return min(low, len(self._chunks) - 1)

    def forget(self) -> None:
        """Let go what was worked out from the rows."""
        vars(self).clear()

    def at(self, frame: int) -> Reading | None:
        """Give the reading in a frame, if there is one."""
        if not self._chunks:
            return None
        return next((r for r in self._chunks[self._place(frame)] if r.frame == frame), None)

    def with_reading(self, reading: Reading) -> Readings:
        """Add a reading, or replace the one in its frame."""
        return self.with_differences([reading], ())

    def without(self, frame: int) -> Readings:
        """Leave out the reading in a frame."""
        if self.at(frame) is None:
            return self
        i = self._place(frame)
        rows = Chunk(r for r in self._chunks[i] if r.frame != frame)
        return Readings._of([*self._chunks[:i], rows, *self._chunks[i + 1 :]])

    def differences(self, before: Readings) -> tuple[list[Reading], list[int]]:
        """Say what was placed or changed since, and the frames whose reading is gone."""
        shared = set(map(id, before._chunks)) & set(map(id, self._chunks))
        old = {r.frame: r for chunk in before._chunks if id(chunk) not in shared for r in chunk}
        new = {r.frame: r for chunk in self._chunks if id(chunk) not in shared for r in chunk}
        placed = [r for frame, r in new.items() if old.get(frame) != r]
        return placed, [frame for frame in old if frame not in new]

    def with_differences(self, placed: Iterable[Reading], gone: Iterable[int]) -> Readings:
        """Place and take away in one go, see :meth:`differences`."""
        placed, gone = sorted(placed, key=lambda r: r.frame), list(gone)
        if not self._chunks:
            return Readings(placed)
        changed: dict[int, dict[int, Reading]] = {}

        def rows_about(frame: int) -> dict[int, Reading]:
            i = self._place(frame)
            if i not in changed:
                changed[i] = {r.frame: r for r in self._chunks[i]}
            return changed[i]

        for frame in gone:
            rows_about(frame).pop(frame, None)
        for reading in placed:
            rows_about(reading.frame)[reading.frame] = reading
        chunks: list[Chunk] = []
        for i, chunk in enumerate(self._chunks):
            chunks += _in_order(changed[i].values()) if i in changed else [chunk]
        made = Readings._of(chunks)
        if len(made) > MOST_READINGS:
            raise ReadingError(say("readings.more-readings-take"))
        if "columns" in self.__dict__:
            made.__dict__["columns"] = self.columns.with_many(columns_of(placed), gone)
        return made

    @property
    def last_frame(self) -> int:
        """The highest frame read; −1 without readings."""
        return self._chunks[-1][-1].frame if self._chunks else -1

    @cached_property
    def used(self) -> ReadingColumns:
        """The readings that are neither doubted nor set aside, as columns."""
        return self.columns.of("used")

    @cached_property
    def columns(self) -> ReadingColumns:
        """All readings, as columns."""
        return joined([chunk.columns for chunk in self._chunks])

    def know_columns(self, columns: ReadingColumns) -> None:
        """Keep columns that are at hand, where they lie in the order of the frames."""
        if np.all(np.diff(columns.frame) > 0):
            self.__dict__["columns"] = columns
            start = 0
            for chunk in self._chunks:
                chunk.__dict__["columns"] = columns.only(slice(start, start + len(chunk)))
                start += len(chunk)

    @cached_property
    def runs(self) -> frozenset[str]:
        """Ids of the runs that followed any of them."""
        return frozenset().union(*(chunk.runs for chunk in self._chunks))

    def as_rows(self) -> list[list[Any]]:
        """Rows for the file, see :func:`row_of_reading`."""
        return [row_of_reading(r) for r in self]

    def as_lines(self) -> str:
        """Each reading as a line of JSON."""
        return "\n".join(chunk.lines for chunk in self._chunks)


_QUOTE = '"'


def _json(value: float | None) -> str:
    if value is None:
        return "null"
    # a number of an array is a float too, and has another repr
    return repr(value if type(value) in _NUMBER else float(value))


def row_of_reading(r: Reading) -> list[Any]:
    """Give a reading as a row: frame, x, y, u, origin, status, u_y, run."""
    return [r.frame, r.x, r.y, r.u, r.origin, r.status, r.u_y, r.run]


def reading_of_row(row: object) -> Reading:
    """Check a row and make a reading of it.

    Raises
    ------
    ReadingError
        If anything in it is not as it should be.
    """
    return next(iter(_rows_of(_lists([row]))))


_NUMBER = {int, float}
_NONE = {type(None)}
_KINDS: tuple[set[Any], ...] = (
    {int}, _NUMBER, _NUMBER, _NUMBER | _NONE, {str}, {str}, _NUMBER | _NONE, {str} | _NONE
)  # fmt: skip
_MOST = 1e12


def _lists(rows: list[Any]) -> list[Any]:
    """Check rows column by column, which is quick, and give the columns."""
    wrong = ReadingError(say("readings.readings-notebook-not-rows"))
    if set(map(type, rows)) - {list} or set(map(len, rows)) - {len(_KINDS)}:
        raise wrong
    columns = list(zip(*rows, strict=True)) or [()] * len(_KINDS)
    if any(set(map(type, column)) - kinds for column, kinds in zip(columns, _KINDS, strict=True)):
        raise wrong
    frame, x, y, u, _origin, _status, u_y, run = columns
    stated = [value for value in (*u, *u_y) if value is not None]
    try:
        within = all((np.abs(np.array(part, dtype=float)) < _MOST).all() for part in (frame, x, y, stated))
    except OverflowError:
        # a whole number may be too large for a float
        raise wrong from None
    if not within:
        raise wrong
    if any(name is not None and not RUN_NAME.fullmatch(name) for name in set(run)):
        raise wrong
    return columns


def _rows_of(lists: list[Any]) -> Iterator[Reading]:
    """Make readings of columns that make sense."""
    frame, x, y, u, origin, status, u_y, run = lists
    plain = map(float, x), map(float, y), map(_float, u)
    return map(Reading, frame, *plain, origin, status, map(_float, u_y), run)


def _float(value: float | None) -> float | None:
    return None if value is None else float(value)


def readings_from_rows(rows: object) -> Readings:
    """Check rows of a file and make readings of them.

    Parameters
    ----------
    rows : object
        A list of [frame, x, y, u, origin, status, u_y, run].

    Raises
    ------
    ReadingError
        If anything in it is not as it should be.
    """
    if isinstance(rows, Readings):
        return rows
    if not isinstance(rows, list) or len(rows) > MOST_READINGS:
        raise ReadingError(say("readings.readings-notebook-not-rows"))
    lists = _lists(rows)
    made = Readings(_rows_of(lists))
    made.know_columns(columns_of_lists(*lists))
    return made


def _in_order(rows: Iterable[Reading]) -> list[Chunk]:
    """Rows by frame, in chunks that are not too long."""
    ordered = sorted(rows, key=lambda r: r.frame)
    parts = max(math.ceil(len(ordered) / CHUNK), 1)
    each = math.ceil(len(ordered) / parts)
    return [Chunk(ordered[i : i + each]) for i in range(0, len(ordered), each)] if ordered else []
