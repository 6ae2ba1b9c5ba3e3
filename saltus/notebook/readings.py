"""The readings of one body: column-wise, in frame order, in immutable chunks.

An edit replaces one chunk of 256 rows and shares the others, so that undo costs little however many
readings there are.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from numpy.typing import NDArray

CHUNK = 256
FEW = 64
ORIGINS = ("hand", "typed")
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
        Standard uncertainty in each direction, px; None takes the body's.
    origin : str
        How it came about: ``hand`` or ``typed``.
    aside : bool
        Set aside: kept and shown, not used.
    """

    frame: int
    x: float
    y: float
    u: float | None = None
    origin: str = "hand"
    aside: bool = False

    def __post_init__(self) -> None:
        # what is not a number fails every comparison
        valid = (
            0 <= self.frame < 2**31
            and -LARGEST_PX <= self.x <= LARGEST_PX
            and -LARGEST_PX <= self.y <= LARGEST_PX
            and (self.u is None or 0 < self.u < LARGEST_PX)
            and self.origin in ORIGINS
        )
        if not valid:
            raise ReadingError(say("readings.reading-frame-not-place", frame=self.frame))


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
        self._chunks: tuple[tuple[Reading, ...], ...] = tuple(
            tuple(ordered[i : i + CHUNK]) for i in range(0, len(ordered), CHUNK)
        )

    @classmethod
    def _of(cls, chunks: Iterable[tuple[Reading, ...]]) -> Readings:
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
        return isinstance(other, Readings) and (
            self._chunks == other._chunks or (len(self) == len(other) and list(self) == list(other))
        )

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

    def at(self, frame: int) -> Reading | None:
        """Give the reading in a frame, if there is one."""
        if not self._chunks:
            return None
        return next((r for r in self._chunks[self._place(frame)] if r.frame == frame), None)

    def with_reading(self, reading: Reading) -> Readings:
        """Add a reading, or replace the one in its frame."""
        if not self._chunks:
            return Readings([reading])
        i = self._place(reading.frame)
        rows = sorted(
            [*(r for r in self._chunks[i] if r.frame != reading.frame), reading], key=lambda r: r.frame
        )
        half = len(rows) // 2
        split = [tuple(rows)] if len(rows) <= CHUNK else [tuple(rows[:half]), tuple(rows[half:])]
        return Readings._of([*self._chunks[:i], *split, *self._chunks[i + 1 :]])

    def without(self, frame: int) -> Readings:
        """Leave out the reading in a frame."""
        if self.at(frame) is None:
            return self
        i = self._place(frame)
        rows = tuple(r for r in self._chunks[i] if r.frame != frame)
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
        placed, gone = list(placed), list(gone)
        if len(placed) + len(gone) <= FEW:
            made = self
            for frame in gone:
                made = made.without(frame)
            for reading in placed:
                made = made.with_reading(reading)
            return made
        rows = {r.frame: r for r in self}
        for frame in gone:
            rows.pop(frame, None)
        rows |= {r.frame: r for r in placed}
        return Readings(rows.values())

    @property
    def last_frame(self) -> int:
        """The highest frame read; −1 without readings."""
        return self._chunks[-1][-1].frame if self._chunks else -1

    @cached_property
    def used(self) -> ReadingColumns:
        """The readings that are not set aside, as columns."""
        return self._columns([r for r in self if not r.aside])

    def _columns(self, rows: list[Reading]) -> ReadingColumns:
        return ReadingColumns(
            np.array([r.frame for r in rows], dtype=np.int64),
            np.array([r.x for r in rows], dtype=float),
            np.array([r.y for r in rows], dtype=float),
            np.array([math.nan if r.u is None else r.u for r in rows], dtype=float),
        )

    def as_rows(self) -> list[list[Any]]:
        """Rows for the file: frame, x, y, u, origin, aside."""
        return [row_of_reading(r) for r in self]

    def as_lines(self) -> list[str]:
        """Each reading as a line of JSON; some hundred thousand of them are written one by one."""
        return [
            f'[{r.frame}, {r.x!r}, {r.y!r}, {"null" if r.u is None else repr(r.u)}, "{r.origin}", '
            f"{'true' if r.aside else 'false'}]"
            for r in self
        ]


@dataclass(frozen=True)
class ReadingColumns:
    """Readings as columns: frame (N,), x and y (N,) px, u (N,) px with NaN for the body's own."""

    frame: NDArray[np.int64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    u: NDArray[np.float64]

    def only(self, chosen: NDArray[np.bool_]) -> ReadingColumns:
        """The chosen ones, (N,)."""
        return ReadingColumns(self.frame[chosen], self.x[chosen], self.y[chosen], self.u[chosen])


def row_of_reading(r: Reading) -> list[Any]:
    """Give a reading as a row: frame, x, y, u, origin, aside."""
    return [r.frame, r.x, r.y, r.u, r.origin, r.aside]


def reading_of_row(row: object) -> Reading:
    """Check a row and make a reading of it.

    Raises
    ------
    ReadingError
        If anything in it is not as it should be.
    """
    return next(iter(_checked([row])))


_NUMBER = {int, float}
_KINDS: tuple[set[Any], ...] = ({int}, _NUMBER, _NUMBER, {*_NUMBER, type(None)}, {str}, {bool})
_MOST = 1e12


def _checked(rows: list[Any]) -> Iterator[Reading]:
    """Check rows column by column, which is quick, and make readings of them."""
    wrong = ReadingError(say("readings.readings-notebook-not-rows"))
    if set(map(type, rows)) - {list} or set(map(len, rows)) - {len(_KINDS)}:
        raise wrong
    columns = list(zip(*rows, strict=True)) or [()] * len(_KINDS)
    if any(set(map(type, column)) - kinds for column, kinds in zip(columns, _KINDS, strict=True)):
        raise wrong
    frame, x, y, u, origin, aside = columns
    stated = [value for value in u if value is not None]
    # a whole number may be too large for a float
    if any(not -_MOST < value < _MOST for column in (frame, x, y, stated) for value in column):
        raise wrong
    plain = map(float, x), map(float, y), (None if value is None else float(value) for value in u)
    return map(Reading, frame, *plain, origin, aside)


def readings_from_rows(rows: object) -> Readings:
    """Check rows of a file and make readings of them.

    Parameters
    ----------
    rows : object
        A list of [frame, x, y, u, origin, aside].

    Raises
    ------
    ReadingError
        If anything in it is not as it should be.
    """
    if isinstance(rows, Readings):
        return rows
    if not isinstance(rows, list) or len(rows) > MOST_READINGS:
        raise ReadingError(say("readings.readings-notebook-not-rows"))
    return Readings(_checked(rows))
