"""Readings as columns of numbers, put together from chunks that most edits leave as they are."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

STATUSES = ("used", "weak", "aside")
_PLACE = {name: i for i, name in enumerate(STATUSES)}


@dataclass(frozen=True)
class ReadingColumns:
    """Readings as columns.

    Attributes
    ----------
    frame : (N,) ndarray of int
    x, y : (N,) ndarray
        px
    u_x, u_y : (N,) ndarray
        px; NaN takes the body's.
    run : (N,) ndarray of str
        Empty where it was not followed.
    status : (N,) ndarray of int
        Place in :data:`STATUSES`.
    followed : (N,) ndarray of bool
        Whether it came from following, and nobody has placed it since.
    """

    frame: NDArray[np.int64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    u_x: NDArray[np.float64]
    u_y: NDArray[np.float64]
    run: NDArray[np.object_]
    status: NDArray[np.int8]
    followed: NDArray[np.bool_]

    def only(self, chosen: NDArray[np.bool_] | NDArray[np.intp] | slice) -> ReadingColumns:
        """The chosen ones, by a mask (N,), by their places or from one to another."""
        return ReadingColumns(*(getattr(self, one.name)[chosen] for one in fields(self)))

    def with_many(self, placed: ReadingColumns, gone: Sequence[int]) -> ReadingColumns:
        """With more in order of the frames or in place of those in their frames, and without some.

        Parameters
        ----------
        placed : ReadingColumns
            In order of the frames.
        gone : sequence of int
            Frames.
        """
        frames = np.concatenate([placed.frame, np.asarray(gone, dtype=np.int64)])
        if not frames.size:
            return self
        start, end = np.searchsorted(self.frame, [frames.min(), frames.max() + 1])
        part = self.only(slice(start, end))
        part = joined([part.only(~np.isin(part.frame, frames)), placed])
        part = part.only(np.argsort(part.frame, kind="stable"))
        return joined([self.only(slice(0, start)), part, self.only(slice(end, None))])

    def of(self, status: str) -> ReadingColumns:
        """Those with a status."""
        alike = self.status == STATUSES.index(status)
        return self if alike.all() else self.only(alike)


def columns_of(rows: Sequence[Any]) -> ReadingColumns:
    """Give readings (:class:`saltus.notebook.readings.Reading`) as columns."""
    names = ("frame", "x", "y", "u", "origin", "status", "u_y", "run")
    return columns_of_lists(*([getattr(row, name) for row in rows] for name in names))


def columns_of_lists(
    frame: Sequence[int], x: Sequence[float], y: Sequence[float], u: Sequence[float | None],
    origin: Sequence[str], status: Sequence[str], u_y: Sequence[float | None], run: Sequence[str | None],
) -> ReadingColumns:  # fmt: skip
    """Give lists of what readings say as columns."""
    right = np.array(u, dtype=float)
    down = np.array(u_y, dtype=float)
    return ReadingColumns(
        np.array(frame, dtype=np.int64),
        np.array(x, dtype=float),
        np.array(y, dtype=float),
        right,
        np.where(np.isnan(down), right, down),
        np.array([name or "" for name in run], dtype=object),
        np.array([_PLACE[name] for name in status], dtype=np.int8),
        np.array([name == "followed" for name in origin], dtype=bool),
    )


def joined(parts: Sequence[ReadingColumns]) -> ReadingColumns:
    """Put columns one behind the other."""
    if not parts:
        return columns_of(())
    return ReadingColumns(
        *(np.concatenate([getattr(part, one.name) for part in parts]) for one in fields(ReadingColumns))
    )
