"""The order in which named formulas can be computed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.formulas import Formula, FormulaError
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Mapping

    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]


def in_order(formulas: Mapping[str, Formula]) -> list[str]:
    """Put columns into an order in which each comes after those it needs.

    Parameters
    ----------
    formulas : mapping of str to Formula
        By the name of the column each gives.

    Raises
    ------
    FormulaError
        If columns need each other in a circle; the sentence names it.
    """
    done: list[str] = []
    for name in formulas:
        _visit(name, formulas, done, [])
    return done


def _visit(name: str, formulas: Mapping[str, Formula], done: list[str], above: list[str]) -> None:
    if name in done:
        return
    if name in above:
        circle = [*above[above.index(name) :], name]
        raise FormulaError(say("columns.columns-need-each-other", circle=" → ".join(circle)))
    for needed in sorted(formulas[name].names & formulas.keys()):
        _visit(needed, formulas, done, [*above, name])
    done.append(name)
