"""Where the uncertainty of a result comes from, and what would help most."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.coverage import cover_95

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.sources import Kind, Source


@dataclass(frozen=True)
class Contribution:
    """One line of a budget.

    Attributes
    ----------
    label : str
        Words for people.
    kind : Kind
        The group of the limit bar.
    u : float
        Standard uncertainty it brings to the result, in the unit of the result.
    share : float
        Its share of the variance, 0 to 1.
    sources : frozenset of Source
        What it puts together.
    """

    label: str
    kind: Kind
    u: float
    share: float
    sources: frozenset[Source] = frozenset()

    @property
    def causes(self) -> set[str]:
        """What it is, by the causes of its sources: what is done about it hangs on these, not on words."""
        return {source.cause for source in self.sources}


def budget(q: Quantity) -> list[Contribution]:
    """List the contributions to a single value, largest first; sources of one label are put together.

    Parameters
    ----------
    q : Quantity
        A single value.
    """
    together: dict[tuple[str, Kind], dict[Source, float]] = {}
    for source, u in q.parts().items():
        together.setdefault((source.words, source.kind), {})[source] = u**2
    total = sum(sum(parts.values()) for parts in together.values())
    lines = [
        Contribution(label, kind, math.sqrt(v), v / total, frozenset(parts))
        for (label, kind), parts in together.items()
        if (v := sum(parts.values())) > 0 and total > 0
    ]
    return sorted(lines, key=lambda line: -line.share)


def shares_by_kind(q: Quantity) -> dict[Kind, float]:
    """Share of the variance for each group of sources, largest first.

    Parameters
    ----------
    q : Quantity
        A single value of any unit.

    Returns
    -------
    dict of str to float
        Dimensionless; they sum to 1, where there is any uncertainty.
    """
    shares: dict[Kind, float] = {}
    for line in budget(q):
        shares[line.kind] = shares.get(line.kind, 0.0) + line.share
    return dict(sorted(shares.items(), key=lambda item: -item[1]))


def expanded_if(q: Quantity, line: Contribution, factor: float) -> float:
    """Half-width of the 95 % interval if one contribution were ``factor`` times what it is.

    Parameters
    ----------
    q : Quantity
        A single value.
    line : Contribution
        Of :func:`budget`.
    factor : float
        0.5 for half as uncertain.
    """
    return cover_95(q.coverage_parts(dict.fromkeys(line.sources, factor))).U95
