"""Unknowns read from a calibration line: rows whose level is empty."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.lines.inverse import inverse_prediction, is_outside, with_scatter_of_line
from saltus.core.lines.levels import average, group_levels
from saltus.core.lines.straight import Line
from saltus.investigations.engine.bench import versus
from saltus.investigations.sentences import say
from saltus.investigations.table.trials import kind_of

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.bench import Bench


def unknown_results(bench: Bench) -> None:
    """Give a result for each label whose level is empty, by inverse prediction from the first line.

    The part ``unknown`` of a recipe names the level's ``column``, the ``label``, what ``split`` tells apart,
    and the givens to ``compare`` with. Known and unknown rows share the pooled scatter of their repeats.
    """
    recipe, trials, about = bench.recipe, bench.trials, bench.recipe.unknown
    column, label = about["column"], about["label"]
    values = trials.columns[column].values
    measured = recipe.average[0]
    if label not in trials.columns or measured not in bench.rows:
        return
    open_rows = np.flatnonzero(~np.isfinite(values) & np.isfinite(bench.rows[measured].value))
    if not len(open_rows):
        return
    names = trials.columns[label].texts
    split = (
        trials.columns[about["split"]].texts if about.get("split") in trials.columns else ("",) * trials.rows
    )
    titles = {int(i): (names[i] or say("unknowns.unknown"), split[i].strip().lower()) for i in open_rows}
    known = np.flatnonzero(np.isfinite(values) & np.isfinite(bench.rows[measured].value))
    order = list(dict.fromkeys(titles.values()))
    both = np.concatenate([known, open_rows])
    count = 0
    group = np.zeros(len(both), dtype=int)
    if len(known):
        group[: len(known)] = group_levels(values[known])[0]
        count = int(group[: len(known)].max()) + 1
    group[len(known) :] = [count + order.index(titles[int(i)]) for i in open_rows]
    keys = trials.keys[both[np.unique(group, return_index=True)[1]]]
    readings = bench.rows[measured][both]
    whole = average(readings, group, ("unknowns", measured), kind_of(readings.unit), keys=keys)
    by_label: dict[str, list[str]] = {}
    for i, (name, way) in enumerate(order):
        result = f"{column}_{name}" + (f"_{way}" if way else "")
        by_label.setdefault(name, []).append(result)
        times = float(whole.count[count + i] / np.mean(whole.count[:count])) if count else 1.0
        bench.results[result] = found = _read_from_line(
            bench, result, measured, whole.reported[count + i] if whole.dof else whole.mean[count + i], times
        )
        if found is not None:
            bench.results.setdefault("?unknown", found)
    for name, results in by_label.items():
        _compare(bench, name, results, alone=len(by_label) == 1)


def _read_from_line(
    bench: Bench, result: str, measured: str, mean: Quantity, repeats: float
) -> Quantity | None:
    """Where the first line gives what was measured of an unknown; None, and said, where it cannot.

    ``repeats``: how many times as many readings of it there are as of a point of the line.
    """
    if not all(math.isfinite(u) for u in (float(mean), *mean.parts().values())):
        bench.notice(say("conclusions.cannot-computed-numbers", name=result))
        return None
    name, fit = next(iter(bench.recipe.fits.items()))
    line = bench.fits.get(name)
    y = bench.compute(fit.y, {**bench.givens, measured: mean}, "levels")
    if not isinstance(line, Line):
        bench.notice(say("unknowns.cannot-read-line-yet", name=result))
        return None
    scatter = sources.reading_scatter(result, kind_of(y.unit), max(line.dof, 1), say("unknowns.scatter"))
    found = inverse_prediction(line, with_scatter_of_line(line, y, scatter, repeats))
    if found is None:
        bench.notice(say("unknowns.cannot-read-line-yet", name=result))
    elif is_outside(line, found):
        bench.notice(say("unknowns.outside", name=result))
    return found


def _compare(bench: Bench, name: str, results: list[str], *, alone: bool) -> None:
    """Hold the results of one label against what a balance says, and against each other."""
    prefix = bench.recipe.unknown.get("compare", "")
    own = f"{prefix}_{name}"
    other = own if own in bench.givens else prefix if alone else ""
    for result in results:
        if other in bench.givens:
            # the balance masses of all unknowns ask one question, and are judged together
            level = result if own in bench.givens else None
            versus(bench, result, other, bench.givens[other], level=level)
    if len(results) == 2:
        versus(bench, results[0], results[1])
