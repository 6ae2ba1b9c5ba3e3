"""How a source enters an array of values: one source for all of them, or elements of a family, sparsely.

A family is many independent sources under one name (the readings of a body, the stamps of the frames of a
take), told apart by keys (frame numbers, ids of rows). Only the elements that enter a value are held, so an
array of 10,000 readings costs three columns of 10,000 numbers, whatever is done to it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.sources import Source, with_dof

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Keys = NDArray[Any]
    Index = int | slice | NDArray[np.int_] | NDArray[np.bool_]


class FamilyError(TypeError):
    """A source used once as a single one and once as a family: a fault of the program."""


@dataclass(frozen=True, eq=False)
class Single:
    """One source that enters every value; ``c``: sensitivity × u, shaped like the value."""

    c: Array

    def times(self, d: Array | float) -> Single:
        """Multiply each value's coefficient.

        Parameters
        ----------
        d : ndarray or float
            Shaped like the value, or one for all, SI.
        """
        return self if isinstance(d, float) and d == 1 else Single(np.asarray(d * self.c))

    def plus(self, other: Share) -> Single:
        """Add the coefficients of another value that the same source enters."""
        if not isinstance(other, Single):
            raise FamilyError("one source is no family")
        return Single(self.c + other.c)

    def spread(self, old: tuple[int, ...], new: tuple[int, ...]) -> Single:
        """Repeat a single value to a shape."""
        return self if old == new else Single(np.broadcast_to(self.c, new))

    def at(self, index: Index, size: int) -> Single:
        """Take some of the values."""
        return Single(np.asarray(self.c[index]))

    def moved(self, start: int, size: int) -> Single:
        """Put the values into a longer array, from a row on."""
        out = np.zeros(size)
        out[start : start + self.c.size] = self.c
        return Single(out)

    def weighed(self, weights: Array) -> Single:
        """Apply a linear map to the values.

        Parameters
        ----------
        weights : (M, N) or (N,) ndarray
            SI; gives M values or one.
        """
        return Single(np.asarray(weights @ self.c))

    def grouped(self, group: NDArray[np.int_], size: Array) -> Single:
        """Average the values of each group.

        Parameters
        ----------
        group : (N,) ndarray of int
            Group of each value, 0 to L − 1.
        size : (L,) ndarray
            How many each has.
        """
        return Single(np.bincount(group, self.c, len(size)) / size)

    def variance(self, shape: tuple[int, ...]) -> Array:
        """Square sum of the coefficients.

        Parameters
        ----------
        shape : tuple of int
            Of the value: () or (N,).

        Returns
        -------
        ndarray
            Shaped so, in the square of the SI unit.
        """
        return np.asarray(self.c**2)

    def parted(self, most: int) -> tuple[Single | None, Single | None]:
        """Tell apart what enters at most so many values, and the rest."""
        return (self, None) if int(np.count_nonzero(self.c)) <= most else (None, self)


@dataclass(frozen=True, eq=False)
class Elements:
    """Elements of a family that enter an array of values.

    Attributes
    ----------
    row : (M,) ndarray of int
        Which value, ascending; 0 for a single value. No element stands twice in one row.
    key : (M,) ndarray
        Which element: all whole numbers, or all words.
    c : (M,) ndarray
        Sensitivity × u.
    """

    row: NDArray[np.int_]
    key: Keys
    c: Array

    @cached_property
    def _known(self) -> tuple[Keys, NDArray[np.int_]]:
        """The different keys (K,), and the place of each element's key among them (M,)."""
        if (self.key[1:] > self.key[:-1]).all():
            # each its own, in order, as those of readings are
            return self.key, np.arange(len(self.key))
        keys, place = np.unique(self.key, return_inverse=True)
        return keys, place.reshape(-1)

    @property
    def alone(self) -> bool:
        """Whether each element enters one value only."""
        return len(self._known[0]) == len(self.key)

    def times(self, d: Array | float) -> Elements:
        """Multiply each value's coefficient.

        Parameters
        ----------
        d : ndarray or float
            Shaped like the value, or one for all, SI.
        """
        if isinstance(d, float):
            return self if d == 1 else Elements(self.row, self.key, d * self.c)
        return Elements(self.row, self.key, np.asarray(d).reshape(-1)[self.row] * self.c)

    def plus(self, other: Share) -> Elements:
        """Add the coefficients of other values; elements align by their keys."""
        if not isinstance(other, Elements):
            raise FamilyError("a family is not one source")
        if self.row is other.row and self.key is other.key:
            return Elements(self.row, self.key, self.c + other.c)
        if np.array_equal(self.row, other.row) and np.array_equal(self.key, other.key):
            return Elements(self.row, self.key, self.c + other.c)
        joined = [np.concatenate(pair) for pair in ((self.row, other.row), (self.key, other.key))]
        return _merged(joined[0], joined[1], np.concatenate([self.c, other.c]))

    def spread(self, old: tuple[int, ...], new: tuple[int, ...]) -> Elements:
        """Repeat a single value to a shape."""
        if old == new or not new:
            return self
        rows, many = int(new[0]), len(self.key)
        row = np.repeat(np.arange(rows), many)
        return Elements(row, np.tile(self.key, rows), np.tile(self.c, rows))

    def at(self, index: Index, size: int) -> Elements:
        """Take some of the values; a single one is found without looking at the others."""
        if isinstance(index, int | np.integer):
            place = int(index) + (size if index < 0 else 0)
            some = slice(self.row.searchsorted(place), self.row.searchsorted(place, "right"))
            c = self.c[some]
            return Elements(np.zeros(c.size, dtype=np.int_), self.key[some], c)
        wanted = np.arange(size)[index]
        low = np.searchsorted(self.row, wanted)
        counts = np.searchsorted(self.row, wanted, side="right") - low
        before = np.concatenate([[0], np.cumsum(counts)[:-1]]) if len(counts) else counts
        take = np.arange(int(counts.sum())) + np.repeat(low - before, counts)
        return Elements(np.repeat(np.arange(len(wanted)), counts), self.key[take], self.c[take])

    def moved(self, start: int, size: int) -> Elements:
        """Put the values into a longer array, from a row on."""
        return Elements(self.row + start, self.key, self.c)

    def weighed(self, weights: Array) -> Elements:
        """Apply a linear map to the values.

        Parameters
        ----------
        weights : (M, N) or (N,) ndarray
            SI; gives M values or one.
        """
        keys, place = self._known
        sums = (weights if weights.ndim == 2 else weights[None])[:, self.row] * self.c
        if keys is not self.key:
            sums = np.array([np.bincount(place, each, len(keys)) for each in sums])
        row, column = np.nonzero(sums)
        return Elements(row, keys[column], sums[row, column])

    def grouped(self, group: NDArray[np.int_], size: Array) -> Elements:
        """Average the values of each group.

        Parameters
        ----------
        group : (N,) ndarray of int
            Group of each value, 0 to L − 1.
        size : (L,) ndarray
            How many each has.
        """
        row = group[self.row]
        return _merged(row, self.key, self.c / size[row])

    def variance(self, shape: tuple[int, ...]) -> Array:
        """Square sum of the coefficients.

        Parameters
        ----------
        shape : tuple of int
            Of the value: () or (N,).

        Returns
        -------
        ndarray
            Shaped so, in the square of the SI unit.
        """
        squares = np.bincount(self.row, self.c**2, int(shape[0]) if shape else 1)
        return np.asarray(squares if shape else squares[0])

    def placed(self, row: int) -> Elements:
        """Put a single value into a row of an array."""
        return Elements(np.full(len(self.row), row), self.key, self.c)

    def parted(self, most: int) -> tuple[Elements | None, Elements | None]:
        """Tell apart the elements that enter at most so many values, and the others."""
        keys, place = self._known
        if keys is self.key and most >= 1:
            return self._only(np.ones(len(keys), dtype=bool)), None
        entered = np.bincount(place, self.c != 0, len(keys))
        few = entered[place] <= most
        return self._only(few), self._only(~few)

    def _only(self, some: NDArray[np.bool_]) -> Elements | None:
        if some.all():
            return self if some.size else None
        return Elements(self.row[some], self.key[some], self.c[some]) if some.any() else None

    def root(self) -> tuple[Keys, Array]:
        """Keys (K,) and, for N values, the matrix (N, K) of their coefficients."""
        keys, place = self._known
        table = np.zeros((int(self.row.max(initial=-1)) + 1, len(keys)))
        table[self.row, place] = self.c
        return keys, table


Share = Single | Elements


def _merged(row: NDArray[np.int_], key: Keys, c: Array) -> Elements:
    """Entries in order, those of one element in one row added up."""
    keys, place = np.unique(key, return_inverse=True)
    code, of = np.unique(row * max(len(keys), 1) + place.reshape(-1), return_inverse=True)
    if not len(keys):
        return Elements(row, key, c)
    sums = np.asarray(np.bincount(of.reshape(-1), c, len(code)), dtype=np.float64)
    return Elements(code // len(keys), keys[code % len(keys)], sums)


def shaped(array: Array, shape: tuple[int, ...]) -> Array:
    """Repeat an array to a shape, where it does not have it already.

    Parameters
    ----------
    array : ndarray
        Of any unit.
    shape : tuple of int
    """
    return array if array.shape == shape else np.broadcast_to(array, shape)


def covariance(share: Share, size: int) -> Array:
    """Covariance that one source brings to an array of values.

    Parameters
    ----------
    share : Share
    size : int
        N, how many values.

    Returns
    -------
    (N, N) ndarray
        In the square of their SI unit.
    """
    if isinstance(share, Single):
        return np.outer(share.c, share.c)
    out = np.diag(share.variance((size,)))
    shared = share.parted(1)[1]
    if shared is not None:
        _keys, table = shared.root()
        whole = np.zeros((size, table.shape[1]))
        whole[: len(table)] = table
        off = whole @ whole.T
        np.fill_diagonal(off, 0.0)
        out += off
    return np.asarray(out)


def covariance_by_row(a: Share, b: Share, shape: tuple[int, ...]) -> Array:
    """Covariance of each value with the one at its place, for one source that enters both arrays.

    Parameters
    ----------
    a, b : Share
        What it brings to either.
    shape : tuple of int
        Of both: () or (N,).

    Returns
    -------
    ndarray
        Shaped so, in the product of both SI units.

    Raises
    ------
    FamilyError
        If it is a family in one and single in the other: a fault of the program.
    """
    if isinstance(a, Single) and isinstance(b, Single):
        return np.asarray(a.c * b.c)
    if isinstance(a, Single) or isinstance(b, Single):
        raise FamilyError("one source is no family")
    keys = np.unique(np.concatenate([a.key, b.key]))
    of_a, of_b = (e.row * max(len(keys), 1) + np.searchsorted(keys, e.key) for e in (a, b))
    _both, i, j = np.intersect1d(of_a, of_b, assume_unique=True, return_indices=True)
    sums = np.bincount(a.row[i], a.c[i] * b.c[j], int(shape[0]) if shape else 1)
    return np.asarray(sums if shape else sums[0])


def stacked_shares(parts: list[tuple[int, Share]], size: int) -> Share:
    """Join what one source brings to single values, by the row each of them goes to."""
    first = parts[0][1]
    if isinstance(first, Single):
        c = np.zeros(size)
        for row, share in parts:
            if not isinstance(share, Single):
                raise FamilyError("one source is no family")
            c[row] = share.c
        return Single(c)
    elements = [share.placed(row) for row, share in parts if isinstance(share, Elements)]
    if len(elements) < len(parts):
        raise FamilyError("a family is not one source")
    return Elements(
        np.concatenate([e.row for e in elements]),
        np.concatenate([e.key for e in elements]),
        np.concatenate([e.c for e in elements]),
    )


def known_together(one: Source, has: list[Share], other: Source, brings: Share) -> Source:
    """One source of which two estimates with other degrees of freedom meet (Welch and Satterthwaite)."""
    if one.dof == other.dof or not has:
        return one
    a, b = sum(_size(share) for share in has), _size(brings)
    below = a**2 / one.dof + b**2 / other.dof
    return with_dof(one, (a + b) ** 2 / below if below > 0 else math.inf) if a + b > 0 else one


def _size(share: Share) -> float:
    return float(np.sum(share.c**2))
