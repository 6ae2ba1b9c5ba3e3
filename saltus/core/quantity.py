"""Quantities: a value, its unit, and where each part of its uncertainty comes from.

A quantity holds, for every source, sensitivity × standard uncertainty of that source. Sources have a stable
identity (:mod:`saltus.core.sources`), so what two values share stays shared: ``x - x`` is exactly 0 ± 0.
Values may be arrays; a source may be a *family* of independent ones, told apart by keys (the readings of a
body by their frames): what is done to two arrays aligns by key (:mod:`saltus.core.shares`).
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.coverage import Coverage, Part, cover_95
from saltus.core.sentences import say
from saltus.core.shares import Elements, Single, covariance, covariance_by_row, known_together, shaped
from saltus.core.units import ONE, Unit, UnitError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping

    from numpy.typing import ArrayLike, NDArray

    from saltus.core.shares import Index, Share
    from saltus.core.sources import Source

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
        self.shares: dict[Source, Share] = dict(shares or {})

    # -- looking at it -------------------------------------------------------------------------------

    @property
    def sources(self) -> tuple[Source, ...]:
        """The sources this value depends on."""
        return tuple(self.shares)

    def __len__(self) -> int:
        return len(self.value)

    def __float__(self) -> float:
        return float(self.value)

    @cached_property
    def u(self) -> Array:
        """Standard uncertainty, shaped like the value, in its unit."""
        return self.u_of(self.shares)

    def u_from(self, *kinds: str) -> Array:
        """Standard uncertainty from the sources of the named kinds only, shaped like the value."""
        return self.u_of({source: share for source, share in self.shares.items() if source.kind in kinds})

    def u_of(self, shares: Mapping[Source, Share]) -> Array:
        """Standard uncertainty that some shares make together, shaped like the value, SI."""
        total = np.zeros(self.value.shape)
        for share in shares.values():
            total = total + share.variance(self.value.shape)
        return np.asarray(np.sqrt(total))

    def parts(self) -> dict[Source, float]:
        """Standard uncertainty from each source, for a single value."""
        return {source: float(np.sqrt(share.variance(()))) for source, share in self.shares.items()}

    def signed_elements(self) -> dict[tuple[Source, Any], float]:
        """Sensitivity × u of each source, and of each element of a family by its key, for a single value."""
        out: dict[tuple[Source, Any], float] = {}
        for source, share in self.shares.items():
            if isinstance(share, Single):
                out[source, None] = float(share.c)
            else:
                out |= {(source, k): float(c) for k, c in zip(share.key.tolist(), share.c, strict=True)}
        return out

    def coverage_parts(self, factors: Mapping[Source, float] | None = None) -> list[Part]:
        """What each source brings to a single value, for its coverage.

        Parameters
        ----------
        factors : mapping of Source to float, optional
            By which some sources are enlarged, dimensionless.

        Returns
        -------
        list of Part
            Sizes in the SI unit of the value, signs kept where sources meet.
        """
        parts: list[Part] = []
        for source, share in self.shares.items():
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
        for share in self.shares.values():
            out = out + covariance(share, size)
        return out

    def covariance_with(self, other: Quantity) -> Array:
        """Covariance of each value with the one at its place in another quantity of the same shape.

        Parameters
        ----------
        other : Quantity
            (N,) or single, as this one.

        Returns
        -------
        ndarray
            Shaped like the values, in the product of both units.
        """
        out = np.zeros(self.value.shape)
        for source, share in self.shares.items():
            beside = other.shares.get(source)
            if beside is not None:
                out = out + covariance_by_row(share, beside, self.value.shape)
        return out

    @cached_property
    def u_own(self) -> Array:
        """Standard uncertainty from elements of families that enter one value only: its own scatter."""
        return self.u_of(self.own)

    @cached_property
    def own(self) -> dict[Source, Share]:
        """Elements of families that enter one value only."""
        own: dict[Source, Share] = {}
        for source, share in self.shares.items():
            few = share.parted(1)[0] if isinstance(share, Elements) else None
            if few is not None:
                own[source] = few
        return own

    def apart(self) -> tuple[Quantity, Quantity]:
        """What each value has for itself of families (:attr:`u_own`), and the rest; both with the values."""
        return Quantity(self.value, self.unit, self.own), self.without_own()

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
        for source, share in self.shares.items():
            for side, part in zip(sides, share.parted(most), strict=True):
                if part is not None:
                    side[source] = part
        return Quantity(self.value, self.unit, sides[0]), Quantity(self.value, self.unit, sides[1])

    def independent(self, source: Source) -> bool:
        """Whether a source is a family of which no element enters two values."""
        share = self.shares[source]
        return isinstance(share, Elements) and share.alone

    # -- changing it ---------------------------------------------------------------------------------

    def __getitem__(self, index: Index) -> Quantity:
        size = self.value.size
        shares = {source: share.at(index, size) for source, share in self.shares.items()}
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
        return Quantity(w @ self.value, unit or self.unit, {s: p.weighed(w) for s, p in self.shares.items()})

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
        return Quantity(value, self.unit, {s: p.grouped(group, size) for s, p in self.shares.items()})

    def with_unit(self, unit: Unit) -> Quantity:
        """Give the same numbers another unit, for maps whose weights carry units.

        Parameters
        ----------
        unit : Unit
            Unchecked: the caller knows what the weights did.
        """
        return Quantity(self.value, unit, self.shares)

    def moved_to(self, value: ArrayLike) -> Quantity:
        """Another value with the same uncertainty.

        Parameters
        ----------
        value : array_like
            Shaped like the value, in its SI unit.
        """
        return Quantity(value, self.unit, self.shares)

    def with_source(self, source: Source, c: ArrayLike) -> Quantity:
        """Add a source common to all values.

        Parameters
        ----------
        source : Source
        c : array_like
            Sensitivity × standard uncertainty, broadcast to the shape of the value, in its SI unit.
        """
        coefficient = shaped(np.asarray(c, dtype=float), self.value.shape)
        return self + Quantity(np.zeros(self.value.shape), self.unit, {source: Single(coefficient)})

    def without_own(self) -> Quantity:
        """The same values with only what several of them share and what is common to all."""
        shares = {
            source: rest
            for source, share in self.shares.items()
            if (rest := share.parted(1)[1] if source in self.own else share) is not None
        }
        return Quantity(self.value, self.unit, shares)

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
        if not q.shares:
            continue
        d = slope if isinstance(slope, float) else shaped(np.asarray(slope, dtype=float), shape)
        for source, share in q.shares.items():
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
    """See that two quantities can be added.

    Parameters
    ----------
    a, b : Quantity
        Of any shape.

    Raises
    ------
    UnitError
        If their units do not go together.
    """
    if not a.unit.goes_with(b.unit):
        raise UnitError(say("quantity.other-unit", a=a.unit.text or "1", b=b.unit.text or "1"))


def require_valid(u: ArrayLike) -> None:
    """See that uncertainties can be.

    Parameters
    ----------
    u : array_like
        Standard uncertainties of any unit.

    Raises
    ------
    UncertaintyError
        If one is negative or not finite.
    """
    spread = np.asarray(u, dtype=float)
    if spread.size and not (spread.min() >= 0 and spread.max() < np.inf):
        raise UncertaintyError(say("quantity.negative-uncertainty"))
