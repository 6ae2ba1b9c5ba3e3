"""The same values with another uncertainty."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.quantities import members
from saltus.core.quantity import Quantity
from saltus.core.shares import Elements, Single
from saltus.core.sources import Source, with_dof

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]


def with_family(q: Quantity, source: Source, c: ArrayLike, keys: ArrayLike) -> Quantity:
    """Add a family of which each value has one element, with sensitivity × u of each, signed.

    Parameters
    ----------
    q : Quantity
    source : Source
    c : (N,) array_like
    keys : (N,) array_like
        Which element, no two alike.
    """
    return q + members(np.zeros(q.value.shape), c, q.unit, source, keys)


def known_with(q: Quantity, dof: float) -> Quantity:
    """The same values, the size of what each has for itself known with so many degrees of freedom.

    Parameters
    ----------
    q : Quantity
    dof : float
        Dimensionless, above zero; infinite where it is known exactly.
    """
    shares = {with_dof(s, dof) if s in q.own else s: share for s, share in q.shares.items()}
    return Quantity(q.value, q.unit, shares)


def only(q: Quantity, source: Source) -> Quantity:
    """The same value with what one source brings to it.

    Parameters
    ----------
    q : Quantity
    source : Source

    Raises
    ------
    KeyError
        If it is none of its sources.
    """
    return Quantity(q.value, q.unit, {source: q.shares[source]})


def unsure(q: Quantity, source: Source) -> Quantity:
    """The same value with a part of its uncertainty that is not known: u becomes NaN.

    Parameters
    ----------
    q : Quantity
    source : Source
        Whose part it is.
    """
    return q.with_source(source, q.value * math.nan)


def widened(q: Quantity, factor: float) -> Quantity:
    """The same value with every part of its uncertainty enlarged.

    Parameters
    ----------
    q : Quantity
    factor : float
        Dimensionless.
    """
    return Quantity(q.value, q.unit, {s: p.times(float(factor)) for s, p in q.shares.items()})


def lumped(q: Quantity, source: Source) -> Quantity:
    """The same single value with all that families bring to it in one source.

    Parameters
    ----------
    q : Quantity
    source : Source
        Takes their place; what single sources bring stays as it is.
    """
    single = {s: share for s, share in q.shares.items() if isinstance(share, Single)}
    u = q.u_of({s: share for s, share in q.shares.items() if s not in single})
    return Quantity(q.value, q.unit, {**single, source: Single(u)} if u > 0 else single)


def in_one(q: Quantity, u: float, source: Source) -> Quantity:
    """The same single value with all of its uncertainty in one source.

    Parameters
    ----------
    q : Quantity
    u : float
        Standard uncertainty, in the SI unit of the value.
    source : Source
    """
    return Quantity(q.value, q.unit, {source: Single(np.asarray(float(u)))})


def with_correlated(q: Quantity, covariance: Array, source: Source) -> Quantity:
    """Add a family that enters an array of values with a covariance: its square root is what enters.

    Parameters
    ----------
    q : Quantity
    covariance : (N, N) ndarray
        Symmetric, not negative, in the square of the SI unit.
    source : Source
        A family, keyed 0 to N − 1.
    """
    vectors, sizes = np.linalg.svd(covariance, hermitian=True)[:2]
    root = vectors * np.sqrt(np.maximum(sizes, 0))
    row, key = np.nonzero(root)
    share = Elements(row, key, root[row, key])
    return q + Quantity(np.zeros(q.value.shape), q.unit, {source: share})
