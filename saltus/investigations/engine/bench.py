"""What is known while an investigation runs, and what all its parts ask of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.compare import compare
from saltus.core.formulas import FormulaError, compute
from saltus.core.quantities import exact
from saltus.core.units import UnitError
from saltus.investigations.engine.functions import column_functions
from saltus.investigations.engine.outcome import Compared, Level, Notice
from saltus.investigations.recipe.recipe import RecipeError

if TYPE_CHECKING:
    from collections.abc import Mapping
    from collections.abc import Set as AbstractSet

    from numpy.typing import NDArray

    from saltus.core.formulas import Formula
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.outcome import Fitted
    from saltus.investigations.recipe.recipe import Choice, Recipe
    from saltus.investigations.table.trials import Trials


@dataclass(frozen=True)
class Options:
    """How an investigation is run.

    Attributes
    ----------
    line : str or None
        ``line`` or ``proportional`` instead of the model of the recipe.
    convention : {"standard", "half-range", "school"}
    slope_u : {"fit", "steepest", "scatter"}
        Where the uncertainty of a slope comes from.
    verdicts : bool
        Whether results are compared; what only asks for them does without.
    """

    line: str | None = None
    convention: str = "standard"
    slope_u: str = "fit"
    verdicts: bool = True


@dataclass
class Bench:
    """What is known while an investigation runs."""

    recipe: Recipe
    trials: Trials
    options: Options
    givens: dict[str, Quantity] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)
    rows: dict[str, Quantity] = field(default_factory=dict)
    levels: dict[str, Quantity] = field(default_factory=dict)
    reported: dict[str, Quantity] = field(default_factory=dict)
    level_rows: list[Level] = field(default_factory=list)
    level_keys: NDArray[Any] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    counts: NDArray[np.float64] | None = None
    unlike: bool = False
    group: NDArray[np.int_] | None = None
    fits: dict[str, Fitted] = field(default_factory=dict)
    line_rows: tuple[NDArray[np.int_], ...] = ()
    results: dict[str, Quantity | None] = field(default_factory=dict)
    failed: set[str] = field(default_factory=set)
    warnings: list[Notice] = field(default_factory=list)
    points: list[dict[str, object]] = field(default_factory=list)
    compared: list[Compared] = field(default_factory=list)

    def _group(self, count: int) -> NDArray[np.int_] | None:
        """Level of each of so many rows; None where that is not a column of the rows."""
        return self.group if self.group is not None and len(self.group) == count else None

    def notice(self, text: str, slip: str | None = None, **where: Any) -> None:
        """Add a warning once; ``where``: of what level, trial or row."""
        told = Notice(text, slip, **where)
        if told not in self.warnings:
            self.warnings.append(told)

    def compute(self, formula: Formula, names: Mapping[str, Quantity], prefix: str) -> Quantity:
        """Compute a formula with the functions of whole columns.

        ``prefix`` says of what columns: those of the rows, or of the levels of one fit.
        """
        return compute(formula, names, column_functions(prefix, self._keys, self._group))

    def _keys(self, count: int) -> NDArray[Any]:
        """Keys of columns of so many values: of the rows, else of the levels by their first rows."""
        found = (self.trials.keys, self.level_keys, np.arange(count))
        return next(keys for keys in found if len(keys) == count)


def known_names(bench: Bench) -> dict[str, Quantity]:
    """Everything a result may use: givens, rows, lines, results so far."""
    found = {name.removeprefix("?"): q for name, q in bench.results.items() if q is not None}
    typed = {f"{name}_given": q for name, q in bench.givens.items()}
    return {**bench.givens, **typed, **bench.rows, **found}


def pick(bench: Bench, choices: tuple[Choice, ...], names: AbstractSet[str]) -> Choice | None:
    """The first formula whose condition holds and whose names are there."""
    for choice in choices:
        holds = all(bench.words.get(k) == v for k, v in choice.when.items())
        if holds and choice.formula.names <= names:
            return choice
    return None


def versus(
    bench: Bench, of: str, other: str, value: Quantity | None = None, *, scale: float | None = None,
    measured: bool | None = None, level: str | None = None,
) -> None:  # fmt: skip
    """Compare a result with another or with a value; without the one or the other nothing is compared.

    Parameters
    ----------
    bench : Bench
    of, other : str
    value : Quantity, optional
        Of the other, where it is no result.
    scale : float, optional
        See :func:`saltus.core.compare.compare`.
    measured : bool, optional
        Whether the other was measured too; by default where it is a result.
    level : str, optional
        Name of the level it is of, where one of many is compared.
    """
    result = bench.results.get(of)
    against = value if value is not None else bench.results.get(other)
    if result is None or against is None:
        return
    try:
        measured = value is None if measured is None else measured
        found = compare(result, against, scale=scale, measured=measured)
        bench.compared.append(Compared(of, other, found, level=level))
    except UnitError:
        return


def computed(bench: Bench, formula: Formula, env: Mapping[str, Quantity], prefix: str) -> Quantity:
    """Compute a formula of the recipe; what is wrong with it is a fault of its file."""
    try:
        return bench.compute(formula, env, prefix)
    except (FormulaError, UnitError) as error:
        raise RecipeError(f"{bench.recipe.id}: {error}", str(error)) from error


def wide(q: Quantity, rows: int) -> Quantity:
    """A column of N values also where a formula gave one."""
    return q if q.value.ndim else q * exact(np.ones(rows))
