"""Quantities: a value, its unit, and where each part of its uncertainty comes from.

A quantity holds, for every source, sensitivity × standard uncertainty of that source. Sources have a stable
identity, so what two values share stays shared: ``x - x`` is exactly 0 ± 0. Values may be arrays; a source
may be a *family* of independent sources, one per element (the readings of a body).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.coverage import Coverage, Part, Shape, cover_95
from saltus.core.units import ONE, Unit, UnitError
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping

    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]

Kind = Literal["reading", "scale", "timing", "reaction", "instruments"]
"""Groups of the limit bar: reading; scale or length; timing; reaction or angle; instruments or masses."""


MOST_FULL = 3000
"""Arrays with more values than this keep no matrix of which value shares what with which."""


class UncertaintyError(ValueError):
    """A standard uncertainty that is negative or not a finite number."""


@dataclass(frozen=True)
class Source:
    """Where a part of an uncertainty comes from; two sources are the same when their ids are.

    Attributes
    ----------
    id : str
        Stable name, such as ``take-1/scale/length``.
    kind : Kind
        The group it is shown under.
    label : str
        Words for people.
    shape, dof
        Distribution and degrees of freedom (infinite: not limited). A family of shape ``t`` shares its
        degrees of freedom.
    """

    id: str
    kind: Kind = field(default="instruments", compare=False)
    label: str = field(default="", compare=False)
    shape: Shape = field(default="normal", compare=False)
    dof: float = field(default=math.inf, compare=False)


@dataclass(frozen=True)
class _Share:
    """How a source enters: ``one`` source for all, its ``own`` per element, or a ``full`` matrix.

    ``one``: coefficients like the value. ``own``: (N,) for a value (N,). ``full``: value shape + (K,).
    """

    layout: Literal["one", "own", "full"]
    c: Array

    def times(self, d: Array) -> _Share:
        return _Share(self.layout, (d[..., None] if self.layout == "full" else d) * self.c)

    def full(self) -> _Share:
        if self.layout == "full":
            return self
        return _Share("full", np.diag(self.c) if self.layout == "own" else self.c[..., None])

    def plus(self, other: _Share) -> _Share:
        if self.layout == other.layout:
            return _Share(self.layout, self.c + other.c)
        return _Share("full", self.full().c + other.full().c)

    def spread(self, shape: tuple[int, ...]) -> _Share:
        if self.layout == "own":
            return self
        k = self.c.shape[-1:] if self.layout == "full" else ()
        return _Share(self.layout, np.broadcast_to(self.c, shape + k))

    def at(self, index: int | slice | NDArray[np.int_]) -> _Share:
        if self.layout == "own":
            return _Share("full", np.diag(self.c)[index])
        return _Share(self.layout, np.asarray(self.c[index]))

    def weighed(self, weights: Array) -> _Share:
        if self.layout == "own":
            return _Share("full", weights * self.c)
        return _Share(self.layout, weights @ self.c)

    def variance(self) -> Array:
        return np.asarray((self.c**2).sum(axis=-1) if self.layout == "full" else self.c**2)


class Quantity:
    """A value or an array of values with unit and uncertainty.

    Parameters
    ----------
    value : array_like
        In SI units.
    unit : Unit
    shares : mapping of Source to share
        For internal use; build quantities with :func:`exact`, :func:`measured` and :func:`family`.
    """

    __array_ufunc__ = None  # numpy leaves mixed arithmetic to this class

    def __init__(
        self, value: ArrayLike, unit: Unit = ONE, shares: Mapping[Source, _Share] | None = None
    ) -> None:
        self.value: Array = np.asarray(value, dtype=float)
        self.unit = unit
        self._shares: dict[Source, _Share] = dict(shares or {})

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
        total = np.zeros(self.value.shape)
        for share in self._shares.values():
            total = total + share.variance()
        return np.asarray(np.sqrt(total))

    def u_from(self, *kinds: str) -> Array:
        """Standard uncertainty from the sources of the named kinds only, shaped like the value."""
        total = np.zeros(self.value.shape)
        for source, share in self._shares.items():
            if source.kind in kinds:
                total = total + share.variance()
        return np.asarray(np.sqrt(total))

    def parts(self) -> dict[Source, float]:
        """Standard uncertainty from each source, for a single value."""
        return {source: float(np.sqrt(share.variance())) for source, share in self._shares.items()}

    def signed_parts(self) -> dict[Source, float]:
        """Sensitivity × standard uncertainty of each source, for a single value."""
        return {
            s: float(p.c.sum() if p.c.size == 1 else np.sqrt(p.variance())) for s, p in self._shares.items()
        }

    @cached_property
    def coverage(self) -> Coverage:
        """The 95 % half-width of a single value with k and degrees of freedom."""
        return cover_95([Part(u, s.shape, s.dof) for s, u in self.parts().items()])

    @property
    def U95(self) -> float:
        """Half-width of the 95 % interval of a single value."""
        return self.coverage.U95

    def covariance(self) -> Array:
        """Covariance matrix (N, N) of an array of N values."""
        out = np.zeros((self.value.size, self.value.size))
        for share in self._shares.values():
            c = share.full().c
            out = out + c @ c.T
        return out

    # -- changing it ---------------------------------------------------------------------------------

    def __getitem__(self, index: int | slice | NDArray[np.int_]) -> Quantity:
        shares: dict[Source, _Share] = {}
        for source, share in self._shares.items():
            if share.layout == "own" and self.value.size > MOST_FULL and not isinstance(index, int):
                # too many for a matrix: the part has sources of its own, independent as before
                part = Source(f"{source.id}/part", source.kind, source.label, source.shape, source.dof)
                shares[part] = _Share("own", np.asarray(share.c[index]))
            else:
                shares[source] = share.at(index)
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

    def with_unit(self, unit: Unit) -> Quantity:
        """Give the same numbers another unit, for maps whose weights carry units."""
        return Quantity(self.value, unit, self._shares)

    def with_source(self, source: Source, c: ArrayLike) -> Quantity:
        """Add a source common to all values, with sensitivity × u shaped like the value."""
        coefficient = np.broadcast_to(np.asarray(c, dtype=float), self.value.shape)
        return self + Quantity(np.zeros(self.value.shape), self.unit, {source: _Share("one", coefficient)})

    @cached_property
    def u_own(self) -> Array:
        """Standard uncertainty from what is independent for each value: its scatter about a smooth motion."""
        total = np.zeros(self.value.shape)
        for share in self._shares.values():
            if share.layout == "own":
                total = total + share.c**2
        return np.asarray(np.sqrt(total))

    def with_own(self, u: ArrayLike, source: Source) -> Quantity:
        """Replace all that is independent for each value by one family of standard uncertainties u."""
        shares = {s: p for s, p in self._shares.items() if p.layout != "own"}
        shares[source] = _Share("own", np.broadcast_to(np.asarray(u, dtype=float), self.value.shape))
        return Quantity(self.value, self.unit, shares)

    def split(self, most: int = 1) -> tuple[Quantity, Quantity]:
        """Take an array apart: what each value has for itself, and what many share.

        Parameters
        ----------
        most : int
            A source element that enters at most so many values counts as their own.

        Returns
        -------
        own, common : Quantity
            Both with the same values.
        """
        own: dict[Source, _Share] = {}
        common: dict[Source, _Share] = {}
        for source, share in self._shares.items():
            if share.layout == "own":
                own[source] = share
                continue
            c = share.full().c
            few = (c != 0).sum(axis=0) <= most
            if few.any():
                own[source] = _Share("full", np.where(few, c, 0.0))
            if not few.all():
                common[source] = _Share("full", np.where(few, 0.0, c))
        return Quantity(self.value, self.unit, own), Quantity(self.value, self.unit, common)

    def covariance_with(self, other: Quantity) -> Array:
        """Covariance of each value with the one at its place in another array, (N,)."""
        out = np.zeros(self.value.shape)
        for source, share in self._shares.items():
            beside = other._shares.get(source)
            if beside is None:
                continue
            if share.layout == beside.layout:
                product = share.c * beside.c
                out = out + (product.sum(axis=-1) if share.layout == "full" else product)
            else:
                out = out + (share.full().c * beside.full().c).sum(axis=-1)
        return out

    def grouped(self, group: NDArray[np.int_], count: int) -> Quantity:
        """Give the mean of each group of values; what was each value's own becomes each group's own.

        Parameters
        ----------
        group : (N,) ndarray of int
            Which group each value belongs to, 0 to count − 1, none empty.
        count : int
        """
        size = np.bincount(group, minlength=count).astype(float)

        def mean(c: Array) -> Array:
            return np.asarray(np.bincount(group, c, count) / size)

        shares: dict[Source, _Share] = {}
        for source, share in self._shares.items():
            if share.layout == "own":
                each = Source(f"{source.id}/levels", source.kind, source.label, source.shape, source.dof)
                if source.shape == "uniform" and size.max() > 1:
                    each = Source(each.id, source.kind, source.label)
                shares[each] = _Share("own", np.sqrt(np.bincount(group, share.c**2, count)) / size)
            elif share.layout == "one":
                shares[source] = _Share("one", mean(share.c))
            else:
                shares[source] = _Share("full", np.column_stack([mean(c) for c in share.c.T]))
        return Quantity(mean(self.value), self.unit, shares)

    def independent(self, source: Source) -> bool:
        """Whether a source is a family of which each value has one of its own."""
        return self._shares[source].layout == "own"

    def only(self, source: Source) -> Quantity:
        """The same value with what one source brings to it."""
        return Quantity(self.value, self.unit, {source: self._shares[source]})

    def unsure(self, source: Source) -> Quantity:
        """The same value with a part of its uncertainty that is not known (NaN)."""
        return self + Quantity(
            np.zeros(self.value.shape), self.unit, {source: _Share("one", self.value * math.nan)}
        )

    def widened(self, factor: float) -> Quantity:
        """The same value with every part of its uncertainty ``factor`` times as large."""
        shares = {s: _Share(p.layout, p.c * factor) for s, p in self._shares.items()}
        return Quantity(self.value, self.unit, shares)

    def in_one(self, u: float, source: Source) -> Quantity:
        """The same single value with all of its uncertainty u in one source."""
        return Quantity(self.value, self.unit, {source: _Share("one", np.asarray(float(u)))})

    def moved_to(self, value: ArrayLike) -> Quantity:
        """Another value of the same shape with the same uncertainty."""
        return Quantity(value, self.unit, self._shares)

    def with_correlated(self, covariance: Array, source: Source) -> Quantity:
        """Add one source that enters an array of values with a covariance (N, N)."""
        vectors, sizes = np.linalg.svd(covariance, hermitian=True)[:2]
        root = vectors * np.sqrt(np.maximum(sizes, 0))
        return self + Quantity(np.zeros(self.value.shape), self.unit, {source: _Share("full", root)})

    # -- arithmetic ----------------------------------------------------------------------------------

    def __add__(self, other: Quantity | float) -> Quantity:
        b = _as_quantity(other)
        _require_same(self, b)
        return _combine(self.value + b.value, self.unit, ((self, 1.0), (b, 1.0)))

    def __sub__(self, other: Quantity | float) -> Quantity:
        b = _as_quantity(other)
        _require_same(self, b)
        return _combine(self.value - b.value, self.unit, ((self, 1.0), (b, -1.0)))

    def __mul__(self, other: Quantity | ArrayLike) -> Quantity:
        b = _as_quantity(other)
        return _combine(self.value * b.value, self.unit * b.unit, ((self, b.value), (b, self.value)))

    def __truediv__(self, other: Quantity | ArrayLike) -> Quantity:
        b = _as_quantity(other)
        value = self.value / b.value
        return _combine(value, self.unit / b.unit, ((self, 1 / b.value), (b, -value / b.value)))

    def __pow__(self, power: float) -> Quantity:
        slope = power * self.value ** (power - 1)
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


def exact(value: ArrayLike, unit: Unit = ONE) -> Quantity:
    """Make a quantity without uncertainty from a value in SI units."""
    return Quantity(value, unit)


def measured(value: float, u: float, unit: Unit, source: Source) -> Quantity:
    """Make a single quantity whose uncertainty comes from one source.

    Parameters
    ----------
    value, u : float
        Value and standard uncertainty in the SI unit.
    unit : Unit
    source : Source

    Raises
    ------
    UncertaintyError
        If u is negative or not finite.
    """
    _require_valid(u)
    return Quantity(value, unit, {source: _Share("one", np.asarray(float(u)))} if u else {})


def family(value: ArrayLike, u: ArrayLike, unit: Unit, source: Source) -> Quantity:
    """Make an array of quantities whose uncertainties are independent of each other.

    Parameters
    ----------
    value, u : (N,) array_like
        Values and standard uncertainties in the SI unit.
    unit : Unit
    source : Source
        Names the family; element i of it belongs to value i.

    Raises
    ------
    UncertaintyError
        If any u is negative or not finite.
    """
    values = np.asarray(value, dtype=float)
    spread = np.broadcast_to(np.asarray(u, dtype=float), values.shape)
    _require_valid(spread)
    return Quantity(values, unit, {source: _Share("own", spread)})


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


def stacked(items: Iterable[Quantity]) -> Quantity:
    """Join single quantities of one unit into an array; shared sources stay shared."""
    parts = list(items)
    count = len(parts)
    out = Quantity(np.zeros(count), parts[0].unit)
    for i, q in enumerate(parts):
        place = np.zeros(count)
        place[i] = 1.0
        _require_same(parts[0], q)
        shares = {
            s: _Share(p.layout, np.multiply.outer(place, p.c))
            for s, p in q._shares.items()  # noqa: SLF001
        }
        out = out + Quantity(place * q.value, q.unit, shares)
    return out


def _combine(value: Array, unit: Unit, terms: Iterable[tuple[Quantity, Array | float]]) -> Quantity:
    shape = np.shape(value)
    shares: dict[Source, _Share] = {}
    for q, slope in terms:
        if not q._shares:  # noqa: SLF001
            continue
        d = np.broadcast_to(np.asarray(slope, dtype=float), shape)
        for source, share in q._shares.items():  # noqa: SLF001
            grown = share.spread(shape).times(d)
            before = shares.get(source)
            shares[source] = before.plus(grown) if before is not None else grown
    return Quantity(value, unit, shares)


def _as_quantity(x: Quantity | ArrayLike) -> Quantity:
    return x if isinstance(x, Quantity) else Quantity(x)


def _require_same(a: Quantity, b: Quantity) -> None:
    if not a.unit.goes_with(b.unit):
        raise UnitError(
            _("A value in {a} cannot be added to or compared with one in {b}.").format(
                a=a.unit.text or "1", b=b.unit.text or "1"
            )
        )


def _require_valid(u: ArrayLike) -> None:
    spread = np.asarray(u, dtype=float)
    if not np.all(np.isfinite(spread)) or np.any(spread < 0):
        raise UncertaintyError(_("An uncertainty must be zero or a positive number."))
