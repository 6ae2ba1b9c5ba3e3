"""What an investigation is made of."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from saltus.core.notation.boxes import Word, read_symbol
from saltus.core.shown_unit import shown_in
from saltus.core.units import ONE, Unit

if TYPE_CHECKING:
    from saltus.core.formulas import Formula
    from saltus.core.notation.boxes import Box
    from saltus.core.shown_unit import ShownUnit

FUNCTIONS = ("combine", "step", "limits", "max", "min", "count", "repeated", "resting")
"""Functions of whole columns that formulas of a recipe may use beside the usual ones."""
METHODS = ("film", "stopwatch", "sensor", "table")
"""How an investigation can be measured: read from a film, timed by hand, logged, or typed as read."""
MODELS = ("line", "proportional", "quadratic")
PICTURES = ("results", "before-after", "paths", "record")
"""What is shown where there is no line: results with their mean, bars before and after, flights, a record."""
RECIPE_ID = re.compile(r"[a-z][a-z0-9]*(-[a-z0-9]+)*")
RESERVED = ("status", "note")
SLIPS = (
    "half-cycles", "counted-from-one", "grams-as-kilograms", "centimetres-as-metres", "ten-times",
    "degrees-as-radians", "wrong-angle-zero", "position-for-displacement", "sign", "half-rate",
    "playback-rate",
    "baseline-changed", "beyond-safe-reading", "large-amplitude", "not-terminal", "tilted-track",
    "rest-in-mean", "duplicate-frames", "scale-plane", "length-to-edge", "not-doubled", "half-range",
    "truncated-mean", "odd-value", "off-the-line", "not-plausible", "diameter-for-radius", "whole-wavelength",
    "old-zero", "batch-of-one", "rpm-as-hertz", "millimetres-as-metres", "rms-for-slope-u", "unzeroed-sensor",
    "reversed-sensor", "recorded-direction", "linear-density-per-gram",
)  # fmt: skip


class RecipeError(ValueError):
    """An investigation's file that cannot be used: which, where, what to write.

    ``why``: without the name of the file.
    """

    def __init__(self, message: str, why: str = "") -> None:
        super().__init__(message)
        self.why = why or message


@dataclass(frozen=True)
class Column:
    """A column that is typed.

    Attributes
    ----------
    unit : Unit
        SI unit its values are turned into.
    unit_text : str
        As written in the file.
    kind : {"number", "text", "level"}
        ``level``: a number, or words.
    default : str or None
        What stands where the column is missing; None: it must be there.
    optional : bool
        Whether it may be missing altogether.
    words : str
        For people.
    typical : (float, float) or None
        Smallest and largest size that is usual, SI.
    mistakes : tuple of str
        What is easily done wrong with it, see :data:`saltus.investigations.recipe.mistakes.MISTAKES`.
    """

    unit: Unit = ONE
    unit_text: str = ""
    kind: str = "number"
    default: str | None = None
    optional: bool = False
    words: str = ""
    typical: tuple[float, float] | None = None
    mistakes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Given:
    """A quantity entered once, as :class:`Column`; ``choices`` instead of a unit for one given as a word."""

    unit: Unit = ONE
    unit_text: str = ""
    default: str | None = None
    optional: bool = False
    choices: tuple[str, ...] = ()
    words: str = ""
    typical: tuple[float, float] | None = None
    mistakes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Naming:
    """How a column, a given or a result is called.

    Attributes
    ----------
    name : str
        For people.
    symbol : str
        See :func:`saltus.core.notation.boxes.read_symbol`; empty: it has none.
    unit : str
        Unit people use for it; empty: the SI unit.
    also : tuple of str
        Other words for it at the head of a column.
    """

    name: str = ""
    symbol: str = ""
    unit: str = ""
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Choice:
    """A formula that holds when some givens are these words (empty: always)."""

    formula: Formula
    when: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Fit:
    """A line or curve through the levels; ``series``: only rows in which this quantity varies alone."""

    x: Formula
    y: Formula
    model: str = "line"
    series: str = ""


@dataclass(frozen=True)
class Versus:
    """A comparison: a result with a given, a theory, none, or another result.

    ``scale``: what a difference is measured by where the size of the values says nothing, such as the range
    of the readings, or the effect that would matter. ``each``: ``row`` or ``level``, one by one, of the
    formula ``value``; the other side may then use ``combined``, the result of that name.
    """

    of: str
    other: str
    choices: tuple[Choice, ...] = ()
    difference: Formula | None = None
    scale: Formula | None = None
    each: str = ""
    value: tuple[Choice, ...] = ()


@dataclass(frozen=True)
class Warn:
    """A check of the data: all formulas above zero (by their uncertainty, if ``significant``).

    ``besides``: further formulas, above zero as they stand.
    """

    slip: str
    text: str
    when: tuple[Formula, ...]
    significant: bool = False
    besides: tuple[Formula, ...] = ()


@dataclass(frozen=True)
class Slip:
    """A mistake that can be undone: columns or givens as they should have been.

    ``row``: also in one row alone; ``unless``: not where one of these is there; ``seldom``: orders those that
    fit alike.
    """

    slip: str
    text: str
    undo: dict[str, Formula]
    row: bool = False
    unless: tuple[str, ...] = ()
    seldom: float = 0.0


@dataclass(frozen=True)
class Sense:
    """What makes sense: a value lies between 1/(1 + within) and (1 + within) times what it should be like.

    ``when``: with these words only; ``needs``, ``unless``: where these columns are there, or none of them.
    """

    of: Formula
    like: Formula
    within: float
    when: dict[str, str] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()


@dataclass(frozen=True)
class Recipe:
    """An investigation; see docs/investigations.md for what each part is for."""

    id: str
    title: str
    group: str
    question: str
    texts: dict[str, tuple[str, ...]]
    minutes: int
    columns: dict[str, Column]
    givens: dict[str, Given]
    level: tuple[str, ...]
    average: tuple[str, ...]
    rows: dict[str, Formula]
    levels: dict[str, Formula]
    per_level: dict[str, Formula]
    series: tuple[str, ...]
    fits: dict[str, Fit]
    results: dict[str, tuple[Choice, ...]]
    unknown: dict[str, str]
    record: dict[str, str]
    comparisons: tuple[Versus, ...]
    matters: float | None
    plausible: dict[str, tuple[Formula, Formula]]
    warns: tuple[Warn, ...]
    slips: tuple[Slip, ...]
    sense: tuple[Sense, ...]
    repeats: tuple[str, ...]
    finds: str
    methods: tuple[str, ...]
    drawing: tuple[str, ...]
    load: dict[str, str]
    example: dict[str, Any]
    names: dict[str, Naming] = field(default_factory=dict)
    headline: str = ""
    ends: dict[str, tuple[str, str]] = field(default_factory=dict)
    picture: str = ""
    drawn: str = ""
    pictured: dict[str, tuple[Choice, ...]] = field(default_factory=dict)

    @property
    def typed(self) -> dict[str, Column | Given]:
        """Columns and givens that are numbers, by name."""
        numbers: dict[str, Column | Given] = {n: c for n, c in self.columns.items() if c.kind != "text"}
        return numbers | {n: g for n, g in self.givens.items() if not g.choices}

    @property
    def drawn_fit(self) -> str:
        """Name of the line or curve that is drawn: the one it says, else the first; empty without one."""
        return self.drawn or next(iter(self.fits), "")

    @property
    def order(self) -> tuple[str, ...]:
        """Names of the results in the order they are told: the one that answers the question first."""
        names = (*self.results, *self.record)
        return (self.headline, *(n for n in names if n != self.headline)) if self.headline else names

    def title_of(self, name: str) -> str:
        """Words for a column, a given or a result; those of a level or an unknown say which."""
        if name in self.names and self.names[name].name:
            return self.names[name].name
        known = self.columns.get(name) or self.givens.get(name)
        if known is not None and known.words:
            return known.words
        stem, level = self.stem_of(name)
        if level:
            return f"{self.title_of(stem)}, {level}"
        return name.replace("_", " ")

    def stem_of(self, name: str) -> tuple[str, str]:
        """What a result of one level or one unknown is one of, and which: (name, "") for any other."""
        if name in self.results or name in self.columns or name in self.givens:
            return name, ""
        stems = [*self.per_level, self.unknown.get("column", "")]
        stem = next((s for s in stems if s and name.startswith(f"{s}_")), "")
        return (stem, name.removeprefix(f"{stem}_")) if stem else (name, "")

    def symbol_of(self, name: str) -> Box:
        """What stands for a name in a formula: its symbol, else its words, upright."""
        known = self.names.get(name)
        if known is not None and known.symbol:
            return read_symbol(known.symbol)
        return Word(self.title_of(name))

    def shown(self, name: str, unit: Unit) -> ShownUnit:
        """The unit people use for a name, where its values can be shown in it; else SI."""
        return shown_in(self.unit_of(name), unit)

    @property
    def usual_units(self) -> dict[str, str]:
        """Units people type the columns in, where they are not the SI ones; those that are asked for."""
        return {
            n: self.names[n].unit
            for n, column in self.columns.items()
            if n in self.names and self.names[n].unit and not column.optional
        }

    def also(self, name: str) -> tuple[str, ...]:
        """Other words for a name at the head of a column."""
        known = self.names.get(name)
        return known.also if known is not None else ()

    def unit_of(self, name: str) -> str:
        """The unit people use for a name; empty where that is the SI unit."""
        known = self.names.get(name) or self.names.get(self.stem_of(name)[0])
        return known.unit if known is not None else ""
