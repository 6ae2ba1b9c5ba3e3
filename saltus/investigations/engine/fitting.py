"""Lines and curves through the levels of an investigation."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.straight import Line, NoLine, fit_line
from saltus.core.quantity import Quantity
from saltus.investigations.engine.bench import Bench, computed, versus, wide
from saltus.investigations.engine.levels import series_bench
from saltus.investigations.engine.schools import slope_by
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.investigations.engine.outcome import Fitted
    from saltus.investigations.recipe.recipe import Fit


def lay_fits(bench: Bench) -> None:
    """Lay every line and curve of the recipe; what cannot be laid is told, once, for the first."""
    for name, fit in bench.recipe.fits.items():
        rows = series_bench(bench, fit.series) if fit.series else bench
        levels = rows.levels if rows is not None else {}
        env = {**bench.givens, **levels}
        if _in_words(bench, fit.x.names | fit.y.names):
            continue
        if rows is None or not levels or not (fit.x.names | fit.y.names) <= env.keys():
            # with complete trials what is missing is optional
            words = say("fitting.no-complete-trial-lay")
            if fit.series and bench.trials.rows:
                words = say("fitting.takes-value-only-vary", name=fit.series)
            _fit_failed(bench, name, None if levels else words)
            continue
        count = len(next(iter(levels.values())))
        where = f"levels of {fit.series}" if fit.series else "levels"
        x, y = (wide(computed(rows, f, env, where), count) for f in (fit.x, fit.y))
        bench.fits[name] = made = _laid(bench, name, fit, x, y, rows)
        if name == next(iter(bench.recipe.fits)) and rows.group is not None:
            good = np.flatnonzero(_usable(x, y))
            bench.line_rows = tuple(np.flatnonzero(rows.group == i) for i in good)
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


def _laid(bench: Bench, name: str, fit: Fit, x: Quantity, y: Quantity, rows: Bench) -> Fitted:
    within = _within(bench, fit, y, rows)
    good = _usable(x, y)
    weights = rows.counts
    if rows.unlike:
        # levels that scatter so differently must not weigh the line; what they share still enters
        x, y = x.without_own(), y.without_own()
    if not np.all(good):
        keep = np.flatnonzero(good)
        x, y = x[keep], y[keep]
        if name == next(iter(bench.recipe.fits)) and bench.recipe.level:
            names = [level.name for level, ok in zip(rows.level_rows, good, strict=True) if not ok]
            bench.notice(say("fitting.left-out-line-nothing", names=", ".join(names[:8])))
        weights = weights[keep] if weights is not None else None
    if fit.model == "quadratic":
        return fit_curve(CURVES["quadratic"], x, y, ("fit", name))
    model = fit.model
    if name == next(iter(bench.recipe.fits)) and bench.options.line:
        model = bench.options.line
    line = fit_line(
        x, y, through_origin=model == "proportional", weights=weights, within=within, of=("fit", name)
    )
    if isinstance(line, NoLine):
        return line
    if rows.unlike:
        # what does not weigh the line is drawn, and borders the steepest and the shallowest
        env = {**bench.givens, **rows.levels, **rows.reported}
        across, up = (wide(computed(rows, f, env, "levels"), len(good)) for f in (fit.x, fit.y))
        line = replace(line, x=across[np.flatnonzero(good)], y=up[np.flatnonzero(good)])
    return slope_by(line, bench.options.slope_u)


def _usable(x: Quantity, y: Quantity) -> NDArray[np.bool_]:
    """Points with nothing missing."""
    return np.isfinite(x.value) & np.isfinite(y.value) & np.isfinite(x.u) & np.isfinite(y.u)


def _within(bench: Bench, fit: Fit, y: Quantity, rows: Bench) -> tuple[float, int]:
    """Squares of few repeats about their means, in the unit of y, and their degrees of freedom.

    They are too few to weigh a line alone, but count with the scatter about it.
    """
    if rows.counts is None or rows.unlike or not rows.reported.keys() & fit.y.names or np.any(y.u > 0):
        return 0.0, 0
    told = computed(bench, fit.y, {**bench.givens, **rows.levels, **rows.reported}, "levels")
    dof = next((int(s.dof) for s in told.sources if s.shape == "t" and math.isfinite(s.dof)), 0)
    variance = float(np.mean(rows.counts * told.u_own**2))
    return (variance * dof, dof) if dof and math.isfinite(variance) and variance > 0 else (0.0, 0)


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
                if isinstance(made, Line) and made.through_origin and part == "intercept":
                    bench.results[f"?{key}"] = Quantity(0.0, made.y.unit)
                else:
                    bench.failed.add(key)
            else:
                bench.results[f"?{key}"] = q
    for sentence in made.warnings if first else ():
        bench.notice(sentence)


def _fit_failed(bench: Bench, name: str, reason: str | None) -> None:
    first = name == next(iter(bench.recipe.fits))
    for part in ("slope", "intercept", "c0", "c1", "c2"):
        bench.failed.add(f"{name}_{part}")
        if first:
            bench.failed.add(part)
    if reason:
        bench.notice(reason)


def series_effects(bench: Bench) -> None:
    """For each quantity that varies alone: the slope of what was averaged against it."""
    recipe = bench.recipe
    for name in recipe.series:
        found = series_bench(bench, name)
        if found is None or found.counts is None or len(found.counts) < 2:
            continue
        measured = recipe.average[0]
        line = fit_line(found.levels[name], found.levels[measured], weights=found.counts, of=("effect", name))
        result = f"effect_of_{name}"
        if isinstance(line, NoLine) or line.slope is None:
            bench.results[result] = None
            words = line.reason if isinstance(line, NoLine) else line.warnings[-1]
            bench.notice(f"{result}: {words}")
            continue
        bench.results[result] = line.slope
        means, span = found.levels[measured].value, float(np.ptp(found.levels[name].value))
        scale = recipe.matters * abs(float(np.mean(means))) / span if recipe.matters and span else None
        versus(bench, result, "none", Quantity(0.0, line.slope.unit), scale=scale)
