"""Quantities: a value, its unit, and where each part of its uncertainty comes from.

A quantity holds, for every source, sensitivity × standard uncertainty of that source. Sources have a stable
identity (:mod:`saltus.core.sources`), so what two values share stays shared: ``x - x`` is exactly 0 ± 0.
Values may be arrays; a source may be a *family* of independent ones, told apart by keys (the readings of a
body by their frames): what is done to two arrays aligns by key (:mod:`saltus.core.shares`).
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.coverage import Coverage, Part, cover_95
from saltus.core.sentences import say
from saltus.core.shares import Elements, Single, covariance, covariance_by_row, known_together
from saltus.core.sources import Source, with_dof
from saltus.core.units import ONE, Unit, UnitError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping

    from numpy.typing import ArrayLike, NDArray

    from saltus.core.shares import Index, Share

    Array = NDArray[np.float64]

MANY_UNIFORM = 8.0
"""A sum of so many equal uniform parts cannot be told from a normal one (k = 1.95)."""


class UncertaintyError(ValueError):
    """A standard uncertainty that is negative or not a finite number."""


class Quantity:
    """A value or an array of values with unit and uncertainty.

    Parameters
    ----------
    value : array_like
        In SI units; a number or (N,).
    unit : Unit
    shares : mapping of Source to Share
        For internal use; build quantities with :mod:`saltus.core.quantities`.
    """

    __array_ufunc__ = None  # numpy leaves mixed arithmetic to this class

    def __init__(
        self, value: ArrayLike, unit: Unit = ONE, shares: Mapping[Source, Share] | None = None
    ) -> None:
        self.value: Array = np.asarray(value, dtype=float)
        self.unit = unit
        self._shares: dict[Source, Share] = dict(shares or {})

    # -- looking at it -------------------------------------------------------------------------------

    @property
    def sources(self) -> tuple[Source, ...]:
        """The sources this value depends on."""
        return tuple(self._shares)

    def __len__(self) -> int:
        return len(self.value)

    def __float__(self) -> float:
        return float(self.value)

    @cached_property
    def u(self) -> Array:
        """Standard uncertainty, shaped like the value, in its unit."""
        return self._u(self._shares)

    def u_from(self, *kinds: str) -> Array:
        """Standard uncertainty from the sources of the named kinds only, shaped like the value."""
        return self._u({source: share for source, share in self._shares.items() if source.kind in kinds})

    def _u(self, shares: Mapping[Source, Share]) -> Array:
        total = np.zeros(self.value.shape)
        for share in shares.values():
            total = total + share.variance(self.value.shape)
        return np.asarray(np.sqrt(total))

    def parts(self) -> dict[Source, float]:
        """Standard uncertainty from each source, for a single value."""
        return {source: float(np.sqrt(share.variance(()))) for source, share in self._shares.items()}

    def signed_elements(self) -> dict[tuple[Source, Any], float]:
        """Sensitivity × u of each source, and of each element of a family by its key, for a single value."""
        out: dict[tuple[Source, Any], float] = {}
        for source, share in self._shares.items():
            if isinstance(share, Single):
                out[source, None] = float(share.c)
            else:
                out |= {(source, k): float(c) for k, c in zip(share.key.tolist(), share.c, strict=True)}
        return out

    def coverage_parts(self, factors: Mapping[Source, float] | None = None) -> list[Part]:
        """Contributions to a single value as its interval sees them, some sources a factor as large.

        The sum of many independent uniform parts, such as the stamps of many frames, is normal.
        """
        parts: list[Part] = []
        for source, share in self._shares.items():
            factor = (factors or {}).get(source, 1.0)
            u = float(np.sqrt(share.variance(()))) * factor
            if source.shape != "uniform" or isinstance(share, Single) or not u > 0:
                parts.append(Part(u, source.shape, source.dof))
                continue
            squares = share.c**2
            if float(squares.sum()) ** 2 >= MANY_UNIFORM * float(squares @ squares):
                parts.append(Part(u))
            else:
                parts += [Part(abs(float(c)) * factor, "uniform") for c in share.c]
        return parts

    @cached_property
    def coverage(self) -> Coverage:
        """The 95 % half-width of a single value with k and degrees of freedom."""
        return cover_95(self.coverage_parts())

    @property
    def U95(self) -> float:
        """Half-width of the 95 % interval of a single value."""
        return self.coverage.U95

    def covariance(self) -> Array:
        """Covariance matrix (N, N) of an array of N values."""
        size = self.value.size
        out = np.zeros((size, size))
        for share in self._shares.values():
            out = out + covariance(share, size)
        return out

    def covariance_with(self, other: Quantity) -> Array:
        """Covariance of each value with the one at its place in another of the same shape."""
        out = np.zeros(self.value.shape)
        for source, share in self._shares.items():
            beside = other._shares.get(source)
            if beside is not None:
                out = out + covariance_by_row(share, beside, self.value.shape)
        return out

    @cached_property
    def u_own(self) -> Array:
        """Standard uncertainty from elements of families that enter one value only: its own scatter."""
        return self._u(self._own)

    @cached_property
    def _own(self) -> dict[Source, Share]:
        own: dict[Source, Share] = {}
        for source, share in self._shares.items():
            few = share.parted(1)[0] if isinstance(share, Elements) else None
            if few is not None:
                own[source] = few
        return own

    def apart(self) -> tuple[Quantity, Quantity]:
        """What each value has for itself of families (:attr:`u_own`), and the rest; both with the values."""
        return Quantity(self.value, self.unit, self._own), self.without_own()

    def split(self, most: int = 1) -> tuple[Quantity, Quantity]:
        """Take an array apart: what each value has for itself, and what many share.

        Parameters
        ----------
        most : int
            A source, or element of a family, that enters at most so many values counts as their own.

        Returns
        -------
        own, common : Quantity
            Both with the same values.
        """
        sides: tuple[dict[Source, Share], dict[Source, Share]] = ({}, {})
        for source, share in self._shares.items():
            for side, part in zip(sides, share.parted(most), strict=True):
                if part is not None:
                    side[source] = part
        return Quantity(self.value, self.unit, sides[0]), Quantity(self.value, self.unit, sides[1])

    def independent(self, source: Source) -> bool:
        """Whether a source is a family of which no element enters two values."""
        share = self._shares[source]
        return isinstance(share, Elements) and share.alone

    # -- changing it ---------------------------------------------------------------------------------

    def __getitem__(self, index: Index) -> Quantity:
        size = self.value.size
        shares = {source: share.at(index, size) for source, share in self._shares.items()}
        return Quantity(self.value[index], self.unit, shares)

    def weighed(self, weights: ArrayLike, unit: Unit | None = None) -> Quantity:
        """Apply a linear map to an array of values.

        Parameters
        ----------
        weights : (M, N) or (N,) array_like
        unit : Unit, optional
            Of the outcome, when the weights carry one.
        """
        w = np.asarray(weights, dtype=float)
        return Quantity(w @ self.value, unit or self.unit, {s: p.weighed(w) for s, p in self._shares.items()})

    def grouped(self, group: NDArray[np.int_], count: int) -> Quantity:
        """Give the mean of each group of values.

        Parameters
        ----------
        group : (N,) ndarray of int
            Which group each value belongs to, 0 to count − 1, none empty.
        count : int
        """
        size = np.bincount(group, minlength=count).astype(float)
        value = np.bincount(group, self.value, count) / size
        return Quantity(value, self.unit, {s: p.grouped(group, size) for s, p in self._shares.items()})

    def with_unit(self, unit: Unit) -> Quantity:
        """Give the same numbers another unit, for maps whose weights carry units."""
        return Quantity(self.value, unit, self._shares)

    def moved_to(self, value: ArrayLike) -> Quantity:
        """Another value of the same shape with the same uncertainty."""
        return Quantity(value, self.unit, self._shares)

    def with_source(self, source: Source, c: ArrayLike) -> Quantity:
        """Add a source common to all values, with sensitivity × u shaped like the value."""
        coefficient = np.broadcast_to(np.asarray(c, dtype=float), self.value.shape)
        return self + Quantity(np.zeros(self.value.shape), self.unit, {source: Single(coefficient)})

    def with_family(self, source: Source, c: ArrayLike, keys: ArrayLike) -> Quantity:
        """Add a family of which each value has one element, with sensitivity × u of each, signed.

        Parameters
        ----------
        source : Source
        c : (N,) array_like
        keys : (N,) array_like
            Which element, no two alike.
        """
        return self + members(np.zeros(self.value.shape), c, self.unit, source, keys)

    def without_own(self) -> Quantity:
        """The same values with only what several of them share and what is common to all."""
        shares = {
            source: rest
            for source, share in self._shares.items()
            if (rest := share.parted(1)[1] if source in self._own else share) is not None
        }
        return Quantity(self.value, self.unit, shares)

    def known_with(self, dof: float) -> Quantity:
        """The same values, the size of what each has for itself known with so many degrees of freedom."""
        shares = {with_dof(s, dof) if s in self._own else s: share for s, share in self._shares.items()}
        return Quantity(self.value, self.unit, shares)

    def only(self, source: Source) -> Quantity:
        """The same value with what one source brings to it."""
        return Quantity(self.value, self.unit, {source: self._shares[source]})

    def unsure(self, source: Source) -> Quantity:
        """The same value with a part of its uncertainty that is not known (NaN)."""
        return self.with_source(source, self.value * math.nan)

    def widened(self, factor: float) -> Quantity:
        """The same value with every part of its uncertainty ``factor`` times as large."""
        d = np.full(self.value.shape, factor)
        return Quantity(self.value, self.unit, {s: p.times(d) for s, p in self._shares.items()})

    def lumped(self, source: Source) -> Quantity:
        """The same single value with all that families bring to it in one source."""
        single = {s: share for s, share in self._shares.items() if isinstance(share, Single)}
        u = self._u({s: share for s, share in self._shares.items() if s not in single})
        return Quantity(self.value, self.unit, {**single, source: Single(u)} if u > 0 else single)

    def in_one(self, u: float, source: Source) -> Quantity:
        """The same single value with all of its uncertainty u in one source."""
        return Quantity(self.value, self.unit, {source: Single(np.asarray(float(u)))})

    def with_correlated(self, covariance: Array, source: Source) -> Quantity:
        """Add a family that enters an array of N values with a covariance (N, N), keyed 0 to N − 1."""
        vectors, sizes = np.linalg.svd(covariance, hermitian=True)[:2]
        root = vectors * np.sqrt(np.maximum(sizes, 0))
        row, key = np.nonzero(root)
        share = Elements(row, key, root[row, key])
        return self + Quantity(np.zeros(self.value.shape), self.unit, {source: share})

    # -- arithmetic ----------------------------------------------------------------------------------

    def __add__(self, other: Quantity | float) -> Quantity:
        b = _as_quantity(other)
        require_same(self, b)
        return _combine(self.value + b.value, self.unit, ((self, 1.0), (b, 1.0)))

    def __sub__(self, other: Quantity | float) -> Quantity:
        b = _as_quantity(other)
        require_same(self, b)
        return _combine(self.value - b.value, self.unit, ((self, 1.0), (b, -1.0)))

    def __mul__(self, other: Quantity | ArrayLike) -> Quantity:
        b = _as_quantity(other)
        return _combine(self.value * b.value, self.unit * b.unit, ((self, b.value), (b, self.value)))

    def __truediv__(self, other: Quantity | ArrayLike) -> Quantity:
        b = _as_quantity(other)
        value = self.value / b.value
        return _combine(value, self.unit / b.unit, ((self, 1 / b.value), (b, -value / b.value)))

    def __pow__(self, power: float) -> Quantity:
        # x⁰ is 1 whatever x is, also at 0
        slope = power * self.value ** (power - 1) if power else np.zeros(self.value.shape)
        return _combine(self.value**power, self.unit**power, ((self, slope),))

    def __neg__(self) -> Quantity:
        return self * -1.0

    def __radd__(self, other: float) -> Quantity:
        return self + other

    def __rsub__(self, other: float) -> Quantity:
        return -self + other

    def __rmul__(self, other: ArrayLike) -> Quantity:
        return self * other

    def __rtruediv__(self, other: ArrayLike) -> Quantity:
        return _as_quantity(other) / self

    def __repr__(self) -> str:
        return f"Quantity({self.value!r} ± {self.u!r} {self.unit.ascii})"


def members(values: Array, c: ArrayLike, unit: Unit, source: Source, keys: ArrayLike) -> Quantity:
    """Make an array (N,) of which each value has its own element, c times it, of a family."""
    coefficients = np.broadcast_to(np.asarray(c, dtype=float), values.shape)
    row, key = np.arange(values.size), np.asarray(keys)
    some = coefficients != 0
    if not some.all():
        row, key, coefficients = row[some], key[some], coefficients[some]
    return Quantity(values, unit, {source: Elements(row, key, coefficients)} if len(row) else {})


def apply(
    function: Callable[[Array], Array], derivative: Callable[[Array], Array], x: Quantity, unit: Unit
) -> Quantity:
    """Apply a function to each value, linearised at the value.

    Parameters
    ----------
    function, derivative : callable
        Of an array in the SI unit of x.
    x : Quantity
    unit : Unit
        Of the outcome.
    """
    return _combine(function(x.value), unit, ((x, derivative(x.value)),))


def _combine(value: Array, unit: Unit, terms: Iterable[tuple[Quantity, Array | float]]) -> Quantity:
    shape = np.shape(value)
    shares: dict[Source, tuple[Source, Share]] = {}
    for q, slope in terms:
        if not q._shares:  # noqa: SLF001
            continue
        d = np.broadcast_to(np.asarray(slope, dtype=float), shape)
        for source, share in q._shares.items():  # noqa: SLF001
            grown = share.spread(q.value.shape, shape).times(d)
            if source in shares:
                called, before = shares[source]
                shares[source] = (known_together(called, [before], source, grown), before.plus(grown))
            else:
                shares[source] = (source, grown)
    return Quantity(value, unit, dict(shares.values()))


def _as_quantity(x: Quantity | ArrayLike) -> Quantity:
    return x if isinstance(x, Quantity) else Quantity(x)


def require_same(a: Quantity, b: Quantity) -> None:
    """Raise UnitError where two quantities cannot be added."""
    if not a.unit.goes_with(b.unit):
        raise UnitError(say("quantity.other-unit", a=a.unit.text or "1", b=b.unit.text or "1"))


def require_valid(u: ArrayLike) -> None:
    """Raise UncertaintyError where an uncertainty is negative or not finite."""
    spread = np.asarray(u, dtype=float)
    if not np.all(np.isfinite(spread)) or np.any(spread < 0):
        raise UncertaintyError(say("quantity.negative-uncertainty"))
