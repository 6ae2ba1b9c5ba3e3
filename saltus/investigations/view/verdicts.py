"""What results come to, in words: lines, results with their formula, comparisons, all schools."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.compare import compare
from saltus.core.entry import entry
from saltus.core.lines.curves import Curve
from saltus.core.lines.school import triangle
from saltus.core.lines.straight import Line
from saltus.core.quantities import measured
from saltus.core.statement import MINUS, stated, to_figures, value_and_uncertainty
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.engine.evaluation import TROUBLE, is_left, written_givens
from saltus.investigations.engine.outcome import Compared
from saltus.investigations.engine.run import run
from saltus.investigations.engine.schools import restated
from saltus.investigations.sentences import say
from saltus.investigations.table.links import linked
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.plots import axis_words, plotted
from saltus.investigations.view.table_view import result_title
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.engine.outcome import Fitted
    from saltus.notebook.trials import Against

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
        through = abs(float(cut)) <= cut.U95
        words = (
            say("verdicts.passes-through-zero-within")
            if through
            else say("verdicts.misses-zero-u-intercept", n=_times(abs(float(cut)) / float(cut.u)))
        )
        out.append(("done" if through else "look", words))
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


def _times(n: float) -> str:
    """So many standard uncertainties: one decimal while they are few."""
    return f"{n:.1f}" if n < 10 else f"{min(n, 99999):.0f}"


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


@dataclass(frozen=True)
class Verdict:
    """A comparison in words.

    Attributes
    ----------
    of, other : str
        As titles.
    value, against : Quantity
    sentence : str
        Whether they agree, by how many u they differ.
    further : str
        Percent difference and overlap, as other schools judge.
    agree : bool or None
    """

    of: str
    other: str
    value: Quantity
    against: Quantity
    sentence: str
    further: str
    agree: bool | None
    with_none: bool = False


def verdicts(evaluation: Evaluation) -> list[Verdict]:
    """All comparisons of an outcome in words; those with nothing are said by the line."""
    if evaluation.outcome is None:
        return []
    out = []
    for compared in evaluation.outcome.compared:
        value = evaluation.outcome.results.get(compared.of)
        if value is None or compared.found is None or is_left(evaluation, compared.of):
            continue
        out.append(_verdict(evaluation, compared, value))
    out = sorted(out, key=lambda v: v.with_none)
    return [*_against(evaluation), *out, *_between_series(evaluation)]


def _against(evaluation: Evaluation) -> list[Verdict]:
    """Results held against what the person chose: a second method, another group, a table value."""
    assert evaluation.outcome is not None
    out = []
    for one in evaluation.table.against:
        value = evaluation.outcome.results.get(one.of)
        other = against_value(evaluation, one)
        if value is None or isinstance(other, str) or is_left(evaluation, one.of):
            continue
        if other.unit.goes_with(value.unit):
            out.append(
                _verdict(
                    evaluation,
                    Compared(one.of, one.name, compare(value, other, measured=one.link is not None)),
                    value,
                )
            )
    return out


def against_value(evaluation: Evaluation, one: Against) -> Quantity | str:
    """The value a result is held against, or a sentence that says why there is none."""
    if one.link is not None:
        q = linked(evaluation.sources, one.link, one.text)
        if not isinstance(q, str):
            return q
    try:
        read = entry(one.text)
    except (WrittenError, UnitError) as error:
        return str(error)
    return measured(read.value, read.u or 0.0, read.unit, sources.held_against(one.name))


def _between_series(evaluation: Evaluation) -> list[Verdict]:
    """Slopes of the series of a plot, each with the one before it."""
    told = [(s.name, s.fit.slope) for s in plotted(evaluation).series if isinstance(s.fit, Line)]
    slopes = [(name, q) for name, q in told if q is not None and name]
    out = []
    for (before, first), (name, second) in pairwise(slopes):
        made = _verdict(evaluation, Compared("slope", before, compare(second, first, measured=True)), second)
        out.append(replace(made, of=say("verdicts.slope-of", name=name), other=before))
    return out


def _verdict(evaluation: Evaluation, compared: Compared, value: Quantity) -> Verdict:
    found = compared.found
    assert found is not None
    of = result_title(evaluation.recipe, compared.of)
    given = compared.other in evaluation.recipe.givens
    other = evaluation.recipe.title_of(compared.other)
    other = {"none": say("verdicts.no-effect"), "theory": say("verdicts.theory")}.get(compared.other, other)
    if given and compared.other in evaluation.recipe.results:
        other = say("verdicts.the-given", name=result_title(evaluation.recipe, compared.other))
    against = value - found.difference
    gap = found.difference.U95
    number = value_and_uncertainty(abs(float(found.difference)), gap if math.isfinite(gap) else None)[0]
    size = f"{number} {value.unit.text}".strip()
    if compared.other == "none":
        code = {False: "verdicts.effect", True: "verdicts.no-effect-seen", None: "verdicts.effect-open"}[
            found.agree
        ]
        sentence = say(code, n=found.apart or 0.0)
        return Verdict(of, other, value, against, sentence, "", found.agree, with_none=True)
    code = {True: "verdicts.agree", False: "verdicts.differ", None: "verdicts.cannot-tell"}[found.agree]
    n = _times(found.apart) if found.apart is not None else None
    sentence = say(code, size=size) if n is None else say(f"{code}-in-u", size=size, n=n)
    further = []
    if found.percent is not None:
        further.append(say("verdicts.difference", p=f"{found.percent:+.2g}".replace("-", MINUS)))
    if found.overlap is not None:
        further.append(
            say("verdicts.ranges-overlap") if found.overlap else say("verdicts.ranges-not-overlap")
        )
    return Verdict(of, other, value, against, sentence, " · ".join(further), found.agree)


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
