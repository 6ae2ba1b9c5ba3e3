"""Runs an investigation on a table of trials: rows, levels, lines, results, comparisons."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import compare
from saltus.core.formulas import FormulaError, compute
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.levels import Averaged, average, group_levels
from saltus.core.lines.straight import Line, NoLine, fit_line
from saltus.core.quantity import Quantity, Source, exact, family
from saltus.core.units import UnitError
from saltus.core.wording import _
from saltus.core.written import WrittenError
from saltus.investigations.functions import column_functions
from saltus.investigations.outcome import Compared, Level, Outcome, Told
from saltus.investigations.recipe import RecipeError
from saltus.investigations.record import record_results
from saltus.investigations.schools import slope_by
from saltus.investigations.trials import as_quantity, given_quantity, kind_of
from saltus.investigations.unknowns import unknown_results

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from saltus.core.formulas import Formula
    from saltus.investigations.outcome import Fitted
    from saltus.investigations.recipe import Choice, Recipe
    from saltus.investigations.trials import Trials

SURE = 3.9
"""Standard uncertainties: chance goes beyond in fewer than one case in ten thousand."""


@dataclass(frozen=True)
class Options:
    """How an investigation is run.

    Attributes
    ----------
    line : str or None
        ``line`` or ``proportional`` instead of the model of the recipe.
    convention : {"standard", "half-range", "school"}
    slope_u : {"fit", "steepest", "scatter"}
        Where the uncertainty of a slope comes from.
    """

    line: str | None = None
    convention: str = "standard"
    slope_u: str = "fit"


@dataclass
class Bench:
    """What is known while an investigation runs."""

    recipe: Recipe
    trials: Trials
    options: Options
    givens: dict[str, Quantity] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)
    rows: dict[str, Quantity] = field(default_factory=dict)
    levels: dict[str, Quantity] = field(default_factory=dict)
    told: dict[str, Quantity] = field(default_factory=dict)
    level_rows: list[Level] = field(default_factory=list)
    counts: NDArray[np.float64] | None = None
    fits: dict[str, Fitted] = field(default_factory=dict)
    results: dict[str, Quantity | None] = field(default_factory=dict)
    failed: set[str] = field(default_factory=set)
    warnings: list[Told] = field(default_factory=list)
    compared: list[Compared] = field(default_factory=list)

    def tell(self, text: str, slip: str | None = None) -> None:
        """Add a warning once."""
        told = Told(text, slip)
        if told not in self.warnings:
            self.warnings.append(told)

    def compute(self, formula: Formula, names: Mapping[str, Quantity], prefix: str) -> Quantity:
        """Compute a formula with the functions of whole columns."""
        return compute(formula, names, column_functions(f"{prefix}/{formula.text}"))


def run(
    recipe: Recipe, trials: Trials, givens: Mapping[str, str], options: Options | None = None,
    undo: Mapping[str, Formula] | None = None,
) -> Outcome:  # fmt: skip
    """Run an investigation on a table.

    Parameters
    ----------
    recipe : Recipe
    trials : Trials
        From :func:`saltus.investigations.trials.read_trials`.
    givens : mapping of str to str
        As written, such as ``0.164(1) kg``.
    options : Options, optional
    undo : mapping of str to Formula, optional
        Columns and givens as they would have been without a slip.

    Returns
    -------
    Outcome

    Raises
    ------
    RecipeError, WrittenError
        If a given is not known, missing, or cannot be read.
    """
    bench = Bench(recipe, trials.only(np.flatnonzero(trials.kept)), options or Options())
    _take_givens(bench, givens)
    _undo(bench, undo or {})
    _compute_rows(bench)
    used = _compute_levels(bench)
    _lay_fits(bench)
    _per_level(bench)
    _series(bench)
    if recipe.unknown:
        unknown_results(bench)
    if recipe.record:
        record_results(bench)
        bench.failed |= {name for name, q in bench.results.items() if q is None}
    _results(bench)
    _compare(bench)
    _check(bench)
    sense = _sense(bench)
    return Outcome(
        recipe,
        bench.trials,
        {name: q for name, q in bench.rows.items() if name in recipe.rows},
        tuple(bench.level_rows),
        bench.fits,
        bench.results,
        tuple(bench.compared),
        tuple(bench.warnings),
        used,
        sense,
    )


def _sense(bench: Bench) -> tuple[tuple[Quantity | None, Quantity, float], ...]:
    """What can be checked for making sense; the inner names of lines go."""
    env = known_names(bench)
    out: list[tuple[Quantity | None, Quantity, float]] = []
    for sense in bench.recipe.sense:
        if not sense.like.names <= env.keys():
            continue
        like = _computed(bench, sense.like, env, "sense")
        # a result that failed is not to be taken for the given of its name
        lost = [n for n in sense.of.names if n in bench.recipe.results and bench.results.get(n) is None]
        if sense.of.names <= env.keys() and not lost:
            out.append((_computed(bench, sense.of, env, "sense"), like, sense.within))
        elif sense.of.names <= env.keys() | bench.failed:
            out.append((None, like, sense.within))
    bench.results = {n: q for n, q in bench.results.items() if not n.startswith("?")}
    return tuple(out)


def _take_givens(bench: Bench, written: Mapping[str, str]) -> None:
    recipe = bench.recipe
    prefix = recipe.unknown.get("compare", "")
    for name, text in written.items():
        given = recipe.givens.get(name) or (recipe.givens.get(prefix) if prefix and name.startswith(f"{prefix}_") else None)
        if given is None:
            raise RecipeError(
                _("“{name}” is no given of {recipe}: it has {all}.").format(
                    name=name[:40], recipe=recipe.id, all=", ".join(recipe.givens)
                )
            )
        if given.choices:
            if text.strip().lower() not in given.choices:
                raise WrittenError(
                    _("“{name}” is one of {all}, not “{text}”.").format(
                        name=name, all=", ".join(given.choices), text=text[:40]
                    )
                )
            bench.words[name] = text.strip().lower()
        else:
            bench.givens[name] = given_quantity(name, text, given.unit, given.unit_text, given.words)
    for name, given in recipe.givens.items():
        if name in written:
            continue
        if given.choices:
            bench.words[name] = given.default or given.choices[0]
        elif given.default is not None:
            bench.givens[name] = given_quantity(name, given.default, given.unit, given.unit_text, given.words)
        elif not given.optional:
            unit = f" {given.unit_text}" if given.unit_text else ""
            raise RecipeError(
                _("{recipe} needs the given “{name}”: write for example --given \"{name}=1.00(1){unit}\".").format(
                    recipe=recipe.id, name=name, unit=unit
                )
            )


def _undo(bench: Bench, undo: Mapping[str, Formula]) -> None:
    """Put columns and givens as a slip undone would have them."""
    plain = {n: exact(c.values, c.unit) for n, c in bench.trials.columns.items()}
    names = {**plain, **bench.givens}
    for name, formula in undo.items():
        if not formula.names <= names.keys():
            continue
        made = _computed(bench, formula, names, "undo")
        if name in bench.givens:
            bench.givens[name] = made
        elif name in bench.trials.columns:
            bench.trials = bench.trials.with_values(name, np.broadcast_to(made.value, (bench.trials.rows,)).copy())


def _compute_rows(bench: Bench) -> None:
    recipe = bench.recipe
    grouped = {*recipe.level, *recipe.series}
    for name, column in bench.trials.columns.items():
        if recipe.columns[name].kind != "text":
            bench.rows[name] = as_quantity(name, column, level=name in grouped)
    for name, formula in recipe.rows.items():
        env = {**bench.givens, **bench.rows}
        if formula.names <= env.keys():
            bench.rows[name] = _wide(_computed(bench, formula, env, "rows"), bench.trials.rows)


def _wide(q: Quantity, rows: int) -> Quantity:
    """A column of N values also where a formula gave one."""
    return q if q.value.ndim else q * exact(np.ones(rows))


def _computed(bench: Bench, formula: Formula, env: Mapping[str, Quantity], prefix: str) -> Quantity:
    try:
        return bench.compute(formula, env, prefix)
    except (FormulaError, UnitError) as error:
        raise RecipeError(f"{bench.recipe.id}: {error}") from error


def _compute_levels(bench: Bench) -> NDArray[np.int_]:
    """Group the rows into levels, average, and compute what is derived from the means."""
    recipe, trials = bench.recipe, bench.trials
    needed = [n for n in (*recipe.level, *recipe.average) if n in bench.rows]
    full = np.ones(trials.rows, dtype=bool)
    for name in needed:
        column = trials.columns.get(name)
        if recipe.columns.get(name) is not None and recipe.columns[name].kind == "level":
            full &= np.array([bool(t) for t in column.texts]) if column else full
        else:
            full &= np.isfinite(bench.rows[name].value)
    used = np.flatnonzero(full)
    _tell_empty(bench, full)
    make_levels(bench, used)
    return used


def _tell_empty(bench: Bench, full: NDArray[np.bool_]) -> None:
    empty = [bench.trials.lines[i] for i in np.flatnonzero(~full)]
    if empty and not bench.recipe.unknown:
        words = _("Left out, for empty cells: line {lines}.")
        bench.tell(words.format(lines=", ".join(map(str, empty[:8])) + (" …" if len(empty) > 8 else "")))


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
        bench.levels, bench.level_rows, bench.counts = {}, [], np.zeros(0)
        return
    group, first = group_levels(key[used])
    bench.counts = np.bincount(group).astype(float)
    every_row = len(used) == trials.rows
    env: dict[str, Quantity] = {}
    averaged: dict[str, Averaged] = {}
    told: dict[str, Quantity] = {}
    for name, q in bench.rows.items():
        if name in recipe.level or name in recipe.series:
            column = trials.columns[name]
            values = q.value[used][first]
            source = Source(f"column/{name}", kind_of(q.unit), name.replace("_", " "))
            env[name] = (
                exact(values, q.unit)
                if column.u is None
                else family(values, np.nan_to_num(column.u[used][first]), q.unit, source)
            )
            continue
        part = q if every_row else q[used]
        if name in recipe.average:
            label = _("Scatter of {name}").format(name=name.replace("_", " "))
            averaged[name] = average(part, group, f"scatter/{name}", kind_of(q.unit), label)
            env[name] = averaged[name].mean
            told[name] = averaged[name].told
        else:
            env[name] = part.grouped(group, len(first))
    for name, formula in recipe.levels.items():
        names = {**bench.givens, **env}
        if formula.names <= names.keys():
            env[name] = _wide(_computed(bench, formula, names, "levels"), len(first))
    bench.levels, bench.told = env, told
    bench.level_rows = [
        Level(
            level_name(bench, int(used[row])),
            int(bench.counts[i]),
            {name: a.told[i] for name, a in averaged.items()} if len(first) <= 2000 else {},
            {name: float(a.sd[i]) for name, a in averaged.items()},
        )
        for i, row in enumerate(first)
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


def level_name(bench: Bench, row: int) -> str:
    """Name of the level of a row, as typed."""
    names = [bench.trials.columns[n].texts[row] for n in bench.recipe.level if n in bench.trials.columns]
    return ", ".join(names) if names else str(row + 1)


def _lay_fits(bench: Bench) -> None:
    for name, fit in bench.recipe.fits.items():
        levels, counts = bench.levels, bench.counts
        if fit.series:
            found = series_bench(bench, fit.series)
            levels, counts = (found.levels, found.counts) if found is not None else ({}, None)
        env = {**bench.givens, **levels}
        if _in_words(bench, fit.x.names | fit.y.names):
            continue
        if not (fit.x.names | fit.y.names) <= env.keys():
            # with complete trials what is missing is optional
            _fit_failed(bench, name, None if levels else _("There is no complete trial to lay a line through."))
            continue
        try:
            x, y = (bench.compute(f, env, f"fit/{name}") for f in (fit.x, fit.y))
        except (FormulaError, UnitError) as error:
            raise RecipeError(f"{bench.recipe.id}: {error}") from error
        bench.fits[name] = made = _laid(bench, name, fit.model, x, y, counts)
        if isinstance(made, NoLine):
            _fit_failed(bench, name, made.reason)
            continue
        _fitted_names(bench, name, made)


def _in_words(bench: Bench, names: frozenset[str]) -> bool:
    """Whether a line would need levels that are words: these have means and differences, no trend."""
    columns = bench.recipe.columns
    return any(
        name in columns and columns[name].kind == "level" and np.any(~np.isfinite(bench.rows[name].value))
        for name in names
    )


def _laid(
    bench: Bench, name: str, model: str, x: Quantity, y: Quantity, counts: NDArray[np.float64] | None
) -> Fitted:
    good = np.isfinite(x.value) & np.isfinite(y.value) & np.isfinite(x.u) & np.isfinite(y.u)
    weights = counts
    if not np.all(good):
        keep = np.flatnonzero(good)
        x, y = x[keep], y[keep]
        weights = counts[keep] if counts is not None else None
    first = name == next(iter(bench.recipe.fits))
    if model == "quadratic":
        return fit_curve(CURVES["quadratic"], x, y, f"fit/{name}")
    if first and bench.options.line:
        model = bench.options.line
    line = fit_line(x, y, through_origin=model == "proportional", weights=weights, name=f"fit/{name}")
    return line if isinstance(line, NoLine) else slope_by(line, bench.options.slope_u, f"fit/{name}")


def _fitted_names(bench: Bench, name: str, made: Line | Curve) -> None:
    first = name == next(iter(bench.recipe.fits))
    parts: dict[str, Quantity | None] = (
        dict(made.parameters)
        if isinstance(made, Curve)
        else {"slope": made.slope, "intercept": made.intercept}
    )
    for part, q in parts.items():
        for key in (f"{name}_{part}", *([part] if first else [])):
            if q is None:
                through = isinstance(made, Line) and made.through_origin and part == "intercept"
                if through:
                    bench.results[f"?{key}"] = Quantity(0.0, made.y.unit)
                else:
                    bench.failed.add(key)
            else:
                bench.results[f"?{key}"] = q
    for sentence in made.warnings if first else ():
        bench.tell(sentence)


def _fit_failed(bench: Bench, name: str, reason: str | None) -> None:
    first = name == next(iter(bench.recipe.fits))
    for part in ("slope", "intercept", "c0", "c1", "c2"):
        bench.failed.add(f"{name}_{part}")
        if first:
            bench.failed.add(part)
    if reason:
        bench.tell(reason)


def _per_level(bench: Bench) -> None:
    env = {**bench.givens, **bench.levels, **bench.told}
    for name, formula in bench.recipe.per_level.items():
        if not formula.names <= env.keys():
            continue
        found = _wide(_computed(bench, formula, env, "per_level"), len(bench.level_rows))
        for i, level in enumerate(bench.level_rows):
            q = found[i]
            bench.results[f"{name}_{level.name}"] = q
    names = list(bench.recipe.per_level)
    if names:
        for a, b in zip(bench.level_rows, bench.level_rows[1:], strict=False):
            versus(bench, f"{names[0]}_{b.name}", f"{names[0]}_{a.name}")


def _series(bench: Bench) -> None:
    """For each quantity that varies alone: the slope of what was averaged against it."""
    recipe = bench.recipe
    for name in recipe.series:
        found = series_bench(bench, name)
        if found is None or found.counts is None or len(found.counts) < 2:
            continue
        measured = recipe.average[0]
        line = fit_line(found.levels[name], found.levels[measured], weights=found.counts, name=f"effect/{name}")
        result = f"effect_of_{name}"
        if isinstance(line, NoLine) or line.slope is None:
            bench.results[result] = None
            words = line.reason if isinstance(line, NoLine) else line.warnings[-1]
            bench.tell(f"{result}: {words}")
            continue
        bench.results[result] = line.slope
        versus(bench, result, "none", Quantity(0.0, line.slope.unit))


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
    key = np.column_stack([np.nan_to_num(trials.columns[n].values[use], nan=-1.0) for n in others]) if others else np.ones((len(use), 1))
    group, _first = group_levels(key)
    best = max(range(group.max() + 1), key=lambda k: len(np.unique(group_levels(values[use[group == k]])[0])))
    rows = use[group == best]
    part = replace(bench, levels={}, level_rows=[])
    make_levels(part, rows, np.where(np.isfinite(values), values, -1.0)[:, None])
    return part if part.counts is not None and len(part.counts) > 1 else None


def known_names(bench: Bench) -> dict[str, Quantity]:
    """Everything a result may use: givens, rows, lines, results so far."""
    found = {name.removeprefix("?"): q for name, q in bench.results.items() if q is not None}
    typed = {f"{name}_given": q for name, q in bench.givens.items()}
    return {**bench.givens, **typed, **bench.rows, **found}


def pick(bench: Bench, choices: tuple[Choice, ...], names: set[str] | frozenset[str]) -> Choice | None:
    """The first formula whose condition holds and whose names are there."""
    for choice in choices:
        holds = all(bench.words.get(k) == v for k, v in choice.when.items())
        if holds and choice.formula.names <= names:
            return choice
    return None


def _results(bench: Bench) -> None:
    for name, choices in bench.recipe.results.items():
        env = known_names(bench)
        choice = pick(bench, choices, env.keys())
        if choice is None:
            possible = pick(bench, choices, env.keys() | bench.failed)
            if possible is not None:
                bench.results[name] = None
                bench.failed.add(name)
            continue
        q = _computed(bench, choice.formula, env, f"result/{name}")
        if q.value.ndim or not math.isfinite(float(q)):
            bench.results[name] = None
            bench.failed.add(name)
            bench.tell(_("{name} cannot be computed from these numbers.").format(name=name))
        else:
            bench.results[name] = q
            if not math.isfinite(float(q.u)):
                bench.tell(_("One trial of which no uncertainty is stated: repeat it, or state one."))
    missing = [n for n, q in bench.results.items() if q is None]
    if missing and not bench.warnings:
        bench.tell(_("There are too few trials for {names}.").format(names=", ".join(missing)))


def versus(bench: Bench, of: str, other: str, value: Quantity | None = None) -> None:
    """Compare a result with another or with a value; without the one or the other nothing is compared."""
    result = bench.results.get(of)
    against = value if value is not None else bench.results.get(other)
    if result is None or against is None:
        return
    try:
        bench.compared.append(Compared(of, other, compare(result, against)))
    except UnitError:
        return


def _compare(bench: Bench) -> None:
    for wanted in bench.recipe.comparisons:
        result = bench.results.get(wanted.of)
        if result is None:
            continue
        env = known_names(bench)
        if wanted.other == "none":
            versus(bench, wanted.of, "none", Quantity(0.0, result.unit))
            continue
        choice = pick(bench, wanted.choices, env.keys()) if wanted.choices else None
        if wanted.choices and choice is None:
            continue
        other = (
            _computed(bench, choice.formula, env, f"theory/{wanted.of}")
            if choice is not None
            else bench.givens.get(wanted.other, bench.results.get(wanted.other))
        )
        if other is None or other.value.ndim or not math.isfinite(float(other)):
            continue
        if wanted.difference is not None and wanted.difference.names <= env.keys():
            # rows that share their scatter: the difference row by row tells more than that of two means
            apart = _computed(bench, wanted.difference, env, f"difference/{wanted.of}")
            found = compare(result, other)
            agrees = abs(float(apart)) <= apart.U95 if math.isfinite(float(apart.u)) else None
            bench.compared.append(Compared(wanted.of, wanted.other, replace(found, difference=apart, agree=agrees)))
        else:
            versus(bench, wanted.of, wanted.other, other)


def _check(bench: Bench) -> None:
    """Warnings that the data themselves give rise to, and plausible ranges."""
    env = {**known_names(bench), **{n: q for n, q in bench.levels.items()}}
    for warn in bench.recipe.warns:
        if all(f.names <= env.keys() for f in warn.when) and bench.level_rows and all(_holds(bench, f, env, warn.significant) for f in warn.when):
            bench.tell(warn.text, warn.slip or None)
    for name, (least, most) in bench.recipe.plausible.items():
        q = bench.results.get(name)
        if q is None or not (least.names | most.names) <= env.keys():
            continue
        low, high = (float(_computed(bench, f, env, "plausible")) for f in (least, most))
        if not low - q.U95 <= float(q) <= high + q.U95:
            bench.tell(
                _("{name} lies outside what is possible here, {low:.3g} to {high:.3g} {unit}.").format(
                    name=name, low=low, high=high, unit=q.unit.ascii
                )
            )


def _holds(bench: Bench, formula: Formula, env: Mapping[str, Quantity], significant: bool) -> bool:
    q = _computed(bench, formula, env, "warn")
    value = float(np.max(q.value)) if q.value.size else math.nan
    if not math.isfinite(value):
        return False
    u = float(np.max(q.u)) if significant else 0.0
    return value > max(SURE * u, 1e-12)
