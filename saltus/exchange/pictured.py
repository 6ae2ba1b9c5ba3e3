"""What an investigation without a line shows: results of its runs, before and after, flights, a record."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.formulas import FormulaError, compute, parse
from saltus.core.motion.flight_path import flight_height
from saltus.core.notation.boxes import Word
from saltus.core.notation.line import as_text, runs
from saltus.core.shown_unit import si
from saltus.core.wording import _
from saltus.exchange.chart import Bars, Chart, Curve, Label, Points
from saltus.exchange.graph import Graph
from saltus.investigations.recipe.recipe import FUNCTIONS
from saltus.investigations.view.naming import shown_unit, symbol_of, title_of, titled
from saltus.investigations.view.verdicts import chosen_formula, formula_that_holds

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.shown_unit import ShownUnit
    from saltus.investigations.engine.evaluation import Evaluation

    Array = NDArray[np.float64]
    Rows = NDArray[np.int_]

MOST_RUNS, MOST_PATHS, PATH_POINTS = 60, 8, 80


def picture_of(evaluation: Evaluation) -> tuple[Graph, str] | None:
    """Give the picture of an investigation that has no line, and a sentence on what it shows.

    None where there is a line, a plot was chosen, or nothing can be shown yet.
    """
    if evaluation.outcome is None or evaluation.table.plot is not None:
        return None
    wanted = evaluation.recipe.picture
    found = _PICTURES[wanted](evaluation) if wanted else None
    return found or _results(evaluation)


# -- results of each run ----------------------------------------------------------------------------


def _results(evaluation: Evaluation) -> tuple[Graph, str] | None:
    """Each run or level with its 95 %, the mean with its band, and between what it must lie."""
    if evaluation.recipe.per_level:
        return _levels(evaluation)
    found = evaluation.headline
    rows = _row_values(evaluation)
    if found is None or rows is None:
        return None
    name, q = found
    kept = np.flatnonzero(np.isfinite(rows.value) & evaluation.trials.kept)[:MOST_RUNS]
    if not len(kept):
        return None
    shown, mean = shown_unit(evaluation, name, q.unit), _half(q)
    x = np.arange(1.0, len(kept) + 1)
    points = Points(
        x, rows.value[kept] / shown.factor, _halves(rows, kept) / shown.factor, 0, _("each trial")
    )
    level = (float(q) / shown.factor, mean / shown.factor, _("mean, 95 %"))
    chart = Chart(
        Label(_("trial"), runs=runs(Word(_("row of the table")))),
        _label(evaluation, name, shown),
        (points,),
        x_range=(0.4, len(kept) + 0.6),
        named_x=True,
        x_names=_row_names(evaluation, kept),
        levels=(level,),
    )
    words = _("{title} of each trial, with the mean and its 95 % band.").format(
        title=_capital(title_of(evaluation, name))
    )
    return Graph(chart, None), words


def _row_values(evaluation: Evaluation) -> Quantity | None:
    """What the headline result averages, row by row."""
    found = evaluation.headline
    formula = chosen_formula(evaluation, found[0]) if found is not None else None
    if formula is None or not formula.text.startswith("combine("):
        return None
    return _computed(evaluation, formula.text.removeprefix("combine(").removesuffix(")"))


def _levels(evaluation: Evaluation) -> tuple[Graph, str] | None:
    outcome = evaluation.outcome
    assert outcome is not None
    stem = next(iter(evaluation.recipe.per_level))
    there = [(level.name, outcome.results.get(f"{stem}_{level.name}")) for level in outcome.levels]
    told = [(name, q) for name, q in there if q is not None]
    if not told:
        return None
    shown = shown_unit(evaluation, stem, told[0][1].unit)
    x = np.arange(1.0, len(told) + 1)
    y = np.array([float(q) / shown.factor for _n, q in told])
    U = np.array([_half(q) / shown.factor for _n, q in told])
    by = title_of(evaluation, evaluation.recipe.level[0])
    chart = Chart(
        Label(by, runs=runs(Word(by))),
        _label(evaluation, stem, shown),
        (Points(x, y, U, 0, title_of(evaluation, stem)),),
        x_range=(0.4, len(told) + 0.6),
        named_x=True,
        x_names=tuple((float(i), name) for i, (name, _q) in zip(x, told, strict=True)),
    )
    words = _("{title} for each {by}, with its 95 % bar.").format(
        title=_capital(title_of(evaluation, stem)), by=by
    )
    return Graph(chart, None), words


# -- before and after -------------------------------------------------------------------------------


def _before_after(evaluation: Evaluation) -> tuple[Graph, str] | None:
    """Momentum and kinetic energy of each run, before and after, as bars."""
    of = {n: _pictured(evaluation, n) for n in ("momentum_1", "momentum_2", "energy_1", "energy_2")}
    sides = {n: q for n, q in of.items() if q is not None}
    if len(sides) < len(of):
        return None
    kept = np.flatnonzero(
        np.all([np.isfinite(q.value) for q in sides.values()], axis=0) & evaluation.trials.kept
    )[:MOST_RUNS]
    if not len(kept):
        return None
    spins = evaluation.recipe.givens.keys() & {"inertia_before"}
    momentum = _("angular momentum") if spins else _("momentum")
    panels = [
        _bars(evaluation, kept, sides[f"{what}_1"], sides[f"{what}_2"], title)
        for what, title in (("momentum", momentum), ("energy", _("kinetic energy")))
    ]
    words = _("{momentum} and kinetic energy of each run, before and after. Bars: 95 %.").format(
        momentum=_capital(momentum)
    )
    return Graph(panels[0], panels[1], alike=True), words


def _bars(evaluation: Evaluation, kept: Rows, before: Quantity, after: Quantity, title: str) -> Chart:
    x = np.arange(1.0, len(kept) + 1)
    bars = tuple(
        Bars(x + off, q.value[kept], _halves(q, kept), 0.3, look, words)
        for off, q, look, words in ((-0.18, before, 0, _("before")), (0.18, after, 1, _("after")))
    )
    unit = "J" if title == _("kinetic energy") else before.unit.text
    return Chart(
        Label(_("run"), runs=runs(Word(_("row of the table")))),
        Label(title, unit, runs(Word(title))),
        bars=bars,
        x_range=(0.4, len(kept) + 0.6),
        named_x=True,
        x_names=tuple(
            (float(i), f"{evaluation.trials.number(int(r))}") for i, r in zip(x, kept, strict=True)
        ),
    )


# -- flights ----------------------------------------------------------------------------------------


def _paths(evaluation: Evaluation) -> tuple[Graph, str] | None:
    """Where bodies were, and the paths the results predict, one for each level."""
    outcome = evaluation.outcome
    assert outcome is not None
    speed, g = outcome.results.get("speed"), evaluation.givens.get("g")
    if speed is None or g is None:
        return None
    seen: list[tuple[float, float]] = []
    curves: list[Curve] = []
    reach = 0.0
    for row in _one_of_each(evaluation):
        one = _Flight.of_row(evaluation, row)
        if one is None:
            continue
        seen += one.seen
        reach = max(reach, one.reach)
        x = np.linspace(0.0, one.reach, PATH_POINTS)
        curves.append(Curve(x, flight_height(x, float(speed), one.angle, float(g), one.height)))
    if not curves:
        return None
    places = np.array(seen)
    points = Points(places[:, 0], places[:, 1], None, 0, _("measured"))
    chart = Chart(
        Label(_("distance"), "m", runs(Word(_("distance")))),
        Label(_("height"), "m", runs(Word(_("height")))),
        (points,),
        tuple(curves),
        x_range=(-0.04 * reach, 1.08 * reach),
        named_x=True,
    )
    return Graph(chart, None), _(
        "Points: where it was measured. Lines: the flight the results predict, without air."
    )


class _Flight:
    """One throw: launch height and angle, how far it flies, and where it was seen, SI."""

    def __init__(self, angle: float, height: float, reach: float, seen: list[tuple[float, float]]) -> None:
        self.angle, self.height, self.reach, self.seen = angle, height, reach, seen

    @classmethod
    def of_row(cls, evaluation: Evaluation, row: int) -> _Flight | None:
        def at(name: str) -> float:
            q = _pictured(evaluation, name)
            return float(q.value[row]) if q is not None and q.value.ndim else math.nan

        outcome = evaluation.outcome
        found = outcome.results.get("angle") if outcome is not None else None
        reach, apex, apex_x = at("range"), at("apex"), at("apex_distance")
        drop = at("drop")
        angles = [a for a in (at("angle"), at("elevation")) if math.isfinite(a)]
        height = drop if math.isfinite(drop) else 0.0
        angle = 0.0 if height else angles[0] if angles else float(found) if found is not None else math.nan
        if not math.isfinite(reach) and math.isfinite(apex_x):
            reach = 2 * apex_x
        if not (math.isfinite(angle) and math.isfinite(reach) and reach > 0 and abs(angle) < math.pi / 2):
            return None
        seen = [(0.0, height), (reach, 0.0)]
        if math.isfinite(apex):
            seen.append((apex_x if math.isfinite(apex_x) else reach / 2, apex))
        return cls(angle, height, reach, seen)


def _one_of_each(evaluation: Evaluation) -> list[int]:
    """A trial that counts of each level; without levels all that count."""
    kept = [g.kept[0] for g in evaluation.groups if g.kept] if evaluation.recipe.level else []
    return (kept or [int(i) for i in np.flatnonzero(evaluation.trials.kept)])[:MOST_PATHS]


# -- a record ---------------------------------------------------------------------------------------


def _record(evaluation: Evaluation) -> tuple[Graph, str] | None:
    """The recorded trace, and the points in it that were found."""
    outcome, about = evaluation.outcome, evaluation.recipe.record
    if outcome is None or not about:
        return None
    t, value = (outcome.columns.get(about[n]) for n in ("time", "value"))
    if t is None or value is None or not len(t.value):
        return None
    order = np.argsort(t.value, kind="stable")
    x, y = t.value[order], value.value[order]
    times = np.array([float(str(p["time"])) for p in outcome.points])
    notes = tuple(str(p["point"]) for p in outcome.points)
    points = Points(times, np.interp(times, x, y), None, 0, _("points found"), notes=notes)
    chart = Chart(
        Label("t", "s"),
        _label(evaluation, about["value"], si(value.unit)),
        (points,) if len(times) else (),
        (Curve(x, y),),
        named_x=True,
    )
    return Graph(chart, None), _("The record, with the points that were found in it.")


# -- helpers ----------------------------------------------------------------------------------------


def _pictured(evaluation: Evaluation, name: str) -> Quantity | None:
    """What a part of the picture shows, row by row; None where it is not told."""
    formula = formula_that_holds(evaluation, evaluation.recipe.pictured.get(name, ()))
    return _computed(evaluation, formula.text) if formula is not None else None


def _computed(evaluation: Evaluation, text: str) -> Quantity | None:
    try:
        formula = parse(text, FUNCTIONS)
        with np.errstate(all="ignore"):
            q = compute(formula, {**evaluation.givens, **evaluation.columns})
    except (FormulaError, KeyError):
        return None
    return q if q.value.shape == (len(evaluation.rows),) else None


def _row_names(evaluation: Evaluation, rows: Rows) -> tuple[tuple[float, str], ...]:
    return tuple((i + 1.0, f"{evaluation.trials.number(int(row))}") for i, row in enumerate(rows))


def _half(q: Quantity) -> float:
    return q.U95 if math.isfinite(q.U95) else 0.0


def _halves(q: Quantity, rows: Rows) -> Array:
    u = np.broadcast_to(q.u, q.value.shape)[rows]
    return np.where(np.isfinite(u), NORMAL_95 * u, 0.0)


def _label(evaluation: Evaluation, name: str, shown: ShownUnit) -> Label:
    box = titled(evaluation, name)
    return Label(as_text(symbol_of(evaluation, name)), shown.text, runs(box))


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


_PICTURES: dict[str, Callable[[Evaluation], tuple[Graph, str] | None]] = {
    "results": _results,
    "before-after": _before_after,
    "paths": _paths,
    "record": _record,
}
