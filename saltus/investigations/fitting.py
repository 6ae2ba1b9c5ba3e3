"""Lines and curves through the levels of an investigation."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.formulas import FormulaError
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.straight import Line, NoLine, fit_line
from saltus.core.quantity import Quantity
from saltus.core.units import UnitError
from saltus.core.wording import _
from saltus.investigations.bench import Bench, versus
from saltus.investigations.levels import series_bench
from saltus.investigations.recipe import RecipeError
from saltus.investigations.schools import slope_by

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.investigations.outcome import Fitted


def lay_fits(bench: Bench) -> None:
    """Lay every line and curve of the recipe; what cannot be laid is told, once, for the first."""
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
            _fit_failed(
                bench, name, None if levels else _("There is no complete trial to lay a line through.")
            )
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
    return line if isinstance(line, NoLine) else slope_by(line, bench.options.slope_u)


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
        bench.tell(sentence)


def _fit_failed(bench: Bench, name: str, reason: str | None) -> None:
    first = name == next(iter(bench.recipe.fits))
    for part in ("slope", "intercept", "c0", "c1", "c2"):
        bench.failed.add(f"{name}_{part}")
        if first:
            bench.failed.add(part)
    if reason:
        bench.tell(reason)


def series_effects(bench: Bench) -> None:
    """For each quantity that varies alone: the slope of what was averaged against it."""
    recipe = bench.recipe
    for name in recipe.series:
        found = series_bench(bench, name)
        if found is None or found.counts is None or len(found.counts) < 2:
            continue
        measured = recipe.average[0]
        line = fit_line(
            found.levels[name], found.levels[measured], weights=found.counts, name=f"effect/{name}"
        )
        result = f"effect_of_{name}"
        if isinstance(line, NoLine) or line.slope is None:
            bench.results[result] = None
            words = line.reason if isinstance(line, NoLine) else line.warnings[-1]
            bench.tell(f"{result}: {words}")
            continue
        bench.results[result] = line.slope
        versus(bench, result, "none", Quantity(0.0, line.slope.unit))
