"""Recognising a mistake from its effect: the data make no sense as they stand, and do once it is undone."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import times_beyond_chance
from saltus.core.statement import stated
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.outcome import Notice
from saltus.investigations.engine.run import run
from saltus.investigations.judgement.doubts import doubts, without
from saltus.investigations.judgement.mistake_words import kind_words, mistake_words
from saltus.investigations.judgement.typed_means import typed_means_checked
from saltus.investigations.recipe.mistakes import MISTAKES
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from collections.abc import Set as AbstractSet

    from saltus.core.formulas import Formula
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.outcome import Check, Outcome
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials

LIKELY = 2.0
"""Standard uncertainties within which data make sense."""
MOST_ROWS = 200
"""So many rows are enough to see a mistake made in all of them."""
MOST_NAMED, MOST_TRIED = 4, 150
MOST_FORGIVEN = 1.2
SELDOM_TWO = 5.0
"""By how much two mistakes at once are less likely than one, in tolerances."""


@dataclass(frozen=True)
class _Candidate:
    """A mistake undone: its notice, the undoing, how seldom it is."""

    slips: tuple[tuple[str, str], ...]
    undo: dict[str, Formula]
    seldom: float
    bare: bool = False
    kind: str = ""


def recognise(
    outcome: Outcome, trials: Trials, givens: Mapping[str, str], options: Options | None = None, *,
    tell: bool = True,
) -> list[Notice]:  # fmt: skip
    """Find what was done wrong: in one trial, at one level, in whole columns.

    Parameters
    ----------
    outcome : Outcome
        Of the data as they stand.
    trials, givens, options
        What it was run on.
    tell : bool
        Whether the value that results would have without the slip may be told.

    Returns
    -------
    list of Notice
        Odd trials and points off the line first, each with the slips that would explain it; then every slip
        of whole columns that fits, likeliest first; where none does, what lies outside the usual. Empty where
        the data make sense.
    """
    plain = Options(options.line if options is not None else None, verdicts=False)
    found, doubtful = doubts(outcome, trials, givens, plain, tell=tell)
    found += typed_means_checked(outcome)
    if doubtful:
        # what is wrong with one row must not be looked for in all of them
        trials = without(trials, doubtful)
        outcome = run(outcome.recipe, trials, givens, plain)
    if makes_sense(outcome) is not False:
        return found
    # what is wrong in all rows is seen in some of them
    kept = np.flatnonzero(trials.kept)
    some = (
        trials.only(kept[:: -(-len(kept) // MOST_ROWS)])
        if len(kept) > MOST_ROWS and outcome.recipe.level
        else trials
    )
    explained = _explained(outcome, some, givens, plain, tell=tell)
    return [*found, *explained, *_not_plausible(outcome, signs_only=bool(explained))]


def makes_sense(outcome: Outcome) -> bool | None:
    """Whether all that can be checked makes sense, chance allowed for; None where nothing can be checked."""
    told = [_miss(check, None) <= 1 for check in outcome.sense]
    return all(told) if told else None


def _explained(
    outcome: Outcome, trials: Trials, givens: Mapping[str, str], options: Options, *, tell: bool
) -> list[Notice]:
    """The slips that make sense of senseless data, likeliest first: one, else two at once."""
    recipe = outcome.recipe
    there = (
        trials.columns.keys() | givens.keys() | {n for n, g in recipe.givens.items() if g.default is not None}
    )
    single = [c for c in _candidates(recipe, trials.columns.keys()) if c.undo.keys() <= there]
    together = _all_of_a_kind(single)
    fitting = _that_fit(outcome, [*single, *together], trials, givens, options)
    if not fitting:
        bare = [c for c in (*together, *single) if c.bare]
        pairs = [
            _Candidate((*a.slips, *b.slips), {**a.undo, **b.undo}, a.seldom + b.seldom + SELDOM_TWO)
            for a, b in combinations(bare, 2)
            if not a.undo.keys() & b.undo.keys() and a.kind != b.kind
        ]
        fitting = _that_fit(outcome, pairs[:MOST_TRIED], trials, givens, options)[:1]
    told: dict[tuple[str, str], Notice] = {}
    for candidate, made in fitting[:MOST_NAMED]:
        for slip, text in candidate.slips:
            told.setdefault((slip, text), Notice(f"{text} {_would_give(made) if tell else ''}".strip(), slip))
    return list(told.values())


def _that_fit(
    outcome: Outcome, tried: list[_Candidate], trials: Trials, givens: Mapping[str, str], options: Options
) -> list[tuple[_Candidate, Outcome]]:
    scored: list[tuple[float, int, _Candidate, Outcome]] = []
    for place, candidate in enumerate(tried):
        try:
            made = run(outcome.recipe, trials, givens, options, candidate.undo)
        except (RecipeError, WrittenError, UnitError):
            continue
        misses = [_miss(check, LIKELY) for check in made.sense]
        if misses and max(misses) <= 1:
            plain = sum(_miss(check, 0.0) for check in made.sense if check.like is not None)
            scored.append((plain + candidate.seldom, place, candidate, made))
    return [(candidate, made) for _score, _place, candidate, made in sorted(scored, key=lambda s: s[:2])]


def _candidates(recipe: Recipe, columns: AbstractSet[str]) -> Iterator[_Candidate]:
    """What may have been done wrong with each column and given, and the slips of the recipe."""
    for slip in recipe.slips:
        if not columns & set(slip.unless):
            yield _Candidate(((slip.slip, slip.text),), slip.undo, slip.seldom)
    for name, typed in recipe.typed.items():
        for wrong in typed.mistakes if name != "g" else ():
            mistake = MISTAKES[wrong]
            words = mistake_words(wrong, recipe.title_of(name))
            yield _Candidate(
                ((mistake.slip, words),), {name: mistake.undone(name)}, mistake.seldom, mistake.bare, wrong
            )


def _all_of_a_kind(single: list[_Candidate]) -> list[_Candidate]:
    """Units left out everywhere: all masses bare, all lengths bare."""
    out = []
    for kind in dict.fromkeys(c.kind for c in single if c.bare):
        of_kind = [c for c in single if c.kind == kind]
        if len(of_kind) > 1:
            undo = {name: f for c in of_kind for name, f in c.undo.items()}
            slip = of_kind[0].slips[0][0]
            words = ((slip, kind_words(kind)),)
            out.append(_Candidate(words, undo, of_kind[0].seldom, bare=True, kind=kind))
    return out


def _would_give(made: Outcome) -> str:
    """What the first result would then be."""
    if made.headline is None:
        return ""
    name, q = made.headline
    U95 = q.U95 if math.isfinite(q.U95) else None
    return str(
        say(
            "slips.then",
            name=made.recipe.title_of(name),
            value=made.recipe.shown(name, q.unit).stated(float(q), U95),
        )
    )


def _not_plausible(outcome: Outcome, *, signs_only: bool) -> list[Notice]:
    """What lies outside the usual or the possible, where no slip explains it; an impossible sign always."""
    out = []
    for check in outcome.sense:
        if check.like is not None or check.value is None or _miss(check, None) <= 1:
            continue
        unit = check.value.unit
        low, high = (stated(v, None, unit) if math.isfinite(v) else "∞" for v in (check.low, check.high))
        title = outcome.recipe.title_of(check.name)
        value = stated(float(check.value), None, unit)
        code = "slips.not-usual" if check.typed else "slips.not-possible"
        below = not check.typed and float(check.value) < check.low == 0
        if signs_only and not below:
            continue
        code = "slips.below-zero" if below else code
        out.append(Notice(say(code, name=title, value=value, low=low, high=high), "not-plausible"))
    return out


def _miss(check: Check, sure: float | None) -> float:
    """How far a value lies off what it should be, as a part of what is tolerated; None: beyond all chance."""
    if check.value is None or check.value.value.ndim or not math.isfinite(float(check.value)):
        return math.inf if check.like is not None else 0.0
    return _off_range(check, check.value, sure) if check.like is None else _off_like(check, check.value, sure)


def _off_range(check: Check, q: Quantity, sure: float | None) -> float:
    value = float(q)
    if check.typed:
        return 0.0 if check.low <= value <= check.high else 2.0
    u = float(q.u) if math.isfinite(float(q.u)) else 0.5 * abs(value)
    room = (times_beyond_chance(q) if sure is None else sure) * u
    return 0.0 if check.low - room <= value <= check.high + room else 2.0


def _off_like(check: Check, q: Quantity, sure: float | None) -> float:
    assert check.like is not None
    if not q.unit.goes_with(check.like.unit):
        return math.inf
    value, wanted = float(q), float(check.like)
    if not value * wanted > 0:
        return math.inf
    off = max(value / wanted, wanted / value) - 1
    difference = q - check.like
    # what chance explains is forgiven, but no factor that only a mistake makes
    u = min(float(difference.u) / abs(value), 0.5)
    times = times_beyond_chance(difference) if sure is None else sure
    part = times * (u if math.isfinite(u) else 0.5)
    return off / max(check.within + min(part, MOST_FORGIVEN), 1e-9)
