"""What results come to, in words: lines, results with their formula, comparisons, all schools."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.compare import verdict
from saltus.core.lines.curves import Curve
from saltus.core.lines.school import triangle
from saltus.core.lines.straight import Line
from saltus.core.shown_unit import quotient, si
from saltus.core.statement import to_figures, unit_tail
from saltus.investigations.engine.evaluation import TROUBLE, is_left, written_givens
from saltus.investigations.engine.run import run
from saltus.investigations.engine.schools import restated
from saltus.investigations.sentences import say
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.naming import axis_unit, equation, shown_unit
from saltus.investigations.view.plots import plotted
from saltus.investigations.view.times_u import in_u
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.formulas import Formula
    from saltus.core.notation.boxes import Box
    from saltus.core.quantity import Quantity
    from saltus.core.shown_unit import ShownUnit
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.engine.outcome import Fitted
    from saltus.investigations.recipe.recipe import Choice

FIGURES = 3
MOST_RESULTS = 24
_PARAMETERS = ("slope", "intercept", "c0", "c1", "c2")


def line_rows(evaluation: Evaluation, fit: Fitted) -> list[tuple[str, str]]:
    """Slope and intercept, or the terms of a curve, as the notebook states them."""
    if isinstance(fit, Curve):
        parts = list(fit.parameters.items())
        names = {
            "c0": say("verdicts.constant-term"),
            "c1": say("verdicts.linear-term"),
            "c2": say("verdicts.quadratic-term"),
        }
        return [(names.get(n, n), value_words(evaluation, q)) for n, q in parts]
    if not isinstance(fit, Line):
        return []
    x, y = axis_units(evaluation, fit)
    per = quotient(y, x, fit.y.unit / fit.x.unit)
    value = per.stated(float(fit.values[1]))
    rows: list[tuple[str, str]] = [
        (say("verdicts.slope"), value_words(evaluation, fit.slope, per) if fit.slope is not None else value)
    ]
    if fit.intercept is not None:
        rows.append((say("verdicts.intercept"), value_words(evaluation, fit.intercept, y)))
    return rows


def axis_units(evaluation: Evaluation, fit: Line | Curve) -> tuple[ShownUnit, ShownUnit]:
    """The units x and y of what is plotted are shown in."""
    plot = plotted(evaluation)
    return axis_unit(evaluation, plot.x, fit.x.unit), axis_unit(evaluation, plot.y, fit.y.unit)


def value_words(evaluation: Evaluation, q: Quantity | None, shown: ShownUnit | None = None) -> str:
    """A quantity as the convention of the notebook states it, without a word on what its ± means."""
    if q is None:
        return say("verdicts.not-yet")
    return (shown or si(q.unit)).of(restated(q, evaluation.table.convention))


def line_sentences(evaluation: Evaluation, fit: Fitted) -> list[tuple[str, str]]:
    """What the line says, as (mark, sentence): through zero, an effect at all, scatter."""
    if not isinstance(fit, Line):
        return []
    out: list[tuple[str, str]] = []
    cut = fit.intercept
    if cut is not None and math.isfinite(cut.U95):
        found = verdict(cut, float(np.ptp(fit.y.value)), known=float(cut.u) > 0)
        words = {
            True: say("verdicts.passes-through-zero-within"),
            False: say(
                "verdicts.misses-zero-u-intercept", n=in_u(abs(float(cut)) / (float(cut.u) or 1e-300))
            ),
            None: say("verdicts.through-zero-open"),
        }[found]
        out.append(({True: "done", False: "look", None: "half"}[found], words))
    if fit.slope is not None and math.isfinite(fit.slope.U95):
        if fit.no_effect:
            x, y = axis_units(evaluation, fit)
            most = quotient(y, x, fit.slope.unit).stated(abs(float(fit.slope)) + fit.slope.U95)
            out.append(("half", say("verdicts.no-effect-seen-slope", most=most)))
        else:
            out.append(
                (
                    "done",
                    say(
                        "verdicts.slope-matters",
                        n=min(abs(float(fit.slope)) / max(float(fit.slope.u), 1e-300), 9999),
                    ),
                )
            )
    basis = {
        "stated": say("verdicts.uncertainty-what-stated-each"),
        "enlarged": say("verdicts.points-scatter-more-stated"),
        "repeats": say("verdicts.uncertainty-comes-spread-repeats"),
        "scatter": say("verdicts.uncertainty-comes-scatter-about"),
    }
    out.append(("look" if fit.basis == "enlarged" else "empty", basis[fit.basis]))
    return out


def drawn_words(evaluation: Evaluation, fit: Fitted) -> str:
    """Slope of the line drawn by hand beside the fitted one; empty where none is drawn on these axes."""
    drawn, plot = evaluation.table.drawn, plotted(evaluation)
    if drawn is None or not isinstance(fit, Line) or (drawn.x, drawn.y) != (plot.x, plot.y):
        return ""
    try:
        slope, cut = triangle(*drawn.corners)
    except ValueError:
        return say("verdicts.corners-triangle-lie-above")
    x, y = axis_units(evaluation, fit)
    apart = abs(slope - float(fit.values[1])) / abs(float(fit.values[1])) if fit.values[1] else math.inf
    (x1, y1), (x2, y2) = drawn.corners
    words: str = say(
        "verdicts.by-hand",
        rise=y.stated(y2 - y1),
        run=x.stated(x2 - x1),
        slope=quotient(y, x, fit.y.unit / fit.x.unit).stated(slope),
        cut=y.stated(cut),
    )
    if math.isfinite(apart):
        words += " " + say("verdicts.from-fitted-slope", p=100 * apart)
    return words


def meaning(evaluation: Evaluation, name: str) -> Box | None:
    """How a result follows from line or rows, such as g = 4π²/slope; None where no formula says it."""
    chosen = chosen_formula(evaluation, name)
    if chosen is None:
        return None
    # what is averaged is said by its own formula: that of a column of the same symbol would say nothing
    rows = {n: f.text for n, f in evaluation.recipe.rows.items()}
    text = re.sub(r"combine\((\w+)\)", lambda m: f"combine({rows.get(m[1], m[1])})", chosen.text)
    return equation(evaluation, name, text)


def chosen_formula(evaluation: Evaluation, name: str) -> Formula | None:
    """The formula of a result that holds with the words that are given."""
    return formula_that_holds(evaluation, evaluation.recipe.results.get(name, ()))


def formula_that_holds(evaluation: Evaluation, choices: tuple[Choice, ...]) -> Formula | None:
    """Of several formulas, the first that the words that are given ask for and whose names have values."""
    known, given = _known(evaluation), evaluation.table.givens
    asked = [c.formula for c in choices if all(given.get(k) == v for k, v in c.when.items())]
    there = [f for f in asked if f.names <= known]
    return next(iter(there or asked or [c.formula for c in choices]), None)


def _known(evaluation: Evaluation) -> set[str]:
    """Names that have a value: columns, givens, results and what lines give."""
    outcome = evaluation.outcome
    known = {*evaluation.columns, *evaluation.givens, *_PARAMETERS}
    if outcome is None:
        return known
    known |= {f"{fit}_{p}" for fit in outcome.fits for p in _PARAMETERS}
    return known | {n for n, q in outcome.results.items() if q is not None} | {f"{n}_given" for n in known}


def result_rows(evaluation: Evaluation) -> list[tuple[str, str]]:
    """All results as the notebook states them, the asked ones first; what is left to the student says so."""
    if evaluation.outcome is None:
        return []
    results = evaluation.outcome.results
    order = [n for n in evaluation.recipe.order if n in results]
    order += [n for n in results if n not in order]
    rows = []
    for name in order[:MOST_RESULTS]:
        q = results[name]
        words = stated_result(evaluation, name, q) if q is not None else say("verdicts.not-yet")
        rows.append(
            (
                evaluation.recipe.title_of(name),
                say("verdicts.left-to-student") if is_left(evaluation, name) else words,
            )
        )
    return rows


def first_result(evaluation: Evaluation) -> tuple[str, str] | None:
    """Title and words of the first result that there is; None while there is none."""
    if evaluation.outcome is None or evaluation.headline is None:
        return None
    there = {evaluation.recipe.title_of(n) for n, q in evaluation.outcome.results.items() if q is not None}
    return next((row for row in result_rows(evaluation) if row[0] in there), None)


@remembered
def schools(evaluation: Evaluation) -> list[tuple[str, str]]:
    """The first result as each school states it, next to each other."""
    found = evaluation.headline
    if found is None:
        return []
    name, q = found
    rows: list[tuple[str, str]] = [(say("verdicts.standard-95"), _with(evaluation, name, "standard", "fit"))]
    rows.append((say("verdicts.half-range-added-full"), _with(evaluation, name, "half-range", "fit")))
    rows.append((say("verdicts.standard-u"), _with(evaluation, name, "school", "fit")))
    if evaluation.recipe.fits:
        rows.append(
            (say("verdicts.slope-steepest-shallowest"), _with(evaluation, name, "standard", "steepest"))
        )
        rows.append(
            (say("verdicts.slope-scatter-about-line"), _with(evaluation, name, "standard", "scatter"))
        )
    shown = shown_unit(evaluation, name, q.unit)
    figures = to_figures(float(q) / shown.factor, FIGURES) + unit_tail(shown.text)
    rows.append((say("verdicts.three-significant-figures"), figures))
    return rows


def _with(evaluation: Evaluation, name: str, convention: str, slope_u: str) -> str:
    options = replace(evaluation.options, convention=convention, slope_u=slope_u)
    try:
        outcome = run(evaluation.recipe, evaluation.trials, written_givens(evaluation), options)
    except TROUBLE as error:
        return str(error)
    q = outcome.results.get(name)
    if q is None:
        return say("verdicts.not-yet")
    return shown_unit(evaluation, name, q.unit).of(restated(q, convention))


def further_results(evaluation: Evaluation) -> list[tuple[str, str]]:
    """What the line of each series gives, where there are several."""
    plot = plotted(evaluation)
    if len(plot.series) < 2:
        return []
    rows = []
    for series in plot.series:
        parts = line_rows(evaluation, series.fit)
        rows.append((series.name, parts[0][1] if parts else say("verdicts.not-yet")))
    return rows
