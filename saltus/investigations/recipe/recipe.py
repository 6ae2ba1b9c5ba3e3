"""What an investigation is made of."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from saltus.core.units import ONE, Unit

if TYPE_CHECKING:
    from saltus.core.formulas import Formula

FUNCTIONS = ("combine", "step", "limits", "max", "min", "count", "repeated", "resting")
"""Functions of whole columns that formulas of a recipe may use beside the usual ones."""
METHODS = ("film", "stopwatch", "sensor", "table")
"""How an investigation can be measured: read from a film, timed by hand, logged, or typed as read."""
MODELS = ("line", "proportional", "quadratic")
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

    @property
    def typed(self) -> dict[str, Column | Given]:
        """Columns and givens that are numbers, by name."""
        numbers: dict[str, Column | Given] = {n: c for n, c in self.columns.items() if c.kind != "text"}
        return numbers | {n: g for n, g in self.givens.items() if not g.choices}

    def title_of(self, name: str) -> str:
        """Words for a column, a given or a result."""
        known = self.columns.get(name) or self.givens.get(name)
        return (known.words if known is not None else "") or name.replace("_", " ")
