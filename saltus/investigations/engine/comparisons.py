"""Results held against givens, theory, nothing or each other, and what would settle what cannot be told."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.compare import Comparison, Settled, compare, judged_together, verdict, what_settles
from saltus.core.lines.levels import average
from saltus.core.quantity import Quantity
from saltus.core.statement import value_and_uncertainty
from saltus.core.units import Unit, UnitError
from saltus.core.with_uncertainty import with_family
from saltus.investigations.engine.bench import computed, known_names, pick, versus
from saltus.investigations.engine.outcome import Compared
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import kind_of

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.investigations.engine.bench import Bench
    from saltus.investigations.recipe.recipe import Choice, Versus

MOST_REPEATS = 30
"""More repeats than this at each level are no advice."""


def compare_results(bench: Bench) -> None:
    """Hold results against givens, theory, nothing or each other."""
    for wanted in bench.recipe.comparisons:
        env = known_names(bench)
        if wanted.each:
            _compare_each(bench, wanted, env)
            continue
        result = bench.results.get(wanted.of)
        if result is None:
            continue
        scale = _scale(bench, wanted, env)
        if wanted.other == "none":
            versus(bench, wanted.of, "none", Quantity(0.0, result.unit), scale=scale)
            continue
        choice = pick(bench, wanted.choices, env.keys()) if wanted.choices else None
        if wanted.choices and choice is None:
            continue
        other = (
            computed(bench, choice.formula, env, "rows")
            if choice is not None
            else bench.givens.get(wanted.other, bench.results.get(wanted.other))
        )
        if other is None or other.value.ndim or not math.isfinite(float(other)):
            continue
        if wanted.difference is not None and wanted.difference.names <= env.keys():
            # rows that share their scatter: the difference row by row tells more than that of two means
            apart = computed(bench, wanted.difference, env, "rows")
            found = compare(result, other, scale=scale)
            magnitude = min(abs(float(result)), abs(float(other))) if scale is None else scale
            agrees = verdict(apart, magnitude, known=float(apart.u) > 0)
            bench.compared.append(
                Compared(wanted.of, wanted.other, replace(found, difference=apart, agree=agrees))
            )
        else:
            versus(
                bench, wanted.of, wanted.other, other, scale=scale, measured=_measured(bench, wanted, choice)
            )
        given = bench.givens.get(wanted.other)
        if given is not None and float(given.u) == 0:
            bench.notice(say("settle.exact", other=bench.recipe.title_of(wanted.other)))


def _scale(bench: Bench, wanted: Versus, env: Mapping[str, Quantity]) -> float | None:
    """What the difference of a comparison is measured by, where its recipe says so."""
    if wanted.scale is None or not wanted.scale.names <= env.keys():
        return None
    size = float(np.max(computed(bench, wanted.scale, env, "rows").value))
    return abs(size) if math.isfinite(size) else None


def _measured(bench: Bench, wanted: Versus, choice: Choice | None) -> bool:
    """Whether the other side of a comparison rests on what was measured: givens and theory are exact."""
    givens = {*bench.givens, *(f"{name}_given" for name in bench.givens)}
    if choice is not None:
        return not choice.formula.names <= givens
    return wanted.other not in bench.givens


def _compare_each(bench: Bench, wanted: Versus, env: Mapping[str, Quantity]) -> None:
    """Hold every row, or the mean of every level, against the other side."""
    value = pick(bench, wanted.value, env.keys())
    names = {**env, "combined": env[wanted.of]} if wanted.of in bench.results and wanted.of in env else env
    choice = pick(bench, wanted.choices, names.keys()) if wanted.choices else None
    if value is None or (wanted.choices and choice is None) or bench.group is None:
        return
    rows = computed(bench, value.formula, env, "rows")
    other = (
        computed(bench, choice.formula, names, "rows")
        if choice is not None
        else bench.givens.get(wanted.other)
    )
    if other is None or not rows.value.ndim:
        return
    measured = _measured(bench, wanted, choice)
    if wanted.each == "level":
        _compare_levels(bench, wanted, rows, other, measured=measured)
        return
    there = np.flatnonzero(
        np.isfinite(rows.value) & np.isfinite(np.broadcast_to(other.value, rows.value.shape))
    )
    if len(there) < 2 and wanted.of in bench.results:
        # the one row is what the result itself is compared by
        return
    rows, scales = _with_scatter(bench, wanted.of, rows, there), _scales(bench, wanted, env, there)
    for i in there:
        against = other[int(i)] if other.value.ndim else other
        found = _held(rows[int(i)], against, measured=measured, scale=scales.get(int(i)))
        if found is not None:
            row = bench.trials.number(int(i))
            bench.compared.append(Compared(wanted.of, wanted.other, found, row=row, value=rows[int(i)]))


def _compare_levels(bench: Bench, wanted: Versus, rows: Quantity, other: Quantity, *, measured: bool) -> None:
    means = _level_means(bench, wanted.of, rows)
    others = _level_means(bench, wanted.other, other) if other.value.ndim else {}
    for i, mean in means.items():
        against = others.get(i) if other.value.ndim else other
        found = _held(mean, against, measured=measured) if against is not None else None
        if found is not None and len(means) > 1:
            name = bench.level_rows[i].name
            bench.compared.append(Compared(wanted.of, wanted.other, found, level=name, value=mean))


def _level_means(bench: Bench, name: str, rows: Quantity) -> dict[int, Quantity]:
    """Mean of the rows of each level by its number, their scatter pooled."""
    assert bench.group is not None
    good = np.flatnonzero((bench.group >= 0) & np.isfinite(rows.value))
    if not len(good):
        return {}
    levels, group = np.unique(bench.group[good], return_inverse=True)
    label = say("levels.scatter", name=name.replace("_", " "))
    found = average(
        rows[good],
        group,
        ("each", name),
        kind_of(rows.unit),
        label,
        bench.trials.keys[good][np.unique(group, return_index=True)[1]],
    )
    return {int(level): found.reported[i] for i, level in enumerate(levels)}


def _with_scatter(bench: Bench, name: str, rows: Quantity, there: np.ndarray) -> Quantity:
    """Rows of which nothing is stated get the scatter of repeats about their level, if there are any."""
    assert bench.group is not None
    if not len(there) or np.all(rows.split()[0].u[there] > 0):
        return rows
    _levels, group = np.unique(bench.group[there], return_inverse=True)
    found = average(rows[there], group, name)
    if not found.dof or not found.pooled:
        return rows
    source = sources.level_scatter(
        ("row", name), kind_of(rows.unit), found.dof, say("levels.scatter", name=name.replace("_", " "))
    )
    return with_family(rows, source, np.full(len(rows), found.pooled), bench.trials.keys)


def _scales(bench: Bench, wanted: Versus, env: Mapping[str, Quantity], there: np.ndarray) -> dict[int, float]:
    """What the difference of each row is measured by, where the recipe says so."""
    if wanted.scale is None or not wanted.scale.names <= env.keys():
        return {}
    sizes = np.broadcast_to(computed(bench, wanted.scale, env, "rows").value, (bench.trials.rows,))
    return {int(i): abs(float(sizes[i])) for i in there if math.isfinite(float(sizes[i]))}


def _held(
    value: Quantity, other: Quantity, *, measured: bool, scale: float | None = None
) -> Comparison | None:
    try:
        return compare(value, other, measured=measured, scale=scale)
    except UnitError:
        return None


def judge_all(bench: Bench) -> None:
    """Judge rows and levels of one comparison together, and say what would settle what cannot be told."""
    bench.compared.sort(key=lambda one: one.one_of_many)
    together: dict[tuple[str, str], list[int]] = {}
    for i, one in enumerate(bench.compared):
        if one.one_of_many and one.found is not None:
            together.setdefault(_question(one), []).append(i)
    for places in together.values():
        found = judged_together([c for i in places if (c := bench.compared[i].found) is not None])
        for i, judged in zip(places, found, strict=True):
            bench.compared[i] = replace(bench.compared[i], found=judged)
    open_ones = [c for c in bench.compared if c.found is not None and c.found.agree is None]
    widest: dict[tuple[str, str], Compared] = {}
    for one in open_ones:
        key = _question(one)
        if key not in widest or _openness(one) > _openness(widest[key]):
            widest[key] = one
    for one in widest.values():
        bench.notice(settling(bench, one))


def _openness(one: Compared) -> float:
    """By how many times U95 of a comparison is too large; what has no uncertainty at all comes first."""
    settled = what_settles(one.found) if one.found is not None else None
    return math.inf if settled is None or settled.needs == "uncertainty" else settled.factor


def _question(one: Compared) -> tuple[str, str]:
    """What is asked several times: whether neighbouring levels differ, else the comparison by its names."""
    stem = one.of.removesuffix(f"_{one.level}") if one.level is not None else one.of
    return (stem, one.other) if stem == one.of else (stem, "")


def settling(bench: Bench, one: Compared) -> str:
    """A sentence: why a comparison cannot be told yet, and what would settle it."""
    assert one.found is not None
    settled = what_settles(one.found)
    of, none = bench.recipe.title_of(one.of), one.other == "none"
    if settled is None or settled.needs == "uncertainty":
        if none:
            return str(say("settle.effect-uncertainty", of=of))
        return str(say("settle.uncertainty", of=of, other=_other_words(bench, one)))
    unit = one.found.difference.unit
    U95 = _plain(one.found.difference.U95, unit)
    known = (
        say("settle.effect", of=of, U95=U95)
        if none
        else say("settle.known", of=of, other=_other_words(bench, one), U95=U95)
    )
    return f"{known} {_remedy(bench, settled, unit)}"


def _plain(u: float, unit: Unit) -> str:
    """An uncertainty with the digits it deserves."""
    return f"{value_and_uncertainty(0.0, u)[1] or '0'} {unit.text}".strip()


def _remedy(bench: Bench, settled: Settled, unit: Unit) -> str:
    """What would make a difference known well enough: more repeats, or something known better."""
    if settled.needs == "better":
        return str(say("settle.better", label=settled.label, u=_plain(settled.u / settled.factor, unit)))
    repeats = float(np.median(bench.counts)) if bench.counts is not None and len(bench.counts) else 1.0
    wanted = repeats * (settled.trials - 1)
    if not wanted <= MOST_REPEATS:
        return str(say("settle.other-way"))
    if len(bench.level_rows) > 1 and bench.recipe.level:
        return str(say("settle.repeats-each-level", n=max(math.ceil(wanted), 1)))
    trials = max(bench.trials.rows, 1)
    return str(say("settle.trials", n=max(math.ceil(trials * (settled.trials - 1)), 1)))


def _other_words(bench: Bench, one: Compared) -> str:
    if one.other == one.of:
        return str(say("settle.combined"))
    return str(say("settle.theory")) if one.other == "theory" else bench.recipe.title_of(one.other)
