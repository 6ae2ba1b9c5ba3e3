"""Trials that share a level: mean, spread, odd values, and what to do about them, in a sentence."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.repeats import Repeats, mean_of, summary
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import kind_of

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.outcome import Outcome
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials
    from saltus.notebook.trials import Trial

ENOUGH_LEVELS = 40


@dataclass(frozen=True)
class Group:
    """Trials at one level.

    Attributes
    ----------
    name : tuple of str
        What was typed for the level, one text for each level column; empty where there are no levels.
    rows : tuple of int
        Places of its trials among all rows, in their order.
    kept : tuple of int
        Those that count.
    made : int
        How many were made: those that count, failed or were set aside, not those still to come.
    strip : str
        Column whose spread is shown; empty where there is none.
    columns : dict of str to Quantity
        Of the whole table.
    level : (Outcome, int) or None
        What the investigation makes of the same trials: its outcome, and which of its levels they are.
    doubts : tuple of (int, str)
        Places among all rows of trials that stand out, and what is to be said of each.
    """

    name: tuple[str, ...]
    rows: tuple[int, ...]
    kept: tuple[int, ...]
    made: int
    strip: str
    columns: dict[str, Quantity]
    level: tuple[Outcome, int] | None = None
    doubts: tuple[tuple[int, str], ...] = ()

    def values(self, column: str, *, kept: bool = True) -> Quantity | None:
        """Values of a column at this level; None where there are none."""
        q = self.columns.get(column)
        if q is None:
            return None
        rows = np.array(self.kept if kept else self.rows, dtype=np.int64)
        rows = rows[np.isfinite(q.value[rows])]
        return q[rows] if len(rows) else None

    def mean(self, column: str) -> Quantity | None:
        """Mean of a column: as the investigation has it, else with what is stated and its own scatter."""
        if self.level is not None:
            outcome, place = self.level
            q = outcome.level_columns.get(column)
            if q is not None and q.value.ndim and place < len(q):
                return q[place]
        if column not in self._means:
            q = self.values(column)
            of = ("level", column, self.rows[0])
            self._means[column] = mean_of(q, of, kind_of(q.unit)) if q is not None else None
        return self._means[column]

    @cached_property
    def _means(self) -> dict[str, Quantity | None]:
        """Means that were asked for."""
        return {}

    @cached_property
    def repeats(self) -> Repeats | None:
        """What the repeats of the strip's column say."""
        q = self.values(self.strip)
        return summary(q.value, self.explained) if q is not None else None

    @cached_property
    def explained(self) -> float | None:
        """Standard uncertainty that is stated for one trial alone; None where none is."""
        q = self.columns.get(self.strip)
        if q is None:
            return None
        rows = np.array([i for i in self.rows if math.isfinite(float(q.value[i]))], dtype=np.int64)
        own = q[rows].split()[0].u if len(rows) > 1 else q.u_own[rows]
        return float(np.median(own)) if own.size and np.all(own > 0) else None

    @property
    def odd(self) -> tuple[int, ...]:
        """Places among all rows of trials that stand out."""
        return tuple(row for row, _words in self.doubts)

    def without_odd(self) -> tuple[float, float] | None:
        """Means with and without the trials that stand out, SI; None where none does."""
        q = self.columns.get(self.strip)
        there = [i for i in self.kept if q is not None and math.isfinite(float(q.value[i]))]
        rest = [i for i in there if i not in self.odd]
        if q is None or not self.odd or not rest:
            return None
        return float(np.mean(q.value[there])), float(np.mean(q.value[rest]))

    @property
    def verdict(self) -> str:
        """Consistency in words."""
        found = self.repeats
        if found is None or len(found.values) < 2:
            borrowed = self.level is not None and self.level[0].levels[self.level[1]].borrowed
            alone = say("spread.one-trial-borrows") if borrowed else say("spread.trial-no-spread-yet")
            return alone if found is not None else ""
        words = {
            "consistent": say("spread.consistent"),
            "more": say("spread.more-stated-explains"),
            "less": say("spread.suspiciously-small"),
        }
        if found.consistency is not None:
            return words[found.consistency]
        return say("spread.all-alike") if not found.sd else say("spread.nothing-stated-compare")

    @property
    def advice(self) -> str:
        """One sentence where the level needs a look; empty where it does not."""
        found = self.repeats
        if found is None:
            return ""
        if self.odd:
            return " ".join(words for _row, words in self.doubts)
        if found.consistency == "more" and self.explained and found.sd:
            return say("spread.spread-times-what-stated", times=found.sd / self.explained)
        if found.consistency == "less":
            return say("spread.trials-agree-better-stated")
        return ""


def strip_column(recipe: Recipe, columns: dict[str, Quantity]) -> str:
    """The column whose spread is worth a look: what is averaged, said to repeat, combined, else measured."""
    if recipe.average:
        return recipe.average[0]
    there = [n for n in recipe.rows if n in columns and np.any(np.isfinite(columns[n].value))]
    repeated = [n for n in recipe.repeats if n in recipe.rows]
    if repeated:
        return repeated[0]
    if recipe.rows and not recipe.fits:
        # what answers the question first: other columns may be of runs that are no repeats of each other
        asked = [c.formula.text for n in recipe.order for c in recipe.results.get(n, ())]
        combined = [n for text in asked for n in there or recipe.rows if f"combine({n})" in text]
        return combined[0] if combined else [*(there or recipe.rows)][-1]
    return ""


def groups_of(
    recipe: Recipe, rows: tuple[Trial, ...], trials: Trials, columns: dict[str, Quantity],
    outcome: Outcome | None = None, doubts: tuple[tuple[int, str], ...] = (),
) -> tuple[Group, ...]:  # fmt: skip
    """Group the trials by level, in order of first appearance; all together where nothing is varied.

    ``outcome``: what the investigation makes of them; ``doubts``: rows that stand out, with words.
    """
    strip = strip_column(recipe, columns)
    there = [n for n in recipe.level if n in trials.columns]
    found: dict[tuple[float | str, ...], list[int]] = {}
    for i in range(len(rows)):
        found.setdefault(tuple(_key(trials, n, i) for n in there), []).append(i)
    places = (
        {level.keys: i for i, level in enumerate(outcome.levels)} if outcome is not None and there else {}
    )
    odd = dict(doubts)
    return tuple(
        Group(
            tuple(rows[members[0]].cells.get(n, "") for n in there),
            tuple(members),
            kept := tuple(i for i in members if trials.kept[i]),
            sum(trials.kept[i] or rows[i].status != "kept" for i in members),
            strip,
            columns,
            (outcome, place)
            if outcome is not None and (place := places.get(tuple(trials.keys[list(kept)]))) is not None
            else None,
            tuple((i, odd[i]) for i in members if i in odd),
        )
        for members in found.values()
    )


def _key(trials: Trials, name: str, row: int) -> float | str:
    column = trials.columns[name]
    value = float(column.values[row])
    return value if math.isfinite(value) else column.texts[row].strip().lower()


def reach_of(groups: tuple[Group, ...]) -> float:
    """Half the width of a strip, SI: three times what the levels scatter, the same for all of them."""
    # the median of so many levels is that of all, near enough for the width of a strip
    groups = groups[:: max(1, len(groups) // ENOUGH_LEVELS)]
    sizes = [
        max(3 * (g.repeats.sd or 0.0), 3 * (g.explained or 0.0)) for g in groups if g.repeats is not None
    ]
    whole = [s for s in sizes if s > 0]
    if whole:
        return float(np.median(whole)) * 1.2
    means = [abs(g.repeats.mean) for g in groups if g.repeats is not None and g.repeats.mean]
    return max([0.01 * m for m in means], default=1.0)
