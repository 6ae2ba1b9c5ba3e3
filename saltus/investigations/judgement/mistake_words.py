"""Mistakes in words, and the changes by which one row may have gone wrong."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.formulas import compute, parse
from saltus.core.quantities import exact
from saltus.investigations.recipe.mistakes import MISTAKES
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from saltus.core.formulas import Formula
    from saltus.core.units import Unit
    from saltus.investigations.engine.outcome import Outcome
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials

WORDS = {
    "grams-as-kilograms": "slips.grams",
    "centimetres-as-metres": "slips.centimetres",
    "millimetres-as-metres": "slips.millimetres",
    "rpm-as-hertz": "slips.rpm",
    "rpm-as-radians": "slips.rpm",
    "degrees-as-radians": "slips.degrees",
    "linear-density-per-gram": "slips.per-gram",
    "half-cycles": "slips.half-cycles",
    "counted-from-one": "slips.counted-from-one",
    "half-rate": "slips.half-rate",
    "twice-the-times": "slips.twice-the-times",
    "diameter-for-radius": "slips.diameter",
    "whole-wavelength": "slips.whole-wavelength",
    "half-range": "slips.half-range",
    "ten-times-small": "slips.ten-times-small",
    "ten-times-large": "slips.ten-times-large",
    "kilograms-as-grams": "slips.kilograms",
    "metres-as-centimetres": "slips.metres-centimetres",
    "metres-as-millimetres": "slips.metres-millimetres",
}
ALL_OF_A_KIND = {
    "grams-as-kilograms": "slips.all-grams",
    "centimetres-as-metres": "slips.all-centimetres",
    "millimetres-as-metres": "slips.all-millimetres",
    "rpm-as-hertz": "slips.all-rpm",
    "rpm-as-radians": "slips.all-rpm",
    "degrees-as-radians": "slips.all-degrees",
    "linear-density-per-gram": "slips.all-per-gram",
    "kilograms-as-grams": "slips.all-kilograms",
    "metres-as-centimetres": "slips.all-metres-centimetres",
    "metres-as-millimetres": "slips.all-metres-millimetres",
}
TWICE = (
    "half-cycles", "half-rate", "twice-the-times", "diameter-for-radius", "whole-wavelength", "half-range",
)  # fmt: skip
POWERS = {"kg": "grams-as-kilograms", "m": "centimetres-as-metres"}


def mistake_words(wrong: str, title: str) -> str:
    """Say what a mistake with one column or given looks like."""
    return str(say(WORDS[wrong], name=title))


def kind_words(wrong: str) -> str:
    """Say that a unit was left out of everything of its kind."""
    return str(say(ALL_OF_A_KIND[wrong]))


@dataclass(frozen=True)
class Change:
    """What may have happened to a column in one row, undone.

    Attributes
    ----------
    name, title : str
        Of the column.
    slip : str
    undo : Formula
    code : str
        Of its sentence.
    factor : int
        By which it was multiplied or divided, where the sentence says so.
    """

    name: str
    title: str
    slip: str
    undo: Formula
    code: str
    factor: int = 0

    def applied(self, trials: Trials, rows: NDArray[np.int_]) -> NDArray[np.float64] | None:
        """The column with the slip undone in some rows; None where it is not there or empty."""
        names = {n: exact(c.values, c.unit) for n, c in trials.columns.items()}
        if not self.undo.names <= names.keys() or not np.all(
            np.isfinite(trials.columns[self.name].values[rows])
        ):
            return None
        values = trials.columns[self.name].values.copy()
        values[rows] = np.broadcast_to(compute(self.undo, names).value, values.shape)[rows]
        return values

    def words(self, trial: int) -> str:
        """Say it of a trial."""
        return self._words(say("doubt.in-trial", trial=trial))

    def words_at(self, level: str | None) -> str:
        """Say it of a level."""
        return self._words(say("doubt.at-the-level", level=level or ""))

    def _words(self, where: str) -> str:
        wanted = {"name": self.title, "where": where, "factor": self.factor}
        return str(say(self.code, **{k: v for k, v in wanted.items() if k in say.names(self.code)}))


def one_row_changes(recipe: Recipe, outcome: Outcome) -> Iterator[Change]:
    """What may have gone wrong with one row, likeliest first: counts, rates, powers of ten, angles."""
    for slip in recipe.slips:
        if slip.row and len(slip.undo) == 1:
            name, undo = next(iter(slip.undo.items()))
            yield Change(name, recipe.title_of(name), slip.slip, undo, "row.as-recipe")
    columns = [n for n in outcome.trials.columns if recipe.columns[n].kind != "text"]
    for name in columns:
        mistakes = recipe.columns[name].mistakes
        title, unit = recipe.title_of(name), recipe.columns[name].unit
        for wrong, text, code, factor in _changes(mistakes, unit):
            yield Change(name, title, wrong, parse(text.replace("x", name)), code, factor)


def _changes(mistakes: tuple[str, ...], unit: Unit) -> Iterator[tuple[str, str, str, int]]:
    """Slip, undoing of x, code of the sentence and factor, for a column."""
    if "counted-from-one" in mistakes:
        yield "counted-from-one", "x - 1", "row.one-fewer", 1
        yield "counted-from-one", "x + 1", "row.one-more", 1
    for wrong in TWICE:
        if wrong in mistakes:
            yield MISTAKES[wrong].slip, "x/2", "row.halved", 2
            yield MISTAKES[wrong].slip, "2*x", "row.doubled", 2
    hundred = thousand = POWERS.get(unit.ascii, "ten-times")
    if unit.ascii == "m":
        thousand = "millimetres-as-metres"
    for slip, factor in (("ten-times", 10), (hundred, 100), (thousand, 1000)):
        yield slip, f"x/{factor}", "row.divided", factor
        yield slip, f"x*{factor}", "row.multiplied", factor
    if unit.ascii == "rad":
        yield "degrees-as-radians", "x*pi/180", "row.degrees", 1
        yield "degrees-as-radians", "x*180/pi", "row.degrees", 1
