"""Rows become levels: grouped, averaged, and what is derived from the means."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.lines.levels import Averaged, average, by_half_range, group_levels
from saltus.core.quantities import exact
from saltus.core.quantity import Quantity
from saltus.investigations.engine.bench import Bench, computed, wide
from saltus.investigations.engine.outcome import Level
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import kind_of

if TYPE_CHECKING:
    from numpy.typing import NDArray


MOST_NAMED = 6
MOST_TOLD = 2000
"""With more levels than this their means are not listed one by one."""


class Means(Mapping[str, Quantity]):
    """Averages of one level, each taken from its column only when it is asked for."""

    def __init__(self, told: dict[str, Quantity], level: int) -> None:
        self._told, self._level = told, level

    def __getitem__(self, name: str) -> Quantity:
        return self._told[name][self._level]

    def __iter__(self) -> Iterator[str]:
        return iter(self._told)

    def __len__(self) -> int:
        return len(self._told)


class ReportedColumns(Mapping[str, Quantity]):
    """Every column at each level (L,), as reported; what is not averaged for a line is when asked."""

    def __init__(self, bench: Bench) -> None:
        self._rows, self._group, self._keys = bench.rows, bench.group, bench.level_keys
        self._known = {**bench.levels, **bench.reported}
        asked = {*bench.recipe.level, *bench.recipe.series, *bench.recipe.average, *bench.recipe.levels}
        self._other = set(self._rows) - asked

    def __getitem__(self, name: str) -> Quantity:
        if name in self._other and self._group is not None and len(self._keys):
            use = self._group >= 0
            made = average(self._rows[name][use], self._group[use], ("shown", name), keys=self._keys)
            self._known[name] = made.reported
            self._other.discard(name)
        return self._known[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)


def compute_levels(bench: Bench) -> NDArray[np.int_]:
    """Group the rows into levels, average, and compute what is derived from the means."""
    recipe, trials = bench.recipe, bench.trials
    needed = [n for n in (*recipe.level, *recipe.average) if n in bench.rows]
    full = np.ones(trials.rows, dtype=bool)
    for name in needed:
        column = trials.columns.get(name)
        if recipe.columns.get(name) is not None and recipe.columns[name].kind == "level":
            full &= np.array([bool(t) for t in column.texts], dtype=bool) if column else full
        else:
            full &= np.isfinite(bench.rows[name].value)
    used = np.flatnonzero(full)
    _tell_empty(bench, full)
    make_levels(bench, used)
    return used


def _tell_empty(bench: Bench, full: NDArray[np.bool_]) -> None:
    empty = [bench.trials.lines[i] for i in np.flatnonzero(~full)]
    if empty and not bench.recipe.unknown:
        bench.notice(
            say(
                "levels.left-out-empty-cells",
                lines=", ".join(map(str, empty[:8])) + (" …" if len(empty) > 8 else ""),
            )
        )


def make_levels(bench: Bench, used: NDArray[np.int_], key: NDArray[np.float64] | None = None) -> None:
    """Fill the levels of a bench from some of its rows.

    Parameters
    ----------
    bench : Bench
    used : (M,) ndarray of int
        Rows with nothing missing.
    key : (N, K) ndarray, optional
        What tells levels apart; by default the level columns of the recipe, or nothing.
    """
    recipe, trials = bench.recipe, bench.trials
    if key is None:
        key = level_key(bench)
    if not len(used):
        bench.levels, bench.level_rows, bench.counts, bench.level_keys = {}, [], np.zeros(0), trials.keys[:0]
        return
    group, first = group_levels(key[used])
    bench.group = np.full(trials.rows, -1)
    bench.group[used] = group
    bench.counts = np.bincount(group).astype(float)
    bench.level_keys = keys = trials.keys[used[first]]
    every_row = len(used) == trials.rows
    env: dict[str, Quantity] = {}
    averaged: dict[str, Averaged] = {}
    told: dict[str, Quantity] = {}
    for name, q in bench.rows.items():
        if name in recipe.level or name in recipe.series:
            level = q[used[first]]
            column = trials.columns[name]
            env[name] = level if column.stated else exact(level.value, q.unit)
            continue
        part = q if every_row else q[used]
        if name in recipe.average:
            label = say("levels.scatter", name=name.replace("_", " "))
            averaged[name] = average(part, group, name, kind_of(q.unit), label, keys)
            if bench.options.convention == "half-range":
                averaged[name] = by_half_range(averaged[name], part, group, name, label, keys)
            env[name] = averaged[name].mean
            told[name] = averaged[name].reported
        else:
            env[name] = part.grouped(group, len(first))
    for name, formula in recipe.levels.items():
        names = {**bench.givens, **env}
        if formula.names <= names.keys():
            env[name] = wide(computed(bench, formula, names, "levels"), len(first))
    bench.levels, bench.reported = env, told
    bench.unlike = any(a.unlike for a in averaged.values())
    bench.level_rows = _level_rows(bench, used, group, first, averaged)
    _tell_borrowed(bench)


def _tell_borrowed(bench: Bench) -> None:
    names = [level.name for level in bench.level_rows if level.borrowed]
    if names:
        shown = ", ".join(names[:MOST_NAMED]) + (" …" if len(names) > MOST_NAMED else "")
        bench.notice(say("levels.borrowed", n=len(names), names=shown))


def _level_rows(
    bench: Bench, used: NDArray[np.int_], group: NDArray[np.int_], first: NDArray[np.int_],
    averaged: dict[str, Averaged],
) -> list[Level]:  # fmt: skip
    """What is to be said of each level; ``first``: the first of the used rows of each."""
    means = {name: a.reported for name, a in averaged.items()}
    order = np.argsort(group, kind="stable")
    members = np.split(used[order], np.cumsum(np.bincount(group))[:-1])
    keys, names = bench.trials.keys, level_names(bench, used[first])
    some = list(averaged.values())
    borrowed = np.any([a.borrowed for a in some], axis=0) if some else np.zeros(len(first), bool)
    alone = np.any([a.alone for a in some], axis=0) if some else np.zeros(len(first), bool)
    return [
        Level(
            names[i],
            len(rows),
            Means(means, i) if len(first) <= MOST_TOLD else {},
            {name: float(a.sd[i]) for name, a in averaged.items()},
            bool(borrowed[i]),
            tuple(keys[rows].tolist()),
            bool(alone[i]),
        )
        for i, rows in enumerate(members)
    ]


def level_key(bench: Bench) -> NDArray[np.float64]:
    """What tells levels apart, (N, K); words are numbered."""
    recipe, trials = bench.recipe, bench.trials
    parts = []
    for name in recipe.level or ():
        column = trials.columns.get(name)
        if column is None:
            continue
        if recipe.columns[name].kind == "level" and np.any(~np.isfinite(column.values)):
            known = {t: i for i, t in enumerate(dict.fromkeys(column.texts))}
            parts.append(np.array([float(known[t] + 1) for t in column.texts]))
        else:
            parts.append(np.where(np.isfinite(column.values), column.values, -1.0))
    if not parts:
        return np.arange(1.0, trials.rows + 1)[:, None]
    return np.column_stack(parts)


def level_names(bench: Bench, rows: NDArray[np.int_]) -> list[str]:
    """Names of the levels of some rows, as typed: of the columns that vary, where several make a level."""
    there = [bench.trials.columns[n].texts for n in bench.recipe.level if n in bench.trials.columns]
    varied = [texts for texts in there if len(set(texts)) > 1] or there
    return [", ".join(texts[i] for texts in varied) if varied else str(i + 1) for i in rows.tolist()]


def series_bench(bench: Bench, name: str) -> Bench | None:
    """A bench with the rows in which one quantity takes several values while the others stay the same.

    Where there are several such sets, the one with the most levels counts. None without two levels.
    """
    recipe, trials = bench.recipe, bench.trials
    there = [n for n in recipe.series if n in trials.columns]
    if name not in there:
        return None
    others = [n for n in there if n != name]
    values = bench.rows[name].value
    measured = bench.rows[recipe.average[0]].value
    use = np.flatnonzero(np.isfinite(values) & np.isfinite(measured))
    if not len(use):
        return None
    key = (
        np.column_stack([np.nan_to_num(trials.columns[n].values[use], nan=-1.0) for n in others])
        if others
        else np.ones((len(use), 1))
    )
    group, _first = group_levels(key)
    best = max(range(group.max() + 1), key=lambda k: len(np.unique(group_levels(values[use[group == k]])[0])))
    rows = use[group == best]
    part = replace(bench, levels={}, level_rows=[])
    make_levels(part, rows, np.where(np.isfinite(values), values, -1.0)[:, None])
    return part if part.counts is not None and len(part.counts) > 1 else None
