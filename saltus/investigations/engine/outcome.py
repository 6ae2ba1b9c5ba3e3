"""What running an investigation gives."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Mapping

    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.compare import Comparison
    from saltus.core.lines.curves import Curve
    from saltus.core.lines.straight import Line, NoLine
    from saltus.core.quantity import Quantity
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials

    Fitted = Line | Curve | NoLine


@dataclass(frozen=True)
class Notice:
    """A warning: a slip that was recognised (its id), or a sentence alone.

    Attributes
    ----------
    text : str
    slip : str or None
    level : str or None
        Name of the level it is about, as typed.
    trial : int or None
        Row of the table it is about, counted from 1.
    """

    text: str
    slip: str | None = None
    level: str | None = None
    trial: int | None = None


@dataclass(frozen=True)
class Compared:
    """A comparison by name; None where it could not be made.

    ``row`` (counted from 1 in the table) or ``level`` where it is one of many of one name, and its ``value``.
    """

    of: str
    other: str
    found: Comparison | None
    row: int | None = None
    level: str | None = None
    value: Quantity | None = None

    @property
    def one_of_many(self) -> bool:
        """Whether it is one of several rows or levels that are judged together."""
        return self.row is not None or self.level is not None


@dataclass(frozen=True)
class Level:
    """One level: its name as typed, how many rows, and what was averaged.

    Attributes
    ----------
    name : str
    count : int
    means : mapping of str to Quantity
        As reported.
    sds : dict of str to float
        Sample standard deviation of its rows, SI; NaN of a single one.
    borrowed : bool
        Whether it has one trial, whose uncertainty is the scatter of the other levels.
    keys : tuple
        Of its rows, see :class:`saltus.investigations.table.trials.Trials`.
    alone : bool
        Whether it scatters more than the others and keeps its own interval.
    """

    name: str
    count: int
    means: Mapping[str, Quantity] = field(default_factory=dict)
    sds: dict[str, float] = field(default_factory=dict)
    borrowed: bool = False
    keys: tuple[Any, ...] = ()
    alone: bool = False


@dataclass(frozen=True)
class Check:
    """Something that makes sense or not.

    Attributes
    ----------
    value : Quantity or None
        None where the data do not give it.
    like : Quantity or None
        What it should be like, within the factor 1 + ``within``; None for a range.
    within : float
    low, high : float
        SI: of a range, in which the size of a typed value, or a result, lies.
    typed : bool
        Whether the range is that of a typed quantity; else that of a result, which has a sign.
    name : str
        Of the column, given or result.
    """

    value: Quantity | None
    like: Quantity | None = None
    within: float = 0.0
    low: float = 0.0
    high: float = math.inf
    typed: bool = False
    name: str = ""


@dataclass(frozen=True)
class Outcome:
    """Results of an investigation, from one table.

    Attributes
    ----------
    recipe : Recipe
    trials : Trials
    derived : dict of str to Quantity
        (N,) columns computed row by row.
    levels : tuple of Level
    fits : dict of str to fitted line or curve
    results : dict of str to Quantity or None
        None where the table does not give it; a warning says why.
    compared : tuple of Compared
    warnings : tuple of Told
    used : (M,) ndarray of int
        Rows with nothing missing.
    points : tuple of dict
        Characteristic points of a record: name, time (s) and direction of motion.
    sense : tuple of Check
        What can be checked.
    columns : mapping of str to Quantity
        (N,) typed and derived ones, of the rows that count.
    group : (N,) ndarray of int or None
        Level of each row that counts, −1 for those of none.
    line_rows : tuple of ndarray of int
        Of the first line: the rows behind each of its points.
    level_columns : mapping of str to Quantity
        (L,) what is averaged or derived at each level, as reported.
    """

    recipe: Recipe
    trials: Trials
    derived: dict[str, Quantity]
    levels: tuple[Level, ...]
    fits: dict[str, Fitted]
    results: dict[str, Quantity | None]
    compared: tuple[Compared, ...]
    warnings: tuple[Notice, ...]
    used: NDArray[np.int_]
    points: tuple[dict[str, object], ...] = ()
    sense: tuple[Check, ...] = ()
    columns: Mapping[str, Quantity] = field(default_factory=dict)
    group: NDArray[np.int_] | None = None
    line_rows: tuple[NDArray[np.int_], ...] = ()
    level_columns: Mapping[str, Quantity] = field(default_factory=dict)

    @property
    def headline(self) -> tuple[str, Quantity] | None:
        """Name and value of the first result that there is, the one that answers the question first."""
        order = [*self.recipe.order, *self.results]
        return next(((name, q) for name in order if (q := self.results.get(name)) is not None), None)
