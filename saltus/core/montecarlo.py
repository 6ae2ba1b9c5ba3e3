"""Linear propagation checked by drawing: whether the stated interval holds for the formula as it is."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.quantity import Quantity

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from numpy.typing import NDArray

    from saltus.core.sources import Source

    Array = NDArray[np.float64]

DRAWS = 200_000
DIFFERS = 0.05
"""Ends that lie farther off than this part of U95 are a difference worth telling."""


@dataclass(frozen=True)
class Check:
    """The outcome of a Monte Carlo check (GUM Supplement 1).

    Attributes
    ----------
    low, high : float
        Ends of the middle 95 % of the draws, SI.
    differs : bool
        Whether these lie farther from value ± U95 than 5 % of U95.
    lost : float
        Share of draws for which the formula has no value.
    """

    low: float
    high: float
    differs: bool
    lost: float


def check(
    formula: Callable[[Mapping[str, Quantity]], Quantity],
    inputs: Mapping[str, Quantity],
    seed: int = 1,
    draws: int = DRAWS,
) -> Check:
    """Draw the inputs, shared sources together, and compare with linear propagation.

    Parameters
    ----------
    formula : callable
        Of the inputs; works on arrays of values without uncertainty.
    inputs : mapping of str to Quantity
        Single values.
    seed, draws : int
        Of the draws.
    """
    rng = np.random.default_rng(seed)
    drawn: dict[tuple[Source, Any], Array] = {}
    sizes: dict[Source, Array] = {}
    values: dict[str, Quantity] = {}
    for name, q in inputs.items():
        value = np.full(draws, float(q))
        for (source, key), u in q.signed_elements().items():
            if (source, key) not in drawn:
                drawn[source, key] = _draw(source, draws, rng, sizes)
            value = value + u * drawn[source, key]
        values[name] = Quantity(value, q.unit)
    with np.errstate(all="ignore"):
        out = np.broadcast_to(formula(values).value, (draws,))
        stated = formula(inputs)
    kept = np.sort(out[np.isfinite(out)])
    if len(kept) < draws // 2:
        return Check(math.nan, math.nan, True, 1 - len(kept) / draws)
    low, high = _middle(kept)
    U, value0 = stated.U95, float(stated)
    differs = max(abs(low - (value0 - U)), abs(high - (value0 + U))) > DIFFERS * U
    return Check(low, high, bool(differs), 1 - len(kept) / draws)


def _draw(source: Source, draws: int, rng: np.random.Generator, sizes: dict[Source, Array]) -> Array:
    """Draw a source, or an element of a family; the elements of one share how well their size is known."""
    if source.shape == "uniform":
        return rng.uniform(-math.sqrt(3), math.sqrt(3), draws)
    if math.isfinite(source.dof):
        dof = max(source.dof, 1.0)
        if source not in sizes:
            sizes[source] = np.sqrt(dof / rng.chisquare(dof, draws))
        return np.asarray(rng.standard_normal(draws) * sizes[source])
    return rng.standard_normal(draws)


def _middle(ordered: Array) -> tuple[float, float]:
    """Ends of the middle 95 %; those of the shortest interval would be noisier than the check allows."""
    low, high = np.quantile(ordered, [0.025, 0.975])
    return float(low), float(high)
