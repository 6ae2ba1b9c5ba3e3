"""Results of an investigation, what they are compared with, and what is to be warned of."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import times_beyond_chance
from saltus.core.quantity import Quantity
from saltus.investigations.engine.bench import Bench, computed, known_names, pick, versus, wide
from saltus.investigations.engine.outcome import Check
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from saltus.core.formulas import Formula
    from saltus.investigations.recipe.recipe import Sense


def per_level(bench: Bench) -> None:
    """Results of each level, and neighbours compared."""
    env = {**bench.givens, **bench.levels, **bench.reported}
    for name, formula in bench.recipe.per_level.items():
        if not formula.names <= env.keys():
            continue
        found = wide(computed(bench, formula, env, "levels"), len(bench.level_rows))
        for i, level in enumerate(bench.level_rows):
            q = found[i]
            bench.results[f"{name}_{level.name}"] = q
    names = list(bench.recipe.per_level)
    if names:
        for a, b in zip(bench.level_rows, bench.level_rows[1:], strict=False):
            versus(bench, f"{names[0]}_{b.name}", f"{names[0]}_{a.name}", level=b.name)


def conclude(bench: Bench) -> None:
    """Compute the results, in the order of the recipe."""
    for name, choices in bench.recipe.results.items():
        env = known_names(bench)
        choice = pick(bench, choices, env.keys())
        if choice is None:
            possible = pick(bench, choices, env.keys() | bench.failed)
            if possible is not None:
                bench.results[name] = None
                bench.failed.add(name)
            continue
        q = computed(bench, choice.formula, env, "rows")
        if q.value.ndim or not math.isfinite(float(q)):
            bench.results[name] = None
            bench.failed.add(name)
            bench.notice(say("conclusions.cannot-computed-numbers", name=name))
        else:
            bench.results[name] = q
            if not math.isfinite(float(q.u)):
                bench.notice(say("conclusions.trial-no-uncertainty-stated"))
    missing = [n for n, q in bench.results.items() if q is None]
    if missing and not bench.warnings:
        bench.notice(say("conclusions.too-few-trials", names=", ".join(missing)))


def check_data(bench: Bench) -> None:
    """Warnings that the data themselves give rise to, and plausible ranges."""
    env = {**known_names(bench), **bench.levels}
    for warn in bench.recipe.warns:
        if (
            all(f.names <= env.keys() for f in (*warn.when, *warn.besides))
            and bench.level_rows
            and all(_holds(bench, f, env, significant=warn.significant) for f in warn.when)
            and all(_holds(bench, f, env, significant=False) for f in warn.besides)
        ):
            bench.notice(warn.text, warn.slip or None)


def _holds(bench: Bench, formula: Formula, env: Mapping[str, Quantity], *, significant: bool) -> bool:
    q = computed(bench, formula, env, "rows")
    value = float(np.max(q.value)) if q.value.size else math.nan
    if not math.isfinite(value):
        return False
    if not significant:
        return value > 1e-12
    one = q if not q.value.ndim else q[int(np.argmax(q.value))]
    return value > max(times_beyond_chance(one) * float(one.u), 1e-12)


def what_can_be_checked(bench: Bench) -> tuple[Check, ...]:
    """What can be checked for making sense; the inner names of lines go."""
    env = {**bench.levels, **known_names(bench)}
    out: list[Check] = []
    for sense in bench.recipe.sense:
        if not sense.like.names <= env.keys() or not _applies(bench, sense):
            continue
        like = computed(bench, sense.like, env, "rows")
        # a result that failed is not to be taken for the given of its name
        lost = [n for n in sense.of.names if n in bench.recipe.results and bench.results.get(n) is None]
        if sense.of.names <= env.keys() and not lost:
            out.append(Check(computed(bench, sense.of, env, "rows"), like, sense.within))
        elif sense.of.names <= env.keys() | bench.failed:
            out.append(Check(None, like, sense.within))
    bench.results = {n: q for n, q in bench.results.items() if not n.startswith("?")}
    return (*out, *_ranges(bench, env))


def _applies(bench: Bench, sense: Sense) -> bool:
    there = bench.trials.columns.keys()
    told = all(bench.words.get(k) == v for k, v in sense.when.items())
    return told and set(sense.needs) <= there and not there & set(sense.unless)


def _ranges(bench: Bench, env: Mapping[str, Quantity]) -> Iterator[Check]:
    """Typed quantities against what is usual, results against what is possible."""
    recipe = bench.recipe
    for name, typed in recipe.typed.items():
        q = bench.rows.get(name) if name in recipe.columns else bench.givens.get(name)
        if typed.typical is None or q is None:
            continue
        sizes = np.abs(q.value[np.isfinite(q.value) & (q.value != 0)])
        if len(np.atleast_1d(sizes)):
            low, high = typed.typical
            size = Quantity(float(np.median(sizes)), q.unit)
            yield Check(size, low=low, high=high, typed=True, name=name)
    for name, (least, most) in recipe.plausible.items():
        q = bench.results.get(name)
        if q is not None and least.names <= env.keys():
            # an end that rests on what was not given is open
            low, high = (
                float(computed(bench, f, env, "rows")) if f.names <= env.keys() else math.inf
                for f in (least, most)
            )
            yield Check(q, low=low, high=high, name=name)
    for name, q in bench.results.items() if recipe.unknown else ():
        if q is not None and name.startswith(f"{recipe.unknown['column']}_"):
            yield Check(q, low=0.0, name=name)
