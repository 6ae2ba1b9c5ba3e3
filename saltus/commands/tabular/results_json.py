"""Every result of a notebook as plain JSON values, in the shape of the ``results`` command."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from saltus.commands.tabular.number_json import comparison_json, warning_json
from saltus.commands.tabular.timing_table import crossing_json
from saltus.core.budget import budget
from saltus.core.clock.cycles import Cycles
from saltus.core.compare import compare
from saltus.core.motion.segment import NoFit
from saltus.core.statement import as_json
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.engine.outcome import Compared
from saltus.investigations.engine.schools import restated
from saltus.investigations.view.comparisons import against_value
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.derived.times import count_value, gate_values, interval_period, interval_value

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.model import Notebook, Segment, Take

Warnings = list[dict[str, Any]]


def results_json(name: str, notebook: Notebook, trouble: str = "") -> dict[str, Any]:
    """Describe all that a notebook gives; its films need not be at hand.

    Parameters
    ----------
    name : str
        What the notebook is called in the outcome.
    notebook : Notebook
    trouble : str
        Something to warn of that was met when it was opened.
    """
    warnings: Warnings = [_warning(trouble)] if trouble else []
    evaluation = evaluate(notebook)
    of_table = _of_table(evaluation, warnings) if evaluation is not None else _NO_TABLE
    takes = [_take(take, warnings) for take in notebook.takes]
    return {
        "notebook": name,
        "results": of_table["results"],
        "comparison": of_table["comparison"],
        "columns": of_table["columns"],
        "takes": takes,
        "budgets": of_table["budgets"],
        "warnings": warnings,
    }


_NO_TABLE: dict[str, Any] = {"results": {}, "comparison": [], "columns": {}, "budgets": {}}


def _warning(text: str, slip: str | None = None) -> dict[str, Any]:
    return {"slip": slip, "text": text}


def _of_table(evaluation: Evaluation, warnings: Warnings) -> dict[str, Any]:
    """Results, comparisons, columns and budgets of the table of trials; adds to the warnings."""
    outcome = evaluation.outcome
    if evaluation.trouble:
        warnings.append(_warning(evaluation.trouble))
    places = {trial.id: i + 1 for i, trial in enumerate(evaluation.rows)}
    warnings += [
        _warning(f"{places.get(trial, '–')}, {column}: {why}")
        for (trial, column), why in evaluation.cell_problems.items()
    ]
    for problems in (evaluation.given_problems, evaluation.column_problems):
        warnings += [_warning(f"{name}: {why}") for name, why in problems.items() if name]
    results = outcome.results if outcome is not None else {}
    if outcome is not None:
        warnings += [warning_json(told) for told in (*outcome.warnings, *slips_of(evaluation))]
    convention = evaluation.table.convention
    return {
        "results": {n: None if q is None else as_json(restated(q, convention)) for n, q in results.items()},
        "comparison": [comparison_json(one) for one in _compared(evaluation)],
        "columns": {
            n: [as_json(_single(q, i)) for i in range(len(evaluation.rows))]
            for n, q in evaluation.columns.items()
            if n not in evaluation.recipe.columns or evaluation.recipe.columns[n].kind != "text"
        },
        "budgets": {n: _budget(q) for n, q in results.items() if q is not None},
    }


def _single(q: Quantity, row: int) -> Quantity:
    return q[row] if q.value.ndim else q


def _compared(evaluation: Evaluation) -> list[Compared]:
    """The comparisons of the investigation, and those with what the person holds its results against."""
    if evaluation.outcome is None:
        return []
    out = list(evaluation.outcome.compared)
    for one in evaluation.table.against:
        value, other = evaluation.outcome.results.get(one.of), against_value(evaluation, one)
        if value is not None and not isinstance(other, str) and other.unit.goes_with(value.unit):
            found = compare(value, other, measured=one.link is not None)
            out.append(Compared(one.of, one.name, found))
    return out


def _budget(q: Quantity) -> list[dict[str, Any]]:
    return [{"source": line.label, "share": line.share} for line in budget(q) if math.isfinite(line.share)]


def _take(take: Take, warnings: Warnings) -> dict[str, Any]:
    """What one take gives; what it cannot give yet is warned of."""

    def known(found: Quantity | str) -> dict[str, Any] | None:
        if isinstance(found, str):
            warnings.append(_warning(f"{take.name}: {found}"))
            return None
        return as_json(found)

    timing = take.timing
    periods = []
    for count in timing.counts:
        made = count_value(take, count)
        if isinstance(made, Cycles):
            warnings.extend(_warning(f"{take.name}, {count.name}: {words}") for words in made.warnings)
        period = made.period if isinstance(made, Cycles) else made
        periods.append({"name": count.name, "period": known(period) if period is not None else None})
    gates = []
    for laid in timing.gates:
        passed, told = gate_values(take, laid)
        warnings.extend(_warning(f"{take.name}: {words}") for words in told)
        gates.append({"name": laid.id, "crossings": [crossing_json(p.crossing, p.place) for p in passed]})
    return {
        "name": take.name,
        "scale": as_json(mapping_of(take).scale),
        "segments": [_segment(take, segment, warnings) for segment in take.segments],
        "intervals": [
            {"name": i.name, "interval": known(interval_value(take, i)),
             "period": known(interval_period(take, i))}
            for i in timing.intervals
        ],
        "periods": periods,
        "gates": gates,
    }  # fmt: skip


def _segment(take: Take, segment: Segment, warnings: Warnings) -> dict[str, Any]:
    body, fit = take.body(segment.body), segment_fit(take, segment)
    told = (fit.reason,) if isinstance(fit, NoFit) else fit.warnings
    warnings.extend(_warning(f"{take.name}, {segment.id}: {words}") for words in told)
    return {
        "body": body.name if body is not None else segment.body,
        "of": segment.of,
        "model": segment.model,
        "parameters": {} if isinstance(fit, NoFit) else {n: as_json(q) for n, q in fit.parameters.items()},
    }
