"""What running an investigation gives."""

from __future__ import annotations

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

    ``row`` (counted from 1 in the table) or ``level`` where it is one of many of one name.
    """

    of: str
    other: str
    found: Comparison | None
    row: int | None = None
    level: str | None = None

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
    sense : tuple of (Quantity or None, Quantity, float)
        What can be checked: a value (None where the data do not give it), what it should be like, and within
        what part.
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
    sense: tuple[tuple[Quantity | None, Quantity, float], ...] = ()
