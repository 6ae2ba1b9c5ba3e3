"""Making quantities: exact, measured, a family of measured ones, several put together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.quantity import (
    Quantity,
    require_same,
    require_valid,
)
from saltus.core.shares import Elements, Single, known_together, shaped, stacked_shares
from saltus.core.units import ONE, Unit

if TYPE_CHECKING:
    from collections.abc import Iterable

    from numpy.typing import ArrayLike, NDArray

    from saltus.core.shares import Share
    from saltus.core.sources import Source

    Array = NDArray[np.float64]


def exact(value: ArrayLike, unit: Unit = ONE) -> Quantity:
    """Make a quantity without uncertainty.

    Parameters
    ----------
    value : float or (N,) array_like
        In SI.
    unit : Unit
    """
    return Quantity(value, unit)


def measured(value: float, u: float, unit: Unit, source: Source, key: Any = None) -> Quantity:
    """Make a single quantity whose uncertainty comes from one source.

    Parameters
    ----------
    value, u : float
        Value and standard uncertainty in the SI unit.
    unit : Unit
    source : Source
    key : int or str, optional
        Which element, where the source is a family.

    Raises
    ------
    UncertaintyError
        If u is negative or not finite.
    """
    require_valid(u)
    if not u:
        return Quantity(value, unit)
    if key is None:
        return Quantity(value, unit, {source: Single(np.asarray(float(u)))})
    share = Elements(np.zeros(1, dtype=np.int_), np.array([key]), np.array([float(u)]))
    return Quantity(value, unit, {source: share})


def family(
    value: ArrayLike, u: ArrayLike, unit: Unit, source: Source, keys: ArrayLike | None = None
) -> Quantity:
    """Make an array of quantities whose uncertainties are independent of each other.

    Parameters
    ----------
    value, u : (N,) array_like
        Values and standard uncertainties in the SI unit.
    unit : Unit
    source : Source
        Names the family.
    keys : (N,) array_like of int or str, optional
        Which element belongs to which value, no two alike; 0 to N − 1 by default.

    Raises
    ------
    UncertaintyError
        If any u is negative or not finite.
    """
    values = np.asarray(value, dtype=float)
    require_valid(np.broadcast_to(np.asarray(u, dtype=float), values.shape))
    return members(values, u, unit, source, np.arange(values.size) if keys is None else keys)


def stacked(items: Iterable[Quantity]) -> Quantity:
    """Put single quantities into one array; what they share stays shared.

    Parameters
    ----------
    items : iterable of Quantity
        N single values, at least one, of one unit.

    Returns
    -------
    Quantity
        (N,)

    Raises
    ------
    UnitError
        If their units differ.
    """
    singles = list(items)
    parts: dict[Source, list[tuple[int, Share]]] = {}
    called: dict[Source, Source] = {}
    for i, q in enumerate(singles):
        require_same(singles[0], q)
        for source, share in q.shares.items():
            found = parts.setdefault(source, [])
            known = called.get(source, source)
            called[source] = known_together(known, [s for _i, s in found], source, share)
            found.append((i, share))
    shares = {called[source]: stacked_shares(found, len(singles)) for source, found in parts.items()}
    return Quantity([float(q) for q in singles], singles[0].unit, shares)


def joined(first: Quantity, second: Quantity) -> Quantity:
    """Put two arrays behind each other; what they share stays shared.

    Parameters
    ----------
    first, second : Quantity
        (N,) and (M,), of one unit.

    Returns
    -------
    Quantity
        (N + M,)

    Raises
    ------
    UnitError
        If their units differ.
    """
    require_same(first, second)
    count, more = len(first), len(second)

    def placed(q: Quantity, at: int, values: tuple[Array, Array]) -> Quantity:
        shares = {source: share.moved(at, count + more) for source, share in q.shares.items()}
        return Quantity(np.concatenate(values), q.unit, shares)

    before, behind = (first.value, np.zeros(more)), (np.zeros(count), second.value)
    return placed(first, 0, before) + placed(second, count, behind)


def members(values: Array, c: ArrayLike, unit: Unit, source: Source, keys: ArrayLike) -> Quantity:
    """Make an array of which each value has its own element of a family.

    Parameters
    ----------
    values : (N,) ndarray
        In SI.
    c : array_like
        Sensitivity × standard uncertainty, broadcast to (N,), in the same unit.
    unit : Unit
    source : Source
    keys : (N,) array_like
        Which element, no two alike.
    """
    coefficients = shaped(np.asarray(c, dtype=float), values.shape)
    row, key = np.arange(values.size), np.asarray(keys)
    some = coefficients != 0
    if not some.all():
        row, key, coefficients = row[some], key[some], coefficients[some]
    return Quantity(values, unit, {source: Elements(row, key, coefficients)} if len(row) else {})
