"""Runs an investigation on a table of trials: rows, levels, lines, results, comparisons."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.formulas import Call, Name
from saltus.core.quantities import exact
from saltus.core.with_uncertainty import with_family
from saltus.core.written import WrittenError
from saltus.investigations.engine.bench import Bench, Options, computed, wide
from saltus.investigations.engine.comparisons import compare_results, judge_all
from saltus.investigations.engine.conclusions import check_data, conclude, per_level, what_can_be_checked
from saltus.investigations.engine.fitting import lay_fits, series_effects
from saltus.investigations.engine.levels import ReportedColumns, compute_levels
from saltus.investigations.engine.outcome import Outcome
from saltus.investigations.engine.record import record_results
from saltus.investigations.engine.unknowns import unknown_results
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import as_quantity, given_quantity, kind_of

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

    from numpy.typing import NDArray

    from saltus.core.formulas import Formula, Node
    from saltus.core.quantity import Quantity
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.investigations.table.trials import Trials


def run(
    recipe: Recipe, trials: Trials, givens: Mapping[str, str | Quantity], options: Options | None = None,
    undo: Mapping[str, Formula] | None = None,
) -> Outcome:  # fmt: skip
    """Run an investigation on a table.

    Parameters
    ----------
    recipe : Recipe
    trials : Trials
        From :func:`saltus.investigations.table.trials.read_trials`.
    givens : mapping of str to str or Quantity
        As written, such as ``0.164(1) kg``, or as measured.
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
    wanted = options or Options()
    # silly numbers overflow to what is not finite, and that is told of
    with np.errstate(all="ignore"):
        made = _run(recipe, trials, givens, wanted, undo or {})
        judged = Options(wanted.line, verdicts=wanted.verdicts)
        if wanted == judged:
            return made
        # verdicts and warnings hang on no convention that results are only shown in
        plain = _run(recipe, trials, givens, judged, undo or {})
        told = (*plain.warnings, *(w for w in made.warnings if w not in plain.warnings and not w.slip))
        return replace(made, compared=plain.compared, warnings=told, sense=plain.sense)


def _run(
    recipe: Recipe,
    trials: Trials,
    givens: Mapping[str, str | Quantity],
    options: Options,
    undo: Mapping[str, Formula],
) -> Outcome:
    bench = Bench(recipe, trials.only(np.flatnonzero(trials.kept)), options)
    _take_givens(bench, givens)
    _undo(bench, undo)
    _compute_rows(bench)
    used = compute_levels(bench)
    lay_fits(bench)
    per_level(bench)
    series_effects(bench)
    if recipe.unknown:
        unknown_results(bench)
    if recipe.record:
        record_results(bench)
        bench.failed |= {name for name, q in bench.results.items() if q is None}
    conclude(bench)
    if options.verdicts:
        compare_results(bench)
        judge_all(bench)
    check_data(bench)
    sense = what_can_be_checked(bench)
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
        tuple(bench.points),
        sense,
        bench.rows,
        bench.group,
        bench.line_rows,
        ReportedColumns(bench),
    )


def rows_of(
    recipe: Recipe, trials: Trials, givens: Mapping[str, Quantity]
) -> tuple[dict[str, Quantity], dict[str, str]]:
    """Give what each row gives by itself, and why a column cannot be worked out.

    Parameters
    ----------
    recipe : Recipe
    trials : Trials
        All rows, those that count and those that do not.
    givens : mapping of str to Quantity
        Those that are known.

    Returns
    -------
    columns : dict of str to Quantity
        (N,) typed and derived, also what is derived of means, here of the rows.
    problems : dict of str to str
        Column to sentence.
    """
    bench = Bench(recipe, trials, Options(), dict(givens))
    problems: dict[str, str] = {}
    with np.errstate(all="ignore"):
        _compute_rows(replace(bench, recipe=replace(recipe, rows={})))
        for name, formula in {**recipe.rows, **recipe.levels}.items():
            env = {**bench.givens, **bench.rows}
            if not formula.names <= env.keys():
                continue
            try:
                bench.rows[name] = wide(computed(bench, formula, env, "rows"), trials.rows)
            except RecipeError as error:
                problems[name] = error.why
    return bench.rows, problems


def _take_givens(bench: Bench, written: Mapping[str, str | Quantity]) -> None:
    recipe = bench.recipe
    prefix = recipe.unknown.get("compare", "")
    for name, text in written.items():
        given = recipe.givens.get(name) or (
            recipe.givens.get(prefix) if prefix and name.startswith(f"{prefix}_") else None
        )
        if given is None:
            raise RecipeError(
                say("run.unknown-given", name=name[:40], recipe=recipe.id, all=", ".join(recipe.givens))
            )
        if not isinstance(text, str):
            bench.givens[name] = text
        elif given.choices:
            bench.words[name] = _choice(name, text, given.choices)
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
            raise RecipeError(say("run.missing-given", recipe=recipe.id, name=name, unit=unit))


def _choice(name: str, text: str, choices: Collection[str]) -> str:
    if text.strip().lower() not in choices:
        raise WrittenError(say("run.no-choice", name=name, all=", ".join(choices), text=text[:40]))
    return text.strip().lower()


def _undo(bench: Bench, undo: Mapping[str, Formula]) -> None:
    """Put columns and givens as a slip undone would have them."""
    plain = {n: exact(c.values, c.unit) for n, c in bench.trials.columns.items()}
    names = {**plain, **bench.givens}
    for name, formula in undo.items():
        if not formula.names <= names.keys():
            continue
        made = computed(bench, formula, names, "rows")
        if name in bench.givens:
            bench.givens[name] = made
        elif name in bench.trials.columns:
            bench.trials = bench.trials.with_values(
                name, np.broadcast_to(made.value, (bench.trials.rows,)).copy()
            )


def _stepped(node: Node) -> set[str]:
    """Columns of which a formula takes the steps from row to row."""
    if not isinstance(node, Call):
        return set()
    inner = {part.name for part in node.parts if isinstance(part, Name)} if node.name == "step" else set()
    return inner.union(*map(_stepped, node.parts))


def _free(name: str, q: Quantity, keys: NDArray[Any]) -> Quantity:
    """Values of which nothing is stated, but whose neighbours' differences share them: u up to a factor."""
    return with_family(q, sources.unstated_column(name, kind_of(q.unit)), 1.0, keys)


def _compute_rows(bench: Bench) -> None:
    recipe = bench.recipe
    grouped = {*recipe.level, *recipe.series}
    stepped = {name for formula in recipe.rows.values() for name in _stepped(formula.tree)}
    for name, column in bench.trials.columns.items():
        if recipe.columns[name].kind != "text":
            keys = bench.trials.keys
            q = as_quantity(name, column, keys, level=name in grouped)
            bench.rows[name] = _free(name, q, keys) if name in stepped and not column.stated else q
    for name, formula in recipe.rows.items():
        env = {**bench.givens, **bench.rows}
        if formula.names <= env.keys():
            bench.rows[name] = wide(computed(bench, formula, env, "rows"), bench.trials.rows)
