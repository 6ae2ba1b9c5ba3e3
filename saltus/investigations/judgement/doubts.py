"""What is odd about one trial or level: repeats that stand out, points off the line, ends that bend."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.lines.off_the_line import FALSE_ALARMS, Bend, OffTheLine, against_others, bend, off_the_line
from saltus.core.lines.straight import Line
from saltus.core.odd_trials import OddTrial, odd_trials
from saltus.core.statement import unit_tail
from saltus.core.units import UnitError
from saltus.core.written import WrittenError, digits, last_place, number
from saltus.investigations.engine.outcome import Notice
from saltus.investigations.engine.run import rows_of, run
from saltus.investigations.judgement.mistake_words import one_row_changes
from saltus.investigations.judgement.upright_unit import upright_unit
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.sentences import say
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.bench import Options
    from saltus.investigations.engine.outcome import Outcome
    from saltus.investigations.judgement.mistake_words import Change
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials

    Rows = NDArray[np.int_]
    RunOn = tuple[Trials, Mapping[str, str], Options]

ROUNDED = 3.7
"""Standard uncertainties of rounding within which nothing is off a line."""
NEAR = 2.0
"""Standard uncertainties within which a slip undone brings a value back."""
MOST_ROWS = 2000
"""Larger tables have more to tell than one trial."""


def watched(recipe: Recipe) -> tuple[str, ...]:
    """Columns whose rows at one level are repeats of one thing.

    Parameters
    ----------
    recipe : Recipe
    """
    if recipe.repeats or recipe.average:
        return recipe.repeats or recipe.average
    asked = " ".join(c.formula.text for choices in recipe.results.values() for c in choices)
    return tuple(n for n in recipe.rows if f"combine({n})" in asked) if recipe.level else ()


@remembered
def odd_of(outcome: Outcome) -> list[tuple[str, OddTrial]]:
    """Trials that stand out of their level, by the column in which they do.

    Parameters
    ----------
    outcome : Outcome

    Returns
    -------
    list of (str, OddTrial)
        Rows among those that count.
    """
    names = [n for n in watched(outcome.recipe) if n in outcome.columns]
    if outcome.group is None or not names or outcome.trials.rows > MOST_ROWS:
        return []
    group = _with_unknowns(outcome) if outcome.recipe.level else np.where(outcome.group >= 0, 0, -1)
    found: dict[int, tuple[str, OddTrial]] = {}
    for name in names:
        q = outcome.columns[name]
        use = np.flatnonzero((group >= 0) & np.isfinite(q.value))
        if not len(use):
            continue
        _levels, of = np.unique(group[use], return_inverse=True)
        own = q.split()[0].u[use]
        explained = _median_of_levels(own, of) if np.all(own > 0) else None
        share = FALSE_ALARMS / len(names)
        for one in odd_trials(
            q.value[use], of, resolution=_resolution(outcome, name, q), stated=explained, false_alarms=share
        ):
            rows = tuple(int(use[i]) for i in one.rows)
            found.setdefault(rows[0], (name, replace(one, rows=rows)))
    return list(found.values())


def _with_unknowns(outcome: Outcome) -> Rows:
    """Level of each row; rows of one unknown that is read from a line are repeats too."""
    assert outcome.group is not None
    label = outcome.trials.columns.get(outcome.recipe.unknown.get("label", ""))
    if label is None:
        return outcome.group
    split = outcome.trials.columns.get(outcome.recipe.unknown.get("split", ""))
    names = list(zip(label.texts, split.texts if split is not None else label.texts, strict=True))
    order = {name: i for i, name in enumerate(dict.fromkeys(names))}
    first = int(outcome.group.max(initial=-1)) + 1
    return np.array([g if g >= 0 else first + order[names[i]] for i, g in enumerate(outcome.group)])


def _median_of_levels(own: NDArray[np.float64], of: Rows) -> NDArray[np.float64]:
    """What is stated for one value of its level: that of a wrong one may be far off."""
    order = np.argsort(of, kind="stable")
    parts = np.split(own[order], np.cumsum(np.bincount(of))[:-1])
    return np.array([np.median(part) for part in parts])[of]


def _resolution(outcome: Outcome, name: str, q: Quantity) -> float:
    """Step of the last digit of a column, SI; of one that is worked out, carried along from its columns."""
    column = outcome.trials.columns.get(name)
    if column is not None:
        plain = [(t, float(v)) for t, v in zip(column.texts, column.values, strict=True) if _is_plain(t)][:50]
        read = [(last_place(t), number(digits(t)), v) for t, v in plain]
        steps = [step * abs(v / typed) for step, typed, v in read if typed and math.isfinite(v)]
        return max(steps, default=0.0)
    # worked out: as a part of its size, that of the roughest column it rests on
    formula = outcome.recipe.rows.get(name)
    parts = [0.0]
    for other in formula.names if formula is not None else ():
        if other in outcome.trials.columns and outcome.recipe.columns[other].unit.ascii == "s":
            size = float(np.nanmedian(np.abs(outcome.trials.columns[other].values)))
            parts.append(_resolution(outcome, other, outcome.columns[other]) / size if size else 0.0)
    return max(parts) * float(np.nanmedian(np.abs(q.value)))


def _is_plain(text: str) -> bool:
    """Whether a cell begins with the one number that was read: no sum, no product."""
    return bool(digits(text)) and not set(text.strip()[1:]) & set("*×+±")


def doubts(
    outcome: Outcome, trials: Trials, givens: Mapping[str, str], options: Options, *, tell: bool = True
) -> tuple[list[Notice], set[Any]]:
    """Say which trials and levels are odd, and which slip would explain each.

    Parameters
    ----------
    outcome : Outcome
    trials, givens, options
        What it was run on.
    tell : bool
        Whether results may be told.

    Returns
    -------
    notices : list of Notice
    doubtful : set
        Keys of the rows of the table that should not be asked what is wrong with the whole of it.
    """
    kept = np.flatnonzero(trials.kept)
    told: list[Notice] = []
    doubtful: set[Any] = set()
    single: set[Any] = set()
    for name, one in odd_of(outcome):
        told += _odd_trial(outcome, (trials, givens), name, one, kept)
        keys = {trials.keys[kept[i]] for i in one.rows}
        doubtful |= keys
        single |= keys if len(keys) == 1 else set()
    if single:
        # one odd trial pulls the mean of its level: whether that lies off the line is asked without it
        trials, whole = without(trials, single), outcome
        outcome = run(outcome.recipe, trials, givens, options)
        told += _effect(whole, outcome, len(single)) if tell else []
    more, keys = _line_doubts(outcome, trials, givens, options)
    return [*told, *more], doubtful | keys


def _effect(whole: Outcome, left: Outcome, count: int) -> list[Notice]:
    """What becomes of the first result without the trials that stand out."""
    if whole.headline is None:
        return []
    name, q = whole.headline
    other = left.results.get(name)
    if other is None:
        return []
    words = [whole.recipe.shown(name, q.unit).of(v) for v in (q, other)]
    return [
        Notice(say("doubt.effect", n=count, name=whole.recipe.title_of(name), whole=words[0], left=words[1]))
    ]


def without(trials: Trials, keys: set[Any]) -> Trials:
    """The table without the rows of these keys."""
    return trials.only(np.array([i for i in range(trials.rows) if trials.keys[i] not in keys], dtype=np.int_))


def _line_doubts(
    outcome: Outcome, trials: Trials, givens: Mapping[str, str], options: Options
) -> tuple[list[Notice], set[Any]]:
    """What lies off the first line, or bends away from it."""
    told: list[Notice] = []
    doubtful: set[Any] = set()
    kept = np.flatnonzero(trials.kept)
    line = next(iter(outcome.fits.values()), None)
    if not isinstance(line, Line) or len(line.x) != len(outcome.line_rows) or len(line.x) > MOST_ROWS:
        return told, doubtful
    off, bent = off_the_line(line), bend(line)
    run_on = (trials, givens, options)
    if off is not None and (bent is None or _explains(line, off)):
        rows = outcome.line_rows[off.point]
        if abs(off.off) > ROUNDED * _rounding(outcome, run_on, line, off.point, kept):
            told += _off(outcome, run_on, line, off, kept)
            doubtful |= {trials.keys[kept[i]] for i in rows}
    elif bent is not None and _bends_beyond_rounding(outcome, run_on, line, bent, kept):
        told.append(_bent(outcome, line, bent.points, bent.straight))
        doubtful |= {trials.keys[kept[i]] for p in bent.points for i in outcome.line_rows[p]}
    return told, doubtful


def _bends_beyond_rounding(outcome: Outcome, run_on: RunOn, line: Line, bent: Bend, kept: Rows) -> bool:
    """Whether the point that bends away most does so by more than the last digits typed explain."""
    rest = np.array([p not in bent.points for p in range(len(line.x))])
    straight = np.polyfit(line.x.value[rest], line.y.value[rest], 1)
    away = np.abs(line.y.value - np.polyval(straight, line.x.value))
    far = int(np.argmax(away))
    return bool(away[far] > ROUNDED * _rounding(outcome, run_on, line, far, kept))


def _rounding(outcome: Outcome, run_on: RunOn, line: Line, point: int, kept: Rows) -> float:
    """Standard uncertainty that the last digits typed bring to how far a point lies off, in the unit of y.

    Levels are set, and what is counted is whole: only what was read is rounded.
    """
    trials, givens, options = run_on
    rows, recipe = outcome.line_rows[point], outcome.recipe
    slope = float(line.values[1])
    place = float(line.y.value[point]) - slope * float(line.x.value[point])
    squares = 0.0
    for name, column in trials.columns.items():
        known = recipe.columns[name]
        step = _resolution(outcome, name, outcome.columns[name]) if known.kind == "number" else 0.0
        if name in recipe.level or known.unit.ascii == "1" or step <= 0:
            continue
        values = column.values.copy()
        values[kept[rows]] += step
        made = run(recipe, trials.with_values(name, values), givens, options)
        moved = next(iter(made.fits.values()), None)
        if isinstance(moved, Line) and len(moved.x) == len(line.x):
            there = float(moved.y.value[point]) - slope * float(moved.x.value[point])
            squares += (there - place) ** 2 / 12
    return math.sqrt(squares)


def odd_trials_told(outcome: Outcome, trials: Trials) -> tuple[tuple[int, str], ...]:
    """Rows of a table that stand out of their level, each with a sentence.

    Parameters
    ----------
    outcome : Outcome
    trials : Trials
        What it was run on.
    """
    kept = np.flatnonzero(trials.kept)
    return tuple(
        (int(kept[row]), _odd_words(outcome, name, one)[0])
        for name, one in odd_of(outcome)
        for row in one.rows
    )


def _explains(line: Line, off: OffTheLine) -> bool:
    """Whether one point off the line accounts for the bend: without it the rest is straight."""
    return bend(line, np.arange(len(line.x)) != off.point) is None


def _odd_trial(
    outcome: Outcome, run_on: tuple[Trials, Mapping[str, str]], name: str, one: OddTrial, kept: Rows
) -> Iterator[Notice]:
    """An odd trial, the effect of leaving it out, and the slips that would bring it back."""
    recipe = outcome.recipe
    words, level = _odd_words(outcome, name, one)
    if len(one.rows) > 1:
        yield Notice(words, "odd-value", level)
        return
    row = one.rows[0]
    trial = outcome.trials.number(row)
    yield Notice(words, "odd-value", level, trial)
    trials, givens = run_on
    values = _given_values(outcome, givens)
    for change in one_row_changes(recipe, outcome):
        made = _column_with(recipe, trials, values, change, np.array([kept[row]]), name)
        back = abs(made - one.without) if made is not None else math.inf
        if back <= min(NEAR * one.scatter * math.sqrt(1.5), abs(one.off) / NEAR):
            yield Notice(change.words(trial), change.slip, level, trial)


def _odd_words(outcome: Outcome, name: str, one: OddTrial) -> tuple[str, str | None]:
    """What is to be said of an odd trial, and the name of its level."""
    row, title = one.rows[0], outcome.recipe.title_of(name)
    level, shown = level_of(outcome, row), outcome.recipe.shown(name, outcome.columns[name].unit)
    if len(one.rows) > 1:
        apart = shown.stated(2 * abs(one.off))
        return say("doubt.two-differ", name=title, level=level or "", apart=apart), level
    values = (float(outcome.columns[name].value[row]), one.mean, one.without)
    value, mean, rest = (shown.words(v, one.scatter)[0] + unit_tail(shown.text) for v in values)
    trial = outcome.trials.number(row)
    key = outcome.trials.keys[row]
    keys = next((found.keys for found in outcome.levels if key in found.keys), ())
    if level is None or not keys:
        return say("doubt.odd", trial=trial, name=title, value=value, mean=mean, without=rest), level
    words = say(
        "doubt.odd-at", level=level, place=keys.index(key) + 1, count=len(keys), trial=trial, name=title,
        value=value, mean=mean, without=rest,
    )  # fmt: skip
    return words, level


def _off(
    outcome: Outcome,
    run_on: RunOn,
    line: Line,
    off: OffTheLine,
    kept: Rows,
) -> Iterator[Notice]:
    """A level off the line, and the slips that would bring it back."""
    rows = outcome.line_rows[off.point]
    level = level_of(outcome, int(rows[0]))
    trial = outcome.trials.number(int(rows[0])) if len(rows) == 1 else None
    distance = upright_unit(outcome, line).stated(abs(off.off))
    yield Notice(
        say("doubt.off-the-line", level=level or trial, n=off.in_u, distance=distance),
        "off-the-line",
        level,
        trial,
    )
    trials, givens, options = run_on
    for change in one_row_changes(outcome.recipe, outcome):
        values = change.applied(trials, kept[rows])
        if values is None:
            continue
        try:
            made = run(outcome.recipe, trials.with_values(change.name, values), givens, options)
        except (RecipeError, WrittenError, UnitError):
            continue
        if _is_back(made, int(rows[0]), off):
            yield Notice(change.words_at(level), change.slip, level, trial)


def _is_back(made: Outcome, row: int, off: OffTheLine) -> bool:
    """Whether the level of a row now lies within 2 u of the others' line, and not by a larger u alone."""
    line = next(iter(made.fits.values()), None)
    point = next((p for p, rows in enumerate(made.line_rows) if row in rows), None)
    if not isinstance(line, Line) or point is None:
        return False
    held = against_others(line, point)
    return held is not None and held.in_u <= NEAR and held.u < abs(off.off) / NEAR


def _bent(outcome: Outcome, line: Line, points: tuple[int, ...], straight: tuple[float, float]) -> Notice:
    if not points:
        return Notice(say("doubt.bent-all"), "off-the-line")
    names = [level_of(outcome, int(outcome.line_rows[p][0])) or "" for p in points]
    at = [int(np.flatnonzero(line.x.value == x)[0]) for x in straight]
    ends = [level_of(outcome, int(outcome.line_rows[p][0])) or "" for p in at]
    first = line.x.value[points[0]] > straight[1]
    code = "doubt.bends-up-to" if first else "doubt.bends-from"
    words = say(code, n=len(points), names=", ".join(names), end=ends[1] if first else ends[0])
    return Notice(words, "off-the-line", names[0])


def _column_with(
    recipe: Recipe, trials: Trials, givens: Mapping[str, Quantity], change: Change, rows: Rows, name: str
) -> float | None:
    """Value of a column in a row once a slip is undone in it."""
    values = change.applied(trials, rows)
    if values is None:
        return None
    columns, _problems = rows_of(recipe, trials.with_values(change.name, values).only(rows), givens)
    q = columns.get(name)
    return float(q.value[0]) if q is not None and math.isfinite(float(q.value[0])) else None


def _given_values(outcome: Outcome, givens: Mapping[str, str]) -> dict[str, Quantity]:
    from saltus.investigations.table.trials import given_quantity  # noqa: PLC0415  only here

    found = {}
    for name, given in outcome.recipe.givens.items():
        text = givens.get(name, given.default)
        if text is not None and not given.choices:
            found[name] = given_quantity(name, text, given.unit, given.unit_text)
    return found


def level_of(outcome: Outcome, row: int) -> str | None:
    """Name of the level of a row that counts, as typed; None where it has none."""
    if not outcome.recipe.level:
        return None
    key = outcome.trials.keys[row]
    label = outcome.trials.columns.get(outcome.recipe.unknown.get("label", ""))
    unknown = label.texts[row] or None if label is not None else None
    return next((level.name for level in outcome.levels if key in level.keys), unknown)
