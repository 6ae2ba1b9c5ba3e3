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
from saltus.core.statement import MINUS, stated, to_figures
from saltus.investigations.engine.evaluation import TROUBLE, is_left, written_givens
from saltus.investigations.engine.run import run
from saltus.investigations.engine.schools import restated
from saltus.investigations.sentences import say
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.plots import axis_words, plotted
from saltus.investigations.view.table_view import result_title
from saltus.investigations.view.times_u import in_u
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.engine.outcome import Fitted

FIGURES = 3
MOST_RESULTS = 24


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
    unit = (fit.y.unit / fit.x.unit).text
    value = stated(float(fit.values[1]), None) + (f" {unit}" if unit else "")
    rows: list[tuple[str, str]] = [
        (say("verdicts.slope"), value_words(evaluation, fit.slope) if fit.slope is not None else value)
    ]
    if fit.intercept is not None:
        rows.append((say("verdicts.intercept"), value_words(evaluation, fit.intercept)))
    return rows


def value_words(evaluation: Evaluation, q: Quantity | None) -> str:
    """A quantity as the convention of the notebook states it, without a word on what its ± means."""
    if q is None:
        return say("verdicts.not-yet")
    made = restated(q, evaluation.table.convention)
    return stated(float(made), made.U95 if math.isfinite(made.U95) else None, made.unit)


def line_sentences(fit: Fitted) -> list[tuple[str, str]]:
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
            most = abs(float(fit.slope)) + fit.slope.U95
            out.append(
                ("half", say("verdicts.no-effect-seen-slope", most=stated(most, None, fit.slope.unit)))
            )
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
    unit = fit.y.unit / fit.x.unit
    apart = abs(slope - float(fit.values[1])) / abs(float(fit.values[1])) if fit.values[1] else math.inf
    (x1, y1), (x2, y2) = drawn.corners
    words: str = say(
        "verdicts.by-hand",
        rise=stated(y2 - y1, None, fit.y.unit),
        run=stated(x2 - x1, None, fit.x.unit),
        slope=stated(slope, None, unit),
        cut=stated(cut, None, fit.y.unit),
    )
    if math.isfinite(apart):
        words += " " + say("verdicts.from-fitted-slope", p=100 * apart)
    return words


def meaning(evaluation: Evaluation, name: str) -> str:
    """How a result follows from the line or the rows, such as g = 4π²/slope."""
    choices = evaluation.recipe.results.get(name)
    if not choices:
        return ""
    chosen = choices[-1] if len(choices) > 1 else choices[0]
    for choice in choices:
        held = all(evaluation.table.givens.get(k) == v for k, v in choice.when.items())
        if held:
            chosen = choice
            break
    text = re.sub(r"\b[a-z]+_(slope|intercept|c0|c1|c2)\b", r"\1", chosen.formula.text)
    text = re.sub(r"combine\((\w+)\)", lambda m: say("verdicts.mean-of", name=m[1]), text)
    words = axis_words(text).replace("pi", "π").replace("-", MINUS)
    return f"{result_title(evaluation.recipe, name)} = {words}"


def result_rows(evaluation: Evaluation) -> list[tuple[str, str]]:
    """All results as the notebook states them, the asked ones first; what is left to the student says so."""
    if evaluation.outcome is None:
        return []
    results = evaluation.outcome.results
    order = [n for n in evaluation.recipe.results if n in results]
    order += [n for n in results if n not in order]
    rows = []
    for name in order[:MOST_RESULTS]:
        q = results[name]
        words = stated_result(evaluation, q) if q is not None else say("verdicts.not-yet")
        rows.append(
            (
                result_title(evaluation.recipe, name),
                say("verdicts.left-to-student") if is_left(evaluation, name) else words,
            )
        )
    return rows


def first_result(evaluation: Evaluation) -> tuple[str, str] | None:
    """Title and words of the first result that there is; None while there is none."""
    if evaluation.outcome is None or evaluation.headline is None:
        return None
    there = {
        result_title(evaluation.recipe, n) for n, q in evaluation.outcome.results.items() if q is not None
    }
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
    unit = f" {q.unit.text}" if q.unit.text else ""
    rows.append((say("verdicts.three-significant-figures"), f"{to_figures(float(q), FIGURES)}{unit}"))
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
    made = restated(q, convention)
    return stated(float(made), made.U95 if math.isfinite(made.U95) else None, made.unit)


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
