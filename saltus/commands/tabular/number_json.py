"""Lines, repeats, series and investigations as plain JSON values, in the shapes of the headless commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.budget import budget
from saltus.core.lines.curves import Curve
from saltus.core.lines.school import extremes
from saltus.core.lines.straight import Line, NoLine
from saltus.core.quantities import measured
from saltus.core.statement import as_json
from saltus.core.units import ONE
from saltus.investigations.engine.schools import restated

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.repeats import Repeats
    from saltus.core.series import Stretch
    from saltus.investigations.engine.outcome import Compared, Notice, Outcome

MOST_FOR_EXTREMES = 2000
_NOTHING: dict[str, Any] = {
    "parameters": {}, "slope": None, "intercept": None, "covariance": None, "chi2": None, "dof": None,
    "birge": None,
    "u_stated": {}, "u_scatter": {}, "rms_residual": None, "residual_sd": None, "steepest": None,
    "shallowest": None, "no_effect": None,
}  # fmt: skip


def fit_json(
    model: str, fit: Line | Curve | NoLine, names: tuple[str, ...] = (), convention: str = "standard"
) -> dict[str, Any]:
    """Describe a fitted line or curve.

    Parameters
    ----------
    model : str
    fit : Line, Curve or NoLine
    names : tuple of str
        Parameters of the model, null where there is no fit.
    convention : str
        Which convention they are stated in.
    """
    if isinstance(fit, NoLine):
        return {"model": model, **_NOTHING, "parameters": dict.fromkeys(names), "warnings": [fit.reason]}
    told: dict[str, Any] = {
        "model": model,
        "covariance": None if fit.covariance is None else fit.covariance.tolist(),
        "chi2": fit.chi2,
        "dof": fit.dof,
        "birge": fit.birge,
        "u_stated": fit.u_stated,
        "u_scatter": fit.u_scatter,
        "rms_residual": fit.rms_residual,
        "residual_sd": fit.residual_sd,
        "warnings": list(fit.warnings),
    }
    if isinstance(fit, Curve):
        parameters = {
            n: _value(q, float(v), "", convention)
            for (n, q), v in zip(fit.parameters.items(), fit.values, strict=True)
        }
        return told | {"parameters": parameters, "steepest": None, "shallowest": None, "no_effect": None}
    unit = fit.y.unit / fit.x.unit
    told["slope"] = _value(fit.slope, float(fit.values[1]), unit.ascii, convention)
    parameters = {"slope": told["slope"]}
    if not fit.through_origin:
        told["intercept"] = _value(fit.intercept, float(fit.values[0]), fit.y.unit.ascii, convention)
        parameters["intercept"] = told["intercept"]
    ends = extremes(fit.x, fit.y) if len(fit.x) <= MOST_FOR_EXTREMES else None
    return told | {
        "parameters": parameters,
        "steepest": ends.steepest if ends else None,
        "shallowest": ends.shallowest if ends else None,
        "no_effect": fit.no_effect if fit.slope is not None else None,
    }


def _value(
    q: Quantity | None, value: float, unit: str = "", convention: str = "standard"
) -> dict[str, Any] | None:
    """A quantity; where its uncertainty cannot be told, its value alone."""
    if q is not None:
        return as_json(restated(q, convention))
    if not np.isfinite(value):
        return None
    return {
        "value": value,
        "u": None,
        "U95": None,
        "k": None,
        "dof": None,
        "unit": unit,
        "text": f"{value:.6g} {unit}".strip(),
    }


def repeats_json(found: Repeats) -> dict[str, Any]:
    """Describe what repeats say; the mean is a quantity with s/√n and t(n − 1)."""
    mean = None
    if found.mean is not None and found.standard_error is not None:
        source = sources.repeat_scatter("repeats", "reading", len(found.values) - 1)
        mean = as_json(measured(found.mean, found.standard_error, ONE, source))
    elif found.mean is not None:
        mean = _value(None, found.mean)
    return {
        "n": len(found.values),
        "mean": mean,
        "sd": found.sd,
        "standard_error": found.standard_error,
        "half_range": found.half_range,
        "odd": [float(found.values[i]) for i in found.odd],
        "consistency": found.consistency,
    }


def stretch_json(name: str, found: Stretch, warnings: list[str]) -> dict[str, Any]:
    """Describe the mean or slope of a recorded series."""
    return {
        name: as_json(found.value),
        "sd": found.sd,
        "standard_error": found.standard_error,
        "n": found.n,
        "effective_n": found.effective_n,
        "warnings": warnings,
    }


def outcome_json(outcome: Outcome, convention: str, told: list[Notice]) -> dict[str, Any]:
    """Describe an investigation that was run.

    Parameters
    ----------
    outcome : Outcome
    convention : str
        Which convention results are stated in.
    told : list of Told
        Slips that were recognised, beside the warnings of the outcome.
    """
    recipe = outcome.recipe
    results = {n: None if q is None else restated(q, convention) for n, q in outcome.results.items()}
    fits = {
        name: fit_json(
            "proportional" if isinstance(f, Line) and f.through_origin else recipe.fits[name].model,
            f,
            convention=convention,
        )
        for name, f in outcome.fits.items()
    }
    budgets = {n: _budget(q) for n, q in outcome.results.items() if q is not None}
    return {
        "investigation": recipe.id,
        "convention": convention,
        "results": {n: as_json(q) for n, q in results.items()},
        "fit": next(iter(fits.values()), None),
        "fits": fits,
        "comparison": [
            comparison_json(c) | {"overlap": c.found.overlap if c.found else None} for c in outcome.compared
        ],
        "levels": [
            {"level": level.name, "n": level.count,
             "means": {n: as_json(restated(q, convention)) for n, q in level.means.items()},
             "sd": level.sds, "borrowed": level.borrowed}
            for level in outcome.levels
        ],
        "trials": _trials(outcome),
        **({"points": list(outcome.points)} if outcome.points else {}),
        "budget": next(iter(budgets.values()), []),
        "budgets": budgets,
        "warnings": [warning_json(w) for w in (*outcome.warnings, *told)],
    }  # fmt: skip


def _budget(q: Quantity) -> list[dict[str, Any]]:
    return [{"source": line.label, "kind": line.kind, "u": line.u, "share": line.share} for line in budget(q)]


def comparison_json(one: Compared) -> dict[str, Any]:
    """Object of a comparison, as in ``results``."""
    found = one.found
    return {
        "of": one.of,
        "with": one.other,
        "difference": as_json(found.difference) if found else None,
        "percent": found.percent if found else None,
        "agree": found.agree if found else None,
        **({"row": one.row} if one.row is not None else {}),
        **({"level": one.level} if one.level is not None else {}),
    }


def warning_json(told: Notice) -> dict[str, Any]:
    """Object of a warning: its slip, its sentence, and of which level and trial it is."""
    where = {"level": told.level, "trial": told.trial}
    return {"slip": told.slip, "text": told.text, **{k: v for k, v in where.items() if v is not None}}


def _trials(outcome: Outcome) -> list[dict[str, Any]]:
    typed = outcome.trials.columns
    columns: dict[str, list[Any]] = {}
    for name, column in typed.items():
        words = not np.any(np.isfinite(column.values))
        columns[name] = list(column.texts) if words else [float(v) for v in column.values]
    for name, q in outcome.derived.items():
        columns[name] = [float(v) for v in q.value]
    return [
        {"line": line, **{name: values[i] for name, values in columns.items()}}
        for i, line in enumerate(outcome.trials.lines)
    ]
